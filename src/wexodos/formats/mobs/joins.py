"""A track as a row of fillers, clips and transitions that overlap them.

With lengths a, T, b a transition starts at P - T, where P is the running position after a, and b starts there
too; the cut is at P - T + CutPoint. A fade is a transition next to a filler, which then is longer by its
length.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from wexodos.model import Fade, Item, Transition
from wexodos.timing import Exact


@dataclass(slots=True)
class Join:
    """A transition between two neighbours, in frames; ``made`` is the model's own, None for a fade of the
    ``law``."""

    start: Exact
    end: Exact
    cut: Exact
    made: Transition | None = None
    law: str = "linear"


@dataclass(slots=True)
class Node:
    """An item or a filler (``item`` None) with its extent, transitions included."""

    item: Item | None
    start: Exact
    end: Exact
    fade_in: Fade | None = None
    fade_out: Fade | None = None


def row(
    items: Sequence[Item], transitions: Iterable[Transition], total: Exact, fades: str
) -> tuple[list[Node], list[Join | None]]:
    """The nodes of a track up to ``total`` frames and what joins each to the one before it (first None).

    ``fades``: ``transitions`` to spell fades as such, where they fit; everything else stays a property of its
    clip.
    """
    by_cut = {one.cut: one for one in transitions}
    starts = {one.start for one in items}
    nodes: list[Node] = []
    joins: list[Join | None] = []
    cursor: Exact = 0
    leaving: Join | None = None
    """What leads out of the last item into nothing."""

    def put(node: Node, join: Join | None) -> None:
        nodes.append(node)
        joins.append(join)

    for item in items:
        fade_in, fade_out = _fades(item, by_cut, fades)
        node = Node(
            item,
            item.start,
            item.end,
            None if fade_in else _fade(item, "in"),
            None if fade_out else _fade(item, "out"),
        )
        into = by_cut.get(item.start)
        meets = bool(nodes) and cursor == item.start and nodes[-1].item is not None and leaving is None
        if into is not None and meets:
            nodes[-1].end, node.start = into.end, into.start
            put(node, Join(into.start, into.end, into.cut, into))
        else:
            join = None
            if into is not None and into.start >= cursor - (leaving.end - leaving.start if leaving else 0):
                join, node.start = Join(into.start, into.end, into.cut, into), into.start
            elif fade_in is not None:
                join = Join(item.start, item.start + fade_in.duration, item.start, None, fade_in.shape)
            if join is not None or leaving is not None or item.start > cursor:
                put(
                    Node(None, leaving.start if leaving else cursor, join.end if join else item.start),
                    leaving,
                )
            put(node, join)
        cursor, leaving = item.end, None
        out = by_cut.get(item.end)
        if fade_out is not None:
            leaving = Join(item.end - fade_out.duration, item.end, item.end, None, fade_out.shape)
        elif out is not None and item.end not in starts:
            leaving = Join(out.start, out.end, out.cut, out)
            node.end = out.end
    if leaving is not None or cursor < total:
        put(
            Node(None, leaving.start if leaving else cursor, max(total, leaving.end if leaving else total)),
            leaving,
        )
    return nodes, joins


def _fade(item: Item, side: str) -> Fade | None:
    if item.sound is None:
        return None
    found = item.sound.fade_in if side == "in" else item.sound.fade_out
    return found if found is not None and found.duration > 0 else None


def _fades(item: Item, by_cut: dict[Exact, Transition], fades: str) -> tuple[Fade | None, Fade | None]:
    """The fades that can be spelled as transitions: where no other joins the same cut, and not longer than
    the item."""
    into, out = _fade(item, "in"), _fade(item, "out")
    before, after = by_cut.get(item.start), by_cut.get(item.end)
    taken = (before.end - item.start if before else 0) + (item.end - after.start if after else 0)
    wanted = (into.duration if into else 0) + (out.duration if out else 0)
    if fades != "transitions" or taken + wanted > item.duration:
        return None, None
    return (None if before else into), (None if after else out)
