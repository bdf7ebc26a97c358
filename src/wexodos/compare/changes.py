"""What a new version of a cut changed, by stretches of record time: few rows, each true."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from wexodos.compare.match import Placed, placed_items
from wexodos.compare.pieces import How, Piece, Shifts, pieces
from wexodos.model import Document, Sequence
from wexodos.timing import Exact


class What(StrEnum):
    """What became of a stretch of record time."""

    MOVED = "moved"
    INSERTED = "inserted"
    REMOVED = "removed"
    TRIMMED = "trimmed"
    SLIPPED = "slipped"
    REPLACED = "replaced"
    RETIMED = "retimed"


_ORDER = list(What)


@dataclass(frozen=True, slots=True)
class Change:
    """A stretch of the earlier version and what it is in the later one, in frames; nothing where both ends
    are one place. ``items`` are those of the earlier version, of what is new those of the later one."""

    what: What
    old_from: Exact
    old_until: Exact
    new_from: Exact
    new_until: Exact
    items: tuple[Placed, ...]

    @property
    def shift(self) -> Exact:
        """How much later its beginning is."""
        return self.new_from - self.old_from


@dataclass(frozen=True, slots=True)
class Versions:
    """Two versions of a cut: the stretches they have in common, and what was changed."""

    pieces: tuple[Piece, ...]
    changes: tuple[Change, ...]


def versions(a: Document, old: Sequence, b: Document, new: Sequence) -> Versions:
    """Compare two versions of a cut, of one rate. A shift of everything behind a place is one row, also where
    some of it was trimmed or slipped besides."""
    common = pieces(a, old, b, new)
    rows = [*_moved(common), *_trimmed(common), *_paired(common), *_come_and_gone(old, new, common)]
    rows.sort(key=lambda one: (min(one.old_from, one.new_from), one.old_from, _ORDER.index(one.what)))
    return Versions(tuple(common), tuple(rows))


def _moved(common: list[Piece]) -> list[Change]:
    """Stretches that stand elsewhere: those with one shift that follow one another, with nothing between them
    that has another, are one row."""
    tracks: dict[str, list[Piece]] = defaultdict(list)
    for one in common:
        tracks[one.old.track].append(one)
    runs: list[list[Piece]] = []
    for row in tracks.values():
        row.sort(key=lambda one: one.old_from)
        last: Exact | None = None
        for one in row:
            if one.shift and one.shift == last:
                runs[-1].append(one)
            elif one.shift:
                runs.append([one])
            last = one.shift
    runs.sort(key=lambda run: run[0].old_from)
    joined: dict[Exact, list[list[Piece]]] = defaultdict(list)
    for run in runs:
        known = joined[run[0].shift]
        end = max((one.old_until for one in known[-1]), default=0) if known else 0
        if known and (run[0].old_from <= end or not _between(common, end, run[0].old_from, run[0].shift)):
            known[-1] += run
        else:
            known.append(list(run))
    rows = []
    for run in (one for group in joined.values() for one in group):
        low, high = min(one.old_from for one in run), max(one.old_until for one in run)
        shift = run[0].shift
        items = _in_order(one.old for one in run)
        # A stretch that is as long as another one now ends where that ends.
        until = max(one.new_until for one in run)
        rows.append(Change(What.MOVED, low, high, low + shift, until, items))
    return rows


def _between(common: list[Piece], first: Exact, last: Exact, shift: Exact) -> bool:
    """Whether something with another shift begins between two places."""
    return any(first <= one.old_from < last and one.shift != shift for one in common)


def _paired(common: list[Piece]) -> list[Change]:
    """Items that show something else of their source."""
    kinds = {How.SLIPPED: What.SLIPPED, How.RETIMED: What.RETIMED}
    return _grouped(
        (kinds[one.how], one.old_from, one.old_until, one.new_from, one.new_until, one.old)
        for one in common
        if one.how in kinds
    )


def _trimmed(common: list[Piece]) -> list[Change]:
    """Items whose ends are others; one that was only cut in two has its own still."""
    ours: dict[int, list[Piece]] = defaultdict(list)
    theirs: dict[int, list[Piece]] = defaultdict(list)
    for one in common:
        if one.how is How.PART:
            ours[id(one.old)].append(one)
            theirs[id(one.new)].append(one)
    found = []
    for parts in ours.values():
        item = parts[0].old.item
        whole = (
            min(one.old_from for one in parts) == item.start
            and max(one.old_until for one in parts) == item.end
        )
        for part in parts:
            there = theirs[id(part.new)]
            whole = whole and min(one.new_from for one in there) == part.new.item.start
            whole = whole and max(one.new_until for one in there) == part.new.item.end
        if not whole:
            first = min(one.new.item.start for one in parts)
            last = max(one.new.item.end for one in parts)
            found.append((What.TRIMMED, item.start, item.end, first, last, parts[0].old))
    return _grouped(found)


def _grouped(rows: Iterable[tuple[What, Exact, Exact, Exact, Exact, Placed]]) -> list[Change]:
    """Picture and sound that were changed alike are one row."""
    groups: dict[tuple[What, Exact, Exact, Exact, Exact], list[Placed]] = defaultdict(list)
    for what, old_from, old_until, new_from, new_until, item in rows:
        groups[what, old_from, old_until, new_from, new_until].append(item)
    return [Change(*key, _in_order(items)) for key, items in groups.items()]


def _in_order(items: Iterable[Placed]) -> tuple[Placed, ...]:
    """Items each once, picture first, by track and place."""
    each = {id(one.item): one for one in items}.values()
    return tuple(sorted(each, key=lambda one: (one.track[0] == "A", one.track, one.item.start)))


@dataclass(slots=True)
class _Stretch:
    """What only one of the versions has, from place to place."""

    first: Exact
    last: Exact
    items: list[Placed]


def _come_and_gone(old: Sequence, new: Sequence, common: list[Piece]) -> list[Change]:
    """What only one of the two has; where one fills exactly the place of another it replaces it."""
    gone = _alone(placed_items(old), [(one.old, one.old_from, one.old_until) for one in common])
    come = _alone(placed_items(new), [(one.new, one.new_from, one.new_until) for one in common])
    ours, theirs = Shifts(common), Shifts(common, new=True)
    rows = []
    for one in gone:
        track = one.items[0].track
        before, behind = ours.before(track, one.first), ours.behind(track, one.last)
        last = one.last + (behind if behind is not None else before or 0)
        # In front of everything: where that begins.
        first = one.first + before if before is not None else min(one.first, last)
        other = next((each for each in come if (each.first, each.last) == (first, last)), None)
        if other is not None:
            come.remove(other)
            rows.append(Change(What.REPLACED, one.first, one.last, first, last, _in_order(one.items)))
        else:
            rows.append(Change(What.REMOVED, one.first, one.last, first, first, _in_order(one.items)))
    for one in come:
        track = one.items[0].track
        shift = theirs.before(track, one.first)
        if shift is None:
            # In front of everything: it goes where that began.
            behind = theirs.behind(track, one.last)
            at = max(0, one.last - behind) if behind is not None else one.first
        else:
            at = one.first - shift
        rows.append(Change(What.INSERTED, at, at, one.first, one.last, _in_order(one.items)))
    return rows


def _alone(items: list[Placed], used: list[tuple[Placed, Exact, Exact]]) -> list[_Stretch]:
    """What of items is in no piece: whole items, and what lies between pieces of one; what overlaps or
    follows at once is one stretch."""
    parts: dict[int, list[tuple[Exact, Exact]]] = defaultdict(list)
    for one, first, last in used:
        parts[id(one.item)].append((first, last))
    spans = []
    for one in items:
        mine = sorted(parts.get(id(one.item), ()))
        if not mine:
            spans.append((one.item.start, one.item.end, one))
        spans += [(end, begin, one) for (_, end), (begin, _) in zip(mine, mine[1:]) if end < begin]
    found: list[_Stretch] = []
    for first, last, one in sorted(spans, key=lambda each: (each[0], each[2].track)):
        if found and first <= found[-1].last:
            found[-1].last = max(found[-1].last, last)
            found[-1].items.append(one)
        else:
            found.append(_Stretch(first, last, [one]))
    return found
