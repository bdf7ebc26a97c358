"""Where pictures stand, what nests, parts, layers and prints make of them: numbers worked out by hand."""

from __future__ import annotations

import math
from dataclasses import replace
from fractions import Fraction as F

import numpy as np
import pytest

from wexodos.evaluate import Evaluator, Raster, placed, state_at
from wexodos.evaluate.following import AROUND, followed, frames_of, largest, spread
from wexodos.evaluate.geometry import fit_factor, nest
from wexodos.evaluate.hearing import law
from wexodos.evaluate.layers import layers_at
from wexodos.evaluate.prints import prints
from wexodos.evaluate.trimming import trimmed
from wexodos.model import (
    Adjustment,
    Angle,
    Angles,
    Constant,
    Curve,
    Document,
    Ease,
    Effect,
    Fade,
    Generator,
    Item,
    Key,
    Marker,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    Sound,
    SpeedPoint,
    TextRun,
    Title,
    Track,
    Transition,
    Variable,
    constant,
    curve,
)
from wexodos.timing import Rate

PAL = Rate(25)
WIDE = Media(
    "m", "A003C012.mov", rate=PAL, start=900_000, duration=800, width=1920, height=1080, sample_rate=48000
)
BOOM = Media("boom", "boom.wav", duration=800, rate=PAL, sample_rate=48000, channels=2)


def document(*tracks: Track, nested: tuple[Sequence, ...] = (), **more: object) -> Document:
    main = Sequence("s", "Cut", PAL, width=1920, height=1080, tracks=tracks, **more)  # type: ignore[arg-type]
    return Document("xmeml", "5", (main, *nested), (WIDE, BOOM))


def clip(name: str, start: object, length: object, source: object = 0, **more: object) -> Item:
    return Item(name, name, start, length, MediaUse("m"), F(source, 25), **more)  # type: ignore[arg-type]


def heard(name: str, start: object, length: object, source: object = 0, **more: object) -> Item:
    return Item(name, name, start, length, MediaUse("boom"), F(source, 25), sound=Sound((1,), **more))  # type: ignore[arg-type]


def array(*rows: tuple[float, ...]) -> np.ndarray:
    return np.array(rows, dtype=float)


# ---- places


@pytest.mark.parametrize(
    ("source", "frame", "factors"),
    [
        # 1920 over 640 is 3, 1080 over 480 is 2.25.
        (Raster(640, 480), Raster(1920, 1080), (2.25, 3.0, 1.0)),
        # 720 pixels of 16:15 are 768 wide: 1920 / 768 = 2.5, 1080 / 576 = 1.875.
        (Raster(720, 576, 16 / 15), Raster(1920, 1080), (1.875, 2.5, 1.0)),
        # The other way round: 768 / 1920 = 0.4, 576 / 1080 = 8/15.
        (Raster(1920, 1080), Raster(720, 576, 16 / 15), (0.4, 8 / 15, 1.0)),
    ],
)
def test_fit_and_fill_count_pixels_as_wide_as_they_are(
    source: Raster, frame: Raster, factors: tuple[float, float, float]
) -> None:
    assert [fit_factor(fit, source, frame) for fit in ("fit", "fill", "none")] == pytest.approx(list(factors))


def test_a_quarter_turn_about_the_right_edge_in_wide_pixels() -> None:
    frame = Raster(720, 576, 16 / 15)  # 768 × 576 in square pixels
    center, size = placed(frame, frame, "none", array((0, 0)), array((1, 1)), array((90,)), array((0.5, 0)))
    # The arm from the middle to the right edge is 384 long and points down after the turn; the edge stays in
    # the middle of the frame, so the picture's middle goes up by 384: to 384 / (16/15) = 360 and 288 - 384.
    assert center[0] == pytest.approx([360.0, -96.0])
    assert size[0] == pytest.approx([720.0, 576.0])


