"""What the ledger shows: pairs of half rows, as arrays that can be searched fast. No Qt here."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from wexodos.model import Constant, Curve, Document, Item, Media, MediaUse, Sequence, Track


@dataclass(frozen=True, slots=True)
class Wave:
    """Where the sound of an item comes from: what its file is known by, the surest first, its channel (from
    1), the second of it at the item's start, and how many seconds of it a frame takes (less than 0
    backwards)."""

    names: tuple[str, str]
    channel: int
    start: float
    step: float


@dataclass(slots=True)
class Half:
    """One half row: items in the order of their start. ``starts`` and ``ends`` in frames, shape (n,)."""

    starts: NDArray[np.float64]
    ends: NDArray[np.float64]
    reach: NDArray[np.float64]
    names: list[str]
    ids: list[str]
    enabled: list[bool]
    fates: list[str]
    levels: dict[int, Curve] = field(default_factory=dict)
    joins: list[tuple[float, float]] = field(default_factory=list)
    waves: dict[int, Wave] = field(default_factory=dict)

    def visible(self, low: float, high: float) -> tuple[int, int]:
        """The index range of items that may touch ``[low, high)``."""
        first = int(np.searchsorted(self.reach, low, side="right"))
        return first, int(np.searchsorted(self.starts, high, side="left"))

    def at(self, frame: float) -> int | None:
        """The item at a frame."""
        first, last = self.visible(frame, frame + 1e-6)
        for index in range(last - 1, first - 1, -1):
            if self.starts[index] <= frame < self.ends[index]:
                return index
        return None


@dataclass(slots=True)
class Row:
    """A track: above as it was, below as it arrives."""

    label: str
    name: str
    kind: str
    top: Half
    bottom: Half


@dataclass(frozen=True, slots=True)
class Mark:
    """Something to be seen on the seam: a fate at a place. ``key`` leads back to the finding or
    difference."""

    key: str
    row: int
    start: float
    stop: float
    fate: str


@dataclass(slots=True)
class LedgerData:
    """Everything at once. ``single`` rows have an upper half only.

    ``threads`` are (row above, row below, frame) of items that change track. Frame n of the cut before stands
    at n + ``ahead``, of the cut after at n + ``lead``.
    """

    rows: list[Row] = field(default_factory=list)
    marks: list[Mark] = field(default_factory=list)
    threads: list[tuple[int, int, float]] = field(default_factory=list)
    length: float = 0.0
    timecode: Callable[[int], str] = str
    single: bool = False
    cuts: NDArray[np.float64] = field(default_factory=lambda: np.zeros(0))
    ahead: int = 0
    lead: int = 0

    def row_of(self, label: str) -> int | None:
        return next((place for place, row in enumerate(self.rows) if row.label == label), None)


_EMPTY = np.zeros(0)


def empty_half() -> Half:
    return Half(_EMPTY, _EMPTY, _EMPTY, [], [], [], [])


def named(media: Media) -> tuple[str, str]:
    """What the waveform of a medium is known by: its path, and its file's name wherever it stands."""
    return media.path or "", media.file_name.lower()


def waves_of(track: Track, sequence: Sequence, document: Document | None) -> dict[int, Wave]:
    """The sources of a sound track's items, as far as they play at one speed."""
    found: dict[int, Wave] = {}
    known = document.media_by_id if document is not None and track.kind == "audio" else {}
    for place, item in enumerate(track.items if known else ()):
        media = known.get(item.content.media) if isinstance(item.content, MediaUse) else None
        if media is not None and isinstance(item.speed, Constant):
            channel = item.sound.channels[0] if item.sound is not None and item.sound.channels else 1
            step = float(item.speed.rate) / float(sequence.rate.fps)
            found[place] = Wave(named(media), channel, float(item.source_in), step)
    return found


def half_of(
    track: Track | None,
    fate_of: Callable[[Item], str],
    sequence: Sequence,
    document: Document | None = None,
    by: int = 0,
) -> Half:
    """Turn a track into a half row that stands ``by`` frames later."""
    if track is None or not track.items:
        return empty_half()
    starts = np.array([float(item.start) for item in track.items]) + by
    ends = np.array([float(item.end) for item in track.items]) + by
    levels = {
        place: item.sound.level
        for place, item in enumerate(track.items)
        if item.sound is not None and item.sound.level.animated
    }
    return Half(
        starts,
        ends,
        np.maximum.accumulate(ends),
        [item.name or item.kind for item in track.items],
        [item.id for item in track.items],
        [item.enabled and track.enabled for item in track.items],
        [fate_of(item) for item in track.items],
        levels,
        [(float(one.start) + by, float(one.end) + by) for one in track.transitions],
        waves_of(track, sequence, document),
    )


def build(
    before: Sequence,
    after: Sequence | None,
    fate_before: Callable[[Item], str] = lambda _item: "",
    fate_after: Callable[[Item], str] = lambda _item: "",
    partners: Iterable[tuple[str, str, float]] = (),
    sources: tuple[Document | None, Document | None] = (None, None),
    shift: int = 0,
) -> LedgerData:
    """Lay two sequences over one another, picture tracks from the top down, then sound.

    ``partners`` are (track before, track after, frame) of items that stand on another track afterwards;
    ``sources`` the documents that say where the sound of either comes from. Frame n of ``before`` is n +
    ``shift`` of ``after``; they stand over one another.
    """
    ahead, lead = max(0, shift), max(0, -shift)
    old = dict(before.labelled_tracks())
    new = dict(after.labelled_tracks()) if after is not None else {}
    labels = sorted(
        {*old, *new},
        key=lambda label: (label[0] == "A", int(label[1:]) if label[0] == "A" else -int(label[1:])),
    )
    rows = []
    for label in labels:
        track = old.get(label) or new.get(label)
        name = (track.name or track.stem or "") if track is not None else ""
        rows.append(
            Row(
                label,
                name,
                "video" if label[0] == "V" else "audio",
                half_of(old.get(label), fate_before, before, sources[0], ahead),
                half_of(new.get(label), fate_after, after, sources[1], lead)
                if after is not None
                else empty_half(),
            )
        )
    length = max(before.duration + ahead, after.duration + lead if after is not None else 0)
    # Where the cut has moved, what counts is the timecode it goes with.
    clock, zero = (after, lead) if after is not None and shift else (before, ahead)
    data = LedgerData(
        rows,
        length=float(length),
        timecode=lambda frame: str(clock.timecode(frame - zero)),
        single=after is None,
        ahead=ahead,
        lead=lead,
    )
    data.cuts = (
        np.unique(np.concatenate([np.concatenate([row.top.starts, row.top.ends]) for row in rows]))
        if rows
        else _EMPTY
    )
    places = {row.label: place for place, row in enumerate(rows)}
    data.threads = [
        (places[one], places[other], frame + ahead)
        for one, other, frame in partners
        if one in places and other in places
    ]
    return data
