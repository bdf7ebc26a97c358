"""Which item of one sequence is which of another."""

from __future__ import annotations

from bisect import bisect_left
from collections import defaultdict
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field

from wexodos.model import Angles, Document, Generator, Item, Media, MediaUse, NestedUse, Sequence, Title
from wexodos.timing import Exact, absolute


@dataclass(frozen=True, slots=True)
class Placed:
    """An item with the track it stands on (``V1`` …)."""

    item: Item
    track: str


@dataclass(slots=True)
class Match:
    """Pairs of items, and what is left over on either side."""

    pairs: list[tuple[Placed, Placed]] = field(default_factory=list)
    only_a: list[Placed] = field(default_factory=list)
    only_b: list[Placed] = field(default_factory=list)


def identity(item: Item, media: dict[str, Media], sequences: dict[str, Sequence]) -> tuple[str, str]:
    """What an item shows, in words that survive a trip through another program: kind of content and its
    name."""
    content = item.content
    if isinstance(content, MediaUse):
        used = media.get(content.media)
        return "media", (used.file_name if used is not None else content.media).lower()
    if isinstance(content, NestedUse):
        nested = sequences.get(content.sequence)
        return "nested", (nested.name if nested is not None else content.sequence).lower()
    if isinstance(content, Angles):
        return "angles", content.name.lower()
    if isinstance(content, Title):
        return "title", " ".join(content.words.lower().split())
    if isinstance(content, Generator):
        return "generator", content.kind
    return "adjustment", ""


def placed_items(sequence: Sequence) -> list[Placed]:
    return [Placed(item, label) for label, track in sequence.labelled_tracks() for item in track.items]


def match_items(
    a: Document,
    first: Sequence,
    b: Document,
    second: Sequence,
    apart: frozenset[str] = frozenset(),
    ids: bool = False,
) -> Match:
    """Pair the items of two sequences. ``ids``: the ids are known to be the same on both sides and count
    before everything.

    Items of ``second`` with an id of ``apart`` are left over: they stood inside a nest of the first.

    Ids count only together with what the item shows, as other programs hand out the same ids anew. After that
    what it shows, where it stands and what part of the source it uses decide, from the surest agreement to
    the loosest. Words and made pictures have no source that tells them apart: one of them is another one,
    written or made anew, only where it stands at the same place.
    """
    left, right = placed_items(first), placed_items(second)
    kept: list[Placed] = []
    if apart:
        kept = [one for one in right if one.item.id.split("@", 1)[0] in apart]
        right = [one for one in right if one.item.id.split("@", 1)[0] not in apart]
    match = Match()
    if ids:
        left, right = _pair(left, right, lambda one: (one.track[0], one.item.id), match)
    names = _identities(a, left) | _identities(b, right) if left and right else {}
    rounds: list[Callable[[Placed, tuple[str, str]], Hashable]] = [
        lambda one, name: (one.track[0], one.item.id, name, one.item.start),
        lambda one, name: (one.track, name, one.item.start, one.item.duration, one.item.source_in),
        lambda one, name: (one.track[0], name, one.item.start, one.item.duration, one.item.source_in),
        lambda one, name: (one.track[0], one.item.id, name, one.item.source_in),
        lambda one, name: (one.track[0], name, one.item.source_in, one.item.duration),
        lambda one, name: (one.track[0], one.item.id, name),
        lambda one, name: (one.track[0], name, one.item.start, one.item.duration),
        lambda one, name: (one.track[0], name, _source(one)),
        lambda one, name: (one.track[0], name, one.item.start),
        lambda one, name: (one.track[0], _made(name), one.item.start, one.item.duration),
        lambda one, name: (one.track[0], one.item.id, _made(name)),
        lambda one, name: (one.track[0], _made(name), one.item.start),
        lambda one, name: (one.track[0], one.item.id, one.item.start, one.item.duration),
        lambda one, name: (one.track, one.item.start, one.item.duration, one.item.name),
        lambda one, name: (one.track, one.item.start, one.item.duration),
        lambda one, name: (one.track[0], one.item.id, one.item.name),
    ]
    for key_of in rounds:
        if not left or not right:
            break
        left, right = _pair(left, right, lambda one, key_of=key_of: key_of(one, names[id(one)]), match)  # type: ignore[misc]
    match.only_a, match.only_b = left, [*right, *kept]
    match.pairs.sort(key=lambda pair: (pair[0].track[0] == "A", pair[0].track, pair[0].item.start))
    return match


def _identities(document: Document, items: list[Placed]) -> dict[int, tuple[str, str]]:
    media, sequences = document.media_by_id, document.sequences_by_id
    return {id(one): identity(one.item, media, sequences) for one in items}


def _made(name: tuple[str, str]) -> Hashable:
    """What an item shows, whatever the words, or whatever is made."""
    return name[0] if name[0] in ("title", "generator") else name


def _source(one: Placed) -> Hashable:
    """Where in its source an item begins; what has no source begins nowhere but where it stands."""
    made = isinstance(one.item.content, Title | Generator)
    return (one.item.start, one.item.duration) if made else one.item.source_in


def _pair(
    left: list[Placed],
    right: list[Placed],
    key_of: Callable[[Placed], Hashable],
    match: Match,
) -> tuple[list[Placed], list[Placed]]:
    """Pair what agrees in a key; within the same key those that differ in the fewest respects first, then
    the nearest in time."""
    ours: dict[Hashable, list[Placed]] = defaultdict(list)
    theirs: dict[Hashable, list[Placed]] = defaultdict(list)
    for one in left:
        ours[key_of(one)].append(one)
    for one in right:
        theirs[key_of(one)].append(one)
    taken: set[int] = set()
    for key, group in ours.items():
        others = theirs.get(key)
        if others:
            alone = len(group) == len(others) == 1
            pairs = [(group[0], others[0])] if alone else _nearest(group, others)
            match.pairs.extend(pairs)
            for one, other in pairs:
                taken.add(id(one))
                taken.add(id(other))
    return [one for one in left if id(one) not in taken], [one for one in right if id(one) not in taken]


_MOST = 250_000
_NEAR = 16
"""Up to how many pairs of one key all are held against one another; of more, only so many on either side in
time."""


def _nearest(left: list[Placed], right: list[Placed]) -> list[tuple[Placed, Placed]]:
    right = sorted(right, key=lambda one: one.item.start)
    starts = [one.item.start for one in right]
    near = len(right) if len(left) * len(right) <= _MOST else _NEAR
    ranked = []
    for x, one in enumerate(left):
        at = bisect_left(starts, one.item.start)
        candidates = range(max(0, at - near), min(len(right), at + near))
        ranked += [(_apart(one, right[y]), x, y) for y in candidates]
    ranked.sort()
    used: tuple[set[int], set[int]] = set(), set()
    found = []
    for _, x, y in ranked:
        if x not in used[0] and y not in used[1]:
            used[0].add(x)
            used[1].add(y)
            found.append((left[x], right[y]))
    return found


def _apart(one: Placed, other: Placed) -> tuple[int, Exact]:
    """In how many respects two items differ, and how far they stand apart."""
    ours, theirs = one.item, other.item
    respects = (
        one.track == other.track,
        ours.id == theirs.id,
        ours.name == theirs.name,
        ours.start == theirs.start,
        ours.duration == theirs.duration,
        ours.source_in == theirs.source_in,
        ours.speed == theirs.speed,
        ours.enabled == theirs.enabled,
        ours.note == theirs.note,
    )
    return respects.count(False), absolute(theirs.start - ours.start)
