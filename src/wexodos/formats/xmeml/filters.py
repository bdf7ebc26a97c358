"""Filters of an item: motion, crop, opacity, speed, level and pan are understood, the rest is kept."""

from __future__ import annotations

import copy
from dataclasses import dataclass, field, replace
from typing import Any

from lxml import etree

from wexodos.evaluate import joined
from wexodos.formats.xmeml.effects import settings_of
from wexodos.formats.xmeml.lexical import Element, boolean
from wexodos.formats.xmeml.parameters import KeyBase, curve_of, parameter_id, shown_parameter
from wexodos.formats.xmeml.speeds import Remap, remap_of
from wexodos.formats.xmeml.units import db_of_gain, snapped_scale
from wexodos.model import Curve, Effect, Key, Motion, Raw, Sound
from wexodos.model.curves import Vector, constant

MOTION_EFFECTS = frozenset({"basic", "crop", "opacity", "timeremap", "distort", "dropshadow", "motionblur"})


@dataclass(slots=True)
class Filters:
    """What an item's filters say, in the model's units."""

    motion: dict[str, Curve] = field(default_factory=dict)
    levels: list[Curve] = field(default_factory=list)
    pan: Curve | None = None
    remap: Remap | None = None
    effects: list[Effect] = field(default_factory=list)
    titles: list[Element] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Frames:
    """The pixel sizes that motion is measured in: (width, height) of the reference and of source and
    frame."""

    reference: tuple[float, float]
    fits: tuple[float, ...]


@dataclass(slots=True)
class Filter:
    """A ``filter`` element taken apart once."""

    element: Element
    effect: Element
    kind: str
    on: bool
    parameters: list[Element]
    ranged: bool = False


def taken_apart(elements: list[Element]) -> list[Filter]:
    """Look at each filter once: its effect, its id, whether it is on, its parameters."""
    found = []
    for element in elements:
        effect, on, ranged = None, True, False
        for child in element:
            if child.tag == "effect":
                effect = child
            elif child.tag == "enabled":
                on = boolean(child.text, True)
            elif child.tag in ("start", "end"):
                ranged = ranged or (child.text or "-1").strip() != "-1"
        if effect is None:
            continue
        name = identifier = ""
        parameters: list[Element] = []
        for child in effect:
            tag = child.tag
            if tag == "parameter":
                parameters.append(child)
            elif tag == "effectid":
                identifier = (child.text or "").strip().lower()
            elif tag == "name":
                name = (child.text or "").strip().lower()
            elif tag == "pproBypass" and boolean(child.text, False):
                on = False
        found.append(Filter(element, effect, identifier or name, on, parameters, ranged))
    return found


def remap_in(filters: list[Filter]) -> Remap | None:
    """The speed change among an item's filters: it decides what all other times mean, so it is read first."""
    return next((remap_of(one.effect) for one in filters if one.kind == "timeremap" and one.on), None)


def read_filters(filters: list[Filter], base: KeyBase, frames: Frames) -> Filters:
    """Read all filters of an item. Values that change nothing are dropped."""
    found = Filters()
    for one in filters:
        element, effect, kind, on = one.element, one.effect, one.kind, one.on
        if kind == "timeremap" and on:
            continue
        if kind == "graphicandtype":
            found.titles.append(effect)
        elif on and kind == "basic":
            _basic(one.parameters, base, frames, found.motion)
        elif on and kind == "opacity":
            for parameter in one.parameters:
                _put(found.motion, "opacity", curve_of(parameter, base, _percent))
        elif on and kind in ("crop", "distort"):
            if kind == "crop":
                _crop(effect, base, found.motion)
            else:
                _corners(one.parameters, base, found.motion)
            if _other_numbers(effect, _EDGES[kind]):
                found.effects.append(_leftover(element, _EDGES[kind], base))
        elif on and kind == "audiolevels":
            for parameter in one.parameters:
                if parameter_id(parameter).lower() == "level":
                    level = curve_of(parameter, base, _decibel, "gain")
                    if level is not None and (level.keys or level.value != (0.0,)):
                        found.levels.append(level)
        elif on and kind == "audiopan":
            for parameter in one.parameters:
                pan = curve_of(parameter, base, _plain)
                if pan is not None and (pan.keys or pan.value != (0.0,)):
                    found.pan = pan
        elif _says_something(effect, kind):
            found.effects.append(kept_effect(element, effect, on, base))
    if "corners" in found.motion:
        _stretched(found.motion)
    return found


