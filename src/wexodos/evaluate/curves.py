"""Keyframed values in bulk."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wexodos.model import Curve, Ease, Key

Floats = NDArray[np.float64]


def curve_values(curve: Curve, times: Floats) -> Floats:
    """Evaluate ``curve`` at ``times`` (frames from the item's start).

    Returns shape (len(times), k), or (1, k) where the value never changes. A segment is a cubic Hermite curve
    h00·a + h10·m0 + h01·b + h11·m1 whose tangents m are b - a (the straight line) at ends that are not eased
    and 0 at ends that are; levels in the domain ``"gain"`` are mixed as 10^(dB/20).
    """
    if not curve.animated:
        return np.array([curve.still])
    keys = curve.keys
    at = np.array([float(key.time) for key in keys])
    values = np.array([key.value for key in keys])
    gain = curve.domain == "gain"
    if gain:
        values = 10.0 ** (values / 20.0)
    index = np.minimum(np.maximum(np.searchsorted(at, times, side="right") - 1, 0), len(keys) - 2)
    length = at[index + 1] - at[index]
    u = np.minimum(np.maximum((times - at[index]) / np.where(length > 0, length, 1.0), 0.0), 1.0)
    # Before the first key u is clipped to 0, after the last to 1: both ends hold.
    out = np.array([key.ease.eases_out for key in keys])[index]
    into = np.array([key.ease.eases_in for key in keys])[index + 1]
    held = np.array([key.ease is Ease.HOLD for key in keys])[index] & (u < 1.0)
    a, b = values[index], values[index + 1]
    m0, m1 = np.where(out, 0.0, 1.0), np.where(into, 0.0, 1.0)
    share = np.where(
        out | into,
        (u**3 - 2 * u**2 + u) * m0 + (3 * u**2 - 2 * u**3) + (u**3 - u**2) * m1,
        u,
    )
    share = np.where(held, 0.0, share)[:, None]
    with np.errstate(invalid="ignore"):
        result = np.where(share == 0.0, a, np.where(share == 1.0, b, a + (b - a) * share))
    if gain:
        with np.errstate(divide="ignore"):
            result = 20.0 * np.log10(np.maximum(result, 0.0))
    return np.asarray(result, dtype=np.float64)


def joined(parts: list[Curve]) -> Curve:
    """Join curves into one of all their numbers, with keys at every time any of them has one."""
    times = sorted({key.time for part in parts for key in part.keys})
    if not times:
        return Curve(tuple(value for part in parts for value in part.still))
    at = np.array([float(time) for time in times])
    columns = np.concatenate(
        [np.broadcast_to(curve_values(part, at), (len(times), len(part.still))) for part in parts], axis=1
    )
    eases = {key.time: key.ease for part in reversed(parts) for key in part.keys}
    keys = tuple(Key(time, tuple(map(float, row)), eases[time]) for time, row in zip(times, columns))
    return Curve(keys[0].value, keys)
