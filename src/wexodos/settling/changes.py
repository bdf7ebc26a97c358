"""Recorded changes: what the plan did to the cut, each with what stood there before and after, and why."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

from wexodos.compare import marker_key
from wexodos.compare.aspects import Aspect
from wexodos.compare.fields import changed
from wexodos.model import Item, Marker, Media, Sequence, Track, Transition
from wexodos.settling.vocabulary import RULES, Cause, Fate, Kind, Remedy, Rule
from wexodos.timing import Exact


class Thing(StrEnum):
    """What an entry is about."""

    ITEM = "item"
    TRANSITION = "transition"
    MARKER = "marker"
    TRACK = "track"
    LAYOUT = "layout"
    SETTINGS = "settings"
    MEDIA = "media"


@dataclass(frozen=True, slots=True)
class Change:
    """One aspect of one thing, before and after; ``thing`` is its id, or its track's label."""

    aspect: Aspect
    thing: str
    before: Any
    after: Any


@dataclass(slots=True, eq=False)
class Reason:
    """Why something is changed: a finding in the making, with the entries made for it.

    ``start`` and ``stop`` in frames of the whole sequence. ``within`` is how far what arrives may lie from
    what left, in the unit of ``deviation``, where that was followed on purpose.
    """

    cause: Cause
    kind: Kind
    what: str
    item: str
    item_id: str
    track: str
    start: Exact
    stop: Exact
    fate: Fate
    why: str
    do: str
    remedy: Remedy | None = None
    remedies: tuple[Remedy, ...] = ()
    before: Any = None
    after: Any = None
    deviation: tuple[float, str] | None = None
    minutes: float = 0.0
    within: float | None = None
    always: bool = False
    entries: list[Entry] = field(default_factory=list)

    @property
    def rule(self) -> Rule:
        return RULES[self.cause]

    @property
    def changes(self) -> Iterator[Change]:
        for entry in self.entries:
            yield from entry.changes()


@dataclass(slots=True, eq=False)
class Entry:
    """One line of the book: what stood there, what stands there now; None where it comes or goes.

    ``label`` is the track it stood on, ``into`` the one it stands on now. ``shift`` is where the sequence
    begins in the whole.
    """

    thing: Thing
    before: Any
    after: Any
    label: str
    into: str
    reason: Reason
    _told: tuple[Change, ...] | None = field(default=None, init=False, repr=False)

    def changes(self) -> tuple[Change, ...]:
        """What of the thing differs, aspect by aspect."""
        if self._told is None:
            # Findings, their causes and their promises all ask.
            self._told = tuple(self._differing())
        return self._told

    def _differing(self) -> Iterator[Change]:
        if self.thing is Thing.LAYOUT:
            yield Change(Aspect.TRACK_ORDER, self.label, list(self.before), list(self.after))
        elif self.before is None or self.after is None:
            yield Change(
                _COMES_AND_GOES.get(self.thing, Aspect.PRESENCE),
                self.name,
                _words(self.before),
                _words(self.after),
            )
        else:
            if self.label != self.into:
                yield Change(Aspect.TRACK, self.name, self.label, self.into)
            for one in changed(self.before, self.after):
                yield Change(one.aspect, self.name, one.before, one.after)

    @property
    def name(self) -> str:
        """The id of the thing; tracks go by their label, markers by place and words."""
        value = self.before if self.before is not None else self.after
        if isinstance(value, Marker):
            return marker_key(value.start, value)
        if isinstance(value, Item | Transition | Sequence | Media):
            return value.id
        if self.thing is Thing.TRACK:
            return f"track:{self.label or self.into}"
        return "tracks"


_COMES_AND_GOES = {Thing.MARKER: Aspect.MARKER, Thing.TRACK: Aspect.TRACK_ORDER, Thing.MEDIA: Aspect.MEDIA}
"""What it is called that a thing comes or goes; an item or a transition as such."""


def _words(value: Any) -> str | None:
    if value is None:
        return None
    if isinstance(value, Transition):
        return value.type
    if isinstance(value, Marker):
        return value.name or "marker"
    if isinstance(value, Track | Media):
        return value.name
    return str(value.name or value.kind)
