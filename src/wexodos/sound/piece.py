"""A piece of sound: a stretch of a medium that is written by itself."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path

from wexodos.formats.ascii_names import plain
from wexodos.ground.names import safe_name
from wexodos.model import Item, Media, Variable
from wexodos.model.speed import source_at
from wexodos.sound.decode import Facts
from wexodos.sound.stamps import Stamp, stamp_of
from wexodos.timing import Exact, Rate, exact

_CHANNEL = re.compile(r"(.+?)(?:-speed)?-\d{3,}\.A\d+", re.DOTALL)
"""What ``pieces``, ``varied`` and ``channel_name`` call a channel."""


@dataclass(frozen=True, slots=True)
class Ramp:
    """A changing speed, in frames of ``rate``, that begins ``lead`` seconds after a piece does."""

    speed: Variable
    rate: Rate
    lead: Exact


@dataclass(frozen=True, slots=True)
class Piece:
    """A stretch of a medium: ``start`` seconds into it, ``frames`` samples at ``rate``; ``channels`` of it
    are used.

    ``file`` is where its sound is, None where it was not found; ``origin`` the time of its first sample in
    samples since midnight. ``pace`` is the speed it is rendered at: then ``start`` is where it begins in the
    medium, backwards below 0; a ``ramp`` is rendered as it goes, its times counted from ``lead`` seconds
    after the first sample. ``stamp``: what the recorder said of itself.
    """

    id: str
    name: str
    media: str
    start: Exact
    frames: int
    rate: int
    channels: tuple[int, ...]
    file: Facts | None
    origin: int | None
    pace: Exact = 1
    stamp: Stamp | None = None
    ramp: Ramp | None = None

    @property
    def as_it_is(self) -> bool:
        """Whether it plays as it was recorded."""
        return self.pace == 1 and self.ramp is None


def stretch(item: Item, rate: Rate, joins: Mapping[Exact, object]) -> tuple[Exact, Exact]:
    """The stretch of the source, in seconds, that an item plays, transitions at its edges included."""
    before, after = joins.get(item.start), joins.get(item.end)
    low: Exact = getattr(before, "start", item.start) - item.start
    high: Exact = getattr(after, "end", item.end) - item.start
    times = [min(low, 0), max(high, item.duration)]
    if isinstance(item.speed, Variable):
        times += [point.time for point in item.speed.points if times[0] <= point.time <= times[1]]
    places = [source_at(item.speed, item.source_in, exact(time), rate)[0] for time in times]
    return min(places), max(places)


_LOGGED = {"SCENE": ("scene", "studio.scene"), "TAKE": ("shottake", "studio.shot")}
"""How the cut may call what iXML has a word for: the end of a key."""


def stamp_for(told: Facts | None, items: list[Item]) -> Stamp | None:
    """What the recorder said of itself; scene and take as they were logged in the cut where it did not."""
    if told is None:
        return None
    stamp = stamp_of(Path(told.path))
    known = dict(stamp.words) if stamp is not None else {}
    logged = {
        word: value
        for word, endings in _LOGGED.items()
        for item in items
        for key, value in item.metadata
        if word not in known and value and key.endswith(endings)
    }
    if not logged:
        return stamp
    return replace(stamp or Stamp(told.rate), words=(*known.items(), *logged.items()))


def stem_of(media: Media) -> str:
    """What the files of a medium's pieces begin with: plain letters that every system takes."""
    return safe_name(plain(media.file_name.rsplit(".", 1)[0], 40).strip(" .") or "sound")


def stem_within(name: str) -> str:
    """The other way: what a channel of a piece is made of, by its name; any other name as it is."""
    found = _CHANNEL.fullmatch(name)
    return found[1] if found is not None else name


def channel_name(piece: Piece, channel: int) -> str:
    """The name of the file or stream that holds a channel of a piece."""
    return f"{piece.name}.A{channel}"
