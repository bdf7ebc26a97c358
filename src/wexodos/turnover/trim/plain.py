"""A stretch of coded sound as plain samples."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from wexodos.formats import WriteError
from wexodos.ground import Progress
from wexodos.sound.convert import packed
from wexodos.sound.decode import blocks, facts
from wexodos.sound.errors import SoundError
from wexodos.sound.heads import wave_head
from wexodos.turnover.write import write_blocks

BITS = 24


@dataclass(frozen=True, slots=True)
class PlainCut:
    """A stretch of coded sound as plain samples: ``count`` of them from ``first`` on, of ``channels`` at
    ``rate``; ``start`` is the time of the source's first sample."""

    source: Path
    first: int
    count: int
    channels: int
    rate: int
    start: int

    suffix = ".wav"
    anew = "WAVE, 24 bits"

    def head(self, frames: int) -> PlainCut:
        """See ``Cut``."""
        return replace(self, count=min(self.count, self.rate))

    @property
    def size(self) -> int:
        return 1024 + self.count * self.channels * 3

    def write(self, path: Path, progress: Progress) -> None:
        """See ``Cut.write``."""
        try:
            write_blocks(path, self._blocks(progress))
        except SoundError as error:
            raise WriteError(str(error)) from None

    def _blocks(self, progress: Progress) -> Iterator[bytes]:
        yield wave_head(
            self.count, self.rate, BITS, self.start + self.first, self.source.name, channels=self.channels
        )
        step = 10 * self.rate
        for low in range(0, self.count, step):
            progress(f"coding {self.source.name} anew", low / self.count)
            count = min(step, self.count - low)
            whole = whole_samples(self.source, 1, self.channels, self.first + low, count)
            yield from packed([whole.ravel() / (1 << (BITS - 1))], BITS, False)
        yield b"\0" * (self.count * self.channels * 3 & 1)


def whole_samples(path: Path, channel: int, count: int, first: int, samples: int) -> NDArray[np.float64]:
    """Samples of ``count`` channels from ``channel`` on as whole numbers of 24 bits, shape (samples, count);
    what is louder than they can be is as loud as they are."""
    rows = [
        np.concatenate([*blocks(path, each, first, samples), np.zeros(0)])
        for each in range(channel, channel + count)
    ]
    full = 1 << (BITS - 1)
    whole: NDArray[np.float64] = np.clip(np.rint(np.stack(rows, axis=1) * full), -full, full - 1)
    return whole


def plain_cut(path: Path, low: int, high: int, start: int) -> PlainCut:
    """Samples ``low`` to ``high`` (exclusive) of coded sound whose first sample is on at ``start``. Raises
    ``SoundError``."""
    told = facts(path)
    return PlainCut(path, low, min(high, told.frames) - low, told.channels, told.rate, start)
