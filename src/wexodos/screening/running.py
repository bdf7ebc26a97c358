"""Every frame of a movie held against the cut: how far they lie apart, part by part, and whether a
neighbour would fit better. What is off is looked into afterwards (``faults``)."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from wexodos.ground import Progress
from wexodos.ground.memory import give_back
from wexodos.screening.align import Aligned
from wexodos.screening.calibrate import decoded_size, floats
from wexodos.screening.cut_view import CutView, Stretch
from wexodos.screening.film import Film, Small, ahead
from wexodos.screening.measure import Colour, Floats, colour, inner

TALL = 90
PARTS = (32, 18)
"""Pictures are held against each other so many lines high, in so many parts across and down."""
BAD = 20
"""A part lies apart where it is further than that, in 1020ths."""
_EXPLAINED = 0.1
"""So much of the frame may still lie apart where colours explain a difference."""
_MOST = 200
"""So many frames are looked at together."""
_ROOM = 0.02
"""What coding and fitting change, of full scale."""
REACH = 3
"""So many frames on either side a picture is held against."""
_DARK, _PLAIN = 0.03, 0.012
"""A picture is black where it is darker, and shows nothing."""
_GREY = 0.5
"""Kept of the size for holding neighbours against each other."""


@dataclass(slots=True)
class Run:
    """Frames ``[first, last)`` of a stretch, held against the movie's. ``apart`` says how far each part of
    each lies apart, beyond what coding does, shape (n, down, across), in 1020ths; ``shifts`` how far each
    frame lies from those of the cut around it (n, 2 * REACH + 1), not a number beyond the run; ``step`` how
    far apart neighbours of the cut are, (n, 2 * REACH + 1). ``black`` and ``dark`` say which frames of the
    movie and of the cut are black; ``seen`` which are in the movie. ``colour`` is what the colours went
    through, where that is not what holds for the whole."""

    stretch: Stretch
    first: int
    last: int
    apart: NDArray[np.uint8]
    shifts: Floats
    step: Floats
    black: NDArray[np.bool_]
    dark: NDArray[np.bool_]
    seen: NDArray[np.bool_]
    colour: Colour | None

    @property
    def length(self) -> int:
        return self.last - self.first


def run_through(
    view: CutView, film: Film, found: Aligned, whole: Colour, shots: list[Stretch], progress: Progress
) -> Iterator[Run]:
    """Hold every frame of a cut against the movie."""
    size = view.size(TALL)
    mask = inner(found.box.mask(found.shown, size), 1)
    pairs = _pairs(view, film, found, size)
    for shot in shots:
        first = shot.first
        while first < shot.last:
            last = min(shot.last, first + _MOST)
            if 0 < shot.last - last < _MOST // 4:
                last = shot.last
            progress("comparing frame by frame", 0.3 + 0.6 * first / max(1, shots[-1].last))
            held = [next(pairs) for _ in range(last - first)]
            if any(theirs is not None for _, theirs in held):
                yield _held(shot, first, last, held, whole, mask)
            give_back()
            first = last


def _pairs(
    view: CutView, film: Film, found: Aligned, size: tuple[int, int]
) -> Iterator[tuple[Small, Small | None]]:
    """Each frame of the cut and what the movie shows of it, None where it is outside or damaged."""
    wide, tall = decoded_size(found.box, size)
    count = view.sequence.duration
    places = [found.place(number) for number in range(count)]
    inside = [number for number in range(count) if 0 <= places[number] < film.count]
    if not inside:
        return
    first, last = places[inside[0]], places[inside[-1]]
    pictures = film.pictures(wide, tall, first, last + 1)
    held: tuple[int, Small] | None = next(pictures, None)
    nothing = np.zeros((size[1], size[0], 3), np.uint8)
    ours = ahead(lambda at: view.small(inside[at], size), range(len(inside)))
    known = set(inside)
    for number, place in enumerate(places):
        if number not in known:
            yield nothing, None
            continue
        picture = next(ours)
        blind = number in view.blind
        while held is not None and held[0] < place:
            held = next(pictures, None)
        fits = held is not None and held[0] == place
        theirs = found.box.of(held[1], size) if fits and held is not None else None
        # Where a medium is not found there is nothing to compare with.
        yield picture, None if blind else theirs


def _held(
    shot: Stretch,
    first: int,
    last: int,
    held: list[tuple[Small, Small | None]],
    whole: Colour,
    mask: NDArray[np.bool_],
) -> Run:
    seen = np.asarray([theirs is not None for _, theirs in held], np.bool_)
    blank = np.zeros_like(held[0][0])
    ours = np.stack([one for one, _ in held])
    theirs = np.stack([other if other is not None else blank for _, other in held])
    black = np.asarray([is_black(one, mask) for one in theirs], np.bool_) & seen
    dark = np.asarray([is_black(one, mask) for one in ours], np.bool_)
    apart, own = _apart(ours, theirs, seen & ~black, whole, mask)
    apart[~seen] = 0
    shifts, step = _shifts(ours, theirs, own or whole, seen, mask)
    return Run(shot, first, last, apart, shifts, step, black, dark, seen, own)


def is_black(picture: Small, mask: NDArray[np.bool_]) -> bool:
    """Whether there is nothing to be seen."""
    mean, spread = cv2.meanStdDev(picture, mask=mask.view(np.uint8))
    # What the three colours have in common, and how far they are apart.
    overall = float(mean.mean())
    apart = float(np.sqrt((spread**2 + (mean - overall) ** 2).mean()))
    return bool(overall < _DARK * 255 and apart < _PLAIN * 255)


def excess(ours: Floats, theirs: Floats, mask: NDArray[np.bool_] | None = None) -> Floats:
    """By how much each pixel lies outside what its neighbourhood is in the other picture, beyond what coding
    does, shape (height, width): in brightness, and in colour, which coders keep coarser."""
    one, other = (_coarse(cv2.cvtColor(each, cv2.COLOR_RGB2YCrCb)) for each in (ours, theirs))
    around = np.ones((3, 3), np.uint8)
    low, high = cv2.erode(one, around), cv2.dilate(one, around)
    # Channel by channel: over an axis of three numbers a maximum is slow.
    parts = cv2.split(cv2.max(cv2.subtract(low, other), cv2.subtract(other, high)))
    made = np.maximum(cv2.max(cv2.max(parts[0], parts[1]), parts[2]) - np.float32(_ROOM), 0)
    if mask is not None:
        made[~mask] = 0
    return np.asarray(made, np.float32)


def _coarse(picture: NDArray[Any]) -> Floats:
    made = cv2.blur(picture, (3, 3))
    made[..., 0] = picture[..., 0]
    return np.asarray(made, np.float32)


def in_parts(picture: Floats) -> NDArray[np.uint8]:
    """The mean of each part, in 1020ths."""
    made = cv2.resize(picture, PARTS, interpolation=cv2.INTER_AREA)
    return np.asarray(np.clip(made * 1020, 0, 255), np.uint8)


def _apart(
    ours: NDArray[np.uint8],
    theirs: NDArray[np.uint8],
    usable: NDArray[np.bool_],
    whole: Colour,
    mask: NDArray[np.bool_],
) -> tuple[NDArray[np.uint8], Colour | None]:
    """How far the frames lie apart, with the colours of the whole or their own, whichever explain more."""
    good = np.flatnonzero(usable)

    def held(colours: Colour) -> NDArray[np.uint8]:
        pairs = zip(ours, theirs)
        return np.stack([in_parts(excess(colours(floats(one)), floats(other), mask)) for one, other in pairs])

    made = held(whole)
    if not len(good):
        return made, None
    looked = good[np.linspace(0, len(good) - 1, min(5, len(good))).astype(int)]
    own = _own(ours, theirs, looked, whole, mask)
    if own is None:
        return made, None
    other = held(own)
    before, after = (float((each[good] > BAD).mean()) for each in (made, other))
    # Colours that leave the pictures apart are none of a grade: another picture stands there.
    return (other, own) if after <= before * 0.5 and after < _EXPLAINED else (made, None)


def _own(
    ours: NDArray[np.uint8],
    theirs: NDArray[np.uint8],
    looked: NDArray[np.int64],
    whole: Colour,
    mask: NDArray[np.bool_],
) -> Colour | None:
    """What the colours of a run went through, where what holds for the whole leaves much more."""
    pairs = [(floats(ours[one]), floats(theirs[one])) for one in looked]
    rest = float(np.mean([np.abs(whole(one) - other)[mask].mean() for one, other in pairs]))
    if rest < 0.008:
        return None
    known, wanted = (np.concatenate([pair[at][::3, ::3][mask[::3, ::3]] for pair in pairs]) for at in (0, 1))
    own = colour(known, wanted)
    if own is None:
        return None
    left = float(np.mean([np.abs(own(one) - other)[mask].mean() for one, other in pairs]))
    return own if left < 0.75 * rest else None


def _shifts(
    ours: NDArray[np.uint8],
    theirs: NDArray[np.uint8],
    colours: Colour,
    seen: NDArray[np.bool_],
    mask: NDArray[np.bool_],
) -> tuple[Floats, Floats]:
    """How far each frame of the movie lies from the frames of the cut around its own, and how far these lie
    from that one."""
    small = max(2, round(ours.shape[2] * _GREY)), max(2, round(ours.shape[1] * _GREY))

    def greys(pictures: NDArray[np.uint8], changed: Colour | None) -> Floats:
        made = []
        for one in pictures:
            little = floats(cv2.resize(one, small, interpolation=cv2.INTER_AREA))
            made.append(changed(little) if changed is not None else little)
        return np.stack(made)

    a, b = greys(ours, colours), greys(theirs, None)
    inside = cv2.resize(mask.astype(np.uint8), small, interpolation=cv2.INTER_NEAREST)
    held = max(1, 3 * int(np.count_nonzero(inside)))
    count = len(a)
    shifts = np.full((count, 2 * REACH + 1), np.nan, np.float32)
    step = np.zeros_like(shifts)
    for column in range(2 * REACH + 1):
        by = column - REACH
        low, high = max(0, -by), min(count, count - by)
        if high <= low:
            continue
        for at in range(low, high):
            shifts[at, column] = cv2.norm(a[at + by], b[at], cv2.NORM_L1, inside) / held
            step[at, column] = cv2.norm(a[at + by], a[at], cv2.NORM_L1, inside) / held
    shifts[~seen] = np.nan
    return shifts, step
