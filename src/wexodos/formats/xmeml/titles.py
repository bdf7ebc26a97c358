"""Titles and generators: text generators (10.1), graphic items (10.2), synthetic sources (11)."""

from __future__ import annotations

import base64
import binascii
import json
from typing import Any

from wexodos.formats.xmeml.lexical import Element, color_of, real
from wexodos.formats.xmeml.parameters import parameter_id, shown_parameter, ticks_value, vector_of
from wexodos.model import Generator, Roll, TextRun, Title

_ALIGN = {1: "left", 2: "center", 3: "right"}
_STYLES = {1: (False, False), 2: (True, False), 3: (False, True), 4: (True, True)}


def lines(text: str) -> str:
    """Line breaks as newlines."""
    return text.replace("\r\n", "\n").replace("\r", "\n")


def is_text(effect: Element) -> bool:
    """Whether a generator effect draws words."""
    category = (effect.findtext("effectcategory") or "").strip().lower()
    kind = (effect.findtext("effectid") or effect.findtext("name") or "").strip().lower()
    return category == "text" or kind in ("text", "outline text", "scrolling text", "crawl", "lower 3rd", "typewriter")


def text_title(effect: Element, frame: tuple[int, int]) -> Title:
    """Read a text generator. Ids are matched first, then names, as they differ between generators (10.1)."""
    template = (effect.findtext("effectid") or effect.findtext("name") or "").strip()
    texts: list[tuple[str, dict[str, Any]]] = []
    styles: list[dict[str, Any]] = []
    origin = (0.0, 0.0)
    bar_color: str | None = None
    bar = ""
    common: dict[str, Any] = {}
    for parameter in effect.findall("parameter"):
        kind = parameter_id(parameter).lower()
        name = (parameter.findtext("name") or "").strip().lower()
        value = parameter.find("value")
        text = "" if value is None else ticks_value(value.text or "")
        if kind == "str" or kind.startswith("str") or (kind.startswith("text") and _is_words(value)):
            style: dict[str, Any] = {}
            texts.append((lines(text), style))
            styles.append(style)
            continue
        style = styles[-1] if styles else common
        if "background" in name or "background" in kind:
            if value is not None and len(value):
                bar_color = color_of(value)
            elif not _number(text):
                bar = _chosen(parameter, text)
            continue
        if bar and name in ("color", "colour") and value is not None and len(value):
            bar_color = color_of(value)
        elif kind.startswith("fontname") or name == "font":
            style["font"] = text.strip()
        elif kind.startswith("fontsize") or name == "size":
            style["size"] = real(text)
        elif kind.startswith("fontstyle") or name == "style":
            style["bold"], style["italic"] = _STYLES.get(round(real(text) or 1), (False, False))
        elif kind.startswith("fontalign") or name == "alignment":
            style["align"] = _ALIGN.get(round(real(text) or 0))
        elif (kind.startswith("fontcolor") or name in ("font color", "color", "colour")) and value is not None:
            style["color"] = color_of(value)
        elif kind.startswith("fonttrack") or name == "tracking":
            style["tracking"] = real(text)
        elif kind == "leading":
            style["leading"] = real(text)
        elif kind == "origin":
            at = vector_of(value)
            if at is not None:
                origin = (at[0] * frame[0], at[-1] * frame[1])
    runs = []
    for index, (words, style) in enumerate(texts):
        ending = "\n" if index < len(texts) - 1 else ""
        runs.append(TextRun(words + ending, **{**common, **style}))
    roll = {"scrolling text": Roll("up"), "crawl": Roll("left")}.get(template.lower())
    solid = bar.lower() not in ("", "none", "1")
    return Title(tuple(runs), origin, roll, (bar_color or "#000000ff") if solid else None, template)


def _is_words(value: Element | None) -> bool:
    return value is not None and not len(value) and not _number(value.text or "")


def _number(text: str) -> bool:
    return real(text) is not None or text.strip().lower() in ("true", "false")


def _chosen(parameter: Element, value: str) -> str:
    """The name of the chosen entry of an enumeration, or the value itself."""
    for entry in parameter.iterfind("valuelist/valueentry"):
        if (entry.findtext("value") or "").strip() == value.strip():
            return (entry.findtext("name") or "").strip()
    return value.strip()