def kept_effect(element: Element, effect: Element, on: bool, base: KeyBase) -> Effect:
    """An effect with its settings for reading and its whole spelling for the way back; in our own settings
    too where the other dialect has it as well."""
    name = (effect.findtext("name") or "").strip() or (effect.findtext("effectid") or "").strip() or "filter"
    parameters = tuple(shown_parameter(parameter) for parameter in effect.findall("parameter"))
    kind, settings = settings_of(effect, name, base)
    return Effect(name, kind, on, parameters, raw_of(element), settings)


def _leftover(element: Element, understood: frozenset[str], base: KeyBase) -> Effect:
    """What a filter says beyond what was understood of it: a feathered edge of a crop, a bent aspect of a
    distortion."""
    rest = copy.deepcopy(element)
    effect = rest.find("effect")
    assert effect is not None
    for parameter in effect.findall("parameter"):
        if parameter_id(parameter).lower() in understood:
            effect.remove(parameter)
    return kept_effect(rest, effect, True, base)


def raw_of(element: Element) -> Raw:
    return Raw("xmeml", str(element.tag), etree.tostring(element, encoding="unicode", with_tail=False))


def _says_something(effect: Element, kind: str) -> bool:
    """Whether an effect that is not understood (motion blur) differs from neutral."""
    if kind == "motionblur":
        return any(
            parameter_id(parameter) == "duration" and _differs(parameter, (0.0,))
            for parameter in effect.findall("parameter")
        )
    return True


def _differs(parameter: Element, neutral: Vector | None) -> bool:
    if neutral is None:
        return False
    found = curve_of(parameter, KeyBase(0, 0, 1), _plain)
    return found is not None and any(
        value != neutral for value in ([key.value for key in found.keys] or [found.value])
    )


def _other_numbers(effect: Element, known: frozenset[str]) -> bool:
    """Whether a parameter outside ``known`` is set to anything but zero (a feathered crop edge, say)."""
    return any(
        parameter_id(parameter).lower() not in known and _differs(parameter, (0.0,))
        for parameter in effect.findall("parameter")
    )


def _percent(value: Vector) -> Vector:
    return (min(1.0, max(0.0, value[0] / 100.0)),)


def _decibel(value: Vector) -> Vector:
    return (db_of_gain(value[0]),)


def _plain(value: Vector) -> Vector:
    return value


_NEUTRAL: dict[str, Vector] = {"scale": (1.0, 1.0), "opacity": (1.0,)}


def _put(motion: dict[str, Curve], name: str, curve: Curve | None) -> None:
    if curve is None:
        return
    neutral = _NEUTRAL.get(name, (0.0,) * len(curve.value))
    if curve.keys or curve.value != neutral:
        motion[name] = curve


def _basic(parameters: list[Element], base: KeyBase, frames: Frames, motion: dict[str, Curve]) -> None:
    width, height = frames.reference

    def pixels(value: Vector) -> Vector:
        return (value[0] * width, value[-1] * height)

    def factor(value: Vector) -> Vector:
        scale = snapped_scale(value[0], frames.fits)
        return (scale, scale)

    for parameter in parameters:
        kind = parameter_id(parameter).lower()
        if kind == "scale":
            _put(motion, "scale", curve_of(parameter, base, factor))
        elif kind == "rotation":
            _put(motion, "rotation", curve_of(parameter, base, lambda value: value[:1]))
        elif kind == "center":
            _put(motion, "position", curve_of(parameter, base, pixels))
        elif kind == "centeroffset":
            _put(motion, "anchor", curve_of(parameter, base, lambda value: (value[0], value[-1])))


