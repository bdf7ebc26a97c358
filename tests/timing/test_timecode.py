"""Timecode against first principles: counting label by label."""

from __future__ import annotations

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from wexodos.timing import COMMON_RATES, Rate, Timecode, TimecodeError, exact, floor_guarded, parse_exact

DROPPING = [Rate(30000, 1001), Rate(60000, 1001)]


def labels(rate: Rate, drop: bool, minutes: int) -> list[str]:
    """All labels of the first minutes, made by leaving out what drop frame leaves out."""
    found = []
    for minute in range(minutes):
        for second in range(60):
            for frame in range(rate.nominal):
                if drop and second == 0 and minute % 10 and frame < rate.nominal // 15:
                    continue
                digits = 3 if rate.nominal > 100 else 2
                found.append(f"00:{minute:02d}:{second:02d}{';' if drop else ':'}{frame:0{digits}d}")
    return found


@pytest.mark.parametrize("rate", COMMON_RATES, ids=str)
def test_labels_count_up_one_by_one(rate: Rate) -> None:
    for frame, label in enumerate(labels(rate, False, 2)):
        assert str(Timecode(frame, rate)) == label


@pytest.mark.parametrize("rate", DROPPING, ids=str)
def test_drop_frame_leaves_out_labels_and_never_frames(rate: Rate) -> None:
    for frame, label in enumerate(labels(rate, True, 21)):
        assert str(Timecode(frame, rate, True)) == label
        assert Timecode.parse(label, rate).frames == frame


@pytest.mark.parametrize("rate", DROPPING, ids=str)
def test_an_hour_of_drop_frame_is_an_hour_of_the_clock(rate: Rate) -> None:
    hour = Timecode.parse("01:00:00;00", rate)
    assert abs(rate.seconds(hour.frames) - 3600) < Fraction(1, 100)


@given(st.sampled_from(COMMON_RATES), st.integers(0, 24 * 3600 * 24), st.booleans())
def test_print_and_parse_are_inverse(rate: Rate, frame: int, drop: bool) -> None:
    code = Timecode(frame, rate, drop and rate.nominal in (30, 60))
    assert Timecode.parse(str(code), rate) == code


@pytest.mark.parametrize(
    "label", ["", "1:2:3", "00:60:00:00", "00:00:61:00", "00:00:00:25", "aa:00:00:00", "00:00:00:00:00"]
)
def test_what_is_no_timecode_is_refused(label: str) -> None:
    with pytest.raises(TimecodeError):
        Timecode.parse(label, Rate(25))


def test_a_dropped_label_is_refused() -> None:
    with pytest.raises(TimecodeError):
        Timecode.parse("00:01:00;00", Rate(30000, 1001))


@given(st.sampled_from(COMMON_RATES), st.fractions(-10_000, 10_000))
def test_frames_and_seconds_are_inverse_and_exact(rate: Rate, seconds: Fraction) -> None:
    assert rate.seconds(rate.frames(seconds)) == seconds


@pytest.mark.parametrize(
    ("text", "rate"),
    [
        ("23.976", Rate(24000, 1001)),
        ("23.98", Rate(24000, 1001)),
        ("29.97", Rate(30000, 1001)),
        ("59.94", Rate(60000, 1001)),
        ("25", Rate(25)),
        ("24000/1001", Rate(24000, 1001)),
        ("12.5", Rate(25, 2)),
    ],
)
def test_labels_of_rates(text: str, rate: Rate) -> None:
    assert Rate.parse(text) == rate


@pytest.mark.parametrize("text", ["0", "-25", "x", "1/0", ""])
def test_impossible_rates_are_refused(text: str) -> None:
    with pytest.raises(ValueError, match="rate"):
        Rate.parse(text)


@given(st.integers(-(10**9), 10**9), st.integers(1, 10**6))
def test_exact_is_whole_where_it_can_be(numerator: int, denominator: int) -> None:
    value = exact(numerator, denominator)
    assert value == Fraction(numerator, denominator)
    assert isinstance(value, int) == (numerator % denominator == 0)
    assert parse_exact(str(value)) == value


def test_the_guard_forgives_a_thousandth_and_no_more() -> None:
    assert floor_guarded(Fraction(9999, 1000)) == 10
    assert floor_guarded(Fraction(9998, 1000)) == 9
