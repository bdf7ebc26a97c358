"""Exact numbers, rates and spans, against values worked out by hand."""

from __future__ import annotations

from fractions import Fraction as F

import pytest

from wexodos.timing import (
    Exact,
    Rate,
    Span,
    absolute,
    ceil,
    exact,
    floor,
    floor_guarded,
    format_exact,
    parse_exact,
    round_half_up,
)
from wexodos.timing.rates import snap
from wexodos.timing.timecode import Timecode, drop_frame_possible


@pytest.mark.parametrize(
    ("value", "down", "up", "nearest"),
    [
        (F(1, 2), 0, 1, 1),
        (F(-1, 2), -1, 0, 0),
        (F(3, 2), 1, 2, 2),
        (F(-3, 2), -2, -1, -1),
        (F(499, 1000), 0, 1, 0),
        (F(501, 1000), 0, 1, 1),
        (F(-501, 1000), -1, 0, -1),
        (F(7, 3), 2, 3, 2),
        (F(-7, 3), -3, -2, -2),
        (5, 5, 5, 5),
        (-5, -5, -5, -5),
    ],
)
def test_rounding_goes_down_up_or_to_the_nearest_and_halves_go_up(
    value: Exact, down: int, up: int, nearest: int
) -> None:
    assert (floor(value), ceil(value), round_half_up(value)) == (down, up, nearest)


def test_whole_values_are_ints_whatever_they_were_made_of() -> None:
    for made in (
        exact(6, 3),
        exact(F(8, 2)),
        exact(F(1, 2), F(1, 4)),
        parse_exact("4/2"),
        parse_exact("2.0"),
    ):
        assert type(made) is int
    assert (exact(6, 4), type(exact(6, 4))) == (F(3, 2), F)
    assert exact(7) == 7 and exact(-7, 7) == -1 and absolute(F(-1, 3)) == F(1, 3) and absolute(4) == 4
    with pytest.raises(ZeroDivisionError):
        exact(1, 0)


def test_a_position_a_thousandth_of_a_frame_early_is_that_frame() -> None:
    assert [floor_guarded(F(5) - part) for part in (F(1, 1000), F(11, 10_000), F(0))] == [5, 4, 5]
    assert floor_guarded(7) == 7 and floor_guarded(F(-1, 2000)) == 0 and floor_guarded(F(-1, 2)) == -1


@pytest.mark.parametrize(
    ("text", "value"),
    [("12", 12), (" -7 ", -7), ("1201/2", F(1201, 2)), ("3.25", F(13, 4)), ("-0.5", F(-1, 2))],
)
def test_numbers_are_spelled_and_read_exactly(text: str, value: Exact) -> None:
    assert parse_exact(text) == value
    assert parse_exact(format_exact(value)) == value


def test_how_numbers_are_spelled() -> None:
    assert [format_exact(one) for one in (12, F(1201, 2), F(24, 2), F(-1, 3))] == [
        "12",
        "1201/2",
        "12",
        "-1/3",
    ]


@pytest.mark.parametrize("text", ["", "1/0", "twelve", "1e9", "1E2", "0." + "3" * 63, "1/2/3", "nan", "inf"])
def test_what_is_no_exact_number_is_refused(text: str) -> None:
    with pytest.raises(ValueError):
        parse_exact(text)


def test_as_many_digits_as_a_line_holds_are_read() -> None:
    assert parse_exact("0." + "3" * 62) == F(int("3" * 62), 10**62)


# ---- rates


@pytest.mark.parametrize(
    ("label", "rate"),
    [
        # 0.05 % of 24 is 0.012, of 24000/1001 = 23.976 nearly the same; of 50 it is 0.025.
        ("24.011", F(24)),
        ("23.989", F(24)),
        ("24.013", F(24013, 1000)),
        ("23.98", F(24000, 1001)),
        ("23.987", F(24000, 1001)),
        ("29.97", F(30000, 1001)),
        ("47.952", F(48000, 1001)),
        ("49.976", F(50)),
        ("49.974", F(50000, 1001)),
        ("49.95", F(50000, 1001)),
        ("50.02", F(50)),
        ("50.03", F(5003, 100)),
        ("119.88", F(120_000, 1001)),
        ("12.5", F(25, 2)),
        ("15", F(15)),
    ],
)
def test_a_rate_within_a_twentieth_of_a_percent_of_a_common_one_is_that_one(label: str, rate: F) -> None:
    assert Rate.parse(label).fps == rate
    assert snap(F(label)) == rate