def test_everything_at_once_in_pixels_twice_as_wide_as_high() -> None:
    center, size = placed(
        Raster(400, 200),
        Raster(1000, 500, 2.0),
        "none",
        array((10, 20)),
        array((0.5, 2)),
        array((30,)),
        array((0.25, -0.5)),
    )
    # Square pixels: size 200 × 400, arm (50, -200), turned by 30°: (50·cos + 200·sin, 50·sin - 200·cos).
    cos, sin = math.sqrt(3) / 2, 0.5
    x = 10 * 2 + 1000 - (50 * cos + 200 * sin)
    y = 20 + 250 - (50 * sin - 200 * cos)
    assert center[0] == pytest.approx([x / 2, y])
    assert size[0] == pytest.approx([100.0, 400.0])
    assert center[0] == pytest.approx([438.349365, 418.205081])


def test_a_nest_turns_stretches_and_moves_what_is_in_it() -> None:
    center, size = nest(
        array((750, 125)),
        array((200, 100)),
        Raster(1000, 500),
        array((600, 300)),
        array((500, 500)),
        array((90,)),
        2.0,
    )
    # Half as wide, as high as it was: the arm is (250·0.5·2, -125) in square pixels = (250, -125); turned a
    # quarter (125, 250); in the frame's pixels (62.5, 250).
    assert center[0] == pytest.approx([662.5, 550.0])
    assert size[0] == pytest.approx([100.0, 100.0])


def test_a_nest_in_a_cut_adds_turns_corners_opacity_and_effects() -> None:
    motion = Motion(rotation=constant(10), corners=constant(0.1, 0, 0, 0, 0, 0, 0, 0), opacity=constant(0.5))
    inner = Sequence(
        "n",
        "Fires",
        PAL,
        width=1920,
        height=1080,
        tracks=(Track("video", (clip("a", 0, 50, 100, motion=motion, effects=(Effect("Tint"),)),)),),
        top_level=False,
    )
    outer = Item(
        "n1",
        "Fires",
        10,
        30,
        NestedUse("n"),
        F(5, 25),
        motion=Motion(
            rotation=curve([(0, 20.0), (10, 40.0)]),
            corners=constant(0, 0.2, 0, 0, 0, 0, 0, 0),
            opacity=curve([(0, 0.0), (10, 1.0)]),
        ),
        effects=(Effect("Blur"), Effect("Off", enabled=False)),
    )
    found = document(Track("video"), Track("video", (outer,)), nested=(inner,))
    (layer,) = state_at(Evaluator(found), found.sequences[0], 15)["picture"]
    assert (layer["track"], layer["source_frame"], layer["via"]) == (2, 110, ["Fires"])
    assert layer["rotation"] == 10 + 30 and layer["opacity"] == 0.25
    assert layer["corners"] == [0.1, 0.2, 0, 0, 0, 0, 0, 0] and layer["effects"] == ["Tint", "Blur"]
    assert layer["source_timecode"] == "10:00:04:10"


def test_a_nest_backwards_shows_its_frames_backwards() -> None:
    inner = Sequence(
        "n", "Fires", PAL, tracks=(Track("video", (clip("a", 0, 20, 100), clip("b", 20, 20, 300))),)
    )
    outer = Item("n1", "Fires", 0, 30, NestedUse("n"), F(30, 25), Constant(-1))
    found = document(Track("video", (outer,)), nested=(inner,))
    seen = [state_at(Evaluator(found), found.sequences[0], frame)["picture"][0] for frame in (0, 9, 10, 29)]
    # The frame before the boundary at 30 is 29: nine into the second clip. Ten later comes the first's last.
    assert [one["source_frame"] for one in seen] == [309, 300, 119, 100]


# ---- sound


def test_pan_of_a_pair_and_of_one_channel() -> None:
    pair = Item("p", "Yard", 0, 10, MediaUse("boom"), sound=Sound((3, 1), pan=constant(0.25)))
    one = Item("o", "Boom", 0, 10, MediaUse("boom"), sound=Sound((2,), pan=constant(-0.5)))
    found = document(Track("audio", (pair,)), Track("audio", (one,)))
    channels = state_at(Evaluator(found), found.sequences[0], 5)["sound"]
    # The first channel of a pair sits left: -1 + 0.25; the second right, and no further: 1.
    assert [(one["channel"], one["pan"]) for one in channels] == [(3, -0.75), (1, 1.0), (2, -0.5)]
    left = document(Track("audio", (replace(pair, sound=replace(pair.sound, pan=constant(-0.25))),)))  # type: ignore[type-var]
    assert [one["pan"] for one in state_at(Evaluator(left), left.sequences[0], 5)["sound"]] == [-1.0, 0.75]


