"""Evaluation against cases worked out by hand, and against plain fractions."""

from __future__ import annotations

import math
from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wexodos.evaluate import Evaluator, Raster, Times, curve_values, placed, state_at
from wexodos.model import (
    NORMAL,
    Adjustment,
    Constant,
    Curve,
    Document,
    Ease,
    Effect,
    Fade,
    Item,
    Key,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    Sound,
    Speed,
    SpeedPoint,
    Track,
    Transition,
    Variable,
    constant,
    curve,
)
from wexodos.timing import Rate

R25, R30, NTSC = Rate(25), Rate(30), Rate(30000, 1001)
MEDIA = Media(
    "m",
    "A003C012.mov",
    rate=R25,
    start=900_000,
    duration=800,
    width=1920,
    height=1080,
    sample_rate=48000,
    video=True,
)


def document(
    *tracks: Track, media: tuple[Media, ...] = (MEDIA,), nested: tuple[Sequence, ...] = (), rate: Rate = R25
) -> Document:
    main = Sequence("s", "Cut", rate, width=1920, height=1080, tracks=tracks)
    return Document("xmeml", "5", (main, *nested), media)


def clip(start: int, duration: int, source: int, speed: Speed = NORMAL, **more: object) -> Item:
    return Item(
        f"i{start}", "Throwing wide", start, duration, MediaUse("m"), Fraction(source, 25), speed, **more
    )  # type: ignore[arg-type]


def frames(found: Document, start: int, stop: int) -> list[int]:
    span = Evaluator(found).range(found.sequences[0], start, stop).picture[0]
    assert span.source_frame is not None
    return [int(x) for x in np.broadcast_to(span.source_frame, (stop - start,))]


def test_half_speed_shows_every_frame_twice() -> None:
    found = document(Track("video", (clip(0, 60, 100, Constant(Fraction(1, 2))),)))
    assert frames(found, 0, 6) == [100, 100, 101, 101, 102, 102]


def test_reverse_begins_with_the_frame_before_the_boundary() -> None:
    found = document(Track("video", (clip(10, 60, 400, Constant(-1)),)))
    assert frames(found, 10, 14) == [399, 398, 397, 396]


def test_freeze_holds() -> None:
    found = document(Track("video", (clip(0, 40, 222, Constant(0)),)))
    assert set(frames(found, 0, 40)) == {222}


def test_a_ramp_follows_its_points_and_holds_at_the_end_of_the_media() -> None:
    ramp = Variable(
        (
            SpeedPoint(0, Fraction(100, 25)),
            SpeedPoint(10, Fraction(120, 25)),
            SpeedPoint(20, Fraction(125, 25)),
        )
    )
    assert frames(document(Track("video", (clip(0, 30, 100, ramp),))), 0, 21)[:12] == [
        100,
        102,
        104,
        106,
        108,
        110,
        112,
        114,
        116,
        118,
        120,
        120,
    ]
    fast = Variable((SpeedPoint(0, 0), SpeedPoint(10, 40)))
    assert frames(document(Track("video", (clip(0, 20, 0, fast),))), 9, 20)[-1] == 799


