"""A number for every frame that says what is seen (or heard) in it: equal numbers, equal frames.

Two sequences of one document show the same at a frame if the prints are equal. Names, ids and tracks do not
count, only what is shown: the medium and its frame, place, size, crop, opacity, mix, blend and filters, from
the bottom up; layers that cannot be seen (opacity or mix 0) count as not there. How far the words of a roll
have moved is not told: that hangs on the length of its item. Sound is a set: the order of tracks says
nothing.
"""

from __future__ import annotations

import zlib
from dataclasses import dataclass
from math import floor
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wexodos.evaluate.evaluator import Evaluator
from wexodos.evaluate.results import PictureSpan, SoundSpan
from wexodos.evaluate.tolerances import QUIET
from wexodos.model import Adjustment, Angles, Generator, Item, MediaUse, Sequence, Title

Prints = NDArray[np.uint64]
_FACTOR = np.uint64(0x9E3779B97F4A7C15)
_CHAIN = np.uint64(0xD6E8FEB86659FD93)
STEPS = (0.1371, 0.6173)
"""Added before rounding down: whole and half numbers, which are what cuts are made of, never lie at the edge
of a step."""
_MOST = 1e12


@dataclass(frozen=True, slots=True)
class FramePrints:
    """Prints of the frames of a sequence, shape (2, n) each.

    Numbers are rounded before they are held against each other, in the second row half a step further: two
    that are all but equal and fall on either side of a step in one row do not in the other.
    """

    picture: Prints
    sound: Prints


def prints(
    evaluator: Evaluator, sequence: Sequence, start: int = 0, stop: int | None = None, crops: bool = True
) -> FramePrints:
    """The prints of the frames ``[start, stop)`` of a sequence; of all of them where nothing is said.

    Without ``crops`` what is cropped away makes no difference.
    """
    stop = sequence.duration if stop is None else stop
    seen = evaluator.range(sequence, start, stop)
    count = max(0, stop - start)
    picture, sound = np.zeros((2, count), np.uint64), np.zeros((2, count), np.uint64)
    with np.errstate(over="ignore"):
        for span in seen.picture:
            low, high = max(span.start, start), min(span.stop, stop)
            if low < high:
                part = span if (low, high) == (span.start, span.stop) else span.part(low, high)
                low, high = low - start, high - start
                there = _seen(part)
                for row, by in enumerate(STEPS):
                    held = picture[row, low:high]
                    made = held * _CHAIN + _picture(part, by, crops)
                    picture[row, low:high] = made if there is True else np.where(there, made, held)
        for heard in seen.sound:
            low, high = max(heard.start, start), min(heard.stop, stop)
            if low < high:
                sounding = heard if (low, high) == (heard.start, heard.stop) else heard.part(low, high)
                low, high = low - start, high - start
                audible = (np.maximum(sounding.gain_db, QUIET) > QUIET) & (sounding.mix > 0)
                for row, by in enumerate(STEPS):
                    sound[row, low:high] += np.where(audible, _sound(sounding, by), np.uint64(0))
    return FramePrints(picture, sound)


_ALL = (1 << 64) - 1


def _stirred(value: int) -> int:
    """Spread a number over 64 bits."""
    value = (value & _ALL) * int(_FACTOR) & _ALL
    value = (value ^ (value >> 29)) * int(_CHAIN) & _ALL
    return value ^ (value >> 32)


def _all_stirred(values: NDArray[np.uint64]) -> Prints:
    """The same for many numbers at once."""
    made = values * _FACTOR
    made = (made ^ (made >> np.uint64(29))) * _CHAIN
    return made ^ (made >> np.uint64(32))


class _Terms:
    """The sum of a seed and of numbers, each stirred with its place among them.

    A number that is the same throughout a run is stirred once, others frame by frame; the sum does not tell
    the two apart.
    """

    __slots__ = ("_by", "_moving", "_place", "_sum")

    def __init__(self, by: float, *words: object) -> None:
        self._by, self._place = by, 0
        self._sum = zlib.crc32(repr(words).encode())
        self._moving: list[Prints] = []

    def _take(self, rows: list[Any]) -> None:
        for row in rows:
            self._place += 1
            salt = self._place * 0x5851F42D4C957F2D & _ALL
            if isinstance(row, int):
                self._sum += _stirred(row ^ salt)
            else:
                self._moving.append(_all_stirred(row.view(np.uint64) ^ np.uint64(salt)))

    def whole(self, values: NDArray[np.int64]) -> None:
        self._take([int(values[0])] if len(values) == 1 else [values])

    def rounded(self, values: NDArray[np.float64], digits: float) -> None:
        """Numbers of shape (n,) or (n, k), in steps of one by ``digits``."""
        if len(values) == 1:
            self._take(
                [floor(min(max(one, -_MOST), _MOST) * digits + self._by) for one in values.ravel().tolist()]
            )
            return
        columns = values[:, None] if values.ndim == 1 else values
        steps = np.floor(np.clip(columns, -_MOST, _MOST) * digits + self._by).astype(np.int64)
        self._take([np.ascontiguousarray(row) for row in steps.T])

    def mixed(self) -> Prints:
        """The prints, shape (n,) or (1,)."""
        made = np.array([self._sum & _ALL], np.uint64)
        for row in self._moving:
            made = made + row
        return made


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


def _picture(span: PictureSpan, by: float, crops: bool) -> Prints:
    media = span.media.id if span.media is not None else None
    terms = _Terms(by, shows(span.item, media), span.item.blend, sorted(span.effects), span.transition)
    if span.source_frame is not None:
        terms.whole(span.source_frame)
    for values, digits in (
        (span.center, 100.0),
        (span.size, 100.0),
        (span.rotation, 1000.0),
        *(((span.crop, 1e4),) if crops else ()),
        (span.corners, 1e4),
        (span.opacity * span.mix, 1e4),
    ):
        terms.rounded(values, digits)
    return terms.mixed()


def _seen(span: PictureSpan) -> NDArray[np.bool_] | bool:
    """Where a layer can be seen at all."""
    if isinstance(span.item.content, Adjustment):
        return np.zeros(1, np.bool_)
    there = (span.opacity > 0) & (span.mix > 0)
    return True if there.all() else there


def _sound(span: SoundSpan, by: float) -> Prints:
    media = span.media.id if span.media is not None else None
    terms = _Terms(by, shows(span.item, media), span.channel, span.transition)
    if span.source_sample is not None:
        terms.whole(span.source_sample)
    for values, digits in ((np.maximum(span.gain_db, QUIET), 100.0), (span.pan, 1000.0), (span.mix, 1e4)):
        terms.rounded(values, digits)
    return terms.mixed()


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
