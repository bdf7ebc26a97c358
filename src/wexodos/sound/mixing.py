"""The sound of a cut as it is heard, in two channels: for listening, not for handing over."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from wexodos.evaluate import Evaluator, SoundSpan
from wexodos.evaluate.results import pick
from wexodos.model import Media, Sequence
from wexodos.sound.decode import blocks, facts
from wexodos.sound.errors import SoundError

RATE = 48_000
_FASTEST = 64.0
"""Faster than that nothing can be heard."""


def mixed(
    evaluator: Evaluator,
    sequence: Sequence,
    first: int,
    count: int,
    locate: Callable[[Media], Path | None],
    rate: int = RATE,
) -> NDArray[np.float32]:
    """The sound of ``count`` frames from ``first``, shape (samples, 2), full scale 1; what cannot be read is
    silent.

    Levels, fades and pans are taken at every frame and go straight in between. A mono sound in the middle is
    3 dB down on either side.
    """
    edges = [int(sequence.rate.seconds(first + number) * rate) for number in range(count + 1)]
    out = np.zeros((edges[-1] - edges[0], 2), np.float64)
    at = np.asarray(edges, np.float64) - edges[0]
    for span in evaluator.range(sequence, first, first + count).sound:
        low, high = span.start - first, span.stop - first
        path = locate(span.media) if span.media is not None else None
        if path is None or span.source_sample is None:
            continue
        start, stop = int(at[low]), int(at[high])
        try:
            sound = _read(path, span, high - low, at[low : high + 1] - at[low], stop - start, sequence)
        except SoundError:
            continue
        points, length = at[low:high] - at[low], stop - start
        loud = sound * _drawn(10.0 ** (span.gain_db / 20.0) * _share(span), points, length)
        angle = (_drawn(span.pan, points, length) + 1) * np.pi / 4
        out[start:stop, 0] += loud * np.cos(angle)
        out[start:stop, 1] += loud * np.sin(angle)
    return np.clip(out, -1, 1).astype(np.float32)


def _drawn(values: NDArray[np.float64], points: NDArray[np.float64], length: int) -> NDArray[np.float64]:
    """Values at frames as values at samples, straight in between; one for all where they stay the same."""
    first = np.ravel(values)[:1]
    if (values == first).all():
        return np.asarray(first, np.float64)
    return np.interp(np.arange(length), points, _values(values, len(points)))


def _values(values: NDArray[np.float64], count: int) -> NDArray[np.float64]:
    return np.broadcast_to(values, (count,))


def _share(span: SoundSpan) -> NDArray[np.float64]:
    return np.sin(span.mix * np.pi / 2) if span.transition == "audio-equal-power" else span.mix


def _read(
    path: Path, span: SoundSpan, count: int, at: NDArray[np.float64], length: int, sequence: Sequence
) -> NDArray[np.float64]:
    """The samples of a span, at whatever speed it plays."""
    told = facts(path)
    own = (span.media.sample_rate if span.media is not None else None) or sequence.sample_rate or RATE
    assert span.source_sample is not None
    places = _values(pick(span.source_sample, 0, count).astype(np.float64), count) * told.rate / own
    begin, one = int(places[0]), float(sequence.rate.seconds(1)) * told.rate
    if begin == places[0] and np.array_equal(places - begin, at[:-1]) and (count > 1 or abs(one - at[1]) < 1):
        # As it is in the file, sample by sample: there is nothing in between to look for.
        channel = min(span.channel, told.channels)
        return np.concatenate([*blocks(path, channel, begin, length)])
    step = places[-1] - places[-2] if count > 1 else one
    whole = np.interp(np.arange(length), at, np.append(places, places[-1] + step))
    low, high = int(whole.min()) - 1, int(whole.max()) + 3
    if high - low > _FASTEST * (length + RATE):
        raise SoundError(f"{path}: too fast to be heard")
    channel = min(span.channel, told.channels)
    data = np.concatenate([*blocks(path, channel, low, high - low)])
    return np.asarray(np.interp(whole - low, np.arange(len(data)), data))
