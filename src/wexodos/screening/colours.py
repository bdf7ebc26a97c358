"""What was done to colours, in words: a wrong range or matrix, or a grade."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wexodos.screening.measure import Colour

_SAME_AS = 0.035
"""So near a wrong range or matrix is that, and no grade."""
_GAIN, _OFFSET, _SATURATION = 0.025, 0.018, 0.08
"""Less is nothing; coders keep colour coarser than brightness, which takes some of it."""


def _matrix(red: float, blue: float) -> NDArray[np.float64]:
    """From R'G'B' to Y'CbCr with these weights (ITU-R BT.601, BT.709)."""
    green = 1 - red - blue
    luma = np.array([red, green, blue])
    across = (np.array([0, 0, 1]) - luma) / (2 * (1 - blue))
    down = (np.array([1, 0, 0]) - luma) / (2 * (1 - red))
    return np.stack([luma, across, down])


_OLD, _NEW = _matrix(0.299, 0.114), _matrix(0.2126, 0.0722)


@dataclass(frozen=True, slots=True)
class Mistake:
    """A way in which colours go wrong as a whole."""

    what: str
    value: str
    expected: str
    colour: Colour


def _range(gain: float, offset: float) -> Colour:
    return Colour(np.eye(3) * gain, np.full(3, offset), 0.0)


_NARROW = _range(219 / 255, 16 / 255)
"""8 bits, ITU-R BT.709: black at 16, white at 235."""
_FULL = _range(255 / 219, -16 / 219)

MISTAKES = (
    Mistake("range", "pictures of full range shown as they are in video range", "full contrast", _NARROW),
    Mistake("range", "pictures of video range stretched once more", "video range", _FULL),
    Mistake(
        "matrix",
        "coded by BT.709, shown by BT.601",
        "BT.709",
        Colour(np.linalg.inv(_OLD) @ _NEW, np.zeros(3), 0.0),
    ),
    Mistake(
        "matrix",
        "coded by BT.601, shown by BT.709",
        "BT.601",
        Colour(np.linalg.inv(_NEW) @ _OLD, np.zeros(3), 0.0),
    ),
)


def mistake(found: Colour) -> Mistake | None:
    """The wrong range or matrix that colours went through; None where it is none of them."""
    near = min(MISTAKES, key=lambda one: one.colour.far(found))
    apart = near.colour.far(found)
    return near if apart < _SAME_AS and apart < 0.4 * found.far(Colour.none()) else None


def is_graded(found: Colour) -> bool:
    """Whether colours are others than they were, as far as anybody sees."""
    return (
        max(abs(one - 1) for one in found.gains) > _GAIN
        or float(np.abs(found.offset).max()) > _OFFSET
        or abs(found.saturation - 1) > _SATURATION
    )


def grade_words(found: Colour) -> str:
    """Gain and offset of red, green and blue, and saturation."""
    gains = " ".join(f"{one:.2f}" for one in found.gains)
    offsets = " ".join(f"{one:+.3f}" for one in found.offset)
    return f"gain {gains}, offset {offsets}, saturation {found.saturation * 100:.0f} %"


def figures(found: Colour) -> dict[str, object]:
    """The same for programs."""
    return {
        "gain": [round(one, 4) for one in found.gains],
        "offset": [round(float(one), 4) for one in found.offset],
        "saturation": round(found.saturation, 4),
    }
