"""What AAF and OMF want between two ends: control points, what a clip takes of its medium, sizes; by hand."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction as F
from typing import Any

import pytest

from settling.bench import PAL, at_work, clip, context
from wexodos.formats.mobs.settle_ranges import (
    from_the_first_frame,
    keys_inside,
    media_reach,
    sizes_told,
)
from wexodos.model import (
    NORMAL,
    Constant,
    Curve,
    Ease,
    Item,
    Key,
    Media,
    MediaUse,
    Motion,
    Sound,
    SpeedPoint,
    Transition,
    Variable,
)
from wexodos.settling.context import Context
from wexodos.settling.vocabulary import Cause


def moving(*keys: tuple[int, float], ease: Ease = Ease.LINEAR) -> Motion:
    return Motion("fit", opacity=Curve((1.0,), tuple(Key(time, (value,), ease) for time, value in keys)))


def told(curve: Curve) -> list[tuple[object, float]]:
    return [(key.time, round(key.value[0], 6)) for key in curve.keys]


@pytest.mark.parametrize(
    ("keys", "left"),
    [
        # From 0 at -10 to 1 at 30 over a clip of 20: a quarter at its start, three quarters at its end.
        (((-10, 0.0), (30, 1.0)), [(0, 0.25), (20, 0.75)]),
        (((-10, 0.0), (10, 1.0), (30, 0.0)), [(0, 0.5), (10, 1.0), (20, 0.5)]),
        (((0, 0.2), (20, 0.4)), [(0, 0.2), (20, 0.4)]),
        (((0, 0.2), (21, 0.41)), [(0, 0.2), (20, 0.4)]),
        (((-9, 0.1), (-1, 0.3), (0, 0.5), (5, 0.6)), [(0, 0.5), (5, 0.6)]),
    ],
)
def test_keys_end_with_their_clip_and_the_value_there_stays(
    keys: tuple[tuple[int, float], ...], left: list[tuple[object, float]]
) -> None:
    work, lane = at_work(clip("a", 40, 20, motion=moving(*keys)))
    at = context("finishing-aaf")
    keys_inside(at, work)
    motion = lane.items[0].motion
    assert motion is not None and told(motion.opacity) == left
    assert [reason.cause for reason in at.reasons] == ([Cause.KEYS_OUTSIDE] if left != list(keys) else [])


def test_where_nothing_moves_inside_the_nearest_key_counts_and_held_values_hold() -> None:
    for keys, value in ((((-9, 0.1), (-1, 0.3)), 0.3), (((20.5, 0.4), (30, 0.8)), 0.4)):
        work, lane = at_work(clip("a", 40, 20, motion=moving(*keys)))  # type: ignore[arg-type]
        keys_inside(context("finishing-aaf"), work)
        motion = lane.items[0].motion
        assert motion is not None and not motion.opacity.keys and motion.opacity.still == (value,)
    work, lane = at_work(clip("a", 40, 20, motion=moving((-4, 0.1), (8, 0.3), (30, 0.9), ease=Ease.HOLD)))
    keys_inside(context("finishing-aaf"), work)
    motion = lane.items[0].motion
    assert motion is not None and told(motion.opacity) == [(0, 0.1), (8, 0.3)]
    assert {key.ease for key in motion.opacity.keys} == {Ease.HOLD}


def test_a_transition_lends_its_length_to_keys_and_to_the_map_of_a_speed() -> None:
    ramp = Variable((SpeedPoint(-50, 0), SpeedPoint(100, 6)))
    first = clip("a", 0, 20, motion=moving((-10, 0.0), (30, 1.0)), speed=ramp)
    work, lane = at_work(
        first, clip("b", 20, 30), joins=(Transition("t", "Dissolve", "dissolve", 15, 10, 20),)
    )
    keys_inside(context("finishing-aaf"), work)
    new = lane.items[0]
    # Five frames of the dissolve lie behind the cut: 35 of 40 frames have gone by then, and 75 of 150 of the map.
    assert new.motion is not None and told(new.motion.opacity) == [(0, 0.25), (25, 0.875)]
    assert (new.speed, new.source_in) == (NORMAL, 2)


@pytest.mark.parametrize(
    ("points", "speed", "source"),
    [
        # Over 20 frames of a second's 25: 4/5 s. The straight middle of a ramp is a speed like any other.
        (((-25, 0), (25, 4), (75, 5)), Constant(2), 2),
        (((-25, 9), (25, 5)), Constant(-2), 7),
        (((-10, 4), (10, 5), (60, 9)), ((0, F(9, 2)), (10, 5), (20, F(29, 5))), 0),
        (((0, 4), (10, 5), (20, 9)), ((0, 4), (10, 5), (20, 9)), 0),
    ],
)
def test_a_ramp_ends_with_its_clip(points: tuple[Any, ...], speed: Any, source: object) -> None:
    ramp = Variable(tuple(SpeedPoint(*point) for point in points))
    work, lane = at_work(clip("a", 40, 20, speed=ramp))
    keys_inside(context("finishing-aaf"), work)
    wanted = Variable(tuple(SpeedPoint(*point) for point in speed)) if isinstance(speed, tuple) else speed
    assert (lane.items[0].speed, lane.items[0].source_in) == (wanted, source)


def test_levels_and_pans_end_with_their_sound() -> None:
    level = Curve((0.0,), (Key(-10, (-20.0,)), Key(10, (0.0,))))
    pan = Curve((0.0,), (Key(0, (-1.0,)), Key(40, (1.0,))))
    work, lane = at_work(clip("a", 0, 20, sound=Sound((1,), level, pan)))
    lane.kind = "audio"
    keys_inside(context("mixing-omf"), work)
    sound = lane.items[0].sound
    assert sound is not None and sound.pan is not None
    assert told(sound.level) == [(0, -10.0), (10, 0.0)] and told(sound.pan) == [(0, -1.0), (20, 0.0)]


def held(media: Media, *items: Item) -> tuple[Context, Media]:
    work, _ = at_work(*items)
    at = context("finishing-aaf")
    at.document = replace(at.document, media=(media,))
    media_reach(at, work)
    return at, at.document.media[0]


def test_a_medium_is_as_long_as_it_is_used() -> None:
    shot = Media("m", "A.mov", duration=100, rate=PAL, video=True)
    # 60 frames from frame 40 are all there are; from frame 41 one is missing.
    at, same = held(shot, clip("a", 0, 60, 40))
    assert same is shot and not at.reasons
    at, more = held(shot, clip("a", 0, 60, 40), clip("b", 60, 60, 41))
    assert more.duration == 101
    (reason,) = at.reasons
    assert (reason.cause, reason.item_id, reason.before, reason.after) == (
        Cause.PAST_THE_MEDIUM,
        "b",
        "100 frames",
        "101 frames",
    )
    # Backwards from frame 130 down to 70: the beginning is what reaches furthest.
    at, more = held(
        shot, clip("a", 0, 60, 130, speed=Variable((SpeedPoint(0, F(26, 5)), SpeedPoint(60, F(14, 5)))))
    )
    assert more.duration == 130
    at, unsaid = held(replace(shot, duration=None), clip("a", 0, 60, 400))
    assert unsaid.duration is None and not at.reasons


def test_a_still_is_ten_minutes_long_or_as_long_as_it_stands() -> None:
    chart = Media("m", "chart.png", duration=1, rate=PAL, video=True, still=True)
    at, new = held(chart, clip("a", 0, 76))
    assert new.duration == 15_000 and not at.reasons
    _, new = held(chart, clip("a", 0, 20_000))
    assert new.duration == 20_000
    _, new = held(chart, clip("a", 0, 1))
    assert new.duration == 1


def test_a_size_that_is_not_known_is_that_of_the_sequence_and_said_once() -> None:
    work, _ = at_work(clip("a", 0, 20), clip("b", 20, 20))
    work.sequence = replace(work.sequence, width=1280, height=720)
    at = context("finishing-aaf")
    sizes_told(at, work)
    (media,) = at.document.media
    assert (media.width, media.height) == (1280, 720)
    assert [(reason.cause, reason.item_id, reason.after) for reason in at.reasons] == [
        (Cause.SIZE_ASSUMED, "a", "1280 × 720")
    ]
    known = Media("m", "A.mov", width=640, height=480)
    at.document = replace(at.document, media=(known,))
    sizes_told(at, work)
    assert at.document.media == (known,)
    assert isinstance(work.lanes[0].items[0].content, MediaUse)


@pytest.mark.parametrize(
    ("item", "source", "told"),
    [
        # Three frames before the first: it begins with the first.
        (clip("a", 0, 20, -3), 0, ("-3 frames", (3.0, "fr"))),
        # Backwards from frame 15 over 20 frames: the last five are not there.
        (clip("a", 0, 20, 15, speed=Constant(-1)), F(20, 25), ("-5 frames", (5.0, "fr"))),
        (clip("a", 0, 20, 0), 0, None),
        (clip("a", 0, 20, 20, speed=Constant(-1)), F(20, 25), None),
    ],
)
def test_no_clip_begins_before_its_medium(item: Item, source: object, told: object) -> None:
    work, lane = at_work(item)
    at = context("finishing-aaf")
    at.document = replace(at.document, media=(Media("m", "A.mov", duration=100, rate=PAL, video=True),))
    from_the_first_frame(at, work)
    assert lane.items[0].source_in == source
    assert [(one.before, one.deviation) for one in at.reasons] == ([] if told is None else [told])


def test_a_ramp_that_dips_below_the_first_frame_is_lifted_as_a_whole() -> None:
    ramp = Variable((SpeedPoint(0, 1), SpeedPoint(10, F(-1, 5)), SpeedPoint(20, 1)))
    work, lane = at_work(clip("a", 0, 20, speed=ramp))
    at = context("finishing-aaf")
    at.document = replace(at.document, media=(Media("m", "A.mov", duration=100, rate=PAL, video=True),))
    from_the_first_frame(at, work)
    lifted = (SpeedPoint(0, F(6, 5)), SpeedPoint(10, 0), SpeedPoint(20, F(6, 5)))
    assert lane.items[0].speed == Variable(lifted)