def graphic_title(effects: list[Element], hashes: dict[str, str], frame: tuple[int, int]) -> Title:
    """Read a graphic item: one effect a layer, its text in the effect's name and, styled, in parameter 1 (10.2)."""
    runs: list[TextRun] = []
    origin = (0.0, 0.0)
    for index, effect in enumerate(effects):
        name = lines(effect.findtext("name") or "")
        found: list[TextRun] = []
        for parameter in effect.findall("parameter"):
            kind = parameter_id(parameter)
            if kind == "1":
                value = parameter.findtext("value") or hashes.get((parameter.findtext("hash") or "").strip(), "")
                found = _styled(value)
            elif kind == "3" and index == 0:
                at = vector_of(parameter.find("value"))
                if at is not None and len(at) == 2:
                    origin = ((at[0] - 0.5) * frame[0], (at[1] - 0.5) * frame[1])
        found = found or ([TextRun(name)] if name else [])
        if runs and found:
            runs.append(TextRun("\n"))
        runs.extend(found)
    return Title(tuple(runs), origin, template="GraphicAndType", words_known=bool(runs))


def graphic_hashes(root: Element) -> dict[str, str]:
    """Text values by hash for the whole document: later uses leave the value out (10.2)."""
    found: dict[str, str] = {}
    for parameter in root.iter("parameter"):
        key, value = parameter.findtext("hash"), parameter.findtext("value")
        if key and value:
            found.setdefault(key.strip(), value)
    return found


def _styled(value: str) -> list[TextRun]:
    """Decode the styled text: base64 of a length and UTF-16 JSON. Empty where it is anything else."""
    try:
        blob = base64.b64decode(value, validate=False)
        length = int.from_bytes(blob[:8], "little")
        body = blob[8 : 8 + length] if 0 < length <= len(blob) - 8 else blob[8:]
        data = json.loads(body.decode("utf-16-le"))["mTextParam"]
        sheet = data["mStyleSheet"]
        text = str(sheet.get("mText") or "")
        align = {0: "left", 1: "center", 2: "right"}.get(data.get("mAlignment"))
        defaults = _defaults(sheet, data)
        columns = {key: _values(sheet.get(key)) for key in
                   ("mFontName", "mFontSize", "mFauxBold", "mFauxItalic", "mUnderline", "mFillColor")}
        starts = sorted({0, *(at for column in columns.values() for at, _ in column if 0 <= at < len(text))})
        runs = []
        for begin, end in zip(starts, [*starts[1:], len(text)]):
            style = {key: next((v for at, v in reversed(column) if at <= begin), defaults.get(key))
                     for key, column in columns.items()}
            fill = style["mFillColor"]
            font, size = str(style["mFontName"] or ""), style["mFontSize"]
            runs.append(TextRun(
                lines(text[begin:end]), font or None, float(size) if size else None,
                bool(style["mFauxBold"]) or "bold" in font.lower(), bool(style["mFauxItalic"]) or "ital" in font.lower(),
                f"#{int(fill) & 0xFFFFFF:06x}ff" if fill is not None else None, align, bool(style["mUnderline"]),
            ))
        return [run for run in runs if run.text]
    except (ValueError, KeyError, TypeError, AttributeError, binascii.Error, RecursionError):
        return []


def _values(column: Any) -> list[tuple[int, Any]]:
    pairs = column.get("mParamValues", []) if isinstance(column, dict) else []
    return sorted(((int(pair[0]), pair[1]) for pair in pairs if isinstance(pair, list) and len(pair) > 1), key=lambda p: p[0])


def _defaults(sheet: dict[str, Any], data: dict[str, Any]) -> dict[str, Any]:
    runs = data.get("mDefaultRun") or sheet.get("mDefaultRun") or []
    style = runs[0].get("mStyleParam", {}) if runs and isinstance(runs[0], dict) else {}
    found = dict(style)
    if "mFillRed" in style:
        red, green, blue = (round(255 * float(style.get(key, 0))) for key in ("mFillRed", "mFillGreen", "mFillBlue"))
        found["mFillColor"] = red << 16 | green << 8 | blue
    return found


def generator_of(effect: Element, name: str) -> Generator:
    """Read a generator that draws no words."""
    shown = (effect.findtext("effectid") or effect.findtext("name") or name or "").strip()
    color = None
    for parameter in effect.findall("parameter"):
        value = parameter.find("value")
        if value is not None and value.find("red") is not None and color is None:
            color = color_of(value, opaque=True)
    parameters = tuple((p.name, p.value) for p in map(shown_parameter, effect.findall("parameter")))
    return Generator(generator_kind(shown, name), shown, color, parameters)


def generator_kind(*names: str) -> str:
    """Our word for a generator by the words in its names; ``other`` where none is known."""
    words = " ".join(names).lower()
    for word, kind in (
        ("bars", "bars"), ("leader", "leader"), ("countdown", "leader"), ("tone", "tone"), ("transparent", "transparent"),
        ("gradient", "gradient"), ("noise", "noise"), ("slate", "slate"), ("black", "black"), ("colo", "colour"),
        ("matte", "colour"), ("timecode", "timecode"),
    ):
        if word in words:
            return kind
    return "other"
