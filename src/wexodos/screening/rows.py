"""What is not in a movie as the cut has it, as rows."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import Any


class What(StrEnum):
    """What is not as it should be."""

    FRAME = "frame"
    PLACE = "place"
    SIZE = "size"
    ROTATION = "rotation"
    MISSING = "missing"
    ADDED = "added"
    BLACK = "black"
    TRANSITION = "transition"
    COLOUR = "colour"
    RANGE = "range"
    FIELD_ORDER = "field-order"


@dataclass(frozen=True, slots=True)
class Row:
    """Something that is otherwise in frames ``[first, until)``; of an item, or of the whole where that is
    empty. ``figures`` are the same for programs; ``box`` is where in the frame, in parts of it: left, top,
    width, height."""

    first: int
    until: int
    what: What
    value: str
    expected: str
    certainty: float
    item: str = ""
    item_id: str = ""
    track: str = ""
    figures: dict[str, Any] = field(default_factory=dict)
    box: tuple[float, float, float, float] | None = None


def where(box: tuple[float, float, float, float]) -> str:
    """A place in the frame in words.

    >>> where((0.6, 0.8, 0.3, 0.1))
    'at the bottom right, 3 % of the frame'
    """
    left, top, wide, tall = box
    x, y = left + wide / 2, top + tall / 2
    across = "left" if x < 0.4 else "right" if x > 0.6 else ""
    down = "top" if y < 0.4 else "bottom" if y > 0.6 else ""
    place = " ".join(one for one in (down, across) if one)
    words = f"at the {place}" if place else "in the middle"
    if wide > 0.8 and tall > 0.8:
        return "over the whole frame"
    return f"{words}, {max(1, round(wide * tall * 100))} % of the frame"


def joined(rows: list[Row], near: int = 2) -> list[Row]:
    """Rows in their order; of those that say the same of the same thing, one after the other, one is made."""
    made: list[Row] = []
    for row in sorted(rows, key=lambda one: (one.first, one.what)):
        for place in range(len(made) - 1, max(-1, len(made) - 8), -1):
            before = made[place]
            of_one = (before.what, before.item_id) == (row.what, row.item_id)
            if of_one and row.item_id and row.what in (What.MISSING, What.ADDED):
                # A layer that is not there, whatever of it would be seen between.
                made[place] = replace(before, until=max(before.until, row.until))
                break
            same = of_one and before.value == row.value
            if same and row.first <= before.until + near:
                sure = max(before.certainty, row.certainty)
                made[place] = replace(before, until=max(before.until, row.until), certainty=sure)
                break
        else:
            made.append(row)
    return made
