"""A cut as small pictures, and its shots."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from wexodos.evaluate import Evaluator
from wexodos.evaluate.results import PictureSpan
from wexodos.model import Document, Media, Sequence
from wexodos.picture import Composer, Frames
from wexodos.screening.film import Small

_DRAWN = 180
"""Lines at which a picture is drawn before it is made smaller: a whole part of the usual sizes of sources,
which are decoded at once as they are needed then."""
_KEPT = 12 << 20
"""Bytes of decoded frames: a cut is looked at in its order. Each decoder holds on to what it ever had out,
so this counts for every movie that is open."""


@dataclass(frozen=True, slots=True)
class Stretch:
    """Frames ``[first, last)`` of a cut in which the same layers are seen, from the bottom up; ``join`` says
    the kind of the transition that is on."""

    first: int
    last: int
    layers: tuple[PictureSpan, ...]
    join: str | None

    @property
    def length(self) -> int:
        return self.last - self.first


class CutView:
    """Pictures of a cut, or of parts of it, at any size; keeps files open, so close it."""

    def __init__(
        self, document: Document, sequence: Sequence, locate: Callable[[Media], Path | None]
    ) -> None:
        self.document, self.sequence = document, sequence
        self._locate = locate
        self._frames = Frames(budget=20 << 20, most_open=6, decoded=_KEPT)
        self._composer = Composer(document, locate, self._frames)
        self.missing: set[str] = set()
        self.undrawn: dict[int, tuple[str, ...]] = {}
        self.blind: set[int] = set()
        """Frames of which a medium is not there."""

    def close(self) -> None:
        self._frames.close()

    @property
    def shape(self) -> float:
        """Width by height, as it is seen."""
        wide, tall = self.sequence.frame_size
        return wide * float(self.sequence.pixel_aspect) / tall

    def size(self, height: int) -> tuple[int, int]:
        """Width and height of a picture so many pixels high."""
        return max(2, round(height * self.shape)), height

    def picture(self, frame: int, height: int) -> Small:
        """A frame as it is seen."""
        made, shot = self._composer.eight_bits(self.sequence, frame, height)
        if shot.missing:
            self.missing.update(shot.missing)
            self.blind.add(frame)
        if shot.undrawn:
            self.undrawn[frame] = tuple(dict.fromkeys(shot.undrawn))
        return made

    def small(self, frame: int, size: tuple[int, int]) -> Small:
        """A frame at a size, drawn larger and then averaged: words and edges are as in a movie made
        smaller."""
        made = self.picture(frame, _DRAWN)
        return np.asarray(cv2.resize(made, size, interpolation=cv2.INTER_AREA), np.uint8)

    def composed(self, sequence: Sequence, frame: int, height: int) -> NDArray[np.float32]:
        """A frame of a changed sequence, 0 to 1; shape (height, width, 3)."""
        others = tuple(sequence if one.id == self.sequence.id else one for one in self.document.sequences)
        composer = Composer(replace(self.document, sequences=others), self._locate, self._frames)
        shot = composer.frame(sequence, frame, height)
        made = np.ascontiguousarray(shot.picture[..., :3])
        wide = self.size(height)[0]
        if made.shape[1] != wide:
            made = np.asarray(cv2.resize(made, (wide, height), interpolation=cv2.INTER_AREA), np.float32)
        return np.asarray(made, np.float32)


def stretches(document: Document, sequence: Sequence) -> list[Stretch]:
    """A cut by what is seen in it: a new stretch wherever a layer comes or goes."""
    seen = [one for one in Evaluator(document).range(sequence).picture if _visible(one)]
    edges = {0, sequence.duration}
    for span in seen:
        edges |= {span.start, span.stop}
    places = sorted(edge for edge in edges if 0 <= edge <= sequence.duration)
    found = []
    waiting = sorted(range(len(seen)), key=lambda at: seen[at].start)
    on: list[int] = []
    for first, last in zip(places, places[1:]):
        while waiting and seen[waiting[0]].start <= first:
            on.append(waiting.pop(0))
        on = [at for at in on if seen[at].stop > first]
        layers = tuple(seen[at] for at in sorted(on))
        join = next((one.transition for one in layers if one.transition), None)
        found.append(Stretch(first, last, layers, join))
    return found


def _visible(span: PictureSpan) -> bool:
    return bool(np.max(span.opacity) > 0 and np.max(span.mix) > 0)
