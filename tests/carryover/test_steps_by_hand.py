"""Single planning steps on single things: what stands there afterwards, and what is said, by hand."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction as F
from typing import Any

import pytest

from settling.bench import PAL, at_work, clip, context, taking
from wexodos.carryover.contents import contents
from wexodos.carryover.faults import Book, fault
from wexodos.carryover.frames import whole_frames
from wexodos.carryover.going import media_kinds, order
from wexodos.carryover.joins import on_frames, transitions
from wexodos.carryover.levels import sounds
from wexodos.carryover.library import folders, needed, organised, unused
from wexodos.carryover.linking import links
from wexodos.carryover.marking import markers
from wexodos.carryover.motions import motion, sizing
from wexodos.carryover.nesting import angles, nests
from wexodos.carryover.plan import plan
from wexodos.carryover.reference import reference
from wexodos.carryover.sounding import made_for
from wexodos.carryover.speeds import speeds
from wexodos.carryover.tracks import empty_tracks, tracks
from wexodos.compare import compare
from wexodos.compare.aspects import Aspect
from wexodos.destinations import find_destination
from wexodos.formats.fcpxml.linking import links as linked_by_place
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
    Folder,
    Generator,
    Item,
    Key,
    Marker,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Raw,
    Roll,
    Sequence,
    Shadow,
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
from wexodos.model.raw import Parameter
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.findings import Choices
from wexodos.settling.options import Options
from wexodos.settling.spells import MarkerSpelling, Spells, TitleSpelling
from wexodos.settling.vocabulary import Remedy
from wexodos.timing import Rate


def spelling(told: Context, **changes: Any) -> Context:
    told.spells = replace(told.spells, **changes)
    return told


def said(told: Context) -> list[tuple[Any, ...]]:
    return [(one.kind.value, one.what, one.item_id, one.fate.value) for one in told.findings]


def heard(name: str, start: int, length: int, sound: Sound, **more: Any) -> Item:
    return replace(clip(name, start, length, **more), sound=sound, motion=None)


def sound_lane(*items: Item, **track: Any) -> tuple[Work, Lane]:
    lane = Lane("A1", "audio", list(items), [], Track("audio", items, **track))
    return Work(Sequence("s", "Cut", PAL, tracks=(lane.track,)), [lane], []), lane


# ---- what goes


def test_tracks_beyond_the_limit_stay_behind_and_the_last_one_within_goes() -> None:
    work, first = at_work(clip("a", 0, 10))
    second, third = (Lane(f"V{n}", "video", [clip(f"x{n}", 0, 10)], [], Track("video")) for n in (2, 3))
    work.lanes += [second, third]
    told = taking(context(), "pictures", tracks=2)
    media_kinds(told, work)
    assert [[item.id for item in lane.items] for lane in work.lanes] == [["a"], ["x2"], []]
    assert said(told) == [("clip", "clip", "x3", "left behind")] and first.items


def test_sound_that_is_not_taken_goes_with_its_crossfades_and_costs_no_minutes() -> None:
    work, lane = sound_lane(heard("a", 0, 50, Sound((1,))), heard("b", 50, 50, Sound((1,))))
    lane.transitions.append(Transition("t", "Cross fade", "audio-linear", 45, 10, 50))
    told = taking(context(), "sound", carry=False)
    media_kinds(told, work)
    assert (lane.items, lane.transitions) == ([], [])
    assert [(one.item_id, one.minutes) for one in told.findings] == [("t", 0), ("a", 0), ("b", 0)]


@pytest.mark.parametrize(
    ("track_on", "switches", "left"), [(True, False, ["on"]), (False, False, []), (False, True, ["on"])]
)
def test_what_is_off_stays_behind_where_nothing_can_be(
    track_on: bool, switches: bool, left: list[str]
) -> None:
    work, lane = at_work(clip("on", 0, 10), clip("off", 10, 10, enabled=False))
    lane.track = replace(lane.track, enabled=track_on)
    told = taking(taking(context(), "pictures", disabled=False), "sound", disabled_tracks=switches)
    media_kinds(told, work)
    assert [item.id for item in lane.items] == left


def test_items_that_share_time_go_onto_one_spare_track_as_long_as_it_is_free() -> None:
    work, lane = at_work(
        clip("a", 0, 50), clip("b", 40, 20), clip("c", 49, 30), clip("d", 60, 10), clip("e", 100, 10)
    )
    lane.transitions += [
        Transition("t", "D", "dissolve", 35, 10, 40),
        Transition("u", "D", "dissolve", 95, 10, 100),
    ]
    told = context()
    order(told, work)
    # b shares time with a, and goes up; c shares time with a and with b: a track of its own below b's; d is
    # free of a and stays, e touches nothing.
    assert [(one.label, [item.id for item in one.items]) for one in work.lanes] == [
        ("V1", ["a", "d", "e"]),
        ("V1'2", ["c"]),
        ("V1'", ["b"]),
    ]
    assert [one.id for one in lane.transitions] == ["u"]
    assert [one.id for one in work.lanes[2].transitions] == ["t"]
    assert said(told) == [("track", "overlap", "b", "adapted"), ("track", "overlap", "c", "adapted")]
    touching, row = at_work(clip("a", 0, 50), clip("b", 50, 20))
    order(context(), touching)
    assert [item.id for item in row.items] == ["a", "b"]


def test_what_begins_too_early_is_cut_at_the_start_with_its_source() -> None:
    told = spelling(context(), before_start=False)
    work, lane = at_work(clip("gone", -30, 30, 100), clip("cut", -10, 50, 200), clip("a", 40, 10))
    order(told, work)
    assert [(one.id, one.start, one.duration, one.source_in) for one in lane.items] == [
        ("cut", 0, 40, F(210, 25)),
        ("a", 40, 10, 0),
    ]
    assert said(told) == [("clip", "clip", "gone", "left behind"), ("clip", "record start", "cut", "adapted")]
    free, row = at_work(clip("cut", -10, 50, 200))
    order(spelling(context(), before_start=True), free)
    assert row.items[0].start == -10


# ---- frames


def test_pictures_go_to_the_nearest_frame_and_take_their_source_along() -> None:
    work, lane = at_work(clip("a", F(21, 2), F(30), 100), clip("b", F(203, 5), F(1, 5), 300))  # type: ignore[arg-type]
    told = spelling(taking(context(), "sound", between_frames=False), source_frames=None)
    whole_frames(told, work)
    # 10.5 goes to 11 and half a frame on in the source; an item of a fifth of a frame has one.
    assert [(one.start, one.duration, one.source_in) for one in lane.items] == [
        (11, 30, F(201, 50)),
        (41, 1, F(300, 25) + F(2, 5) / 25),
    ]
    assert [(one.what, one.before, one.after, one.deviation) for one in told.findings] == [
        ("record place", "21/2 to 81/2", "11 to 41", (0.5, "fr")),
        ("record place", "203/5 to 204/5", "41 to 42", (1.2, "fr")),
    ]


def test_a_dissolve_of_an_odd_length_begins_on_the_frame_before_and_keeps_its_cut_and_length() -> None:
    join = Transition("t", "D", "dissolve", F(75, 2), 25, 50)
    work, lane = at_work(clip("a", 0, 50), clip("b", 50, 50), joins=(join,))
    told = context()
    on_frames(told, work, lane)
    (made,) = lane.transitions
    assert (made.start, made.duration, made.cut) == (37, 25, 50)
    assert [(one.what, one.deviation, one.minutes) for one in told.findings] == [("length", (0.5, "fr"), 0)]


# ---- transitions


def joined(told: Context, join: Transition, kind: str = "video") -> list[tuple[str, str]]:
    items = (clip("a", 0, 50), clip("b", 50, 50))
    lane = Lane("V1" if kind == "video" else "A1", kind, list(items), [join], Track(kind, items, (join,)))
    transitions(told, Work(Sequence("s", "Cut", PAL), [lane], []))
    return [(one.type, one.name) for one in lane.transitions]


def test_a_transition_becomes_the_nearest_that_is_known_or_a_cut() -> None:
    wipe = Transition("t", "Barn door", "wipe", 44, 12, 50, pattern=21, direction="up")
    told = taking(context(), "transitions", kinds=["dissolve"], wipes="all")
    assert joined(told, wipe) == [("dissolve", "Cross dissolve")]
    assert (told.findings[0].before, told.findings[0].after, told.findings[0].minutes) == (
        "wipe (SMPTE 21)",
        "dissolve",
        2,
    )
    cut = taking(
        context(choices=Choices({}, {"transition|wipe": Remedy.LEAVE})), "transitions", kinds=["dissolve"]
    )
    assert joined(cut, wipe) == [] and cut.findings[0].after == "cut" and cut.findings[0].minutes == 3
    none = taking(context(), "transitions", kinds=[])
    assert joined(none, wipe) == []


def test_a_wipe_goes_by_its_pattern() -> None:
    wipe = Transition("t", "Wipe", "wipe", 44, 12, 50, pattern=1)
    for known, left in (([1, 2], "wipe"), ([2], "dissolve"), ("all", "wipe")):
        told = taking(context(), "transitions", kinds=["dissolve", "wipe"], wipes=known)
        assert joined(told, wipe)[0][0] == left


def test_crossfades_become_the_one_that_is_known_and_cost_nothing() -> None:
    linear = Transition("t", "Gain", "audio-linear", 44, 12, 50)
    told = taking(context(), "transitions", sound=["audio-equal-power"])
    assert joined(told, linear, "audio") == [("audio-equal-power", "Equal power")]
    assert [(one.before, one.after, one.minutes) for one in told.findings] == [
        ("equal-gain crossfade", "audio-equal-power", 0.0)
    ]


def test_settings_of_the_other_dialect_go_and_are_named_unless_the_model_holds_them() -> None:
    raw, own = Raw("fcpxml", "odd", "<odd/>", ""), Raw("xmeml", "odd", "<odd/>", "")
    join = Transition(
        "t",
        "D",
        "dissolve",
        44,
        12,
        50,
        parameters=(Parameter("Ease", "1"), Parameter("Wobble", "3")),
        raw=(raw,),
    )
    told = taking(context(), "transitions", kinds=["dissolve"])
    joined(told, join)
    assert [(one.what, one.before) for one in told.findings] == [("settings", "Wobble 3, odd")]
    kept = taking(context(), "transitions", kinds=["dissolve"])
    joined(kept, replace(join, raw=(own,)))
    assert kept.findings == []
    # One that nobody knows goes only in its own dialect.
    other = taking(context(), "transitions", kinds=["dissolve", "other"])
    assert joined(other, replace(join, type="other", parameters=(), raw=(own,)))[0][0] == "other"
    assert joined(other, replace(join, type="other", parameters=(), raw=()))[0][0] == "dissolve"


# ---- motion


def moved(told: Context, **curves: Any) -> Motion:
    work, lane = at_work(clip("a", 0, 40, motion=Motion(**curves)))
    motion(told, work)
    assert lane.items[0].motion is not None
    return lane.items[0].motion


@pytest.mark.parametrize("name", ["position", "scale", "rotation", "anchor", "crop", "corners", "opacity"])
def test_what_has_no_form_there_stands_as_it_would_without(name: str) -> None:
    values = {
        "position": (5, 6),
        "scale": (0.5, 0.5),
        "rotation": (9,),
        "anchor": (0.1, 0),
        "crop": (0.1, 0, 0, 0),
        "corners": (0.1,) * 8,
        "opacity": (0.5,),
    }
    told = taking(context(), "motion", **{name: False})
    assert getattr(moved(told, **{name: constant(*values[name])}), name) == getattr(Motion(), name)
    assert said(told) == [("opacity" if name == "opacity" else "motion", name, "a", "left behind")]


def test_where_width_and_height_scale_together_the_height_counts_and_mirrors_go() -> None:
    told = spelling(taking(context(), "motion", uneven_scale=False), uneven_by_corners=None)
    assert moved(told, scale=constant(0.5, -0.75)).scale == constant(0.75, 0.75)
    # The furthest apart: 0.75 against -0.75 over 1920 pixels.
    assert told.findings[0].deviation == (2880.0, "px")
    keys = Curve((1.0, 1.0), (Key(0, (1.0, 1.0)), Key(10, (0.5, 0.25))))
    assert [key.value for key in moved(told, scale=keys).scale.keys] == [(1.0, 1.0), (0.25, 0.25)]
    even = spelling(taking(context(), "motion", uneven_scale=False), uneven_by_corners=None)
    assert moved(even, scale=constant(0.5, 0.5)).scale == constant(0.5, 0.5) and even.findings == []


def test_a_crop_that_stands_keeps_its_first_value() -> None:
    crop = Curve((0.0,) * 4, (Key(0, (0.1, 0.0, 0.0, 0.0)), Key(10, (0.4, 0.0, 0.0, 0.0))))
    told = taking(context(), "motion", moving_crop=False)
    assert moved(told, crop=crop).crop == Curve((0.1, 0.0, 0.0, 0.0))
    kept = taking(context(), "motion", moving_crop=True)
    assert len(moved(kept, crop=crop).crop.keys) == 2


def test_eased_keys_are_followed_within_half_a_pixel_or_left_straight() -> None:
    eased = Curve((0.0, 0.0), (Key(0, (0.0, 0.0), Ease.SMOOTH), Key(20, (100.0, 0.0), Ease.SMOOTH)))
    told = taking(context(), "keyframes", interpolations=["linear"])
    made = moved(told, position=eased).position
    at = [float(key.time) for key in made.keys]
    for frame in range(21):
        share = frame / 20
        place = max(number for number, time in enumerate(at) if time <= frame)
        after = min(place + 1, len(at) - 1)
        span = at[after] - at[place] or 1
        value = (
            made.keys[place].value[0]
            + (made.keys[after].value[0] - made.keys[place].value[0]) * (frame - at[place]) / span
        )
        assert abs(value - 100 * (3 * share**2 - 2 * share**3)) <= 0.5
    assert said(told) == [("motion", "position", "a", "adapted")] and told.findings[0].minutes == 0
    straight = taking(
        context(choices=Choices({}, {"motion|position": Remedy.LEAVE})),
        "keyframes",
        interpolations=["linear"],
    )
    left = moved(straight, position=eased).position
    assert [(key.time, key.ease) for key in left.keys] == [(0, Ease.LINEAR), (20, Ease.LINEAR)]
    # At a quarter and at three quarters a smooth move is 9.375 from the line; at 4 of 20 it is 9.6.
    assert straight.findings[0].deviation == (9.6, "px") and straight.findings[0].minutes == 5


def test_keys_between_frames_go_to_frames_where_they_must_and_one_key_needs_no_ease() -> None:
    between = Curve((0.0,), (Key(F(5, 2), (0.0,)), Key(20, (90.0,))))
    told = taking(context(), "keyframes", interpolations=["linear"], whole_frames=True)
    assert all(isinstance(key.time, int) for key in moved(told, rotation=between).rotation.keys)
    free = taking(context(), "keyframes", interpolations=["linear"], whole_frames=False)
    assert moved(free, rotation=between).rotation == between
    alone = Curve((3.0,), (Key(0, (3.0,), Ease.SMOOTH),))
    assert moved(told, rotation=alone).rotation == alone


def test_sizing_left_out_keeps_fit_and_opacity_of_clips_and_everything_of_words() -> None:
    whole = Motion("fit", constant(5, 6), constant(2, 2), opacity=constant(0.5))
    work, lane = at_work(
        clip("a", 0, 40, motion=whole), Item("t", "t", 40, 10, Title((TextRun("x"),)), motion=whole)
    )
    told = context()
    told.options = Options(sizing=False)
    sizing(told, work)
    assert [one.motion for one in lane.items] == [Motion("fit", opacity=constant(0.5)), whole]
    sizing(context(), work)
    assert said(told) == [("motion", "sizing", "a", "left behind")]


# ---- sound


def leveled(told: Context, sound: Sound, **more: Any) -> Sound:
    work, lane = sound_lane(heard("a", 0, 40, sound, **more))
    sounds(told, work)
    assert lane.items[0].sound is not None
    return lane.items[0].sound


def test_levels_end_where_the_dialect_does_and_where_there_are_none_are_0() -> None:
    top = spelling(context(), loudest=12.0)
    assert leveled(top, Sound((1,), constant(15.5))).level == constant(12.0)
    assert top.findings[0].deviation == (3.5, "dB")
    assert leveled(spelling(context(), loudest=12.0), Sound((1,), constant(12.0))).level == constant(12.0)
    keys = leveled(top, Sound((1,), curve([(0, -3.0), (20, 20.0)], domain="gain"))).level.keys
    assert [key.value[0] for key in keys] == [-3.0, 12.0]
    none = taking(context(), "sound", level=False)
    assert leveled(none, Sound((1,), constant(-6.0))).level == constant(0)
    quiet = taking(context(), "sound", level=False)
    assert leveled(quiet, Sound((1,))).level == constant(0) and quiet.findings == []


def test_pans_and_mutes_that_have_no_form() -> None:
    told = taking(taking(context(), "sound", pan=False), "sound", mutes=False)
    sound = leveled(told, Sound((1, 2), pan=constant(0.5), muted=(2,)))
    assert (sound.pan, sound.muted) == (None, ())
    assert said(told) == [("pan", "pan", "a", "left behind"), ("mute", "channels", "a", "left behind")]
    whole = taking(taking(context(), "sound", pan=True), "sound", mutes=True)
    kept = leveled(spelling(whole, off_hides_mutes=True), Sound((1, 2), pan=constant(0.5), muted=(2,)))
    assert kept.muted == (2,) and kept.pan == constant(0.5) and whole.findings == []


@pytest.mark.parametrize(
    ("clip_on", "track_on", "hides_clip", "hides_track", "muted"),
    [
        (False, True, True, False, ()),
        (False, True, False, False, (2,)),
        (True, False, True, True, ()),
        (True, False, True, False, (2,)),
        (True, True, True, True, (2,)),
    ],
)
def test_what_is_off_as_a_whole_says_nothing_of_its_channels(
    clip_on: bool, track_on: bool, hides_clip: bool, hides_track: bool, muted: tuple[int, ...]
) -> None:
    told = spelling(context(), off_hides_mutes=hides_clip, track_off_hides_mutes=hides_track)
    work, lane = sound_lane(heard("a", 0, 40, Sound((1, 2), muted=(2,)), enabled=clip_on), enabled=track_on)
    sounds(told, work)
    assert lane.items[0].sound is not None and lane.items[0].sound.muted == muted
    assert [one.fate.value for one in told.findings] == ([] if muted else ["adapted"])


def test_levels_in_the_other_domain_get_keys_or_only_its_name() -> None:
    told = spelling(context(), level_domain="gain")
    # Between levels that are all but equal gain and decibels run alike: the same keys.
    near = leveled(told, Sound((1,), curve([(0, -3.0), (20, -3.2)]))).level
    assert near.domain == "gain" and len(near.keys) == 2 and told.findings == []
    far = leveled(told, Sound((1,), curve([(0, -30.0), (20, 0.0)]))).level
    assert far.domain == "gain" and len(far.keys) > 4 and said(told) == [("level", "level", "a", "adapted")]
    same = spelling(context(), level_domain="plain")
    line = curve([(0, -30.0), (20, 0.0)])
    assert leveled(same, Sound((1,), line)).level == line


def test_fades_without_a_form_are_level_keys() -> None:
    told = spelling(taking(context(), "sound", fades=False), level_domain="gain")
    made = leveled(told, Sound((1,), constant(-6.0), fade_in=Fade(10)))
    assert (made.fade_in, made.fade_out, made.level.domain) == (None, None, "gain")
    assert [key.time for key in made.level.keys] == [0, 10, 40] and told.findings[0].what == "fades"


# ---- markers


def marked(
    told: Context, *own: Marker, on: tuple[Marker, ...] = ()
) -> tuple[list[Marker], tuple[Marker, ...]]:
    work, lane = at_work(clip("a", 10, 40, markers=on), markers=own)
    markers(told, work)
    return work.markers, lane.items[0].markers


def test_a_marker_on_the_last_frame_stays_and_one_behind_it_goes() -> None:
    told = spelling(context(), markers=MarkerSpelling(outside_items=False))
    told = taking(told, "markers", on_items=True)
    _, left = marked(
        told,
        on=(
            Marker(-1, name="early"),
            Marker(0, name="first"),
            Marker(39, name="last"),
            Marker(40, name="late"),
        ),
    )
    assert [one.name for one in left] == ["first", "last"]
    assert [one.item_id for one in told.findings] == ["marker@9:early", "marker@50:late"]


def test_markers_of_clips_go_onto_the_sequence_at_their_places() -> None:
    told = taking(
        spelling(context(), markers=MarkerSpelling(before_start=False)),
        "markers",
        on_items=False,
        colors=True,
    )
    made, left = marked(told, Marker(3), on=(Marker(5, 2, "Look", "glow", "red"), Marker(-20, name="early")))
    assert made == [Marker(3), Marker(15, 2, "Look", "glow", "red")] and left == ()
    assert [(one.item_id, one.fate.value) for one in told.findings] == [
        ("marker@15:Look", "adapted"),
        ("marker@-10:early", "left behind"),
    ]


@pytest.mark.parametrize(
    ("start", "apart", "before", "stays"),
    [
        (-1, False, True, True),
        (-1, False, False, False),
        (-1, True, True, False),
        (0, True, False, True),
        (49, True, True, True),
        (50, True, True, False),
        (50, False, True, True),
    ],
)
def test_which_markers_of_the_sequence_stay(start: int, apart: bool, before: bool, stays: bool) -> None:
    told = spelling(context(), markers=MarkerSpelling(before_start=before))
    told = taking(told, "markers", on_sequence=not apart)
    made, _ = marked(told, Marker(start, name="x"))
    assert bool(made) is stays


def test_where_no_markers_go_all_are_named() -> None:
    told = taking(context(), "markers", carry=False)
    assert marked(told, Marker(3, name="a"), on=(Marker(5, name="b"),)) == ([], ())
    assert [(one.item_id, one.minutes) for one in told.findings] == [
        ("marker@3:a", 0.5),
        ("marker@15:b", 0.5),
    ]


@pytest.mark.parametrize(
    ("marker", "takes", "spells", "left"),
    [
        (Marker(3, color="red"), {"colors": False}, {}, Marker(3)),
        (Marker(3, kind="chapter"), {"kinds": False}, {}, Marker(3)),
        (Marker(3, kind="chapter"), {"kinds": True}, {"kinds": frozenset({"task"})}, Marker(3)),
        (
            Marker(3, kind="task", done=True),
            {"kinds": True},
            {"kinds": frozenset({"task"})},
            Marker(3, kind="task", done=True),
        ),
        (Marker(3, kind="task", done=False), {"kinds": False}, {}, Marker(3)),
        (Marker(3, 1), {}, {"one_frame": False}, Marker(3)),
        (Marker(3, 2), {}, {"one_frame": False}, Marker(3, 2)),
        (Marker(3, 2), {}, {"lengths": False}, Marker(3)),
        (
            Marker(3, name="Glühen"),
            {},
            {"plain": lambda text: text.replace("ü", "u")},
            Marker(3, name="Gluhen"),
        ),
        (
            Marker(3, color="teal"),
            {"colors": True},
            {"palette": lambda color: color and "cyan"},
            Marker(3, color="cyan"),
        ),
    ],
)
def test_what_markers_can_say(
    marker: Marker, takes: dict[str, Any], spells: dict[str, Any], left: Marker
) -> None:
    told = taking(
        spelling(context(), markers=MarkerSpelling(**spells)),
        "markers",
        **{"kinds": True, "colors": True, **takes},
    )
    made, _ = marked(told, marker)
    assert made == [left]
    assert len(told.findings) == (marker != left)


# ---- words


def words(told: Context, title: Title, size: int = 1080) -> tuple[list[Item], Work]:
    item = Item("t", "Kiln", 10, 30, title, motion=Motion())
    work, lane = at_work(item)
    work.sequence = replace(work.sequence, height=size, width=1920)
    contents(told, work)
    return lane.items, work


def only(told: Context, *runs: TextRun, **more: Any) -> Title:
    ((item,), _) = words(told, Title(runs, **more))
    assert isinstance(item.content, Title)
    return item.content


def test_a_bar_becomes_an_item_below_right_behind_the_words() -> None:
    told = taking(context(), "titles", bar=False)
    told = taking(told, "generators", kinds=["colour"])
    title = Title((TextRun("Kiln\nNight", size=50.0),), (0.0, 216.0), bar="#10203080")
    (item,), work = words(told, title)
    assert isinstance(item.content, Title) and item.content.bar is None
    below = work.lanes[0]
    (bar,) = below.items
    # Two lines of 50 are 140 high around 216 below the middle: from 146 to 286 of 540.
    assert bar.motion is not None and bar.motion.crop.value == pytest.approx(
        (0, 0.5 + 146 / 1080, 0, 0.5 - 286 / 1080)
    )
    assert bar.motion.opacity.value == (128 / 255,) and bar.content == Generator(
        "colour", "Color", "#102030ff"
    )
    assert (bar.start, bar.duration, below.label) == (10, 30, "V1-")
    assert [(one.what, one.fate.value, one.minutes) for one in told.findings] == [("bar", "adapted", 1)]


def test_where_nothing_can_be_drawn_the_bar_stays_behind() -> None:
    told = taking(taking(context(), "titles", bar=False), "generators", kinds=[])
    title = only(told, TextRun("Kiln"), bar="#102030ff")
    assert title.bar is None and said(told) == [("title", "bar", "t", "left behind")]


@pytest.mark.parametrize(
    ("roll", "text", "spells", "goes"),
    [
        (None, "one", {"bar_lines": 2}, True),
        (None, "one\ntwo", {"bar_lines": 2}, True),
        (None, "one\ntwo\nthree", {"bar_lines": 2}, False),
        (Roll("up"), "one", {"bar_rolls": False}, False),
        (Roll("up"), "one", {"bar_rolls": True}, True),
        (None, "one", {"bar_rolls": False}, True),
    ],
)
def test_when_a_bar_goes_with_its_words(
    roll: Roll | None, text: str, spells: dict[str, Any], goes: bool
) -> None:
    told = spelling(taking(context(), "titles", bar=True, roll=True), titles=TitleSpelling(**spells))
    assert (only(told, TextRun(text), bar="#000000ff", roll=roll).bar is not None) is goes


def test_a_roll_that_cannot_move_stands_or_is_noted() -> None:
    told = taking(context(), "titles", roll=False)
    assert only(told, TextRun("Kiln"), roll=Roll("up")).roll is None
    assert [(one.what, one.before, one.after) for one in told.findings] == [("roll", "rolling", "standing")]
    noted = taking(context(choices=Choices({}, {"title|roll": Remedy.NOTE})), "titles", roll=False)
    left, work = words(noted, Title((TextRun("Kiln\nNight"),), roll=Roll("left")))
    assert left == [] and [one.name for one in work.markers] == ["Kiln"]


STYLED = TextRun(
    "Kiln",
    outline_color="#ff0000ff",
    outline_width=2.0,
    shadow=Shadow(),
    underline=True,
    tracking=3.0,
    leading=4.0,
    align="justify",
    color="#ffffff80",
)


@pytest.mark.parametrize(
    ("takes", "spells", "field", "left"),
    [
        ({"outline": False}, {}, "outline_width", None),
        ({"shadow": False}, {}, "shadow", None),
        ({"underline": False}, {}, "underline", False),
        ({}, {"tracking": False}, "tracking", None),
        ({}, {"leading": False}, "leading", None),
        ({}, {"aligns": frozenset({"left"})}, "align", None),
        ({}, {"see_through": False}, "color", "#ffffffff"),
    ],
)
def test_what_a_style_cannot_be_there_goes_and_the_rest_stays(
    takes: dict[str, Any], spells: dict[str, Any], field: str, left: object
) -> None:
    everything = {
        "outline": True,
        "shadow": True,
        "underline": True,
        "styles": True,
        "bar": True,
        "roll": True,
    }
    told = spelling(taking(context(), "titles", **{**everything, **takes}), titles=TitleSpelling(**spells))
    (run,) = only(told, STYLED).runs
    changed = {field: left, **({"outline_color": None} if field == "outline_width" else {})}
    assert run == replace(STYLED, **changed)
    assert [one.what for one in told.findings] == ["style"]


def test_one_style_for_all_words_is_that_of_the_first_that_can_be_seen() -> None:
    told = taking(context(), "titles", styles=False, outline=True, bar=True)
    runs = (TextRun("  ", size=10.0), TextRun("Kiln", size=60.0), TextRun(" Night", size=30.0))
    assert only(told, *runs).runs == (TextRun("  Kiln Night", size=60.0),)
    # Behind a bar every line keeps a style of its own.
    lines = only(
        told,
        TextRun("One\n", size=60.0),
        TextRun("Two", size=30.0),
        TextRun(" more", size=20.0),
        bar="#000000ff",
    )
    assert lines.runs == (TextRun("One\n", size=60.0), TextRun("Two more", size=30.0))


def test_titles_without_words_or_where_none_go_are_noted_with_their_words() -> None:
    told = taking(context(), "titles", carry=False)
    left, work = words(told, Title((TextRun("Kiln Night"),)))
    assert left == [] and [one.name for one in work.markers] == ["Kiln Night"]
    unknown = taking(context(), "titles", carry=True)
    left, work = words(unknown, Title((), words_known=False))
    assert left == [] and [one.name for one in work.markers] == ["Kiln"]


# ---- what items show


def test_a_generator_goes_by_its_kind_and_a_see_through_colour_makes_its_item_see_through() -> None:
    told = taking(context(), "generators", kinds=["colour"])
    item = Item(
        "g",
        "Wash",
        0,
        20,
        Generator("colour", "Colour", "#10203040", (("Color", "x"), ("Spin", "3"))),
        motion=Motion(opacity=curve([(0, 1.0), (10, 0.5)])),
    )
    work, lane = at_work(item, Item("n", "Noise", 20, 20, Generator("noise", "Noise")))
    contents(told, work)
    (made,) = lane.items
    assert made.content == Generator("colour", "Colour", "#102030ff") and made.motion is not None
    assert [key.value[0] for key in made.motion.opacity.keys] == pytest.approx([64 / 255, 32 / 255])
    assert [(one.what, one.before) for one in told.findings] == [
        ("colour", "#10203040"),
        ("settings", "Spin 3"),
        ("generator", None),
    ]
    assert [one.name for one in work.markers] == ["generator: Noise"]


def test_blends_alpha_and_labels_that_have_no_form() -> None:
    told = taking(taking(context(), "pictures", blends=["screen"], alpha=False), "tracks", labels=False)
    work, lane = at_work(
        clip("a", 0, 10, blend="multiply", alpha="straight", label="red"),
        clip("b", 10, 10, blend="screen", alpha="none"),
    )
    contents(told, work)
    a, b = lane.items
    assert (a.blend, a.alpha, a.label, b.blend, b.alpha) == ("normal", None, None, "screen", None)
    assert [one.what for one in told.findings] == ["blend mode", "alpha", "label"]


def test_filters_stay_where_they_are_known_and_are_named_elsewhere() -> None:
    blur = Effect("Blur", "blur", settings=(("radius", constant(20.0)),))
    odd = Effect(
        "Wobble", parameters=(Parameter("Amount", "3"),), raw=Raw("xmeml", "filter", "<filter/>", "")
    )
    told = taking(context("editing-lane-xml"), "filters", carry=True, known=["blur"])
    work, lane = at_work(clip("a", 0, 10, effects=(blur, odd)))
    contents(told, work)
    assert [one.name for one in lane.items[0].effects] == ["Blur"]
    assert [(one.kind.value, one.what, one.before) for one in told.findings] == [
        ("filter", "Wobble", "Amount 3")
    ]
    own = taking(context(), "filters", carry=True, known=[])
    work, lane = at_work(clip("a", 0, 10, effects=(blur, odd, Effect("CDL", "primaries"))))
    contents(own, work)
    assert [one.name for one in lane.items[0].effects] == ["Wobble"]
    assert [one.kind.value for one in own.findings] == ["filter", "colour"]


def test_an_adjustment_item_is_a_note_over_what_it_filtered() -> None:
    told = context()
    work, lane = at_work(Item("w", "Wash", 5, 20, Adjustment(), effects=(Effect("Tint"), Effect("Blur"))))
    contents(told, work)
    assert lane.items == [] and [(one.start, one.duration, one.name) for one in work.markers] == [
        (5, 20, "adjustment: Tint; Blur")
    ]
    left = context(choices=Choices({}, {"clip|adjustment": Remedy.LEAVE}))
    work, lane = at_work(Item("w", "Wash", 5, 20, Adjustment(), effects=(Effect("Tint"),)))
    contents(left, work)
    assert lane.items == [] and work.markers == []


def test_a_clip_of_a_medium_that_the_file_does_not_name_stays_behind() -> None:
    told = context()
    work, lane = at_work(replace(clip("a", 0, 10), content=MediaUse("nowhere")), clip("b", 10, 10))
    contents(told, work)
    assert [one.id for one in lane.items] == ["b"] and said(told) == [("clip", "clip", "a", "left behind")]


# ---- nests, angles


TWO = Angles((Angle("1", "Wide", media="m"), Angle("2", "Close", media="m", offset=2)), "2", "1", "Two")


def test_the_angle_in_use_stays_with_its_offset() -> None:
    told = taking(context(), "nests", angles=False)
    work, lane = at_work(Item("v", "Two", 0, 10, TWO, 4, motion=Motion()))
    angles(told, work)
    assert (lane.items[0].content, lane.items[0].source_in) == (MediaUse("m"), 6)
    assert [(one.before, one.after) for one in told.findings] == [("2 angles", "Close")]
    assert told.findings[0].why.endswith("left out: Wide")


@pytest.mark.parametrize(
    ("size", "motion_", "stays"),
    [
        ((None, None), Motion(), True),
        ((1920, 1080), Motion(), True),
        ((1280, 720), Motion(), False),
        ((1280, 720), Motion("fit"), True),
        ((1280, 720), Motion("fit", crop=constant(0.1, 0, 0, 0)), False),
        ((1280, 720), Motion("fit", anchor=constant(0.1, 0)), False),
    ],
)
def test_an_angle_that_is_not_fitted_is_no_multi_angle_clip_there(
    size: tuple[Any, Any], motion_: Motion, stays: bool
) -> None:
    told = taking(context(), "nests", angles=True)
    told.document = replace(told.document, media=(Media("m", "A.mov", width=size[0], height=size[1]),))
    work, lane = at_work(Item("v", "Two", 0, 10, TWO, 4, motion=motion_))
    work.sequence = replace(work.sequence, width=1920, height=1080)
    angles(told, work)
    assert isinstance(lane.items[0].content, Angles) is stays


@pytest.mark.parametrize(
    ("channels", "muted", "stays"), [((1, 2), (), True), ((1,), (), False), ((1, 2), (2,), False)]
)
def test_an_angle_of_which_not_all_is_heard_is_none_either(
    channels: tuple[int, ...], muted: tuple[int, ...], stays: bool
) -> None:
    told = taking(context(), "nests", angles=True)
    told.document = replace(told.document, media=(Media("m", "A.mov", channels=2),))
    work, lane = sound_lane(Item("v", "Two", 0, 10, TWO, 4, sound=Sound(channels, muted=muted)))
    angles(told, work)
    assert isinstance(lane.items[0].content, Angles) is stays


def nested_cut(told: Context, item: Item) -> tuple[Work, Lane]:
    inner = Sequence(
        "n",
        "Fires",
        PAL,
        tracks=(Track("video", (clip("in", 0, 50, 100), clip("in2", 50, 50, 300))),),
        top_level=False,
    )
    work, lane = at_work(item)
    told.document = replace(told.document, sequences=(work.sequence, inner))
    return work, lane


def test_a_nest_is_opened_in_its_place_and_its_markers_go_on_the_cut() -> None:
    told = taking(context(), "nests", carry=False)
    work, lane = nested_cut(
        told, Item("u", "Fires", 100, 60, NestedUse("n"), F(20, 25), markers=(Marker(5, name="Look"),))
    )
    nests(told, work)
    assert [(one.start, one.duration, one.source_in * 25) for one in lane.items] == [
        (100, 30, 120),
        (130, 30, 300),
    ]
    assert [(one.start, one.name) for one in work.markers] == [(105, "Look")]
    assert [(one.item_id, one.before, one.after) for one in told.findings] == [("u", "nested", "2 clips")]


def test_stems_that_cannot_be_off_are_on_and_hollow_nests_go() -> None:
    told = spelling(taking(context(), "nests", carry=True, stems_off=False), hollow_nests=False)
    work, lane = nested_cut(told, Item("u", "Fires", 0, 60, NestedUse("n", ("music", "effects"))))
    nests(told, work)
    assert lane.items[0].content == NestedUse("n")
    assert [(one.what, one.before, one.after) for one in told.findings] == [
        ("stems", "music, effects off", "all on")
    ]
    lane.kind = "audio"
    nests(told, work)
    assert lane.items == []


# ---- speeds


def test_rounded_corners_become_more_points_of_the_same_map() -> None:
    ramp = Variable((SpeedPoint(0, 4), SpeedPoint(20, 5, 4, 4), SpeedPoint(50, 8)))
    told = taking(context(), "speed", variable=True, rounded=False)
    work, lane = at_work(clip("a", 0, 50, speed=ramp))
    speeds(told, work)
    made = lane.items[0].speed
    # The corner goes from frame 16 to 24 and is followed on every frame of it; its ends are 4.8 and 5.4 s.
    assert isinstance(made, Variable) and not any(point.into or point.out for point in made.points)
    assert [point.time for point in made.points] == [0, *range(16, 25), 50]
    assert [made.points[place].source for place in (1, 9)] == [F(24, 5), F(27, 5)]
    # In the middle a quarter of the way between the corner and the middle of its ends.
    assert made.points[5].source == F(1, 4) * F(24, 5) + F(1, 2) * 5 + F(1, 4) * F(27, 5)
    assert [(one.before, one.after, one.minutes) for one in told.findings] == [("3 points", "11 points", 0)]


def test_speed_points_between_frames_give_way_to_the_frames_beside_them() -> None:
    # One second of source over 12.5 frames, then two over 37.5.
    ramp = Variable((SpeedPoint(0, 4), SpeedPoint(F(25, 2), 5), SpeedPoint(50, 7)))
    work, lane = at_work(clip("a", 0, 50, speed=ramp))
    told = context()
    speeds(told, work)
    made = lane.items[0].speed
    assert isinstance(made, Variable)
    assert [(point.time, point.source) for point in made.points] == [
        (0, 4),
        (12, F(124, 25)),
        (13, 5 + F(2, 75)),
        (50, 7),
    ]
    assert [(one.what, one.minutes) for one in told.findings] == [("speed ramp", 0)]
    elsewhere, lane = at_work(clip("a", 0, 50, speed=ramp))
    speeds(context("editing-lane-xml"), elsewhere)
    assert lane.items[0].speed is ramp


@pytest.mark.parametrize(
    ("speed", "part"),
    [
        (Constant(2), "constant"),
        (Constant(-1), "reverse"),
        (Constant(0), "freeze"),
        (Variable((SpeedPoint(0, 4), SpeedPoint(50, 8))), "variable"),
    ],
)
def test_a_speed_stays_exactly_where_its_kind_is_known(speed: Any, part: str) -> None:
    for known in (True, False):
        told = taking(context(), "speed", **{part: known})
        work, lane = at_work(clip("a", 0, 50, speed=speed))
        speeds(told, work)
        assert (lane.items[0].speed == speed) is known


# ---- tracks


def track(told: Context, **of: Any) -> tuple[Track, list[Item], list[str]]:
    work, lane = sound_lane(heard("a", 0, 10, Sound((1,))), **of)
    tracks(told, work)
    return lane.track, lane.items, [one.why for one in told.findings]


def test_what_tracks_say_and_what_has_no_form() -> None:
    told = taking(context(), "tracks", names=True, locks=False, outputs=False)
    made, _, why = track(told, name="Dialogue", locked=True, output=3)
    assert (made.name, made.locked, made.output) == ("Dialogue", False, None)
    assert why == ["its lock has no form there; it goes to output 3, which has no form there"]
    pair = taking(context(), "tracks", names=True, outputs=False)
    assert track(pair, output=2)[0].output is None and pair.findings == []
    whole = taking(context(), "tracks", names=True, locks=True, outputs=True)
    made, _, why = track(whole, name="Dialogue", locked=True, output=3)
    assert (made.locked, made.output, why) == (True, 3, [])


def test_a_track_that_cannot_be_off_switches_its_items_off() -> None:
    told = taking(context(), "sound", disabled_tracks=False)
    made, items, why = track(told, enabled=False)
    assert made.enabled and [one.enabled for one in items] == [False] and len(why) == 1


def test_where_tracks_have_no_names_they_become_roles() -> None:
    told = taking(context(), "tracks", names=False)
    made, _, why = track(told, name="Music 2")
    assert (made.name, made.stem, why) == ("", "Music", ["its name becomes its role"])
    plain = taking(context(), "tracks", names=False)
    assert track(plain)[0].stem == "dialogue" and plain.findings == []


def test_empty_tracks_go_but_for_the_lowest_picture_under_others() -> None:
    told = taking(context(), "tracks", empty=False)
    work, lane = at_work()
    work.lanes += [
        Lane("V2", "video", [clip("a", 0, 10)], [], Track("video")),
        Lane("V3", "video", [], [], Track("video")),
    ]
    empty_tracks(told, work)
    assert [one.label for one in work.lanes] == ["V1", "V2"] and lane.items == []
    kept = taking(context(), "tracks", empty=True)
    work.lanes[1].items = []
    empty_tracks(kept, work)
    assert len(work.lanes) == 2
    empty_tracks(told, work)
    assert work.lanes == []


# ---- around the cut


def library() -> tuple[Document, Sequence]:
    media = (
        Media("used", "A.mov", folder="Day 1"),
        Media("angle", "B.mov"),
        Media("take", "C.mov"),
        Media("spare", "D.mov", folder="Day 1"),
        Media("made", "Slug", synthetic=True),
    )
    inner = Sequence(
        "n",
        "In",
        PAL,
        tracks=(
            Track("video", (Item("i", "i", 0, 9, Angles((Angle("1", "W", media="angle"),), "1", None)),)),
        ),
    )
    items = (
        replace(
            clip("a", 0, 10),
            content=MediaUse("used"),
            raw=(Raw("fcpxml", "audition", '<x ref="take"/>', ""),),
        ),
        Item("u", "u", 10, 9, NestedUse("n")),
    )
    sequence = Sequence("s", "Cut", PAL, tracks=(Track("video", items),))
    return Document(
        "xmeml",
        "5",
        (sequence, inner),
        media,
        folders=(Folder("Day 1", ("used", "spare")), Folder("Cuts", ("s",))),
    ), sequence


def test_unused_is_what_no_clip_angle_nest_or_take_uses() -> None:
    document, sequence = library()
    assert [one.id for one in unused(document, sequence)] == ["spare"]
    assert [one.path for one in folders(document)] == ["Day 1"]
    bare = replace(document, sequences=(replace(sequence, tracks=()), document.sequences[1]))
    # What only stood in what does not go is not needed; what was unused before is another matter.
    assert [one.id for one in needed(bare, document, sequence).media] == ["spare", "made"]


@pytest.mark.parametrize(
    ("asked", "spells", "media", "kept", "unsent"),
    [
        (False, {}, ["used", "angle", "take", "made"], (), (("D.mov",), ("Day 1",))),
        (True, {}, ["used", "angle", "take", "spare", "made"], ("Day 1",), ((), ())),
        (True, {"folders": False}, ["used", "angle", "take", "spare", "made"], (), ((), ("Day 1",))),
        (
            True,
            {"unused_media": lambda media, pictures: False},
            ["used", "angle", "take", "made"],
            ("Day 1",),
            (("D.mov",), ()),
        ),
        (
            True,
            {"keeps_everything": True},
            ["used", "angle", "take", "spare", "made"],
            ("Day 1", "Cuts"),
            ((), ()),
        ),
    ],
)
def test_folders_and_unused_media_go_when_asked_for(
    asked: bool,
    spells: dict[str, Any],
    media: list[str],
    kept: tuple[str, ...],
    unsent: tuple[tuple[str, ...], tuple[str, ...]],
) -> None:
    document, sequence = library()
    told = context()
    told.spells, told.options = Spells(**spells), Options(organised=asked)
    made, left = organised(told, document, sequence, document)
    assert [one.id for one in made.media] == media and tuple(one.path for one in made.folders) == kept
    assert (left.media, left.folders) == unsent
    in_order = asked and spells.get("folders", True)
    assert made.media[0].folder == ("Day 1" if in_order else None)


# ---- links


def linked_cut() -> tuple[Work, Lane, Lane]:
    """Picture and sound of a at one place; b's sound half a second later; c at one place and not linked."""
    work, pictures = at_work(
        clip("a", 0, 50, 100, link="1"), clip("b", 50, 50, 200, link="2"), clip("c", 100, 50, 300)
    )
    heard_ = [
        heard("sa", 0, 50, Sound((1,)), source=100, link="1"),
        heard("sb", 62, 50, Sound((1,)), source=212, link="2"),
        heard("sc", 100, 50, Sound((1,)), source=300),
    ]
    lane = Lane("A1", "audio", heard_, [], Track("audio"))
    work.lanes.append(lane)
    return work, pictures, lane


