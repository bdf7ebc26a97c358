"""A finishing room: it links the media of a cut, says which it has, and forces the cut into its own frame."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from wexodos.farside.habits import Done, Habit
from wexodos.farside.losing import sent_back, without
from wexodos.ground import Progress, write_file
from wexodos.ground.names import safe_name, table_bytes
from wexodos.homecoming.events import events
from wexodos.model import Document, Item, Media, Motion, Sequence, Title
from wexodos.timing import floor

_FRAMES = ((1920, 1080), (2048, 1080))
"""The room's own frame; the other one where the cut has that already."""


def finish(
    document: Document,
    sequence: Sequence,
    locate: Callable[[Media], Path | None],
    habits: set[Habit],
    seed: int,
    folder: Path,
    _there: Path,
    progress: Progress,
) -> Done:
    """Link a cut, write the list of its events and the cut into a folder. Raises ``WriteError``."""
    progress("finishing", 0.0)
    dice, done = random.Random(seed), Done()
    name = safe_name(sequence.name)
    gone = {
        media.id
        for media in document.media
        if locate(media) is None or (Habit.MEDIA_MISSING in habits and dice.random() < 1 / 6)
    }
    rows: list[tuple[object, ...]] = [("Event", "Track", "From", "Until", "Clip", "Source", "State")]
    for event in events(document, sequence):
        item, missing = event.item, event.media.id in gone
        times = [str(sequence.timecode(floor(at))) for at in (item.start, item.end)]
        state = "missing" if missing else "linked"
        rows.append((event.number, event.track, *times, item.name, event.media.file_name, state))
        if missing:
            done.add(item.id, "", "missing", event.media.file_name)
    finished = without(sequence, habits, done)
    if Habit.RESIZED in habits:
        finished = _resized(finished, done)
    if Habit.FIRST_SOUND_LOST in habits:
        finished = _without_first_sound(finished, done)
    data, suffix = sent_back(document, finished)
    for file, made in ((f"{name} events.csv", table_bytes(rows)), (f"{name} finished{suffix}", data)):
        write_file(folder / file, made)
        done.files.append(file)
    return done


def _resized(sequence: Sequence, done: Done) -> Sequence:
    """A cut in the room's own frame, every picture fitted into it, words where they stood in the old one."""
    before = sequence.frame_size
    wide, tall = next(one for one in _FRAMES if one != before)
    done.add("", "", "resized", f"{wide}x{tall}")

    def fitted(item: Item) -> Item:
        content = item.content
        if isinstance(content, Title):
            across, down = content.origin
            origin = across * wide / before[0], down * tall / before[1]
            return replace(item, content=replace(content, origin=origin))
        return replace(item, motion=Motion(fit="fit")) if item.motion is not None else item

    tracks = tuple(
        replace(track, items=tuple(map(fitted, track.items))) if track.kind == "video" else track
        for track in sequence.tracks
    )
    return replace(sequence, width=wide, height=tall, pixel_aspect=1, tracks=tracks)


def _without_first_sound(sequence: Sequence, done: Done) -> Sequence:
    first = next((track for track in sequence.audio_tracks if track.items), None)
    for item in first.items if first is not None else ():
        done.add(item.id, "", "sound lost", item.name)
    tracks = tuple(
        replace(track, items=(), transitions=()) if track is first else track for track in sequence.tracks
    )
    return replace(sequence, tracks=tracks)
