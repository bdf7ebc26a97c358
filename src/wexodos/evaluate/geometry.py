"""Where a picture stands in the frame.

Order: crop, fit, scale about the anchor, rotate about the anchor, place. Rotation happens in square pixels.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Raster:
    """A picture's size in stored pixels and the width of one of them against its height."""

    width: float
    height: float
    pixel_aspect: float = 1.0


def fit_factor(fit: str, source: Raster, frame: Raster) -> float:
    """Return the factor in square pixels that the fit mode gives: ``fit``, ``fill`` or ``none``."""
    across = frame.width * frame.pixel_aspect / (source.width * source.pixel_aspect)
    down = frame.height / source.height
    if fit == "fit":
        return min(across, down)
    return max(across, down) if fit == "fill" else 1.0


def placed(
    source: Raster, frame: Raster, fit: str, position: Floats, scale: Floats, rotation: Floats, anchor: Floats
) -> tuple[Floats, Floats]:
    """Return (center, size), each (n, 2) in frame pixels, origin top left, y down.

    ``position``, ``scale`` and ``anchor`` have shape (n, 2) or (1, 2), ``rotation`` (n, 1) or (1, 1); units
    as in the model.
    """
    k = fit_factor(fit, source, frame)
    aspect = frame.pixel_aspect
    size = scale * np.array([source.width * source.pixel_aspect * k, source.height * k])
    landing = position * np.array([aspect, 1.0]) + np.array([frame.width * aspect / 2, frame.height / 2])
    if anchor.any():
        arm = anchor * size
        angle = np.radians(rotation[:, 0])
        cos, sin = np.cos(angle), np.sin(angle)
        landing = landing - np.stack(
            (arm[:, 0] * cos - arm[:, 1] * sin, arm[:, 0] * sin + arm[:, 1] * cos), axis=-1
        )
    if aspect == 1.0:
        return landing, size
    square = np.array([1.0 / aspect, 1.0])
    return landing * square, size * square


def nest(
    center: Floats,
    size: Floats,
    inner: Raster,
    outer_center: Floats,
    outer_size: Floats,
    outer_rotation: Floats,
    aspect: float,
) -> tuple[Floats, Floats]:
    """Carry a picture placed in a nested frame out into the frame around it; shapes as in ``placed``.

    ``aspect`` is the outer frame's pixel aspect. A nest that is stretched and holds rotated pictures would
    shear them; the size then is that of the picture before its own rotation.
    """
    whole = np.array([inner.width, inner.height])
    factor = outer_size / whole
    arm = (center - whole / 2) * factor * np.array([aspect, 1.0])
    angle = np.radians(outer_rotation[:, 0])
    cos, sin = np.cos(angle), np.sin(angle)
    turned = np.stack((arm[:, 0] * cos - arm[:, 1] * sin, arm[:, 0] * sin + arm[:, 1] * cos), axis=-1)
    return outer_center + turned * np.array([1.0 / aspect, 1.0]), size * factor