def test_where_items_cannot_be_linked_all_links_are_one_finding() -> None:
    work, pictures, sounds_ = linked_cut()
    told = spelling(context(), links=False)
    sounds_.items.pop(1)
    links(told, work)
    assert not any(item.link for lane in work.lanes for item in lane.items)
    # b's partner stayed behind: nothing is left of that link to be lost.
    assert [(one.what, one.item_id, one.fate.value, one.minutes, one.before) for one in told.findings] == [
        ("links", "s", "left behind", 1, "1 link")
    ]
    assert "2 clips of picture and sound" in told.findings[0].why
    assert {change.thing for change in told.findings[0].changes} == {"a", "sa"}
    work, pictures, _ = linked_cut()
    kept = spelling(context(), links=True)
    links(kept, work)
    assert pictures.items[0].link == "1" and kept.findings == []


def test_where_links_go_by_place_those_at_one_place_stay_and_others_are_named() -> None:
    work, pictures, sounds_ = linked_cut()
    told = context("editing-lane-xml")
    linked_by_place(told, work)
    assert [item.link for item in pictures.items] == ["1", None, "c"]
    assert [item.link for item in sounds_.items] == ["1", None, "c"]
    assert [(one.what, one.fate.value, one.minutes) for one in told.findings] == [
        ("links", "left behind", 1),
        ("new links", "adapted", 0),
    ]
    assert {change.thing for change in told.findings[0].changes} == {"b", "sb"}
    assert {change.thing for change in told.findings[1].changes} == {"c", "sc"}


