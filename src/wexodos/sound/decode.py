"""Samples of a source file, from any place in it.

Broadcast WAVE, AIFF and FLAC go through libsndfile, everything else (sound beside pictures, compressed sound)
through FFmpeg.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from pathlib import Path
from typing import Any

import av
import numpy as np
import soundfile
from numpy.typing import NDArray

from wexodos.sound.errors import SoundError
from wexodos.sound.spans import next_part

Samples = NDArray[np.float64]
BLOCK = 1 << 16
_KINDS = {"u8": "u1", "s16": "i2", "s32": "i4", "s64": "i8", "flt": "f4", "dbl": "f8"}
"""How FFmpeg's kinds of samples stand in memory."""
_INTEGERS = {"PCM_16": 16, "PCM_S8": 8, "PCM_U8": 8, "PCM_24": 24, "PCM_32": 32}


@dataclass(frozen=True, slots=True)
class Facts:
    """What a file says of its sound. ``bits`` is the depth of integer samples, None where they are not stored
    as such."""

    path: str
    rate: int
    frames: int
    channels: int
    bits: int | None
    plain: bool


@lru_cache(maxsize=4096)
def _facts(path: str, size: int, changed: int) -> Facts:
    try:
        with soundfile.SoundFile(path) as file:
            return Facts(path, file.samplerate, file.frames, file.channels, _INTEGERS.get(file.subtype), True)
    except (soundfile.LibsndfileError, OSError, RuntimeError):
        pass
    try:
        with av.open(path) as container:
            if not container.streams.audio:
                raise SoundError(f"{path}: there is no sound in it")
            stream = container.streams.audio[0]
            if stream.codec_context is None:
                raise SoundError(f"{path}: its sound is coded in a way that is not known here")
            if not stream.channels:
                raise SoundError(f"{path}: there is no channel in its sound")
            rate = stream.rate or 48000
            length = (
                float(stream.duration * stream.time_base)
                if stream.duration and stream.time_base
                else (float(container.duration or 0) / 1_000_000)
            )
            bits = (
                {"s16": 16, "s16p": 16, "s32": 24 if stream.codec_context.name == "pcm_s24le" else 32}.get(
                    stream.format.name
                )
                if stream.codec_context.name.startswith(("pcm_", "flac", "alac"))
                else None
            )
            channels = sum(one.channels for one in _alike(container))
            return Facts(path, rate, round(length * rate), channels, bits, False)
    except (av.error.FFmpegError, OSError, ValueError) as error:
        raise SoundError(f"{path}: its sound cannot be read ({error.__class__.__name__})") from None


def _alike(container: Any) -> list[Any]:
    """The sound streams of a file that go at the rate of the first: their channels count on from one to the
    next."""
    streams = [one for one in container.streams.audio if one.codec_context is not None]
    return [one for one in streams if one.rate == streams[0].rate]


def facts(path: Path) -> Facts:
    """What a file says of its sound. Raises ``SoundError``."""
    try:
        info = path.stat()
    except OSError as error:
        raise SoundError(f"{path}: cannot be opened: {(error.strerror or str(error)).lower()}") from None
    return _facts(str(path), info.st_size, info.st_mtime_ns)


def blocks(path: Path, channel: int, first: int, frames: int) -> Iterator[Samples]:
    """Yield one channel (from 1) as float64 samples of full scale 1, ``frames`` of them from ``first`` in the
    file's own rate.

    Before the first sample there is silence, and behind the last where the recording does not go on in
    another file. Raises ``SoundError``.
    """
    told = facts(path)
    if not 1 <= channel <= told.channels:
        raise SoundError(f"{path}: there is no channel {channel}")
    before = min(frames, max(0, -first))
    yield from _silence(before)
    start = max(first, 0)
    wanted = max(0, min(frames - before, told.frames - start))
    done = 0
    reader = _plain if told.plain else _decoded
    source = reader(path, channel, start, wanted) if wanted else iter(())
    for block in source:
        done += len(block)
        yield block
    left = frames - before - done
    following = next_part(path) if left else None
    if following is not None and _heard(following, channel):
        yield from blocks(following, channel, max(0, start - told.frames), left)
    else:
        yield from _silence(left)


