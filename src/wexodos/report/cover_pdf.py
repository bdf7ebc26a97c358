"""The cover sheet of a package as a PDF."""

from __future__ import annotations

from collections.abc import Sequence as Several
from typing import Any

from fpdf import FPDF
from fpdf.fonts import FontFace

from wexodos.report.cover import SHOT_HEADS, Cover
from wexodos.report.pdf import DIM, INK, RED, pages, shown_text


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