def test_a_rate_says_its_seconds_frames_and_name() -> None:
    ntsc, pal = Rate(30000, 1001), Rate(50, 2)
    assert (pal.numerator, pal.denominator, pal.fps, pal.nominal, pal.ntsc) == (25, 1, 25, 25, False)
    assert (ntsc.nominal, ntsc.ntsc, ntsc.label(), str(ntsc)) == (30, True, "29.97", "30000/1001")
    assert ntsc.seconds(30) == F(1001, 1000) and ntsc.frames(F(1001, 1000)) == 30
    assert pal.seconds(F(1, 2)) == F(1, 50) and pal.frames(F(1, 50)) == F(1, 2)
    assert pal.frames(2) == 50 and type(pal.frames(2)) is int and pal.seconds(50) == 2
    assert (
        Rate(25, 2).label() == "12.5" and Rate(24000, 1001).label() == "23.976" and Rate(25).label() == "25"
    )
    assert Rate.of(F(24000, 1001)) == Rate(24000, 1001) and Rate.of(50) == Rate(50)


@pytest.mark.parametrize("numbers", [(0, 1), (-25, 1), (25, 0), (25, -1)])
def test_no_rate_is_zero_or_below(numbers: tuple[int, int]) -> None:
    with pytest.raises(ValueError, match="above zero"):
        Rate(*numbers)


@pytest.mark.parametrize("text", ["0", "-25", "0/1", "1/0", "fast"])
def test_what_is_no_rate_is_refused(text: str) -> None:
    with pytest.raises(ValueError):
        Rate.parse(text)


# ---- spans


def test_spans_hold_their_first_moment_and_not_their_last() -> None:
    span = Span(2, 5)
    assert span.duration == 3
    assert [
        span.overlaps(other)
        for other in (Span(0, 2), Span(0, 3), Span(4, 9), Span(5, 9), Span(3, 4), Span(0, 9))
    ] == [
        False,
        True,
        True,
        False,
        True,
        True,
    ]


# ---- timecode by hand


@pytest.mark.parametrize(
    ("frames", "rate", "drop", "label"),
    [
        (1799, Rate(30000, 1001), True, "00:00:59;29"),
        (1800, Rate(30000, 1001), True, "00:01:00;02"),
        (3597, Rate(30000, 1001), True, "00:01:59;29"),
        (3598, Rate(30000, 1001), True, "00:02:00;02"),
        (17_981, Rate(30000, 1001), True, "00:09:59;29"),
        (17_982, Rate(30000, 1001), True, "00:10:00;00"),
        (19_781, Rate(30000, 1001), True, "00:10:59;29"),
        (19_782, Rate(30000, 1001), True, "00:11:00;02"),
        (107_892, Rate(30000, 1001), True, "01:00:00;00"),
        (3_600, Rate(60000, 1001), True, "00:01:00;04"),
        (215_784, Rate(60000, 1001), True, "01:00:00;00"),
        (-1800, Rate(30000, 1001), True, "-00:01:00;02"),
        (108_000, Rate(30000, 1001), False, "01:00:00:00"),
        (90_000, Rate(25), True, "01:00:00:00"),
        (2_592_000, Rate(30), False, "24:00:00:00"),
        (119, Rate(120), False, "00:00:00:119"),
        (99, Rate(100), False, "00:00:00:99"),
        (-1, Rate(25), False, "-00:00:00:01"),
    ],
)
def test_labels_worked_out_by_hand(frames: int, rate: Rate, drop: bool, label: str) -> None:
    assert str(Timecode(frames, rate, drop)) == label
    assert Timecode.parse(label, rate).frames == frames


def test_how_labels_may_be_written() -> None:
    pal, ntsc = Rate(25), Rate(30000, 1001)
    assert (
        Timecode.parse("01.00.00.00", pal).frames == 90_000
        and Timecode.parse(" 00:00:01,05 ", pal).frames == 30
    )
    assert Timecode.parse("00:01:00:02", ntsc).frames == 1802
    assert Timecode.parse("00:01:00:02", ntsc, drop_frame=True).frames == 1800
    assert Timecode.parse("00:01:00;02", ntsc, drop_frame=False).frames == 1802
    # No drop frame at 25: the separator says nothing.
    assert Timecode.parse("00:01:00;02", pal) == Timecode(1502, pal, False)
    assert [one for one in (24, 25, 30, 48, 50, 60, 120) if drop_frame_possible(one)] == [30, 60]


@pytest.mark.parametrize("label", ["00:01:00;00", "00:01:00;01", "00:59:00;01"])
def test_labels_that_drop_frame_leaves_out_are_refused(label: str) -> None:
    with pytest.raises(ValueError, match="leaves out"):
        Timecode.parse(label, Rate(30000, 1001))
    assert Timecode.parse("00:10:00;00", Rate(30000, 1001)).frames == 17_982
    with pytest.raises(ValueError, match="leaves out"):
        Timecode.parse("00:01:00;03", Rate(60000, 1001))
    for wrong in ("00:00:00:25", "00:59:60:00", "00:60:00:00"):
        with pytest.raises(ValueError, match="no such timecode"):
            Timecode.parse(wrong, Rate(25))
    assert Timecode.parse("00:59:59:24", Rate(25)).frames == 89_999
