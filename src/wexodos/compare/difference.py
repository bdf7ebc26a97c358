"""One difference between two sequences, and how far apart values may lie without being one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from wexodos.model import Item
from wexodos.timing import Exact

PIXELS, DEGREES, SHARE, DECIBELS, CROP = 0.05, 0.01, 0.002, 0.1, 0.0005
"""How far two values may lie apart and still count as the same; below what anyone sees or hears."""


@dataclass(frozen=True, slots=True)
class Difference:
    """One difference. ``start`` and ``stop`` in frames of the first sequence; ``deviation`` is the largest
    distance."""

    kind: str
    what: str
    item: str
    item_id: str
    track: str
    start: Exact
    stop: Exact
    before: Any
    after: Any
    deviation: tuple[float, str] | None = None


def name_of(item: Item) -> str:
    return item.name or item.kind
