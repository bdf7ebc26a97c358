"""A cut whose media are the stretches that are used of them: it shows and plays what it did before."""

from __future__ import annotations

from dataclasses import replace

from wexodos.media.needs import media_of
from wexodos.model import Document, Item, MediaUse, Sequence, Track, Variable
from wexodos.sound.piece import stretch
from wexodos.timing import exact
from wexodos.turnover.trim.plan import Trim


def trimmed(document: Document, cuts: dict[str, list[Trim]], sound: bool) -> Document:
    """The document with the stretches for the media they are of; what is heard keeps its own where ``sound``
    is left as it is."""
    media = []
    for one in document.media:
        found = cuts.get(one.id)
        if found is None:
            media.append(one)
            continue
        if not sound:
            media.append(one)
        media += [trim.media for trim in found]
    sequences = tuple(_sequence(one, cuts, sound) for one in document.sequences)
    return replace(document, media=tuple(media), sequences=sequences)


def _sequence(sequence: Sequence, cuts: dict[str, list[Trim]], sound: bool) -> Sequence:
    tracks = tuple(
        _track(track, sequence, cuts) if sound or track.kind == "video" else track
        for track in sequence.tracks
    )
    return replace(sequence, tracks=tracks)


def _track(track: Track, sequence: Sequence, cuts: dict[str, list[Trim]]) -> Track:
    joins = {join.cut: join for join in track.transitions}
    items = []
    for item in track.items:
        used = [(key, offset) for key, offset in media_of(item, track.kind) if key in cuts]
        if not used:
            items.append(item)
            continue
        low, _ = stretch(item, sequence.rate, joins)
        found = cuts[used[0][0]]
        # What runs out before the first frame of a medium does so before its first stretch.
        items.append(_moved(item, next((one for one in reversed(found) if one.low <= low), found[0])))
    return replace(track, items=tuple(items))


def _moved(item: Item, trim: Trim) -> Item:
    assert isinstance(item.content, MediaUse)
    speed = item.speed
    if isinstance(speed, Variable):
        speed = Variable(
            tuple(replace(point, source=exact(point.source - trim.low)) for point in speed.points)
        )
    return replace(
        item,
        content=replace(item.content, media=trim.media.id),
        source_in=exact(item.source_in - trim.low),
        speed=speed,
    )
