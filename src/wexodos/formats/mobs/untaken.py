"""What of the mobs of a file became part of no sequence: parameters, attributes and comments nobody asked
for."""

from __future__ import annotations

from collections.abc import Iterator

from wexodos.formats.mobs import tree
from wexodos.formats.taken import Left, Taking

_HOUSEKEEPING = frozenset({"_IMPORTSETTING", "_COLOR_R", "_COLOR_G", "_COLOR_B", "_VERSION"})
"""Attributes that programs keep for themselves: nothing of the cut hangs on them."""


def untaken(file: tree.File, read: set[str]) -> Iterator[Left]:
    """The pieces of those mobs that were ``read`` as sequences."""
    for mob_id in read:
        mob = file.mobs[mob_id]
        yield from _of(mob.comments, mob.name, "comment")
        for slot in mob.slots:
            waiting: list[tree.Segment] = [slot.segment]
            while waiting:
                one = waiting.pop()
                waiting += tree.inside(one)
                where = f"{mob.name}/{slot.name or slot.id}"
                yield from _of(one.attributes, where, "attribute")
                yield from _of(one.comments, where, "comment")
                if isinstance(one, tree.Operation):
                    yield from _of(one.parameters, where, f"parameter of {one.name or one.op}:")


def _of(values: object, where: str, word: str) -> Iterator[Left]:
    if not isinstance(values, Taking):
        return
    for name, value in values.left():
        if name not in _HOUSEKEEPING and str(value).strip():
            yield Left(where, f"{word} {name}", str(value))
