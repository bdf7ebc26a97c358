"""What is around a clip in a tree of mobs, and channels that belong together: by hand."""

from __future__ import annotations

import math
from dataclasses import replace
from fractions import Fraction as F
from math import inf
from typing import Any

import pytest

from wexodos.formats.mobs import tree
from wexodos.formats.mobs.operations import crossfade, curve_of
from wexodos.formats.mobs.pairs import Mono, merged
from wexodos.formats.mobs.reading import document_of
from wexodos.formats.mobs.reading_speeds import speed_of, told_by_few
from wexodos.formats.mobs.rows import clips_in, elements, length_of
from wexodos.formats.mobs.tree import (
    Filler,
    NestedScope,
    Operation,
    Point,
    ScopeReference,
    Selector,
    SourceClip,
    Varying,
)
from wexodos.formats.mobs.unwrapping import (
    core,
    gain_curve,
    joined_levels,
    level_curve,
    main_input,
    pan_curve,
    unknown_effect,
)
from wexodos.model import Constant, Curve, Fade, Item, Key, MediaUse, Sound, Transition, Variable, constant
from wexodos.timing import Rate

PAL = Rate(25)
CLIP = SourceClip("sound", 50, "master", 1, 100)


def operation(op: str, *inputs: tree.Segment, length: Any = 50, **parameters: Any) -> Operation:
    settings = {key.replace("_", "-"): value for key, value in parameters.items()}
    return Operation(inputs[0].kind if inputs else "sound", length, op, list(inputs), settings)


def varying(
    *points: tuple[Any, float], unit: str = "share", law: str = "linear", last: bool = False
) -> Varying:
    return Varying([Point(time, value) for time, value in points], unit, law, last)


# ---- rows


def test_a_row_has_its_parts_with_the_transitions_at_their_edges() -> None:
    join = tree.Transition("picture", 10, 4, operation("dissolve", length=10))
    row = tree.Sequence(
        "picture", 0, [replace(CLIP, length=60), join, replace(CLIP, length=40), Filler("picture", 20)]
    )
    a, b, c = elements(row)
    assert [(one.start, one.end) for one in (a, b, c)] == [(0, 60), (50, 90), (90, 110)]
    assert a.after == (50, join) == b.before and a.before is None and b.after is None
    assert [one.nothing for one in (a, b, c)] == [False, False, True]
    assert length_of(row) == 110
    # One that stands at the beginning or has no length joins nothing.
    for odd in (
        tree.Sequence("picture", 0, [join, CLIP]),
        tree.Sequence("picture", 0, [CLIP, replace(join, length=0), CLIP]),
    ):
        assert all(one.before is None and one.after is None for one in elements(odd))


def test_a_stack_is_as_long_as_its_longest_row() -> None:
    rows = [
        tree.Sequence("picture", 7, [replace(CLIP, length=30)]),
        tree.Sequence("picture", 7, [replace(CLIP, length=40)]),
    ]
    assert length_of(NestedScope("picture", 7, rows)) == 40
    assert (
        length_of(operation("blur", rows[1], length=7)) == 40
        and length_of(operation("blur", CLIP, length=7)) == 7
    )
    assert [
        one.start for one in clips_in(operation("x", replace(CLIP, start=1), replace(CLIP, start=2)))
    ] == [1, 2]


# ---- around a clip


def test_a_switch_that_is_off_plays_its_other_choice_and_one_without_a_flag_has_angles() -> None:
    off = Selector("sound", 50, Filler("sound", 50), [CLIP], attributes={"_DISABLE_CLIP_FLAG": 1})
    found = core(off, 50, (1920, 1080))
    assert (found.enabled, found.segment, found.alternates) == (False, CLIP, [])
    other = replace(CLIP, mob="other")
    angles = core(Selector("sound", 50, CLIP, [other]), 50, (1920, 1080))
    assert (angles.enabled, angles.segment, angles.alternates) == (True, CLIP, [other])
    flagged = core(
        Selector("sound", 50, CLIP, [other], attributes={"_DISABLE_CLIP_FLAG": 0}), 50, (1920, 1080)
    )
    assert flagged.enabled and flagged.segment is CLIP


