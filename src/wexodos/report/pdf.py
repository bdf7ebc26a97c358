"""The report as a PDF."""

from __future__ import annotations

import contextlib
import io
from collections.abc import Iterator
from importlib import resources
from typing import Any

from fpdf import FPDF
from fpdf.fonts import FontFace

from wexodos.report.rows import fate_words

INK, DIM, RED = (28, 34, 37), (95, 107, 103), (176, 58, 34)
_FATES = {
    "carried": (96, 115, 110),
    "adapted": (150, 104, 0),
    "baked": (31, 107, 128),
    "noted": (108, 75, 160),
    "left behind": RED,
}
_WIDTHS = (24, 14, 50, 24, 88, 58, 12)
_SEEN_WIDTHS = (23, 12, 42, 22, 66, 44, 26, 26, 9)
_TOLD = 6
"""How many places of a row stand in a PDF; the other forms list all."""


@contextlib.contextmanager
def pages(orientation: str) -> Iterator[FPDF]:
    """A document of A4 pages with our faces, ``text`` (plain and B) and ``mono``; its first page is there."""
    page = FPDF(orientation=orientation, format="A4")
    page.set_auto_page_break(True, 14)
    with resources.as_file(resources.files("wexodos.fonts")) as folder:
        page.add_font("text", "", folder / "BarlowSemiCondensed_400Regular.ttf")
        page.add_font("text", "B", folder / "BarlowSemiCondensed_600SemiBold.ttf")
        page.add_font("mono", "", folder / "IBMPlexMono_400Regular.ttf")
        page.add_page()
        page.set_text_color(*INK)
        yield page


def as_pdf(data: dict[str, Any]) -> bytes:
    """A4 across, a heading with the counts and a table of findings."""
    with pages("landscape") as page:
        page.set_title(f"Carry-over: {data['source']['sequence']}")
        page.set_font("text", "B", 18)
        page.cell(
            0,
            9,
            shown_text(f"{data['source']['sequence']} to {data['destination_name']}"),
            new_x="LMARGIN",
            new_y="NEXT",
        )
        page.set_font("text", "", 10)
        page.set_text_color(*DIM)
        page.cell(
            0,
            6,
            shown_text(
                f"{data['source']['file']}, {data['source']['format']} to {data['output']['format']} "
                f"{data['output']['version']}"
            ),
            new_x="LMARGIN",
            new_y="NEXT",
        )
        _counts(page, data)
        for one in data.get("sequences", [data]):
            if one is not data:
                _head(page, one)
            _table(page, one)
            if one["will_not_fit"]:
                _misfits(page, one)
        return bytes(page.output())


def _head(page: FPDF, data: dict[str, Any]) -> None:
    """The head of one sequence of several."""
    page.ln(4)
    page.set_text_color(*INK)
    page.set_font("text", "B", 14)
    page.cell(0, 8, shown_text(data["source"]["sequence"]), new_x="LMARGIN", new_y="NEXT")
    page.set_font("text", "", 10)
    page.set_text_color(*DIM)
    page.cell(0, 6, shown_text(", ".join(data["output"]["files"])), new_x="LMARGIN", new_y="NEXT")
    _counts(page, data)


def _counts(page: FPDF, data: dict[str, Any]) -> None:
    page.ln(2)
    page.set_font("text", "B", 11)
    for fate, count in data["counts"].items():
        page.set_text_color(*_FATES[fate])
        page.cell(34, 7, f"{count} {fate}")
    page.set_text_color(*INK)
    page.cell(60, 7, f"repair budget {data['budget_minutes']} min", new_x="LMARGIN", new_y="NEXT")
    if data["unexplained"]:
        page.set_text_color(*RED)
        page.cell(
            0, 7, f"{data['unexplained']} differences that nothing explains", new_x="LMARGIN", new_y="NEXT"
        )
    page.ln(2)


def _table(page: FPDF, data: dict[str, Any]) -> None:
    page.set_text_color(*INK)
    page.set_draw_color(210, 214, 211)
    page.set_font("text", "", 9)
    head = FontFace(emphasis="BOLD", color=DIM)
    seen = any(data.get("sights") or ())
    with page.table(
        col_widths=_SEEN_WIDTHS if seen else _WIDTHS,
        borders_layout="HORIZONTAL_LINES",
        line_height=4.6,
        headings_style=head,
        text_align="LEFT",
    ) as table:
        pictures = ("before", "after") if seen else ()
        table.row(("where", "track", "thing", "fate", "why", "what to do", *pictures, "min"))
        for one in data["rows"]:
            row = table.row()
            row.cell(one["at"], style=FontFace(family="mono", size_pt=8))
            row.cell(one["track"])
            row.cell(shown_text(one["thing"]))
            row.cell(fate_words(one), style=FontFace(color=_FATES[one["fate"]]))
            row.cell(shown_text(one["why"] + _inside(one, data["findings"])))
            row.cell(shown_text(one["do"]))
            if seen:
                pair = next((data["sights"][n] for n in one["findings"] if data["sights"][n]), None)
                for side in (0, 1):
                    if pair is not None and pair[side]:
                        row.cell(img=io.BytesIO(pair[side]), img_fill_width=True, padding=(0.6, 0.8))
                    else:
                        row.cell("")
            row.cell(f"{one['minutes']:g}")


def _inside(row: dict[str, Any], findings: list[dict[str, Any]]) -> str:
    """The places of a row of several, the first few by name."""
    inside = [findings[place] for place in row["findings"]]
    if len(inside) == 1:
        return ""
    told = ", ".join(f"{one['at']} {one['item']}".strip() for one in inside[:_TOLD])
    return f": {told}" + (f" and {len(inside) - _TOLD} more" if len(inside) > _TOLD else "")


def _misfits(page: FPDF, data: dict[str, Any]) -> None:
    page.ln(5)
    page.set_font("text", "B", 12)
    page.cell(0, 7, "Will be resized, resampled or converted there", new_x="LMARGIN", new_y="NEXT")
    page.set_font("text", "", 9)
    with page.table(
        col_widths=(60, 30, 80, 100),
        borders_layout="HORIZONTAL_LINES",
        line_height=4.6,
        headings_style=FontFace(emphasis="BOLD", color=DIM),
        text_align="LEFT",
    ) as table:
        table.row(("medium", "what", "there is", "what to do"))
        for one in data["will_not_fit"]:
            table.row([shown_text(one[key]) for key in ("media", "kind", "text", "do")])


def shown_text(text: str) -> str:
    """Text without what a page cannot show."""
    return "".join(one if one.isprintable() else " " for one in text)[:400]