def test_a_link_that_is_lost_or_won_is_a_difference_where_it_is_asked_for() -> None:
    work, _, _ = linked_cut()
    one = replace(
        work.sequence, tracks=tuple(replace(lane.track, items=tuple(lane.items)) for lane in work.lanes)
    )
    document = Document("xmeml", "5", (one,), (Media("m", "A.mov"),))

    def linked(**names: str | None) -> Document:
        tracks_ = tuple(
            replace(
                track, items=tuple(replace(item, link=names.get(item.id, item.link)) for item in track.items)
            )
            for track in one.tracks
        )
        return replace(document, sequences=(replace(one, tracks=tracks_),))

    def told(other: Document) -> list[tuple[Any, ...]]:
        found = compare(document, one, other, other.sequences[0], whole=True)
        return [(x.what, x.item_id, x.before, x.after) for x in found]

    # Names say nothing, only who belongs together.
    assert told(linked(a="x", sa="x")) == []
    assert told(linked(a=None)) == [("link", "a", ["sa"], [])]
    assert told(linked(c="9", sc="9")) == [("link", "c", [], ["sc"])]
    assert told(linked(a="2")) == [("link", "a", ["sa"], ["b", "sb"])]
    lost = linked(a=None)
    assert compare(document, one, lost, lost.sequences[0]) == []