def test_levels_pans_speeds_and_unknown_effects_are_taken_off_one_by_one() -> None:
    inner = operation("gain", CLIP, amplitude=F(1, 2))
    speed = operation("speed", inner, speed_ratio=F(1, 2))
    odd = operation("wobble", speed, amount=3)
    outer = operation("pan", operation("gain", odd, amplitude=F(1, 2)), pan=F(3, 4))
    found = core(outer, 50, (1920, 1080))
    assert found.segment is CLIP and found.speed is speed
    assert found.level is not None and found.level.value[0] == pytest.approx(-12.0412, abs=1e-4)
    assert found.pan is not None and found.pan.value == (0.5,)
    assert [(one.name, one.parameters[0].name, one.parameters[0].value) for one in found.unknown] == [
        ("wobble", "amount", "3")
    ]


def test_an_effect_on_what_lies_below_is_said_to_be_one() -> None:
    below = core(operation("wobble", ScopeReference("picture", 50)), 50, (1920, 1080))
    assert below.segment is None and below.below
    assert not core(operation("wobble", Filler("picture", 50)), 50, (1920, 1080)).below
    assert not core(ScopeReference("picture", 50), 50, (1920, 1080)).below


def test_which_input_an_effect_acts_on() -> None:
    other = replace(CLIP, mob="other")
    assert main_input(operation("x", ScopeReference("sound", 50), CLIP)) is CLIP
    assert main_input(operation("x", Filler("sound", 50))) == Filler("sound", 50)
    assert main_input(operation("x")) is None
    assert main_input(replace(operation("x", CLIP, other), bypass=2)) is other
    assert main_input(replace(operation("x", CLIP, other), bypass=3)) is CLIP
    assert main_input(replace(operation("x", CLIP, Filler("sound", 50)), bypass=2)) is CLIP


def test_an_unknown_effect_goes_by_its_readablest_name() -> None:
    plain = operation("0a1b", CLIP, level=varying((0, 0.0), (1, 1.0)), data=b"\0")
    assert (
        unknown_effect(plain).name,
        [(one.name, one.value, one.keys) for one in unknown_effect(plain).parameters],
    ) == ("0a1b", [("level", "", 2)])
    assert unknown_effect(replace(plain, name="Wobble")).name == "Wobble"
    assert unknown_effect(operation("0a1b", CLIP, effect_id="EFF_WOBBLE")).name == "EFF_WOBBLE"
    named = replace(plain, attributes={"_EFFECT_PLUGIN_NAME": "Big wobble"})
    assert unknown_effect(named).name == "Big wobble"


# ---- levels


def test_gains_are_levels_between_which_the_gain_goes_straight() -> None:
    assert level_curve(F(1, 2), 50).value[0] == pytest.approx(-6.0206, abs=1e-4)
    assert level_curve(0.0, 50).value[0] == -inf
    moving = level_curve(varying((0, 1.0), (F(1, 2), 0.5), (1, 0.0)), 50)
    assert moving.domain == "gain"
    assert [(key.time, round(key.value[0], 4)) for key in moving.keys] == [
        (0, 0.0),
        (25, -6.0206),
        (50, -inf),
    ]
    still = level_curve(varying((0, 0.5)), 50)
    assert not still.animated and still.still[0] == pytest.approx(-6.0206, abs=1e-4)


