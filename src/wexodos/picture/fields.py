"""Interlaced pictures: two moments in one frame, every other line each (upper lines count from the first).

Where such a picture is moved or sized, lines of both moments would fall into one another; where it is slowed
or stands still, they flicker. Then each field is drawn for itself where the sequence is interlaced too,
otherwise the one that is shown first stands for the frame.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from wexodos.evaluate.layers import Layer
from wexodos.model import Constant
from wexodos.picture.decode import Picture

FIRST = {"upper": 0, "lower": 1}
"""The line that the field which is shown first begins with."""
_NEAR = 1e-6


def woven(first: Picture, second: Picture, begins: int) -> Picture:
    """A frame of two moments: the first in every other line from ``begins`` on."""
    made = second.copy()
    made[begins::2] = first[begins::2]
    return made


def slowed(layer: Layer) -> bool:
    """Whether a layer plays at another pace than its medium, or stands still."""
    speed = layer.item.speed
    return layer.item.still or not (isinstance(speed, Constant) and speed.rate == 1)


def in_place(layer: Layer, corners: NDArray[Any], width: int, height: int) -> bool:
    """Whether the lines of a layer's source are lines of the canvas: unscaled, unturned, moved by whole
    pixels across and by whole pairs of lines down."""
    wide, tall = layer.source.width, layer.source.height
    left, top = corners[0]
    box = np.array([[left, top], [left + wide, top], [left + wide, top + tall], [left, top + tall]])
    return (
        bool(np.abs(corners - box).max() < _NEAR)
        and abs(left - round(left)) < _NEAR
        and abs(top / 2 - round(top / 2)) < _NEAR
        and layer.frame.height == height
        and layer.frame.width == width
    )