# ---- the plan as a whole


def test_an_archive_changes_nothing_and_takes_the_other_cuts_along() -> None:
    document, sequence = library()
    other = Sequence("o", "Other cut", PAL, tracks=(Track("video", (clip("x", 0, 9),)),))
    document = replace(document, sequences=(*document.sequences, other))
    made = plan(document, sequence, find_destination("archive-otio"))
    assert made.findings == () and [one.id for one in made.document.sequences] == ["s", "n", "o"]
    elsewhere = plan(document, sequence, find_destination("editing-track-xml"))
    assert [one.id for one in elsewhere.document.sequences] == ["s", "n"]


def test_settings_of_a_known_filter_follow_their_eases_within_a_two_hundred_and_fiftieth() -> None:
    eased = Curve((0.0,), (Key(0, (0.0,), Ease.SMOOTH), Key(20, (50.0,)), Key(30, (50.0,))))
    blur = Effect("Blur", "blur", settings=(("radius", eased), ("amount", curve([(0, 0.0), (30, 9.0)]))))
    told = taking(
        taking(context("editing-lane-xml"), "filters", carry=True, known=["blur"]),
        "keyframes",
        interpolations=["linear"],
    )
    work, lane = at_work(clip("a", 0, 40, effects=(blur,)))
    contents(told, work)
    settings = dict(lane.items[0].effects[0].settings)
    assert settings["amount"] == curve([(0, 0.0), (30, 9.0)]) and len(settings["radius"].keys) > 4
    (finding,) = told.findings
    assert (finding.kind.value, finding.what, finding.before) == ("filter", "Blur", "3 keyframes")
    # 0.4 % of 50.
    assert finding.deviation is not None and 0.0 < finding.deviation[0] <= 0.2
    between = taking(
        taking(context("editing-lane-xml"), "filters", carry=True, known=["blur"]),
        "keyframes",
        interpolations=["linear"],
        whole_frames=True,
    )
    half = Effect(
        "Blur", "blur", settings=(("radius", Curve((0.0,), (Key(F(1, 2), (0.0,)), Key(20, (50.0,))))),)
    )
    work, lane = at_work(clip("a", 0, 40, effects=(half,)))
    contents(between, work)
    assert all(isinstance(key.time, int) for key in dict(lane.items[0].effects[0].settings)["radius"].keys)


