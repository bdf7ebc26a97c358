"""What holds for the whole of a movie: where exactly the frame of the cut lies in it, and what its colours
went through."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from wexodos.screening.align import Aligned
from wexodos.screening.cut_view import CutView, Stretch
from wexodos.screening.film import Film, Reader, Small
from wexodos.screening.geometry import Box, shape_of
from wexodos.screening.measure import Colour, Floats, colour, inner, lie

_PAIRS = 28
_TALL = 180
_FIT = 0.8
"""A pair that correlates less tells nothing of where the frame lies."""
_MOVED, _LARGER = 2e-4, 3e-4
"""Less than that, in parts of the frame, is nothing."""
_STEP, _EDGE = 4, 8
_NEAR, _AGREED = 0.012, 0.5
"""Colours of so many of the pairs lie that near to what holds for the whole, or nothing does."""


def floats(picture: Small) -> Floats:
    return picture.astype(np.float32) / np.float32(255)


def decoded_size(box: Box, size: tuple[int, int]) -> tuple[int, int]:
    """The size at which a movie is decoded so that a box in it has a size (width, height)."""
    return max(2, round(size[0] / box.width)), max(2, round(size[1] / box.height))


def calibrated(view: CutView, film: Film, found: Aligned, shots: list[Stretch]) -> tuple[Aligned, Colour]:
    """The box of a movie, measured, and its colours, by pictures from all over the cut."""
    size = view.size(_TALL)
    good = [one for one in shots if one.join is None and one.length >= 3]
    chosen = [good[round(at)] for at in np.linspace(0, len(good) - 1, min(_PAIRS, len(good)))] if good else []
    lies = []
    pairs: list[tuple[Floats, Floats]] = []
    with Reader(film) as reader:
        wide = round(_TALL * 2 * shape_of(film)), _TALL * 2
        seen: list[tuple[Floats, Small]] = []
        for shot in chosen:
            frame = (shot.first + shot.last) // 2
            place = found.place(frame)
            picture = reader.at(place, *wide) if 0 <= place < film.count else None
            ours = floats(view.picture(frame, _TALL))
            if picture is not None and frame not in view.blind:
                seen.append((ours, picture))
        mask = inner(found.box.mask(found.shown, size), _EDGE)
        for ours, picture in seen:
            theirs = floats(found.box.of(picture, size))
            one = lie(ours, theirs, mask, far=False)
            if one is not None and one.fit > _FIT:
                lies.append(one.matrix)
        box = found.box
        if len(lies) >= 3:
            middle = np.median(lies, axis=0)
            box = _moved(box, middle, size)
        for ours, picture in seen:
            pairs.append(
                (
                    ours[::_STEP, ::_STEP].reshape(-1, 3),
                    floats(box.of(picture, size))[::_STEP, ::_STEP].reshape(-1, 3),
                )
            )
    return replace(found, box=box), _common(pairs)


def _moved(box: Box, matrix: NDArray[np.float64], size: tuple[int, int]) -> Box:
    """A box after what was found in it lies elsewhere by a matrix, in pixels of a size."""
    across, down = float(matrix[0, 0]), float(matrix[1, 1])
    left, top = float(matrix[0, 2]) / size[0], float(matrix[1, 2]) / size[1]
    if max(abs(across - 1), abs(down - 1)) < _LARGER and max(abs(left), abs(top)) < _MOVED:
        return box
    return Box(box.left + left * box.width, box.top + top * box.height, box.width * across, box.height * down)


def _common(pairs: list[tuple[Floats, Floats]]) -> Colour:
    """The colours that most pairs went through; as they are where they do not agree."""
    if not pairs:
        return Colour.none()
    ours, theirs = (np.concatenate([pair[at] for pair in pairs]) for at in (0, 1))
    found = colour(ours, theirs)
    if found is None:
        return Colour.none()
    near = [float(np.median(np.abs(found(one) - other))) < _NEAR for one, other in pairs]
    if np.mean(near) < _AGREED:
        return Colour.none()
    # Once more without those that went through something else.
    whole = [pair for pair, good in zip(pairs, near) if good]
    ours, theirs = (np.concatenate([pair[at] for pair in whole]) for at in (0, 1))
    return colour(ours, theirs) or found
