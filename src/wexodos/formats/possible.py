"""Numbers that no medium and no place in one can have: a file is refused for those that would not even fit
into arithmetic, the others are taken for not said, with a note."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from typing import Any

from wexodos.formats.errors import ReadError
from wexodos.formats.limits import MOST_FILTERS, MOST_LINKED, MOST_MARKERS, MOST_PIECES, MOST_TRACKS
from wexodos.model import Angles, Document, Generator, Item, Media, MediaUse, Note, Sequence, Track, Variable
from wexodos.model.speed import source_at
from wexodos.timing import absolute

_MOST_CHANNELS, _MOST_SAMPLES, _FURTHEST = 1024, 10_000_000, 10**10


def refuse_impossible(document: Document) -> None:
    """Raise ``ReadError`` for numbers that no medium and no place in one can have: they would not even fit
    into arithmetic."""
    for media in document.media:
        wrong = (
            (media.channels or 0) > _MOST_CHANNELS
            or (media.sample_rate or 0) > _MOST_SAMPLES
            or max(absolute(media.duration or 0), abs(media.start or 0), media.width or 0, media.height or 0)
            > _FURTHEST
        )
        if wrong:
            raise ReadError(
                "its length, start, size, channels or sample rate is impossible", media.name or media.id
            )
    for sequence in document.sequences:
        if len(sequence.tracks) > MOST_TRACKS:
            raise ReadError(f"it has more than {MOST_TRACKS} tracks", sequence.name or sequence.id)
        if (sequence.sample_rate or 0) > _MOST_SAMPLES or max(sequence.frame_size) > _FURTHEST:
            raise ReadError("its frame size or sample rate is impossible", sequence.name or sequence.id)
        _refuse_crowd(sequence)
        linked = Counter(item.link for item in sequence.items() if item.link)
        if linked and max(linked.values()) > MOST_LINKED:
            raise ReadError(
                f"more than {MOST_LINKED} clips are linked to each other", sequence.name or sequence.id
            )
        for item in sequence.items():
            _refuse_crowd(item)
            if absolute(item.source_in) > _FURTHEST or absolute(item.start) > _FURTHEST:
                raise ReadError("its source lies impossibly far away", item.name or item.id)


def _refuse_crowd(thing: Item | Sequence) -> None:
    """Raise ``ReadError`` where more stands on one thing than anybody puts there."""
    filters = len(thing.effects) if isinstance(thing, Item) else 0
    for count, most, what in (
        (filters, MOST_FILTERS, "filters"),
        (len(thing.markers) if isinstance(thing, Item) else 0, MOST_MARKERS, "markers"),
        (len(thing.raw), MOST_PIECES, "elements that nobody knows"),
    ):
        if count > most:
            raise ReadError(f"more than {most} {what} stand on it", thing.name or thing.id)


_HOURS = 100
_DEEPEST = 128
_BLACK = "#000000ff"


def with_possible_values(document: Document) -> Document:
    """The document without values that cannot be, and with a note for each that was left out."""
    notes: list[Note] = []
    used = _used_channels(document)
    media = tuple(_medium(one, used.get(one.id, 0), notes) for one in document.media)
    sequences = tuple(
        replace(one, tracks=tuple(_track(track, one, notes) for track in one.tracks))
        for one in document.sequences
    )
    if not notes:
        return document
    return replace(document, media=media, sequences=sequences, notes=(*document.notes, *notes[:_MOST_NOTES]))


_MOST_NOTES = 40


def _used_channels(document: Document) -> dict[str, int]:
    """The highest channel that a cut uses of each medium."""
    found: dict[str, int] = {}
    for sequence in document.sequences:
        for item in sequence.items():
            made = item.content
            if item.sound is None or not isinstance(made, MediaUse | Angles):
                continue
            most = max((one for one in item.sound.channels if one <= _MOST_CHANNELS), default=0)
            heard = made if isinstance(made, MediaUse) else made.angle(made.audio)
            if heard is not None and heard.media is not None:
                found[heard.media] = max(most, found.get(heard.media, 0))
    return found


def _medium(one: Media, used: int, notes: list[Note]) -> Media:
    if one.channels is not None and 0 < one.channels < used:
        text = f"{one.name or 'a medium'} says its channels are {one.channels}, and channel {used} is used"
        notes.append(Note("warning", "impossible", one.id, f"{text}; it counts as having {used}"))
        one = replace(one, channels=used)
    wrong: dict[str, Any] = {}
    sides = (one.width, one.height)
    # Half a size is none.
    if sides != (None, None) and (None in sides or min(one.width or 0, one.height or 0) <= 0):
        wrong |= {"width": None, "height": None}
    for name, least, most in (
        ("channels", 0, _MOST_CHANNELS),
        ("sample_rate", 1, _MOST_SAMPLES),
        ("bit_depth", 1, _DEEPEST),
    ):
        value = getattr(one, name)
        if value is not None and not least <= value <= most:
            wrong[name] = None
    rate = one.rate
    if rate is not None and one.start is not None and absolute(rate.seconds(one.start)) >= _HOURS * 3600:
        wrong["start"] = None
    if not wrong:
        return one
    told = [name for name in wrong if getattr(one, name) is not None]
    words = ", ".join(f"{name.replace('_', ' ')} {getattr(one, name)}" for name in told)
    if told in (["width"], ["height"]):
        words += " alone"
    text = f"{one.name or 'a medium'} cannot have {words}; it counts as not said"
    notes.append(Note("warning", "impossible", one.id, text))
    return replace(one, **wrong)


def _track(track: Track, sequence: Sequence, notes: list[Note]) -> Track:
    items = tuple(_item(one, sequence, notes) for one in track.items)
    return replace(track, items=items) if any(a is not b for a, b in zip(items, track.items)) else track


def _item(one: Item, sequence: Sequence, notes: list[Note]) -> Item:
    def said(text: str) -> None:
        notes.append(Note("warning", "impossible", f"{sequence.id}/{one.id}", text))

    made = one.content
    if isinstance(made, Generator) and made.kind == "colour" and made.color is None:
        said(f"{one.name or 'a colour'} says no colour; it counts as black")
        return replace(one, content=replace(made, color=_BLACK))
    if isinstance(one.speed, Variable) and absolute(one.source_in) >= _HOURS * 3600:
        said(f"{one.name or 'an item'} cannot begin so far into its medium; it begins where its speed says")
        begins, _ = source_at(one.speed, 0, 0, sequence.rate)
        return replace(one, source_in=begins)
    sound = one.sound
    if sound is not None and any(not 0 < channel <= _MOST_CHANNELS for channel in sound.channels):
        wrong = [channel for channel in sound.channels if not 0 < channel <= _MOST_CHANNELS]
        said(f"{one.name or 'an item'} cannot use channel {wrong[0]} of its medium; it is left out")
        kept = tuple(channel for channel in sound.channels if channel not in wrong)
        muted = tuple(channel for channel in sound.muted if channel not in wrong)
        return replace(one, sound=replace(sound, channels=kept or (1,), muted=muted))
    return one