def test_a_task_stays_one_where_every_kind_goes() -> None:
    task = Marker(3, kind="task", done=True)
    for kinds in (None, frozenset({"task"})):
        told = taking(spelling(context(), markers=MarkerSpelling(kinds=kinds)), "markers", kinds=True)
        assert marked(told, task)[0] == [task]


def test_pieces_of_another_dialect_on_a_track_go_one_by_one_and_own_ones_stay() -> None:
    raws = (
        Raw("fcpxml", "odd", "<a/>", ""),
        Raw("xmeml", "own", "<b/>", ""),
        Raw("fcpxml", "odd", "<c/>", ""),
    )
    told = context()
    made, _, _ = track(told, raw=raws)
    assert made.raw == (raws[1],)
    assert [one.what for one in told.findings] == ["odd", "odd (2)"]


def test_faults_are_called_by_name_or_kind() -> None:
    unnamed = replace(clip("a", 5, 10), name="")
    told = [
        fault(Book.WRITE, Aspect.NAME, thing, "V1", 1, 2)
        for thing in (clip("a", 5, 10), unnamed, Marker(3, 2), Transition("t", "", "wipe", 5, 4, 7), None)
    ]
    assert [(one.item, one.item_id, one.start, one.stop) for one in told] == [
        ("shot a", "a", 5, 15),
        ("clip", "a", 5, 15),
        ("marker", "marker@3:", 3, 5),
        ("wipe", "t", 5, 9),
        ("", "", 0, 0),
    ]
    assert not any(one.explained for one in told) and {one.book for one in told} == {"what was written"}


