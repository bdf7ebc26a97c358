"""Waveforms: how loud each hundredth of a second of a file is, kept so that no file is read twice for it."""

from __future__ import annotations

import contextlib
import hashlib
import io
from collections.abc import Iterable, Iterator
from pathlib import Path

import numpy as np
import platformdirs
from numpy.typing import NDArray

from wexodos.ground import write_file
from wexodos.ground.errors import WriteError
from wexodos.sound.decode import blocks, facts
from wexodos.sound.errors import SoundError

__all__ = ["PER_SECOND", "Peaks", "SoundError", "peaks"]

PER_SECOND = 100
_AT_ONCE = 1 << 16
"""Samples that are looked at together."""
_MOST_SECONDS = 6 * 3600
Peaks = NDArray[np.uint8]
"""Shape (channels, hundredths of seconds), the largest sample of each, 255 for full scale."""


def peaks(path: Path) -> Peaks:
    """The waveform of a file. Raises ``SoundError``."""
    told = facts(path)
    try:
        info = path.stat()
    except OSError as error:
        raise SoundError(f"{path}: cannot be opened: {(error.strerror or str(error)).lower()}") from None
    key = hashlib.sha1(
        f"{path.resolve()}|{info.st_size}|{info.st_mtime_ns}".encode("utf-8", "replace")
    ).hexdigest()
    kept = Path(platformdirs.user_cache_dir("wexodos")) / "waveforms" / f"{key}.npy"
    with contextlib.suppress(OSError, ValueError, EOFError):
        found: Peaks = np.load(kept, allow_pickle=False)
        if found.dtype == np.uint8 and found.ndim == 2:
            return found
    frames = min(told.frames, _MOST_SECONDS * told.rate)
    made = np.stack(
        [_channel(path, channel, frames, told.rate) for channel in range(1, min(told.channels, 8) + 1)]
    )
    with contextlib.suppress(OSError, WriteError):
        kept.parent.mkdir(parents=True, exist_ok=True)
        data = io.BytesIO()
        np.save(data, made)
        write_file(kept, data.getvalue(), kept=False)
    return made


def _larger(parts: Iterable[NDArray[np.float64]]) -> Iterator[NDArray[np.float64]]:
    """Short blocks, as coders make them, brought together."""
    waiting: list[NDArray[np.float64]] = []
    count = 0
    for one in parts:
        waiting.append(one)
        count += len(one)
        if count >= _AT_ONCE:
            yield np.concatenate(waiting)
            waiting, count = [], 0
    if waiting:
        yield np.concatenate(waiting)


def _channel(path: Path, channel: int, frames: int, rate: int) -> Peaks:
    bins = -(-frames * PER_SECOND // rate)
    made = np.zeros(max(1, bins))
    done = 0
    for block in _larger(blocks(path, channel, 0, frames)):
        place = (np.arange(done, done + len(block)) * PER_SECOND) // rate
        np.maximum.at(made, np.minimum(place, len(made) - 1), np.abs(block))
        done += len(block)
    return np.minimum(made * 255, 255).astype(np.uint8)
