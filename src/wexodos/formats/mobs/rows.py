"""A row of segments: its parts with their extents, how long it is, the clips in it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from wexodos.formats.mobs import tree
from wexodos.timing import Exact

MOST_ITEMS = 400_000
"""Clips of a file at the most."""


@dataclass(slots=True)
class Element:
    """A part of a row: its extent, and the transitions at its edges; in edit units."""

    segment: tree.Segment
    start: Exact
    end: Exact
    before: tuple[Exact, tree.Transition] | None = None
    after: tuple[Exact, tree.Transition] | None = None

    @property
    def nothing(self) -> bool:
        return tree.nothing(self.segment)


def elements(segment: tree.Segment) -> list[Element]:
    """The parts of a row with their extents; a transition overlaps both neighbours."""
    parts = segment.parts if isinstance(segment, tree.Sequence) else [segment]
    made: list[Element] = []
    position: Exact = 0
    pending: tuple[Exact, tree.Transition] | None = None
    for part in parts:
        if isinstance(part, tree.Transition):
            if not made or part.length <= 0:
                continue
            begin = position - part.length
            pending = (begin, part)
            made[-1].after = pending
            position = begin
            continue
        element = Element(part, position, position + max(part.length, 0), pending)
        pending = None
        made.append(element)
        position = element.end
    return made


def length_of(segment: tree.Segment) -> Exact:
    """The length of a track: the components are believed over what a sequence says of itself."""
    if isinstance(segment, tree.NestedScope):
        return max((length_of(one) for one in segment.slots), default=0)
    if isinstance(segment, tree.Operation):
        inner = next((one for one in segment.inputs if not tree.nothing(one)), None)
        if isinstance(inner, tree.Sequence | tree.NestedScope):
            return length_of(inner)
    if isinstance(segment, tree.Sequence):
        return max(
            0, sum(-one.length if isinstance(one, tree.Transition) else one.length for one in segment.parts)
        )
    return segment.length


def clips_in(segment: tree.Segment) -> Iterator[tree.SourceClip]:
    """Every clip inside a segment, in its order."""
    stack, budget = [segment], MOST_ITEMS
    while stack and budget:
        one = stack.pop()
        budget -= 1
        if isinstance(one, tree.SourceClip):
            yield one
        else:
            stack.extend(reversed(list(tree.inside(one))))
