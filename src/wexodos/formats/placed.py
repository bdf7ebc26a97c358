"""What stands at no place of its track: items without length, transitions off their cut,
over each other or longer than what they join. Put right at the entrance, and said."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from dataclasses import replace
from itertools import pairwise

from wexodos.model import Document, Item, Note, Sequence, Track, Transition
from wexodos.timing import Exact

MOST = 40
"""Notes at the most."""


def at_their_places(document: Document) -> Document:
    """The document with items that last and every transition on its cut, within the items it joins."""
    notes: list[Note] = []
    sequences = tuple(_mended(one, notes) for one in document.sequences)
    if not notes:
        return document
    return replace(document, sequences=sequences, notes=(*document.notes, *notes[:MOST]))


def _mended(sequence: Sequence, notes: list[Note]) -> Sequence:
    def said(code: str, thing: Item | Transition, text: str) -> None:
        notes.append(Note("warning", code, f"{sequence.id}/{thing.id}", text))

    def item(one: Item) -> Item | None:
        if one.duration <= 0:
            said("no-length", one, f"{at(sequence, one)} lasts no time and is left out")
            return None
        return one

    def track(one: Track) -> Track:
        before = len(notes)
        items = tuple(kept for kept in map(item, one.items) if kept is not None)
        room = _Room(items, sequence)
        joins: dict[Exact, Transition] = {}
        for join in one.transitions:
            if not join.start <= join.cut <= join.end:
                said("off-cut", join, f"the transition {join.name} does not lie on its cut and is left out")
            elif join.cut in joins:
                said("off-cut", join, f"the transition {join.name} is the second on its cut and is left out")
            else:
                joins[join.cut] = room.within(join)
        for first, second in pairwise(sorted(joins)):
            if joins[first].end > joins[second].start >= first:
                length = joins[second].start - joins[first].start
                joins[first] = replace(joins[first], duration=length)
        for join in one.transitions:
            within = joins.get(join.cut)
            if within is not None and within.id == join.id and within is not join:
                words = f"the transition {join.name} is longer than there is room and is shortened"
                said("off-cut", join, words)
        if len(notes) == before:
            return one
        return replace(one, items=items, transitions=tuple(joins.values()))

    return replace(sequence, tracks=tuple(map(track, sequence.tracks)))


class _Room:
    """How far the transitions of a track can reach: over the item on each side of their cut, or over the gap
    there as long as the cut goes on. There is nothing else they could show."""

    def __init__(self, items: tuple[Item, ...], sequence: Sequence) -> None:
        self.length = sequence.duration if sequence.stated_duration is not None else None
        self.out, self.into = {one.end: one for one in items}, {one.start: one for one in items}
        self.ends, self.starts = sorted(self.out), sorted(self.into)

    def within(self, join: Transition) -> Transition:
        """The transition as long as there is room; itself where it is no longer."""
        start, end = join.start, join.end
        if join.cut not in self.out and join.cut not in self.into:
            return join
        before, after = bisect_right(self.ends, join.cut), bisect_left(self.starts, join.cut)
        if before:
            last = self.ends[before - 1]
            start = max(start, self.out[last].start if last == join.cut else last)
        if after < len(self.starts):
            following = self.starts[after]
            end = min(end, self.into[following].end if following == join.cut else following)
        elif self.length is not None:
            # Behind the last item there is nothing once the cut has ended, where it says when it does.
            end = min(end, max(join.cut, self.length))
        if (start, end) == (join.start, join.end):
            return join
        return replace(join, start=start, duration=end - start)


def at(sequence: Sequence, item: Item) -> str:
    """An item in the words of a note."""
    return f"{item.name or 'an item'} at {sequence.timecode(int(item.start))}"
