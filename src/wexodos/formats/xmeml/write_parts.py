"""Pieces that every written item is made of: rates, timecodes, markers, parameters."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

from wexodos.formats.tree import Node, add, shared
from wexodos.formats.xmeml.tables import PIXEL_ASPECTS
from wexodos.formats.xmeml.units import number
from wexodos.model import Item, Marker
from wexodos.model.curves import Vector
from wexodos.timing import Exact, Rate, Timecode, ceil, exact


@dataclass(slots=True)
class Spelled:
    """One ``clipitem`` to be: an item, the channel it carries (sound), its track and its place there."""

    item: Item
    channel: int | None
    medium: str
    track: int
    id: str
    index: int = 0


def boolean(value: bool) -> str:
    return "TRUE" if value else "FALSE"


def write_rate(parent: Node, rate: Rate) -> None:
    parent.append(_rate(rate))


@lru_cache(maxsize=64)
def _rate(rate: Rate) -> Node:
    element = Node("rate")
    add(element, "timebase", rate.nominal)
    add(element, "ntsc", boolean(rate.ntsc))
    return shared(element)[0]


def write_timecode(parent: Node, frame: int | None, rate: Rate, drop: bool, reel: str | None = None) -> None:
    """A timecode; where nobody knows it, only the reel that stands in it."""
    element = add(parent, "timecode")
    write_rate(element, rate)
    if frame is not None:
        add(element, "string", Timecode(frame, rate, drop))
        add(element, "frame", frame)
        add(element, "displayformat", "DF" if drop else "NDF")
    if reel:
        add(add(element, "reel"), "name", reel)


def aspect_name(aspect: Exact) -> tuple[str, bool] | None:
    """The dialect's name of a pixel aspect and whether it is anamorphic; None where it has none."""
    for name, ratio in PIXEL_ASPECTS.items():
        if exact(*ratio) == aspect:
            return name, False
        if name.endswith("601") and exact(*ratio) * Fraction(4, 3) == aspect:
            return name, True
    return None


def write_aspect(shape: Node, aspect: Exact) -> None:
    name, anamorphic = aspect_name(aspect) or ("square", False)
    add(shape, "anamorphic", boolean(anamorphic))
    add(shape, "pixelaspectratio", name)


def write_marker(parent: Node, marker: Marker, base: int) -> None:
    element = add(parent, "marker")
    add(element, "name", marker.name)
    add(element, "comment", marker.comment)
    add(element, "in", ceil(marker.start) + base)
    add(element, "out", ceil(marker.start + marker.duration) + base if marker.duration else -1)
    if marker.color:
        write_color(add(element, "color"), marker.color)


def write_color(element: Node, color: str) -> None:
    for tag, place in (("alpha", 7), ("red", 1), ("green", 3), ("blue", 5)):
        add(element, tag, int(color[place : place + 2], 16))


def parameter(
    effect: Node, key: str, name: str, value: object, low: object = None, high: object = None
) -> Node:
    element = Node("parameter", children=list(_head(key, name, low, high)))
    effect.append(element)
    add(element, "value", value)
    return element


@lru_cache(maxsize=500)
def _head(key: str, name: str, low: object, high: object) -> tuple[Node, ...]:
    element = Node("parameter")
    add(element, "parameterid", key)
    add(element, "name", name)
    if low is not None:
        add(element, "valuemin", low)
        add(element, "valuemax", high)
    return tuple(element)


def curve_parameter(
    effect: Node, key: str, name: str, value: Vector, low: object = None, high: object = None
) -> Node:
    """A parameter of one number, or of two that count across and down."""
    if len(value) == 1:
        return parameter(effect, key, name, number(value[0]), low, high)
    element = Node("parameter", children=list(_head(key, name, low, high)))
    effect.append(element)
    value_element(element, value)
    return element


def effect_element(parent: Node, name: str, key: str, category: str, kind: str, medium: str) -> Node:
    """An ``effect`` with the five fields every one of them has."""
    element = add(parent, "effect")
    for tag, text in (
        ("name", name),
        ("effectid", key),
        ("effectcategory", category),
        ("effecttype", kind),
        ("mediatype", medium),
    ):
        add(element, tag, text)
    return element


def color_parameter(effect: Node, key: str, name: str, color: str) -> None:
    element = add(effect, "parameter")
    add(element, "parameterid", key)
    add(element, "name", name)
    write_color(add(element, "value"), color)


def value_element(parent: Node, value: Vector) -> None:
    if len(value) == 1:
        add(parent, "value", number(value[0]))
    else:
        element = add(parent, "value")
        add(element, "horiz", number(value[0]))
        add(element, "vert", number(value[1]))
