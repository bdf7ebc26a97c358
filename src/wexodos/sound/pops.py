"""Sync pops: one frame of a tone of 1 kHz, alone in silence, found to the sample. By custom the one at the
head stands two seconds before the first frame."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wexodos.sound.signals import Signal

HERTZ = 1000
LOOKED_AT = 40
"""So many seconds at either end of a sound are looked at."""
_HOP = 240
"""Samples of a step at 48 kHz: five periods."""
_SHORTEST, _LONGEST = 0.012, 0.09
"""Seconds of a pop: a frame at 60 a second, two at 24."""
_ALONE = 0.3
"""Seconds of silence on either side of it."""
_PURE = 0.8
"""So much of what is heard is the tone."""
_LEAST = 0.003
"""As large it is at least, of full scale: -50 dBFS."""
_SILENT = 0.1
"""What is beside it has no more than this of its size."""
_TURN = 24
"""Samples about its beginning among which that is looked for: half a period at 48 kHz."""
CUSTOM = 2
"""Seconds from a pop at the head to the first frame."""


@dataclass(frozen=True, slots=True)
class Pop:
    """A pop from sample ``at`` on; ``length`` samples."""

    at: int
    length: int


def pops(signal: Signal) -> list[Pop]:
    """The pops in the first and the last seconds of a sound, in their order. Raises ``SoundError``."""
    seconds = LOOKED_AT * signal.rate
    if signal.length <= 2 * seconds:
        return _within(signal, 0, signal.length)
    tail = signal.length - seconds
    return [*_within(signal, 0, seconds), *_within(signal, tail, seconds)]


def _within(signal: Signal, first: int, count: int) -> list[Pop]:
    hop = _HOP * signal.rate // 48_000
    count = count // hop * hop
    if count <= 0:
        return []
    samples = signal.read(first, count)
    rows = samples.reshape(-1, hop)
    turn = np.exp(-2j * np.pi * HERTZ / signal.rate * np.arange(count)).reshape(-1, hop)
    tone = 2 * np.abs((rows * turn).mean(axis=1))
    power = np.square(rows).mean(axis=1)
    pure = (tone > _LEAST) & (np.square(tone) / 2 > _PURE * power)
    found = []
    for low, high in _runs(pure):
        seconds = (high - low) * hop / signal.rate
        quiet = round(_ALONE * signal.rate / hop)
        # The steps at its ends hold it only in part.
        before, behind = power[max(0, low - 1 - quiet) : max(0, low - 1)], power[high + 1 : high + 1 + quiet]
        loud = float(power[low:high].mean())
        beside = max((float(one.max()) for one in (before, behind) if len(one)), default=0.0)
        if (
            seconds + 2 * hop / signal.rate >= _SHORTEST
            and seconds <= _LONGEST
            and beside < _SILENT**2 * loud
        ):
            at, end = _edges(samples, max(0, (low - 2) * hop), min(count, (high + 2) * hop))
            if _SHORTEST <= (end - at) / signal.rate <= _LONGEST:
                found.append(Pop(first + at, end - at))
    return found


def _runs(mask: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Where it is true, from and until."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    return [(int(low), int(high)) for low, high in zip(edges[::2], edges[1::2])]


def _edges(samples: NDArray[np.float64], low: int, high: int) -> tuple[int, int]:
    """The first sample of a tone in a stretch and the one behind its last: one that begins at nought is
    silent there."""
    size = np.abs(samples[low:high])
    loud = np.flatnonzero(size > 0.05 * size.max())
    return low + max(0, int(loud[0]) - 1), low + int(loud[-1]) + 1


def lag(reference: Signal, other: Signal, ours: Pop, theirs: Pop) -> int:
    """How many samples later a pop of another sound is than one of the reference, by what is the same in
    both."""
    count = min(ours.length, theirs.length) + 2 * _TURN
    one = reference.read(ours.at - _TURN, count)
    scores = [float(one @ other.read(theirs.at - _TURN + shift, count)) for shift in range(-_TURN + 1, _TURN)]
    return theirs.at + int(np.argmax(scores)) - _TURN + 1 - ours.at
