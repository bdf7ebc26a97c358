"""Renders laid in place of their events. What of an event is in a render already – sizing, speed, filters –
is measured: the event as it was is held against the render with each of them and without; what would act
twice is switched off."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from enum import StrEnum
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from wexodos.ground import Progress
from wexodos.homecoming.renders import Event, Matched
from wexodos.model import (
    Curve,
    Document,
    Generator,
    Item,
    Key,
    Media,
    MediaUse,
    Motion,
    Sequence,
    Track,
    constant,
)
from wexodos.model.speed import NORMAL
from wexodos.picture import Composer, Frames
from wexodos.picture.compose import Shot
from wexodos.picture.filters import is_drawn
from wexodos.timing import exact, floor

_HEIGHT = 120
"""Pictures are held against each other at this height."""
_PLACES = (Fraction(1, 5), Fraction(1, 2), Fraction(4, 5))
"""Where in an event: not at its ends, where transitions are."""
_MORE = 0.03
"""So much better a render must match without something for that to be in it already."""
_NEARER = 0.8
"""And its colours be nearer by that."""
_ALIKE = 0.02
"""Below that a correction explains all there is between two pictures."""
_FLAT = 2e-3
"""Pictures with less contrast than this tell nothing."""
_COVERED, _SEEN = 0.01, 0.05
"""A render that covers more of the frame than this – where white beneath made so much of a difference – hides
what lies beneath its event."""
_REACH = 3
"""So many frames about its place a picture is looked for."""
_SURE = 0.01


class What(StrEnum):
    """What would act twice."""

    MOTION = "motion"
    SPEED = "speed"
    FILTER = "filter"
    COLOUR = "colour"


@dataclass(frozen=True, slots=True)
class Doubled:
    """Something of an event that is in its render already, and what was measured, in words."""

    what: What
    measured: str


@dataclass(frozen=True, slots=True)
class Laid:
    """A render in its place: how many frames later than the cut's its pictures are, and what was switched
    off."""

    matched: Matched
    offset: int
    doubled: tuple[Doubled, ...]


@dataclass(slots=True)
class Rendered:
    """The cut with its renders; ``left`` are those that were not laid in, with the reason."""

    document: Document
    sequence: Sequence
    laid: list[Laid] = field(default_factory=list)
    left: list[tuple[Matched, str]] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class _Way:
    """A way in which a render may take the place of an event."""

    item: Item
    off: frozenset[What]


def laid_in(
    document: Document,
    sequence: Sequence,
    matched: list[Matched],
    locate: Callable[[Media], Path | None],
    corrected: bool,
    progress: Progress,
) -> Rendered:
    """Put renders in place of their events; titles, sound, transitions, markers and notes stay what they
    were. Pictures that are a frame off are moved by that only if ``corrected``."""
    media, new = list(document.media), dict[str, Item]()
    ids = {one.id for one in media}
    frames = Frames()
    rows, left = [], []
    try:
        for number, one in enumerate(matched):
            progress(f"looking at {one.path.name}", number / len(matched))
            medium = _medium(one, ids)
            known = replace(document, media=(*document.media, medium))
            eye = _Eye(known, sequence, medium, locate, frames)
            way, doubled = _chosen(one, medium, eye)
            covered = eye.open(one.found.event.item) - eye.open(way)
            if covered > _COVERED:
                words = (
                    f"it covers {covered * 100:.0f} % of the frame that the clip leaves open; the clip stays"
                )
                left.append((one, words))
                continue
            media.append(medium)
            offset = eye.offset(one.found.event, way)
            if offset and corrected:
                late = exact(Fraction(way.source_in) + Fraction(sequence.rate.seconds(offset)))
                way = replace(way, source_in=max(0, late))
            new[one.found.event.item.id] = way
            rows.append(Laid(one, offset, doubled))
    finally:
        frames.close()
    tracks = tuple(
        replace(track, items=tuple(new.get(item.id, item) for item in track.items))
        if track.kind == "video"
        else track
        for track in sequence.tracks
    )
    made = replace(sequence, tracks=tracks)
    within = tuple(made if one.id == made.id else one for one in document.sequences)
    return Rendered(replace(document, media=tuple(media), sequences=within), made, rows, left)


def _above(sequence: Sequence, event: Event) -> bool:
    """Whether an event lies over something else."""
    item = event.item
    for label, track in sequence.labelled_tracks():
        if label == event.track:
            return False
        if track.kind == "video" and track.enabled:
            for other in track.items:
                if other.enabled and other.start < item.end and item.start < other.end:
                    return True
    return False


def _medium(one: Matched, ids: set[str]) -> Media:
    facts = one.facts
    key, number = "render", 2
    while key in ids:
        key, number = f"render-{number}", number + 1
    ids.add(key)
    rate = facts.frames_per_second
    return Media(
        key,
        one.path.name,
        str(one.path.resolve()),
        facts.reel or None,
        facts.start,
        facts.drop_frame,
        floor(rate.frames(facts.length or 0)) if rate is not None else None,
        rate,
        facts.width or None,
        facts.height or None,
        Fraction(facts.pixel_aspect) if facts.pixel_aspect not in ("", "1") else 1,
        facts.field_order or "progressive",
        video=True,
        alpha="straight" if facts.alpha else None,
    )


def _chosen(one: Matched, medium: Media, eye: _Eye) -> tuple[Item, tuple[Doubled, ...]]:
    """The way in which a render matches its event best, and what that leaves out."""
    event = one.found.event
    item, doubled = _best(event, _ways(one, medium, eye.sequence), eye)
    bare = _bare(item)
    told = eye.nearer(event, bare) if bare is not None else None
    if bare is not None and told is not None and told[0] < told[1] * _NEARER:
        colours = all(each.kind in _COLOURS for each in item.effects if each.enabled and is_drawn(each))
        words = f"{told[0] * 100:.1f} % from the clip with it, {told[1] * 100:.1f} % from the clip without"
        doubled.append(Doubled(What.COLOUR if colours else What.FILTER, words))
        item = bare
    return item, tuple(doubled)


def _best(event: Event, ways: list[_Way], eye: _Eye) -> tuple[Item, list[Doubled]]:
    """The way that is most like the event; the one with everything in it where the others are not clearly
    better, or nothing is to be seen by which to tell."""
    plain = ways[0]
    made = [Doubled(What.SPEED, "it is as long as the clip is in the cut")] if plain.off else []
    with_all = eye.alike(event, plain.item) if len(ways) > 1 else None
    if with_all is None:
        return plain.item, made
    fits = [(fit, way) for way in ways if (fit := eye.alike(event, way.item)) is not None]
    without, best = max(fits, key=lambda each: each[0])
    if without < with_all + _MORE:
        return plain.item, made
    words = f"matches {without:.3f} without it, {with_all:.3f} with it"
    found = [Doubled(what, words) for what in (What.MOTION, What.SPEED) if what in best.off - plain.off]
    return best.item, [*found, *made]


_COLOURS = ("primaries", "lut")


def _bare(item: Item) -> Item | None:
    """An item with the filters switched off that are drawn here; None where there are none."""
    effects = tuple(
        replace(one, enabled=False) if one.enabled and is_drawn(one) else one for one in item.effects
    )
    return replace(item, effects=effects) if effects != item.effects else None


def _ways(one: Matched, medium: Media, sequence: Sequence) -> list[_Way]:
    """The ways in which a render can take the place of its event: with its speed and sizing, or without."""
    found, event = one.found, one.found.event
    item = replace(event.item, content=MediaUse(medium.id), still=False)
    length = Fraction(one.facts.length or 0)
    spare = length - Fraction(sequence.rate.seconds(item.duration))
    middle = max(0, exact(floor(spare / 2 * sequence.rate.fps) / Fraction(sequence.rate.fps)))
    speeds: list[tuple[Item, frozenset[What]]] = []
    if item.speed == NORMAL and not event.item.still:
        speeds.append((replace(item, source_in=found.head), frozenset()))
    else:
        if found.by_source:
            speeds.append((replace(item, source_in=found.head), frozenset()))
        if spare >= 0:
            made = replace(item, source_in=middle if found.by_source else found.head, speed=NORMAL)
            retimed = item.speed != NORMAL
            speeds.append((made, frozenset({What.SPEED}) if retimed else frozenset()))
        if not speeds:
            speeds.append((replace(item, source_in=found.head), frozenset()))
    ways = []
    for one_speed, off in speeds:
        motion = one_speed.motion or Motion()
        kept = _resized(motion, event.media, medium)
        ways.append(_Way(replace(one_speed, motion=kept), off))
        neutral = replace(
            Motion(fit="none" if (medium.width, medium.height) == sequence.frame_size else "fit"),
            opacity=motion.opacity,
        )
        if neutral != kept:
            ways.append(_Way(replace(one_speed, motion=neutral), off | {What.MOTION}))
    return ways


def _resized(motion: Motion, before: Media, after: Media) -> Motion:
    """The sizing of a medium for one of another size: what is seen stays as large."""
    if motion.fit != "none" or not before.width or not before.height or not after.width or not after.height:
        return motion
    across, down = before.width / after.width, before.height / after.height
    if (across, down) == (1, 1):
        return motion
    curve = motion.scale

    def times(value: tuple[float, ...]) -> tuple[float, ...]:
        return value[0] * across, value[1] * down

    if not curve.keys:
        return replace(motion, scale=constant(*times(curve.value)))
    keys = tuple(Key(key.time, times(key.value), key.ease) for key in curve.keys)
    return replace(motion, scale=Curve(times(curve.value), keys, curve.domain))


Grey = NDArray[np.float32]
_LUMA = np.asarray([0.2126, 0.7152, 0.0722], np.float32)
"""BT.709."""


class _Eye:
    """Sees an event as it was, and as a render makes it."""

    def __init__(
        self,
        document: Document,
        sequence: Sequence,
        render: Media,
        locate: Callable[[Media], Path | None],
        frames: Frames,
    ) -> None:
        self.document, self.sequence = document, sequence

        def found(media: Media) -> Path | None:
            return Path(render.path or "") if media.id == render.id else locate(media)

        self._locate, self._frames = found, frames
        self._before: dict[tuple[str, int], NDArray[np.float32] | None] = {}

    def alike(self, event: Event, item: Item, shift: int = 0) -> float | None:
        """How well pictures correlate (1: but for brightness and contrast they are the same), the middle of
        several; None where they tell nothing."""
        found = []
        for frame in self._places(event):
            ours, theirs = self._was(event, frame - shift), self._picture(item, frame)
            if ours is not None and theirs is not None:
                score = _correlated(_grey(ours), _grey(theirs))
                if score is not None:
                    found.append(score)
        return float(np.mean(found)) if found else None

    def nearer(self, event: Event, bare: Item) -> tuple[float, float] | None:
        """How far a render is from an event as it was with its filters, and from it without, in parts of full
        scale: by what no correction of colours can make of the one out of the other, both ways; where
        that is next to nothing for either, by the colours as they are."""
        rest, straight = np.zeros(2), np.zeros(2)
        count = 0
        plain = replace(event, item=replace(_bare(event.item) or event.item, id=f"{event.item.id} plain"))
        for frame in self._places(event):
            pair = self._was(event, frame), self._was(plain, frame)
            theirs = self._picture(bare, frame)
            if pair[0] is None or pair[1] is None or theirs is None:
                continue
            count += 1
            for place, ours in enumerate(pair):
                assert ours is not None
                rest[place] += max(_left_over(ours, theirs), _left_over(theirs, ours))
                straight[place] += float(np.abs(ours - theirs).mean())
        if not count:
            return None
        told = (rest if rest.max() / count > _ALIKE else straight) / count
        return float(told[0]), float(told[1])

    def open(self, item: Item) -> float:
        """How much of the frame an item leaves open in its middle, from 0 to 1: where white beneath it makes
        a difference."""
        frame = floor(item.start + item.duration / Fraction(2))
        white = Generator("colour", color="#ffffffff")
        beneath = Item("white beneath", "", item.start, item.duration, white, motion=Motion())
        pair = [self._picture(item, frame), self._picture(item, frame, beneath)]
        if pair[0] is None or pair[1] is None:
            return 0.0
        return float((np.abs(pair[0] - pair[1]).max(axis=-1) > _SEEN).mean())

    def offset(self, event: Event, item: Item) -> int:
        """How many frames later the pictures of a render are; 0 where that is not sure."""
        fits = {shift: self.alike(event, item, shift) for shift in range(-_REACH, _REACH + 1)}
        known = {shift: fit for shift, fit in fits.items() if fit is not None}
        if 0 not in known:
            return 0
        best = max(known, key=lambda shift: (known[shift], -abs(shift)))
        return best if known[best] > known[0] + _SURE else 0

    def _places(self, event: Event) -> list[int]:
        item = event.item
        return list(dict.fromkeys(floor(item.start + item.duration * place) for place in _PLACES))

    def _was(self, event: Event, frame: int) -> NDArray[np.float32] | None:
        """The event as it was, alone; None where there is nothing of it at that frame, or its file is not
        there."""
        key = event.item.id, frame
        if key not in self._before:
            item = event.item
            inside = item.start <= frame < item.end
            self._before[key] = self._picture(item, frame) if inside else None
        return self._before[key]

    def _picture(self, item: Item, frame: int, beneath: Item | None = None) -> NDArray[np.float32] | None:
        alone = replace(
            self.sequence,
            tracks=(
                *([Track("video", (beneath,))] if beneath is not None else []),
                Track("video", (replace(item, blend="normal"),)),
            ),
            stated_duration=self.sequence.duration,
        )
        others = tuple(alone if one.id == alone.id else one for one in self.document.sequences)
        composer = Composer(replace(self.document, sequences=others), self._locate, self._frames)
        shot: Shot = composer.frame(alone, frame, _HEIGHT)
        return None if shot.missing else np.asarray(shot.picture[..., :3], np.float32)


def _left_over(one: NDArray[np.float32], other: NDArray[np.float32]) -> float:
    """What is left of a picture when another is brought as near to it as three colours mixed with an offset
    can."""
    known = np.concatenate(
        [one.reshape(-1, 3), np.ones((one.shape[0] * one.shape[1], 1), np.float32)], axis=1
    )
    wanted = other.reshape(-1, 3)
    mixed, *_ = np.linalg.lstsq(known, wanted, rcond=None)
    return float(np.sqrt(np.square(known @ mixed - wanted).mean()))


def _grey(picture: NDArray[np.float32]) -> Grey:
    return np.asarray(cv2.GaussianBlur(picture @ _LUMA, (0, 0), 1.0), np.float32)


def _correlated(ours: Grey, theirs: Grey) -> float | None:
    """The correlation of two pictures; None where one of them is flat."""
    a, b = ours - ours.mean(), theirs - theirs.mean()
    power = float(np.sqrt(np.square(a).mean() * np.square(b).mean()))
    return float((a * b).mean()) / power if power > _FLAT**2 else None