def test_media_only_of_what_stays_behind_stay_behind() -> None:
    picture = Media("m", "A.mov", "/k/A.mov", rate=PAL, video=True, duration=900)
    sound = Media("boom", "boom.wav", "/k/boom.wav", channels=1, audio=True, sample_rate=48000, duration=900)
    items = (replace(heard("s", 0, 50, Sound((1,))), content=MediaUse("boom")),)
    sequence = Sequence("s", "Cut", PAL, tracks=(Track("video", (clip("a", 0, 50),)), Track("audio", items)))
    document = Document("xmeml", "5", (sequence,), (picture, sound))
    assert [one.id for one in plan(document, sequence, find_destination("mixing-omf")).document.media] == [
        "boom"
    ]
    kept = plan(document, sequence, find_destination("editing-lane-xml")).document.media
    assert {one.id for one in kept} == {"m", "boom"}


def test_what_a_title_does_not_have_is_not_lost() -> None:
    told = taking(context(), "titles", outline=False, shadow=False, underline=False, styles=False)
    only(
        spelling(told, titles=TitleSpelling(tracking=False, leading=False, aligns=frozenset({"left"}))),
        TextRun("Kiln", align="left", color="#ffffffff"),
    )
    assert told.findings == []


def test_only_styles_that_there_are_are_lost() -> None:
    told = taking(context(), "titles", outline=False, shadow=False, underline=False)
    run = TextRun("Kiln", underline=True)
    only(told, run)
    assert [(one.what, one.why) for one in told.findings] == [("style", "no underlines there")]


