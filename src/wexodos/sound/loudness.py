"""Where a stretch of one sound is in another by its loudness: how it rises and falls survives ridden levels,
other filters and much that was added."""

from __future__ import annotations

import numpy as np
from numpy.fft import irfft, rfft
from numpy.typing import NDArray

from wexodos.ground import Progress, together
from wexodos.sound.lines import Window, top
from wexodos.sound.signals import Samples, Signal

HOP = 128
"""Samples of one value of an envelope: at 48 kHz 375 a second."""
_STRETCH = 4096
"""Values of an envelope that are held against all of the other: 11 s."""
_PART = 1 << 15
"""Values that are transformed at once (overlap-save): as a whole they take ten times as long."""
LEAST_VALUES = 64
"""With fewer values of an envelope nothing is recognised."""
_AS_GOOD, _CLEAR, _MOST_ALIKE, _APART = 0.9, 0.4, 12, 32
"""Places that are as good as the best, to that share of it, where that is clear; so many at the most, and so
many values of the envelope apart: what most stretches agree in tells which of them is meant."""
QUIET = 10 ** (-70 / 20)
"""Less is silence."""


def envelope_of(signal: Signal, progress: Progress) -> NDArray[np.float32]:
    """How the loudness of a whole sound changes, a value for each hop."""
    block = HOP * 4096

    def part(first: int) -> NDArray[np.float32]:
        count = min(block, signal.length - first) // HOP * HOP
        return _loudness(signal.read(first - 1, count + 1)) if count else np.zeros(0, np.float32)

    parts = [np.zeros(0, np.float32)]
    for number, one in enumerate(together(part, range(0, signal.length, block))):
        progress("listening", 0.3 * number * block / signal.length)
        parts.append(one)
    return np.concatenate(parts)


def _loudness(samples: Samples) -> NDArray[np.float32]:
    """The loudness of each hop in steps of ten dB, from the differences of the samples, which are one more;
    below hearing all is alike."""
    steps = np.diff(samples)
    energy = np.square(steps).reshape(-1, HOP).mean(axis=1)
    return np.asarray(np.log10(np.maximum(energy, 1e-9)), np.float32)


class Loudness:
    """The loudness of a whole sound, in which stretches of another are looked for."""

    def __init__(self, envelope: NDArray[np.float32]) -> None:
        room, step = np.zeros(_STRETCH, np.float32), _PART - _STRETCH
        self._changes = np.concatenate([room, _changes(envelope), room])
        rest = np.zeros(-len(self._changes) % step + _STRETCH, np.float32)
        parts = np.lib.stride_tricks.sliding_window_view(np.concatenate([self._changes, rest]), _PART)
        self._transformed = rfft(parts[::step], axis=1)
        self._energy = np.concatenate([[0.0], np.cumsum(np.square(self._changes, dtype=np.float64))])

    def find(self, reference: Signal, at: int) -> list[Window]:
        """Where a stretch of the reference is, the best place first: one that is repeated – a loop, an effect
        that is used again – is in several. None where it is silent."""
        count = min(_STRETCH, max(0, reference.length - at) // HOP)
        if count < LEAST_VALUES:
            return []
        samples = reference.read(at - 1, count * HOP + 1)
        if np.sqrt(np.square(samples).mean()) < QUIET:
            return []
        ours = _changes(_loudness(samples))
        power = max(1e-9, float(np.square(ours).sum()))
        product = irfft(self._transformed * np.conj(rfft(ours, _PART)), _PART, axis=1)
        energy = self._energy[count:] - self._energy[:-count]
        # The end of each part is with its beginning in the next.
        score = product[:, : _PART - _STRETCH].reshape(-1)[: len(energy)] / np.sqrt(
            np.maximum(energy, 0.05 * power) * power
        )
        found: list[Window] = []
        for _ in range(_MOST_ALIKE):
            best = int(np.argmax(score))
            height = float(score[best])
            if found and (found[0].score < _CLEAR or height < found[0].score * _AS_GOOD):
                break
            place = best + top(score, best) - _STRETCH
            found.append(Window(at, place * HOP - at, height))
            score[max(0, best - _APART) : best + _APART + 1] = -1.0
        return found


def _changes(loudness: NDArray[np.float32]) -> NDArray[np.float32]:
    """Changes of loudness against a moving mean: what a ridden level leaves."""
    width = 64
    padded = np.pad(loudness, width // 2, mode="edge")
    total = np.concatenate([[0.0], np.cumsum(padded, dtype=np.float64)])
    mean = (total[width:] - total[:-width]) / width
    return np.asarray(loudness - mean[: len(loudness)], np.float32)
