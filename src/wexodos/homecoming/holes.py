"""Stretches of a cut for which a sound that came has nothing."""

from __future__ import annotations

from dataclasses import dataclass

from wexodos.compare.match import Placed, placed_items
from wexodos.model import Sequence
from wexodos.timing import Exact

Span = tuple[Exact, Exact]
"""From a place to another, in frames."""


@dataclass(frozen=True, slots=True)
class Hole:
    """A stretch of a cut, in its frames, for which a sound that came has nothing."""

    first: Exact
    last: Exact
    items: tuple[Placed, ...]


def holes_of(sequence: Sequence, labels: set[str], spans: list[Span]) -> list[Hole]:
    """The stretches where something is to be heard on some tracks and a sound that came has nothing."""
    rows: list[Hole] = []
    on = labels & {label for label, track in sequence.labelled_tracks() if track.enabled}
    items = [one for one in placed_items(sequence) if one.track in on and one.item.enabled]
    rests = [
        (first, last, one) for one in items for first, last in without(one.item.start, one.item.end, spans)
    ]
    for first, last, one in sorted(rests, key=lambda each: each[:2]):
        if rows and first <= rows[-1].last:
            before = rows[-1]
            rows[-1] = Hole(before.first, max(before.last, last), (*before.items, one))
        else:
            rows.append(Hole(first, last, (one,)))
    return rows


def without(first: Exact, last: Exact, spans: list[Span]) -> list[Span]:
    """What of a stretch lies in none of others."""
    rest = [(first, last)]
    for low, high in spans:
        rest = [
            part
            for begin, end in rest
            for part in ((begin, min(end, low)), (max(begin, high), end))
            if part[0] < part[1]
        ]
    return rest