def test_sources_of_another_rate_run_in_real_time() -> None:
    phone = replace(MEDIA, rate=R30)
    found = document(Track("video", (Item("i", "Phone", 0, 10, MediaUse("m"), 3),)), media=(phone,))
    assert frames(found, 0, 10) == [90 + n * 30 // 25 for n in range(10)]


@given(
    st.fractions(0, 50, max_denominator=600),
    st.fractions(-4, 4, max_denominator=1000).filter(bool),
    st.sampled_from([R25, R30, NTSC, Rate(24000, 1001)]),
    st.integers(0, 500),
)
def test_source_frames_equal_plain_fractions(
    source: Fraction, factor: Fraction, rate: Rate, start: int
) -> None:
    media = replace(MEDIA, rate=rate, duration=None)
    item = Item("i", "x", start, 50, MediaUse("m"), source, Constant(factor))
    found = document(Track("video", (item,)), media=(media,))
    for n, seen in enumerate(frames(found, start, start + 50)):
        at = (source + factor * Fraction(n, 25)) * rate.fps
        want = math.floor(at + Fraction(1, 1000)) if factor > 0 else math.ceil(at - Fraction(1, 1000)) - 1
        assert seen == want


@given(
    st.fractions(max_denominator=10**12), st.fractions(max_denominator=10**12), st.integers(-(10**9), 10**9)
)
def test_affine_times_stay_exact_beyond_64_bits(factor: Fraction, offset: Fraction, start: int) -> None:
    times = Times.frames(start, start + 4).affine(factor, offset)
    for n, numerator in enumerate(times.numerators.tolist()):
        assert Fraction(int(numerator), times.denominator) == factor * (start + n) + offset


def test_a_dissolve_mixes_both_and_reaches_into_the_handles() -> None:
    join = Transition("t", "Cross dissolve", "dissolve", 88, 24, 100)
    found = document(Track("video", (clip(0, 100, 50), clip(100, 150, 200)), (join,)))
    for frame, share in ((88, 0.0), (94, 0.25), (100, 0.5), (111, 23 / 24)):
        out, into = state_at(Evaluator(found), found.sequences[0], frame)["picture"]
        assert (out["source_frame"], into["source_frame"]) == (50 + frame, 200 + frame - 100)
        assert into["mix"] == pytest.approx(share, abs=1e-6)
        assert out["mix"] == pytest.approx(1 - share, abs=1e-6)
        assert out["transition"] == into["transition"] == "dissolve"
    assert [
        one["source_frame"] for one in state_at(Evaluator(found), found.sequences[0], 112)["picture"]
    ] == [212]


def test_a_fade_to_nothing_has_one_layer() -> None:
    join = Transition("t", "Cross dissolve", "dissolve", 80, 20, 100)
    found = document(Track("video", (clip(0, 100, 0),), (join,)))
    (layer,) = state_at(Evaluator(found), found.sequences[0], 90)["picture"]
    assert layer["mix"] == 0.5


def test_a_nest_carries_its_offset_place_opacity_and_mix_inside() -> None:
    inner = Sequence(
        "n",
        "Fires",
        R25,
        width=960,
        height=540,
        tracks=(Track("video", (clip(0, 40, 100), clip(40, 50, 300))),),
        top_level=False,
    )
    nest = Item(
        "nest",
        "Three fires",
        10,
        60,
        NestedUse("n"),
        Fraction(20, 25),
        motion=Motion(scale=constant(0.5, 0.5), position=constant(100, -50), opacity=constant(0.8)),
    )
    found = document(Track("video", (nest,)), nested=(inner,))
    (layer,) = state_at(Evaluator(found), found.sequences[0], 10)["picture"]
    assert (layer["item"], layer["via"], layer["source_frame"]) == ("Throwing wide", ["Three fires"], 120)
    assert layer["opacity"] == 0.8
    assert layer["center"] == [1060.0, 490.0]
    # The inner picture is twice the nest's frame, the nest is halved in the outer one.
    assert layer["size"] == [960.0, 540.0]
    (later,) = state_at(Evaluator(found), found.sequences[0], 30)["picture"]
    assert later["source_frame"] == 300


def test_a_nest_in_itself_does_not_hang() -> None:
    loop = Sequence("s", "Loop", R25, tracks=(Track("video", (Item("i", "me", 0, 10, NestedUse("s")),)),))
    found = Document("xmeml", "5", (loop,))
    assert Evaluator(found).range(loop).picture == ()


def test_place_scale_rotation_and_anchor() -> None:
    frame = Raster(1920, 1080)
    one = np.ones((1, 2))
    center, size = placed(
        Raster(640, 360),
        frame,
        "fit",
        np.array([[130.0, -90.0]]),
        one * 0.5,
        np.zeros((1, 1)),
        np.zeros((1, 2)),
    )
    assert center.tolist() == [[1090.0, 450.0]]
    assert size.tolist() == [[960.0, 540.0]]
    # Turned a quarter about its left edge, the middle of the picture ends up below the anchor.
    center, _ = placed(
        frame, frame, "none", np.zeros((1, 2)), one, np.array([[90.0]]), np.array([[-0.5, 0.0]])
    )
    assert center[0] == pytest.approx([960.0, 540.0 + 960.0])


def test_wide_pixels_are_fitted_as_they_look() -> None:
    _, size = placed(
        Raster(1440, 1080, 4 / 3),
        Raster(1920, 1080),
        "fit",
        np.zeros((1, 2)),
        np.ones((1, 2)),
        np.zeros((1, 1)),
        np.zeros((1, 2)),
    )
    assert size[0] == pytest.approx([1920.0, 1080.0])


def test_keys_linear_hold_and_smooth() -> None:
    at = np.array([-5.0, 0.0, 2.5, 5.0, 10.0, 20.0])
    assert curve_values(curve([(0, 0), (10, 100)]), at)[:, 0].tolist() == [0, 0, 25, 50, 100, 100]
    assert curve_values(curve([(0, 0), (10, 100)], Ease.HOLD), at)[:, 0].tolist() == [0, 0, 0, 0, 100, 100]
    # Smooth at both ends is 3u² - 2u³: 0.15625 at a quarter.
    assert curve_values(curve([(0, 0), (10, 100)], Ease.SMOOTH), at)[:, 0].tolist() == pytest.approx(
        [0, 0, 15.625, 50, 100, 100]
    )
    # Easing out of the first key only: slope 0 there, the straight line's slope at the other end: u² (2 - u)
    # → 0.375 at a half.
    half = Curve((0.0,), (Key(0, (0.0,), Ease.OUT), Key(10, (100.0,))))
    assert curve_values(half, np.array([5.0]))[0, 0] == pytest.approx(37.5)


@pytest.mark.parametrize("ease", [Ease.LINEAR, Ease.HOLD])
def test_a_key_is_what_it_says_to_the_last_digit_silence_too(ease: Ease) -> None:
    at = np.array([-1.0, 0.0, 10.0, 11.0, 20.0, 21.0])
    # 0.7 + (0.1 - 0.7) is not 0.1.
    found = curve_values(curve([(0, 0.1), (10, 0.7), (20, 0.1)], ease), at)[:, 0].tolist()
    assert found[:3] == [0.1, 0.1, 0.7] and found[4:] == [0.1, 0.1]
    silent = curve_values(curve([(0, -math.inf), (10, 0.1), (20, -math.inf)], ease), at)[:, 0].tolist()
    assert silent[:3] == [-math.inf, -math.inf, 0.1] and silent[4:] == [-math.inf, -math.inf]


def test_levels_run_in_their_own_domain() -> None:
    at = np.array([5.0])
    assert curve_values(curve([(0, 0), (10, -12)]), at)[0, 0] == -6
    gain = curve_values(curve([(0, 0), (10, -12)], domain="gain"), at)[0, 0]
    assert gain == pytest.approx(20 * math.log10((1 + 10 ** (-12 / 20)) / 2))


def test_sound_sums_level_and_fades_and_leaves_out_what_is_off() -> None:
    sound = Sound(channels=(1, 2), level=constant(-6), fade_in=Fade(10), muted=(2,))
    item = Item("a", "VO", 0, 100, MediaUse("m"), 1, sound=sound)
    found = document(Track("audio", (item,)))
    (heard,) = state_at(Evaluator(found), found.sequences[0], 5)["sound"]
    assert (heard["channel"], heard["pan"], heard["source_sample"]) == (1, -1.0, 48000 + 5 * 1920)
    assert heard["gain_db"] == pytest.approx(-6 + 20 * math.log10(0.5), abs=1e-5)
    assert state_at(Evaluator(found), found.sequences[0], 0)["sound"][0]["gain_db"] == "-inf"


def test_sound_between_frames_begins_at_the_next_frame_with_the_right_sample() -> None:
    item = Item("a", "VO", Fraction(21, 2), 20, MediaUse("m"), Fraction(1, 50), sound=Sound(channels=(1,)))
    found = document(Track("audio", (item,)))
    evaluator = Evaluator(found)
    assert state_at(evaluator, found.sequences[0], 10)["sound"] == []
    (heard,) = state_at(evaluator, found.sequences[0], 11)["sound"]
    assert heard["source_sample"] == 960 + 960


def test_disabled_things_are_neither_seen_nor_heard() -> None:
    off = Track("video", (clip(0, 50, 0),), enabled=False)
    found = document(Track("video", (clip(0, 50, 0, enabled=False),)), off)
    assert state_at(Evaluator(found), found.sequences[0], 5)["picture"] == []


def test_adjustment_items_filter_what_lies_below_within_their_reach() -> None:
    adjust = Item("adj", "Wash", 20, 10, Adjustment(), effects=(Effect("Tint"),))
    found = document(Track("video", (clip(0, 50, 0),)), Track("video", (adjust,)))
    seen = [
        state_at(Evaluator(found), found.sequences[0], frame)["picture"][0]["effects"]
        for frame in (19, 20, 29, 30)
    ]
    assert seen == [[], ["Tint"], ["Tint"], []]


def test_one_frame_of_a_range_is_the_state_of_that_frame(kiln_night: Document) -> None:
    sequence = kiln_night.top_level[0]
    evaluator = Evaluator(kiln_night)
    whole = evaluator.range(sequence)
    for frame in range(0, sequence.duration, 397):
        expected = {
            (span.key, int(np.broadcast_to(span.source_frame, (span.stop - span.start,))[frame - span.start]))
            for span in whole.picture
            if span.start <= frame < span.stop and span.source_frame is not None
        }
        single = {
            (span.key, int(span.source_frame[0]))
            for span in evaluator.at(sequence, frame).picture
            if span.source_frame is not None
        }
        assert single == expected
