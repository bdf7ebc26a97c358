"""Sixty edits, each made alone by hand: the one that was made is named, and little else."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from typing import Any

import pytest

from wexodos.compare import compare_versions
from wexodos.model import (
    Constant,
    Curve,
    Document,
    Effect,
    Fade,
    Generator,
    Item,
    Key,
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
)
from wexodos.timing import Rate

PAL = Rate(25)
MOST = 3
"""Rows that an edit may have."""
MEDIA = tuple(
    Media(
        f"M{number}", f"M{number}.mov", f"/kiln/M{number}.mov", start=90_000 * number, duration=3000, rate=PAL,
        width=1920, height=1080, channels=2, sample_rate=48_000, video=True, audio=True,
    )
    for number in range(6)
)  # fmt: skip
GREY = Effect("Desaturate", "desaturate", settings=(("amount", constant(1.0)),))


def picture(number: int, start: int, duration: int, into: int, **more: Any) -> Item:
    given = {"motion": Motion(), **more}
    return Item(
        f"v{number}",
        f"Shot {number}",
        start,
        duration,
        MediaUse(f"M{number % 6}"),
        PAL.seconds(into),
        **given,
    )


def heard(number: int, start: int, duration: int, into: int, **more: Any) -> Item:
    given = {"sound": Sound(channels=(1, 2)), **more}
    return Item(
        f"a{number}",
        f"Sound {number}",
        start,
        duration,
        MediaUse(f"M{number % 6}"),
        PAL.seconds(into),
        **given,
    )


V = [picture(at, 100 * at, 100, 200 + 100 * at) for at in range(8)]
V[5] = replace(V[5], effects=(GREY,), speed=Constant(Fraction(1, 2)))
V[6] = replace(V[6], motion=Motion(scale=constant(1.2, 1.2), position=constant(100.0, 0.0)))
A = [heard(at, 100 * at, 100, 200 + 100 * at) for at in range(8)]
A[3] = replace(A[3], sound=Sound(channels=(1, 2), level=constant(-6.0), fade_in=Fade(12)))
T = [
    Item(
        f"t{at}",
        f"Title {at}",
        50 + 300 * at,
        60,
        Title((TextRun(f"Cone {at}", size=40.0),)),
        motion=Motion(),
    )
    for at in range(2)
]
JOINS = (
    Transition("j1", "Dissolve", "dissolve", 90, 20, 100),
    Transition("j2", "Wipe", "wipe", 390, 20, 400, pattern=1, direction="left to right"),
)
MARKS = (Marker(130, name="Look here"), Marker(520, name="Again"))
CUT = Sequence(
    "s",
    "Kiln Night",
    PAL,
    start=90_000,
    width=1920,
    height=1080,
    sample_rate=48_000,
    markers=MARKS,
    tracks=(
        Track("video", tuple(V), transitions=JOINS),
        Track("video", tuple(T), name="Titles"),
        Track("audio", tuple(A), name="Dialogue"),
    ),
)
Edit = Callable[[], Sequence]


def tracks(**new: Any) -> Sequence:
    """The cut with other items (``v``, ``t``, ``a``) or transitions (``j``)."""
    first, titles, sound = CUT.tracks
    return replace(
        CUT,
        tracks=(
            replace(first, items=tuple(new.get("v", V)), transitions=tuple(new.get("j", JOINS))),
            replace(titles, items=tuple(new.get("t", T))),
            replace(sound, items=tuple(new.get("a", A))),
        ),
    )


def one(row: str, at: int, **changes: Any) -> Edit:
    """One item with something else of it."""
    rows = {"v": V, "t": T, "a": A}[row]
    return lambda: tracks(**{row: [replace(each, **changes) if each is rows[at] else each for each in rows]})


def sized(at: int, **changes: Any) -> Edit:
    return one("v", at, motion=replace(V[at].motion or Motion(), **changes))


def sounding(at: int, **changes: Any) -> Edit:
    return one("a", at, sound=replace(A[at].sound or Sound(), **changes))


def worded(at: int, **changes: Any) -> Edit:
    return one("t", at, content=replace(T[at].content, **changes))  # type: ignore[type-var]


def without(row: str, at: int) -> Edit:
    rows = {"v": V, "t": T, "a": A}[row]
    return lambda: tracks(**{row: [each for each in rows if each is not rows[at]]})


def pushed(by: int, behind: int) -> Sequence:
    """Everything from a place on stands so many frames later."""

    def later(items: list[Item]) -> list[Item]:
        return [replace(each, start=each.start + by) if each.start >= behind else each for each in items]

    joins = [
        replace(each, start=each.start + by, cut=each.cut + by) if each.cut >= behind else each
        for each in JOINS
    ]
    marks = tuple(replace(each, start=each.start + by) if each.start >= behind else each for each in MARKS)
    return replace(tracks(v=later(V), t=later(T), a=later(A), j=joins), markers=marks)


def inserted(at: int) -> Sequence:
    made = pushed(50, at)
    new = (picture(90, at, 50, 1500), heard(90, at, 50, 1500))
    first, titles, sound = made.tracks
    return replace(
        made,
        tracks=(
            replace(first, items=tuple(sorted((*first.items, new[0]), key=lambda each: each.start))),
            titles,
            replace(sound, items=tuple(sorted((*sound.items, new[1]), key=lambda each: each.start))),
        ),
    )


def joined(at: int, **changes: Any) -> Edit:
    return lambda: tracks(j=[replace(each, **changes) if each is JOINS[at] else each for each in JOINS])


KEYED = Curve((1.0,), (Key(0, (1.0,)), Key(50, (0.2,))))
EDITS: dict[str, tuple[Edit, str, str, str]] = {
    # What was done, the row that must be there: its kind, what, and the item.
    "end trimmed": (one("v", 2, duration=90), "trimmed", "record end", "Shot 2"),
    "end of the last one longer": (one("v", 7, duration=130), "trimmed", "record end", "Shot 7"),
    "beginning trimmed": (
        one("v", 3, start=310, duration=90, source_in=PAL.seconds(510)),
        "trimmed",
        "record start",
        "Shot 3",
    ),
    "slipped by one": (one("v", 1, source_in=PAL.seconds(301)), "slipped", "source in", "Shot 1"),
    "slipped far": (one("v", 4, source_in=PAL.seconds(1400)), "slipped", "source in", "Shot 4"),
    "sound slipped": (one("a", 4, source_in=PAL.seconds(604)), "slipped", "source in", "Sound 4"),
    "sound slipped by a sample": (
        one("a", 5, source_in=PAL.seconds(700) + Fraction(1, 48_000)),
        "slipped",
        "source in",
        "Sound 5",
    ),
    "moved into the open": (one("t", 0, start=90), "moved", "record start", "Title 0"),
    "moved by a frame": (one("t", 1, start=351), "moved", "record start", "Title 1"),
    "twice as fast": (one("v", 2, speed=Constant(2)), "changed", "speed", "Shot 2"),
    "backwards": (one("v", 2, speed=Constant(-1), source_in=PAL.seconds(500)), "changed", "speed", "Shot 2"),
    "frozen": (one("v", 1, speed=Constant(0)), "changed", "speed", "Shot 1"),
    "speed taken away": (one("v", 5, speed=Constant(1)), "changed", "speed", "Shot 5"),
    "lifted": (without("v", 4), "gone", "clip", "Shot 4"),
    "title gone": (without("t", 0), "gone", "title", "Title 0"),
    "sound gone": (without("a", 2), "gone", "clip", "Sound 2"),
    "title put in": (
        lambda: tracks(t=[*T, Item("t9", "New", 200, 40, Title((TextRun("New"),)), motion=Motion())]),
        "added",
        "title",
        "New",
    ),
    "clip put over it": (lambda: tracks(t=[*T, picture(9, 600, 40, 100)]), "added", "clip", "Shot 9"),
    "black put in": (
        lambda: tracks(t=[*T, Item("g", "Black", 200, 40, Generator("black"), motion=Motion())]),
        "added",
        "generator",
        "Black",
    ),
    "a second at the head": (lambda: pushed(25, 0), "moved", "record start", ""),
    "a frame at the head": (lambda: pushed(1, 0), "moved", "record start", ""),
    "two seconds behind the third": (lambda: pushed(50, 300), "moved", "record start", ""),
    "a clip put in between": (lambda: inserted(300), "added", "clip", "Shot 90"),
    "a clip put in at the head": (lambda: inserted(0), "added", "clip", "Shot 90"),
    "replaced": (
        one("v", 2, content=MediaUse("M5"), source_in=PAL.seconds(40)),
        "changed",
        "media",
        "Shot 2",
    ),
    "other words": (worded(0, runs=(TextRun("Cone nine", size=40.0),)), "retitled", "words", "Title 0"),
    "larger words": (worded(0, runs=(TextRun("Cone 0", size=48.0),)), "changed", "style", "Title 0"),
    "words elsewhere": (worded(1, origin=(10.0, 40.0)), "changed", "place of the words", "Title 1"),
    "larger": (sized(1, scale=constant(1.1, 1.1)), "changed", "size", "Shot 1"),
    "a hundredth larger": (sized(1, scale=constant(1.01, 1.01)), "changed", "size", "Shot 1"),
    "to the left": (sized(1, position=constant(-30.0, 0.0)), "changed", "position", "Shot 1"),
    "turned": (sized(2, rotation=constant(5.0)), "changed", "rotation", "Shot 2"),
    "cropped": (sized(2, crop=constant(0.1, 0.0, 0.0, 0.0)), "changed", "crop", "Shot 2"),
    "half seen through": (sized(3, opacity=constant(0.5)), "changed", "opacity", "Shot 3"),
    "faded by keys": (sized(3, opacity=KEYED), "changed", "opacity", "Shot 3"),
    "sizing taken away": (one("v", 6, motion=Motion()), "changed", "size", "Shot 6"),
    "added to what is beneath": (one("v", 1, blend="add"), "changed", "blend mode", "Shot 1"),
    "a filter put on": (one("v", 1, effects=(GREY,)), "changed", "filters", "Shot 1"),
    "a filter taken off": (one("v", 5, effects=()), "changed", "filters", "Shot 5"),
    "a filter weaker": (
        one("v", 5, effects=(replace(GREY, settings=(("amount", constant(0.4)),)),)),
        "changed",
        "filter settings",
        "Shot 5",
    ),
    "switched off": (one("v", 2, enabled=False), "changed", "enabled", "Shot 2"),
    "sound switched off": (one("a", 2, enabled=False), "changed", "enabled", "Sound 2"),
    "renamed": (one("v", 2, name="Shot two"), "changed", "name", "Shot 2"),
    "a note": (one("v", 2, note="too dark"), "changed", "note", "Shot 2"),
    "a label": (one("v", 2, label="blue"), "changed", "label", "Shot 2"),
    "louder": (sounding(1, level=constant(3.0)), "changed", "level", "Sound 1"),
    "a tenth louder": (sounding(3, level=constant(-5.9)), "changed", "level", "Sound 3"),
    "to the right": (sounding(1, pan=constant(0.5)), "changed", "pan", "Sound 1"),
    "fades in longer": (sounding(3, fade_in=Fade(20)), "changed", "fade in", "Sound 3"),
    "fades out": (sounding(3, fade_out=Fade(10)), "changed", "fade out", "Sound 3"),
    "one channel": (sounding(2, channels=(1,)), "changed", "channels", "Sound 2"),
    "dissolve gone": (lambda: tracks(j=JOINS[1:]), "gone", "transition", ""),
    "dissolve put in": (
        lambda: tracks(j=[*JOINS, Transition("j3", "Dissolve", "dissolve", 690, 20, 700)]),
        "added",
        "transition",
        "",
    ),
    "dissolve longer": (joined(0, start=85, duration=30), "changed", "transition length", ""),
    "wipe to a dissolve": (
        joined(1, type="dissolve", pattern=None, direction=None),
        "changed",
        "transition",
        "",
    ),
    "wipe the other way": (joined(1, direction="right to left"), "changed", "transition direction", ""),
    "marker gone": (lambda: replace(CUT, markers=MARKS[1:]), "gone", "marker", "Look here"),
    "marker put in": (
        lambda: replace(CUT, markers=(*MARKS, Marker(700, name="New"))),
        "added",
        "marker",
        "New",
    ),
    "track switched off": (
        lambda: replace(CUT, tracks=(*CUT.tracks[:2], replace(CUT.tracks[2], enabled=False))),
        "changed",
        "track enabled",
        "",
    ),
    "another frame": (lambda: replace(CUT, width=1280, height=720), "settings", "frame size", ""),
    "another start": (lambda: replace(CUT, start=0), "settings", "start timecode", ""),
}


def test_there_are_sixty() -> None:
    assert len(EDITS) >= 60


@pytest.mark.parametrize("name", EDITS)
def test_the_edit_that_was_made_is_named(name: str) -> None:
    edit, kind, what, item = EDITS[name]
    new = edit()
    a, b = (Document("otio", "1", (cut,), MEDIA) for cut in (CUT, new))
    rows = [(row.kind, row.what, row.item) for row in compare_versions(a, CUT, b, new)]
    assert any(row[:2] == (kind, what) and item in row[2] for row in rows), rows
    assert len(rows) <= MOST, rows
    # And from the other side there is something to tell as well.
    assert compare_versions(b, new, a, CUT) and compare_versions(a, CUT, a, CUT) == []
