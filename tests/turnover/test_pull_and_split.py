"""Pull lists and split turnovers, worked out by hand."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction as F

import pytest

from wexodos.model import (
    Constant,
    Document,
    Item,
    Media,
    MediaUse,
    NestedUse,
    Sequence,
    Sound,
    Track,
    Transition,
)
from wexodos.timing import Rate
from wexodos.turnover.pull import as_csv, pulls
from wexodos.turnover.splitting import groups_of_tracks, reels, with_reel, with_tracks

PAL = Rate(25)
WIDE = Media("m", "A003C012.mov", "/kiln/A003C012.mov", "A003", 900_000, False, 800, PAL, video=True)


def clip(name: str, start: int, length: int, source: object, **more: object) -> Item:
    return Item(name, name, start, length, MediaUse("m"), F(source) / 25, **more)  # type: ignore[arg-type]


def listed(
    *items: Item,
    handles: object = 0,
    media: Media = WIDE,
    joins: tuple[Transition, ...] = (),
    **track: object,
) -> list[tuple[int, int, int]]:
    sequence = Sequence("s", "Cut", PAL, tracks=(Track("video", items, joins, **track),))  # type: ignore[arg-type]
    document = Document("xmeml", "5", (sequence,), (media,))
    return [(one.start, one.end, one.clips) for one in pulls(document, sequence, F(handles))]  # type: ignore[arg-type]


def test_a_pull_counts_from_timecode_zero_with_its_handles_as_far_as_the_medium_goes() -> None:
    assert listed(clip("a", 0, 50, 100)) == [(900_100, 900_150, 1)]
    assert listed(clip("a", 0, 50, 100), handles=1) == [(900_075, 900_175, 1)]
    assert listed(clip("a", 0, 50, 10), handles=1) == [(900_000, 900_085, 1)]
    assert listed(clip("a", 0, 50, 740), handles=1) == [(900_715, 900_800, 1)]
    # A part of a frame needs the whole frame.
    assert listed(clip("a", 0, 50, F(201, 2))) == [(900_100, 900_151, 1)]
    assert listed(clip("a", 0, 50, 740), handles=1, media=replace(WIDE, duration=None)) == [
        (900_715, 900_815, 1)
    ]


def test_stretches_that_overlap_or_touch_are_pulled_once() -> None:
    assert listed(clip("a", 0, 50, 100), clip("b", 50, 50, 150)) == [(900_100, 900_200, 2)]
    assert listed(clip("a", 0, 50, 100), clip("b", 50, 50, 151)) == [
        (900_100, 900_150, 1),
        (900_151, 900_201, 1),
    ]
    assert listed(clip("a", 0, 90, 100), clip("b", 90, 20, 110)) == [(900_100, 900_190, 2)]
    assert listed(clip("a", 0, 50, 200), clip("b", 50, 50, 100), handles=1) == [(900_075, 900_275, 2)]


def test_what_is_off_is_not_pulled_and_a_frozen_or_still_frame_is_one() -> None:
    assert listed(clip("a", 0, 50, 100, enabled=False)) == []
    assert listed(clip("a", 0, 50, 100), enabled=False) == []
    assert listed(clip("a", 0, 50, 100, speed=Constant(0))) == [(900_100, 900_101, 1)]
    assert listed(clip("a", 0, 50, 100, speed=Constant(2))) == [(900_100, 900_200, 1)]
    assert listed(clip("a", 0, 50, 100), media=replace(WIDE, still=True, start=7)) == [(7, 8, 1)]
    assert listed(clip("a", 0, 50, 100), media=replace(WIDE, synthetic=True)) == []


def test_a_dissolve_pulls_what_it_reaches_into_and_nests_are_entered() -> None:
    join = Transition("t", "Dissolve", "dissolve", 45, 12, 50)
    assert listed(clip("a", 0, 50, 100), clip("b", 50, 50, 300), joins=(join,)) == [
        (900_100, 900_157, 1),
        (900_295, 900_350, 1),
    ]
    inner = Sequence("n", "Fires", PAL, tracks=(Track("video", (clip("in", 0, 30, 500),)),), top_level=False)
    outer = Sequence("s", "Cut", PAL, tracks=(Track("video", (Item("u", "u", 0, 20, NestedUse("n")),)),))
    found = pulls(Document("xmeml", "5", (outer, inner), (WIDE,)), outer, 0)
    assert [(one.start, one.end) for one in found] == [(900_500, 900_530)]


def test_the_table_counts_frames_and_says_timecodes() -> None:
    sequence = Sequence("s", "Cut", PAL, tracks=(Track("video", (clip("a", 0, 50, 100),)),))
    rows = pulls(Document("xmeml", "5", (sequence,), (WIDE,)), sequence, 0)
    assert as_csv(rows).decode().splitlines() == [
        "Source,Reel,In,Out,Frames,Rate,Clips,Path",
        "A003C012.mov,A003,10:00:04:00,10:00:06:00,50,25,1,/kiln/A003C012.mov",
    ]


# ---- splitting


@pytest.mark.parametrize(
    ("sizes", "groups"),
    [
        ([4, 6, 1], [["A1", "A2"], ["A3"]]),
        ([4, 7, 3], [["A1"], ["A2", "A3"]]),
        ([12, 1, 1], [["A1"], ["A2", "A3"]]),
        ([5, 5, 5], [["A1", "A2"], ["A3"]]),
        ([10], [["A1"]]),
        ([], []),
    ],
)
def test_neighbouring_tracks_stay_together_up_to_the_room_there_is(
    sizes: list[int], groups: list[list[str]]
) -> None:
    assert groups_of_tracks({f"A{n}": size for n, size in enumerate(sizes, 1)}, 10) == groups


def sound(name: str, start: int, length: int) -> Item:
    return Item(name, name, start, length, MediaUse("m"), sound=Sound((1,)))


def row(*items: Item, joins: tuple[Transition, ...] = (), length: int = 0) -> Sequence:
    tracks = (Track("video", (clip("v", 0, 10, 0),)), Track("audio", items, joins), Track("audio"))
    return Sequence("s", "Cut", PAL, tracks=tracks, stated_duration=length or None)


def test_reels_part_where_no_sound_is_cut() -> None:
    three = row(sound("a", 0, 40), sound("b", 40, 35), sound("c", 75, 25))
    # The middle of 100 is 50: 40 is nearer than 75.
    assert reels(three, 2) == [(0, 40), (40, 100)]
    assert reels(three, 3) == [(0, 40), (40, 75), (75, 100)]
    assert reels(three, 1) == [(0, 100)]
    # Nowhere free: at the nearest whole frame.
    assert reels(row(sound("a", 0, 101)), 2) == [(0, 50), (50, 101)]
    # An edge between two frames is no place to part.
    off = row(sound("a", 0, F(99, 2)), sound("b", F(99, 2), F(51, 2)), sound("c", 75, 25))  # type: ignore[arg-type]
    assert reels(off, 2) == [(0, 75), (75, 100)]
    # A crossfade over a cut, and another track over it, keep it whole.
    join = Transition("t", "Cross fade", "audio-linear", 35, 10, 40)
    assert reels(row(sound("a", 0, 40), sound("b", 40, 35), sound("c", 75, 25), joins=(join,)), 2) == [
        (0, 75),
        (75, 100),
    ]


def test_a_reel_holds_what_begins_in_it_and_everything_stays_in_its_place() -> None:
    joins = (
        Transition("t", "Cross fade", "audio-linear", 35, 10, 40),
        Transition("u", "Cross fade", "audio-linear", 70, 10, 75),
    )
    whole = row(sound("a", 0, 40), sound("b", 40, 35), sound("c", 75, 25), joins=joins, length=130)
    second = with_reel(whole, 40, 100, 2)
    assert (second.name, second.duration) == ("Cut reel 2", 130)
    assert [(one.id, one.start) for one in second.audio_tracks[0].items] == [("b", 40), ("c", 75)]
    # Both crossfades have a clip of the reel beside them.
    assert [one.id for one in second.audio_tracks[0].transitions] == ["t", "u"]
    third = with_reel(whole, 75, 100, 3)
    assert [one.id for one in third.audio_tracks[0].transitions] == ["u"]
    assert second.video_tracks == whole.video_tracks


def test_a_group_of_tracks_keeps_its_places_and_says_which() -> None:
    whole = row(sound("a", 0, 40), length=130)
    one, both = with_tracks(whole, ["A2"]), with_tracks(whole, ["A1", "A2"])
    assert (one.name, len(one.audio_tracks), len(one.video_tracks), one.duration) == ("Cut A2", 1, 1, 130)
    assert (both.name, both.tracks) == ("Cut A1-A2", whole.tracks)
