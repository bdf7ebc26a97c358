"""Differences of two versions of a cut for people: where everything behind a place stands elsewhere by the
same time, that is one row, and all else is told as if it had stayed where it was."""

from __future__ import annotations

from dataclasses import replace

from wexodos.compare.aspects import Aspect
from wexodos.compare.changes import Change, What, versions
from wexodos.compare.difference import Difference
from wexodos.compare.differences import compare
from wexodos.compare.match import placed_items
from wexodos.model import Document, Sequence, Track
from wexodos.timing import Exact

_FEW = 3
"""So many things that stand elsewhere are told one by one."""
_MOST = 0.8
"""Of all that begins in a stretch so much has to stand elsewhere by the same time."""


def compare_versions(a: Document, old: Sequence, b: Document, new: Sequence) -> list[Difference]:
    """What ``compare`` finds, in fewer rows where time was inserted or taken out."""
    plain = compare(a, old, b, new)
    moved = sum(one.kind == "moved" for one in plain)
    if moved <= _FEW or old.rate != new.rate:
        return plain
    changes = versions(a, old, b, new).changes
    ripples = sorted((one for one in changes if _ripples(one, old)), key=lambda one: one.new_from)
    if not ripples:
        return plain
    straight = _straightened(new, ripples)
    within = tuple(straight if one.id == new.id else one for one in b.sequences)
    rest = compare(a, old, replace(b, sequences=within), straight)
    end = max((one.item.end for one in placed_items(old)), default=0)
    rows = sorted(
        (*(_row(one, end) for one in ripples), *rest), key=lambda one: (one.kind != "settings", one.start)
    )
    return rows if len(rows) < len(plain) else plain


def _ripples(change: Change, old: Sequence) -> bool:
    """Whether a stretch stands elsewhere with (nearly) all that is in it."""
    if change.what is not What.MOVED or len(change.items) < _FEW:
        return False
    inside = sum(change.old_from <= one.item.start < change.old_until for one in placed_items(old))
    return len(change.items) >= _MOST * inside


def _straightened(new: Sequence, ripples: list[Change]) -> Sequence:
    """The later version with all that stands elsewhere where it stood. What was put in stays in its place,
    over what was pushed on by it: things are compared one by one."""

    def shift(at: Exact) -> Exact:
        """By how much later something is that stands at a place now."""
        before = [one for one in ripples if one.new_from <= at]
        last = before[-1] if before else None
        if last is None or (at >= last.new_until and last is not ripples[-1]):
            return 0
        return last.shift

    def back(track: Track) -> Track:
        items = tuple(replace(one, start=one.start - shift(one.start)) for one in track.items)
        joins = tuple(
            replace(one, start=one.start - shift(one.cut), cut=one.cut - shift(one.cut))
            for one in track.transitions
        )
        return replace(track, items=items, transitions=joins)

    return replace(
        new,
        tracks=tuple(map(back, new.tracks)),
        markers=tuple(replace(one, start=one.start - shift(one.start)) for one in new.markers),
        stated_duration=new.duration - shift(new.duration),
    )


def _row(ripple: Change, end: Exact) -> Difference:
    reach = "from here on" if ripple.old_until >= end else "of this stretch"
    words = f"{len(ripple.items)} items {reach}"
    what, low, high = Aspect.RECORD_START, ripple.old_from, ripple.old_until
    return Difference("moved", what, words, "", "", low, high, low, ripple.new_from)