_CORNERS: dict[str, Vector] = {
    "ulcorner": (-0.5, -0.5),
    "urcorner": (0.5, -0.5),
    "lrcorner": (0.5, 0.5),
    "llcorner": (-0.5, 0.5),
}


_EDGES = {"crop": frozenset({"left", "top", "right", "bottom"}), "distort": frozenset(_CORNERS)}


def _corners(parameters: list[Element], base: KeyBase, motion: dict[str, Curve]) -> None:
    """Four corners as fractions of the picture, each measured from its own place (8.1)."""
    sides: dict[str, Curve] = {}
    for parameter in parameters:
        corner = parameter_id(parameter).lower()
        place = _CORNERS.get(corner)
        if place is not None:
            found = curve_of(
                parameter,
                base,
                lambda value, place=place: (  # type: ignore[misc]
                    value[0] - place[0],
                    value[-1] - place[1],
                ),
            )
            if found is not None:
                sides[corner] = found
    _put(motion, "corners", joined([sides.get(corner, constant(0, 0)) for corner in _CORNERS]))


def _stretched(motion: dict[str, Curve]) -> None:
    """Corners pulled alike on all sides are width and height scaled apart; that is how the dialect spells
    it."""
    corners = motion["corners"]
    if corners.keys or "anchor" in motion:
        return
    x, y = -2.0 * corners.value[0], -2.0 * corners.value[1]
    if any(abs(a - b) > 1e-9 for a, b in zip(corners.value, pulled_corners(1.0 + x, 1.0 + y))):
        return
    del motion["corners"]
    scale = motion.get("scale", constant(1, 1))

    def spread(value: Vector) -> Vector:
        return value[0] * (1.0 + x), value[-1] * (1.0 + y)

    _put(
        motion,
        "scale",
        Curve(spread(scale.value), tuple(Key(key.time, spread(key.value), key.ease) for key in scale.keys)),
    )


def pulled_corners(wide: float, tall: float) -> Vector:
    """The corners of a picture whose width and height are scaled apart, from their own places."""
    x, y = (wide - 1.0) / 2.0, (tall - 1.0) / 2.0
    return -x, -y, x, -y, x, y, -x, y


def _crop(effect: Element, base: KeyBase, motion: dict[str, Curve]) -> None:
    edges: dict[str, Curve] = {}
    for parameter in effect.findall("parameter"):
        edge = parameter_id(parameter).lower()
        found = curve_of(parameter, base, lambda value: (value[0] / 100.0,))
        if found is not None and edge in ("left", "top", "right", "bottom"):
            edges[edge] = found
    sides = [edges.get(edge, constant(0)) for edge in ("left", "top", "right", "bottom")]
    _put(motion, "crop", joined(sides))


def sound_of(found: Filters, channels: tuple[int, ...]) -> Sound:
    """Level and pan of a sound item; several level filters multiply, which adds their decibels (9)."""
    level = constant(0)
    still = sum(one.still[0] for one in found.levels if not one.animated)
    moving = [one for one in found.levels if one.animated]
    if moving:
        first = moving[0]
        level = replace(
            first,
            keys=tuple(Key(key.time, (key.value[0] + still,), key.ease) for key in first.keys),
            value=(first.value[0] + still,),
        )
    elif found.levels:
        level = Curve((still,), (), "gain")
    return Sound(channels=channels, level=level, pan=found.pan)


def motion_of(found: Filters) -> Motion:
    """The motion of a picture item; fit mode ``none``, as the dialect counts from native pixels (8.1)."""
    if not found.motion:
        return PLAIN_MOTION
    parts: dict[str, Any] = dict(found.motion)
    return Motion(fit="none", **parts)


PLAIN_MOTION = Motion()
