"""Write styles of words, and pieces that are kept of this dialect (10, 11)."""

from __future__ import annotations

from wexodos.formats import tree
from wexodos.formats.fcpxml.coverage import key_of
from wexodos.formats.fcpxml.units import number
from wexodos.formats.tree import Node, add, parsed
from wexodos.model import Raw, TextRun


def template_of(spelled: list[Raw]) -> tuple[str, str]:
    """(name, uid) of the effect a title or generator was made by."""
    uid, _, name = next((raw.text for raw in spelled if raw.tag == "effect"), "\n").partition("\n")
    return name, uid


def put_params(element: Node, spelled: list[Raw]) -> None:
    for raw in spelled:
        piece = parsed(raw) if raw.tag == "param" else None
        if piece is not None:
            element.append(piece)


def put_back(owner: Node, raw: Raw, also: list[Node] | None = None) -> None:
    """Append a piece that was not understood at its place inside ``owner``, notes before everything else;
    ``also`` are elements that will stand in it but do not yet."""
    tree.put_back(owner, raw, key_of, also, first="note")


def write_style(definition: Node, run: TextRun) -> None:
    """One style with everything the dialect can say of a run (10)."""
    face = " ".join(word for word, on in (("Bold", run.bold), ("Italic", run.italic)) if on) or "Regular"
    shadow = run.shadow
    add(
        definition,
        "text-style",
        font=run.font,
        fontFace=face if run.font else None,
        fontSize=number(run.size) if run.size else None,
        fontColor=spelled_color(run.color),
        bold="1" if run.bold else None,
        italic="1" if run.italic else None,
        underline="1" if run.underline else None,
        strokeColor=spelled_color(run.outline_color),
        strokeWidth=number(run.outline_width) if run.outline_width is not None else None,
        shadowColor=spelled_color(shadow.color) if shadow is not None else None,
        shadowOffset=f"{number(shadow.distance)} {number(shadow.angle)}" if shadow is not None else None,
        shadowBlurRadius=number(shadow.blur) if shadow is not None and shadow.blur else None,
        kerning=number(run.tracking) if run.tracking is not None else None,
        lineSpacing=number(run.leading) if run.leading is not None else None,
        alignment=run.align,
    )


def spelled_color(color: str | None) -> str | None:
    return " ".join(number(part) for part in color_channels(color)) if color else None


def color_channels(color: str) -> list[float]:
    return [int(color[place : place + 2], 16) / 255.0 for place in (1, 3, 5, 7)]
