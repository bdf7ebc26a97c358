"""What is kept word for word though nobody evaluates it: what a sequence says of itself, pieces that are not
understood, spellings of filters, titles, generators and transitions, keys of values that do not move."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any, TypeAlias

from wexodos.compare.aspects import Aspect
from wexodos.compare.difference import Difference, name_of
from wexodos.compare.fields import FIELDS
from wexodos.model import Curve, Generator, Item, Motion, Raw, Sequence, Title, Transition
from wexodos.timing import Exact

_OF_THE_SEQUENCE = ("note", "metadata", "bit_depth", "audio_layout")
"""Its folder goes only where a person wants the project laid out (``Options.organised``)."""
_Said: TypeAlias = tuple[Aspect, Any, Any]


def kept(
    first: Sequence, second: Sequence, known: dict[str, str], dialect: str | None
) -> Iterator[Difference]:
    """What ``first`` says word for word and ``second`` does not, or says otherwise. What the second adds of
    itself is no loss. ``known``: the partners of the items by id; ``dialect``: that of
    which alone pieces can be kept; None where of any."""
    pieces = _Pieces(dialect)
    for name in _OF_THE_SEQUENCE:
        before, after = getattr(first, name), getattr(second, name)
        if before and before != after:
            aspect = FIELDS[Sequence][name]
            yield Difference("settings", aspect, first.name, "", "", 0, 0, before, after)
    for aspect, before, after in pieces.lost(first.raw, second.raw):
        yield Difference("settings", aspect, first.name, "", "", 0, 0, before, after)
    others = dict(second.labelled_tracks())
    items = {item.id: item for item in second.items()}
    joins = {(track.kind, one.cut): one for track in second.tracks for one in track.transitions}
    for label, track in first.labelled_tracks():
        there = others[label].raw if label in others else ()
        for aspect, before, after in pieces.lost(track.raw, there):
            yield Difference("changed", aspect, label, f"track:{label}", label, 0, 0, before, after)
        for item in track.items:
            partner = items.get(known.get(item.id, ""))
            if partner is None:
                continue
            for aspect, before, after in (*pieces.of_items(item, partner), *_held_keys(item, partner)):
                yield Difference(
                    "changed", aspect, name_of(item), item.id, label, item.start, item.end, before, after
                )
        for one in track.transitions:
            for aspect, before, after in pieces.of_transitions(one, joins.get((track.kind, one.cut))):
                yield Difference(
                    "changed", aspect, one.name or one.type, one.id, label, one.start, one.end, before, after
                )


@dataclass(frozen=True, slots=True)
class _Pieces:
    """Pieces of one dialect that stand on one side and not on the other."""

    dialect: str | None

    def of_items(self, one: Item, other: Item) -> Iterator[_Said]:
        if one.raw:
            yield from self.lost(one.raw, other.raw)
        mine, theirs = one.content, other.content
        if isinstance(mine, Title | Generator) and isinstance(theirs, Title | Generator):
            yield from self.lost(mine.raw, theirs.raw, Aspect.SPELLING)
        if one.effects:
            yield from self.lost(_filters(one), _filters(other), Aspect.FILTER_SETTINGS)

    def of_transitions(self, one: Transition, other: Transition | None) -> Iterator[_Said]:
        if other is not None:
            yield from self.lost(one.raw, other.raw, Aspect.TRANSITION_SETTINGS)

    def lost(
        self, mine: Iterable[Raw], theirs: Iterable[Raw], aspect: Aspect = Aspect.UNREAD
    ) -> Iterator[_Said]:
        """Pieces of the first that the second has not, whatever space stands between their elements."""
        there = [_text(one) for one in theirs]
        for text in [_text(one) for one in mine if self.dialect in (None, one.dialect)]:
            if text in there:
                there.remove(text)
            else:
                yield aspect, text[:200], None


def _held_keys(one: Item, other: Item) -> Iterator[_Said]:
    """Keys that hold one value: nobody sees them, but who set them works on from there."""
    if one.motion is None or other.motion is None:
        return
    for name, curve in one.motion.curves.items():
        if len(curve.keys) < 2:
            continue
        theirs = getattr(other.motion, name)
        held, there = _held(curve), _held(theirs)
        if held and not theirs.animated and held != there:
            aspect = FIELDS[Motion][name]
            yield aspect, f"{len(held)} keys of one value", f"{len(there)} keys of one value"


def _held(curve: Curve) -> list[Exact]:
    return [key.time for key in curve.keys] if len(curve.keys) > 1 and not curve.animated else []


def _text(raw: Raw) -> str:
    return "".join(raw.text.split())


def _filters(item: Item) -> list[Raw]:
    return [effect.raw for effect in item.effects if effect.enabled and effect.raw is not None]
