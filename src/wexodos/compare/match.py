"""Which item of one sequence is which of another."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field

from wexodos.model import Angles, Document, Generator, Item, Media, MediaUse, NestedUse, Sequence, Title
from wexodos.timing import absolute


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
        return "title", ""
    if isinstance(content, Generator):
        return "generator", ""
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
    the loosest.
    """
    left, right = placed_items(first), placed_items(second)
    kept = [one for one in right if one.item.id.split("@", 1)[0] in apart]
    right = [one for one in right if one.item.id.split("@", 1)[0] not in apart]
    names_a = _identities(a, left)
    names_b = _identities(b, right)
    match = Match()
    rounds: list[Callable[[Placed, tuple[str, str]], Hashable]] = [
        lambda one, name: (one.track[0], one.item.id, name, one.item.start),
        lambda one, name: (one.track, name, one.item.start, one.item.duration, one.item.source_in),
        lambda one, name: (one.track[0], name, one.item.start, one.item.duration, one.item.source_in),
        lambda one, name: (one.track[0], one.item.id, name, one.item.source_in),
        lambda one, name: (one.track[0], name, one.item.source_in, one.item.duration),
        lambda one, name: (one.track[0], one.item.id, name),
        lambda one, name: (one.track[0], name, one.item.start),
        lambda one, name: (one.track[0], name, one.item.source_in),
        lambda one, name: (one.track[0], one.item.id, one.item.start, one.item.duration),
        lambda one, name: (one.track, one.item.start, one.item.duration, one.item.name),
        lambda one, name: (one.track, one.item.start, one.item.duration),
        lambda one, name: (one.track[0], one.item.id, one.item.name),
    ]
    if ids:
        rounds.insert(0, lambda one, name: (one.track[0], one.item.id))
    for key_of in rounds:
        left, right = _pair(left, right, key_of, names_a, names_b, match)
        if not left or not right:
            break
    match.only_a, match.only_b = left, [*right, *kept]
    match.pairs.sort(key=lambda pair: (pair[0].track[0] == "A", pair[0].track, pair[0].item.start))
    return match


def _identities(document: Document, items: list[Placed]) -> dict[int, tuple[str, str]]:
    media, sequences = document.media_by_id, document.sequences_by_id
    return {id(one): identity(one.item, media, sequences) for one in items}


def _pair(
    left: list[Placed],
    right: list[Placed],
    key_of: Callable[[Placed, tuple[str, str]], Hashable],
    names_a: dict[int, tuple[str, str]],
    names_b: dict[int, tuple[str, str]],
    match: Match,
) -> tuple[list[Placed], list[Placed]]:
    """Pair what agrees in a key, nearest in time first within the same key."""
    waiting: dict[Hashable, list[Placed]] = defaultdict(list)
    for one in right:
        waiting[key_of(one, names_b[id(one)])].append(one)
    rest = []
    taken: set[int] = set()
    for one in left:
        candidates = [
            other for other in waiting.get(key_of(one, names_a[id(one)]), ()) if id(other) not in taken
        ]
        if not candidates:
            rest.append(one)
            continue
        best = min(
            candidates,
            key=lambda other: (absolute(other.item.start - one.item.start), other.track != one.track),
        )
        taken.add(id(best))
        match.pairs.append((one, best))
    return rest, [one for one in right if id(one) not in taken]