@pytest.mark.parametrize(
    ("name", "picture", "told"),
    [
        ("mixing-aaf-embedded", "", 0),  # none is wanted
        ("mixing-aaf-embedded", "/nowhere/reference.mov", 1),
        ("finishing-aaf", "/nowhere/reference.mov", 0),  # its pictures go themselves
        ("mixing-omf", "/nowhere/reference.mov", 0),  # there is no way to link one
    ],
)
def test_a_reference_picture_is_looked_for_only_where_it_is_wanted_and_can_go(
    name: str, picture: str, told: int
) -> None:
    at = taking(context(name), "turnover", reference=picture)
    work, _ = at_work(clip("a", 0, 40))
    reference(at, work)
    assert [(one.what, one.why) for one in at.findings] == [
        ("reference picture", "/nowhere/reference.mov cannot be read as a picture")
    ] * told
    inner, _ = at_work(clip("a", 0, 40))
    inner.prefix = "Fires › "
    other = taking(context(name), "turnover", reference=picture)
    reference(other, inner)
    assert other.findings == []


def test_what_happens_to_a_sound_is_said_at_its_earliest_use() -> None:
    medium = Media(
        "boom",
        "Boom.wav",
        "/gone/Boom.wav",
        duration=2000,
        rate=Rate(25),
        sample_rate=48000,
        channels=2,
        audio=True,
    )
    uses = {"late": 300, "first": 20, "later": 90}
    tracks = tuple(
        Track("audio", (Item(key, key, at, 50, MediaUse("boom"), 2, sound=Sound((1,))),))
        for key, at in uses.items()
    )
    cut = Sequence("s", "Cut", Rate(25), 0, sample_rate=48000, tracks=tracks)
    document = Document("xmeml", "5", (cut,), (medium,))
    found = made_for(document, cut, find_destination("mixing-omf"), lambda _: None, "")
    ((finding),) = found.findings
    assert (finding.what, finding.item_id, finding.track, finding.start, finding.minutes) == (
        "sound",
        "first",
        "A2",
        20,
        1.0,
    )


