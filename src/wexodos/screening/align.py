"""Where the frames of a cut are in a movie: in time – by its timecode, or by its pictures, piece by piece
where it is of another version – and in the frame.

Pictures are held against one another small, grey and without their brightness and contrast, so that neither a
grade nor coding matters. Every picture of a cut that is looked for votes for the offsets at which the movie
is like it; what most agree on is held.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from wexodos.ground import Progress
from wexodos.ground.errors import ReadError
from wexodos.model import Sequence
from wexodos.screening.cut_view import CutView, Stretch
from wexodos.screening.film import Film, Small
from wexodos.screening.geometry import Box, guesses, lit, looks, shape_of
from wexodos.timing import Timecode, floor

_TINY = (36, 27, 18)
"""Lines of the pictures by which offsets are found: the first where all of a movie's find"""
_ROOM = 120 << 20
"""room."""
_MOST_LOOKS, _MOST_PAIRS = 300, 30_000_000
"""So many pictures of a cut are looked for, fewer where a movie has many."""
_BLOCK = 2048
_ABOUT = 150
"""So many frames about an edge it may lie elsewhere."""
_INSIDE = 0.15
"""So many of the pictures that it has room for must lie in the movie."""
_MOST_OFFSETS, _FEW = 12, 6
_A_SHOT = (Fraction(1, 6), Fraction(1, 2), Fraction(5, 6))
_FLAT = 4.0
"""Pictures that spread less, of 255, tell nothing."""
_ALIKE = 0.03
"""Pictures of a movie that are so much less like one of the cut than the best are as good as that."""
_LIKE = 0.6
"""A picture that correlates less is none of the cut's."""
_SHARE = 0.3
"""So many of the pictures must be found, or the movie is of another cut."""
_WORSE = 0.004
"""The timecode counts where the pictures fit no better anywhere else than by so much."""
_CHANGE = 0.35
"""What it takes to change to another offset, in parts of a shot that fits in no way."""
_RUN = 2
"""So many shots in a row must agree on another offset."""

Grey = NDArray[np.float32]


class By(StrEnum):
    """What said where a movie lies."""

    TIMECODE = "timecode"
    PICTURE = "picture"


@dataclass(frozen=True, slots=True)
class Piece:
    """Frames of the cut ``[first, last)``, whose pictures are so many frames of the movie later than their
    own number (in the movie's frames)."""

    first: int
    last: int
    offset: int


@dataclass(frozen=True, slots=True)
class Aligned:
    """How a movie lies on a cut: in pieces, with ``pace`` frames of the movie for one of the cut; in which
    box the frame of the cut lies, and what of the movie is lit. ``timecode`` is the offset its timecode
    says."""

    pieces: tuple[Piece, ...]
    pace: Fraction
    box: Box
    shown: Box
    by: By
    certainty: float
    timecode: int | None = None

    def place(self, frame: int) -> int:
        """The frame of the movie that shows a frame of the cut."""
        piece = next((one for one in self.pieces if one.first <= frame < one.last), self.pieces[-1])
        return floor(frame * self.pace) + piece.offset

    @property
    def offset(self) -> int:
        """How many frames later the movie shows the cut, in the cut's frames, at its beginning."""
        return round(self.pieces[0].offset / self.pace)


