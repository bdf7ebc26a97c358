"""Write what is kept of a clip: its filters, what was not understood, other takes."""

from __future__ import annotations

from dataclasses import dataclass, field

from wexodos.formats.equivalents import BY_KIND
from wexodos.formats.fcpxml.adjusts import ADJUSTS
from wexodos.formats.fcpxml.coverage import key_of
from wexodos.formats.fcpxml.lexical import seconds, time_of
from wexodos.formats.fcpxml.units import number
from wexodos.formats.fcpxml.write_adjusts import CHANNEL, INTERPOLATIONS, anchored
from wexodos.formats.fcpxml.write_resources import ResourceWriter
from wexodos.formats.fcpxml.write_words import put_back
from wexodos.formats.tree import Node, add, kept, node, parsed
from wexodos.model import Effect, Item, Raw, Sequence
from wexodos.timing import Exact, exact

_ADJUSTS = {name: place for place, name in enumerate(ADJUSTS)}


@dataclass(slots=True)
class Placed:
    """A clip element before its children that may stand between: ``rest`` follows connected clips and
    markers."""

    element: Node
    local: Exact
    markers: list[tuple[Exact, Node]] = field(default_factory=list)
    rest: list[Node] = field(default_factory=list)
    takes: list[Node] = field(default_factory=list)

    def whole(self) -> Node:
        """The element as it stands in its container: inside an audition where other takes wait under it
        (12)."""
        if not self.takes:
            return self.element
        holder = node("audition")
        for name in ("lane", "offset"):
            value = self.element.get(name)
            if value is not None:
                holder.set(name, value)
        self.element.drop("lane")
        holder.children = [self.element, *self.takes]
        return holder


_BEHIND = frozenset({"mc-source", "mute", "filter-audio"})
"""What stands behind the adjustments of a clip or of one of its channels."""


def _place_of(tag: str) -> int:
    return _ADJUSTS.get(tag, len(_ADJUSTS) if tag in _BEHIND else -1)


def _one_of_each(placed: Placed, tag: str) -> Node:
    """Where one more adjustment of a kind goes: there is one of each on a clip, and one on each of its
    channels."""
    return next((one for one in _holders(placed) if one.find(tag) is None), placed.element)


def _holders(placed: Placed) -> list[Node]:
    return [
        placed.element,
        *(one for one in placed.rest if one.tag == CHANNEL and one.word_for_word is None),
    ]


class KeptWriter:
    """Writes what is kept of the clips of one sequence."""

    def __init__(self, resources: ResourceWriter, sequence: Sequence) -> None:
        self.resources = resources
        self.sequence = sequence

    def put_back(self, placed: Placed, item: Item) -> None:
        """Put back what was not understood: adjustments in their place among the others, the rest behind
        everything."""
        adjusts = [
            effect.raw
            for effect in item.effects
            if effect.raw is not None and effect.raw.tag.startswith("adjust-")
        ]
        if adjusts:
            # Many clips share the elements of their channels.
            placed.rest = [one.copy() if one.tag == CHANNEL else one for one in placed.rest]
        for raw in adjusts:
            piece = parsed(raw) if raw.dialect == "fcpxml" else None
            if piece is not None:
                _one_of_each(placed, piece.tag).append(piece)
        for holder in _holders(placed) if adjusts else ():
            # Parameters, notes and speed stand before all adjustments and keep their order, as the sort is
            # stable.
            holder.children = sorted(holder, key=lambda child: _place_of(child.tag))
        for raw in item.raw:
            if raw.dialect != "fcpxml":
                continue
            if raw.tag == "audition":
                take = parsed(raw)
                if take is not None and self.resources.relinked(take, self.sequence):
                    placed.takes.append(take)
                continue
            if raw.path:
                put_back(placed.element, raw, placed.rest)
            else:
                self._kept_whole(placed, raw)

    def _kept_whole(self, placed: Placed, raw: Raw) -> None:
        """A kept piece right inside a clip: among the markers where it belongs there, in place of our own
        spelling of the same angle or role, otherwise behind everything."""
        if raw.tag in ("rating", "keyword", "analysis-marker"):
            piece = parsed(raw)
            if piece is not None:
                placed.markers.append((seconds(piece.get("start") or "0s"), piece))
            return
        if raw.tag in ("mc-source", "audio-role-source"):
            piece = parsed(raw)
            if piece is None or not self.resources.relinked(piece, self.sequence):
                return
            for children in (placed.element.children or [], placed.rest):
                for place, child in enumerate(children):
                    if child.tag == piece.tag and key_of(child) == key_of(piece):
                        # Whether a role is heard is ours to say; what else stands there is kept.
                        if child.get("active") != piece.get("active"):
                            _same_switch(piece, child)
                        children[place] = piece
                        return
            if placed.element.tag == "ref-clip":
                _same_switch(piece, None)
            if raw.tag == "mc-source":
                placed.element.append(piece)
            else:
                placed.rest.insert(0, piece)
            return
        whole = kept(raw)
        if whole is not None:
            placed.rest.append(whole)

    def effects(self, item: Item, local: Exact) -> list[Node]:
        """Filters of this dialect, put back with their effects named anew; those that both dialects know,
        spelled."""
        found = []
        for effect in item.effects:
            if effect.raw is not None and effect.raw.dialect == "fcpxml":
                piece = parsed(effect.raw) if effect.raw.tag.startswith("filter-") else None
                if piece is not None and self.resources.relinked(piece, self.sequence):
                    found.append(piece)
            elif effect.kind in BY_KIND:
                found.append(self._known_filter(effect, local))
        return found

    def _known_filter(self, effect: Effect, local: Exact) -> Node:
        known = BY_KIND[effect.kind]
        element = node(
            "filter-video",
            ref=self.resources.effect(known.name, known.name),
            name=effect.name or known.name,
        )
        if not effect.enabled:
            element.set("enabled", "0")
        for name, curve in effect.settings:
            param = add(
                element, "param", name=name.title(), value=" ".join(number(part) for part in curve.still)
            )
            if curve.keys:
                block = add(param, "keyframeAnimation")
                for key in anchored(curve):
                    add(
                        block,
                        "keyframe",
                        time=time_of(exact(local + self.sequence.rate.seconds(key.time))),
                        value=" ".join(number(part) for part in key.value),
                        interp=INTERPOLATIONS.get(key.ease, "linear"),
                    )
        return element


def _same_switch(piece: Node, ours: Node | None) -> None:
    """Switch a kept role on or off as our own spelling of it is; on where we do not spell it."""
    active = ours.get("active") if ours is not None else None
    if active is None:
        piece.drop("active")
    else:
        piece.set("active", active)
