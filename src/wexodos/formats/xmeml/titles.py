"""Titles and generators: text generators (10.1), graphic items (10.2), synthetic sources (11)."""

from __future__ import annotations

import base64
import binascii
import copy
import json
from dataclasses import dataclass, replace
from typing import Any

from lxml import etree

from wexodos.formats.xmeml.lexical import Element, color_of, real
from wexodos.formats.xmeml.parameters import parameter_id, shown_parameter, ticks_value, vector_of
from wexodos.model import Generator, Parameter, Raw, Roll, Shadow, TextRun, Title
from wexodos.model.curves import Vector

_ALIGN = {1: "left", 2: "center", 3: "right"}
_STYLES = {1: (False, False), 2: (True, False), 3: (False, True), 4: (True, True)}


def lines(text: str) -> str:
    """Line breaks as newlines."""
    return text.replace("\r\n", "\n").replace("\r", "\n")


def is_text(effect: Element) -> bool:
    """Whether a generator effect draws words."""
    category = (effect.findtext("effectcategory") or "").strip().lower()
    kind = (effect.findtext("effectid") or effect.findtext("name") or "").strip().lower()
    return category == "text" or kind in (
        "text",
        "outline text",
        "scrolling text",
        "crawl",
        "lower 3rd",
        "typewriter",
    )


_SIMPLE: tuple[tuple[str, str, str], ...] = (
    ("fontname", "font", "font"),
    ("fontsize", "size", "size"),
    ("fontstyle", "style", "style"),
    ("fontalign", "alignment", "align"),
    ("fontcolor", "font color", "color"),
    ("fonttrack", "tracking", "tracking"),
    ("leading", "leading", "leading"),
    ("linecolor", "line color", "outline_color"),
    ("linewidth", "line width", "outline_width"),
)
"""What a parameter's id begins with, its name, and the run's field it fills; ids first, as names are
localised."""


@dataclass(slots=True)
class _Words:
    """A text generator while it is read: its texts with their styles, and what stands for all of them."""

    frame: tuple[int, int]
    texts: list[tuple[str, dict[str, Any]]]
    common: dict[str, Any]
    unread: list[Parameter]
    origin: tuple[float, float] = (0.0, 0.0)
    bar: str = ""
    bar_color: str | None = None
    gap: float | None = None

    def take(self, parameter: Element) -> None:
        """Read one parameter; what it may be depends on those before it."""
        kind = parameter_id(parameter).lower()
        name = (parameter.findtext("name") or "").strip().lower()
        value = parameter.find("value")
        text = "" if value is None else ticks_value(value.text or "")
        style = self.texts[-1][1] if self.texts else self.common
        slot = next((slot for start, label, slot in _SIMPLE if kind.startswith(start) or name == label), None)
        if kind.startswith("str") or (kind.startswith("text") and _is_words(value)):
            self.texts.append((lines(text), {}))
        elif ("background" in name or "background" in kind) and value is not None and len(value):
            self.bar_color = color_of(value)
        elif ("background" in name or "background" in kind) and not _number(text):
            self.bar = _chosen(parameter, text)
        elif self.bar and name in ("color", "colour") and value is not None and len(value):
            self.bar_color = color_of(value)
        elif kind == "origin":
            at = vector_of(value)
            if at is not None:
                self.origin = (at[0] * self.frame[0], at[-1] * self.frame[1])
        elif kind in ("gap", "spacing", "gapwidth") or name in ("gap", "gap width", "spacing"):
            self.gap = real(text)
        elif slot is not None or (name in ("color", "colour") and value is not None and len(value)):
            self._style(style, slot or "color", value, text)
        elif not (kind in _QUIET and _quiet(kind, text)):
            self.unread.append(shown_parameter(parameter))

    def _style(self, style: dict[str, Any], slot: str, value: Element | None, text: str) -> None:
        if slot == "style":
            style["bold"], style["italic"] = _STYLES.get(round(real(text) or 1), (False, False))
        elif slot == "align":
            style["align"] = _ALIGN.get(round(real(text) or 0))
        elif slot in ("color", "outline_color"):
            if value is not None and len(value):
                style[slot] = color_of(value)
        elif slot == "font":
            style["font"] = text.strip() or None
        else:
            style[slot] = real(text)


_QUIET = {"aspect": 1.0, "autokern": 1.0, "subpixel": 1.0, "fonttrack": 1.0}


def _quiet(kind: str, text: str) -> bool:
    """Whether a setting that is not kept in the model has its usual value."""
    return text.strip().lower() == "true" or real(text) == _QUIET[kind]


