"""What stands in a file and makes no sense: said with its place, never put right in silence.

A reader may take every element and still read it wrongly, and a file may be wrong itself. Both show in values
that no editor makes: a source range that its medium does not have, one clip many times faster in a row of
clips at normal speed, two items at one place of a track, one channel heard twice at once.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator
from dataclasses import replace

from wexodos.formats.placed import MOST, at
from wexodos.model import Constant, Document, Item, MediaUse, Note, Sequence, Track
from wexodos.model.speed import NORMAL, is_freeze, source_at

ODD_SPEED = 4.0
"""This many times faster, slower or the other way is noted where every other clip plays at normal speed: a
misread speed map is off by far more than a person's choice, which seldom stands alone."""
_ROUNDING = 1e-6  # seconds: times of hours as binary fractions
ROW = 5
"""Clips at normal speed that make a row in which one other stands out."""


def with_sense(document: Document) -> Document:
    """The document with a note on every value in it that makes no sense."""
    found = [note for sequence in document.sequences for note in _in_sequence(sequence, document)]
    if not found:
        return document
    kept: list[Note] = []
    for code, count in Counter(note.code for note in found).items():
        notes = [note for note in found if note.code == code][:MOST]
        if count > MOST:
            notes[-1] = replace(notes[-1], text=f"{notes[-1].text}; and {count - MOST} more like it")
        kept += notes
    return replace(document, notes=(*document.notes, *kept))


def _in_sequence(sequence: Sequence, document: Document) -> Iterator[Note]:
    for label, track in sequence.labelled_tracks():
        place = f"{sequence.id}/{label}"
        yield from _overlaps(track, place, sequence)
        for item in track.items:
            if isinstance(item.content, MediaUse):
                yield from _outside(item, place, sequence, document)
    yield from _odd_speed(sequence)
    yield from _heard_twice(sequence)


def _overlaps(track: Track, place: str, sequence: Sequence) -> Iterator[Note]:
    """Items are given as if there were no transitions, so on one track none begins before the last ends."""
    for before, after in zip(track.items, track.items[1:]):
        if after.start < before.end:
            text = f"{at(sequence, after)} begins before {before.name or 'the item before it'} ends"
            yield Note("warning", "overlap", f"{place}/{after.id}", text)


def _outside(item: Item, place: str, sequence: Sequence, document: Document) -> Iterator[Note]:
    """Beyond the medium by more than a frame: a frame is what rounding between two rates can make."""
    assert isinstance(item.content, MediaUse)
    media = document.media_by_id.get(item.content.media)
    if media is None or not media.duration or media.still or item.still:
        return
    if item.speed is not NORMAL and is_freeze(item.speed):
        return
    rate = media.rate or sequence.rate
    frame, own = rate.denominator / rate.numerator, sequence.rate.denominator / sequence.rate.numerator
    if item.speed is NORMAL:
        first = float(item.source_in)
        ends = [first, first + float(item.duration) * own]
    else:
        ends = [
            float(source_at(item.speed, item.source_in, time, sequence.rate)[0])
            for time in (0, item.duration)
        ]
    before, after = -min(ends), max(ends) - float(media.duration) * frame
    if max(before, after) > max(frame, own) + _ROUNDING:
        frames = round(max(before, after) / frame)
        side = "before the beginning" if before > after else "beyond the end"
        text = f"{at(sequence, item)} uses {frames} frames {side} of {media.name or 'its medium'}"
        yield Note("warning", "outside-medium", f"{place}/{item.id}", text)


def _odd_speed(sequence: Sequence) -> Iterator[Note]:
    clips = [
        (label, item)
        for label, track in sequence.labelled_tracks()
        for item in track.items
        if isinstance(item.content, MediaUse) and isinstance(item.speed, Constant) and item.speed.rate
    ]
    changed = [(label, item) for label, item in clips if abs(_rate(item) - 1) > 0.01]
    if len(clips) - len(changed) < ROW or len({item.link or item.id for _, item in changed}) != 1:
        return
    for label, item in changed:
        speed = _rate(item)
        if not 1 / ODD_SPEED <= abs(speed) <= ODD_SPEED:
            text = f"{at(sequence, item)} plays at {100 * speed:.4g} % and every other clip at 100 %"
            yield Note("warning", "odd-speed", f"{sequence.id}/{label}/{item.id}", text)


def _rate(item: Item) -> float:
    assert isinstance(item.speed, Constant)
    return float(item.speed.rate)


def _heard_twice(sequence: Sequence) -> Iterator[Note]:
    """The same channel of the same moment of a medium, in two items at once: heard 6 dB too loud."""
    heard: dict[tuple[object, int], list[tuple[str, Item]]] = defaultdict(list)
    for label, track in sequence.labelled_tracks():
        if track.kind != "audio" or not track.enabled:
            continue
        for item in track.items:
            if item.sound is None or not item.enabled or not isinstance(item.content, MediaUse):
                continue
            twice = [channel for channel, count in Counter(item.sound.channels).items() if count > 1]
            if twice:
                text = f"{at(sequence, item)} uses channel {twice[0]} of its medium twice"
                yield Note("warning", "channel-twice", f"{sequence.id}/{label}/{item.id}", text)
            for channel in dict.fromkeys(item.sound.channels):
                if channel not in item.sound.muted:
                    moment = (item.content, item.start, item.source_in, item.speed)
                    heard[moment, channel].append((label, item))
    said = set()
    for (_, channel), uses in heard.items():
        if len(uses) > 1 and uses[1][1].id not in said:
            (first, _), (label, item) = uses[:2]
            said.add(item.id)
            text = f"channel {channel} of {at(sequence, item)} is heard on {first} and on {label} at once"
            yield Note("warning", "channel-twice", f"{sequence.id}/{label}/{item.id}", text)
