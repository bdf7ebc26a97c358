"""A movie as one stream of small pictures, in their order."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import TypeAlias, TypeVar

import numpy as np
from numpy.typing import NDArray

from wexodos.footage.movie import Movie
from wexodos.footage.order import Orders
from wexodos.footage.source import PictureError
from wexodos.ground import together
from wexodos.ground.errors import ReadError
from wexodos.media.probe import Probed, Probes
from wexodos.picture.decode import scaled
from wexodos.timing import Rate

Small: TypeAlias = NDArray[np.uint8]
"""A small picture, shape (height, width, 3)."""
_KEPT = 24 << 20
"""Bytes of decoded frames that are kept: a movie is looked at in its order."""
_AHEAD = 128
"""So many frames are decoded before they are asked for: as long as a run of them is looked at, they go on
being decoded beside it. They are small."""

Made = TypeVar("Made")


@dataclass(frozen=True, slots=True)
class Film:
    """A movie: its facts, its rate and how many frames it has."""

    path: Path
    facts: Probed
    rate: Rate
    count: int

    @classmethod
    def of(cls, path: Path) -> Film:
        """Raises ``ReadError`` for what is no movie with at least one frame."""
        facts = Probes().of(path)
        if facts.problem:
            raise ReadError(facts.problem, "", str(path))
        rate = facts.frames_per_second
        if not facts.video or facts.still or facts.frames or rate is None:
            raise ReadError("it is no movie", "", str(path))
        try:
            movie = Movie(path, Orders(), _KEPT)
        except PictureError as error:
            raise ReadError(str(error)) from None
        count = movie.count
        movie.close()
        if count is None and facts.length is not None:
            count = round(Fraction(rate.frames(facts.length)))
        if not count:
            raise ReadError("there is no picture in it", "", str(path))
        return cls(path, facts, rate, count)

    def pictures(
        self, width: int, height: int, first: int = 0, until: int | None = None
    ) -> Iterator[tuple[int, Small]]:
        """Frames ``[first, until)`` with their numbers, at a size. A frame that is damaged is passed over.
        Raises ``ReadError`` where it cannot be opened."""
        last = self.count if until is None else min(until, self.count)
        with Reader(self) as reader:
            made = ahead(lambda number: reader.at(number, width, height), range(first, last))
            for number, picture in enumerate(made, first):
                if picture is not None:
                    yield number, picture


class Reader:
    """A movie that is open, to be looked at anywhere; by one thread at a time. Raises ``ReadError`` where it
    cannot be opened."""

    def __init__(self, film: Film) -> None:
        try:
            self._movie = Movie(film.path, Orders(), _KEPT)
        except PictureError as error:
            raise ReadError(str(error)) from None

    def __enter__(self) -> Reader:
        return self

    def __exit__(self, *_: object) -> None:
        self._movie.close()

    def at(self, number: int, width: int, height: int) -> Small | None:
        """A frame at a size; None where it is damaged."""
        try:
            frame = self._movie.frame(number, None)
        except PictureError:
            return None
        turned = round(frame.rotation / 90) % 4
        size = (height, width) if turned % 2 else (width, height)
        data = scaled(frame, *size, "rgb24")
        return np.ascontiguousarray(np.rot90(data, turned)) if turned else data


def ahead(make: Callable[[int], Made], numbers: range) -> Iterator[Made]:
    """What is made of numbers, in their order; the next ones are made while one is looked at."""
    return together(make, numbers, 1, _AHEAD)