def text_title(effect: Element, frame: tuple[int, int]) -> Title:
    """Read a text generator. Ids are matched first, then names, as they differ between generators (10.1)."""
    template = (effect.findtext("effectid") or effect.findtext("name") or "").strip()
    found = _Words(frame, [], {}, [])
    for parameter in effect.findall("parameter"):
        found.take(parameter)
    runs = []
    for index, (words, style) in enumerate(found.texts):
        ending = "\n" if index < len(found.texts) - 1 else ""
        runs.append(TextRun(words + ending, **{**found.common, **style}))
    direction = {"scrolling text": "up", "crawl": "left"}.get(template.lower())
    roll = Roll(direction, found.gap) if direction is not None else None
    solid = found.bar.lower() not in ("", "none", "1")
    plain = template.lower() == "text" and not found.unread
    raw = (
        ()
        if plain
        else (Raw("xmeml", "effect", etree.tostring(effect, encoding="unicode", with_tail=False)),)
    )
    return Title(
        tuple(runs),
        found.origin,
        roll,
        (found.bar_color or "#000000ff") if solid else None,
        template,
        parameters=tuple(found.unread),
        raw=raw,
    )


def shadowed(title: Title, effect: Element) -> Title:
    """A title with the drop shadow that stands as a filter beside it; ids vary, so parameters are known by
    name (8.1)."""
    values: dict[str, Any] = {}
    for parameter in effect.findall("parameter"):
        name = ((parameter.findtext("name") or "").strip() or parameter_id(parameter)).lower()
        value = parameter.find("value")
        if "color" in name or "colour" in name:
            values["color"] = color_of(value) if value is not None and len(value) else None
        else:
            number = vector_of(value)
            values[next((one for one in ("offset", "angle", "softness", "opacity") if one in name), name)] = (
                number[0] if number else None
            )
    color = values.get("color") or "#000000ff"
    if values.get("opacity") is not None:
        color = f"{color[:7]}{round(max(0.0, min(100.0, values['opacity'])) * 2.55):02x}"
    # The dialect counts angles clockwise from the right, as it does rotation; ours run the other way.
    angle = -float(values.get("angle") or 0.0) % 360.0
    shadow = Shadow(color, float(values.get("offset") or 0.0), angle, float(values.get("softness") or 0.0))
    return replace(title, runs=tuple(replace(run, shadow=shadow) for run in title.runs))


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
    """Read a graphic item: one effect a layer, its text in the effect's name and, styled, in parameter 1
    (10.2)."""
    runs: list[TextRun] = []
    unread: list[Parameter] = []
    bar: str | None = None
    origin = (0.0, 0.0)
    for index, effect in enumerate(effects):
        name = lines(effect.findtext("name") or "")
        found: list[TextRun] = []
        for parameter in effect.findall("parameter"):
            kind = parameter_id(parameter)
            if kind == "1":
                value = parameter.findtext("value") or hashes.get(
                    (parameter.findtext("hash") or "").strip(), ""
                )
                found, behind = _styled(value)
                bar = bar or behind
            elif kind == "3" and index == 0:
                at = vector_of(parameter.find("value"))
                if at is not None and len(at) == 2:
                    origin = ((at[0] - 0.5) * frame[0], (at[1] - 0.5) * frame[1])
            elif vector_of(parameter.find("value")) not in (None, _GRAPHIC_NEUTRAL.get(kind)):
                unread.append(shown_parameter(parameter))
        found = found or ([TextRun(name)] if name else [])
        if runs and found:
            runs.append(TextRun("\n"))
        runs.extend(found)
    kept = tuple(Raw("xmeml", "filter", _whole(effect, hashes)) for effect in effects)
    return Title(tuple(runs), origin, None, bar, "GraphicAndType", bool(runs), tuple(unread), kept)


_GRAPHIC_NEUTRAL: dict[str, Vector] = {
    "4": (100.0,),
    "5": (100.0,),
    "7": (0.0,),
    "8": (100.0,),
    "9": (0.0, 0.0),
}


def _whole(effect: Element, hashes: dict[str, str]) -> str:
    """The filter around a layer's effect, with a text that was left out put in: it may stand alone where it
    goes."""
    holder = effect.getparent()
    copied = copy.deepcopy(holder if holder is not None else effect)
    for parameter in copied.iter("parameter"):
        key, value = (parameter.findtext("hash") or "").strip(), parameter.find("value")
        if key in hashes and (value is None or not (value.text or "").strip()):
            if value is None:
                value = etree.SubElement(parameter, "value")
            value.text = hashes[key]
    return str(etree.tostring(copied, encoding="unicode", with_tail=False))


def graphic_hashes(root: Element) -> dict[str, str]:
    """Text values by hash for the whole document: later uses leave the value out (10.2)."""
    found: dict[str, str] = {}
    for parameter in root.iter("parameter"):
        key, value = parameter.findtext("hash"), parameter.findtext("value")
        if key and value:
            found.setdefault(key.strip(), value)
    return found


