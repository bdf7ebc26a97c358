"""Where the scenes of a movie change: cuts, and what goes over slowly.

A cut is a frame whose parts are found nowhere near their places in the frame before, and so more than they
move in the frames around: a camera that moves takes its parts along. A flash is the same scene again behind
it. In a dissolve every picture is a mixture of the first and the last one, in a wipe every part is one of
the two; a camera that moves shows what is neither.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from enum import StrEnum

import cv2
import numpy as np
from numpy.typing import NDArray

from wexodos.ground import Progress, quiet
from wexodos.screening.film import Film, Small

WIDE, HIGH = 64, 36
"""Pictures are looked at in this size."""
_PARTS = 8, 6
"""So many parts of a picture, across and down."""
_SIDE, _UP = 8, 5
"""So far a part is looked for about its place."""
_CHUNK, _OVERLAP = 1500, 160
_PLAIN = 0.012
"""Pictures that differ by less from the one before, in parts of full scale, are not looked into."""
_CUT = 0.02
"""A cut leaves at least so much that is found nowhere,"""
_WIDELY = 0.4
"""in so many parts of the frame: less is something in a scene that jumps, or a title that comes;"""
_TIMES = 2.75
"""so many times what is left about it,"""
_REST = 0.004
"""and what coding leaves."""
_AROUND = 5
_FLASH = 10
"""Frames a flash takes at the most."""
_SAME = 0.45
"""What is left of a difference, where it is the same scene."""
_LENGTHS = (5, 8, 12, 18, 26, 38, 54, 76, 108)
"""Lengths of windows in which slow changes are looked for."""
_CHANGED = 0.05
"""So far apart, in parts of full scale, are two scenes at least."""
_STRAIGHT = 0.5
"""So much of the way a slow change goes it goes straight."""
_MIXED = 0.55
"""So much of the difference a picture may lie beside the mixture of two."""
_EITHER, _ALL = 0.15, 0.85
"""And so much where each part is one of the two, and so much of the frame changes."""
_BENT = 0.3
"""So far a slow change may lie beside a straight line, in parts of the whole."""
_SPOT, _WHOLE = 0.03, 0.55
"""In so much of the frame something changes by so much."""
_THIN = 0.5
"""So much of the contrast that a mixture loses is lost at least."""
_FLAT = 0.02
"""Pictures that spread less are of one colour."""

Floats = NDArray[np.float32]


class How(StrEnum):
    """How one scene goes over into the next."""

    CUT = "cut"
    DISSOLVE = "dissolve"
    WIPE = "wipe"


@dataclass(frozen=True, slots=True)
class SceneCut:
    """A change of scene: the first frame of the new one, or the middle of what goes over slowly in so many
    frames; ``certainty`` from 0 to 1."""

    frame: int
    how: How
    length: int
    certainty: float


def scene_cuts(film: Film, progress: Progress = quiet) -> list[SceneCut]:
    """The changes of scene in a movie, in their order."""

    def told() -> Iterator[tuple[int, Small]]:
        for number, picture in film.pictures(WIDE, HIGH):
            if number % 100 == 0:
                progress(f"looking through {film.path.name}", number / film.count)
            yield number, picture

    return changes_of(told())


def changes_of(pictures: Iterable[tuple[int, Small]]) -> list[SceneCut]:
    """The changes of scene among pictures of ``HIGH`` × ``WIDE`` with their numbers; what is missing among
    them is as the one before."""
    found: list[SceneCut] = []
    held: list[Small] = []
    first = begin = 0
    for number, picture in pictures:
        while first + len(held) < number and held:
            held.append(held[-1])
        if not held:
            first = begin = number
        held.append(picture)
        if len(held) >= _CHUNK + 2 * _OVERLAP:
            end = first + len(held) - _OVERLAP
            found += [one for one in _changes(held, first) if begin <= one.frame < end]
            begin = end
            first, held = first + len(held) - 2 * _OVERLAP, held[-2 * _OVERLAP :]
    if held:
        found += [one for one in _changes(held, first) if begin <= one.frame]
    return found


def _changes(held: list[Small], first: int) -> list[SceneCut]:
    """The changes among pictures that follow one another, the first of which has a number."""
    if len(held) < 2:
        return []
    look = _Look(np.stack(held))
    cuts = look.cuts()
    slow = look.slow(cuts)
    return sorted(
        (SceneCut(one.frame + first, one.how, one.length, one.certainty) for one in [*cuts, *slow]),
        key=lambda one: one.frame,
    )


class _Look:
    """Pictures that follow one another, looked through."""

    def __init__(self, pictures: NDArray[np.uint8]) -> None:
        self._pictures = pictures
        self._left: dict[tuple[int, int], NDArray[np.float64]] = {}
        steps = np.abs(np.diff(pictures.astype(np.int16), axis=0)).mean(axis=(1, 2, 3)) / 255
        self._steps = np.concatenate([[0.0], steps])
        small = [cv2.resize(one, (32, 18), interpolation=cv2.INTER_AREA) for one in pictures]
        self._small = cv2.blur(np.stack(small).reshape(len(small) * 18, 32, 3), (3, 1)).reshape(
            len(small), 18, 32, 3
        ).astype(np.float32) / np.float32(255)

    # ---- at once

    def cuts(self) -> list[SceneCut]:
        """The cuts."""
        count = len(self._pictures)
        found: dict[int, float] = {}
        for place in range(1, count):
            step = self._steps[place]
            about = [one for one in range(place - _AROUND, place + _AROUND + 1) if 1 <= one < count]
            others = np.asarray([self._steps[one] for one in about if one != place])
            if step < _PLAIN or (len(others) and step < 1.15 * np.median(others)):
                continue
            left = self._between(place - 1, place)
            if left < _CUT or (self._left[place - 1, place] > _CUT / 2).mean() < _WIDELY:
                continue
            usual = max(self._usual(about, place, way) for way in (-1, 1))
            ratio = left / (usual + _REST)
            if ratio < _TIMES or self._lit(place) or self._flash(place):
                continue
            found[place] = 1 - 0.5 * _TIMES / ratio
        return [SceneCut(place, How.CUT, 0, round(sure, 3)) for place, sure in self._apart(found).items()]

    def _usual(self, about: list[int], place: int, way: int) -> float:
        """What is left between pictures before a place, or behind it, but for the most, which may be
        another cut."""
        near = np.sort([self._between(one - 1, one) for one in about if (one - place) * way > 0])
        return float(near[:-1].mean()) if len(near) > 1 else 0.0

    def _apart(self, found: dict[int, float]) -> dict[int, float]:
        """Of cuts with nothing but white, or black for a frame or two, between them one: the last."""
        places = sorted(found)
        kept = dict(found)
        for one, other in zip(places, places[1:]):
            if other - one <= 3 and all(self._flat(between) for between in range(one, other)):
                kept.pop(one, None)
        return kept

    def _flat(self, place: int) -> bool:
        return float(self._small[place].std(axis=(0, 1)).max()) < _FLAT

    def _between(self, one: int, other: int) -> float:
        """What of a picture is not found in another near its place, in parts of full scale."""
        key = one, other
        if key not in self._left:
            self._left[key] = unfound(self._pictures[one], self._pictures[other])
        return float(self._left[key].mean())

    def _lit(self, place: int) -> bool:
        """Whether a picture is the one before in another light: one factor and one offset make it of that."""
        before, now = self._small[place - 1].ravel(), self._small[place].ravel()
        return _explained(before, now)

    def _flash(self, place: int) -> bool:
        """Whether a picture begins or ends a flash: the scene before comes again, and between it is brighter,
        or of one colour."""
        change = self._between(place - 1, place)
        for length in range(1, _FLASH + 1):
            for begin in (place, place - length):
                before, after = begin - 1, begin + length
                if before < 0 or after >= len(self._pictures):
                    continue
                if self._between(before, after) < _SAME * change and all(
                    self._flashed(before, one) for one in range(begin, after)
                ):
                    return True
        return False

    def _flashed(self, before: int, place: int) -> bool:
        one, other = self._small[before], self._small[place]
        if self._flat(place) or _explained(one.ravel(), other.ravel()):
            return True
        return bool((other >= one - 0.04).mean() > 0.9 and other.mean() > one.mean() + 0.06)

    # ---- slowly

    def slow(self, cuts: list[SceneCut]) -> list[SceneCut]:
        """What goes over slowly between cuts."""
        edges = [0, *(one.frame for one in cuts), len(self._pictures)]
        found = []
        for low, high in zip(edges, edges[1:]):
            found += self._slow_within(low, high)
        return found

    def _slow_within(self, low: int, high: int) -> list[SceneCut]:
        seen = self._small[low:high].reshape(high - low, -1)
        count = len(seen)
        if count < _LENGTHS[0] + 2:
            return []
        scale = np.float32(1 / np.sqrt(seen.shape[1]))
        steps = np.linalg.norm(np.diff(seen, axis=0), axis=1) * scale
        way = np.concatenate([[0.0], np.cumsum(steps)])
        rated: list[tuple[float, int, int]] = []
        for length in _LENGTHS:
            if count <= length:
                break
            far = np.linalg.norm(seen[length:] - seen[:-length], axis=1) * scale
            walked = way[length:] - way[:-length]
            straight = far / np.maximum(walked, 1e-6)
            score = np.where((far > _CHANGED) & (straight > _STRAIGHT), far * straight**2, 0)
            # The best of its neighbourhood stands for it.
            near = np.asarray(cv2.dilate(score[:, None], np.ones((2 * (length // 3) + 1, 1), np.uint8)))[:, 0]
            good = np.flatnonzero((score > 0) & (score >= near))
            rated += [(float(score[one]), int(one), length) for one in good]
        rated.sort(reverse=True)
        taken = np.zeros(count, bool)
        found = self._dips(seen, low, taken)
        for _, begin, length in rated:
            if taken[begin : begin + length + 1].any():
                continue
            one = self._refined(seen, low, begin, length, scale)
            if one is None:
                continue
            start, end, how, sure = one
            taken[max(0, start - 4) : end + 5] = True
            found.append(SceneCut(low + (start + end) // 2, how, end - start, round(sure, 3)))
        return found

    def _refined(
        self, seen: Floats, begin_at: int, begin: int, length: int, scale: np.float32
    ) -> tuple[int, int, How, float] | None:
        """First frame that is changed, first one that is all the new one, how, and how surely; None where it
        is no change of scene."""
        count = len(seen)
        out = max(3, length // 3)
        low, high = max(0, begin - out), min(count - 1, begin + length + out)
        before, after = seen[low], seen[high]
        apart = after - before
        size = float(apart @ apart)
        if np.sqrt(size) * scale < _CHANGED or _explained(before, after):
            return None
        share = (seen[low : high + 1] - before) @ apart / size
        start, end = _ramp(share)
        start, end = low + start, low + end
        if end - start < 3:
            return None
        first, last = seen[max(0, start - 1)], seen[min(count - 1, end)]
        if min(float(first.std()), float(last.std())) < _FLAT:
            # Half of a change at the most: see ``_dips``.
            return None
        apart = last - first
        size = float(apart @ apart)
        if np.sqrt(size) * scale < _CHANGED or _explained(first, last):
            return None
        inner = seen[start:end]
        shares = np.clip((inner - first) @ apart / size, 0, 1)[:, None]
        beside = np.linalg.norm(inner - (first + shares * apart), axis=1) / np.sqrt(size)
        mixed = float(beside.mean())
        nearest = np.minimum(np.abs(inner - first), np.abs(inner - last))
        either = float((np.linalg.norm(nearest, axis=1) / np.sqrt(size)).mean())
        ideal = (np.arange(start, end) - start + 0.5) / (end - start)
        bent = float(np.abs(shares[:, 0] - ideal).max())
        changed = (np.abs(first - last).reshape(-1, 3).mean(axis=1) > _SPOT).mean()
        if bent > _BENT or changed < _WHOLE:
            return None
        if mixed < _MIXED and self._thins(begin_at + start, begin_at + end) > _THIN:
            return start, end, How.DISSOLVE, 1 - 0.5 * mixed / _MIXED
        if either < _EITHER and bent < _BENT / 2 and changed > _ALL:
            return start, end, How.WIPE, 1 - 0.5 * either / _EITHER
        return None

    def _thins(self, start: int, end: int) -> float:
        """How much contrast pictures lose between two frames, against what mixtures of these would: with a
        share p it is p (1 - p) times the variance of their difference. 1 for a dissolve, 0 for what
        moves."""
        inner = self._pictures[max(0, start - 1) : end + 1].astype(np.float32) / np.float32(255)
        spread = inner.var(axis=(1, 2)).sum(axis=1)
        apart = float((inner[-1] - inner[0]).var(axis=(0, 1)).sum())
        share = np.linspace(0, 1, len(inner))
        lost = (1 - share) * spread[0] + share * spread[-1] - spread
        return float(lost.sum() / max(1e-9, float((share * (1 - share)).sum()) * apart))

    def _dips(self, seen: Floats, low: int, taken: NDArray[np.bool_]) -> list[SceneCut]:
        """Where a scene goes to one colour and another comes out of it."""
        flat = np.asarray([self._flat(low + place) for place in range(len(seen))])
        found = []
        edges = np.flatnonzero(np.diff(np.concatenate([[False], flat, [False]]).astype(np.int8)))
        for begin, end in zip(edges[::2], edges[1::2]):
            start = self._faded(seen, int(begin), -1)
            stop = self._faded(seen, int(end) - 1, 1)
            if begin - start < 3 or stop - end < 3:
                continue
            taken[start : stop + 1] = True
            if _explained(seen[start], seen[stop]):
                continue
            found.append(SceneCut(low + int(begin + end) // 2, How.DISSOLVE, stop - start - 1, 0.9))
        return found

    @staticmethod
    def _faded(seen: Floats, place: int, way: int) -> int:
        """The frame at which a fade from (or to) a colour is over: from where on the picture does not spread
        further."""
        spread = float(seen[place].std())
        while 0 <= place + way < len(seen):
            further = float(seen[place + way].std())
            if further <= spread + 1e-3:
                break
            spread, place = further, place + way
        return place


def unfound(one: Small, other: Small, side: int = _SIDE, up: int = _UP) -> NDArray[np.float64]:
    """What of each part of a picture is not found in another near its place, in parts of full scale: where
    it fits best."""
    high, wide = one.shape[:2]
    around = cv2.copyMakeBorder(other.astype(np.uint16) * 256, up, up, side, side, cv2.BORDER_REPLICATE)
    here = one.astype(np.uint16) * 256
    parts = _PARTS
    best: NDArray[np.floating] | None = None
    for down in range(2 * up + 1):
        for across in range(2 * side + 1):
            moved = around[down : down + high, across : across + wide]
            rest = cv2.resize(cv2.absdiff(here, moved), parts, interpolation=cv2.INTER_AREA)
            total = rest.sum(axis=-1, dtype=np.int32)
            best = total if best is None else np.minimum(best, total)
    assert best is not None
    return np.asarray(best / (3 * 255 * 256), np.float64)


def _explained(one: Floats, other: Floats) -> bool:
    """Whether a picture is another one in another light: with one factor and one offset for all."""
    a, b = one - one.mean(), other - other.mean()
    power = float(a @ a)
    if power < 1e-4 * len(a) or float(b @ b) < 1e-5 * len(b):
        return False
    factor = float(a @ b) / power
    rest = b - factor * a
    gone = other - one
    return (
        factor > 0
        and float(rest @ rest) < 0.12 * float(b @ b)
        and float(rest @ rest) < 0.12 * float(gone @ gone) + 1e-4 * len(a)
    )


def _ramp(share: NDArray[np.floating]) -> tuple[int, int]:
    """Where what goes from 0 to 1 in a straight line begins to leave 0, and is 1: the first place above, the
    first one that is whole; of all pairs the one that lies nearest."""
    count = len(share)
    at = np.arange(count)
    best, found = np.inf, (0, count)
    for start in range(count - 2):
        ends = np.arange(start + 2, count + 1)[:, None]
        # Frame ``start`` is the first of the change.
        rest = np.square(share - np.clip((at - start + 0.5) / (ends - start), 0, 1)).sum(axis=1)
        least = int(rest.argmin())
        if rest[least] < best:
            best, found = float(rest[least]), (start, start + 2 + least)
    return found
