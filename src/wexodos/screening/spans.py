"""Frames of a movie that are not as the cut has them, and what an explanation of them is."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from wexodos.model import Item, Sequence, Title
from wexodos.screening.cut_view import Stretch
from wexodos.screening.measure import Colour
from wexodos.screening.rows import Row, What
from wexodos.screening.scene import Placed, Scene

EXPLAINS = 0.3
"""An explanation leaves no more than so much of what lay apart."""
NOTHING = 4e-4
"""What is left then, of full scale, is nothing."""
_SAMPLES = 5


@dataclass(frozen=True, slots=True)
class Span:
    """Frames ``[first, last)`` of a stretch that are not as they should be, and the colours they have.
    ``hint`` is by how many frames their neighbours fit better."""

    stretch: Stretch
    first: int
    last: int
    colours: Colour
    hint: int | None = None

    def samples(self, count: int = _SAMPLES) -> list[int]:
        """Frames to be looked at, the first and the last among them."""
        return sorted(
            {int(at) for at in np.linspace(self.first, self.last - 1, min(count, self.last - self.first))}
        )


@dataclass(slots=True)
class Finding:
    """An explanation: the cut as it would be with it, what is left, and its rows."""

    left: float
    sequence: Sequence
    rows: list[Row] = field(default_factory=list)
    item: Item | None = None


def far_apart(scene: Scene, sequence: Sequence, frames: list[int], colours: Colour) -> float:
    return float(np.mean([scene.far(sequence, frame, colours) for frame in frames]))


def shown_in(scene: Scene, span: Span) -> list[Placed]:
    """The items of the cut itself that are seen in a span, from the bottom up."""
    found: dict[str, Placed] = {}
    for layer in span.stretch.layers:
        key = layer.via_ids[0] if layer.via_ids else layer.item.id
        one = scene.placed(key)
        if one is not None:
            found[key] = one
    return list(found.values())


def row_of(
    span: Span, what: What, one: Placed | None, value: str, expected: str, sure: float, **more: object
) -> Row:
    item = one.item if one is not None else None
    return Row(
        span.first,
        span.last,
        what,
        value,
        expected,
        round(min(0.99, max(0.0, sure)), 2),
        (item.name or item.kind) if item is not None else "",
        item.id if item is not None else "",
        one.track if one is not None else "",
        **more,  # type: ignore[arg-type]
    )


def sure(left: float, apart: float) -> float:
    return 1 - 0.5 * left / max(apart, 1e-9)


def named(item: Item) -> str:
    if isinstance(item.content, Title):
        words = " ".join(item.content.words.split())
        return f"the title “{words[:60]}”"
    kinds = {
        "still": "the picture",
        "generator": "the generator",
        "adjustment": "the adjustment",
        "nested": "the nest",
    }
    return f"{kinds.get(item.kind, 'the clip')} “{item.name or item.kind}”"


def around(spots: NDArray[np.bool_]) -> tuple[float, float, float, float] | None:
    """The box around what is true, without the last per cent of it, in parts of the frame."""
    rows, columns = np.flatnonzero(spots.sum(axis=1) > 0), np.flatnonzero(spots.sum(axis=0) > 0)
    if not len(rows):
        return None
    tall, wide = spots.shape
    return (
        round(float(columns[0]) / wide, 4),
        round(float(rows[0]) / tall, 4),
        round(float(columns[-1] + 1 - columns[0]) / wide, 4),
        round(float(rows[-1] + 1 - rows[0]) / tall, 4),
    )
