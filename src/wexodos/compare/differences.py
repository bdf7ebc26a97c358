"""Compare two sequences: structure item by item, and what is seen and heard frame by frame."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from typing import Any

from wexodos.compare.alike import Alike, Doubtful, around, only
from wexodos.compare.along import markers, tracks, transitions
from wexodos.compare.aspects import Aspect
from wexodos.compare.difference import Difference, name_of
from wexodos.compare.frames import evaluated
from wexodos.compare.items import pair
from wexodos.compare.kept import kept
from wexodos.compare.match import Placed, match_items
from wexodos.compare.shown import facts_of_media, media
from wexodos.evaluate.evaluator import frame_raster
from wexodos.evaluate.tolerances import SENSES, Precision
from wexodos.model import (
    Angles,
    Document,
    Item,
    MediaUse,
    NestedUse,
    Sequence,
)
from wexodos.timing import format_exact


def compare(
    a: Document,
    first: Sequence,
    b: Document,
    second: Sequence,
    *,
    ids: bool = False,
    whole: bool = False,
    within: Precision = SENSES,
    dialect: str | None = None,
) -> list[Difference]:
    """Return all differences in the order of their place, settings first. ``ids``: items of one id are the
    same item. ``whole``: say also which items do not belong together any more, or do now, and what is said
    otherwise of media than what they are and where they begin, what goes missing of notes and settings of the
    sequence, and of what is kept word for word. ``within``: how far numbers may lie apart. ``dialect``: the
    one of which alone pieces can be kept word for word (None: of any)."""
    walk = _Walk(a, b, ids, within)
    walk.sequences(first, second, top=True)
    if whole:
        walk.found.extend(walk.linked(first, second))
        walk.found.extend(kept(first, second, walk.known, dialect))
        walk.found.extend(facts_of_media(a, first, b, walk.known, second))
    walk.unfolded(first)
    body = [*walk.found, *_gone_and_added(walk.only_a, walk.only_b)]
    if first.rate == second.rate:
        body.extend(walk.evaluated(first, second, {(one.item_id, one.what) for one in body}))
    body.sort(key=lambda one: (one.start, one.track[:1] == "A", one.track, one.what))
    return [*_settings(first, second), *body]


class _Walk:
    """Goes through two sequences and the nested ones that correspond in them, and pairs what belongs
    together.

    ``known`` tells the partner of every item by id, ``only_a`` and ``only_b`` hold what has none.
    """

    def __init__(self, a: Document, b: Document, ids: bool, within: Precision) -> None:
        self.a, self.b, self.ids, self.within = a, b, ids, within
        self.known: dict[str, str] = {}
        self.found: list[Difference] = []
        self.only_a: list[Placed] = []
        self.only_b: list[Placed] = []
        self.seen: set[tuple[str, str]] = set()
        self.alike, self.doubtful = Alike(a, b, within), Doubtful()

    def sequences(self, first: Sequence, second: Sequence, top: bool = False) -> None:
        """Compare the structure of two sequences and of the nested ones that correspond in them."""
        here = first.id, second.id
        if here in self.seen:
            return
        self.seen.add(here)
        match = match_items(
            self.a, first, self.b, second, self._inner(first) if top else frozenset(), self.ids
        )
        self.only_a.extend(match.only_a)
        self.only_b.extend(match.only_b)
        joins_a, joins_b = self.alike.joins(first), self.alike.joins(second)
        switches = [
            {label: track.enabled for label, track in one.labelled_tracks()} for one in (first, second)
        ]
        same_frame, frame = around(first, second), frame_raster(first)
        for one, other in match.pairs:
            self.known[one.item.id] = other.item.id
            if not (
                same_frame
                and switches[0][one.track] == switches[1][other.track]
                and self.alike.same(one, other, joins_a, joins_b, frame)
            ):
                self.doubtful.add(here if not top else None, one.item.id, other.item.id)
            if one.item is not other.item or one.track != other.track:
                self.found.extend(pair(self.a, one, self.b, other, first.rate, self.within))
            elif self.a is not self.b and isinstance(one.item.content, MediaUse):
                # The same item may use another medium under the same id.
                self.found.extend(media(self.a, one, self.b, one.item.content))
            self._inside(here if not top else None, one, other.item)
        self.found.extend(transitions(first, second))
        self.found.extend(markers(first, second))
        if top:
            self.found.extend(tracks(first, second))

    def linked(self, first: Sequence, second: Sequence) -> Iterator[Difference]:
        """Groups of linked items, of those on both sides, that are others there; told once for each."""
        back = {other: one for one, other in self.known.items()}
        ours, theirs = _groups(first, set(self.known)), _groups(second, set(back))
        told: set[str] = set()
        none: frozenset[str] = frozenset()
        # A group is looked at once, not once for each of its members.
        ids = {id(group): frozenset(back[one] for one in group) for group in theirs.values()}
        same: set[tuple[int, int]] = set()
        for label, track in first.labelled_tracks():
            for item in track.items:
                mine, other = ours.get(item.id, none), theirs.get(self.known.get(item.id, ""), none)
                if (id(mine), id(other)) in same:
                    continue
                there = ids.get(id(other), none)
                if mine == there:
                    same.add((id(mine), id(other)))
                elif told.isdisjoint(mine | there):
                    told |= mine | there
                    before, after = (sorted(one - {item.id}) for one in (mine, there))
                    yield Difference(
                        "changed",
                        Aspect.LINK,
                        name_of(item),
                        item.id,
                        label,
                        item.start,
                        item.end,
                        before,
                        after,
                    )

    def _inner(self, first: Sequence) -> frozenset[str]:
        """What a nest held and now stands in the open is no partner of what stands in the cut itself."""
        own = {item.id for item in first.items()}
        return frozenset(
            item.id for nested in self.a.reachable(first) for item in nested.items() if item.id not in own
        )

    def _inside(self, here: tuple[str, str] | None, placed: Placed, other: Item) -> None:
        """The sequences that two items that belong together are made of."""
        one = placed.item
        inner_a, inner_b = one.content, other.content
        pairs: list[tuple[str, str]] = []
        if isinstance(inner_a, NestedUse) and isinstance(inner_b, NestedUse):
            pairs.append((inner_a.sequence, inner_b.sequence))
        elif isinstance(inner_a, Angles) and isinstance(inner_b, Angles):
            for mine in inner_a.angles:
                theirs = inner_b.angle(mine.id)
                pairs.append((mine.sequence or "", theirs.sequence or "" if theirs else ""))
        for left, right in pairs:
            nest_a, nest_b = self.a.sequences_by_id.get(left), self.b.sequences_by_id.get(right)
            if nest_a is not None and nest_b is not None:
                self.doubtful.use(nest_a.id, nest_b.id, here, one.id, other.id)
                self.sequences(nest_a, nest_b)
            elif nest_a is not nest_b:
                before, after = (nest.name if nest is not None else "missing" for nest in (nest_a, nest_b))
                self.found.append(
                    Difference(
                        "changed",
                        Aspect.NEST,
                        name_of(one),
                        one.id,
                        placed.track,
                        one.start,
                        one.end,
                        before,
                        after,
                    )
                )

    def unfolded(self, first: Sequence) -> None:
        """Pair the insides of a nest that is gone with items of the same id that stand in the open (or the
        other way round)."""
        reachable = self.a.reachable(first)
        inside = {one.id for nested in reachable for one in nested.items() if one.id not in self.known}
        for placed in list(self.only_b) if inside else ():
            base = placed.item.id.split("@", 1)[0]
            if base in inside and base not in self.known:
                self.known[base] = placed.item.id
                self.only_b.remove(placed)
                self.doubtful.all = True

    def evaluated(
        self, first: Sequence, second: Sequence, told: set[tuple[str, str]]
    ) -> Iterator[Difference]:
        """What is seen and heard otherwise of those items of which some part differs."""
        self.doubtful.settle()
        if self.doubtful.all:
            yield from evaluated(self.a, first, self.b, second, self.known, told, self.within)
        elif self.doubtful.first:
            left, right = only(first, self.doubtful.first), only(second, self.doubtful.second)
            yield from evaluated(self.a, left, self.b, right, self.known, told, self.within)


def _groups(sequence: Sequence, known: set[str]) -> dict[str, frozenset[str]]:
    """For every linked item the ids of those it belongs together with, itself among them."""
    members: dict[str, list[str]] = defaultdict(list)
    for item in sequence.items():
        if item.link and item.id in known:
            members[item.link].append(item.id)
    groups = [frozenset(group) for group in members.values() if len(group) > 1]
    return {one: group for group in groups for one in group}


def _settings(a: Sequence, b: Sequence) -> Iterator[Difference]:
    def told(what: str, before: Any, after: Any) -> Difference:
        return Difference("settings", what, "", "", "", 0, 0, before, after)

    if a.rate != b.rate:
        yield told("rate", str(a.rate), str(b.rate))
    if str(a.timecode(0)) != str(b.timecode(0)):
        yield told("start timecode", str(a.timecode(0)), str(b.timecode(0)))
    if a.width is not None and b.width is not None and a.frame_size != b.frame_size:
        yield told("frame size", "×".join(map(str, a.frame_size)), "×".join(map(str, b.frame_size)))
    if a.pixel_aspect != b.pixel_aspect:
        yield told("pixel aspect", format_exact(a.pixel_aspect), format_exact(b.pixel_aspect))
    if a.field_order != b.field_order:
        yield told("field order", a.field_order, b.field_order)
    if a.sample_rate and b.sample_rate and a.sample_rate != b.sample_rate:
        yield told("sample rate", a.sample_rate, b.sample_rate)
    if a.name != b.name:
        yield told("name", a.name, b.name)
    if sorted(raw.tag for raw in a.raw) != sorted(raw.tag for raw in b.raw):
        yield told("unread elements", [raw.tag for raw in a.raw], [raw.tag for raw in b.raw])
    if a.marked != b.marked:
        yield told("marked range", _range(a), _range(b))
    if a.duration != b.duration:
        yield told("length", a.duration, b.duration)


def _range(sequence: Sequence) -> str | None:
    return (
        f"{sequence.timecode(sequence.marked[0])} to {sequence.timecode(sequence.marked[1])}"
        if sequence.marked
        else None
    )


def _gone_and_added(loose_a: list[Placed], loose_b: list[Placed]) -> Iterator[Difference]:
    for one in loose_a:
        yield Difference(
            "gone",
            one.item.kind,
            name_of(one.item),
            one.item.id,
            one.track,
            one.item.start,
            one.item.end,
            name_of(one.item),
            None,
        )
    for one in loose_b:
        yield Difference(
            "added",
            one.item.kind,
            name_of(one.item),
            one.item.id,
            one.track,
            one.item.start,
            one.item.end,
            None,
            name_of(one.item),
        )
