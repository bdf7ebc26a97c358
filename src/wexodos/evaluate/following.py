"""Curves that another program draws differently: keys added until its lines follow ours."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wexodos.evaluate import curve_values
from wexodos.model import Curve, Key

Floats = NDArray[np.float64]


def spread(a: Floats, b: Floats) -> Floats:
    """The largest distance in any number of a value; (n, k) arrays to (n,)."""
    gap: Floats = np.abs(a - b).max(axis=1)
    return gap


AROUND = 1000
"""Frames before and after an item in which its keys still matter: handles and transitions reach no
further."""


def frames_of(curve: Curve, length: float) -> Floats:
    """The whole frames from the first key to the last, as far as an item of ``length`` frames can show them;
    shape (n,)."""
    low = max(int(np.floor(float(curve.keys[0].time))), -AROUND)
    high = min(int(np.ceil(float(curve.keys[-1].time))), int(length) + AROUND)
    return np.arange(min(low, high), max(low, high) + 1, dtype=np.float64)


@lru_cache(maxsize=4096)
def followed(
    curve: Curve,
    length: float,
    domain: str,
    distance: Callable[[Floats, Floats], Floats],
    tolerance: float,
) -> Curve:
    """Return a curve with straight segments in ``domain`` and keys on whole frames that stays within
    ``tolerance``.

    ``distance`` measures two (n, k) arrays of values against each other, giving (n,). Keys are placed where
    the straight line is furthest away until it is near enough (Ramer, Douglas and Peucker), so frames where
    it matters get them. The same movement on a thousand clips is worked out once.
    """
    frames = frames_of(curve, length)
    values = np.broadcast_to(curve_values(curve, frames), (len(frames), len(curve.still)))
    chosen = {0, len(frames) - 1}
    stack = [(0, len(frames) - 1)]
    while stack:
        a, b = stack.pop()
        if b - a < 2:
            continue
        piece = Curve(tuple(values[a]), (_key(frames[a], values[a]), _key(frames[b], values[b])), domain)
        gap = distance(
            np.broadcast_to(curve_values(piece, frames[a : b + 1]), (b - a + 1, values.shape[1])),
            values[a : b + 1],
        )
        worst = int(np.argmax(gap))
        if gap[worst] > tolerance and 0 < worst < b - a:
            chosen.add(a + worst)
            stack += [(a, a + worst), (a + worst, b)]
    keys = tuple(_key(frames[i], values[i]) for i in sorted(chosen))
    return Curve(keys[0].value, keys, domain)


def _key(frame: Any, value: Any) -> Key:
    return Key(int(frame), tuple(float(part) for part in np.atleast_1d(value)))


@lru_cache(maxsize=4096)
def largest(a: Curve, b: Curve, length: float, distance: Callable[[Floats, Floats], Floats]) -> float:
    """The largest distance of two curves at any whole frame of the first that an item of ``length`` frames
    can show."""
    frames = frames_of(a, length)
    x = np.broadcast_to(curve_values(a, frames), (len(frames), len(a.still)))
    y = np.broadcast_to(curve_values(b, frames), (len(frames), len(b.still)))
    return float(distance(x, y).max())