def test_levels_that_act_one_after_the_other_add_up() -> None:
    line = Curve((0.0,), (Key(0, (0.0,)), Key(10, (-20.0,))), "gain")
    assert joined_levels(None, line) is line
    for one, other in ((constant(-3.0), line), (line, constant(-3.0))):
        assert [key.value[0] for key in joined_levels(one, other).keys] == [-3.0, -23.0]
    assert joined_levels(constant(-3.0), constant(-4.0)).value == (-7.0,)
    rising = Curve((0.0,), (Key(5, (-20.0,)), Key(15, (0.0,))), "gain")
    both = joined_levels(line, rising)
    # Halfway a gain from 1 to 0.1 is 0.55: -5.19 dB.
    assert [(key.time, round(key.value[0], 2)) for key in both.keys] == [
        (0, -20.0),
        (5, -25.19),
        (10, -25.19),
        (15, -20.0),
    ]
    twice = gain_curve(operation("gain", CLIP, amplitude=F(1, 2), volume=F(1, 10)), 50)
    assert twice.value[0] == pytest.approx(-26.0206, abs=1e-4)
    assert gain_curve(operation("gain", CLIP), 50) == Curve((0.0,))


def test_pans_go_from_nought_to_one() -> None:
    assert pan_curve(operation("pan", CLIP, pan=F(1, 4)), 50) == constant(-0.5)
    assert pan_curve(operation("pan", CLIP), 50) is None
    moving = pan_curve(operation("pan", CLIP, pan=varying((0, 0.0), (1, 1.0))), 50)
    assert moving is not None and [(key.time, key.value[0]) for key in moving.keys] == [(0, -1.0), (50, 1.0)]


# ---- speeds


def warp(taken: int, **parameters: Any) -> Operation:
    return operation("speed", replace(CLIP, length=taken), **parameters)


@pytest.mark.parametrize(
    ("made", "speed", "first"),
    [
        (warp(100, speed_ratio=F(1, 2)), Constant(2), 4),
        # Backwards it begins behind what is taken: 100 + 100 frames.
        (warp(100, speed_ratio=F(-1, 2)), Constant(-2), 8),
        (warp(1, speed_ratio=50), Constant(0), 4),
        # The ratio of what is used: 99 frames in 50 are the 50th frame at double speed.
        (warp(99, speed_ratio=F(50, 99)), Constant(2), 4),
        (warp(25, speed_ratio=2), Constant(F(1, 2)), 4),
        # A ratio that was rounded to a billionth.
        (warp(150, speed_ratio=F(333_333_333, 1_000_000_000)), Constant(3), 4),
        (warp(75), Constant(F(3, 2)), 4),
        # A ratio of nothing says nothing.
        (warp(75, speed_ratio=0), Constant(F(3, 2)), 4),
        (warp(100, speed_map=varying((0, 2.0), (1, 2.0))), Constant(2), 4),
        (warp(100, speed_map=varying((0, 0.0))), Constant(0), 4),
    ],
)
def test_the_speed_of_a_warp_and_where_it_begins(made: Operation, speed: Constant, first: int) -> None:
    assert speed_of(made, 100, PAL, PAL) == (speed, first)


def test_a_drawn_map_is_straight_pieces_in_frames_of_the_cut() -> None:
    drawn = warp(
        100, offset_map=varying((0, 0.0), (25, 50.0), (50, 60.0), unit="frames"), speed_ratio=F(1, 2)
    )
    speed, first = speed_of(drawn, 100, PAL, PAL)
    assert first == 4 and isinstance(speed, Variable)
    assert [(point.time, point.source) for point in speed.points] == [(0, 4), (25, 6), (50, F(32, 5))]
    straight = warp(100, offset_map=varying((0, 0.0), (25, 50.0), (50, 100.0), unit="frames"))
    assert speed_of(straight, 100, PAL, PAL) == (Constant(2), 4)
    shares = warp(100, offset_map=varying((0, 0.0), (1, 100.0)))
    assert speed_of(shares, 100, PAL, PAL) == (Constant(2), 4)
    # Where 1 is the last frame, the way of 98 frames is gone in 49.
    last = warp(99, offset_map=varying((0, 0.0), (1, 98.0), last=True))
    assert speed_of(last, 100, PAL, PAL) == (Constant(2), 4)
    # Backwards the frame at the offset is the one that ends there.
    back = warp(50, offset_map=varying((0, 49.0), (50, -1.0), unit="frames"))
    assert speed_of(back, 100, PAL, PAL) == (Constant(-1), 6)
    held = warp(1, offset_map=varying((0, 3.0), (50, 3.0), unit="frames"))
    assert speed_of(held, 100, PAL, PAL) == (Constant(0), F(103, 25))


