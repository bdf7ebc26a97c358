"""Titles and generators (10, 11)."""

from __future__ import annotations

from wexodos.formats.fcpxml.lexical import Element, color_of, labelled, numbers, switch
from wexodos.model import Generator, Roll, TextRun, Title


def title_of(element: Element, template: str, frame: tuple[int, int], pixel_aspect: float = 1.0) -> Title:
    """Read a ``title`` or ``caption``: the text of all its fields in order with the style of each stretch."""
    styles: dict[str, Element] = {}
    for definition in element.iter("text-style-def"):
        style = definition.find("text-style")
        if style is not None:
            styles[definition.get("id") or ""] = style
    align = None
    origin = (0.0, 0.0)
    for parameter in element.findall("param"):
        name = (parameter.get("name") or "").strip().lower()
        if name == "position":
            at = numbers(parameter.get("value"))
            if len(at) >= 2:
                origin = (at[0] / pixel_aspect, -at[1] + 0.0)
        elif name == "alignment":
            align = labelled(parameter.get("value")).lower() or None
    runs: list[TextRun] = []
    for number, text in enumerate(element.findall("text")):
        if number and runs:
            runs.append(TextRun("\n"))
        if text.text and text.text.strip():
            runs.append(TextRun(text.text))
        for piece in text:
            if piece.tag == "text-style" and piece.text:
                runs.append(_run(piece, styles.get(piece.get("ref") or ""), align))
            if piece.tail and piece.tail.strip():
                runs.append(TextRun(piece.tail))
    words = template.lower()
    roll = Roll("up") if "scroll" in words or "credits" in words else Roll("left") if "crawl" in words else None
    return Title(tuple(runs), origin, roll, None, template, bool(runs))


def _run(piece: Element, style: Element | None, align: str | None) -> TextRun:
    found: dict[str, str] = {}
    for source in (style, piece):
        if source is not None:
            found.update({str(key): str(value) for key, value in source.attrib.items()})
    face = found.get("fontFace", "").lower()
    size, tracking, leading = (numbers(found.get(key)) for key in ("fontSize", "kerning", "lineSpacing"))
    width = numbers(found.get("strokeWidth"))
    return TextRun(
        (piece.text or "").replace("\r\n", "\n").replace("\r", "\n"), found.get("font"), size[0] if size else None,
        switch(found["bold"]) if "bold" in found else "bold" in face, switch(found["italic"]) if "italic" in found else
        "ital" in face or "obliq" in face, color_of(found.get("fontColor")), found.get("alignment") or align,
        switch(found.get("underline"), False), tracking[0] if tracking else None, leading[0] if leading else None,
        color_of(found.get("strokeColor")), width[0] if width else None, found.get("shadowColor"),
    )


def generator_of(element: Element, effect: tuple[str, str]) -> Generator:
    """Read a ``video`` that refers to an effect: a generated picture."""
    name, uid = effect
    words = f"{name} {uid}".lower()
    color = None
    parameters = []
    for parameter in element.findall("param"):
        label, value = parameter.get("name") or parameter.get("key") or "", parameter.get("value") or ""
        parameters.append((label, value))
        if color is None and label.lower() in ("color", "colour"):
            color = color_of(value)
    kind = "other"
    for word, found in (("bars", "bars"), ("black", "black"), ("custom", "colour"), ("solid", "colour"), ("color", "colour"),
                        ("gradient", "gradient"), ("timecode", "timecode"), ("counting", "leader"), ("noise", "noise")):
        if word in words:
            kind = found
            break
    return Generator(kind, name, color, tuple(parameters))