# ---- what nearby tests passed over


def test_one_eased_key_among_straight_ones_bends_the_line() -> None:
    told = taking(context(), "keyframes", interpolations=["linear"])
    drawn = curve([(0, -20.0), (20, 0.0), (39, -6.0)], domain="gain")
    eased = replace(drawn, keys=(replace(drawn.keys[0], ease=Ease.SMOOTH), *drawn.keys[1:]))
    assert leveled(told, Sound((1,), drawn)).level == drawn and told.findings == []
    assert len(leveled(told, Sound((1,), eased)).level.keys) > 3
    assert [one.what for one in told.findings] == ["level"]
    # The same for one key between two frames where keys stand on whole ones.
    whole = taking(context(), "keyframes", whole_frames=True)
    between = replace(drawn, keys=(drawn.keys[0], replace(drawn.keys[1], time=F(41, 2)), drawn.keys[2]))
    assert leveled(whole, Sound((1,), drawn)).level == drawn and whole.findings == []
    assert all(isinstance(key.time, int) for key in leveled(whole, Sound((1,), between)).level.keys)
    assert [one.what for one in whole.findings] == ["level"]


def test_a_filter_that_is_noted_leaves_a_marker_with_its_settings() -> None:
    blur = Effect(
        "Soft glow", parameters=(Parameter("radius", "12"),), raw=Raw("fcpxml", "filter-video", "<x/>")
    )

    def dressed(remedy: Remedy) -> tuple[Item, Work]:
        told = context("finishing-aaf", Choices({}, {"filter": remedy}))
        work, lane = at_work(clip("a", 5, 40, effects=(blur,)))
        contents(told, work)
        assert lane.items[0].effects == ()
        return lane.items[0], work

    item, work = dressed(Remedy.NOTE)
    (note,) = [*work.markers, *item.markers]
    assert f"{note.name} {note.comment}".strip() == "Soft glow: radius 12"
    item, work = dressed(Remedy.LEAVE)
    assert [*work.markers, *item.markers] == []


def test_a_title_without_words_says_so_and_one_that_is_not_taken_says_that() -> None:
    told = context()
    words(told, Title((), words_known=False))
    assert [one.why for one in told.findings] == ["the file holds this title without its words"]
    none = taking(context(), "titles", carry=False)
    words(none, Title((TextRun("Kiln"),)))
    assert [one.why for one in none.findings] == ["no text on the far side"]


def test_settings_of_a_plain_template_are_told_too() -> None:
    told = context("editing-lane-xml")
    title = Title((TextRun("Kiln", size=50.0),), template="Text", raw=(Raw("xmeml", "effect", "<x/>"),))
    only(told, *title.runs, template=title.template, raw=title.raw)
    assert not any(one.what == "template" for one in told.findings)
    told = context("editing-lane-xml")
    only(told, *title.runs, template="Text", raw=title.raw, parameters=(Parameter("Fade", "3"),))
    assert [one.before for one in told.findings if one.what == "template"] == ["Text: Fade 3"]


def test_nothing_stays_nothing_in_a_fault() -> None:
    thing = clip("a", 0, 10)
    found = fault(Book.WRITE, Aspect.LABEL, thing, "V1", None, Motion())
    assert found.before is None and str(found.after).startswith("Motion(")


@pytest.mark.parametrize(("told", "rate"), [(44_100, 44_100), (None, 48_000)])
def test_sound_is_made_at_the_rate_of_the_cut(told: int | None, rate: int) -> None:
    items = (heard("a", 0, 50, Sound((1,))),)
    sequence = Sequence("s", "Cut", PAL, tracks=(Track("audio", items),), sample_rate=told)
    document = Document("xmeml", "5", (sequence,), (Media("m", "A.wav", audio=True, channels=1),))
    made = made_for(document, sequence, find_destination("mixing-aaf-linked"), lambda _media: None, "media")
    assert {piece.rate for piece in made.pieces.values()} == {rate}