@pytest.mark.parametrize(
    ("taken", "points", "unit", "speed"),
    [
        # Drawn for 800 frames and trimmed to 50 since: 792 frames would be gone over where 49 are taken. These are
        # the first and 48 more, in the 49 steps between 50 frames.
        (49, [(0, 0.0), (1, 792.0)], "share", Constant(F(48, 49))),
        (49, [(0, 0.0), (1, 792.0)], "frames", Constant(F(48, 49))),
        # Said to be frames, but the last is at one: shares, of the end or of the last frame.
        (100, [(0, 0.0), (1, 100.0)], "frames", Constant(2)),
        # Said to be shares, but counted in frames.
        (100, [(0, 0.0), (50, 100.0)], "share", Constant(2)),
    ],
)
def test_times_of_a_map_are_read_in_the_way_that_uses_what_is_taken(
    taken: int, points: list[tuple[int, float]], unit: str, speed: Constant
) -> None:
    made = warp(taken, offset_map=varying(*points, unit=unit), speed_ratio=F(50, taken))
    assert speed_of(made, 100, PAL, PAL) == (speed, 4)


def test_a_speed_that_changes_is_summed_up() -> None:
    steps = warp(75, speed_map=varying((0, 1.0), (25, 2.0), (50, 2.0), unit="frames", law="constant"))
    speed, first = speed_of(steps, 100, PAL, PAL)
    assert first == 4 and isinstance(speed, Variable)
    assert [(point.time, point.source) for point in speed.points] == [(0, 4), (25, 5), (50, 7)]
    rising = warp(75, speed_map=varying((0, 0.0), (50, 2.0), unit="frames"))
    speed, _ = speed_of(rising, 100, PAL, PAL)
    assert isinstance(speed, Variable)
    # Speed t/25 frames a frame: t²/50 frames after t.
    for point in speed.points:
        assert float(point.source) * 25 - 100 == pytest.approx(float(point.time) ** 2 / 50, abs=0.01)


# ---- channels that belong together


def mono(
    name: str,
    channel: int,
    *,
    start: int = 0,
    level: float = 0.0,
    pan: float | None = None,
    on: bool = True,
    fade: int = 0,
    **more: Any,
) -> Mono:
    sound = Sound(
        (channel,), constant(level), constant(pan) if pan is not None else None, Fade(fade) if fade else None
    )
    item = Item(f"{name}{channel}", "take", start, 50, MediaUse("boom"), 4, sound=sound, enabled=on)
    return Mono(name, [item], more.get("joins", []), more.get("switch", True))


def wide(*tracks: Mono) -> list[tuple[int, ...]]:
    return [one.items[0].sound.channels for one in merged(list(tracks)) if one.items[0].sound is not None]


def test_neighbours_of_one_name_with_the_same_clips_are_one_track() -> None:
    assert wide(mono("A", 1), mono("A", 2)) == [(1, 2)]
    assert wide(mono("A", 1), mono("A", 2), mono("A", 3)) == [(1, 2, 3)]
    apart = [
        (mono("A", 1), mono("B", 2)),
        (mono("A", 2), mono("A", 1)),
        (mono("A", 1), mono("A", 1)),
        (mono("A", 1), mono("A", 2, start=1)),
        (mono("A", 1), mono("A", 2, level=-1.0)),
        (mono("A", 1), mono("A", 2, fade=5)),
        (mono("A", 1), mono("A", 2, switch=False)),
    ]
    assert [len(wide(*pair)) for pair in apart] == [2] * len(apart)
    # Beside a crossfade a fade says the same of a channel that has none.
    join = Transition("t", "X", "audio-linear", 0, 5, 0)
    assert wide(mono("A", 1, joins=[join]), mono("A", 2, fade=5)) == [(1, 2)]


