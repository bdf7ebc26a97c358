"""The tree of mobs that AAF and OMF spell, made of the model: lengths, sources and points by hand."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction as F
from typing import Any

import pytest

from wexodos.formats import WriteError
from wexodos.formats.mobs import tree
from wexodos.formats.mobs.writing import mobs_of
from wexodos.formats.paths import locator_of
from wexodos.formats.spelling import Sounding, Spelling
from wexodos.model import (
    Constant,
    Curve,
    Document,
    Fade,
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
    Track,
    Transition,
    Variable,
    constant,
)
from wexodos.timing import Rate

PAL = Rate(25)
WIDE = Media("m", "A003C012.mov", "/k/A003C012.mov", "A003", 900_000, False, 800, PAL, 1920, 1080, video=True)
BOOM = Media(
    "boom",
    "boom.wav",
    "/k/boom.wav",
    "S1",
    90_000,
    False,
    800,
    PAL,
    channels=2,
    sample_rate=48000,
    audio=True,
)


def clip(name: str, start: int, length: int, source: object = 100, **more: Any) -> Item:
    more.setdefault("motion", Motion("fit"))
    return Item(name, f"shot {name}", start, length, MediaUse("m"), F(source) / 25, **more)  # type: ignore[arg-type]


def heard(name: str, start: object, length: object, sound: Sound, source: object = 4, **more: Any) -> Item:
    return Item(name, f"take {name}", start, length, MediaUse("boom"), F(source), sound=sound, **more)  # type: ignore[arg-type]


def tracks(
    *items: Item, joins: tuple[Transition, ...] = (), how: Spelling | None = None, **settings: Any
) -> list[tree.Slot]:
    kind = "audio" if items[0].sound is not None else "video"
    sequence = Sequence(
        "q",
        "Cut",
        PAL,
        90_000,
        width=1920,
        height=1080,
        sample_rate=48000,
        tracks=(Track(kind, items, joins, name="Dialogue"),),
        **settings,
    )
    file = mobs_of(Document("", "", (sequence,), (WIDE, BOOM)), "q", how or Spelling())
    whole = file.mobs[file.top[0]]
    return [slot for slot in whole.slots if slot.segment.kind in ("picture", "sound")]


def parts(*items: Item, **more: Any) -> list[tree.Segment]:
    segment = tracks(*items, **more)[0].segment
    assert isinstance(segment, tree.Sequence)
    return segment.parts


def told(segments: list[tree.Segment]) -> list[tuple[Any, ...]]:
    rows: list[tuple[Any, ...]] = []
    for one in segments:
        if isinstance(one, tree.Filler):
            rows.append(("filler", one.length))
        elif isinstance(one, tree.SourceClip):
            rows.append(("clip", one.length, one.start))
        elif isinstance(one, tree.Transition):
            rows.append((one.effect.op, one.length, one.cut))
        elif isinstance(one, tree.Operation):
            rows.append((one.op, one.length, *told(one.inputs)))
        else:
            rows.append((type(one).__name__, one.length))
    return rows


def bare(segment: tree.Segment) -> tree.Segment:
    while isinstance(segment, tree.Operation):
        segment = segment.inputs[-1]
    return segment


# ---- rows


def test_what_stands_between_clips_is_filler_up_to_the_end_of_the_cut() -> None:
    assert told(parts(clip("a", 10, 50), clip("b", 80, 20, 300), stated_duration=120)) == [
        ("filler", 10),
        ("clip", 50, 100),
        ("filler", 20),
        ("clip", 20, 300),
        ("filler", 20),
    ]
    assert told(parts(clip("a", 0, 50), clip("b", 50, 20, 300))) == [("clip", 50, 100), ("clip", 20, 300)]


def test_a_transition_overlaps_both_neighbours_which_have_their_handles() -> None:
    join = Transition("t", "D", "dissolve", 44, 12, 50)
    # Twelve frames, six on either side: the first clip goes on for six, the second begins six earlier.
    assert told(parts(clip("a", 0, 50), clip("b", 50, 50, 300), joins=(join,))) == [
        ("clip", 56, 100),
        ("dissolve", 12, 6),
        ("clip", 56, 294),
    ]
    odd = replace(join, start=46, duration=10)
    assert told(parts(clip("a", 0, 50), clip("b", 50, 50, 300), joins=(odd,)))[1:] == [
        ("dissolve", 10, 4),
        ("clip", 54, 296),
    ]


def test_wipes_say_their_number_direction_and_edge() -> None:
    def wipe(**more: Any) -> tree.Operation:
        join = Transition("t", "Wipe", "wipe", 44, 12, 50, **more)
        made = parts(clip("a", 0, 50), clip("b", 50, 50, 300), joins=(join,))[1]
        assert isinstance(made, tree.Transition)
        return made.effect

    one = wipe(pattern=21, direction="right to left", softness=25.0, border=12.5)
    assert (one.op, dict(one.parameters)["wipe-number"], dict(one.parameters)["wipe-reverse"]) == (
        "wipe",
        21,
        1,
    )
    assert (dict(one.parameters)["wipe-soft"], dict(one.parameters)["wipe-border"]) == (F(1, 4), F(1, 8))
    plain = dict(wipe(direction="left to right").parameters)
    assert plain["wipe-number"] == 1 and not {"wipe-reverse", "wipe-soft", "wipe-border"} & set(plain)


@pytest.mark.parametrize(
    "direction",
    ["right to left", "bottom to top", "reverse", "anticlockwise", "sides to centre", "edges to centre"],
)
def test_which_directions_are_the_reverse_of_a_pattern(direction: str) -> None:
    join = Transition("t", "Wipe", "wipe", 44, 12, 50, pattern=1, direction=direction)
    made = parts(clip("a", 0, 50), clip("b", 50, 50, 300), joins=(join,))[1]
    assert isinstance(made, tree.Transition) and made.effect.parameters["wipe-reverse"] == 1


def test_what_is_off_is_the_other_choice_of_a_switch() -> None:
    (made,) = parts(clip("a", 0, 50, enabled=False))
    assert isinstance(made, tree.Selector) and isinstance(made.selected, tree.Filler)
    assert (
        made.selected.length,
        told([bare(made.alternates[0])]),
        made.attributes["_DISABLE_CLIP_FLAG"],
    ) == (50, [("clip", 50, 100)], 1)


def test_only_what_was_settled_before_has_a_form() -> None:
    for item, words in (
        (Item("n", "Nest", 0, 9, NestedUse("x")), "the nested sequence 'x' is not there"),
        (replace(clip("a", 0, 9), content=MediaUse("nowhere")), "not said which medium"),
        (heard("s", 0, 9, Sound((7,))), ""),
    ):
        if words:
            with pytest.raises(WriteError, match=words):
                parts(item)
        else:
            # A channel that nobody counted is there because it is used.
            assert told(parts(item)) == [("clip", 9, 100)]


# ---- speeds


@pytest.mark.parametrize(
    ("speed", "length", "taken", "start", "ratio"),
    [
        # 50 frames at double speed end on the 98th after the first: 99 frames of source.
        (Constant(2), 50, 99, 100, F(1, 2)),
        # At half speed on the 24th: 25.
        (Constant(F(1, 2)), 50, 25, 100, 2),
        # Backwards from the boundary at 100 the 50 frames before it.
        (Constant(-1), 50, 50, 50, -1),
        (Constant(F(-1, 2)), 50, 25, 75, -2),
    ],
)
def test_a_constant_speed_takes_as_much_as_it_shows(
    speed: Constant, length: int, taken: int, start: int, ratio: F
) -> None:
    made = tracks(clip("a", 0, length, speed=speed))[0].segment.parts[0]  # type: ignore[attr-defined]
    assert isinstance(made, tree.Operation) and made.op == "speed" and made.length == length
    assert told(made.inputs) == [("clip", taken, start)] and made.parameters["speed-ratio"] == ratio


def test_a_freeze_is_one_frame_that_is_held() -> None:
    made = tracks(clip("a", 0, 50, F(201, 2), speed=Constant(0)))[0].segment.parts[0]  # type: ignore[attr-defined]
    assert told(made.inputs) == [("clip", 1, 100)] and made.parameters["speed-ratio"] == 50
    assert [(point.time, point.value) for point in made.parameters["offset-map"].points] == [
        (0, 0.0),
        (50, 0.0),
    ]


def test_a_ramp_maps_frames_to_frames_from_its_lowest() -> None:
    ramp = Variable((SpeedPoint(-10, 4), SpeedPoint(20, 5), SpeedPoint(60, 9)))
    made = tracks(clip("a", 0, 50, speed=ramp))[0].segment.parts[0]  # type: ignore[attr-defined]
    # At its first frame a third of a second of source has gone by: frame 108 and a third; the last edge is at
    # 8 s: frame 200. The map counts from 108.
    assert [(point.time, point.exact) for point in made.parameters["offset-map"].points] == [
        (-10, -8),
        (0, F(1, 3)),
        (20, 17),
        (50, 92),
        (60, 117),
    ]
    assert told(made.inputs) == [("clip", 117, 108)] and made.parameters["speed-ratio"] == F(50, 117)


# ---- sound


def test_levels_are_gains_pans_go_from_nought_to_one_and_every_channel_has_a_slot() -> None:
    level = Curve((0.0,), (Key(0, (-6.0206,)), Key(50, (0.0,))), "gain")
    left, right = tracks(heard("s", 0, 50, Sound((1, 2), level)))
    for slot, side in ((left, 0.0), (right, 1.0)):
        made = slot.segment
        # A pan that all clips of a track share is the track's.
        assert isinstance(made, tree.Operation) and (made.op, made.parameters["pan"]) == ("pan", side)
        (gain,) = made.inputs[0].parts  # type: ignore[attr-defined]
        points = gain.parameters["amplitude"].points
        assert [(point.time, round(point.value, 5)) for point in points] == [(0, 0.5), (1, 1.0)]
    assert [slot.number for slot in (left, right)] == [1, 2] and left.name == "Dialogue"
    loud = tracks(heard("s", 0, 50, Sound((1,), constant(-6.0206))))[0].segment.parts[0]  # type: ignore[attr-defined]
    assert round(loud.parameters["amplitude"], 5) == 0.5
    assert told(parts(heard("s", 0, 50, Sound((1,))))) == [("clip", 50, 100)]


def test_a_pan_that_changes_from_clip_to_clip_is_theirs() -> None:
    one, two = (
        heard(name, start, 50, Sound((1,), pan=constant(pan)))
        for name, start, pan in (("a", 0, 0.5), ("b", 50, -1.0))
    )
    made = tracks(one, two)[0].segment
    assert isinstance(made, tree.Sequence) and [part.parameters["pan"] for part in made.parts] == [0.75, 0.0]  # type: ignore[attr-defined]
    shared = tracks(one, replace(two, sound=one.sound))[0].segment
    assert isinstance(shared, tree.Operation) and shared.parameters["pan"] == 0.75


def test_a_muted_channel_is_off_and_the_other_is_not() -> None:
    left, right = tracks(heard("s", 0, 50, Sound((1, 2), muted=(2,))))
    inner = [slot.segment.inputs[0].parts[0] for slot in (left, right)]  # type: ignore[attr-defined]
    assert [type(one).__name__ for one in inner] == ["SourceClip", "Selector"]


def test_sound_in_samples_counts_every_place_in_samples() -> None:
    fine = Spelling(edit_rate="samples", fades="clips")
    item = heard(
        "s",
        F(601, 48),
        F(1201, 48),
        Sound((1,), fade_in=Fade(5), fade_out=Fade(F(5, 48), "equal-power")),
        F(4801, 48000),
    )
    slot = tracks(item, how=fine, stated_duration=50)[0]
    assert slot.rate == Rate(48000)
    made = slot.segment.parts  # type: ignore[attr-defined]
    # 601/48 frames are 601·40 samples; the source begins at 4801.
    assert told(made) == [("filler", 24_040), ("clip", 48_040, 4801), ("filler", 96_000 - 72_080)]
    assert (made[1].fade_in, made[1].fade_out) == ((9600, "linear"), (200, "equal-power"))


def test_fades_as_transitions_stand_over_filler() -> None:
    item = heard("s", 10, 40, Sound((1,), fade_in=Fade(8), fade_out=Fade(6, "equal-power")))
    made = parts(item, how=Spelling(fades="transitions"), stated_duration=60)
    # The filler goes on for the length of the fade, and so does the one behind.
    assert told(made) == [
        ("filler", 18),
        ("crossfade", 8, 0),
        ("clip", 40, 100),
        ("crossfade-curves", 6, 6),
        ("filler", 16),
    ]


def test_fades_that_leave_no_room_are_no_transitions() -> None:
    def ops(length: int, into: int, out: int, how: Spelling | None = None) -> list[object]:
        item = heard("s", 10, length, Sound((1,), fade_in=Fade(into), fade_out=Fade(out)))
        return [
            row[0] for row in told(parts(item, how=how or Spelling(fades="transitions"), stated_duration=60))
        ]

    both = ["filler", "crossfade", "clip", "crossfade", "filler"]
    assert ops(14, 8, 6) == both
    assert ops(13, 8, 6) == ["filler", "clip", "filler"]
    assert ops(14, 8, 6, Spelling(fades="clips")) == ["filler", "clip", "filler"]
    assert ops(14, 0, 6) == ["filler", "clip", "crossfade", "filler"]


def test_a_fade_beside_a_crossfade_has_no_place_of_its_own_and_the_other_side_has() -> None:
    first = heard("a", 0, 20, Sound((1,), fade_in=Fade(4), fade_out=Fade(5)))
    second = heard("b", 20, 20, Sound((1,), fade_in=Fade(3), fade_out=Fade(6)))
    join = Transition("j", "", "audio-linear", 15, 10, 20)
    made = told(parts(first, second, joins=(join,), how=Spelling(fades="transitions"), stated_duration=50))
    assert [row[:2] for row in made] == [
        ("filler", 4),
        ("crossfade", 4),
        ("clip", 25),
        ("crossfade", 10),
        ("clip", 25),
        ("crossfade", 6),
        ("filler", 16),
    ]
    # The crossfade reaches five frames into the first; with twelve and four more there is no room in twenty.
    tight = replace(first, sound=Sound((1,), fade_in=Fade(12), fade_out=Fade(4)))
    made = told(parts(tight, second, joins=(join,), how=Spelling(fades="transitions"), stated_duration=50))
    assert [row[0] for row in made] == ["clip", "crossfade", "clip", "crossfade", "filler"]


# ---- media, markers


@pytest.mark.parametrize(("duration", "length"), [(None, 25 * 600), (75, 75)])
def test_a_still_is_as_long_as_it_says_or_as_anybody_needs(duration: int | None, length: int) -> None:
    still = replace(WIDE, still=True, duration=duration, reel=None, start=None)
    sequence = Sequence("q", "Cut", PAL, 0, tracks=(Track("video", (clip("a", 0, 50, 0, still=True),)),))
    file = mobs_of(Document("", "", (sequence,), (still,)), "q", Spelling())
    sources = [
        one for one in file.mobs.values() if one.descriptor is not None and one.descriptor.role == "file"
    ]
    assert [one.descriptor.length for one in sources] == [length]  # type: ignore[union-attr]


def test_what_is_linked_has_a_master_a_file_and_a_reel() -> None:
    sequence = Sequence(
        "q",
        "Cut",
        PAL,
        90_000,
        tracks=(Track("video", (clip("a", 0, 50),)),),
        markers=(Marker(F(21, 2), F(5, 2), "Look", "glow", "#ff0000ff"),),
    )
    file = mobs_of(Document("", "", (sequence,), (WIDE,)), "q", Spelling())
    whole = file.mobs[file.top[0]]
    used = bare(next(slot for slot in whole.slots if slot.segment.kind == "picture").segment.parts[0])  # type: ignore[attr-defined]
    assert isinstance(used, tree.SourceClip)
    master = file.mobs[used.mob]
    assert (master.kind, master.name) == ("master", "shot a")
    inner = next(slot for slot in master.slots if slot.id == used.slot).segment
    assert isinstance(inner, tree.SourceClip) and (inner.length, inner.start) == (800, 0)
    source = file.mobs[inner.mob]
    assert source.descriptor is not None and (source.descriptor.width, source.descriptor.height) == (
        1920,
        1080,
    )
    below = next(slot for slot in source.slots if slot.segment.kind == "picture").segment
    assert isinstance(below, tree.SourceClip)
    reel = file.mobs[below.mob]
    codes = [slot.segment for slot in reel.slots if isinstance(slot.segment, tree.TimecodeSegment)]
    assert reel.name == "A003" and [(one.start, one.fps, one.drop) for one in codes] == [(900_000, 25, False)]
    start = next(slot.segment for slot in whole.slots if isinstance(slot.segment, tree.TimecodeSegment))
    assert (start.start, start.fps, start.length) == (90_000, 25, 50)
    events = [
        part
        for slot in whole.slots
        if isinstance(slot.segment, tree.Sequence)
        for part in slot.segment.parts
        if isinstance(part, tree.MarkerEvent)
    ]
    assert [(one.start, one.span, one.name, one.comment, one.color) for one in events] == [
        (11, 3, "Look", "glow", "#ff0000ff")
    ]


def test_clips_of_one_medium_share_its_file_and_have_masters_by_their_names() -> None:
    sequence = Sequence(
        "q",
        "Cut",
        PAL,
        tracks=(
            Track(
                "video",
                (clip("a", 0, 50), replace(clip("b", 50, 50, 200), name="shot a"), clip("c", 100, 50)),
            ),
        ),
    )
    file = mobs_of(Document("", "", (sequence,), (WIDE,)), "q", Spelling())
    kinds = sorted(mob.kind for mob in file.mobs.values())
    assert kinds == ["composition", "master", "master", "source", "source"]


def test_settings_of_the_cut_stand_in_comments() -> None:
    sequence = Sequence(
        "q",
        "Cut",
        PAL,
        width=720,
        height=576,
        pixel_aspect=F(16, 15),
        field_order="upper",
        sample_rate=48000,
        tracks=(
            Track("video", (clip("a", 0, 50),), name="Main"),
            Track("video", (clip("u", 0, 50),), name="Over"),
        ),
        metadata=(("Reel", "1"), ("", "x")),
    )
    file = mobs_of(Document("", "", (sequence,), (WIDE,)), "q", Spelling())
    assert dict(file.mobs[file.top[0]].comments) == {
        "Reel": "1",
        "Frame size": "720 x 576",
        "Pixel aspect": "16/15",
        "Field order": "upper",
        "Sample rate": "48000",
        "V1": "Main",
        "V2": "Over",
    }


def test_what_is_linked_is_told_where_it_is_and_where_it_is_beside_the_turnover() -> None:
    made = Sounding(
        48000, 24, 96_000, 3600 * 48000, 2, "wave", b"head", path="/k/Kiln media/a b.wav", name="a b",
        track="Lav Ilka", beside="./Kiln media/a b.wav",
    )  # fmt: skip
    item = heard("s", 0, 25, Sound((2,)), 0)
    cut = Sequence("q", "Cut", PAL, 90_000, sample_rate=48000, tracks=(Track("audio", (item,)),))
    file = mobs_of(Document("", "", (cut,), (BOOM,)), "q", Spelling(sounds={"boom": {2: made}}))
    (source,) = [one for one in file.mobs.values() if one.descriptor is not None and one.descriptor.sound]
    assert source.descriptor is not None and source.slots[0].name == "Lav Ilka"
    assert [locator_of(place) for place in source.descriptor.locators] == [
        "file:///k/Kiln%20media/a%20b.wav",
        "./Kiln%20media/a%20b.wav",
    ]
