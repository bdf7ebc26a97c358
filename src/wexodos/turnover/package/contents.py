"""What is in a package: the sequences, their media, and papers for the people there."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from datetime import datetime
from enum import StrEnum
from fractions import Fraction
from pathlib import Path

from wexodos.carryover import Carried, Choices, Options, as_one, carry_over
from wexodos.carryover.destined import destined
from wexodos.carryover.sounding import makes_sound
from wexodos.destinations import Destination, find_destination
from wexodos.formats import FORMATS, WriteError
from wexodos.ground import Progress
from wexodos.ground.names import safe_name, table_bytes
from wexodos.media import Row, needs
from wexodos.model import Document, Sequence
from wexodos.report import render
from wexodos.report.cover import cover
from wexodos.tidy import Render
from wexodos.tidy.workshop import Workshop
from wexodos.timing import Exact
from wexodos.turnover.package.burnt import Burn
from wexodos.turnover.package.guide import Mix, guide_parts
from wexodos.turnover.package.make import Copy, copy_of
from wexodos.turnover.package.movie import Codec, Reference, reference_parts
from wexodos.turnover.package.places import Here, Placed, Places, moved, places_of
from wexodos.turnover.pull import as_csv, pulls
from wexodos.turnover.run import Turned, prepared
from wexodos.turnover.several import REPORTS, report_on, stems
from wexodos.turnover.trim.document import trimmed
from wexodos.turnover.trim.plan import Trims, trims
from wexodos.turnover.write import Origin, Part, PartKind, main_parts

PAPERS = "Papers"
CUT_LIST = "cut-list-edl"
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


class Way(StrEnum):
    """What of the media comes along: their files as they are, only what is used of them, or a list."""

    WHOLE = "whole"
    TRIMMED = "trimmed"
    NONE = "none"


@dataclass(frozen=True, slots=True)
class Wanted:
    """How a package is wanted: ``there`` is where it will stand on the other machine, ``media`` which of
    their files come along, with ``handles`` in seconds where they are trimmed (None: as the destination has
    it), ``mix`` in which form the guide mix does, ``picture`` how the reference picture is coded, ``height``
    pixels high with ``burns`` in it and the edges of another ``shape``, ``papers`` whether papers come along;
    ``contact`` whom to ask."""

    there: str
    media: Way = Way.WHOLE
    handles: Exact | None = None
    mix: Mix = Mix.NONE
    picture: Codec = Codec.NONE
    height: int = 540
    burns: tuple[Burn, ...] = ()
    shape: float = 0.0
    papers: bool = True
    contact: str = ""


@dataclass(frozen=True, slots=True)
class Contents:
    """The parts and copies in the order in which they are written, what became of each sequence, the media
    that are not there, and those that go along whole although they were to be trimmed, with the reason.
    ``turned`` holds on to what was made for it, ``seen`` are the reference pictures."""

    parts: list[Part | Copy]
    turned: list[Turned]
    missing: list[str]
    whole: dict[str, str]
    seen: list[Reference]

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
    choices: Choices,
    moment: datetime,
    progress: Progress,
) -> Contents:
    """Carry the sequences over with their media where they will be, and list all that goes along. Raises
    ``WriteError`` and ``Cancelled``; writes nothing."""
    handles = wanted.handles if wanted.handles is not None else _handles(destination)
    rows = [row for one in leaving for row in one.rows]
    own_sound = makes_sound(destined(destination, options))
    kept = Trims()
    if wanted.media is Way.TRIMMED:
        cuts = [(one.document, one.sequence) for one in leaving]
        by_name = not FORMATS[destination.format].spells.ids
        kept = trims(cuts, rows, handles, not own_sound, progress, by_name)
    places = places_of(rows, kept.cuts) if wanted.media is not Way.NONE else Places()
    names = stems([one.sequence for one in leaving])
    suffix = FORMATS[destination.format].suffix
    turned: list[Turned] = []
    used: dict[str, None] = {}
    mixes: list[Part] = []
    pictures: list[Reference] = []
    for one in leaving:
        document = moved(trimmed(one.document, kept.cuts, not own_sound), places, wanted.there)
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
            drawn=one.document,
            choices=choices,
        )
        beside = any("/" in part.name for each in made for part in each.parts)
        if beside and not wanted.there.startswith("/"):
            words = "sound and renders that lie beside the sequence cannot be named at a place of that kind"
            raise WriteError(f"{wanted.there}: {words}; give one that begins with /")
        turned += made
        shop = Workshop(one.renders, here)
        mixes += guide_parts(one.document, one.sequence, shop, wanted.mix)
        seen = Reference(
            one.document,
            one.sequence,
            shop,
            wanted.picture,
            wanted.height,
            wanted.burns,
            wanted.shape,
            f"{moment:%Y-%m-%d %H:%M}",
        )
        made_of_it = reference_parts(seen)
        mixes += made_of_it
        pictures += [seen] if made_of_it else []
        for each in made:
            for cut in each.carried.made.document.sequences:
                used |= {need.media.id: None for need in needs(each.carried.made.document, cut)}
    parts: list[Part | Copy] = [part for each in turned for part in each.parts]
    parts += [*mixes, *_media(places.of(used))]
    missing = missing_from(leaving)
    known = {row.media.id: row.media.file_name for row in rows}
    whole = {known[key]: why for key, why in kept.whole.items() if key in used}
    if wanted.papers:
        parts += _papers(leaving, turned, places, kept, set(used), handles, source, wanted, missing, moment)
    return Contents(parts, turned, missing, whole, pictures)


def _handles(destination: Destination) -> Fraction:
    return Fraction(destination.turnover.handles or _HANDLES)


def _media(placed: list[Placed]) -> list[Part | Copy]:
    """The files of media as they are written; raises ``WriteError`` where one is not there any more."""
    made: list[Part | Copy] = []
    for one in placed:
        cut = one.cut
        if cut is None:
            made.append(copy_of(one.source, one.name))
            continue
        origin = Origin(one.source, cut.first, cut.count)
        made.append(
            Part(one.name, "trimmed", b"", cut.write, cut.size, "as its source", PartKind.MEDIA, origin)
        )
    return made


def _papers(
    leaving: list[Leaving],
    turned: list[Turned],
    places: Places,
    cut: Trims,
    used: set[str],
    handles: Exact,
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
    parts = [Part(f"{PAPERS}/{title} cover sheet.html", "cover sheet", sheet, kind=PartKind.COVER)]
    parts += [
        Part(f"{PAPERS}/{title} report{suffix}", REPORTS[suffix], render(told, suffix), kind=PartKind.REPORT)
        for suffix in (".html", ".pdf", ".csv")
    ]
    for one in leaving:
        rows = pulls(one.document, one.sequence, handles)
        stem = safe_name(one.sequence.name)
        parts += _cut_list(one, stem)
        parts.append(
            Part(f"{PAPERS}/{stem} pull list.csv", "pull list", as_csv(rows), kind=PartKind.PULL_LIST)
        )
    listed = _media_list(leaving, places, cut, used)
    parts.append(Part(f"{PAPERS}/{title} media list.csv", "media list", listed, kind=PartKind.MEDIA_LIST))
    return parts


def _cut_list(one: Leaving, stem: str) -> list[Part]:
    """The cut as lists of events, for people and for programs that read nothing else; a sentence where there
    can be none."""
    try:
        made = carry_over(one.document, one.sequence, find_destination(CUT_LIST))
        files = main_parts(made, f"{PAPERS}/{stem} cut list.edl")
        return [replace(part, what="cut list", kind=PartKind.CUT_LIST) for part in files]
    except WriteError as error:
        words = f"There is no cut list: {error}.\n".encode()
        return [Part(f"{PAPERS}/{stem} cut list.txt", "cut list", words, kind=PartKind.CUT_LIST)]


def _media_list(leaving: list[Leaving], places: Places, cut: Trims, used: set[str]) -> bytes:
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
        keys = [one.media.id for one in cut.cuts.get(key, ())] or [key]
        held = [one for own in keys for one in places.files.get(own, ())]
        size = sum(one.cut.size if one.cut is not None else one.source.stat().st_size for one in held)
        lines.append(
            (
                media.file_name,
                media.reel or "",
                str(start) if start is not None and not media.still else "",
                f"{float(facts.length):.3f}" if facts is not None and facts.length is not None else "",
                str(row.path or media.path or ""),
                ", ".join(places.named[own] for own in keys if own in used and own in places.named),
                size or (facts.size if facts is not None and not facts.problem else ""),
            )
        )
    head = ("Medium", "Reel", "Begins", "Seconds", "Here", "In the package", "Bytes")
    return table_bytes([head, *lines])
