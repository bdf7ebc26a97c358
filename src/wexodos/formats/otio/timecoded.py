"""Media of which a timeline says neither where they begin nor how long they are: ranges are timecode."""

from __future__ import annotations

from dataclasses import replace

from wexodos.model import Constant, Document, Item, MediaUse, Sequence, Variable
from wexodos.timing import Exact, Rate, exact, floor

FIRST_CODE = 3600
"""In seconds: hardly anybody cuts into a medium an hour from its beginning, or has timecode before one."""


def timecoded(document: Document, unsaid: set[str]) -> Document:
    """The document with a beginning for the media of these ids that are used from an hour on only: the
    earliest frame in use. Their items count from there."""
    first: dict[str, tuple[Exact, Rate]] = {}
    for sequence in document.sequences:
        for item in sequence.items():
            if isinstance(item.content, MediaUse) and item.content.media in unsaid and not item.still:
                low = _lowest(item, sequence.rate)
                known = first.get(item.content.media)
                if known is None or low < known[0]:
                    first[item.content.media] = low, known[1] if known is not None else sequence.rate
    starts = {key: (floor(rate.frames(low)), rate) for key, (low, rate) in first.items() if low >= FIRST_CODE}
    if not starts:
        return document

    def counted(item: Item) -> Item:
        found = starts.get(item.content.media) if isinstance(item.content, MediaUse) else None
        if found is None:
            return item
        return replace(item, source_in=exact(item.source_in - found[1].seconds(found[0])))

    def moved(sequence: Sequence) -> Sequence:
        tracks = tuple(replace(track, items=tuple(map(counted, track.items))) for track in sequence.tracks)
        return replace(sequence, tracks=tracks)

    media = tuple(
        replace(one, start=starts[one.id][0], rate=starts[one.id][1]) if one.id in starts else one
        for one in document.media
    )
    return replace(document, media=media, sequences=tuple(map(moved, document.sequences)))


def _lowest(item: Item, rate: Rate) -> Exact:
    """The earliest second of its source that an item shows."""
    if isinstance(item.speed, Variable):
        return min(point.source for point in item.speed.points)
    pace = item.speed.rate if isinstance(item.speed, Constant) else 1
    return min(item.source_in, exact(item.source_in + pace * rate.seconds(item.duration)))
