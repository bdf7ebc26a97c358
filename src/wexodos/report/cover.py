"""The cover sheet of a package: what the people in the next room have to know before they open anything."""

from __future__ import annotations

from collections.abc import Sequence as Several
from dataclasses import dataclass
from importlib import resources
from typing import TypeAlias

import jinja2

from wexodos.carryover import Carried
from wexodos.carryover.grouping import Row, rows
from wexodos.ground.names import visible
from wexodos.model import Sequence
from wexodos.timing import Timecode, floor

ShotLine: TypeAlias = tuple[str, str, str, str, str, str]
_OWN_FACTS = ("begins at", "length")
"""What is said of each shot by itself."""


@dataclass(frozen=True, slots=True)
class CoverSequence:
    """What is said of one sequence: ``facts`` by name, ``tracks`` (label, name, stem, clips), what is to be
    done ``by_hand`` (when, what, what to do, minutes), what is ``baked`` (when, what), how to check
    ``sync``."""

    name: str
    file: str
    facts: tuple[tuple[str, str], ...]
    tracks: tuple[tuple[str, str, str, int], ...]
    minutes: float
    by_hand: tuple[tuple[str, str, str, float], ...]
    baked: tuple[tuple[str, str], ...]
    sync: str


@dataclass(frozen=True, slots=True)
class Cover:
    """What a cover sheet says: ``missing`` are the names of media that do not come along, ``made`` is the
    day, ``anew`` the media that were coded anew, and as what. ``shots`` are those that go one by one (name,
    clip, from, to, frames, handles): then ``sequences`` are only those with something to be done by hand,
    and ``facts`` are said once for all."""

    title: str
    destination: str
    contact: str
    missing: tuple[str, ...]
    made: str
    sequences: tuple[CoverSequence, ...]
    anew: tuple[tuple[str, str], ...] = ()
    shots: tuple[ShotLine, ...] = ()
    facts: tuple[tuple[str, str], ...] = ()


def cover(
    carried: Several[Carried],
    files: Several[str],
    contact: str,
    missing: Several[str],
    made: str,
    anew: Several[tuple[str, str]] = (),
    shots: Several[ShotLine] = (),
    title: str = "",
) -> Cover:
    """What is said of sequences that leave together; ``files`` are the names of their files, ``shots`` says
    that they are those of the cut ``title``, one by one."""
    told = tuple(_told(one, name) for one, name in zip(carried, files))
    alone = carried[0].sequence.name if len(carried) == 1 else f"{len(carried)} sequences"
    return Cover(
        f"{title}, {len(shots)} shots" if shots else alone,
        carried[0].destination.name,
        contact,
        tuple(missing),
        made,
        tuple(one for one in told if one.by_hand) if shots else told,
        tuple(anew),
        tuple(shots),
        tuple(one for one in told[0].facts if one[0] not in _OWN_FACTS) if shots else (),
    )


SHOT_HEADS = ("shot", "clip", "from", "to", "frames", "handles")


def as_page(told: Cover) -> bytes:
    """The cover sheet as a page."""
    text = (resources.files("wexodos.report") / "cover.html.j2").read_text(encoding="utf-8")
    page = jinja2.Environment(
        autoescape=True,
        trim_blocks=True,
        lstrip_blocks=True,
        finalize=lambda value: visible(value, True) if type(value) is str else value,
    ).from_string(text)
    return page.render(cover=told, heads=SHOT_HEADS).encode("utf-8", "replace")


def as_pdf(told: Cover) -> bytes:
    """The cover sheet as a PDF, A4; what makes it is loaded only when it is asked for, as it takes long."""
    from wexodos.report import cover_pdf

    return cover_pdf.as_pdf(told)


def _told(carried: Carried, file: str) -> CoverSequence:
    """What arrives, in words; what is to be done there counts from the cut that left."""
    sequence = carried.sequence
    arriving = carried.made.document.sequences_by_id.get(sequence.id, sequence)
    by_hand = [row for row in rows(carried.findings) if row.minutes > 0 and row.explained]
    baked = [row for row in rows(carried.findings) if row.fate.value == "baked"]

    def at(row: Row) -> str:
        return str(sequence.timecode(floor(row.start)))

    return CoverSequence(
        sequence.name,
        file,
        tuple(_facts(carried, arriving)),
        tuple(
            (label, track.name, track.role or "", len(track.items))
            for label, track in arriving.labelled_tracks()
        ),
        float(carried.minutes),
        tuple(
            (at(row), row.thing, row.do, float(row.minutes))
            for row in sorted(by_hand, key=lambda row: row.start)
        ),
        tuple((at(row), row.thing) for row in baked),
        _sync(arriving),
    )


def _facts(carried: Carried, sequence: Sequence) -> list[tuple[str, str]]:
    turnover = carried.destination.turnover
    wide, tall = sequence.frame_size
    found = [
        ("frame size", f"{wide}×{tall}"),
        ("rate", f"{sequence.rate.label()} fps, {'drop frame' if sequence.drop_frame else 'non-drop frame'}"),
        ("begins at", str(sequence.timecode(0))),
        ("length", f"{Timecode(sequence.duration, sequence.rate, sequence.drop_frame)}"),
        ("fields", sequence.field_order),
    ]
    if sequence.pixel_aspect != 1:
        found.append(("pixel aspect", str(sequence.pixel_aspect)))
    rate = turnover.sample_rate or sequence.sample_rate
    own = turnover.sound != "source"
    if rate:
        found.append(("sound", f"{rate} Hz, {turnover.bits} bits" if own else f"{rate} Hz"))
    if own:
        found.append(("handles", f"{turnover.handles:g} s on either side"))
    return found


def _sync(sequence: Sequence) -> str:
    """Where the first picture begins, by which sound and picture can be laid."""
    items = (item for track in sequence.video_tracks for item in track.items)
    first = min((item for item in items if item.enabled), key=lambda item: item.start, default=None)
    if first is None:
        return ""
    return f"{first.name or 'the first picture'} begins at {sequence.timecode(floor(first.start))}"