@pytest.mark.parametrize(
    ("left", "right", "pair", "pan"),
    [
        (-1.0, 1.0, True, None),
        (-0.5, 1.0, True, 0.5),
        (-1.0, 0.5, True, -0.5),
        (0.2, 0.4, False, 0.2),
        (0.0, 0.0, False, None),
        (-1.0, -1.0, False, -1.0),
        (-1.0, None, False, -1.0),
    ],
)
def test_a_pair_is_panned_apart_and_moved_together(
    left: float, right: float | None, pair: bool, pan: float | None
) -> None:
    made = merged([mono("A", 1, pan=left), mono("A", 2, pan=right)])
    assert (len(made) == 1) is pair
    sound = made[0].items[0].sound
    assert sound is not None and (sound.pan.still[0] if sound.pan is not None else None) == pan


def test_of_a_pair_of_which_one_is_off_that_one_is_muted() -> None:
    (one,) = merged([mono("A", 1), mono("A", 2, on=False)])
    assert one.items[0].enabled and one.items[0].sound is not None and one.items[0].sound.muted == (2,)
    (one,) = merged([mono("A", 1, on=False), mono("A", 2)])
    assert one.items[0].enabled and one.items[0].sound is not None and one.items[0].sound.muted == (1,)
    (one,) = merged([mono("A", 1, on=False), mono("A", 2, on=False)])
    assert not one.items[0].enabled and one.items[0].sound is not None and one.items[0].sound.muted == ()


def test_settings_with_keys_at_other_times_are_drawn_on_between_their_own() -> None:
    across = varying((0, 0.0), (1, 8.0))
    down = varying((0, 0.0), (F(1, 4), 10.0), (F(1, 2), 10.0))
    drawn = curve_of([across, down], 40)
    # After its last key a line stands; before its first too.
    assert [(key.time, key.value) for key in drawn.keys] == [
        (0, (0.0, 0.0)),
        (10, (2.0, 10.0)),
        (20, (4.0, 10.0)),
        (40, (8.0, 10.0)),
    ]
    late = curve_of([varying((F(1, 2), 3.0), (1, 5.0)), across], 40)
    assert [(key.time, key.value) for key in late.keys] == [
        (0, (3.0, 0.0)),
        (20, (3.0, 4.0)),
        (40, (5.0, 8.0)),
    ]
    stepped = curve_of([varying((0, 1.0), (1, 5.0), law="constant"), across], 40)
    assert [key.value for key in stepped.keys] == [(1.0, 0.0), (5.0, 8.0)]


def test_an_effect_that_says_nothing_of_it_passes_its_first_input_on() -> None:
    behind = replace(CLIP, mob="behind")
    made = Operation("other", 50, "unknown", [CLIP, behind])
    assert made.bypass == 1 and main_input(made) is CLIP


