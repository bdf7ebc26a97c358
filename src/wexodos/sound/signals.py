"""Sound as one stream of samples at a wanted rate, from any place: what a file holds, or what a cut lets
hear."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from math import gcd
from pathlib import Path
from threading import Lock
from typing import Protocol

import numpy as np
import soxr
from numpy.typing import NDArray

from wexodos.evaluate import Evaluator
from wexodos.model import Document, Media, Sequence
from wexodos.sound.decode import all_channels, blocks, facts
from wexodos.sound.mixing import mixed
from wexodos.timing import ceil, floor

Samples = NDArray[np.float64]
_REACH = 64
"""So many steps of the slower rate around a place the filter of a resampling reaches."""


_BLOCK = 1 << 18
_KEPT = 20_000_000
"""Samples that are kept at the most: 80 MB, which are seven minutes."""


class Signal(Protocol):
    """``length`` samples at ``rate``, which several threads may read at once."""

    rate: int
    length: int

    def read(self, first: int, count: int) -> Samples:
        """``count`` samples from ``first``, of full scale 1; outside there is silence."""
        ...


class FileSignal:
    """All channels of a file in one. Raises ``SoundError``."""

    def __init__(self, path: Path, rate: int) -> None:
        self.path, self.rate = path, rate
        self.facts = facts(path)
        shared = gcd(rate, self.facts.rate)
        self._up, self._down = rate // shared, self.facts.rate // shared
        self._share = np.full(self.facts.channels, 1 / self.facts.channels, np.float32)
        self.length = self.facts.frames * self._up // self._down

    def read(self, first: int, count: int) -> Samples:
        if self._up == self._down:
            return self._whole(first, count)
        # From a sample on that both rates have, far enough before.
        begin = first // self._up - _REACH
        end = -(-(first + count) // self._up) + _REACH
        whole = self._whole(begin * self._down, (end - begin) * self._down)
        data = soxr.resample(whole, self.facts.rate, self.rate, "VHQ")
        at = first - begin * self._up
        return np.asarray(data[at : at + count], np.float64)

    def _whole(self, first: int, count: int) -> Samples:
        made = np.zeros(count)
        if self.facts.plain:
            # All channels at once: they lie beside each other.
            start, stop = max(0, first), min(self.facts.frames, first + count)
            if stop > start:
                found = all_channels(self.path, start, stop - start) @ self._share
                made[start - first : start - first + len(found)] = found
            return made
        for channel in range(1, self.facts.channels + 1):
            made += np.concatenate([np.zeros(0), *blocks(self.path, channel, first, count)])
        return made / self.facts.channels


class Kept:
    """A sound that is looked at again and again: read in blocks, which are kept as long as the whole is no
    longer than ``most`` samples; what is longer is read each time anew."""

    def __init__(self, source: Signal, most: int = _KEPT) -> None:
        self._source = source
        self.rate, self.length = source.rate, source.length
        self._all = source.length <= most
        self._blocks: dict[int, NDArray[np.float32]] = {}

    def read(self, first: int, count: int) -> Samples:
        """``count`` samples from ``first``, rounded to 24 bits where they are kept; outside is silence."""
        if not self._all:
            return self._source.read(first, count)
        made = np.zeros(count)
        start, stop = max(0, first), min(self.length, first + count)
        for number in range(start // _BLOCK, -(-stop // _BLOCK) if stop > start else 0):
            begin = number * _BLOCK
            if number not in self._blocks:
                length = min(_BLOCK, self.length - begin)
                self._blocks[number] = self._source.read(begin, length).astype(np.float32)
            block = self._blocks[number]
            low, high = max(start, begin), min(stop, begin + len(block))
            made[low - first : high - first] = block[low - begin : high - begin]
        return made


class CutSignal:
    """What a sequence lets hear, both sides in one."""

    _alone = Lock()
    """What a cut is mixed with remembers what it looked up: one at a time."""

    def __init__(
        self,
        document: Document,
        sequence: Sequence,
        locate: Callable[[Media], Path | None],
        rate: int,
    ) -> None:
        self.rate, self._sequence, self._locate = rate, sequence, locate
        self._evaluator = Evaluator(document)
        self.length = floor(sequence.rate.seconds(sequence.duration) * rate)

    def read(self, first: int, count: int) -> Samples:
        made = np.zeros(count)
        frame = Fraction(self._sequence.rate.fps) / self.rate
        low = max(0, floor(first * frame))
        high = min(ceil((first + count) * frame), ceil(self._sequence.duration))
        if high <= low:
            return made
        begin = int(self._sequence.rate.seconds(low) * self.rate)
        with self._alone:
            heard = mixed(self._evaluator, self._sequence, low, high - low, self._locate, self.rate)
        sound = heard.mean(axis=1)
        start, stop = max(first, begin), min(first + count, begin + len(sound))
        if stop > start:
            made[start - first : stop - first] = sound[start - begin : stop - begin]
        return made
