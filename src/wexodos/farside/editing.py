"""An editing room: it takes a cut in, changes a few things, loses some others, and exports it again."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from wexodos.farside.habits import Done, Habit
from wexodos.farside.losing import sent_back, without
from wexodos.ground import Progress, write_file
from wexodos.ground.names import safe_name
from wexodos.model import Constant, Document, Item, Media, MediaUse, Sequence, Title, Track
from wexodos.model.speed import NORMAL
from wexodos.timing import exact, floor

_WORD = " again"
_SLOWER = Fraction(9, 10)
_Edit = Callable[["_Place", random.Random], tuple[Item | None, object] | None]


def edit(
    document: Document,
    sequence: Sequence,
    _locate: Callable[[Media], Path | None],
    habits: set[Habit],
    seed: int,
    folder: Path,
    _there: Path,
    progress: Progress,
) -> Done:
    """Edit a cut and write it into a folder. Raises ``WriteError``."""
    progress("editing", 0.0)
    dice, done = random.Random(seed), Done()
    known = document.media_by_id
    edited = without(sequence, habits, done)
    touched = {one.item_id for one in done.truth}
    tracks = [_changed(track, known, sequence, habits, dice, done, touched) for track in edited.tracks]
    edited = replace(edited, tracks=tuple(tracks), stated_duration=sequence.duration)
    if Habit.INSERTED in habits:
        count = floor(sequence.rate.frames(1))
        edited = _later(edited, count)
        done.add("", "", "inserted", count)
    data, suffix = sent_back(document, edited)
    name = f"{safe_name(sequence.name)} edited{suffix}"
    write_file(folder / name, data)
    done.files.append(name)
    return done


class _Place:
    """An item on its track: what lies around it, and what its medium has."""

    def __init__(self, track: Track, number: int, media: dict[str, Media], sequence: Sequence) -> None:
        self.track, self.item, self.sequence = track, track.items[number], sequence
        content = self.item.content
        self.medium = media.get(content.media or "") if isinstance(content, MediaUse) else None
        following = track.items[number + 1].start if number + 1 < len(track.items) else sequence.duration
        self.room = floor(following - self.item.end)
        cuts = {one.cut for one in track.transitions}
        self.alone = self.item.start not in cuts and self.item.end not in cuts

    @property
    def plain(self) -> bool:
        """Whether it is a clip that plays as it is, with no transition at its ends."""
        item = self.item
        moving = self.medium is not None and not self.medium.still and not item.still
        return self.alone and moving and item.speed == NORMAL

    @property
    def spare(self) -> int:
        """Frames of the cut that its medium has behind what is used."""
        medium, rate = self.medium, self.sequence.rate
        if medium is None or medium.duration is None or medium.rate is None:
            return 0
        end = Fraction(self.item.source_in) + Fraction(rate.seconds(self.item.duration))
        return floor(rate.frames(exact(Fraction(medium.rate.seconds(medium.duration)) - end)))


def _moved(place: _Place, dice: random.Random) -> tuple[Item, object] | None:
    if not place.alone or place.room < 2 or place.track.kind != "video":
        return None
    by = dice.randint(1, min(12, place.room - 1))
    return replace(place.item, start=place.item.start + by), by


def _trimmed(place: _Place, dice: random.Random) -> tuple[Item, object] | None:
    by = dice.randint(2, 12)
    if not place.plain or place.item.duration <= 2 * by:
        return None
    return replace(place.item, duration=place.item.duration - by), by


def _slipped(place: _Place, dice: random.Random) -> tuple[Item, object] | None:
    if not place.plain or place.spare < 2:
        return None
    by = dice.randint(1, min(20, place.spare))
    item = place.item
    return replace(item, source_in=exact(item.source_in + Fraction(place.sequence.rate.seconds(by)))), by


def _retimed(place: _Place, _dice: random.Random) -> tuple[Item, object] | None:
    return (replace(place.item, speed=Constant(_SLOWER)), _SLOWER) if place.plain else None


def _retitled(place: _Place, _dice: random.Random) -> tuple[Item, object] | None:
    content = place.item.content
    if not isinstance(content, Title) or not content.words_known or not content.runs:
        return None
    last = content.runs[-1]
    runs = (*content.runs[:-1], replace(last, text=last.text + _WORD))
    # What it was word for word would say the old words.
    return replace(place.item, content=replace(content, runs=runs, raw=())), content.words + _WORD


def _removed(place: _Place, _dice: random.Random) -> tuple[None, object] | None:
    return (None, "") if place.alone else None


def _unmuted(place: _Place, _dice: random.Random) -> tuple[Item, object] | None:
    item = place.item
    if item.sound is None or (item.enabled and not item.sound.muted):
        return None
    return replace(item, enabled=True, sound=replace(item.sound, muted=())), ""


_EDITS: dict[Habit, tuple[float, _Edit]] = {
    Habit.UNMUTED: (1.0, _unmuted),
    Habit.RETITLED: (1 / 3, _retitled),
    Habit.MOVED: (0.1, _moved),
    Habit.TRIMMED: (0.1, _trimmed),
    Habit.SLIPPED: (0.1, _slipped),
    Habit.RETIMED: (0.1, _retimed),
    Habit.REMOVED: (1 / 15, _removed),
}
"""How often a thing is changed so, and how."""


def _changed(
    track: Track,
    media: dict[str, Media],
    sequence: Sequence,
    habits: set[Habit],
    dice: random.Random,
    done: Done,
    touched: set[str],
) -> Track:
    """A track after its edits: at most one for each item, none where something was lost already."""

    def items() -> Iterator[Item]:
        for number, item in enumerate(track.items):
            place, now = _Place(track, number, media, sequence), item
            for habit, (often, way) in _EDITS.items():
                if habit not in habits or item.id in touched or dice.random() >= often:
                    continue
                made = way(place, dice)
                if made is None:
                    continue
                touched.add(item.id)
                done.add(item.id, "", habit.value, made[1])
                if made[0] is None:
                    break
                now = made[0]
            else:
                yield now

    return replace(track, items=tuple(items()))


def _later(sequence: Sequence, by: int) -> Sequence:
    """A cut with time inserted at its head."""

    def moved(track: Track) -> Track:
        items = tuple(replace(one, start=one.start + by) for one in track.items)
        joins = tuple(replace(one, start=one.start + by, cut=one.cut + by) for one in track.transitions)
        return replace(track, items=items, transitions=joins)

    return replace(
        sequence,
        tracks=tuple(map(moved, sequence.tracks)),
        markers=tuple(replace(one, start=one.start + by) for one in sequence.markers),
        stated_duration=sequence.duration + by,
    )
