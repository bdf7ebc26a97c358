"""The events of a cut: the clips of its pictures that can be rendered, and what they are known by."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from types import MappingProxyType

from wexodos.model import Document, Item, Media, MediaUse, Sequence
from wexodos.model.speed import Constant
from wexodos.timing import Exact, exact


@dataclass(frozen=True, slots=True)
class Event:
    """A clip of the cut's pictures that can be rendered: its track, its number among all, counted from 1 in
    the order of time, and its medium; what it was called where it left as a shot by itself."""

    item: Item
    track: str
    number: int
    media: Media
    shot: str = ""

    @property
    def source(self) -> str:
        """The name of its medium's file without the suffix."""
        return Path(self.media.file_name).stem

    @property
    def names(self) -> tuple[str, str, str]:
        """The names it goes by."""
        return self.source, self.item.id, self.item.name

    @property
    def source_seconds(self) -> Exact:
        """Where it begins in the timecode of its source, in seconds."""
        media = self.media
        zero = media.rate.seconds(media.start or 0) if media.rate is not None else 0
        return exact(Fraction(zero) + Fraction(self.item.source_in))

    @property
    def speed(self) -> Fraction:
        """How much of its source it shows in a second, at the most of what it shows."""
        speed = self.item.speed
        return max(Fraction(0), Fraction(speed.rate)) if isinstance(speed, Constant) else Fraction(1)

    @property
    def slowest(self) -> Fraction:
        """The least of its length that a render of it must have: it may be of the source before its speed."""
        return min(Fraction(1), self.speed) if self.speed else Fraction(0)


def events(
    document: Document, sequence: Sequence, shots: Mapping[str, str] = MappingProxyType({})
) -> list[Event]:
    """The clips of a cut's pictures, in the order of time; ``shots`` are the names of shots by their
    items."""
    media = document.media_by_id
    found = []
    for label, track in sequence.labelled_tracks():
        if track.kind != "video" or not track.enabled:
            continue
        for item in track.items:
            content = item.content
            used = media.get(content.media) if isinstance(content, MediaUse) else None
            if used is not None and not used.synthetic and item.enabled:
                found.append((item.start, label, item, used))
    found.sort(key=lambda one: (one[0], one[1]))
    return [
        Event(item, label, place, used, shots.get(item.id, ""))
        for place, (_, label, item, used) in enumerate(found, 1)
    ]


def plain(name: str) -> str:
    """The words of a name, whatever stands between them."""
    return re.sub(r"[^a-z0-9]+", " ", name.casefold()).strip()


def is_in(words: str, name: str) -> bool:
    """Whether a name holds words, whatever stands between them."""
    wanted = plain(words)
    return bool(wanted) and f" {wanted} " in f" {plain(name)} "