@pytest.mark.parametrize(("muted", "left"), [((1,), [2]), ((2,), [1]), ((1, 2), []), ((3,), [1, 2])])
def test_which_channel_is_muted(muted: tuple[int, ...], left: list[int]) -> None:
    item = Item("p", "Yard", 0, 10, MediaUse("boom"), sound=Sound((1, 2), muted=muted))
    found = document(Track("audio", (item,)))
    assert [one["channel"] for one in state_at(Evaluator(found), found.sequences[0], 5)["sound"]] == left


def test_a_nest_adds_its_level_mixes_and_leaves_out_silent_stems() -> None:
    said = Track("audio", (heard("said", 0, 50, level=constant(-3.0)),), name="Dialogue 1")
    fire = Track("audio", (heard("fire", 0, 50, roles=("effects.fire",)),), name="Dialogue 2")
    inner = Sequence("n", "Fires", PAL, tracks=(said, fire), top_level=False)

    def cut(*silent: str) -> Document:
        outer = Item(
            "n1",
            "Fires",
            0,
            40,
            NestedUse("n", silent),
            sound=Sound(level=curve([(0, 0.0), (10, -10.0)]), fade_out=Fade(10)),
        )
        join = Transition("t", "Cross fade", "audio-linear", 0, 8, 0)
        return document(Track("audio", (outer,), (join,)), nested=(inner,))

    def names(found: Document, frame: int = 20) -> list[str]:
        return [one["item"] for one in state_at(Evaluator(found), found.sequences[0], frame)["sound"]]

    first, _ = state_at(Evaluator(cut()), cut().sequences[0], 2)["sound"]
    assert (first["gain_db"], first["mix"], first["via"], first["transition"]) == (
        -5.0,
        0.25,
        ["Fires"],
        "audio-linear",
    )
    late, _ = state_at(Evaluator(cut()), cut().sequences[0], 35)["sound"]
    # Half the fade at the end: -3 - 10 + 20·log10(0.5).
    assert late["gain_db"] == pytest.approx(-19.0206, abs=1e-4)
    # A role counts with its main role; a track without roles by its name without its number.
    assert names(cut("effects")) == ["said"] and names(cut("EFFECTS.fire")) == ["said"]
    assert names(cut("Dialogue")) == ["fire"] and names(cut("Dialogue 2")) == ["said", "fire"]


def test_samples_are_counted_at_the_rate_of_the_medium() -> None:
    other = replace(BOOM, sample_rate=44_100)
    found = document(Track("audio", (heard("a", 10, 50, 30),)))
    found = replace(found, media=(WIDE, other))
    (one,) = state_at(Evaluator(found), found.sequences[0], 12)["sound"]
    assert one["source_sample"] == 32 * 1764
    back = document(Track("audio", (replace(heard("a", 0, 50, 30), speed=Constant(-1)),)))
    (one,) = state_at(Evaluator(back), back.sequences[0], 0)["sound"]
    assert one["source_sample"] == 30 * 1920 - 1
    half = document(Track("audio", (replace(heard("a", 0, 50, 30), speed=Constant(F(1, 2))),)))
    (one,) = state_at(Evaluator(half), half.sequences[0], 3)["sound"]
    assert one["source_sample"] == 30 * 1920 + 3 * 960


def test_a_retimed_medium_holds_its_ends_and_an_unretimed_one_is_told_as_it_is() -> None:
    fast = document(Track("video", (clip("a", 0, 60, 790, speed=Constant(2)),)))
    assert [
        state_at(Evaluator(fast), fast.sequences[0], frame)["picture"][0]["source_frame"]
        for frame in (0, 4, 5, 50)
    ] == [790, 798, 799, 799]
    plain = document(Track("video", (clip("a", 0, 60, 790),)))
    assert state_at(Evaluator(plain), plain.sequences[0], 50)["picture"][0]["source_frame"] == 840
    deep = document(Track("audio", (replace(heard("a", 0, 60, 790), speed=Constant(2)),)))
    assert state_at(Evaluator(deep), deep.sequences[0], 50)["sound"][0]["source_sample"] == 800 * 1920 - 1