def aligned(view: CutView, film: Film, shots: list[Stretch], progress: Progress) -> Aligned:
    """Find a cut in a movie. Raises ``ReadError`` where it is not in it."""
    sequence = view.sequence
    wanted = _wanted(shots, min(_MOST_LOOKS, max(20, _MOST_PAIRS // film.count)))
    size = view.size(_height(film))
    progress("looking at the cut", 0.0)
    ours = [(number, view.small(number, size)) for number in wanted]
    ours = [(number, each) for number, each in ours if each.std() > _FLAT and number not in view.blind]
    if not ours:
        raise ReadError("the cut has no picture by which it could be found", "", sequence.name)
    found = looks(film)
    shown, of_cut = lit(found), lit([picture for _, picture in ours])
    boxes = guesses(shape_of(film), view.shape, shown, of_cut)
    tiny, first = _tiny(film, size[1], progress)
    numbers = np.asarray([number for number, _ in ours])
    best: tuple[float, float, Box, Fraction, _Fit] | None = None
    for box in boxes:
        mask = box.mask(shown, size)
        likeness = _likeness([picture for _, picture in ours], tiny, box, mask)
        for pace in _paces(film, sequence):
            fit = _Fit(likeness, numbers, first, pace)
            share, offset = fit.offset()
            score = share * fit.at(offset)
            if best is None or score > best[0] + 0.01:
                best = score, share, box, pace, fit
    assert best is not None
    _, share, box, pace, fit = best
    if share < _SHARE:
        raise ReadError("the pictures of the cut are not in it", "", str(film.path))
    offset = fit.offset()[1]
    said = _by_timecode(film, sequence, pace)
    offset = max(range(offset - 3, offset + 4), key=lambda one: (fit.at(one), one == said))
    by = By.PICTURE
    if said is not None and fit.at(said) >= fit.at(offset) - _WORSE:
        offset, by = said, By.TIMECODE
    pieces = _pieces(fit, shots, numbers, offset, sequence.duration)
    pieces = _parted(pieces, view, _Tiny(tiny, first), box, box.mask(shown, size), pace)
    return Aligned(pieces, pace, box, shown, by, round(min(1.0, fit.at(offset)), 3), said)


def _wanted(shots: list[Stretch], most: int) -> list[int]:
    """Frames of a cut by which it is looked for."""
    found = {
        floor(one.first + one.length * part)
        for one in shots
        for part in _A_SHOT
        if one.join is None and one.layers
    }
    many = sorted(found)
    return many[:: -(-len(many) // most)]


def _tiny(film: Film, tall: int, progress: Progress) -> tuple[NDArray[np.uint8], int]:
    """All pictures of a movie, grey and so many lines high, shape (n, height, width), and the number of the
    first. One that cannot be decoded is as the one before. Raises ``ReadError``."""
    wide = max(2, round(tall * shape_of(film)))
    found = np.zeros((film.count, tall, wide), np.uint8)
    first, done = -1, 0
    for number, picture in film.pictures(wide, tall):
        if number % 100 == 0:
            progress(f"looking through {film.path.name}", 0.3 * number / film.count)
        if first < 0:
            first = done = number
        found[done:number] = found[done - 1]
        found[number] = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)
        done = number + 1
    if first < 0:
        raise ReadError("none of its pictures can be decoded", "", str(film.path))
    return found[first:done], first


def _height(film: Film) -> int:
    """So many lines that all pictures of a movie find room."""
    fitting = [one for one in _TINY if one * one * shape_of(film) * film.count < _ROOM]
    return fitting[0] if fitting else _TINY[-1]


@dataclass(frozen=True, slots=True)
class _Tiny:
    """The pictures of a movie, from a number on."""

    pictures: NDArray[np.uint8]
    first: int

    def at(self, number: int) -> Small | None:
        """A picture; None where there is none of that number."""
        inside = 0 <= number - self.first < len(self.pictures)
        return self.pictures[number - self.first] if inside else None


class _Fit:
    """How like the pictures of a cut (rows) are to those of a movie (columns), and what that says of
    offsets."""

    def __init__(self, likeness: Grey, numbers: NDArray[np.int64], first: int, pace: Fraction) -> None:
        self.likeness, self.first, self.pace = likeness, first, pace
        self.starts = np.asarray([floor(int(number) * pace) for number in numbers])
        self.best = likeness.max(axis=1)
        self._all = np.ones(len(numbers), bool)
        # Of a movie that shows a part of the cut only, as large a share of what it can have.
        long = (numbers.max() - numbers.min() + 1) * float(pace)
        self._least = max(1 / len(numbers), _INSIDE * min(1.0, likeness.shape[1] / long))

    def votes(self) -> dict[int, float]:
        """How many pictures are found at which offset; one that is found at several counts as parts of
        one."""
        found: dict[int, float] = defaultdict(float)
        for row, start, best in zip(self.likeness, self.starts, self.best):
            if best < _LIKE:
                continue
            places = np.flatnonzero(row > best - _ALIKE)
            for place in places:
                found[int(place) + self.first - int(start)] += 1 / len(places)
        return found

    def at(self, offset: int, which: NDArray[np.bool_] | None = None) -> float:
        """How like the pictures are at an offset, on the whole; 0 where too few of them lie in the movie."""
        rows = np.flatnonzero(self._all if which is None else which)
        places = self.starts[rows] + offset - self.first
        inside = (places >= 0) & (places < self.likeness.shape[1])
        if inside.sum() < self._least * len(rows):
            return 0.0
        return float(self.likeness[rows[inside], places[inside]].mean())

    def each(self, offset: int) -> Grey:
        """How like each picture is at an offset; not a number where it lies outside."""
        places = self.starts + offset - self.first
        inside = (places >= 0) & (places < self.likeness.shape[1])
        found = np.full(len(places), np.nan, np.float32)
        found[inside] = self.likeness[np.flatnonzero(inside), places[inside]]
        return found

    def support(self, offset: int) -> float:
        """The share of the pictures inside the movie that are found at an offset as well as anywhere."""
        each = self.each(offset)
        inside = ~np.isnan(each)
        if inside.sum() < self._least * len(each):
            return 0.0
        good = (each[inside] > self.best[inside] - _ALIKE) & (each[inside] > _LIKE)
        return float(good.mean())

    def offset(self) -> tuple[float, int]:
        """The offset that most agree on, and how many."""
        votes = self.votes()
        most = sorted(votes, key=lambda one: -votes[one])[:_MOST_OFFSETS]
        return max(((self.support(one), one) for one in most), default=(0.0, 0))


def _likeness(ours: list[Small], tiny: NDArray[np.uint8], box: Box, mask: NDArray[np.bool_]) -> Grey:
    """How pictures correlate with those of a movie, shape (ours, tiny): 1 for the same but for brightness and
    contrast."""
    size = ours[0].shape[1], ours[0].shape[0]
    if mask.sum() < 0.2 * mask.size:
        return np.zeros((len(ours), len(tiny)), np.float32)
    known = _normal(np.stack([cv2.cvtColor(one, cv2.COLOR_RGB2GRAY) for one in ours])[:, mask])
    found = np.empty((len(ours), len(tiny)), np.float32)
    for begin in range(0, len(tiny), _BLOCK):
        part = np.stack([box.of(one, size) for one in tiny[begin : begin + _BLOCK]])
        found[:, begin : begin + _BLOCK] = known @ _normal(part[:, mask]).T
    return found


def _normal(pictures: NDArray[Any]) -> Grey:
    """Pictures, shape (n, pixels), with mean 0 and length 1; flat ones are nought."""
    made = pictures.astype(np.float32)
    made -= made.mean(axis=1, keepdims=True)
    length = np.linalg.norm(made, axis=1, keepdims=True)
    flat = length < _FLAT * np.sqrt(made.shape[1])
    return np.asarray(np.where(flat, 0, made / np.maximum(length, 1e-6)), np.float32)


def _pieces(
    fit: _Fit, shots: list[Stretch], numbers: NDArray[np.int64], offset: int, last: int
) -> tuple[Piece, ...]:
    """The offset of each part of a cut: the one of the whole, and where several shots in a row are found at
    another one, that."""
    owner = np.searchsorted([one.first for one in shots], numbers, side="right") - 1
    states = [offset, *(one for one in _states(fit, owner) if one != offset)]
    costs = np.zeros((len(shots), len(states)))
    outside = np.isnan(fit.each(offset))
    for column, state in enumerate(states):
        each = fit.each(state)
        # What lies outside with the whole says nothing; what only does with this offset speaks against it.
        # A picture that is like none is no reason to go where there is nothing.
        lost = np.where(
            np.isnan(each), np.where(outside, 0, 1.1 * (1 - _LIKE)), np.minimum(1 - each, 1 - _LIKE)
        )
        for row in range(len(shots)):
            mine = owner == row
            if mine.any():
                costs[row, column] = float(lost[mine].mean())
    starts = np.asarray([floor(one.first * fit.pace) for one in shots], np.float64)
    path = _cheapest(costs, starts[:, None] + np.asarray(states)[None, :])
    pieces: list[Piece] = []
    for row, column in enumerate(_runs_only(path, owner)):
        first = shots[row].first
        end = shots[row + 1].first if row + 1 < len(shots) else last
        at = states[column]
        if pieces and pieces[-1].offset == at:
            pieces[-1] = Piece(pieces[-1].first, end, at)
        else:
            pieces.append(Piece(first if pieces else 0, end, at))
    return tuple(_settled(fit, one, numbers) for one in pieces) or (Piece(0, last, offset),)


def _parted(
    pieces: tuple[Piece, ...], view: CutView, tiny: _Tiny, box: Box, mask: NDArray[np.bool_], pace: Fraction
) -> tuple[Piece, ...]:
    """Pieces that part at the frame from which on the other offset fits better: shots say it for shots
    only."""
    made = list(pieces)
    size = mask.shape[1], mask.shape[0]
    for place, (one, other) in enumerate(zip(made, made[1:])):
        edge = other.first
        low, high = max(one.first, edge - _ABOUT), min(other.last, edge + _ABOUT)
        gains = []
        for frame in range(low, high):
            ours = _normal(cv2.cvtColor(view.small(frame, size), cv2.COLOR_RGB2GRAY)[mask][None])
            each = [tiny.at(floor(frame * pace) + piece.offset) for piece in (one, other)]
            if each[0] is None or each[1] is None:
                gains.append(0.0)
                continue
            likes = [
                float((ours @ _normal(box.of(picture, size)[mask][None]).T)[0, 0])
                for picture in each
                if picture is not None
            ]
            gains.append(likes[0] - likes[1])
        if gains:
            # The first frame that is not the earlier piece's.
            best = low + int(np.argmax(np.concatenate([[0.0], np.cumsum(gains)])))
            made[place], made[place + 1] = replace(made[place], last=best), replace(other, first=best)
    return tuple(one for one in made if one.last > one.first)


def _states(fit: _Fit, owner: NDArray[np.int64]) -> list[int]:
    """Offsets at which pictures of several shots are found."""
    shots: dict[int, set[int]] = defaultdict(set)
    for row, start, best, shot in zip(fit.likeness, fit.starts, fit.best, owner):
        if best < _LIKE:
            continue
        places = np.flatnonzero(row > best - _ALIKE / 3)
        if len(places) <= _FEW:
            for place in places:
                shots[int(place) - int(start) + fit.first].add(int(shot))
    most = sorted(shots, key=lambda one: -len(shots[one]))
    return [one for one in most if len(shots[one]) >= _RUN][:_MOST_OFFSETS]


def _cheapest(costs: NDArray[np.float64], places: NDArray[np.float64]) -> list[int]:
    """The cheapest way through states, one a row, where each change costs; ``places`` says where a row in a
    state lies in the movie, which only goes on."""
    total, back = costs[0].copy(), []
    for row in range(1, len(costs)):
        ways = total[None, :] + _CHANGE * (1 - np.eye(costs.shape[1]))
        ways[places[row][:, None] < places[row - 1][None, :]] = np.inf
        back.append(ways.argmin(axis=1))
        total = ways.min(axis=1) + costs[row]
    path = [int(total.argmin())]
    for came in reversed(back):
        path.append(int(came[path[-1]]))
    return path[::-1]


def _runs_only(path: list[int], owner: NDArray[np.int64]) -> list[int]:
    """A way without stretches in which fewer than ``_RUN`` shots speak: those stay with what is before."""
    kept, place = list(path), 0
    speaking = set(owner.tolist())
    while place < len(kept):
        end = place
        while end < len(kept) and kept[end] == kept[place]:
            end += 1
        if len(speaking.intersection(range(place, end))) < _RUN and len(kept) > end - place:
            kept[place:end] = [kept[place - 1] if place else kept[end]] * (end - place)
        place = end
    return kept


def _settled(fit: _Fit, piece: Piece, numbers: NDArray[np.int64]) -> Piece:
    """A piece at the offset at which its pictures fit best, near its own."""
    mine = (numbers >= piece.first) & (numbers < piece.last)
    near = [piece.offset, *(piece.offset + way * by for by in (1, 2) for way in (-1, 1))]
    best = max(near, key=lambda one: fit.at(one, mine))
    sure = fit.at(best, mine) > fit.at(piece.offset, mine) + _WORSE
    return Piece(piece.first, piece.last, best) if sure else piece


def _paces(film: Film, sequence: Sequence) -> list[Fraction]:
    """How many frames of the movie one of the cut may take: one, or as their rates say."""
    share = Fraction(film.rate.fps) / Fraction(sequence.rate.fps)
    found = [Fraction(1)]
    near = min((Fraction(2), Fraction(1, 2), Fraction(1)), key=lambda one: abs(one - share))
    if near != 1 and abs(share / near - 1) < Fraction(1, 100):
        found.append(near)
    elif abs(share - 1) > Fraction(1, 500):
        found.append(share)
    return found


def _by_timecode(film: Film, sequence: Sequence, pace: Fraction) -> int | None:
    """The offset that a movie's timecode says, in its frames; None where it has none."""
    start = film.facts.start
    if start is None:
        return None
    drop = bool(film.facts.drop_frame)
    if film.rate.nominal == sequence.rate.nominal and drop == sequence.drop_frame:
        return sequence.start - start
    label = Timecode(start, film.rate, drop)
    seconds = Fraction(label.frames) / film.rate.nominal
    ours = Fraction(sequence.start) / sequence.rate.nominal
    return round((ours - seconds) * film.rate.nominal)
