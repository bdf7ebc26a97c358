"""What a planning step works with: the cut at work, which changes only through recorded changes."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from itertools import chain
from typing import Any

from wexodos.model import Document, Effect, Item, Marker, Media, Raw, Sequence, Track, Transition
from wexodos.settling.changes import Entry, Reason, Thing
from wexodos.settling.findings import Choices, Finding, finding_of
from wexodos.settling.options import Options
from wexodos.settling.receiver import Destination
from wexodos.settling.spells import Spells
from wexodos.settling.vocabulary import (
    BAKED_FOR,
    BAKED_KINDS,
    BLEND_MODE,
    FATE_OF,
    MINUTES,
    ONE_BY_ONE,
    REMEDY_OF,
    RULES,
    Cause,
    Fate,
    Kind,
    Remedy,
)
from wexodos.timing import Exact


@dataclass(slots=True)
class Lane:
    """A track while it is being adapted. Its label stays what it was when the lane was made."""

    label: str
    kind: str
    items: list[Item]
    transitions: list[Transition]
    track: Track
    _last: int = 0

    def place(self, item: Item) -> int:
        """Where the very same value stands. Steps go from the first to the last, so the search goes on where
        the last one ended."""
        start = min(self._last, len(self.items))
        for place in chain(range(start, len(self.items)), range(start)):
            if self.items[place] is item:
                self._last = place
                return place
        raise ValueError(f"{item.id} does not stand on {self.label}")


@dataclass(slots=True)
class Work:
    """A sequence while it is being adapted; ``shift`` and ``prefix`` say where a nested one is first seen in
    the whole.

    ``own`` holds the keys of markers that a step put in; they are no findings of their own. ``unfolded``
    holds the ids of items that came out of nests.

    Steps look at ``lanes``, ``markers`` and ``sequence`` and change them through the methods here, which
    write every change into ``entries``; the second book holds the adapted cut against them.
    """

    sequence: Sequence
    lanes: list[Lane]
    markers: list[Marker]
    shift: Exact = 0
    prefix: str = ""
    track: str = ""
    own: set[str] = field(default_factory=set)
    marked: int = 0
    unfolded: set[str] = field(default_factory=set)
    entries: list[Entry] = field(default_factory=list)

    def _write(self, thing: Thing, before: Any, after: Any, label: str, into: str, reason: Reason) -> None:
        entry = Entry(thing, before, after, label, into, reason)
        self.entries.append(entry)
        reason.entries.append(entry)

    # ---- items

    def put(self, lane: Lane, item: Item, new: Item, reason: Reason) -> Item:
        """Put ``new`` in the place of ``item``, the very same value."""
        if new is item or new == item:
            return item
        lane.items[lane.place(item)] = new
        self._write(Thing.ITEM, item, new, lane.label, lane.label, reason)
        return new

    def take(self, lane: Lane, item: Item, reason: Reason) -> None:
        """Take an item out, leaving its time empty."""
        del lane.items[lane.place(item)]
        self._write(Thing.ITEM, item, None, lane.label, "", reason)

    def take_all(self, lane: Lane, reasons: list[tuple[Item, Reason]]) -> None:
        """Empty a lane; taking thousands out one by one would look through all the rest each time."""
        lane.items = []
        for item, reason in reasons:
            self._write(Thing.ITEM, item, None, lane.label, "", reason)

    def add(self, lane: Lane, items: list[Item], reason: Reason) -> None:
        """Lay items on a lane at their places."""
        lane.items = sorted([*lane.items, *items], key=lambda one: one.start)
        for item in items:
            self._write(Thing.ITEM, None, item, "", lane.label, reason)

    def move(self, lane: Lane, into: Lane, item: Item, reason: Reason) -> None:
        """Move an item to another lane."""
        del lane.items[lane.place(item)]
        into.items = sorted([*into.items, item], key=lambda one: one.start)
        self._write(Thing.ITEM, item, item, lane.label, into.label, reason)

    # ---- transitions

    def put_join(self, lane: Lane, one: Transition, new: Transition, reason: Reason) -> Transition:
        """Put a transition in the place of another, the very same value."""
        if new is one or new == one:
            return one
        lane.transitions[_place(lane, one)] = new
        self._write(Thing.TRANSITION, one, new, lane.label, lane.label, reason)
        return new

    def take_join(self, lane: Lane, one: Transition, reason: Reason) -> None:
        """Take a transition out; the cut stays."""
        del lane.transitions[_place(lane, one)]
        self._write(Thing.TRANSITION, one, None, lane.label, "", reason)

    def add_joins(self, lane: Lane, joins: list[Transition], reason: Reason) -> None:
        """Lay transitions on a lane at their places."""
        lane.transitions = sorted([*lane.transitions, *joins], key=lambda one: one.start)
        for one in joins:
            self._write(Thing.TRANSITION, None, one, "", lane.label, reason)

    def move_join(self, lane: Lane, into: Lane, one: Transition, reason: Reason) -> None:
        """Move a transition to another lane."""
        del lane.transitions[_place(lane, one)]
        into.transitions = sorted([*into.transitions, one], key=lambda other: other.start)
        self._write(Thing.TRANSITION, one, one, lane.label, into.label, reason)

    # ---- markers of the sequence

    def mark(self, marker: Marker, reason: Reason) -> None:
        """Put a marker on the sequence."""
        self.markers.append(marker)
        self._write(Thing.MARKER, None, marker, "", "", reason)

    def put_mark(self, marker: Marker, new: Marker | None, reason: Reason) -> None:
        """Put a marker in the place of another, the very same value; None takes it out."""
        # They come in their order: the next one stands where the last was, or right behind it.
        order = range(self.marked, len(self.markers)), range(min(self.marked, len(self.markers)))
        place = next(number for part in order for number in part if self.markers[number] is marker)
        self.marked = place
        if new is None:
            del self.markers[place]
        elif new == marker:
            return
        else:
            self.markers[place] = new
        self._write(Thing.MARKER, marker, new, "", "", reason)

    # ---- tracks and the sequence itself

    def lay_lane(self, at: int, lane: Lane, reason: Reason) -> Lane:
        """Put a new, empty lane among the others."""
        before = self.layout
        lane.label = self._fresh(lane.label)
        self.lanes.insert(at, lane)
        self._write(Thing.TRACK, None, bare(lane.track), "", lane.label, reason)
        self._write(Thing.LAYOUT, before, self.layout, lane.label, lane.label, reason)
        return lane

    def take_lane(self, lane: Lane, reason: Reason) -> None:
        """Take an empty lane out."""
        before = self.layout
        self.lanes.remove(lane)
        self._write(Thing.TRACK, bare(lane.track), None, lane.label, "", reason)
        self._write(Thing.LAYOUT, before, self.layout, lane.label, lane.label, reason)

    def reorder(self, lanes: list[Lane], reason: Reason) -> None:
        """Put the lanes into another order."""
        before = self.layout
        self.lanes = lanes
        self._write(Thing.LAYOUT, before, self.layout, "", "", reason)

    def put_track(self, lane: Lane, track: Track, reason: Reason) -> None:
        """Change what a track says of itself."""
        before, after = bare(lane.track), bare(track)
        if before != after:
            lane.track = after
            self._write(Thing.TRACK, before, after, lane.label, lane.label, reason)

    def put_settings(self, sequence: Sequence, reason: Reason) -> None:
        """Change what the sequence says of itself; its tracks and markers are those at work."""
        if settings(self.sequence) != settings(sequence):
            self._write(Thing.SETTINGS, settings(self.sequence), settings(sequence), "", "", reason)
            self.sequence = sequence

    @property
    def layout(self) -> tuple[str, ...]:
        """The labels of the lanes, in their order."""
        return tuple(lane.label for lane in self.lanes)

    def _fresh(self, label: str) -> str:
        taken, number, found = set(self.layout), 2, label
        while found in taken:
            found, number = f"{label}{number}", number + 1
        return found


def _place(lane: Lane, one: Transition) -> int:
    return next(number for number, other in enumerate(lane.transitions) if other is one)


def bare(track: Track) -> Track:
    """What a track says of itself, without what stands on it."""
    return replace(track, items=(), transitions=())


def settings(sequence: Sequence) -> Sequence:
    """What a sequence says of itself, without tracks and markers."""
    return replace(sequence, tracks=(), markers=())


@dataclass(frozen=True, slots=True)
class Choice:
    """A remedy chosen for one thing, with the options there were: decided and reported under the same key."""

    kind: Kind
    what: str
    item_id: str
    remedy: Remedy
    options: tuple[Remedy, ...]


@dataclass(slots=True)
class Context:
    """The document, the destination and what its format can spell, the choices, and the reasons so far;
    ``original`` is the document as it was.

    ``bakeable`` are the ids of items that can be rendered, and the filters that can be rendered with them,
    each as its item's id and its name. Those that are ``wanted`` so are known when all was gone through;
    they are ``bakes`` when it is gone through again. ``renders`` are what is to be made for them, for
    ``folder``. ``hidden`` are the ids of the sequences of which the whole shows renders only: they are heard.
    """

    document: Document
    destination: Destination
    spells: Spells
    choices: Choices
    options: Options = Options()
    reasons: list[Reason] = field(default_factory=list)
    entries: list[Entry] = field(default_factory=list)
    bakeable: frozenset[str | tuple[str, str]] = frozenset()
    bakes: Mapping[str, Choice] = field(default_factory=dict)
    renders: list[Any] = field(default_factory=list)
    folder: str = ""
    hidden: frozenset[str] = frozenset()
    original: Document = field(init=False)

    def __post_init__(self) -> None:
        self.original = self.document

    def put_media(self, media: Media, new: Media, reason: Reason) -> None:
        """Change what is said of a medium; every sequence that uses it sees it so from now on."""
        found = tuple(new if one is media else one for one in self.document.media)
        self.document = replace(self.document, media=found)
        self._write(media, new, reason)

    def add_media(self, media: Media, reason: Reason) -> None:
        """Bring a medium along that was not there."""
        self.document = replace(self.document, media=(*self.document.media, media))
        self._write(None, media, reason)

    def take_media(self, media: Media, reason: Reason) -> None:
        """Leave a medium out that nothing uses any more."""
        found = tuple(one for one in self.document.media if one is not media)
        self.document = replace(self.document, media=found)
        self._write(media, None, reason)

    def _write(self, before: Media | None, after: Media | None, reason: Reason) -> None:
        entry = Entry(Thing.MEDIA, before, after, "", "", reason)
        self.entries.append(entry)
        reason.entries.append(entry)

    def own(self, raws: Iterable[Raw]) -> bool:
        """Whether any piece is written in the dialect that will be written."""
        return any(raw.dialect == self.destination.format for raw in raws)

    def as_written(self, effect: Effect) -> bool:
        """Whether a filter goes over in the spelling it came in."""
        return self.destination.filters.carry and effect.raw is not None and self.own((effect.raw,))

    def takes(self, effect: Effect) -> bool:
        """Whether the far side has a filter."""
        known = self.destination.filters.known
        return self.as_written(effect) or (effect.kind in known and bool(effect.settings))

    def foreign(self, raws: Iterable[Raw]) -> list[Raw]:
        """The pieces that belong to another dialect than the one that will be written."""
        return [raw for raw in raws if raw.dialect != self.destination.format]

    def decide(
        self, cause: Cause, what: str, item_id: str, *options: Remedy, kind: Kind | None = None
    ) -> Choice:
        """The remedy chosen for a thing; the first option by default. Where no markers go, nothing can be
        noted."""
        if not self.destination.markers.carry and len(options) > 1:
            options = tuple(one for one in options if one is not Remedy.NOTE)
        about = kind or RULES[cause].kind
        return self._chosen(about, what, item_id, options)

    def _chosen(self, kind: Kind, what: str, item_id: str, options: tuple[Remedy, ...]) -> Choice:
        """The same; where it is to be rendered the default stands for now (see ``wanted``)."""
        if not self._can_be_baked(kind, what, item_id):
            return Choice(kind, what, item_id, self.choices.pick(kind, what, item_id, options), options)
        every = (*options, Remedy.BAKE)
        picked = self.choices.pick(kind, what, item_id, every)
        return Choice(kind, what, item_id, options[0] if picked is Remedy.BAKE else picked, every)

    def _can_be_baked(self, kind: Kind, what: str, item_id: str) -> bool:
        thing = (item_id, what) if kind in ONE_BY_ONE else item_id
        return kind in BAKED_KINDS and thing in self.bakeable

    @property
    def wanted(self) -> dict[str, Choice]:
        """The items that shall be rendered, each with the first finding for which that was decided."""
        found: dict[str, Choice] = {}
        for one in self.reasons:
            if Remedy.BAKE in one.remedies and (one.always or one.entries):
                picked = self.choices.pick(one.kind, one.what, one.item_id, one.remedies)
                if picked is Remedy.BAKE and (one.item_id not in found or one.what == BLEND_MODE):
                    # Rendered with what lies below it, everything else of it is in the render too.
                    found[one.item_id] = Choice(one.kind, one.what, one.item_id, picked, one.remedies)
        return found

    def minutes(self, kind: Kind, fate: Fate) -> float:
        """The repair budget of one thing: the destination's own rate, or ours."""
        own = self.destination.minutes.get(kind)
        adapted, lost = MINUTES[kind]
        if fate in (Fate.CARRIED, Fate.BAKED):
            return 0.0
        if fate is Fate.ADAPTED:
            return adapted if own is None else min(adapted, own)
        return lost if own is None else own

    def because(
        self,
        work: Work,
        cause: Cause,
        place: Item | Transition | tuple[Exact, Exact],
        track: str,
        why: str,
        do: str,
        *,
        what: str = "",
        fate: Fate = Fate.ADAPTED,
        kind: Kind | None = None,
        choice: Choice | None = None,
        item_id: str | None = None,
        name: str | None = None,
        before: Any = None,
        after: Any = None,
        deviation: tuple[float, str] | None = None,
        minutes: float | None = None,
        within: float | None = None,
        always: bool = False,
    ) -> Reason:
        """Open a reason. It becomes a finding if a change is recorded for it, or if it is told ``always``:
        something that changes nothing in the cut of itself. What lies ``within`` its
        limit counts as carried."""
        if isinstance(place, tuple):
            start, stop, own_name, own_id = place[0], place[1], "", ""
        else:
            start, stop = place.start, place.end
            own_name = place.name or (place.kind if isinstance(place, Item) else place.type)
            own_id = place.id
        about = kind or RULES[cause].kind
        if choice is None and cause in BAKED_FOR and self._can_be_baked(about, what or about.value, own_id):
            choice = self._chosen(about, what or about.value, own_id, (REMEDY_OF[fate],))
        if choice is not None:
            about, what, fate = choice.kind, choice.what, FATE_OF[choice.remedy]
        reason = Reason(
            cause,
            about,
            what or about.value,
            f"{work.prefix}{own_name if name is None else name}",
            own_id if item_id is None else item_id,
            work.track or track,
            start + work.shift,
            stop + work.shift,
            fate,
            why,
            do,
            choice.remedy if choice is not None else None,
            choice.options if choice is not None else (),
            before,
            after,
            deviation,
            self.minutes(about, fate) if minutes is None else minutes,
            within,
            always=always,
        )
        self.reasons.append(reason)
        return reason

    def spelled(self, cause: Cause = Cause.SPELLED) -> Reason:
        """A reason for what is only said otherwise: no finding, and held to change nothing."""
        return Reason(cause, RULES[cause].kind, cause.value, "", "", "", 0, 0, Fate.CARRIED, "", "")

    @property
    def findings(self) -> list[Finding]:
        """The findings so far: every reason for which something changed, and what is always told."""
        return [finding_of(one) for one in self.reasons if one.always or one.entries]
