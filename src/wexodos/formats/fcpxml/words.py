"""Titles and generators (10, 11)."""

from __future__ import annotations

from dataclasses import replace

from lxml import etree

from wexodos.formats.fcpxml.lexical import Element, color_of, labelled, numbers, switch
from wexodos.model import Generator, Parameter, Raw, Roll, Shadow, TextRun, Title


def title_of(
    element: Element, effect: tuple[str, str], frame: tuple[int, int], pixel_aspect: float = 1.0
) -> Title:
    """Read a ``title`` or ``caption``: the text of all its fields in order with the style of each stretch.

    ``effect`` is the template's (name, uid). What is not understood of it is kept for the way back.
    """
    template, uid = effect
    styles: dict[str, Element] = {}
    for definition in element.iter("text-style-def"):
        style = definition.find("text-style")
        if style is not None:
            styles[definition.get("id") or ""] = style
    align = gap = None
    origin = (0.0, 0.0)
    unread: list[Parameter] = []
    kept: list[Raw] = []
    for parameter in element.findall("param"):
        name = (parameter.get("name") or "").strip().lower()
        at = numbers(parameter.get("value"))
        if name == "position" and len(at) >= 2 and not _moves(parameter):
            origin = (at[0] / pixel_aspect, -at[1] + 0.0)
        elif name == "alignment":
            align = labelled(parameter.get("value")).lower() or None
        elif name in ("gap", "gap width") and at and not _moves(parameter):
            gap = at[0]
        else:
            unread.append(
                Parameter(
                    parameter.get("name") or parameter.get("key") or "",
                    (parameter.get("value") or "")[:200],
                    len(parameter.findall("keyframeAnimation/keyframe")),
                )
            )
            kept.append(raw_of(parameter))
    runs: list[TextRun] = []
    fields = element.findall("text")
    for number, text in enumerate(fields):
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
    direction = "up" if "scroll" in words or "credits" in words else "left" if "crawl" in words else None
    roll = Roll(direction, gap) if direction is not None else None
    if element.tag == "caption":
        kept = [raw_of(element)]
    elif template.strip().lower() != "basic title" or kept:
        kept = [
            Raw("fcpxml", "effect", f"{uid}\n{template}"),
            Raw("fcpxml", "fields", str(len(fields))),
            *kept,
        ]
    return Title(tuple(_joined(runs)), origin, roll, None, template, bool(runs), tuple(unread), tuple(kept))


def _joined(runs: list[TextRun]) -> list[TextRun]:
    """Neighbours of one style as one run: some write every letter by itself. A bare line break parts two
    fields and stays."""
    found: list[TextRun] = []
    between = TextRun("\n")
    for run in runs:
        last = found[-1] if found else between
        if between not in (last, run) and replace(last, text=run.text) == run:
            found[-1] = replace(run, text=last.text + run.text)
        else:
            found.append(run)
    return found


def _moves(parameter: Element) -> bool:
    return parameter.find("keyframeAnimation") is not None or parameter.find("param") is not None


def raw_of(element: Element) -> Raw:
    return Raw("fcpxml", str(element.tag), etree.tostring(element, encoding="unicode", with_tail=False))


def _shadow(found: dict[str, str]) -> Shadow | None:
    color = color_of(found.get("shadowColor"))
    if color is None:
        return None
    offset, blur = numbers(found.get("shadowOffset")), numbers(found.get("shadowBlurRadius"))
    return Shadow(
        color,
        offset[0] if offset else 0.0,
        offset[1] % 360.0 if len(offset) > 1 else 315.0,
        blur[0] if blur else 0.0,
    )


def _run(piece: Element, style: Element | None, align: str | None) -> TextRun:
    found: dict[str, str] = {}
    for source in (style, piece):
        if source is not None:
            found.update({str(key): str(value) for key, value in source.attrib.items()})
    face = found.get("fontFace", "").lower()
    size, tracking, leading = (numbers(found.get(key)) for key in ("fontSize", "kerning", "lineSpacing"))
    width = numbers(found.get("strokeWidth"))
    return TextRun(
        (piece.text or "").replace("\r\n", "\n").replace("\r", "\n"),
        found.get("font"),
        size[0] if size else None,
        switch(found["bold"]) if "bold" in found else "bold" in face,
        switch(found["italic"]) if "italic" in found else "ital" in face or "obliq" in face,
        color_of(found.get("fontColor")),
        found.get("alignment") or align,
        switch(found.get("underline"), False),
        tracking[0] if tracking else None,
        leading[0] if leading else None,
        color_of(found.get("strokeColor")),
        width[0] if width else None,
        _shadow(found),
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
    for word, found in (
        ("bars", "bars"),
        ("black", "black"),
        ("custom", "colour"),
        ("solid", "colour"),
        ("color", "colour"),
        ("gradient", "gradient"),
        ("timecode", "timecode"),
        ("counting", "leader"),
        ("noise", "noise"),
        ("tone", "tone"),
        ("slate", "slate"),
        ("transparent", "transparent"),
    ):
        if word in words:
            kind = found
            break
    kept = (
        Raw("fcpxml", "effect", f"{uid}\n{name}"),
        *(raw_of(parameter) for parameter in element.findall("param")),
    )
    return Generator(kind, name, color, tuple(parameters), kept)
