"""Sound spelled channel by channel, brought together: one item per source clip (5.2), and links (5.4)."""

from __future__ import annotations

from bisect import bisect_left
from collections import defaultdict
from dataclasses import dataclass, replace

from wexodos.formats.xmeml.tracks import Entry
from wexodos.model import Item, NestedUse, Raw, Transition


@dataclass(slots=True)
class Lane:
    """A sound track as the file spells it: (entry, item) pairs, its transitions and its place in an exploded
    group."""

    entries: list[tuple[Entry, Item]]
    transitions: list[Transition]
    name: str
    enabled: bool
    locked: bool
    group_index: int | None
    group_total: int | None
    unread: tuple[Raw, ...] = ()
    output: int | None = None


class Links:
    """Which items belong together: union-find over ids.

    ``places`` maps (medium, track, place on it) to an id, for the links in ``waiting`` that give a place
    instead of an id.
    """

    def __init__(self) -> None:
        self._parent: dict[str, str] = {}
        self.places: dict[tuple[str, int, int], str] = {}
        self.waiting: list[tuple[str, tuple[str, int, int]]] = []

    def find(self, key: str) -> str:
        """The one member that stands for the group of ``key``."""
        parent = self._parent
        above = parent.setdefault(key, key)
        if above == key or parent[above] == above:
            return above
        root = above
        while parent[root] != root:
            root = parent[root]
        while parent[key] != root:
            parent[key], key = root, parent[key]
        return root

    def join(self, one: str, other: str) -> None:
        a, b = self.find(one), self.find(other)
        if a != b:
            self._parent[max(a, b)] = min(a, b)

    def join_all(self, keys: list[str]) -> None:
        """Put all into one group; cheap where they are in one already."""
        parent = self._parent
        root = self.find(keys[0])
        for key in keys:
            above = parent.get(key)
            if above is None:
                parent[key] = root
            elif above != root:
                self.join(key, root)
                root = self.find(root)

    def names(self, keys: list[str]) -> dict[str, str]:
        """A name for each group of two or more of ``keys``; links that gave a place instead of an id are
        settled first."""
        for me, place in self.waiting:
            if place in self.places:
                self.join(me, self.places[place])
        self.waiting.clear()
        groups: dict[str, list[str]] = defaultdict(list)
        for key in keys:
            if key in self._parent:
                groups[self.find(key)].append(key)
        grouped = [members for members in groups.values() if len(members) > 1]
        return {key: f"link-{number}" for number, members in enumerate(grouped, 1) for key in members}


def collapse(lanes: list[Lane], merged_into: dict[str, str]) -> list[Lane]:
    """Bring exploded tracks together and pair what is spelled on two neighbouring tracks.

    ``merged_into`` receives the ids of items that went into another one. A track all of whose items went into
    its neighbour is dropped.
    """
    result: list[Lane] = []
    index = 0
    while index < len(lanes):
        lane = lanes[index]
        total = lane.group_total or 1
        if (
            lane.group_index == 0
            and 1 < total <= len(lanes) - index
            and all(lanes[index + step].group_index == step for step in range(total))
        ):
            group = lanes[index : index + total]
            beside: list[Lane] = []
            for step, other in enumerate(group[1:], 2):
                other.entries = [(entry, _sided(item, step)) for entry, item in other.entries]
                leftover = _merge(lane, other, merged_into, linked_only=False)
                # What shares time with the others stays on a track of its own.
                free, left = _apart(lane, leftover)
                lane.entries = sorted([*lane.entries, *free], key=lambda pair: pair[1].start)
                if left:
                    beside.append(replace(other, entries=left, group_index=None, group_total=None))
            result += [lane, *beside]
            index += total
            continue
        following = lanes[index + 1] if index + 1 < len(lanes) else None
        result.append(lane)
        index += 1
        if (
            following is not None
            and following.group_total is None
            and lane.group_total is None
            and following.entries
        ):
            leftover = _merge(lane, following, merged_into, linked_only=True)
            if not leftover:
                index += 1
            following.entries = leftover
    return result


def _sided(item: Item, number: int) -> Item:
    """A nest on the track of one channel is heard there with this channel, whichever track of it is named."""
    if not isinstance(item.content, NestedUse) or item.sound is None or item.sound.channels != (1,):
        return item
    muted = (number,) if item.sound.muted else ()
    return replace(item, sound=replace(item.sound, channels=(number,), muted=muted))


def _apart(
    lane: Lane, entries: list[tuple[Entry, Item]]
) -> tuple[list[tuple[Entry, Item]], list[tuple[Entry, Item]]]:
    """Those that find their place free on a track, and those that do not; both in order."""
    there = sorted((item.start, item.end) for _, item in lane.entries)
    free: list[tuple[Entry, Item]] = []
    taken: list[tuple[Entry, Item]] = []
    for pair in entries:
        start, end = pair[1].start, pair[1].end
        place = bisect_left(there, (end, end))
        (taken if place and there[place - 1][1] > start else free).append(pair)
    return free, taken


def _merge(
    lane: Lane, other: Lane, merged_into: dict[str, str], linked_only: bool
) -> list[tuple[Entry, Item]]:
    """Merge items of ``other`` into equal ones of ``lane``; return those that found none."""
    places = {_shape(item): place for place, (_, item) in enumerate(lane.entries)}
    leftover = []
    for entry, item in other.entries:
        place = places.get(_shape(item))
        if place is None:
            leftover.append((entry, item))
            continue
        first_entry, first = lane.entries[place]
        if first.sound is None or item.sound is None or set(first.sound.channels) & set(item.sound.channels):
            leftover.append((entry, item))
            continue
        if linked_only and not _same_group(first_entry, entry):
            leftover.append((entry, item))
            continue
        channels = first.sound.channels + item.sound.channels
        muted = first.sound.muted + item.sound.muted
        if first.enabled != item.enabled:
            muted += (first if not first.enabled else item).sound.channels  # type: ignore[union-attr]
        sound = replace(
            first.sound,
            channels=channels,
            muted=muted,
            pan=None if _plain_pair(first, item) else first.sound.pan,
        )
        lane.entries[place] = (
            first_entry,
            replace(first, sound=sound, enabled=first.enabled or item.enabled),
        )
        merged_into[item.id] = first.id
    return leftover


def _shape(item: Item) -> tuple[object, ...]:
    return item.start, item.duration, item.content, item.source_in, item.speed


def _plain_pair(first: Item, second: Item) -> bool:
    """A pair panned hard left and right, or -1 on both members, is a plain stereo pair (9)."""
    pans = [
        one.sound.pan.still[0] if one.sound and one.sound.pan and not one.sound.pan.animated else None
        for one in (first, second)
    ]
    return pans in ([-1.0, 1.0], [-1.0, -1.0])


def _same_group(first: Entry, second: Entry) -> bool:
    """Whether two linked items name each other with the same channel group."""
    groups: dict[str, str] = {}
    for link in first.links:
        other = group = ""
        for child in link:
            if child.tag == "groupindex":
                group = (child.text or "").strip()
            elif child.tag == "linkclipref":
                other = (child.text or "").strip()
        groups[other] = group
    theirs = groups.get(second.id)
    return bool(second.id) and bool(theirs) and groups.get(first.id) == theirs
