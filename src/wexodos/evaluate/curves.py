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
    values = np.array([key.value for key in keys], np.float64)
    gain = curve.domain == "gain"
    if gain:
        values = 10.0 ** (values / 20.0)
    # Which segment a time is in: before the first key the first one, after the last the last.
    index = np.searchsorted(at[1:-1], times, side="right")
    lengths = np.diff(at)
    share = (times - at[index]) / np.where(lengths > 0, lengths, 1.0)[index]
    # Clipped to 0 before the first key, after the last to 1: both ends hold.
    np.minimum(np.maximum(share, 0.0, out=share), 1.0, out=share)
    eases = [key.ease for key in keys]
    arrived = share == 1.0
    if any(one.eases_out or one.eases_in for one in eases):
        share = _eased(share, eases, index)
    if Ease.HOLD in eases:
        share[np.array([one is Ease.HOLD for one in eases])[index] & ~arrived] = 0.0
    a, b = values[index], values[index + 1]
    if np.isfinite(values).all():
        result = b - a
        result *= share[:, None]
        result += a
        # Not by a step from the key before it, which may miss it by a rounding.
        result[arrived] = b[arrived]
    else:
        part = share[:, None]
        with np.errstate(invalid="ignore"):
            result = np.where(part == 0.0, a, np.where(part == 1.0, b, a + (b - a) * part))
    if gain:
        with np.errstate(divide="ignore"):
            np.log10(np.maximum(result, 0.0, out=result), out=result)
        result *= 20.0
    return np.asarray(result, np.float64)


def _eased(u: Floats, eases: list[Ease], index: NDArray[np.intp]) -> Floats:
    """How much of the way to the next key is gone at the share ``u`` of its time."""
    out = np.array([one.eases_out for one in eases])[index]
    into = np.array([one.eases_in for one in eases])[index + 1]
    m0, m1 = np.where(out, 0.0, 1.0), np.where(into, 0.0, 1.0)
    square = u * u
    cube = square * u
    curved = (cube - 2 * square + u) * m0 + (3 * square - 2 * cube) + (cube - square) * m1
    return np.where(out | into, curved, u)


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
