"""The second book: the cut that went in, with every recorded change applied, must be the adapted cut.

Held in three ways, each by itself:

1. *Nothing unrecorded.* Every entry must find what it says stood there, and what stands at the end must be
what was
   adapted: exactly, value by value.
2. *Nothing beside the cause.* An entry may touch only the aspects that its cause names
(``settling/vocabulary.py``).
3. *Nothing more than is told.* Where a cause promises that nothing is seen or heard otherwise, or no further
than the
   finding states, both states are evaluated (``promises.py``).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from typing import Any

from wexodos.carryover.faults import Book, fault
from wexodos.carryover.library import unused
from wexodos.carryover.plan import Adapted, Plan
from wexodos.carryover.promises import broken
from wexodos.compare.aspects import Aspect
from wexodos.compare.fields import changed
from wexodos.model import Document, Item, Marker, Media, Sequence, Transition
from wexodos.settling.changes import Entry, Thing
from wexodos.settling.context import bare, settings
from wexodos.settling.findings import Finding


def second_book(document: Document, plan: Plan) -> list[Finding]:
    """What of the difference between the cut that went in and the adapted one is not recorded, touches more
    than its cause may, or breaks what the cause promises. Empty: the book balances."""
    found = [*_media(document, plan)]
    for key, adapted in plan.adapted.items():
        after = plan.document.sequences_by_id.get(key, adapted.after)
        found += _unrecorded(adapted, after)
        found += _beside_the_cause(adapted)
        found += broken(document, plan, adapted)
    return found


class _Shelf:
    """Things by their id, each with the label of its track; two of one id stand side by side."""

    def __init__(self) -> None:
        self._held: dict[str, list[tuple[str, Any]]] = defaultdict(list)

    def lay(self, key: str, label: str, value: Any) -> None:
        self._held[key].append((label, value))

    def take(self, key: str, label: str, value: Any) -> bool:
        """Whether that very value stood there; it does no more."""
        held = self._held.get(key, [])
        for place, (there, one) in enumerate(held):
            if there == label and (one is value or one == value):
                del held[place]
                return True
        return False

    def rest(self) -> Iterator[tuple[str, Any]]:
        for held in self._held.values():
            yield from held


def _key(value: Any) -> str:
    return value.name if isinstance(value, Marker) else str(value.id)


def _unrecorded(adapted: Adapted, after: Sequence) -> Iterator[Finding]:
    shelves = {thing: _Shelf() for thing in (Thing.ITEM, Thing.TRANSITION, Thing.MARKER)}
    tracks = {}
    for label, track in adapted.before.labelled_tracks():
        tracks[label] = bare(track)
        for item in track.items:
            shelves[Thing.ITEM].lay(item.id, label, item)
        for one in track.transitions:
            shelves[Thing.TRANSITION].lay(one.id, label, one)
    for marker in adapted.before.markers:
        shelves[Thing.MARKER].lay(marker.name, "", marker)
    state: dict[Thing, Any] = {Thing.LAYOUT: tuple(tracks), Thing.SETTINGS: settings(adapted.before)}
    for entry in adapted.entries:
        if entry.thing in shelves:
            shelf = shelves[entry.thing]
            if entry.before is not None and not shelf.take(_key(entry.before), entry.label, entry.before):
                yield _not_there(entry)
            if entry.after is not None:
                shelf.lay(_key(entry.after), entry.into, entry.after)
        elif entry.thing is Thing.TRACK:
            if tracks.pop(entry.label, None) != entry.before:
                yield _not_there(entry)
            if entry.after is not None:
                tracks[entry.into] = entry.after
        else:
            if state[entry.thing] != entry.before:
                yield _not_there(entry)
            state[entry.thing] = entry.after
    yield from _left_over(adapted, after, shelves, tracks, state)


def _left_over(
    adapted: Adapted,
    after: Sequence,
    shelves: dict[Thing, _Shelf],
    tracks: dict[str, Any],
    state: dict[Thing, Any],
) -> Iterator[Finding]:
    """What the adapted cut holds that the book does not, and the other way round."""
    if state[Thing.LAYOUT] != adapted.layout or len(adapted.layout) != len(after.tracks):
        yield fault(
            Book.CHANGE, Aspect.TRACK_ORDER, None, "", list(state[Thing.LAYOUT]), list(adapted.layout)
        )
    for one in changed(state[Thing.SETTINGS], settings(after)):
        yield fault(Book.CHANGE, one.aspect, None, "", one.before, one.after)
    extra: dict[tuple[Thing, str], tuple[str, Any]] = {}
    for label, track in zip(adapted.layout, after.tracks):
        for change in changed(tracks[label], bare(track)) if label in tracks else ():
            yield fault(Book.CHANGE, change.aspect, None, label, change.before, change.after)
        for thing, values in ((Thing.ITEM, track.items), (Thing.TRANSITION, track.transitions)):
            for value in values:
                if not shelves[thing].take(_key(value), label, value):
                    extra[thing, _key(value)] = label, value
    for marker in after.markers:
        if not shelves[Thing.MARKER].take(marker.name, "", marker):
            extra[Thing.MARKER, marker.name] = "", marker
    for thing, shelf in shelves.items():
        for label, value in shelf.rest():
            there = extra.pop((thing, _key(value)), None)
            if there is None:
                yield fault(Book.CHANGE, Aspect.PRESENCE, value, label, value.name, None)
                continue
            if there[0] != label:
                yield fault(Book.CHANGE, Aspect.TRACK, value, label, label, there[0])
            for one in changed(value, there[1]):
                yield fault(Book.CHANGE, one.aspect, value, label, one.before, one.after)
    for label, value in extra.values():
        yield fault(Book.CHANGE, Aspect.PRESENCE, value, label, None, value.name)


def _not_there(entry: Entry) -> Finding:
    """An entry that says something stood there which did not."""
    value = entry.before if isinstance(entry.before, Item | Transition | Marker) else None
    aspect = {Thing.TRACK: Aspect.TRACK_NAME, Thing.LAYOUT: Aspect.TRACK_ORDER}.get(
        entry.thing, Aspect.PRESENCE
    )
    return fault(Book.CHANGE, aspect, value, entry.label, "recorded otherwise", entry.reason.cause.value)


def _beside_the_cause(adapted: Adapted) -> Iterator[Finding]:
    for entry in adapted.entries:
        touches = entry.reason.rule.touches
        for change in entry.changes():
            if change.aspect not in touches:
                value = entry.before if entry.before is not None else entry.after
                value = value if isinstance(value, Item | Transition | Marker) else None
                yield fault(Book.CHANGE, change.aspect, value, entry.label, change.before, change.after)


def _media(document: Document, plan: Plan) -> Iterator[Finding]:
    """Media and folders: as they were, as recorded, or named as not sent."""
    known: dict[str, Media] = {media.id: media for media in document.media}
    for entry in plan.media:
        if entry.before is not None and known.pop(entry.before.id, None) != entry.before:
            yield _not_there(entry)
        if entry.after is not None:
            known[entry.after.id] = entry.after
        for change in entry.changes():
            if change.aspect not in entry.reason.rule.touches:
                yield fault(Book.CHANGE, change.aspect, None, "", change.before, change.after)
    unsaid = set(plan.unsent.media)
    spare = {media.id for media in unused(document, plan.adapted[plan.sequence.id].before)}
    wanted = {media.id for media in plan.document.media}
    used = {
        media_id
        for one in (plan.sequence, *plan.document.reachable(plan.sequence))
        for item in one.items()
        if (media_id := getattr(item.content, "media", None)) is not None
    }
    for key, media in known.items():
        if key not in wanted and (key in used or (key in spare and media.file_name not in unsaid)):
            yield fault(Book.CHANGE, Aspect.MEDIA, None, "", media.file_name, None)
    for media in plan.document.media:
        before = known.get(media.id)
        for one in changed(before, media) if before is not None else ():
            if one.aspect is not Aspect.FOLDER:
                yield fault(Book.CHANGE, one.aspect, None, "", one.before, one.after)
