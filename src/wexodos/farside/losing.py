"""What rooms lose without meaning to: looks of titles, filters, wipes, freezes; and how a cut leaves them."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from typing import Any

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination, load_all
from wexodos.farside.habits import Done, Habit
from wexodos.formats import FORMATS
from wexodos.model import Document, Generator, Item, MediaUse, Sequence, TextRun, Title, Track, Transition
from wexodos.model.speed import NORMAL, is_freeze

_OTHERWISE = "editing-track-xml"
_SOFT = ("dissolve", "dip")
_PLAIN: dict[str, Any] = {"name": "", "pattern": None, "direction": None, "softness": None, "border": None}


def dissolved(joins: Iterable[Transition], done: Done) -> tuple[Transition, ...]:
    """Transitions with dissolves in the place of what is none."""
    found = []
    for one in joins:
        if one.type in _SOFT or one.type.startswith("audio"):
            found.append(one)
            continue
        done.add(one.id, "", "wipe became a dissolve", one.type)
        found.append(replace(one, type="dissolve", raw=(), parameters=(), **_PLAIN))
    return tuple(found)


def without(sequence: Sequence, habits: set[Habit], done: Done) -> Sequence:
    """A cut after what its room loses."""
    return replace(
        sequence,
        tracks=tuple(
            _poorer(track, habits, done) if track.kind == "video" else track for track in sequence.tracks
        ),
    )


def _poorer(track: Track, habits: set[Habit], done: Done) -> Track:
    ways: list[tuple[Habit, Callable[[Item], Item | None], str]] = [
        (Habit.NO_TITLES, lambda one: None if isinstance(one.content, Title) else one, "title left out"),
        (Habit.PLAIN_TITLES, _plain_title, "title is plain"),
        (Habit.BLACK_TITLES, _blackened, "title is black"),
        (Habit.NO_FILTERS, lambda one: replace(one, effects=()), "filters left out"),
        (Habit.FREEZES_LOST, _thawed, "freeze lost"),
    ]
    items: list[Item] = []
    for item in track.items:
        now: Item | None = item
        for habit, way, words in ways:
            if habit in habits and now is not None:
                before, now = now, way(now)
                if now != before:
                    done.add(item.id, "", words)
        if now is not None:
            items.append(now)
    joins = dissolved(track.transitions, done) if Habit.WIPES_TO_DISSOLVES in habits else track.transitions
    ends = {one.start for one in items} | {one.end for one in items}
    return replace(track, items=tuple(items), transitions=tuple(one for one in joins if one.cut in ends))


def _plain_title(item: Item) -> Item:
    content = item.content
    if not isinstance(content, Title) or not content.words_known:
        return item
    return replace(item, content=Title((TextRun(content.words),), template=content.template))


def _blackened(item: Item) -> Item:
    return replace(item, content=Generator("black"), raw=()) if isinstance(item.content, Title) else item


def _thawed(item: Item) -> Item:
    if not isinstance(item.content, MediaUse) or item.still or not is_freeze(item.speed):
        return item
    return replace(item, speed=NORMAL)


def sent_back(document: Document, sequence: Sequence) -> tuple[bytes, str]:
    """The file in which a room sends a cut back, and its suffix: in the format it came in where an editing
    room is sent that, else in Track XML. Raises ``UnprovedError``, ``WriteError``."""
    fitting = [one for one in load_all()[0] if one.for_ == "editing" and one.format == document.format]
    destination = fitting[0] if fitting else find_destination(_OTHERWISE)
    within = tuple(sequence if one.id == sequence.id else one for one in document.sequences)
    carried = carry_over(replace(document, sequences=within), sequence, destination)
    carried.prove(sequence.name)
    return carried.data, FORMATS[destination.format].suffix
