"""Versions of a cut in few rows: time that was inserted or taken out is one, with all else where it was. By hand."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

import pytest

from wexodos.carryover.tickets import touched
from wexodos.compare import Difference, compare, compare_versions
from wexodos.model import (
    Document,
    Item,
    Marker,
    Media,
    MediaUse,
    Motion,
    Sequence,
    Sound,
    TextRun,
    Title,
    Track,
    Transition,
    constant,
    curve,
)
from wexodos.timing import Rate

PAL = Rate(25)
MEDIA = tuple(
    Media(f"m{n}", f"fire{n}.mov", duration=2000, rate=PAL, width=64, height=32, video=True, audio=True)
    for n in range(8)
)


def item(name: str, start: int, length: int, medium: int, into: int = 10, **more: object) -> Item:
    return Item(name, name, start, length, MediaUse(f"m{medium}"), Fraction(into, 25), **more)  # type: ignore[arg-type]


def sequence(*tracks: Track, markers: tuple[Marker, ...] = (), length: int | None = None) -> Sequence:
    return Sequence(
        "s", "Kiln", PAL, width=64, height=32, tracks=tracks, markers=markers, stated_duration=length
    )


LOW = Track(
    "video",
    tuple(item(f"v{n}", n * 100, 100, n, into=20 + n) for n in range(6)),
    (Transition("t", "Cross", "dissolve", 390, 20, 400),),
)
HIGH = Track("video", (item("w0", 150, 30, 6), item("w1", 450, 30, 7)))
SOUND = Track("audio", (item("a0", 0, 300, 0, sound=Sound((1,))), item("a1", 300, 300, 1, sound=Sound((1,)))))
CUT = sequence(LOW, HIGH, SOUND, markers=(Marker(320, name="door"),))


def later(one: Sequence, place: int, by: int) -> Sequence:
    """All that begins at or behind a place, later."""

    def moved(track: Track) -> Track:
        return replace(
            track,
            items=tuple(replace(each, start=each.start + by * (each.start >= place)) for each in track.items),
            transitions=tuple(
                replace(each, start=each.start + by, cut=each.cut + by) if each.cut >= place else each
                for each in track.transitions
            ),
        )

    marks = tuple(replace(each, start=each.start + by * (each.start >= place)) for each in one.markers)
    return replace(one, tracks=tuple(map(moved, one.tracks)), markers=marks)


def rows(new: Sequence) -> list[tuple[object, ...]]:
    a, b = Document("xmeml", "5", (CUT,), MEDIA), Document("xmeml", "5", (new,), MEDIA)
    told: list[Difference] = compare_versions(a, CUT, b, new)
    return [(one.kind, str(one.what), one.item, one.start, one.before, one.after) for one in told]


def test_time_inserted_at_the_head_is_one_row() -> None:
    new = later(CUT, 0, 25)
    assert rows(new) == [("moved", "record start", "10 items from here on", 0, 0, 25)]
    a, b = Document("xmeml", "5", (CUT,), MEDIA), Document("xmeml", "5", (new,), MEDIA)
    assert len(compare(a, CUT, b, new)) > 12


def test_a_clip_that_is_put_in_and_what_it_pushes_on() -> None:
    new = later(CUT, 300, 40)
    low = replace(new.tracks[0], items=(*new.tracks[0].items, item("new", 300, 40, 7, into=700)))
    new = replace(new, tracks=(low, *new.tracks[1:]))
    assert rows(new) == [
        ("moved", "record start", "5 items from here on", 300, 300, 340),
        ("added", "clip", "new", 300, None, "new"),
    ]


def test_a_clip_that_is_taken_out_and_what_moves_up() -> None:
    new = later(CUT, 300, -100)
    low = replace(
        new.tracks[0], items=tuple(one for one in new.tracks[0].items if one.id != "v2"), transitions=()
    )
    sound = replace(
        new.tracks[2], items=(replace(new.tracks[2].items[0], duration=200), new.tracks[2].items[1])
    )
    found = rows(replace(new, tracks=(low, new.tracks[1], sound)))
    assert ("moved", "record start", "5 items from here on", 300, 300, 200) in found
    assert ("gone", "clip", "v2", 200, "v2", None) in found
    assert ("trimmed", "record end", "a0", 0, 300, 200) in found
    # The dissolve that is gone, and what is seen in its place.
    assert {one[2] for one in found if one[2] not in ("5 items from here on", "v2", "a0")} <= {
        "Cross",
        "v3",
        "v4",
    }


def test_what_was_changed_besides_is_told_where_it_was() -> None:
    new = later(CUT, 0, 25)
    low = new.tracks[0]
    slipped = replace(low.items[4], source_in=Fraction(33, 25))
    low = replace(low, items=(*low.items[:4], slipped, low.items[5]))
    assert rows(replace(new, tracks=(low, *new.tracks[1:]))) == [
        ("moved", "record start", "10 items from here on", 0, 0, 25),
        ("slipped", "source in", "v4", 400, 24, 33),
    ]


def test_two_clips_that_were_moved_are_two_rows() -> None:
    high = replace(HIGH, items=tuple(replace(one, start=one.start + 7) for one in HIGH.items))
    assert rows(replace(CUT, tracks=(LOW, high, SOUND))) == [
        ("moved", "record start", "w0", 150, 150, 157),
        ("moved", "record start", "w1", 450, 450, 457),
    ]


def test_a_whole_track_that_was_moved_is_no_shift_of_everything() -> None:
    # Eight of the eleven things that begin there.
    low = replace(LOW, items=(LOW.items[0], LOW.items[2], LOW.items[4]), transitions=())
    many = Track("video", tuple(item(f"x{n}", 120 + n * 50, 30, 6, into=10 + 40 * n) for n in range(8)))
    late = replace(many, items=tuple(replace(one, start=one.start + 7) for one in many.items))
    before, after = sequence(low, many, SOUND), sequence(low, late, SOUND)
    a, b = Document("xmeml", "5", (before,), MEDIA), Document("xmeml", "5", (after,), MEDIA)
    told = compare_versions(a, before, b, after)
    assert [(one.kind, one.item, one.before, one.after) for one in told] == [
        ("moved", f"x{n}", 120 + n * 50, 127 + n * 50) for n in range(8)
    ]


def test_a_shift_is_what_somebody_did_over_there() -> None:
    """Held against what was sent one by one: the row of the shift stays, and what was slipped besides."""
    new = later(CUT, 0, 25)
    low = new.tracks[0]
    slipped = replace(low.items[4], source_in=Fraction(33, 25))
    low = replace(low, items=(*low.items[:4], slipped, low.items[5]))
    new = replace(new, tracks=(low, *new.tracks[1:]))
    a, b = Document("xmeml", "5", (CUT,), MEDIA), Document("xmeml", "5", (new,), MEDIA)
    found = touched(compare_versions(a, CUT, b, new), compare(a, CUT, b, new), {})
    assert [(one.kind, one.item_id, one.before, one.after) for one in found] == [
        ("moved", "", 0, 25),
        ("slipped", "v4", 24, 33),
    ]


def in_another_frame(share: int, fit: str = "none") -> Sequence:
    """The cut with every picture placed, in a frame so many times as large, with all that is in it."""

    def larger(one: Item) -> Item:
        if one.sound is not None:
            return one
        if isinstance(one.content, Title):
            return replace(one, content=replace(one.content, origin=(4.0 * share, -2.0 * share)))
        scale = constant(0.5 * (share if fit == "none" else 1), 0.5 * (share if fit == "none" else 1))
        moving = curve([(0, (0.0, 0.0)), (50, (8.0 * share, 4.0 * share))])
        return replace(one, motion=Motion(fit=fit, position=moving, scale=scale))

    words = Item("words", "words", 500, 50, Title((TextRun("Kiln"),), origin=(4.0, -2.0)), 0, motion=Motion())
    high = replace(HIGH, items=(*HIGH.items, words))
    tracks = tuple(replace(track, items=tuple(map(larger, track.items))) for track in (LOW, high, SOUND))
    return replace(CUT, width=64 * share, height=32 * share, tracks=tracks)


@pytest.mark.parametrize("fit", ["none", "fit"])
def test_everything_in_another_frame_is_one_row(fit: str) -> None:
    before, after = in_another_frame(1, fit), in_another_frame(3, fit)
    a, b = Document("xmeml", "5", (before,), MEDIA), Document("xmeml", "5", (after,), MEDIA)
    assert len(compare(a, before, b, after)) > 9
    told = compare_versions(a, before, b, after)
    assert [(one.kind, one.what, one.before, one.after) for one in told] == [
        ("settings", "frame size", "64×32", "192×96")
    ]
    # What was placed otherwise besides is told, in the frame it stood in; and so is a shift.
    low = after.tracks[0]
    moved = replace(low.items[2], motion=replace(low.items[2].motion, position=constant(30.0, 15.0)))  # type: ignore[type-var]
    low = replace(low, items=(*low.items[:2], moved, *low.items[3:]))
    new = later(replace(after, tracks=(low, *after.tracks[1:])), 0, 25)
    b = Document("xmeml", "5", (new,), MEDIA)
    rest = compare_versions(a, before, b, new)
    assert [(one.kind, str(one.what), one.item_id) for one in rest if one.what != "position"] == [
        ("settings", "frame size", ""),
        ("moved", "record start", ""),
    ]
    (place,) = [one for one in rest if one.what == "position"]
    assert place.item_id == "v2" and place.after == pytest.approx([32 + 10, 16 + 5])
    # Other pixels are told: their frame is another.
    thin = replace(after, pixel_aspect=Fraction(16, 15))
    b = Document("xmeml", "5", (thin,), MEDIA)
    assert any(one.what == "pixel aspect" for one in compare_versions(a, before, b, thin))
    wide, left = replace(after, width=256), replace(before, width=192, height=96)
    if fit == "none":
        # A frame of another shape is no size.
        b = Document("xmeml", "5", (wide,), MEDIA)
        assert compare_versions(a, before, b, wide) == compare(a, before, b, wide)
        # What keeps its pixels in the middle of another frame is where it was.
        b = Document("xmeml", "5", (left,), MEDIA)
        assert [one.what for one in compare_versions(a, before, b, left)] == ["frame size"]