_COLUMNS = (
    "mFontName",
    "mFontSize",
    "mFauxBold",
    "mFauxItalic",
    "mUnderline",
    "mFillColor",
    "mStrokeColor",
    "mStrokeVisible",
    "mStrokeWidth",
    "mTracking",
)


def _styled(value: str) -> tuple[list[TextRun], str | None]:
    """Decode the styled text: base64 of a length and UTF-16 JSON. Returns the runs and the colour of a bar
    behind them; nothing where it is anything else."""
    try:
        blob = base64.b64decode(value, validate=False)
        length = int.from_bytes(blob[:8], "little")
        body = blob[8 : 8 + length] if 0 < length <= len(blob) - 8 else blob[8:]
        data = json.loads(body.decode("utf-16-le"))["mTextParam"]
        sheet = data["mStyleSheet"]
        text = str(sheet.get("mText") or "")
        align = {0: "left", 1: "center", 2: "right"}.get(data.get("mAlignment"))
        defaults = _defaults(sheet, data)
        columns = {key: _values(sheet.get(key)) for key in _COLUMNS}
        starts = sorted({0, *(at for column in columns.values() for at, _ in column if 0 <= at < len(text))})
        shadow = _shadow(data)
        leading = float(data["mLeading"]) if data.get("mLeading") else None
        runs = []
        for begin, end in zip(starts, [*starts[1:], len(text)]):
            style = {
                key: next((v for at, v in reversed(column) if at <= begin), defaults.get(key))
                for key, column in columns.items()
            }
            fill = style["mFillColor"]
            font, size = str(style["mFontName"] or ""), style["mFontSize"]
            outlined = bool(style["mStrokeVisible"]) and style["mStrokeColor"] is not None
            runs.append(
                TextRun(
                    lines(text[begin:end]),
                    font or None,
                    float(size) if size else None,
                    bool(style["mFauxBold"]) or "bold" in font.lower(),
                    bool(style["mFauxItalic"]) or "ital" in font.lower(),
                    _rgb(fill, 100) if fill is not None else None,
                    align,
                    bool(style["mUnderline"]),
                    float(style["mTracking"]) if style["mTracking"] else None,
                    leading,
                    _rgb(style["mStrokeColor"], 100) if outlined else None,
                    float(style["mStrokeWidth"] or 0) if outlined else None,
                    shadow,
                )
            )
        bar = (
            _rgb(data.get("mBackFillColor") or 0, data.get("mBackFillOpacity", 100))
            if data.get("mBackFillVisible")
            else None
        )
        return [run for run in runs if run.text], bar
    except (ValueError, KeyError, TypeError, AttributeError, binascii.Error, RecursionError, OverflowError):
        return [], None


def _rgb(color: Any, percent: Any) -> str:
    """A colour 0xRRGGBB with an opacity in percent."""
    return f"#{int(color) & 0xFFFFFF:06x}{round(min(100.0, max(0.0, float(percent))) * 2.55):02x}"


def _shadow(data: dict[str, Any]) -> Shadow | None:
    if not data.get("mShadowVisible"):
        return None
    return Shadow(
        _rgb(data.get("mShadowColor") or 0, data.get("mShadowOpacity", 100)),
        float(data.get("mShadowOffset") or 0),
        -float(data.get("mShadowAngle") or 0) % 360.0,
        float(data.get("mShadowBlur") or 0),
    )


def _values(column: Any) -> list[tuple[int, Any]]:
    pairs = column.get("mParamValues", []) if isinstance(column, dict) else []
    return sorted(
        ((int(pair[0]), pair[1]) for pair in pairs if isinstance(pair, list) and len(pair) > 1),
        key=lambda p: p[0],
    )


def _defaults(sheet: dict[str, Any], data: dict[str, Any]) -> dict[str, Any]:
    runs = data.get("mDefaultRun") or sheet.get("mDefaultRun") or []
    style = runs[0].get("mStyleParam", {}) if runs and isinstance(runs[0], dict) else {}
    found = dict(style)
    if "mFillRed" in style:
        red, green, blue = (
            round(255 * float(style.get(key, 0))) for key in ("mFillRed", "mFillGreen", "mFillBlue")
        )
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
    raw = Raw("xmeml", "effect", etree.tostring(effect, encoding="unicode", with_tail=False))
    return Generator(generator_kind(shown, name), shown, color, parameters, (raw,))


def generator_kind(*names: str) -> str:
    """Our word for a generator by the words in its names; ``other`` where none is known."""
    words = " ".join(names).lower()
    for word, kind in (
        ("bars", "bars"),
        ("leader", "leader"),
        ("countdown", "leader"),
        ("tone", "tone"),
        ("transparent", "transparent"),
        ("gradient", "gradient"),
        ("noise", "noise"),
        ("slate", "slate"),
        ("black", "black"),
        ("colo", "colour"),
        ("matte", "colour"),
        ("timecode", "timecode"),
    ):
        if word in words:
            return kind
    return "other"
