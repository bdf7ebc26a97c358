"""What is in a package: the sequences, their media, and papers for the people there."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from fractions import Fraction
from pathlib import Path

from wexodos.carryover import Carried, Options, as_one
from wexodos.destinations import Destination
from wexodos.formats import FORMATS, WriteError
from wexodos.ground import Progress
from wexodos.ground.names import safe_name, table_bytes
from wexodos.media import Row, needs
from wexodos.model import Document, Sequence
from wexodos.report import render
from wexodos.report.cover import cover
from wexodos.tidy import Render
from wexodos.tidy.workshop import Workshop
from wexodos.turnover.package.burnt import Burn
from wexodos.turnover.package.guide import Mix, guide_parts
from wexodos.turnover.package.make import Copy, copies
from wexodos.turnover.package.movie import Codec, Reference, reference_parts
from wexodos.turnover.package.places import Here, Places, moved, places_of
from wexodos.turnover.pull import as_csv, pulls
from wexodos.turnover.run import Turned, prepared
from wexodos.turnover.several import REPORTS, report_on, stems
from wexodos.turnover.write import Part

PAPERS = "Papers"
_HANDLES = 1
"""Seconds on either side in the pull list where the destination says nothing of handles."""


@dataclass(frozen=True, slots=True)
class Leaving:
    """A sequence that goes into a package: its document with the media found and tidied, those media, what
    has to be rendered for it and where the tables lie it is seen through."""

    document: Document
    sequence: Sequence
    rows: list[Row]
    renders: list[Render] = field(default_factory=list)
    tables: dict[str, Path] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Wanted:
    """How a package is wanted: ``there`` is where it will stand on the other machine, ``media`` whether
    files come along or only a list of them, ``mix`` in which form the guide mix does, ``picture`` how the
    reference picture is coded, ``height`` pixels high with ``burns`` in it, ``papers`` whether papers come
    along; ``contact`` whom to ask."""

    there: str
    media: bool = True
    mix: Mix = Mix.NONE
    picture: Codec = Codec.NONE
    height: int = 540
    burns: tuple[Burn, ...] = ()
    papers: bool = True
    contact: str = ""


@dataclass(frozen=True, slots=True)
class Contents:
    """The parts and copies in the order in which they are written, what became of each sequence, and the
    media that are not there. ``turned`` holds on to what was made for it."""

    parts: list[Part | Copy]
    turned: list[Turned]
    missing: list[str]

    @property
    def carried(self) -> list[Carried]:
        return [one.carried for one in self.turned]

    @property
    def size(self) -> int:
        return sum(one.bytes for one in self.parts)


def missing_from(leaving: list[Leaving]) -> list[str]:
    """The names of media that no file was found for, each once."""
    return list(dict.fromkeys(row.media.file_name for one in leaving for row in one.rows if row.path is None))


def contents(
    leaving: list[Leaving],
    destination: Destination,
    source: Path,
    wanted: Wanted,
    options: Options,
    moment: datetime,
    progress: Progress,
) -> Contents:
    """Carry the sequences over with their media where they will be, and list all that goes along. Raises
    ``WriteError`` and ``Cancelled``; writes nothing."""
    places = places_of(row for one in leaving for row in one.rows) if wanted.media else Places()
    names = stems([one.sequence for one in leaving])
    suffix = FORMATS[destination.format].suffix
    turned: list[Turned] = []
    used: dict[str, None] = {}
    mixes: list[Part] = []
    for one in leaving:
        document = moved(one.document, places, wanted.there)
        here = Here(source, document, places, one.tables)
        sequence = document.sequences_by_id[one.sequence.id]
        path = Path(wanted.there) / f"{names[one.sequence.id]}{suffix}"
        made = prepared(
            document,
            sequence,
            destination,
            source,
            path,
            options,
            progress,
            renders=one.renders,
            tables=one.tables,
            finder=here,
        )
        beside = any("/" in part.name for each in made for part in each.parts)
        if beside and not wanted.there.startswith("/"):
            words = "sound and renders that lie beside the sequence cannot be named at a place of that kind"
            raise WriteError(f"{wanted.there}: {words}; give one that begins with /")
        turned += made
        shop = Workshop(one.renders, here)
        mixes += guide_parts(one.document, one.sequence, shop, wanted.mix)
        seen = Reference(one.document, one.sequence, shop, wanted.picture, wanted.height, wanted.burns)
        mixes += reference_parts(seen)
        for each in made:
            for cut in each.carried.made.document.sequences:
                used |= {need.media.id: None for need in needs(each.carried.made.document, cut)}
    parts: list[Part | Copy] = [part for each in turned for part in each.parts]
    parts += [*mixes, *copies(places.of(used))]
    missing = missing_from(leaving)
    if wanted.papers:
        parts += _papers(leaving, turned, places, set(used), source, wanted, missing, moment)
    return Contents(parts, turned, missing)


def _papers(
    leaving: list[Leaving],
    turned: list[Turned],
    places: Places,
    used: set[str],
    source: Path,
    wanted: Wanted,
    missing: list[str],
    moment: datetime,
) -> list[Part]:
    carried = as_one([one.carried for one in turned])
    files = [one.path.name for one in turned]
    title = safe_name(leaving[0].sequence.name if len(leaving) == 1 else source.stem)
    told = report_on([(one.carried, [part.name for part in one.parts]) for one in turned], str(source))
    day = f"{moment:%Y-%m-%d}"
    sheet = cover(carried, files, wanted.contact, missing, day)
    parts = [Part(f"{PAPERS}/{title} cover sheet.html", "cover sheet", sheet)]
    parts += [
        Part(f"{PAPERS}/{title} report{suffix}", REPORTS[suffix], render(told, suffix))
        for suffix in (".html", ".pdf", ".csv")
    ]
    for one in leaving:
        handles = Fraction(turned[0].carried.destination.turnover.handles or _HANDLES)
        rows = pulls(one.document, one.sequence, handles)
        stem = safe_name(one.sequence.name)
        parts.append(Part(f"{PAPERS}/{stem} pull list.csv", "pull list", as_csv(rows)))
    parts.append(Part(f"{PAPERS}/{title} media list.csv", "media list", _media_list(leaving, places, used)))
    return parts


def _media_list(leaving: list[Leaving], places: Places, used: set[str]) -> bytes:
    """All media with their reel, timecode, length, where they are here, and those that are ``used`` there in
    the package."""
    known: dict[str, Row] = {}
    for one in leaving:
        for row in one.rows:
            known.setdefault(row.media.id, row)
    lines = []
    for key, row in known.items():
        media, facts = row.media, row.facts
        start = media.timecode(0)
        size = sum(place.stat().st_size for place, _ in places.files.get(key, ()))
        lines.append(
            (
                media.file_name,
                media.reel or "",
                str(start) if start is not None and not media.still else "",
                f"{float(facts.length):.3f}" if facts is not None and facts.length is not None else "",
                str(row.path or media.path or ""),
                places.named.get(key, "") if key in used else "",
                size or (facts.size if facts is not None and not facts.problem else ""),
            )
        )
    head = ("Medium", "Reel", "Begins", "Seconds", "Here", "In the package", "Bytes")
    return table_bytes([head, *lines])