def test_the_laws_of_crossfades() -> None:
    share = np.array([0.25, 1.0])
    assert law(share, "audio-linear") == pytest.approx([20 * math.log10(0.25), 0])
    assert law(share, "audio-equal-power") == pytest.approx([20 * math.log10(math.sin(math.pi / 8)), 0])


# ---- angles, stills, labels


def test_the_angle_seen_and_the_angle_heard_with_their_offsets() -> None:
    angles = Angles(
        (Angle("1", "Wide", media="m", offset=F(2)), Angle("2", "Close", media="boom", offset=F(-1))),
        "1",
        "2",
    )
    picture = Item("v", "Two", 0, 10, angles, F(4))
    sound = Item("a", "Two", 0, 10, angles, F(4), sound=Sound((1,)))
    found = document(Track("video", (picture,)), Track("audio", (sound,)))
    state = state_at(Evaluator(found), found.sequences[0], 5)
    assert [(one["angle"], one["source_frame"]) for one in state["picture"]] == [("Wide", 6 * 25 + 5)]
    assert [(one["angle"], one["source_sample"]) for one in state["sound"]] == [
        ("Close", 3 * 48_000 + 5 * 1920)
    ]


def test_stills_have_one_frame_and_no_timecode_generated_pictures_none() -> None:
    still = clip("s", 0, 10, 100, still=True)
    black = Item("b", "Black", 0, 10, Generator("black"))
    words = Item("w", "Words", 0, 10, Title((TextRun("Kiln"),)))
    found = document(Track("video", (still,)), Track("video", (black,)), Track("video", (words,)))
    layers = state_at(Evaluator(found), found.sequences[0], 7)["picture"]
    assert [(one["source_frame"], one.get("words")) for one in layers] == [
        (0, None),
        (None, None),
        (None, "Kiln"),
    ]


# ---- adjustment items


def test_an_adjustment_splits_the_layers_below_it_into_three_parts_and_each_keeps_its_values() -> None:
    moving = Motion(opacity=curve([(0, 0.0), (50, 1.0)]))
    adjust = Item("adj", "Wash", 20, 10, Adjustment(), effects=(Effect("Tint"), Effect("Off", enabled=False)))
    found = document(Track("video", (clip("a", 0, 50, 7, motion=moving),)), Track("video", (adjust,)))
    spans = Evaluator(found).range(found.sequences[0], 5, 45).picture
    assert [(one.start, one.stop, one.effects) for one in spans] == [
        (5, 20, ()),
        (20, 30, ("Tint",)),
        (30, 45, ()),
    ]
    for span in spans:
        assert span.opacity == pytest.approx(np.arange(span.start, span.stop) / 50)
        assert span.source_frame is not None
        assert span.source_frame.tolist() == list(range(span.start + 7, span.stop + 7))


# ---- the tree of layers


def test_layers_tell_both_sides_of_a_transition_and_the_layers_inside_a_nest() -> None:
    join = Transition("t", "Cross dissolve", "dissolve", 40, 20, 50)
    inner = Sequence(
        "n", "Fires", PAL, width=960, height=540, tracks=(Track("video", (clip("in", 0, 90, 5),)),)
    )
    outer = Item("n1", "Fires", 0, 100, NestedUse("n"), F(10, 25))
    found = document(
        Track("video", (clip("a", 0, 50, 100), clip("b", 50, 50, 300)), (join,)),
        Track("video", (outer,)),
        nested=(inner,),
    )
    a, b, tree = layers_at(Evaluator(found), found.sequences[0], 45)
    assert (a.item.id, a.source_frame, a.mix, a.incoming, a.elapsed, a.track) == (
        "a",
        145,
        0.75,
        False,
        45,
        1,
    )
    assert (b.item.id, b.source_frame, b.mix, b.incoming, b.elapsed) == ("b", 295, 0.25, True, -5)
    assert tree.track == 2 and tree.source_frame is None and tree.inside is not None
    assert [(one.item.id, one.source_frame, one.elapsed) for one in tree.inside] == [("in", 60, 55)]
    assert tree.source == Raster(960, 540) and tree.inside[0].frame == Raster(960, 540)
    assert [one.item.id for one in layers_at(Evaluator(found), found.sequences[0], 45, "b")] == ["b"]