@pytest.mark.parametrize(("length", "fast", "most"), [(50, 2, 10), (280, 2, 26), (280, 8, 58)])
def test_a_ramp_sampled_twice_a_frame_is_told_by_few_points_and_shows_the_same_frames(
    length: int, fast: int, most: int
) -> None:
    # From once to ``fast`` times the speed, the change eased: the source is the integral of
    # 1 + (fast - 1)(3u² - 2u³), u running from 0 to 1.
    def source(time: F) -> F:
        u = time / length
        return time + (fast - 1) * length * (u**3 - u**4 / 2)

    samples = [(F(n, 2) if n % 2 else n // 2, source(F(n, 2))) for n in range(2 * length + 1)]
    points = told_by_few(samples)
    assert 2 < len(points) <= most and points[0] == samples[0] and points[-1] == samples[-1]
    assert set(points) <= set(samples)
    pairs = list(zip(points, points[1:]))
    for time, at in samples:
        (a, x), (b, y) = next(pair for pair in pairs if time <= pair[1][0])
        told = x + (y - x) * F(time - a) / F(b - a)
        assert abs(told - at) <= F(1, 10)
        if isinstance(time, int):
            assert math.floor(told) == math.floor(at)
    drawn = varying(*((time, float(at)) for time, at in samples), unit="frames")
    taken = math.ceil(samples[-1][1])
    clip = SourceClip("picture", taken, "master", 1, 100)
    speed, _ = speed_of(operation("speed", clip, length=length, offset_map=drawn), 100, PAL, PAL)
    assert isinstance(speed, Variable) and len(speed.points) == len(points)


def test_a_map_that_was_drawn_keeps_its_points() -> None:
    # Nine corners that a tenth of a frame would let pass, far apart: nobody sampled them.
    corners = [(20 * n, 20 * n + F(n % 2, 20)) for n in range(19)]
    drawn = varying(*((time, float(at)) for time, at in corners), unit="frames")
    clip = SourceClip("picture", 360, "master", 1, 100)
    speed, _ = speed_of(operation("speed", clip, length=360, offset_map=drawn), 100, PAL, PAL)
    assert isinstance(speed, Variable) and len(speed.points) == 19


def test_a_crossfade_off_the_frame_grid_keeps_its_samples_and_the_fades_beside_it() -> None:
    fine = Rate(48000)

    def told(*parts: tree.Segment) -> tuple[list[Any], list[Any]]:
        row = tree.Sequence("sound", 0, list(parts))
        row.length = sum(-one.length if isinstance(one, tree.Transition) else one.length for one in parts)
        master = tree.Mob("master", "master", "boom")
        master.slots.append(tree.Slot(1, fine, SourceClip("sound", 480_000, tree.NO_MOB, 0, 0), "A1", 1))
        code = tree.TimecodeSegment("timecode", 200, 90_000, 25, False)
        cut = tree.Mob("cut", "composition", "Kiln Night", "top")
        cut.slots += [tree.Slot(1, PAL, code, "TC1", 1), tree.Slot(2, fine, row, "A1", 1)]
        found = document_of(tree.File({"master": master, "cut": cut}, ["cut"]), "omf")
        (track,) = found.top_level[0].audio_tracks
        sounds = [(one.start, one.sound.fade_in, one.sound.fade_out) for one in track.items if one.sound]
        return sounds, [(one.start, one.duration, one.cut) for one in track.transitions]

    def clip(**fades: Any) -> SourceClip:
        return SourceClip("sound", 100_000, "master", 1, 9000, **fades)

    def join(length: int, cut: int) -> tree.Transition:
        return tree.Transition("sound", length, cut, crossfade("sound", length, "linear"))

    # 4,801 samples, cut after 2,000: 97,199 samples are 50 frames and 1,199 samples.
    length, cut = F(4801, 1920), F(97_199, 1920)
    as_clips = told(clip(fade_in=(960, "linear")), join(4801, 2000), clip(fade_out=(480, "linear")))
    assert as_clips == (
        [(0, Fade(F(1, 2)), None), (cut, None, Fade(F(1, 4)))],
        [(F(95_199, 1920), length, cut)],
    )
    silence = [tree.Filler("sound", 2880), tree.Filler("sound", 2400)]
    as_joins = told(silence[0], join(960, 0), clip(), join(4801, 2000), clip(), join(480, 480), silence[1])
    assert as_joins == (
        [(1, Fade(F(1, 2)), None), (cut + 1, None, Fade(F(1, 4)))],
        [(F(97_119, 1920), length, cut + 1)],
    )
