"""A number for every frame that says what is seen (or heard) in it: equal numbers, equal frames.

Two sequences of one document show the same at a frame if the prints are equal. Names, ids and tracks do not count, only what is shown:
the medium and its frame, place, size, crop, opacity, mix, blend and filters, from the bottom up; layers that cannot be seen (opacity
or mix 0) count as not there. Sound is a set: the order of tracks says nothing.
"""

from __future__ import annotations

import zlib
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wexodos.evaluate.evaluator import Evaluator
from wexodos.evaluate.results import PictureSpan, SoundSpan
from wexodos.model import Adjustment, Angles, Generator, Item, MediaUse, Sequence, Title

Prints = NDArray[np.uint64]
_FACTOR = np.uint64(0x9E3779B97F4A7C15)
_CHAIN = np.uint64(0xD6E8FEB86659FD93)
SILENT = -90.0


@dataclass(frozen=True, slots=True)
class FramePrints:
    """Prints of the frames of a sequence, shape (2, n) each.

    Numbers are rounded before they are held against each other, in the second row half a step further: two that are all but equal
    and fall on either side of a step in one row do not in the other.
    """

    picture: Prints
    sound: Prints


def prints(evaluator: Evaluator, sequence: Sequence) -> FramePrints:
    """The prints of every frame of a sequence."""
    seen = evaluator.range(sequence)
    count = sequence.duration
    picture, sound = np.zeros((2, count), np.uint64), np.zeros((2, count), np.uint64)
    with np.errstate(over="ignore"):
        for row, by in enumerate((0.0, 0.5)):
            for span in seen.picture:
                low, high = max(span.start, 0), min(span.stop, count)
                if low < high:
                    value, there = _picture(span.part(low, high), high - low, by)
                    part = picture[row, low:high]
                    picture[row, low:high] = np.where(there, part * _CHAIN + value, part)
            for heard in seen.sound:
                low, high = max(heard.start, 0), min(heard.stop, count)
                if low < high:
                    value, there = _sound(heard.part(low, high), high - low, by)
                    sound[row, low:high] += np.where(there, value, np.uint64(0))
    return FramePrints(picture, sound)


def _mixed(values: list[NDArray[Any]], count: int, seed: int) -> Prints:
    """One number of several rows of whole numbers."""
    made = np.full(count, seed, np.uint64)
    for row in values:
        made = (made ^ np.broadcast_to(row, (count,)).astype(np.int64).view(np.uint64)) * _FACTOR
        made ^= made >> np.uint64(29)
    return made


def _whole(values: NDArray[np.float64], digits: float, by: float) -> list[NDArray[np.int64]]:
    columns = values[:, None] if values.ndim == 1 else values
    return [np.floor(np.clip(columns[:, place], -1e12, 1e12) * digits + by).astype(np.int64) for place in range(columns.shape[1])]


def _seed(*words: object) -> int:
    return zlib.crc32(repr(words).encode()) | 1


def shows(item: Item, media: str | None) -> object:
    """What an item shows, whatever it is called."""
    content = item.content
    if isinstance(content, MediaUse | Angles):
        return media
    if isinstance(content, Title):
        return (content.runs, content.origin, content.roll, content.bar)
    if isinstance(content, Generator):
        return (content.kind, content.color, content.parameters)
    return type(content).__name__


def _picture(span: PictureSpan, count: int, by: float) -> tuple[Prints, NDArray[np.bool_]]:
    roll = isinstance(span.item.content, Title) and span.item.content.roll is not None
    rows: list[NDArray[Any]] = [span.source_frame] if span.source_frame is not None else []
    rows += [*_whole(span.center, 100.0, by), *_whole(span.size, 100.0, by), *_whole(span.rotation, 1000.0, by)]
    rows += [*_whole(span.crop, 1e4, by), *_whole(span.corners, 1e4, by), *_whole(span.opacity * span.mix, 1e4, by)]
    if roll:
        rows.append(np.arange(span.start, span.stop) - int(span.item.start))
    media = span.media.id if span.media is not None else None
    seed = _seed(shows(span.item, media), span.item.blend, tuple(sorted(span.effects)), span.transition)
    there = np.broadcast_to((span.opacity > 0) & (span.mix > 0), (count,))
    if isinstance(span.item.content, Adjustment):
        there = np.zeros(count, np.bool_)
    return _mixed(rows, count, seed), there


def _sound(span: SoundSpan, count: int, by: float) -> tuple[Prints, NDArray[np.bool_]]:
    gain = np.maximum(span.gain_db, SILENT)
    rows: list[NDArray[Any]] = [span.source_sample] if span.source_sample is not None else []
    rows += [*_whole(gain, 100.0, by), *_whole(span.pan, 1000.0, by), *_whole(span.mix, 1e4, by)]
    media = span.media.id if span.media is not None else None
    seed = _seed(shows(span.item, media), span.channel, span.transition)
    there = np.broadcast_to((gain > SILENT) & (span.mix > 0), (count,))
    return _mixed(rows, count, seed), there


def differing(one: Prints, other: Prints, shift: int = 0) -> list[tuple[int, int]]:
    """Runs of frames of the first that differ from the other's, whose frame n stands at n + ``shift`` there.

    Frames that the other does not have count as empty (0).
    """
    count, far = one.shape[1], other.shape[1]
    there = np.zeros_like(one)
    low, high = max(0, -shift), min(count, far - shift)
    if low < high:
        there[:, low:high] = other[:, low + shift : high + shift]
    apart = np.concatenate(([False], (one != there).all(axis=0), [False]))
    edges = np.flatnonzero(np.diff(apart.astype(np.int8)))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist()))
