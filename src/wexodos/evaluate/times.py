"""Exact instants in bulk: integer numerators over one denominator.

Cuts and source frames are decided in whole numbers only. ``int64`` serves as long as nothing can overflow;
beyond that the same code runs on arrays of Python integers, slower and still exact.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from math import gcd, lcm
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wexodos.model import Constant, Speed
from wexodos.model.speed import segments
from wexodos.timing import Exact, Rate, exact

_SAFE = 1 << 61
_GUARD = 1000

Ints = NDArray[Any]
"""Shape (n,), dtype int64 or object."""


@dataclass(frozen=True, slots=True)
class Times:
    """``numerators / denominator``, shape (n,), in any unit."""

    numerators: Ints
    denominator: int

    @classmethod
    def frames(cls, start: int, stop: int) -> Times:
        return cls(np.arange(start, stop, dtype=np.int64), 1)

    def __len__(self) -> int:
        return len(self.numerators)

    def part(self, start: int, stop: int) -> Times:
        return Times(self.numerators[start:stop], self.denominator)

    def floats(self) -> NDArray[np.float64]:
        return self.numerators.astype(np.float64) / self.denominator

    def affine(self, factor: Exact, offset: Exact) -> Times:
        """Return ``factor * t + offset`` exactly."""
        # Whole numbers have a numerator and a denominator too, so neither needs to become a fraction first.
        under, other = factor.denominator * self.denominator, offset.denominator
        den = lcm(under, other)
        a = factor.numerator * (den // under)
        b = offset.numerator * (den // other)
        if den != 1:
            shared = gcd(a, b, den)
            a, b, den = a // shared, b // shared, den // shared
        numerators = self.numerators
        if numerators.dtype != object:
            peak = max(abs(int(numerators.min())), abs(int(numerators.max()))) if len(numerators) else 0
            if (peak * abs(a) + abs(b)) * _GUARD + den >= _SAFE or den * _GUARD >= _SAFE:
                numerators = numerators.astype(object)
        return Times(numerators * a + b, den)

    def shown(self, direction: int) -> NDArray[np.int64]:
        """Return the whole frame (or sample) shown at each boundary, forgiving a thousandth.

        Forwards the one that begins at or before it, backwards (``direction`` < 0) the one that ends there.
        """
        num, den = self.numerators, self.denominator
        if direction < 0:
            return (-((-num * _GUARD + den) // (den * _GUARD)) - 1).astype(np.int64)
        if den == 1:
            return num.astype(np.int64)
        return ((num * _GUARD + den) // (den * _GUARD)).astype(np.int64)

    def inside(self, low: Exact, high: Exact) -> NDArray[np.bool_]:
        """Return where ``low <= t < high``."""
        lo, hi = Fraction(low), Fraction(high)
        num = self.numerators
        if num.dtype != object and max(lo.denominator, hi.denominator) * self.denominator > 1 << 20:
            num = num.astype(object)
        above = num * lo.denominator >= lo.numerator * self.denominator
        below = num * hi.denominator < hi.numerator * self.denominator
        return (above & below).astype(bool)


def source_pieces(
    speed: Speed, source_in: Exact, start: Exact, times: Times, rate: Rate, unit: Exact = 1
) -> list[tuple[int, int, Times, int]]:
    """Map record times (frames of ``rate``) to source boundaries in ``unit``s to the second: frames, samples,
    or seconds.

    ``start`` is the item's record start. Returns (from, to, boundaries, direction) for runs of indices into
    ``times`` that share one straight piece of the speed map.
    """
    if isinstance(speed, Constant):
        factor = _per_frame(speed.rate, rate, unit)
        boundaries = times.affine(factor, source_in * unit - factor * start)
        return [(0, len(times), boundaries, (speed.rate > 0) - (speed.rate < 0))]
    pieces = []
    low_end = -(1 << 60)
    for low, high, anchor, source, slope in segments(speed):
        lo = low_end if low is None else low + start
        hi = -low_end if high is None else high + start
        for first, last in runs(times.inside(lo, hi)):
            boundaries = times.part(first, last).affine(
                slope * unit, (source - slope * (anchor + start)) * unit
            )
            pieces.append((first, last, boundaries, (slope > 0) - (slope < 0)))
    pieces.sort(key=lambda piece: piece[0])
    return pieces


@lru_cache(maxsize=1024)
def _per_frame(speed: Exact, rate: Rate, unit: Exact) -> Exact:
    return exact(Fraction(speed) * rate.seconds(1) * unit)


def runs(mask: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Return the half-open index ranges in which ``mask`` is true."""
    if not len(mask):
        return []
    if mask.all():
        return [(0, len(mask))]
    edges = np.flatnonzero(np.diff(np.concatenate(([False], mask, [False])).astype(np.int8)))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist()))