def all_channels(path: Path, first: int, frames: int) -> NDArray[np.float32]:
    """All channels of a file that is read by samples (``plain``), shape (samples, channels); fewer where it
    ends. Raises ``SoundError``."""
    try:
        with soundfile.SoundFile(str(path)) as file:
            file.seek(first)
            return np.asarray(file.read(frames, dtype="float32", always_2d=True), np.float32)
    except (soundfile.LibsndfileError, OSError, RuntimeError) as error:
        raise SoundError(f"{path}: its sound cannot be read ({error})") from None


def _heard(path: Path, channel: int) -> bool:
    """Whether a part of a recording has a channel: pictures may go on without their sound."""
    try:
        return channel <= facts(path).channels
    except SoundError:
        return False


def _silence(count: int) -> Iterator[Samples]:
    while count > 0:
        yield np.zeros(min(count, BLOCK))
        count -= BLOCK


def _plain(path: Path, channel: int, first: int, frames: int) -> Iterator[Samples]:
    try:
        with soundfile.SoundFile(str(path)) as file:
            file.seek(first)
            left = frames
            while left:
                read = file.read(min(left, BLOCK), dtype="float64", always_2d=True)
                if not len(read):
                    return
                left -= len(read)
                yield np.ascontiguousarray(read[:, channel - 1])
    except (soundfile.LibsndfileError, OSError, RuntimeError) as error:
        raise SoundError(f"{path}: its sound cannot be read ({error})") from None


def _decoded(path: Path, channel: int, first: int, frames: int) -> Iterator[Samples]:
    """Seek before the place, decode up to it. Frames say by their time where they belong."""
    try:
        with av.open(str(path)) as container:
            for stream in _alike(container):
                if channel <= stream.channels:
                    break
                channel -= stream.channels
            rate = stream.rate or 48000
            base = Fraction(stream.time_base or 1)
            over, under = base.numerator, base.denominator
            zero = _zero(container, stream)
            if first > rate:
                container.seek(int((first / rate - 0.5 + zero) / base), stream=stream)
            at = first
            end = first + frames
            for frame in container.decode(stream):
                begin = round(((frame.pts or 0) * over / under - zero) * rate)
                data = _floats(frame, channel)
                low, high = max(at - begin, 0), min(end - begin, len(data))
                if begin + low > at:
                    gap = min(begin + low, end) - at
                    yield from _silence(gap)
                    at += gap
                if high > low:
                    yield data[low:high]
                    at = begin + high
                if at >= end:
                    return
    except (av.error.FFmpegError, OSError, ValueError) as error:
        raise SoundError(f"{path}: its sound cannot be read ({error.__class__.__name__})") from None


def _zero(container: Any, stream: Any) -> float:
    """When the medium begins, in seconds of the container: with its first picture; sound may begin before it
    or behind."""
    pictures = [one for one in container.streams.video if one.start_time is not None and one.time_base]
    first = pictures[0] if pictures else stream
    return float((first.start_time or 0) * (first.time_base or 1))


def _floats(frame: av.AudioFrame, channel: int) -> Samples:
    count = frame.layout.nb_channels
    if channel > count:
        # A stream may go on with fewer channels than it began with.
        return np.zeros(frame.samples)
    kind = frame.format.name.removesuffix("p")
    if kind not in _KINDS:
        raise ValueError(f"samples of the kind {kind}")
    # Behind the last sample there may be room that holds none.
    if frame.format.is_planar:
        row = np.frombuffer(memoryview(frame.planes[channel - 1]), _KINDS[kind], frame.samples)
    else:
        row = np.frombuffer(memoryview(frame.planes[0]), _KINDS[kind], frame.samples * count)[
            channel - 1 :: count
        ]
    if row.dtype.kind == "f":
        return np.asarray(row, dtype=np.float64)
    if row.dtype == np.uint8:
        return np.asarray((row.astype(np.float64) - 128.0) / 128.0)
    return np.asarray(row.astype(np.float64) / float(1 << (8 * row.dtype.itemsize - 1)))