# ---- a part of an item


def test_a_part_keeps_keys_markers_settings_and_source_where_they_were_seen() -> None:
    whole = clip(
        "a",
        100,
        60,
        200,
        motion=Motion(position=Curve((0.0, 0.0), (Key(0, (0.0, 0.0)), Key(60, (60.0, 30.0))))),
        effects=(Effect("Blur", "blur", settings=(("radius", curve([(5, 1.0), (30, 6.0)])),)),),
        markers=tuple(Marker(at, name=str(at)) for at in (9, 10, 29, 30)),
    )
    part = trimmed(whole, 110, 130, PAL)
    assert (part.start, part.duration, part.source_in) == (110, 20, F(210, 25))
    assert part.motion is not None
    assert [key.time for key in part.motion.position.keys] == [-10, 50]
    assert [key.time for key in part.effects[0].settings[0][1].keys] == [-5, 20]
    # A marker on the first frame stays, one on the frame after the last goes.
    assert [(one.name, one.start) for one in part.markers] == [("10", 0), ("29", 19)]
    assert trimmed(whole, 100, 160, PAL) == whole
    early = trimmed(whole, 100, 130, PAL)
    assert early.motion == whole.motion and [one.name for one in early.markers] == ["9", "10", "29"]


def test_a_part_of_what_is_retimed_begins_where_its_source_is_then() -> None:
    assert trimmed(clip("a", 0, 60, 100, speed=Constant(F(1, 2))), 10, 20, PAL).source_in == F(105, 25)
    assert trimmed(clip("a", 0, 60, 100, speed=Constant(-2)), 10, 20, PAL).source_in == F(80, 25)
    steep = Variable((SpeedPoint(0, 4), SpeedPoint(20, 5), SpeedPoint(60, 8)))
    part = trimmed(clip("a", 0, 60, speed=steep), 30, 50, PAL)
    assert part.source_in == 5 + F(10 * 3, 40)
    assert isinstance(part.speed, Variable)
    assert [(point.time, point.source) for point in part.speed.points] == [(-30, 4), (-10, 5), (30, 8)]
    # Stills and words have no place in a source that could move.
    assert trimmed(clip("a", 0, 60, 100, still=True), 10, 20, PAL).source_in == F(100, 25)
    words = Item("w", "w", 0, 60, Title((TextRun("Kiln"),)))
    assert trimmed(words, 10, 20, PAL).source_in == 0


def test_a_part_of_sound_moves_its_level_and_pan_and_keeps_a_fade_it_does_not_cut() -> None:
    sound = Sound(
        (1,),
        curve([(0, -10.0), (40, 0.0)]),
        pan=curve([(0, -1.0), (40, 1.0)]),
        fade_out=Fade(10, "equal-power"),
    )
    whole = Item("a", "Boom", 0, 60, MediaUse("boom"), sound=sound)
    part = trimmed(whole, 20, 60, PAL)
    assert part.sound is not None and part.sound.pan is not None
    assert [(key.time, key.value[0]) for key in part.sound.level.keys] == [(-20, -10.0), (20, 0.0)]
    assert [key.time for key in part.sound.pan.keys] == [-20, 20]
    assert part.sound.fade_out == Fade(10, "equal-power")


@pytest.mark.parametrize(("low", "high"), [(4, 50), (0, 45), (4, 45)])
def test_a_fade_that_is_cut_into_is_heard_as_before(low: int, high: int) -> None:
    sound = Sound((1,), constant(-6), fade_in=Fade(10), fade_out=Fade(10))
    part = trimmed(Item("a", "Boom", 0, 50, MediaUse("boom"), sound=sound), low, high, PAL, 0.05)
    assert part.sound is not None and part.sound.fade_in is None and part.sound.fade_out is None
    keys = [(float(key.time) + low, 10 ** (key.value[0] / 20)) for key in part.sound.level.keys]
    for at in np.arange(low, high, 0.25):
        wanted = 10 ** (-6 / 20) * min(at / 10, 1, (50 - at) / 10)
        found = np.interp(at, [time for time, _ in keys], [value for _, value in keys])
        assert found == pytest.approx(wanted, rel=0.006, abs=1e-4)


