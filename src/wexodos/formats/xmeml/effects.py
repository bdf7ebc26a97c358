"""Filters that the other dialect has as well, and colour corrections: to our settings and back.

radius      pixels, the same in both
amounts     of the largest value the parameter may take (usually 100) ↔ 0 to 1
colours     0..255 ↔ 0 to 1
asc_sop     ``(r g b)(r g b)(r g b)`` slope, offset, power; ``asc_sat`` saturation (11; the numbers of ASC
CDL)
"""

from __future__ import annotations

import re
from collections.abc import Callable

from wexodos.formats.equivalents import BY_KIND, Setting, known_filter, share_of
from wexodos.formats.tree import Node, add
from wexodos.formats.xmeml.lexical import Element, color_of, real, text_of
from wexodos.formats.xmeml.parameters import KeyBase, curve_of, parameter_id
from wexodos.formats.xmeml.units import number
from wexodos.model import Curve, Effect, Parameter, Raw
from wexodos.model.curves import Vector

_CATEGORIES = {
    "blur": "Blur",
    "desaturate": "Image Control",
    "brightness-contrast": "Image Control",
    "tint": "Image Control",
}
_SETTINGS_OF = ("slope", "offset", "power")


def settings_of(effect: Element, name: str, base: KeyBase) -> tuple[str, tuple[tuple[str, Curve], ...]]:
    """Return (kind, settings) of a filter; ``("filter", ())`` where it or one of its parameters is not
    known."""
    known = known_filter(name)
    if known is None:
        return "filter", ()
    found: list[tuple[str, Curve]] = []
    for parameter in effect.findall("parameter"):
        setting = known.setting(parameter_id(parameter)) or known.setting(text_of(parameter, "name"))
        if setting is None:
            return "filter", ()
        curve = (
            _colour(parameter)
            if setting.unit == "colour"
            else curve_of(parameter, base, _reader(setting, parameter))
        )
        if curve is None:
            return "filter", ()
        found.append((setting.name, curve))
    return known.kind, tuple(found)


def _reader(setting: Setting, parameter: Element) -> Callable[[Vector], Vector]:
    largest = real(parameter.findtext("valuemax"))
    if setting.unit == "px":
        return lambda value: value[:1]
    return lambda value: (share_of(value[0], largest),)


def _colour(parameter: Element) -> Curve | None:
    value = parameter.find("value")
    color = (
        color_of(value) if value is not None and len(value) and parameter.find("keyframe") is None else None
    )
    if color is None:
        return None
    return Curve(tuple(int(color[place : place + 2], 16) / 255.0 for place in (1, 3, 5)))


def write_known(
    parent: Node,
    effect: Effect,
    keys: Callable[[Node, str, str, Curve, Callable[[Vector], Vector], object, object], None],
) -> bool:
    """Spell a filter that both dialects know; False where it is none. ``keys`` writes one parameter with its
    keyframes."""
    known = BY_KIND.get(effect.kind)
    if known is None:
        return False
    holder = add(parent, "filter")
    if not effect.enabled:
        add(holder, "enabled", "FALSE")
    element = add(holder, "effect")
    for tag, text in (
        ("name", effect.name or known.name),
        ("effectid", known.name),
        ("effectcategory", _CATEGORIES[known.kind]),
        ("effecttype", "filter"),
        ("mediatype", "video"),
    ):
        add(element, tag, text)
    for name, curve in effect.settings:
        setting = known.setting(name)
        if setting is None:
            continue
        if setting.unit == "colour":
            parameter = add(element, "parameter")
            add(parameter, "parameterid", name)
            add(parameter, "name", name.title())
            value = add(parameter, "value")
            for tag, part in zip(("alpha", "red", "green", "blue"), (1.0, *curve.still)):
                add(value, tag, round(part * 255))
        elif setting.unit == "px":
            keys(element, name, name.title(), curve, lambda value: value, 0, 1000)
        else:
            low = 0 if name == "amount" else -100
            keys(element, name, name.title(), curve, lambda value: (100.0 * value[0],), low, 100)
    return True


# ---- colour corrections

_TRIPLE = re.compile(r"\(([^()]*)\)")


def corrections_of(element: Element | None) -> list[Effect]:
    """Read ``colorinfo``: primaries as ASC CDL and look-up tables; empty where it says nothing."""
    said = (
        {str(child.tag): child.text.strip() for child in element if child.text} if element is not None else {}
    )
    if not any(said.values()):
        return []
    found = []
    triples = [_numbers(part) for part in _TRIPLE.findall(said.get("asc_sop", ""))]
    saturation = real(said.get("asc_sat") or None)
    if (len(triples) == 3 and all(len(one) == 3 for one in triples)) or saturation is not None:
        slope, offset, power = (
            triples
            if len(triples) == 3 and all(len(one) == 3 for one in triples)
            else ((1.0,) * 3, (0.0,) * 3, (1.0,) * 3)
        )
        values = (
            ("slope", slope),
            ("offset", offset),
            ("power", power),
            ("saturation", (1.0 if saturation is None else saturation,)),
        )
        if values != _NEUTRAL:
            shown = tuple(Parameter(name, " ".join(number(part) for part in value)) for name, value in values)
            found.append(
                Effect(
                    "ASC CDL",
                    "primaries",
                    True,
                    shown,
                    None,
                    tuple((name, Curve(value)) for name, value in values),
                )
            )
    for tag in ("lut", "lut1", "lut2"):
        name = said.get(tag)
        if name:
            found.append(Effect(name, "lut", True, (Parameter(tag, name),), Raw("xmeml", tag, name)))
    return found


_NEUTRAL = (
    ("slope", (1.0, 1.0, 1.0)),
    ("offset", (0.0, 0.0, 0.0)),
    ("power", (1.0, 1.0, 1.0)),
    ("saturation", (1.0,)),
)


def _numbers(text: str) -> Vector:
    found = [real(part) for part in text.replace(",", " ").split()]
    return tuple(part for part in found if part is not None)


def write_corrections(parent: Node, effects: tuple[Effect, ...]) -> None:
    """Spell primaries and look-up tables as ``colorinfo``."""
    primaries = next((one for one in effects if one.kind == "primaries"), None)
    tables = [
        one for one in effects if one.kind == "lut" and one.raw is not None and one.raw.dialect == "xmeml"
    ]
    if primaries is None and not tables:
        return
    element = add(parent, "colorinfo")
    if primaries is not None:
        values = dict(primaries.settings)
        triples = "".join(
            f"({' '.join(number(part) for part in values[name].still)})" for name in _SETTINGS_OF
        )
        add(element, "asc_sop", triples)
        add(element, "asc_sat", number(values["saturation"].still[0]))
    for one in tables:
        if one.raw is not None:
            add(element, one.raw.tag, one.name)
