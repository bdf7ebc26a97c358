"""What is in a file decides where its name, folder and timecode do not: the picture at used frames against a
working copy or a reference picture of the cut, the sound against its copy.

Two takes of one place look and sound much alike, so the file counts that is by far nearest to what is known;
it speaks for itself, and the others against themselves.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import TypeAlias

import cv2
import numpy as np
from numpy.typing import NDArray

from wexodos.footage.movie import Movie
from wexodos.footage.numbered import numbered
from wexodos.footage.order import Orders
from wexodos.footage.source import PictureError
from wexodos.footage.stills import still
from wexodos.formats.numbering import is_picture
from wexodos.media.match import Candidate, Reason, Sign, offset
from wexodos.media.needs import Need
from wexodos.media.probe import Probed, Probes
from wexodos.model import Item, Motion, Sequence, Track
from wexodos.model.speed import source_at
from wexodos.sound.decode import blocks, facts
from wexodos.sound.errors import SoundError
from wexodos.timing import Exact, exact, floor

Grey: TypeAlias = NDArray[np.float32]
"""A small grey picture, shape (HIGH, WIDE), 0 to 1."""

WIDE, HIGH = 96, 54
MOST = 6
"""So many candidates of a medium are looked into."""
LOOKS = 4
"""Frames of a medium that are compared."""
DOWN, ACROSS = 3, 6
"""The fields of a picture that are compared, each for itself: words burned into a corner spoil no more than
that."""
NEAR = 0.15
"""How far (1 - correlation) a file may be from what is known to be the same: coding, size and a grade lie
between."""
SHARE = 0.5
"""In so many of the fields some file is that near, or none is what is known."""
TIMES = 3.0
"""The next file is so many times further away."""
SHOWS = 50
"""Points for the file whose content it is, and against those whose it is not."""
_FLAT = 0.01
"""A field whose grey values spread less has nothing to compare; nor has sound softer than ``_SILENT``."""
_SILENT = 1e-4
_HEARD, _LAG, _PACE = 8, 0.08, 8000
"""Seconds of sound that are compared, by how much they may lie apart, and the samples a second."""


@dataclass(frozen=True, slots=True)
class Reference:
    """A picture of a whole cut: its file and facts, and the cut."""

    path: Path
    facts: Probed
    sequence: Sequence

    @property
    def first(self) -> int:
        """The frame of the cut that its first frame shows, by its timecode where that lies in the cut."""
        start, cut = self.facts.start_seconds, self.sequence
        if not start:
            return 0
        at = floor(cut.rate.frames(start)) - cut.start
        return at if 0 <= at < cut.duration else 0


@dataclass(frozen=True, slots=True)
class _Look:
    """What a medium shows so many seconds from its first frame."""

    at: Exact
    grey: Grey


class Content:
    """Compares what is in files. Holds one movie open at a time."""

    def __init__(self, reference: Reference | None = None) -> None:
        self._reference = reference
        self._orders = Orders()

    def told(self, need: Need, candidates: list[Candidate], copy: Path | None) -> list[Candidate]:
        """The candidates of a medium with what their content says; ``copy`` is its working copy, where one is
        known. Files that cannot be read say nothing."""
        near = sorted(candidates, key=lambda one: -one.score)[:MOST]
        near = [one for one in near if not one.facts.problem]
        if not near or any(one.points(Sign.CONTENT) for one in near):
            return candidates
        found: tuple[NDArray[np.float64], str] | None = None
        if need.picture:
            looks = list(self._of_copy(need, copy)) if copy is not None else []
            what = "the working copy"
            if not looks and self._reference is not None:
                looks, what = list(self._of_reference(need, self._reference)), "the reference picture"
            if looks:
                found = np.array([self._away(need, one, looks) for one in near]), f"shows what {what} shows"
        elif copy is not None:
            known = _sounding(copy, need, 0)
            if known is not None:
                found = np.array([[_apart(known, one, need)] for one in near]), "sounds like its working copy"
        if found is None:
            return candidates
        return _with_reasons(candidates, near, *found)

    def _of_copy(self, need: Need, copy: Path) -> Iterator[_Look]:
        low, high = need.low or 0, need.high or 0
        for number in range(LOOKS):
            at = exact(low + (high - low) * Fraction(2 * number + 1, 2 * LOOKS))
            grey = self._grey(copy, at, need)
            if grey is not None:
                yield _Look(at, grey)

    def _of_reference(self, need: Need, reference: Reference) -> Iterator[_Look]:
        cut = reference.sequence
        for count, (frame, at) in enumerate(_seen_alone(need, cut)):
            if count == LOOKS:
                return
            place = cut.rate.seconds(frame - reference.first)
            whole = self._grey(reference.path, place, None) if place >= 0 else None
            if whole is None:
                continue
            yield _Look(at, _inside(whole, need, cut))

    def _away(self, need: Need, one: Candidate, looks: list[_Look]) -> NDArray[np.float64]:
        """How far a file is from what is known in each field of each look, NaN where there is nothing to
        compare; shape (looks * fields,)."""
        by = offset(need, one.facts)
        found = []
        for look in looks:
            grey = self._grey(one.path, exact(look.at + by), need)
            found.append(_fields_apart(look.grey, grey))
        return np.concatenate(found)

    def _grey(self, path: Path, seconds: Exact, need: Need | None) -> Grey | None:
        """The picture of a file at a time, small and grey; None where it has none there."""
        try:
            frames = numbered(path)
            if frames is not None or is_picture(path.name):
                rate = need.media.rate.fps if need is not None and need.media.rate is not None else 25
                number = floor(seconds * Fraction(rate)) if frames is not None else 0
                picture = still(frames.file(number) if frames is not None else path, None)
                grey = cv2.cvtColor(np.ascontiguousarray(picture[..., :3]), cv2.COLOR_RGB2GRAY)
                return _small(np.clip(grey, 0, 1))
            movie = Movie(path, self._orders)
            try:
                frame = movie.frame(floor(seconds * movie.rate), None)
                turned = round(frame.rotation / 90) % 4
                grey = frame.reformat(format="gray").to_ndarray().astype(np.float32) / 255
                return _small(np.asarray(np.rot90(grey, turned), np.float32))
            finally:
                movie.close()
        except (PictureError, OSError, ValueError):
            return None


def _with_reasons(
    candidates: list[Candidate], near: list[Candidate], away: NDArray[np.float64], words: str
) -> list[Candidate]:
    """The nearest speaks for itself where it is near enough and the next is much further away.

    ``away``: shape (files, fields). Fields in which no file is near show what was added later, and where
    there are too many of them none is what is known.
    """
    told = ~np.isnan(away).all(axis=0)
    least = np.nanmin(np.where(told, away, 1.0), axis=0)
    kept = told & (least <= NEAR)
    if not told.any() or kept.sum() < SHARE * told.sum():
        return candidates
    far = np.where(np.isnan(away[:, kept]), 1.0, away[:, kept]).mean(axis=1)
    order = np.argsort(far)
    best = float(far[order[0]])
    if best > NEAR or (len(order) > 1 and far[order[1]] < max(TIMES * best, NEAR / TIMES)):
        return candidates
    said = {near[order[0]].path: Reason(SHOWS, words, Sign.CONTENT)}
    for other in order[1:]:
        said[near[other].path] = Reason(-SHOWS, f"another file {words}", Sign.CONTENT)
    return [
        replace(one, reasons=(*one.reasons, said[one.path])) if one.path in said else one
        for one in candidates
    ]


def _small(grey: NDArray[np.float32]) -> Grey:
    made = cv2.resize(np.ascontiguousarray(grey, np.float32), (WIDE, HIGH), interpolation=cv2.INTER_AREA)
    return np.asarray(made, np.float32)


def _inside(whole: Grey, need: Need, cut: Sequence) -> Grey:
    """The part of a picture of the cut in which a medium stands, fitted into the frame."""
    media, (wide, tall) = need.media, cut.frame_size
    if not media.width or not media.height:
        return whole
    shape = media.width * float(media.pixel_aspect) / media.height
    frame = wide * float(cut.pixel_aspect) / tall
    across, down = min(1.0, shape / frame), min(1.0, frame / shape)
    left, top = round(WIDE * (1 - across) / 2), round(HIGH * (1 - down) / 2)
    return _small(whole[top : HIGH - top, left : WIDE - left])


def _fields(grey: Grey) -> NDArray[np.float64]:
    """The fields of a picture, each less its mean; shape (DOWN * ACROSS, pixels)."""
    tall, wide = HIGH // DOWN, WIDE // ACROSS
    cut = grey.reshape(DOWN, tall, ACROSS, wide).swapaxes(1, 2).reshape(DOWN * ACROSS, tall * wide)
    return np.asarray(cut - cut.mean(axis=1, keepdims=True), np.float64)


def _fields_apart(known: Grey, other: Grey | None) -> NDArray[np.float64]:
    """1 - Pearson's correlation in each field, which a grade that lifts or stretches the values leaves as it
    is; NaN where the known picture is flat, or where there is no other."""
    if other is None:
        return np.full(DOWN * ACROSS, np.nan)
    a, b = _fields(known), _fields(other)
    size = np.sqrt((a * a).sum(axis=1) * (b * b).sum(axis=1))
    away = 1 - (a * b).sum(axis=1) / np.maximum(size, 1e-12)
    return np.where(a.std(axis=1) > _FLAT, away, np.nan)


def _seen_alone(need: Need, cut: Sequence) -> Iterator[tuple[int, Exact]]:
    """Frames of the cut at which a medium fills the frame and nothing lies over it, with the time in the
    medium: first one of each use."""
    above: dict[str, list[Track]] = {}
    found: dict[str, tuple[Track, Item]] = {}
    for number, track in enumerate(cut.video_tracks):
        for item in track.items:
            found[item.id] = track, item
            above[item.id] = list(cut.video_tracks[number + 1 :])
    uses = [found[use.item_id] for use in need.uses if use.sequence == cut.id and use.item_id in found]
    for share in (Fraction(1, 2), Fraction(1, 4), Fraction(3, 4)):
        for track, item in uses:
            frame = floor(item.start + item.duration * share)
            if not item.enabled or not track.enabled or not _plain(item.motion):
                continue
            if any(one.start <= frame < one.end for one in track.transitions):
                continue
            if any(_covers(other, frame) for other in above[item.id]):
                continue
            yield frame, source_at(item.speed, item.source_in, exact(frame - item.start), cut.rate)[0]


def _plain(motion: Motion | None) -> bool:
    """Whether a picture stands as it is fitted."""
    return motion is None or replace(motion, fit="none") == Motion(fit="none")


def _covers(track: Track, frame: int) -> bool:
    return track.enabled and any(one.enabled and one.start <= frame < one.end for one in track.items)


def _sounding(path: Path, need: Need, by: Exact) -> NDArray[np.float64] | None:
    """The first channel that is used of the used stretch of a file, at ``_PACE`` samples a second, so many
    seconds later."""
    low, high = need.low or 0, need.high or 0
    try:
        rate = facts(path).rate
        first = floor((low + by) * rate)
        count = floor(min(high - low, _HEARD) * rate)
        found = list(blocks(path, min(need.channels, default=1), first, count))
    except SoundError:
        return None
    if not found:
        return None
    samples = np.concatenate(found)
    step = max(1, rate // _PACE)
    whole = samples[: len(samples) // step * step].reshape(-1, step).mean(axis=1)
    return whole if len(whole) and float(np.sqrt((whole**2).mean())) > _SILENT else None


def _apart(known: NDArray[np.float64], one: Candidate, need: Need) -> float:
    """How far the sound of a file is from what is known, wherever it fits best within ``_LAG``; NaN where it
    cannot be read."""
    other = _sounding(one.path, need, offset(need, one.facts))
    if other is None:
        return np.nan
    count = min(len(known), len(other))
    reach = min(round(_LAG * _PACE), count // 4)
    mine = known[reach : count - reach]
    mine = mine - mine.mean()
    best = -1.0
    for lag in range(-reach, reach + 1):
        theirs = other[reach + lag : count - reach + lag]
        theirs = theirs - theirs.mean()
        size = float(np.sqrt((mine @ mine) * (theirs @ theirs)))
        best = max(best, float(mine @ theirs) / size if size else 0.0)
    return 1 - best


def working_copy(path: str | None, sequence_file: Path) -> Path | None:
    """The working copy that a cut names, where it is there."""
    if not path:
        return None
    place = Path(path) if Path(path).is_absolute() else sequence_file.parent / path
    try:
        return place if place.is_file() else None
    except (OSError, ValueError):
        return None


def reference_of(path: str, sequence: Sequence, probes: Probes) -> Reference | None:
    """A reference picture of a cut; None where there is no picture in it that can be read."""
    if not path:
        return None
    told = probes.of(Path(path))
    return Reference(Path(path), told, sequence) if not told.problem and told.video else None
