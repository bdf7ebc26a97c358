"""Where the frame of a cut lies in the pictures of a movie."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from wexodos.screening.film import Film, Small

_LOOKS = 24
_TALL = 180
_DARK = 22
"""Of 255: bars are darker, coding included."""
_MOSTLY = 0.9
"""So much of a line of a bar is dark: words may be burned into it."""


@dataclass(frozen=True, slots=True)
class Box:
    """Where a frame lies in a movie, in parts of the movie's width and height; it may reach beyond."""

    left: float
    top: float
    width: float
    height: float

    def of(self, picture: Small, size: tuple[int, int]) -> Small:
        """What of a movie's picture lies in the box, at a size (width, height), averaged where it is made
        smaller; black beyond the picture."""
        tall, wide = picture.shape[:2]
        left, top = self.left * wide, self.top * tall
        across, down = self.width * wide, self.height * tall
        if (left, top, across, down) == (0, 0, wide, tall):
            return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.uint8)
        step = across / size[0], down / size[1]
        # Corners of pixels, as OpenCV counts their middles.
        matrix = np.array(
            [[step[0], 0, left + step[0] / 2 - 0.5], [0, step[1], top + step[1] / 2 - 0.5]], np.float32
        )
        if max(step) > 1.5:
            width = max(1, round(step[0])), max(1, round(step[1]))
            picture = np.asarray(cv2.blur(picture, width), np.uint8)
        how = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        return np.asarray(cv2.warpAffine(picture, matrix, size, flags=how), np.uint8)

    def mask(self, movie: Box, size: tuple[int, int]) -> NDArray[np.bool_]:
        """Which pixels of the frame, at a size (width, height), the part ``movie`` of the movie's picture
        shows."""
        x = self.left + (np.arange(size[0]) + 0.5) / size[0] * self.width
        y = self.top + (np.arange(size[1]) + 0.5) / size[1] * self.height
        across = (x > movie.left) & (x < movie.left + movie.width)
        down = (y > movie.top) & (y < movie.top + movie.height)
        return np.asarray(down[:, None] & across[None, :], np.bool_)


WHOLE = Box(0.0, 0.0, 1.0, 1.0)


def lit(pictures: list[Small]) -> Box:
    """The part of a picture that is not black in all of them: without the bars; the whole where nothing is
    lit."""
    if not pictures:
        return WHOLE
    brightest = np.max([one.max(axis=2) for one in pictures], axis=0)
    dark = brightest < _DARK
    rows, columns = dark.mean(axis=1) > _MOSTLY, None
    kept = np.flatnonzero(~rows)
    if not len(kept):
        return WHOLE
    top, bottom = int(kept[0]), int(kept[-1]) + 1
    columns = dark[top:bottom].mean(axis=0) > _MOSTLY
    across = np.flatnonzero(~columns)
    if not len(across):
        return WHOLE
    tall, wide = dark.shape
    left, right = int(across[0]), int(across[-1]) + 1
    return Box(left / wide, top / tall, (right - left) / wide, (bottom - top) / tall)


def shape_of(film: Film) -> float:
    """Width by height of a movie as it is seen."""
    aspect = float(_fraction(film.facts.pixel_aspect))
    return film.facts.width * aspect / film.facts.height


def _fraction(words: str) -> float:
    above, _, below = words.partition("/")
    return float(above) / float(below or 1) if words else 1.0


def guesses(movie_shape: float, cut_shape: float, shown: Box, of_cut: Box) -> list[Box]:
    """Boxes in which the frame of a cut may lie in a movie. ``shown`` is the part of the movie, ``of_cut``
    that of the cut that is not black."""
    found = [WHOLE]
    share = cut_shape / movie_shape
    # Fitted in with bars, or filling the picture with what is beyond cut off.
    for wide, tall in ((1.0, 1 / share), (share, 1.0)):
        found.append(Box((1 - wide) / 2, (1 - tall) / 2, wide, tall))
    # What is lit in the one is what is lit in the other.
    across, down = shown.width / of_cut.width, shown.height / of_cut.height
    found.append(Box(shown.left - of_cut.left * across, shown.top - of_cut.top * down, across, down))
    kept: list[Box] = []
    for one in found:
        if not any(_near(one, other) for other in kept) and min(one.width, one.height) > 0.1:
            kept.append(one)
    return kept


def _near(one: Box, other: Box) -> bool:
    pairs = zip(
        (one.left, one.top, one.width, one.height), (other.left, other.top, other.width, other.height)
    )
    return all(abs(a - b) < 2e-3 for a, b in pairs)


def looks(film: Film) -> list[Small]:
    """Pictures from all over a movie, small."""
    wide = max(2, round(_TALL * shape_of(film)))
    found = []
    for number in range(_LOOKS):
        at = (2 * number + 1) * film.count // (2 * _LOOKS)
        found += [picture for _, picture in film.pictures(wide, _TALL, at, at + 1)]
    return found
