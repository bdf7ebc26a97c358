"""Two pictures held against each other."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wexodos.picture.decode import Picture
from wexodos.picture.depths import to_bytes


@dataclass(frozen=True, slots=True)
class Gap:
    """How far two pictures lie apart, 0 to 1: the largest and the mean difference of any colour of any
    pixel."""

    largest: float
    mean: float


def difference(one: Picture, other: Picture) -> tuple[Picture, Gap]:
    """The difference as a picture, bright where they differ, and its measure. Both are seen over black and of
    one shape."""
    apart = np.abs(one[..., :3] - other[..., :3])
    shown = np.empty_like(one)
    # Drawn four times as bright: one percent would be invisible.
    shown[..., :3] = np.minimum(apart * 4, 1)
    shown[..., 3] = 1.0
    return shown, Gap(float(apart.max()), float(apart.mean()))


def eight_bits(picture: Picture) -> NDArray[np.uint8]:
    """A picture over black as bytes, shape (height, width, 4), opaque: what a screen shows."""
    made = to_bytes(picture)
    made[..., 3] = 255
    return made