# ---- lines that follow curves


def test_frames_that_matter_go_from_the_first_key_to_the_last_and_no_further_than_handles_reach() -> None:
    def line(*times: object) -> Curve:
        return Curve((0.0,), tuple(Key(time, (0.0,)) for time in times))  # type: ignore[arg-type]

    assert frames_of(line(F(5, 2), F(15, 2)), 100).tolist() == [2, 3, 4, 5, 6, 7, 8]
    assert (frames_of(line(-5000, 5000), 100)[[0, -1]]).tolist() == [-AROUND, 100 + AROUND]
    assert frames_of(line(3, 3), 100).tolist() == [3]


def test_lines_follow_a_smooth_move_within_their_tolerance_and_a_straight_one_with_two_keys() -> None:
    smooth = curve([(0, 0.0), (20, 100.0)], Ease.SMOOTH)
    made = followed(smooth, 20.0, "plain", spread, 0.5)
    at = np.arange(0, 20.01, 1)
    drawn = np.interp(at, [float(key.time) for key in made.keys], [key.value[0] for key in made.keys])
    share = at / 20
    assert np.abs(drawn - 100 * (3 * share**2 - 2 * share**3)).max() <= 0.5
    assert 4 < len(made.keys) < 14 and {0, 20} <= {key.time for key in made.keys}
    straight = followed(curve([(0, 0.0), (20, 100.0)]), 20.0, "plain", spread, 0.5)
    assert [(key.time, key.value[0]) for key in straight.keys] == [(0, 0.0), (20, 100.0)]


def test_the_largest_distance_of_two_curves_at_any_whole_frame() -> None:
    smooth, straight = curve([(0, 0.0), (20, 100.0)], Ease.SMOOTH), curve([(0, 0.0), (20, 100.0)])
    # u - (3u² - 2u³) is largest where 6u² - 6u + 1 = 0: u = 0.2113; the nearest whole frame of 20 is the 4th.
    assert largest(smooth, straight, 20.0, spread) == pytest.approx(100 * (0.2 - (3 * 0.04 - 2 * 0.008)))
    two = spread(array((0, 0), (1, 5)), array((3, -4), (1, 7)))
    assert two.tolist() == [4, 2]


# ---- prints


def seen_otherwise(a: Document, b: Document, crops: bool = True) -> list[int]:
    one, other = (prints(Evaluator(each), each.sequences[0], 0, 30, crops).picture for each in (a, b))
    return [frame for frame in range(30) if not (one[:, frame] == other[:, frame]).any()]


@pytest.mark.parametrize(
    "change",
    [
        {"motion": Motion(position=constant(0.2, 0))},
        {"motion": Motion(scale=constant(1, 1.001))},
        {"motion": Motion(rotation=constant(0.05))},
        {"motion": Motion(crop=constant(0, 0, 0.01, 0))},
        {"motion": Motion(corners=constant(0, 0, 0, 0, 0, 0, 0, 0.01))},
        {"motion": Motion(opacity=constant(0.99))},
        {"blend": "screen"},
        {"effects": (Effect("Tint"),)},
        {"source_in": F(101, 25)},
        {"content": MediaUse("boom")},
    ],
    ids=lambda change: next(iter(change)),
)
def test_prints_tell_every_frame_that_looks_otherwise(change: dict[str, object]) -> None:
    plain = document(Track("video", (clip("a", 5, 20, 100, motion=Motion()),)))
    item = replace(plain.sequences[0].tracks[0].items[0], **change)
    other = document(Track("video", (item,)))
    assert seen_otherwise(plain, plain) == []
    assert seen_otherwise(plain, other) == list(range(5, 25))


