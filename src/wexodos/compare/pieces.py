"""Which stretch of an earlier version of a cut is which stretch of a later one.

What both versions show of the same source in the same way belongs together, wherever it stands. That is found
from the surest to the loosest: items that are the same in everything but their place, in their order on
their track; items where one would stand if only its surroundings had moved; parts of items that were cut or
trimmed; items at other speeds. All times are frames of record time.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections import defaultdict
from collections.abc import Hashable, Iterable
from dataclasses import dataclass
from difflib import SequenceMatcher
from enum import Enum
from fractions import Fraction

from wexodos.compare.match import Placed, identity, placed_items
from wexodos.model import Document, Generator, Sequence, Title
from wexodos.model.speed import Constant
from wexodos.timing import Exact, absolute, exact

_HALF = 2
"""Of two items whose surroundings say nothing, one over this much must be shared to be the same."""
_NEAR = 16
"""So many of one source are held against each other, those nearest in time."""


class How(Enum):
    """How far a stretch is the same in both versions."""

    SAME = "same"
    PART = "part"
    SLIPPED = "slipped"
    RETIMED = "retimed"


@dataclass(frozen=True, slots=True)
class Piece:
    """A stretch that both versions have, from ``old_from`` and ``new_from`` on."""

    old: Placed
    new: Placed
    old_from: Exact
    old_until: Exact
    new_from: Exact
    new_until: Exact
    how: How

    @property
    def shift(self) -> Exact:
        """How much later it is in the later version."""
        return self.new_from - self.old_from


class Shifts:
    """How much later the surroundings of a place are in the later version; ``new``: places are told in its
    times."""

    def __init__(self, pieces: Iterable[Piece], new: bool = False) -> None:
        self._ends: dict[str, list[tuple[Exact, Exact]]] = defaultdict(list)
        self._begins: dict[str, list[tuple[Exact, Exact]]] = defaultdict(list)
        steps: dict[Exact, list[tuple[Exact, int]]] = defaultdict(list)
        for one in pieces:
            track = (one.new if new else one.old).track
            first, last = (one.new_from, one.new_until) if new else (one.old_from, one.old_until)
            for name in (track, ""):
                self._ends[name].append((last, one.shift))
                self._begins[name].append((first, one.shift))
            steps[first].append((one.shift, 1))
            steps[last].append((one.shift, -1))
        for rows in (*self._ends.values(), *self._begins.values()):
            rows.sort()
        # What most tracks do from each place on to the next; None where there is nothing.
        self._places = sorted(steps)
        self._most: list[Exact | None] = []
        votes: dict[Exact, int] = defaultdict(int)
        for place in self._places:
            for shift, more in steps[place]:
                votes[shift] += more
            most = max(votes.values())
            self._most.append(next((shift for shift, count in votes.items() if count == most > 0), None))

    def before(self, track: str, place: Exact) -> Exact | None:
        """Right before a place: what ends there on its track, what most tracks do, or what ends nearest
        before; None where nothing does."""
        near, all_ends = self._last(self._ends.get(track, []), place), self._ends.get("", [])
        if near is not None and near[0] == place:
            return near[1]
        at = bisect_left(self._places, place)
        most = self._most[at - 1] if at else None
        nearest = self._last(all_ends, place)
        return most if most is not None else nearest[1] if nearest is not None else None

    def behind(self, track: str, place: Exact) -> Exact | None:
        """The same right behind a place."""
        near, all_begins = self._first(self._begins.get(track, []), place), self._begins.get("", [])
        if near is not None and near[0] == place:
            return near[1]
        at = bisect_right(self._places, place)
        most = self._most[at - 1] if at else None
        nearest = self._first(all_begins, place)
        return most if most is not None else nearest[1] if nearest is not None else None

    def around(self, one: Placed) -> list[Exact]:
        """Of the surroundings of an item, its neighbours on its track first, each once; it may always have
        stayed."""
        first, last = one.item.start, one.item.end
        neighbours = (
            self._last(self._ends.get(one.track, []), first),
            self._first(self._begins.get(one.track, []), last),
        )
        found = [each[1] for each in neighbours if each is not None]
        found += [each for each in (self.before("", first), self.behind("", last)) if each is not None]
        return list(dict.fromkeys([*found, 0]))

    @staticmethod
    def _last(rows: list[tuple[Exact, Exact]], place: Exact) -> tuple[Exact, Exact] | None:
        at = bisect_right(rows, place, key=lambda row: row[0])
        return rows[at - 1] if at else None

    @staticmethod
    def _first(rows: list[tuple[Exact, Exact]], place: Exact) -> tuple[Exact, Exact] | None:
        at = bisect_left(rows, place, key=lambda row: row[0])
        return rows[at] if at < len(rows) else None


def pieces(a: Document, old: Sequence, b: Document, new: Sequence) -> list[Piece]:
    """The stretches that two versions of a cut have in common, in the order of the earlier one. The two have
    one rate."""
    return _Finder(a, old, b, new).found()


class _Finder:
    def __init__(self, a: Document, old: Sequence, b: Document, new: Sequence) -> None:
        self.frames = old.rate.fps
        self.old, self.new = placed_items(old), placed_items(new)
        self.shown: dict[int, tuple[str, str]] = {}
        for document, items in ((a, self.old), (b, self.new)):
            media, sequences = document.media_by_id, document.sequences_by_id
            for one in items:
                self.shown[id(one)] = identity(one.item, media, sequences)
        self.made: list[Piece] = []

    def found(self) -> list[Piece]:
        self._in_order()
        self._elsewhere()
        self._in_their_place(near=True)
        self._parts(whole=True)
        # By what was trimmed it is known now how far the next ones went.
        self._in_their_place(near=True)
        self._parts(whole=False)
        self._in_their_place(near=False)
        self._at_other_speeds()
        return sorted(self.made, key=lambda one: (one.old_from, one.old.track, one.new_from))

    def _take(self, pairs: list[tuple[Placed, Placed]], how: How) -> None:
        for one, other in pairs:
            ours, theirs = one.item, other.item
            self.made.append(Piece(one, other, ours.start, ours.end, theirs.start, theirs.end, how))
        gone = {id(each) for pair in pairs for each in pair}
        self.old = [one for one in self.old if id(one) not in gone]
        self.new = [one for one in self.new if id(one) not in gone]

    def _source(self, one: Placed) -> Hashable:
        """What an item shows and how fast, of sound which channels."""
        item = one.item
        channels = item.sound.channels if item.sound is not None else ()
        return one.track[0], self.shown[id(one)], item.speed, channels

    def _all(self, one: Placed) -> Hashable:
        """Everything of an item but its place."""
        return self._source(one), begin(one), one.item.duration

    def _in_order(self) -> None:
        """What is the same, in the same order on the same track."""
        ours, theirs = by_track(self.old), by_track(self.new)
        pairs = []
        for track, rows in ours.items():
            others = theirs.get(track, [])
            left, right = [self._all(one) for one in rows], [self._all(one) for one in others]
            # Of equal ones, those at the head and at the end are in their old order.
            head = _alike(left, right)
            end = _alike(left[head:][::-1], right[head:][::-1])
            pairs += list(zip(rows[:head], others[:head]))
            rows, others = rows[head : len(rows) - end], others[head : len(others) - end]
            left, right = left[head : len(left) - end], right[head : len(right) - end]
            pairs += list(zip(ours[track][-end:], theirs[track][-end:])) if end else []
            for block in SequenceMatcher(None, left, right, autojunk=False).get_matching_blocks():
                pairs += list(zip(rows[block.a :][: block.size], others[block.b :][: block.size]))
        self._take(pairs, How.SAME)

    def _elsewhere(self) -> None:
        """What is the same in another order or on another track, the nearest first."""
        shifts = Shifts(self.made)
        theirs: dict[Hashable, list[Placed]] = defaultdict(list)
        for one in self.new:
            theirs[self._all(one)].append(one)
        pairs = []
        for one in self.old:
            others = theirs.get(self._all(one), [])
            if others:
                around = shifts.around(one)
                other = min(others, key=lambda each: _far(each.item.start - one.item.start, around))
                others.remove(other)
                pairs.append((one, other))
        self._take(pairs, How.SAME)

    def _in_their_place(self, near: bool) -> None:
        """What shows its source at another speed where it would stand, or another stretch of it – ``near``:
        one that overlaps."""
        shifts = Shifts(self.made)
        theirs: dict[Hashable, list[Placed]] = defaultdict(list)
        for one in self.new:
            theirs[one.track[0], one.item.start, one.item.duration, self.shown[id(one)]].append(one)
        slipped: list[tuple[Placed, Placed]] = []
        retimed: list[tuple[Placed, Placed]] = []
        for one in self.old:
            for shift in shifts.around(one):
                key = one.track[0], one.item.start + shift, one.item.duration, self.shown[id(one)]
                others = theirs.get(key, [])
                other = next((each for each in others if each.track == one.track), next(iter(others), None))
                if other is None:
                    continue
                same = self._source(one) == self._source(other)
                if near and same and not self._overlap(one, other):
                    continue
                theirs[key] = [each for each in others if each is not other]
                (slipped if same else retimed).append((one, other))
                break
        self._take(slipped, How.SLIPPED)
        self._take(retimed, How.RETIMED)

    def _overlap(self, one: Placed, other: Placed) -> bool:
        """Whether two items of one length show some of their source both."""
        apart = one.item.start - other.item.start
        return any(absolute(shift + apart) < one.item.duration for shift in self._shifts(one, other))

    def _parts(self, whole: bool) -> None:
        """What is left of an item that was trimmed, or cut in two; ``whole``: only where one has all that the
        other has."""
        shifts = Shifts(self.made)
        theirs: dict[Hashable, list[Placed]] = defaultdict(list)
        for one in self.new:
            theirs[self._source(one)].append(one)
        candidates: list[tuple[bool, Exact, int, Placed, Placed, Exact]] = []
        for one in self.old:
            around = shifts.around(one)
            others = theirs.get(self._source(one), [])
            others = sorted(others, key=lambda each: _far(each.item.start - one.item.start, around))
            for other in others[:_NEAR]:
                for shift in self._shifts(one, other):
                    first = max(one.item.start, other.item.start - shift)
                    last = min(one.item.end, other.item.end - shift)
                    known = shift in around
                    least = min(one.item.duration, other.item.duration)
                    if whole and last - first < least:
                        continue
                    if last > first and (known or (last - first) * _HALF >= least):
                        candidates.append((not known, first - last, len(candidates), one, other, shift))
        free = {id(one): [(one.item.start, one.item.end)] for one in (*self.old, *self.new)}
        taken: set[int] = set()
        for unknown, _, _, one, other, shift in sorted(candidates, key=lambda each: each[:3]):
            least = min(one.item.duration, other.item.duration)
            # What is free in both, in the time of the earlier one.
            there = [(low - shift, high - shift) for low, high in free[id(other)]]
            for first, last in _both(free[id(one)], there):
                if unknown and (last - first) * _HALF < least:
                    # What a surer one has left of it is a chance.
                    continue
                free[id(one)] = _without(free[id(one)], first, last)
                free[id(other)] = _without(free[id(other)], first + shift, last + shift)
                taken |= {id(one), id(other)}
                self.made.append(Piece(one, other, first, last, first + shift, last + shift, How.PART))
        self.old = [one for one in self.old if id(one) not in taken]
        self.new = [one for one in self.new if id(one) not in taken]

    def _shifts(self, one: Placed, other: Placed) -> list[Exact]:
        """By how much one item must be moved for what both show to fall together: by their source, or where
        that stands still by their beginnings or ends."""
        ours, theirs = one.item, other.item
        speed = ours.speed
        if isinstance(speed, Constant) and speed.rate and not ours.still and not _made(one):
            apart = exact((begin(other) - begin(one)) * self.frames / Fraction(speed.rate))
            return [theirs.start - apart - ours.start]
        if not isinstance(speed, Constant) or begin(one) != begin(other):
            return []
        return list(dict.fromkeys((theirs.start - ours.start, theirs.end - ours.end)))

    def _at_other_speeds(self) -> None:
        """What shows the same source faster or slower, as long as that makes it."""
        shifts = Shifts(self.made)
        theirs: dict[Hashable, list[Placed]] = defaultdict(list)
        for one in self.new:
            theirs[one.track[0], self.shown[id(one)]].append(one)
        pairs = []
        for one in self.old:
            others = theirs.get((one.track[0], self.shown[id(one)]), [])
            around = shifts.around(one)
            for other in others:
                ours, item = one.item, other.item
                there = item.start - ours.start in around or item.end - ours.end in around
                if there and ours.speed != item.speed:
                    others.remove(other)
                    pairs.append((one, other))
                    break
        self._take(pairs, How.RETIMED)


def _alike(left: list[Hashable], right: list[Hashable]) -> int:
    """How many are the same from the beginning on."""
    return next(
        (at for at, pair in enumerate(zip(left, right)) if pair[0] != pair[1]), min(len(left), len(right))
    )


def begin(one: Placed) -> Exact:
    """Where an item begins in its source, in seconds; what has none begins at nought."""
    return 0 if _made(one) else one.item.source_in


def _made(one: Placed) -> bool:
    return isinstance(one.item.content, Title | Generator)


def by_track(items: Iterable[Placed]) -> dict[str, list[Placed]]:
    """Items by their track, in their order."""
    found: dict[str, list[Placed]] = defaultdict(list)
    for one in items:
        found[one.track].append(one)
    return {track: sorted(rows, key=lambda one: one.item.start) for track, rows in found.items()}


def _far(shift: Exact, around: list[Exact]) -> Exact:
    """How far a shift is from those around."""
    return min(absolute(shift - one) for one in around)


def _both(ours: list[tuple[Exact, Exact]], theirs: list[tuple[Exact, Exact]]) -> list[tuple[Exact, Exact]]:
    found = [(max(a, c), min(b, d)) for a, b in ours for c, d in theirs]
    return [(low, high) for low, high in found if low < high]


def _without(spans: list[tuple[Exact, Exact]], first: Exact, last: Exact) -> list[tuple[Exact, Exact]]:
    """Stretches without one that lies in them."""
    found = [part for low, high in spans for part in ((low, min(high, first)), (max(low, last), high))]
    return [(low, high) for low, high in found if low < high]
