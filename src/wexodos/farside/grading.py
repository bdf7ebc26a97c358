"""A grading room: it corrects every clip by a known correction and renders one file for each."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.farside.habits import Done, Habit
from wexodos.farside.losing import dissolved
from wexodos.farside.pictures import write_pictures
from wexodos.formats.numbering import pattern_of
from wexodos.ground import Progress, write_file
from wexodos.ground.names import safe_name
from wexodos.homecoming.events import Event, events
from wexodos.model import Document, Item, Media, MediaUse, Motion, Sequence, Title, Track
from wexodos.model.speed import NORMAL, Constant
from wexodos.picture import Composer, Frames
from wexodos.picture.filters import is_drawn
from wexodos.timing import Timecode, exact, floor

_QUARTER = 4
_MOST_BLACK = 50
"""Frames of black before a movie of the whole."""
_BACK = "grading-track-xml"


@dataclass(frozen=True, slots=True)
class Correction:
    """Slope, offset and power for red, green and blue, and saturation, as ASC CDL has them."""

    slope: tuple[float, float, float]
    offset: tuple[float, float, float]
    power: tuple[float, float, float]
    saturation: float

    def __call__(self, picture: NDArray[np.float32]) -> NDArray[np.uint8]:
        made = np.clip(picture * _row(self.slope) + _row(self.offset), 0, 1) ** _row(self.power)
        grey = (made @ np.asarray([0.2126, 0.7152, 0.0722], np.float32))[..., None]
        made = np.clip(grey + (made - grey) * self.saturation, 0, 1)
        return np.asarray(np.rint(made * 255), np.uint8)

    def __str__(self) -> str:
        three = [" ".join(f"{one:.3f}" for one in each) for each in (self.slope, self.offset, self.power)]
        return f"slope {three[0]} offset {three[1]} power {three[2]} saturation {self.saturation:.3f}"


def _row(values: tuple[float, float, float]) -> NDArray[np.float32]:
    return np.asarray(values, np.float32)


def correction(dice: random.Random) -> Correction:
    """A look nobody could take for none."""

    def three(low: float, high: float) -> tuple[float, float, float]:
        return dice.uniform(low, high), dice.uniform(low, high), dice.uniform(low, high)

    return Correction(three(0.85, 1.15), three(-0.03, 0.03), three(0.9, 1.15), dice.uniform(0.8, 1.2))


def grade(
    document: Document,
    sequence: Sequence,
    locate: Callable[[Media], Path | None],
    habits: set[Habit],
    seed: int,
    folder: Path,
    there: Path,
    progress: Progress,
) -> Done:
    """Render the clips of a cut into a folder that will be ``there``. Raises ``WriteError``."""
    dice = random.Random(seed)
    done, made, paces = Done(), dict[str, Media](), set[str]()
    shown = events(document, sequence)
    for event in shown:
        progress(f"grading {event.item.name}", event.number / (len(shown) + 1))
        look, late = correction(dice), dice.random() < 0.125 and Habit.FRAME_LATE in habits
        if dice.random() < 0.1 and Habit.SHOTS_MISSING in habits:
            done.add(event.item.id, "", "missing")
            continue
        if locate(event.media) is None:
            done.add(event.item.id, "", "missing", "its medium is not there")
            continue
        shot = _Shot(document, sequence, event, habits, dice.randint(4, 16))
        name = f"{shot.name}.mov"
        if Habit.SINGLE_PICTURES in habits:
            (folder / shot.name).mkdir()
            name = f"{shot.name}/{shot.name}.%04d.dpx"
        shot.write(folder / name, locate, look, int(late))
        made[event.item.id] = shot.medium(there / name)
        if shot.source:
            paces.add(event.item.id)
        done.files.append(name)
        done.add(event.item.id, name, "rendered", shot.handles)
        done.add(event.item.id, name, "correction", look)
        for what in shot.baked:
            done.add(event.item.id, name, "in it", what)
        if late:
            done.add(event.item.id, name, "late", 1)
    if Habit.ONE_MOVIE in habits:
        _whole(document, sequence, locate, habits, seed, folder, done, progress)
    if Habit.WITH_SEQUENCE in habits:
        data = _sequence(document, sequence, made, paces, habits, done)
        name = f"{safe_name(sequence.name)} graded.xml"
        write_file(folder / name, data)
        done.files.append(name)
    return done


class _Shot:
    """How one clip is rendered."""

    def __init__(
        self, document: Document, sequence: Sequence, event: Event, habits: set[Habit], handles: int
    ) -> None:
        self.document, self.sequence, self.event = document, sequence, event
        item = event.item
        self.source = Habit.SOURCE_SIZE in habits
        self.part = _QUARTER if Habit.SMALL in habits else 1
        speed = item.speed
        still = item.still or event.media.still
        # Speeds that vary, and what moves by keys, are rendered as long as the clip is.
        plain = isinstance(speed, Constant) and speed.rate > 0 and not still
        if self.source and not plain:
            self.source = False
        sizing = item.motion or Motion()
        moves = any(curve.keys for curve in sizing.curves.values()) or any(
            curve.keys for effect in item.effects for _, curve in effect.settings
        )
        count = floor(item.duration)
        if self.source:
            assert isinstance(speed, Constant)
            count = floor(item.duration * speed.rate)
            item = replace(item, speed=NORMAL, duration=count, effects=(), motion=Motion(fit="fit"))
        if Habit.NO_SIZING in habits and not self.source:
            item = replace(item, motion=Motion(fit="fit"))
        if Habit.NO_FILTERS in habits:
            item = replace(item, effects=())
        if item.motion is not None and not item.motion.opacity.keys:
            # What is seen through all along is put together elsewhere; a fade is in the picture.
            item = replace(item, motion=_opaque(item.motion))
        self.handles = 0
        if Habit.HANDLES in habits and plain and not (moves and not self.source):
            self.handles = min(handles, *self._room(item))
        rate = Fraction(item.speed.rate) if isinstance(item.speed, Constant) else Fraction(1)
        before = Fraction(sequence.rate.seconds(self.handles)) * rate
        self.item = replace(
            item,
            start=0,
            duration=count + 2 * self.handles,
            source_in=exact(Fraction(item.source_in) - before) if plain else item.source_in,
            blend="normal",
            enabled=True,
        )
        self.baked = self._baked(event.item)
        stem = safe_name(Path(event.media.file_name).stem)
        self.name = f"{stem}_{event.number:04d}"
        if Habit.NAMED_BY_EVENT in habits:
            self.name = f"{safe_name(sequence.name)}_{event.number:04d}"
        elif Habit.NAMED_BY_CLIP in habits:
            self.name = f"{safe_name(event.item.name)}_{event.number:04d}"

    def _room(self, item: Item) -> tuple[int, int]:
        """Frames of the source before the clip and behind it."""
        rate = Fraction(item.speed.rate) if isinstance(item.speed, Constant) else Fraction(1)
        media = self.event.media
        if media.duration is None or media.rate is None:
            return 0, 0
        frames = self.sequence.rate
        before = Fraction(item.source_in) / rate
        end = Fraction(item.source_in) + Fraction(frames.seconds(item.duration)) * rate
        behind = (Fraction(media.rate.seconds(media.duration)) - end) / rate
        return max(0, floor(frames.frames(exact(before)))), max(0, floor(frames.frames(exact(behind))))

    def _baked(self, item: Item) -> list[str]:
        """What of the cut is in the picture."""
        if self.source:
            return []
        found = []
        sized, own = _opaque(item.motion), _opaque(self.item.motion)
        frame = self.sequence.frame_size
        padded = sized.fit == "none" and (self.event.media.width, self.event.media.height) != frame
        if sized == own and (sized != Motion() or padded):
            found.append("motion")
        if item.motion is not None and self.item.motion is not None and self.item.motion.opacity.keys:
            found.append("fade")
        if item.speed != NORMAL:
            found.append("speed")
        if any(effect.enabled and is_drawn(effect) for effect in self.item.effects):
            found.append("filter")
        return found

    @property
    def size(self) -> tuple[int, int]:
        media = self.event.media
        wide, tall = self.sequence.frame_size
        if self.source and media.width and media.height:
            wide, tall = media.width, media.height
        if not self.source and self.part == 1:
            return wide, tall
        # Coders want even numbers; only the frame of a cut is taken as it is.
        return wide // (2 * self.part) * 2, tall // (2 * self.part) * 2

    @property
    def start(self) -> int | None:
        """The timecode of the first frame, in frames of the cut; None where the source says none."""
        media = self.event.media
        if media.start is None or media.rate is None or media.still:
            return None
        at = Fraction(media.rate.seconds(media.start)) + Fraction(self.item.source_in)
        return max(0, floor(self.sequence.rate.frames(exact(at))))

    def medium(self, path: Path) -> Media:
        """The render as a medium."""
        return Media(
            f"graded {path.stem}",
            path.name,
            str(path.resolve()),
            # Single pictures do not say where they begin.
            start=self.start if pattern_of(path.name) is None else None,
            drop_frame=self.sequence.drop_frame,
            duration=self.item.duration,
            rate=self.sequence.rate,
            width=self.size[0],
            height=self.size[1],
            video=True,
        )

    def write(self, path: Path, locate: Callable[[Media], Path | None], look: Correction, late: int) -> None:
        """Render the file. Raises ``WriteError``."""
        wide, tall = self.size
        count = floor(self.item.duration)
        alone = replace(
            self.sequence,
            width=wide * self.part,
            height=tall * self.part,
            pixel_aspect=1 if self.source else self.sequence.pixel_aspect,
            tracks=(Track("video", (self.item,)),),
            stated_duration=count,
            markers=(),
        )
        others = tuple(alone if one.id == alone.id else one for one in self.document.sequences)
        frames = Frames.in_order()
        composer = Composer(replace(self.document, sequences=others), locate, frames)
        start = self.start
        begins = Timecode(start, self.sequence.rate, self.sequence.drop_frame) if start is not None else None
        pictures = (
            look(composer.frame(alone, max(0, number - late), tall).picture[..., :3])
            for number in range(count)
        )
        try:
            write_pictures(path, self.sequence.rate, (wide, tall), begins, pictures)
        finally:
            frames.close()


def _whole(
    document: Document,
    sequence: Sequence,
    locate: Callable[[Media], Path | None],
    habits: set[Habit],
    seed: int,
    folder: Path,
    done: Done,
    progress: Progress,
) -> None:
    """Render the whole cut as one movie under one correction, behind some black. Raises ``WriteError``."""
    dice = random.Random(f"whole {seed}")
    look, lead = correction(dice), dice.randint(0, min(_MOST_BLACK, sequence.start))
    wide, tall = sequence.frame_size
    kept = [
        replace(track, items=tuple(one for one in track.items if not isinstance(one.content, Title)))
        for track in sequence.tracks
    ]
    titled = Habit.NO_TITLES not in habits
    shown = sequence if titled else replace(sequence, tracks=tuple(kept), stated_duration=sequence.duration)
    within = tuple(shown if one.id == shown.id else one for one in document.sequences)
    frames = Frames.in_order()
    composer = Composer(replace(document, sequences=within), locate, frames)

    def pictures() -> Iterator[NDArray[np.uint8]]:
        for _ in range(lead):
            yield np.zeros((tall, wide, 3), np.uint8)
        for number in range(floor(sequence.duration)):
            progress("rendering the whole", number / max(1, floor(sequence.duration)))
            yield look(composer.frame(shown, number, tall).picture[..., :3])

    name = f"{safe_name(sequence.name)} graded.mov"
    start = Timecode(sequence.start - lead, sequence.rate, sequence.drop_frame)
    try:
        write_pictures(folder / name, sequence.rate, (wide, tall), start, pictures())
    finally:
        frames.close()
    done.files.append(name)
    done.add("", name, "whole", lead)
    done.add("", name, "correction", look)
    done.add("", name, "titles in it", "yes" if titled else "no")


def _opaque(motion: Motion | None) -> Motion:
    """A sizing with nothing seen through it."""
    return replace(motion or Motion(), opacity=Motion().opacity)


def _sequence(
    document: Document,
    sequence: Sequence,
    made: dict[str, Media],
    paces: set[str],
    habits: set[Habit],
    done: Done,
) -> bytes:
    """The cut with its renders, as the room sends it back; ``paces`` are the items whose renders go at the
    pace of their source."""

    def placed(item: Item) -> Item | None:
        if isinstance(item.content, Title) and Habit.NO_TITLES in habits:
            done.add(item.id, "", "title left out")
            return None
        medium = made.get(item.id)
        if medium is None:
            return item
        speed = item.speed if item.id in paces else NORMAL
        pace = Fraction(speed.rate) if isinstance(speed, Constant) else Fraction(1)
        spare = max(Fraction(0), Fraction(medium.duration or 0) - Fraction(item.duration) * pace) / 2
        return replace(
            item,
            content=MediaUse(medium.id),
            source_in=sequence.rate.seconds(floor(spare)),
            speed=speed,
            motion=Motion(fit="fit"),
            effects=(),
            still=False,
        )

    tracks = []
    for track in sequence.tracks:
        if track.kind != "video":
            continue
        joins = (
            dissolved(track.transitions, done) if Habit.WIPES_TO_DISSOLVES in habits else track.transitions
        )
        items = tuple(new for item in track.items if (new := placed(item)) is not None)
        tracks.append(replace(track, items=items, transitions=joins))
    back = replace(sequence, tracks=tuple(tracks))
    within = tuple(back if one.id == back.id else one for one in document.sequences)
    whole = replace(document, sequences=within, media=(*document.media, *made.values()))
    return carry_over(whole, back, find_destination(_BACK)).data
