"""The cover sheet of a package: what the people in the next room have to know before they open anything."""

from __future__ import annotations

from collections.abc import Sequence as Several
from dataclasses import dataclass
from importlib import resources
from typing import Any, TypeAlias

import jinja2
from fpdf import FPDF
from fpdf.fonts import FontFace

from wexodos.carryover import Carried
from wexodos.carryover.grouping import Row, rows
from wexodos.ground.names import visible
from wexodos.model import Sequence
from wexodos.report.pdf import DIM, INK, RED, pages, shown_text
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
    """The cover sheet as a PDF, A4."""
    with pages("portrait") as page:
        page.set_title(f"Cover sheet: {shown_text(told.title)}")
        asked = f". Questions: {told.contact}" if told.contact else ""
        _line(page, told.title, 18, bold=True)
        _line(page, f"for {told.destination}, made on {told.made}{asked}", 10, DIM)
        if told.missing:
            come = "medium does" if len(told.missing) == 1 else "media do"
            said = f"{len(told.missing)} {come} not come along: {', '.join(told.missing)}"
            _line(page, said, 10, RED)
        if told.shots:
            page.ln(2)
            _rows(page, (40, 150), None, told.facts)
            _line(page, "Shots", 12, bold=True, above=4)
            _rows(page, (45, 45, 30, 30, 15, 25), SHOT_HEADS, told.shots)
        for one in told.sequences:
            if len(told.sequences) > 1 or told.shots:
                page.ln(5)
                _line(page, one.name, 14, bold=True)
            _line(page, one.file, 10, DIM)
            page.ln(2)
            sync = [("to check sync", one.sync)] if one.sync else []
            _rows(page, (40, 150), None, [*one.facts, *sync])
            _line(page, "Tracks", 12, bold=True, above=4)
            heads = ("track", "name", "stem", "clips")
            _rows(page, (25, 80, 60, 25), heads, one.tracks)
            if one.baked:
                _line(page, "Rendered", 12, bold=True, above=4)
                _rows(page, (30, 160), None, one.baked)
            _line(page, "To do by hand", 12, bold=True, above=4)
            if not one.by_hand:
                _line(page, "Nothing.", 10, DIM)
                continue
            _line(page, f"{one.minutes:g} min together.", 10, DIM)
            _rows(page, (30, 60, 85, 15), ("at", "thing", "what to do", "min"), one.by_hand)
        if told.anew:
            _line(page, "Media coded anew", 12, bold=True, above=4)
            _rows(page, (95, 95), None, told.anew)
        return bytes(page.output())


def _line(
    page: FPDF,
    words: str,
    size: int,
    colour: tuple[int, int, int] = INK,
    bold: bool = False,
    above: float = 0.0,
) -> None:
    """Words in lines of their own, ``above`` mm below what came before."""
    page.ln(above)
    page.set_text_color(*colour)
    page.set_font("text", "B" if bold else "", size)
    page.multi_cell(0, size * 0.5, shown_text(words), new_x="LMARGIN", new_y="NEXT", align="LEFT")
    page.set_text_color(*INK)


def _rows(
    page: FPDF, widths: tuple[int, ...], heads: tuple[str, ...] | None, rows: Several[tuple[Any, ...]]
) -> None:
    """A table; a first column that says when is set in even figures."""
    page.set_font("text", "", 10)
    page.set_draw_color(210, 214, 211)
    with page.table(
        col_widths=widths,
        borders_layout="HORIZONTAL_LINES",
        line_height=5,
        headings_style=FontFace(emphasis="BOLD", color=DIM),
        first_row_as_headings=heads is not None,
        text_align="LEFT",
    ) as table:
        if heads is not None:
            table.row(heads)
        for one in rows:
            row = table.row()
            for value in one:
                row.cell(shown_text(f"{value:g}" if isinstance(value, float) else str(value)))


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