def test_prints_say_nothing_of_names_tracks_and_what_is_not_seen() -> None:
    plain = document(Track("video", (clip("a", 5, 20, 100),)))
    named = clip("b", 5, 20, 100, label="red", note="hot")
    hidden = clip("c", 0, 30, 300, motion=Motion(opacity=constant(0)))
    other = document(Track("video", (hidden,)), Track("video"), Track("video", (named,)))
    assert seen_otherwise(plain, other) == []
    cropped = document(Track("video", (clip("a", 5, 20, 100, motion=Motion(crop=constant(0.5, 0, 0, 0))),)))
    assert seen_otherwise(plain, cropped, crops=False) == []
    swapped = (
        document(Track("video", (clip("a", 5, 20, 100),)), Track("video", (clip("b", 5, 20, 300),))),
        document(Track("video", (clip("a", 5, 20, 300),)), Track("video", (clip("b", 5, 20, 100),))),
    )
    assert seen_otherwise(*swapped) == list(range(5, 25))


def test_prints_of_sound_are_a_set_and_tell_level_pan_mix_and_channel() -> None:
    def sounds(*items: Item) -> Document:
        return document(*(Track("audio", (item,)) for item in items))

    def heard_otherwise(a: Document, b: Document) -> list[int]:
        one, other = (prints(Evaluator(each), each.sequences[0], 0, 30).sound for each in (a, b))
        return [frame for frame in range(30) if not (one[:, frame] == other[:, frame]).any()]

    first, second = heard("a", 5, 20, 100), heard("b", 5, 20, 300)
    assert heard_otherwise(sounds(first, second), sounds(second, first)) == []
    everywhere = list(range(5, 25))
    for sound in (
        Sound((2,)),
        Sound((1,), constant(-0.5)),
        Sound((1,), pan=constant(0.1)),
        Sound((1,), muted=(1,)),
    ):
        assert heard_otherwise(sounds(first), sounds(replace(first, sound=sound))) == everywhere
    silent = replace(second, sound=Sound((1,), constant(-91.0)))
    assert heard_otherwise(sounds(first), sounds(first, silent)) == []
    fading = replace(first, sound=Sound((1,), fade_in=Fade(4)))
    assert heard_otherwise(sounds(first), sounds(fading)) == [5, 6, 7, 8]


def test_a_sound_that_fades_in_from_nothing_is_not_heard_on_the_first_frame_of_its_crossfade() -> None:
    join = Transition("t", "Cross fade", "audio-linear", 5, 4, 5)
    item = heard("a", 5, 20, 100)
    crossed = document(Track("audio", (item,), (join,)))
    one, none = (prints(Evaluator(each), each.sequences[0], 0, 30).sound for each in (crossed, document()))
    silent = [frame for frame in range(30) if (one[:, frame] == none[:, frame]).any()]
    assert silent == [0, 1, 2, 3, 4, 5, 25, 26, 27, 28, 29]


def test_an_edited_angle_is_entered_at_its_offset_and_no_circle_is() -> None:
    inner = Sequence(
        "w",
        "Wide",
        PAL,
        width=1920,
        height=1080,
        tracks=(Track("video", (clip("in", 0, 200, 50),)),),
        top_level=False,
    )
    angles = Angles((Angle("1", "Wide", sequence="w", offset=2),), "1", None)
    found = document(Track("video", (Item("v", "Two", 0, 10, angles, 1),)), nested=(inner,))
    (layer,) = state_at(Evaluator(found), found.sequences[0], 5)["picture"]
    # A second into the clip, two more of offset: frame 75 of the angle, five on.
    assert layer["source_frame"] == 50 + 80 and layer["via"] == ["Two"]
    loop = document(Track("video", (Item("me", "me", 0, 10, NestedUse("s")), clip("b", 10, 10))))
    assert layers_at(Evaluator(loop), loop.sequences[0], 5) == ()
    assert [one.item.id for one in layers_at(Evaluator(loop), loop.sequences[0], 12)] == ["b"]


def test_a_range_goes_from_the_first_frame_to_the_last_where_nothing_is_said() -> None:
    found = document(Track("video", (clip("a", 0, 50, 100),)))
    whole = Evaluator(found).range(found.sequences[0])
    assert (whole.start, whole.stop) == (0, 50) and [(one.start, one.stop) for one in whole.picture] == [
        (0, 50)
    ]
