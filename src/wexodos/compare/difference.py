"""One difference between two sequences."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from wexodos.compare.aspects import Aspect
from wexodos.model import Item
from wexodos.timing import Exact


@dataclass(frozen=True, slots=True)
class Difference:
    """One difference. ``start`` and ``stop`` in frames of the first sequence; ``deviation`` is the largest
    distance. ``what`` names the aspect, or the kind of item that came or went."""

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

    @property
    def aspect(self) -> Aspect:
        """The aspect it is about; the presence of the item where that came or went."""
        return _NAMED.get(self.what, Aspect.PRESENCE)


_NAMED = {aspect.value: aspect for aspect in Aspect}


def name_of(item: Item) -> str:
    return item.name or item.kind
