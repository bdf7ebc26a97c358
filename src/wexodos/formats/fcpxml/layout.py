"""Lanes to tracks: who stands on which track (3.5)."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterator
from dataclasses import dataclass

from wexodos.formats.errors import ReadError
from wexodos.formats.limits import MOST_TRACKS
from wexodos.model import Item, Transition
from wexodos.timing import Exact


@dataclass(slots=True)
class Block:
    """Items and transitions that share a track. ``key`` orders it: lanes for pictures, a group for sound."""

    key: tuple[int, ...]
    items: list[Item]
    transitions: list[Transition]
    span: tuple[Exact, Exact] = (0, 0)

    def __post_init__(self) -> None:
        starts = [item.start for item in self.items] + [one.start for one in self.transitions]
        ends = [item.end for item in self.items] + [one.end for one in self.transitions]
        self.span = (min(starts, default=0), max(ends, default=0))


class Shelf:
    """A track being filled; finds what stands in a stretch of it without looking at all of it."""

    def __init__(self) -> None:
        self.blocks: list[Block] = []
        self._starts: list[Exact] = []
        self._longest: Exact = 0

    def meeting(self, block: Block) -> Iterator[Block]:
        """Yield the blocks that share time with ``block``."""
        low, high = block.span
        index = bisect_left(self._starts, high)
        while index > 0 and self._starts[index - 1] > low - self._longest:
            index -= 1
            other = self.blocks[index]
            if other.span[1] > low and _clash(block, other):
                yield other

    def add(self, block: Block) -> None:
        low, high = block.span
        index = bisect_right(self._starts, low)
        self._starts.insert(index, low)
        self.blocks.insert(index, block)
        self._longest = max(self._longest, high - low)


def _clash(one: Block, other: Block) -> bool:
    """Whether two blocks whose spans overlap really share time; storylines may have holes."""
    if len(one.items) == len(other.items) == 1:
        return True
    a, b = (sorted((item.start, item.end) for item in block.items) for block in (one, other))
    i = j = 0
    while i < len(a) and j < len(b):
        if a[i][0] < b[j][1] and b[j][0] < a[i][1]:
            return True
        if a[i][1] <= b[j][1]:
            i += 1
        else:
            j += 1
    return False


def stack_pictures(blocks: list[Block]) -> list[list[Block]]:
    """Return tracks from the bottom up.

    The main line gets one track. A connected block goes on the lowest track that is at least its lane's
    (lanes counted without holes), is free for its extent and lies above everything that belongs under it;
    lanes below the main line go under it.
    """
    blocks = [block for block in blocks if block.items]
    if not blocks:
        return []
    depth = max(len(block.key) for block in blocks)

    def order(block: Block) -> tuple[int, ...]:
        return block.key + (0,) * (depth - len(block.key))

    shelves: list[Shelf] = []

    def put(block: Block, level: int) -> None:
        for height in range(len(shelves) - 1, level - 1, -1):
            if any(order(other) < order(block) for other in shelves[height].meeting(block)):
                level = height + 1
                break
        while level < len(shelves) and next(shelves[level].meeting(block), None) is not None:
            level += 1
        if level > MOST_TRACKS:
            raise ReadError(f"more than {MOST_TRACKS} clips lie over each other")
        while len(shelves) <= level:
            shelves.append(Shelf())
        shelves[level].add(block)

    first = {id(block): block.key[0] if block.key else 0 for block in blocks}
    lanes = sorted({lane for lane in first.values() if lane})
    below = {lane: place for place, lane in enumerate(one for one in lanes if one < 0)}
    above = {lane: place for place, lane in enumerate(one for one in lanes if one > 0)}
    ranked = sorted(blocks, key=lambda block: (order(block), block.span[0]))
    for block in ranked:
        if first[id(block)] < 0:
            put(block, below[first[id(block)]])
    main = len(shelves)
    shelves.append(Shelf())
    for block in ranked:
        lane = first[id(block)]
        if lane == 0:
            put(block, main)
        elif lane > 0:
            put(block, main + 1 + above[lane])
    return [shelf.blocks for shelf in shelves]


def stack_sound(blocks: list[Block]) -> list[list[Block]]:
    """Return sound tracks group by group in the order of the keys, each block on the first free track of its
    group."""
    groups: dict[tuple[int, ...], list[Block]] = {}
    for block in sorted((b for b in blocks if b.items), key=lambda b: (b.key, b.span[0])):
        groups.setdefault(block.key, []).append(block)
    tracks: list[list[Block]] = []
    for key in sorted(groups):
        shelves: list[Shelf] = []
        for block in groups[key]:
            shelf = next((one for one in shelves if next(one.meeting(block), None) is None), None)
            if shelf is None:
                if len(shelves) >= MOST_TRACKS:
                    raise ReadError(f"more than {MOST_TRACKS} sounds lie over each other")
                shelf = Shelf()
                shelves.append(shelf)
            shelf.add(block)
        tracks.extend(shelf.blocks for shelf in shelves)
    return tracks
