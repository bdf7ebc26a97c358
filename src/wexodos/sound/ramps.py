"""Sound whose speed changes on the way, as a tape that is slowed down or sped up: the pitch goes with it.

Every sample of what is rendered lies somewhere between samples of the medium. What is there is what a
band-limited signal has between its samples: the sum of them, each weighted with a cardinal sine that is as
wide as the lower of both rates demands, under a Kaiser window (J. O. Smith, Digital Audio Resampling).
"""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from math import ceil, floor
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from wexodos.model.speed import source_at
from wexodos.sound.decode import Facts, Samples, blocks
from wexodos.sound.piece import Piece, Ramp

_AT_ONCE = 1024
"""Samples made at once: with all that each is the sum of they take some megabytes."""
_CROSSINGS = 32
"""Noughts of the sine on either side: with the window below, what is left beside the band is under
-100 dB."""
_WINDOW = 10.0
_SHARP = 0.96
"""The share of the band that passes: the rest is the slope of the filter."""
_PARTS = 16
"""Places in a frame at which a ramp is looked at: between them it is as good as straight."""


def ramped(piece: Piece, ramp: Ramp, told: Facts, channel: int) -> Iterator[Samples]:
    """The samples of a channel of a piece whose speed changes. Raises ``SoundError``."""
    times, places = _line(piece, ramp)
    # The faster it goes, the more samples each is the sum of.
    fastest = np.abs(np.diff(places) / np.diff(times)).max() * told.rate / piece.rate
    size = ceil(_AT_ONCE / max(1.0, float(fastest)))
    for first in range(0, piece.frames, size):
        count = min(size, piece.frames - first)
        at = np.interp(np.arange(first, first + count + 1) / piece.rate, times, places) * told.rate
        yield _between(Path(told.path), channel, at[:-1], np.abs(np.diff(at)))


def _line(piece: Piece, ramp: Ramp) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Times in a piece and the places in the medium that belong to them, both in seconds."""
    rate, lead = ramp.rate, ramp.rate.frames(ramp.lead)
    last = rate.frames(Fraction(piece.frames + 1, piece.rate)) - lead
    grid = {Fraction(number, _PARTS) for number in range(floor(-lead * _PARTS), ceil(last * _PARTS) + 1)}
    grid |= {Fraction(point.time) for point in ramp.speed.points if -lead <= point.time <= last}
    knots = sorted(grid)
    times = [float(rate.seconds(knot + lead)) for knot in knots]
    places = [float(source_at(ramp.speed, 0, knot, rate)[0]) for knot in knots]
    return np.array(times), np.array(places)


def _between(path: Path, channel: int, at: NDArray[np.float64], steps: NDArray[np.float64]) -> Samples:
    """The signal at places between its samples; ``steps`` are how far apart these are, in samples."""
    fastest = max(1.0, float(steps.max()))
    reach = ceil(_CROSSINGS * fastest / _SHARP) + 1
    low, high = floor(at.min()) - reach, ceil(at.max()) + reach + 1
    data = np.concatenate([*blocks(path, channel, low, high - low)]).astype(np.float64)
    begin = np.floor(at).astype(np.int64)
    near = np.arange(-reach, reach + 1)
    apart = near[None, :] - (at - begin)[:, None]
    band = _SHARP / np.maximum(steps, 1.0)[:, None]
    inside = np.clip(1 - (apart * band / _CROSSINGS) ** 2, 0, None)
    weights = band * np.sinc(apart * band) * np.i0(_WINDOW * np.sqrt(inside)) * (inside > 0)
    weights /= weights.sum(axis=1, keepdims=True)
    heard = (data[(begin - low)[:, None] + near[None, :]] * weights).sum(axis=1)
    return np.asarray(heard, np.float64)
