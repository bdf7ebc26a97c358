"""What a planning step works with."""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import chain
from typing import Any

from wexodos.carryover.findings import FATE_OF, MINUTES, Choices, Fate, Finding, Remedy
from wexodos.carryover.options import Options
from wexodos.destinations import Destination
from wexodos.model import Document, Item, Marker, Sequence, Track, Transition
from wexodos.timing import Exact


@dataclass(slots=True)
class Lane:
    """A track while it is being adapted."""

    label: str
    kind: str
    items: list[Item]
    transitions: list[Transition]
    track: Track
    _last: int = 0

    def swap(self, item: Item, new: Item) -> None:
        """Put ``new`` in the place of ``item``, the very same value. Steps go from the first to the last, so
        the search goes on where the last one ended."""
        start = min(self._last, len(self.items))
        for place in chain(range(start, len(self.items)), range(start)):
            if self.items[place] is item:
                self.items[place], self._last = new, place
                return


@dataclass(slots=True)
class Work:
    """A sequence while it is being adapted; ``shift`` and ``prefix`` say where a nested one is first seen in
    the whole.

    ``own`` holds the keys of markers that a step put in; they are no findings of their own. ``unfolded``
    holds the ids of items that came out of nests. ``plain`` asks for notes in plain letters.
    """

    sequence: Sequence
    lanes: list[Lane]
    markers: list[Marker]
    shift: Exact = 0
    prefix: str = ""
    track: str = ""
    own: set[str] = field(default_factory=set)
    unfolded: set[str] = field(default_factory=set)
    plain: bool = False


@dataclass(slots=True)
class Context:
    """The document, the destination, the choices, and the findings so far."""

    document: Document
    destination: Destination
    choices: Choices
    options: Options = Options()
    findings: list[Finding] = field(default_factory=list)

    def decide(self, kind: str, what: str, item_id: str, *options: Remedy) -> Remedy:
        """The remedy chosen for a thing; the first option by default. Where no markers go, nothing can be
        noted."""
        if not self.destination.markers.carry and len(options) > 1:
            options = tuple(one for one in options if one is not Remedy.NOTE)
        return self.choices.pick(f"{kind}|{what}|{item_id}", kind, what, options)

    def minutes(self, kind: str, fate: Fate) -> float:
        """The repair budget of one thing: the destination's own rate, or ours."""
        own = self.destination.minutes.get(kind)
        adapted, lost = MINUTES.get(kind, (1.0, 2.0))
        if fate in (Fate.CARRIED, Fate.BAKED):
            return 0.0
        if fate is Fate.ADAPTED:
            return adapted if own is None else min(adapted, own)
        return lost if own is None else own

    def find(
        self,
        work: Work,
        kind: str,
        what: str,
        place: Item | Transition | tuple[Exact, Exact],
        track: str,
        fate: Fate,
        why: str,
        do: str,
        covers: tuple[str, ...] = (),
        also: tuple[str, ...] = (),
        item_id: str | None = None,
        name: str | None = None,
        remedy: Remedy | None = None,
        remedies: tuple[Remedy, ...] = (),
        before: Any = None,
        after: Any = None,
        deviation: tuple[float, str] | None = None,
        minutes: float | None = None,
        everywhere: tuple[str, ...] = (),
    ) -> None:
        """Write a finding down."""
        if isinstance(place, tuple):
            start, stop, own_name, own_id = place[0], place[1], "", ""
        else:
            start, stop = place.start, place.end
            own_name = place.name or (place.kind if isinstance(place, Item) else place.type)
            own_id = place.id
        shown = own_name if name is None else name
        self.findings.append(
            Finding(
                kind,
                what,
                f"{work.prefix}{shown}",
                own_id if item_id is None else item_id,
                work.track or track,
                start + work.shift,
                stop + work.shift,
                fate,
                why,
                do,
                remedy,
                remedies,
                before,
                after,
                deviation,
                self.minutes(kind, fate) if minutes is None else minutes,
                True,
                frozenset(covers),
                frozenset(also),
                frozenset(f"{track[:1]}:{one}" for one in everywhere),
            )
        )

    def remedied(
        self,
        work: Work,
        kind: str,
        what: str,
        place: Item | Transition,
        track: str,
        remedy: Remedy,
        remedies: tuple[Remedy, ...],
        why: str,
        do: str,
        covers: tuple[str, ...],
        **more: Any,
    ) -> None:
        """Write down a finding whose fate follows from the chosen remedy."""
        self.find(
            work,
            kind,
            what,
            place,
            track,
            FATE_OF[remedy],
            why,
            do,
            covers,
            remedy=remedy,
            remedies=remedies,
            **more,
        )
