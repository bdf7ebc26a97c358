"""What an evaluation returns: runs of frames over which one item is seen or one channel heard.

Arrays have one entry per frame of the run, or a single entry where the value does not change.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wexodos.model import Item, Media

Floats = NDArray[np.float64]


def pick(values: NDArray[Any], start: int, stop: int) -> NDArray[Any]:
    """The part of an array of a run; single values stand for all of it."""
    return values if len(values) == 1 else values[start:stop]


@dataclass(frozen=True, slots=True)
class PictureSpan:
    """One picture layer over the frames ``[start, stop)`` of the evaluated sequence.

    ``track`` is the outermost track's number, ``via`` the names of the nests from outside in.
    ``source_frame`` is None where nothing is read from media. Shapes: ``center``, ``size`` (n, 2); ``crop``
    (n, 4); ``corners`` (n, 8); the rest (n,). A nest whose own corners are pulled adds them to those of the
    pictures inside: no size says it, but no difference hides either.
    """

    track: int
    item: Item
    start: int
    stop: int
    via: tuple[str, ...]
    via_ids: tuple[str, ...]
    media: Media | None
    angle: str | None
    source_frame: NDArray[np.int64] | None
    mix: Floats
    transition: str | None
    center: Floats
    size: Floats
    rotation: Floats
    crop: Floats
    corners: Floats
    opacity: Floats
    effects: tuple[str, ...]
    drop_frame: bool

    @property
    def key(self) -> tuple[str, ...]:
        """Tells the item across two sequences that share ids."""
        return (*self.via_ids, self.item.id)

    def part(self, start: int, stop: int) -> PictureSpan:
        """The same layer over fewer frames."""
        a, b = start - self.start, stop - self.start
        return replace(
            self,
            start=start,
            stop=stop,
            source_frame=None if self.source_frame is None else pick(self.source_frame, a, b),
            mix=pick(self.mix, a, b),
            center=pick(self.center, a, b),
            size=pick(self.size, a, b),
            rotation=pick(self.rotation, a, b),
            crop=pick(self.crop, a, b),
            corners=pick(self.corners, a, b),
            opacity=pick(self.opacity, a, b),
        )


@dataclass(frozen=True, slots=True)
class SoundSpan:
    """One source channel heard over the frames ``[start, stop)``; arrays of shape (n,) or (1,)."""

    track: int
    item: Item
    start: int
    stop: int
    via: tuple[str, ...]
    via_ids: tuple[str, ...]
    media: Media | None
    angle: str | None
    channel: int
    source_sample: NDArray[np.int64] | None
    gain_db: Floats
    pan: Floats
    mix: Floats
    transition: str | None

    @property
    def key(self) -> tuple[str, ...]:
        return (*self.via_ids, self.item.id, str(self.channel))

    def part(self, start: int, stop: int) -> SoundSpan:
        """The same channel over fewer frames."""
        a, b = start - self.start, stop - self.start
        return replace(
            self,
            start=start,
            stop=stop,
            source_sample=None if self.source_sample is None else pick(self.source_sample, a, b),
            gain_db=pick(self.gain_db, a, b),
            pan=pick(self.pan, a, b),
            mix=pick(self.mix, a, b),
        )


@dataclass(frozen=True, slots=True)
class Evaluation:
    """All picture layers (from the bottom up) and all sound of a range of frames."""

    start: int
    stop: int
    picture: tuple[PictureSpan, ...]
    sound: tuple[SoundSpan, ...]
