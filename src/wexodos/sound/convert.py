"""From samples to bytes: resampling, rounding and dither."""

from __future__ import annotations

import zlib
from collections.abc import Iterable, Iterator

import numpy as np
import soxr

from wexodos.sound.decode import Samples


def resampled(blocks: Iterable[Samples], source: float, target: float) -> Iterator[Samples]:
    """Carry samples over to another rate (soxr, very high quality). The same blocks where nothing changes."""
    if source == target:
        yield from blocks
        return
    stream = soxr.ResampleStream(source, target, 1, dtype="float64", quality="VHQ")
    for block in blocks:
        made = stream.resample_chunk(block)
        if len(made):
            yield made
    made = stream.resample_chunk(np.zeros(0), last=True)
    if len(made):
        yield made


def exactly(blocks: Iterable[Samples], frames: int) -> Iterator[Samples]:
    """Cut or fill with silence to ``frames`` samples: a resampler may be one off."""
    left = frames
    for block in blocks:
        if left <= 0:
            return
        yield block[:left]
        left -= min(len(block), left)
    if left > 0:
        yield np.zeros(left)


def packed(
    blocks: Iterable[Samples], bits: int, exact: bool, key: str = "", big: bool = False
) -> Iterator[bytes]:
    """Integer samples of 16 or 24 bits, little-endian unless ``big``.

    ``exact`` says that the samples stand on the steps of this depth already: then they are written bit for
    bit. Otherwise, on the way to 16 bits, triangular dither of two steps is added (Lipshitz, Wannamaker and
    Vanderkooy 1992), with a noise that ``key`` always makes the same; 24 bits are rounded.
    """
    noise = np.random.default_rng(zlib.crc32(key.encode())) if bits == 16 and not exact else None
    full = float(1 << (bits - 1))
    for block in blocks:
        scaled = block * full
        if noise is not None:
            scaled = scaled + noise.random(len(block)) - noise.random(len(block))
        whole = np.clip(np.rint(scaled), -full, full - 1).astype(np.int32)
        if bits == 16:
            yield whole.astype(">i2" if big else "<i2").tobytes()
        else:
            raw = whole.astype(">i4" if big else "<i4").view(np.uint8).reshape(-1, 4)
            yield np.ascontiguousarray(raw[:, 1:] if big else raw[:, :3]).tobytes()


def unpacked(data: bytes, bits: int, big: bool = False) -> Samples:
    """Integer samples as float64 of full scale 1; bytes that make no whole sample are left out."""
    size = bits // 8
    data = data[: len(data) // size * size]
    if bits == 16:
        return np.frombuffer(data, ">i2" if big else "<i2").astype(np.float64) / 32768.0
    if bits == 32:
        return np.frombuffer(data, ">i4" if big else "<i4").astype(np.float64) / 2147483648.0
    if bits == 8:
        return np.frombuffer(data, "i1" if big else "u1").astype(np.float64) / 128.0 - (0.0 if big else 1.0)
    raw = np.frombuffer(data, np.uint8).reshape(-1, 3)
    wide = np.zeros((len(raw), 4), np.uint8)
    wide[:, 1:] = raw[:, ::-1] if big else raw
    return wide.view("<i4")[:, 0].astype(np.float64) / 2147483648.0
