"""Motion, opacity, speed and sound settings of a clip (6 to 9)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction

import numpy as np

from wexodos.evaluate import curve_values, joined
from wexodos.formats.equivalents import Setting, known_filter, share_of
from wexodos.formats.errors import ReadError
from wexodos.formats.fcpxml.lexical import (
    BadTime,
    Element,
    decibels,
    frames,
    labelled,
    numbers,
    seconds,
    switch,
)
from wexodos.formats.fcpxml.resources import time_attribute
from wexodos.formats.fcpxml.units import SILENCE_DB, Space
from wexodos.formats.fcpxml.words import raw_of
from wexodos.model import (
    NORMAL,
    Constant,
    Curve,
    Ease,
    Effect,
    Fade,
    Key,
    Parameter,
    Speed,
    SpeedPoint,
    Variable,
)
from wexodos.model.curves import Vector, constant
from wexodos.model.speed import source_at
from wexodos.timing import Exact, Rate, exact

_EASES = {"linear": Ease.LINEAR, "ease": Ease.SMOOTH, "easein": Ease.IN, "easeout": Ease.OUT}
KEPT_OF_PICTURE = (
    "adjust-stabilization",
    "adjust-rollingShutter",
    "adjust-360-transform",
    "adjust-reorient",
    "adjust-orientation",
    "adjust-cinematic",
    "adjust-colorConform",
)
KEPT_OF_SOUND = (
    "adjust-loudness",
    "adjust-noiseReduction",
    "adjust-humReduction",
    "adjust-EQ",
    "adjust-matchEQ",
    "adjust-voiceIsolation",
)
"""Adjustments that are kept word for word."""
ADJUSTS = (
    "adjust-crop",
    "adjust-corners",
    "adjust-conform",
    "adjust-transform",
    "adjust-blend",
    *KEPT_OF_PICTURE,
    *KEPT_OF_SOUND,
    "adjust-volume",
    "adjust-panner",
)
"""All of them in the order receivers insist on (1.6)."""
BLENDS = {
    "normal": "normal",
    "subtract": "subtract",
    "darken": "darken",
    "multiply": "multiply",
    "color burn": "colour burn",
    "linear burn": "linear burn",
    "add": "add",
    "lighten": "lighten",
    "screen": "screen",
    "color dodge": "colour dodge",
    "linear dodge": "linear dodge",
    "overlay": "overlay",
    "soft light": "soft light",
    "hard light": "hard light",
    "vivid light": "vivid light",
    "linear light": "linear light",
    "pin light": "pin light",
    "hard mix": "hard mix",
    "difference": "difference",
    "exclusion": "exclusion",
    "stencil alpha": "stencil alpha",
    "stencil luma": "stencil luma",
}
BLEND_NUMBERS = {
    0: "normal",
    2: "subtract",
    3: "darken",
    4: "multiply",
    5: "colour burn",
    6: "linear burn",
    8: "add",
    9: "lighten",
    10: "screen",
    11: "colour dodge",
    12: "linear dodge",
    14: "overlay",
    15: "soft light",
    16: "hard light",
    17: "vivid light",
    18: "linear light",
    19: "pin light",
    20: "hard mix",
    22: "difference",
    23: "exclusion",
    25: "stencil alpha",
    26: "stencil luma",
}


@dataclass(slots=True)
class LocalTime:
    """Turns an owner's local time, in frames of ``rate``, into frames from the item's start."""

    at_start: Exact
    duration: Exact
    rate: Rate
    owner_start: Exact
    shifted: bool = False

    def offsets(self, locals_: list[Exact]) -> list[Exact]:
        """Key times as offsets; times that only make sense from the item's start are taken as such (8)."""
        if (
            locals_
            and self.owner_start > 0
            and max(locals_) < self.owner_start
            and max(locals_) <= self.duration
        ):
            self.shifted = True
            return [local + self.owner_start - self.at_start for local in locals_]
        return [local - self.at_start for local in locals_]


def animation(
    holder: Element | None,
    time: LocalTime,
    convert: Callable[[Vector], Vector],
    parse: Callable[[str | None], tuple[float, ...]],
) -> tuple[Key, ...]:
    """Read the keyframes of a ``param``; empty where it has none."""
    found: dict[Exact, tuple[Vector, Ease]] = {}
    block = holder.find("keyframeAnimation") if holder is not None else None
    for frame in block if block is not None else ():
        if frame.tag != "keyframe":
            continue
        values = parse(frame.get("value"))
        try:
            when = frames(frame.get("time") or "", time.rate)
        except BadTime:
            continue
        if values:
            ease = _EASES.get((frame.get("interp") or "linear").lower(), Ease.LINEAR)
            found[when] = (convert(values), ease)
    whens = sorted(found)
    return tuple(Key(at, *found[when]) for at, when in zip(time.offsets(whens), whens))


def _split_axes(holder: Element, time: LocalTime, convert: Callable[[Vector], Vector]) -> tuple[Key, ...]:
    """Keys of a position whose axes stand in sub-parameters of their own: joined at the union of their times
    (8)."""
    axes: dict[str, Curve] = {}
    for sub in holder.findall("param"):
        name = (sub.get("name") or "").strip().upper()
        keys = animation(sub, time, lambda value: value[:1], numbers)
        if name in ("X", "Y") and (keys or numbers(sub.get("value"))):
            axes[name] = Curve(keys[0].value if keys else (numbers(sub.get("value"))[0],), keys)
    times = sorted({key.time for axis in axes.values() for key in axis.keys})
    if not times:
        return ()
    at = np.array([float(one) for one in times])
    columns = [
        np.broadcast_to(curve_values(axes.get(name, constant(0)), at)[:, 0], (len(at),))
        for name in ("X", "Y")
    ]
    ease = next(key.ease for axis in axes.values() for key in axis.keys)
    return tuple(
        Key(t, convert((float(columns[0][i]), float(columns[1][i]))), ease) for i, t in enumerate(times)
    )


@dataclass(slots=True)
class Picture:
    """What a clip's adjustments say about its picture, in the model's units."""

    fit: str = "fit"
    curves: dict[str, Curve] = field(default_factory=dict)
    blend: str = "normal"


def fit_of(owner: Element) -> str:
    conform = owner.find("adjust-conform")
    kind = (conform.get("type") or "fit") if conform is not None else "fit"
    return kind if kind in ("fit", "fill", "none") else "fit"


def picture_of(owner: Element, time: LocalTime, space: Space) -> Picture:
    """Read transform, crop and blend of an element."""
    found = Picture(space.fit)
    transform = owner.find("adjust-transform")
    if transform is not None and switch(transform.get("enabled")):
        _curve(found, transform, "position", time, space.position_in, (0.0, 0.0))
        _curve(found, transform, "scale", time, lambda value: (value[0], value[-1]), (1.0, 1.0))
        _curve(found, transform, "rotation", time, lambda value: (-value[0] + 0.0,), (0.0,))
        _curve(found, transform, "anchor", time, space.anchor_in, (0.0, 0.0))
    crop = owner.find("adjust-crop")
    if crop is not None and switch(crop.get("enabled")) and crop.get("mode") in ("trim", "crop", "pan", None):
        _crop(found, crop, space, time)
    corners = owner.find("adjust-corners")
    if corners is not None and switch(corners.get("enabled")):
        _corners(found, corners, time, space)
    blend = owner.find("adjust-blend")
    if blend is not None and switch(blend.get("enabled")):
        _curve(found, blend, "amount", time, lambda value: (min(1.0, max(0.0, value[0])),), (1.0,), "opacity")
        found.blend = blend_of(blend.get("mode"))
    return found


def blend_of(text: str | None) -> str:
    """Our name of a blend mode: by its label, otherwise by its number (7.3)."""
    if not text:
        return "normal"
    label = labelled(text).lower()
    if label in BLENDS:
        return BLENDS[label]
    found = numbers(text)
    return BLEND_NUMBERS.get(int(found[0]), label) if found else label


def _curve(
    found: Picture,
    element: Element,
    name: str,
    time: LocalTime,
    convert: Callable[[Vector], Vector],
    neutral: Vector,
    slot: str = "",
) -> None:
    still = numbers(element.get(name))
    value = convert(still) if still else neutral
    holder = (
        next((one for one in element if one.get("name") == name and one.tag == "param"), None)
        if len(element)
        else None
    )
    keys: tuple[Key, ...] = ()
    if holder is not None:
        keys = animation(holder, time, convert, numbers) or (
            _split_axes(holder, time, convert) if name in ("position", "anchor") else ()
        )
        if not keys and numbers(holder.get("value")):
            value = convert(numbers(holder.get("value")))
    if keys or value != neutral:
        found.curves[slot or name] = Curve(keys[0].value if keys else value, keys)


_SIDES = ("left", "top", "right", "bottom")
CORNERS = ("topLeft", "topRight", "botRight", "botLeft")
"""In the model's order of the corners."""


def _corners(found: Picture, element: Element, time: LocalTime, space: Space) -> None:
    """Four corners, each pulled away from its own place (7)."""
    holder = Picture()
    for corner in CORNERS:
        _curve(holder, element, corner, time, space.corner_in, (0.0, 0.0))
    if holder.curves:
        found.curves["corners"] = joined([holder.curves.get(corner, constant(0, 0)) for corner in CORNERS])


def _edges(rect: Element, crop: Element, time: LocalTime) -> Curve:
    """The four edges of a rectangle as spelled; keys stand in parameters of the rectangle or of the crop
    around it."""
    holder = Picture()
    for side in _SIDES:
        _curve(holder, rect, side, time, lambda value: value[:1], (0.0,))
        if side not in holder.curves:
            _curve(holder, crop, side, time, lambda value: value[:1], (0.0,))
    return joined([holder.curves.get(side, constant(0)) for side in _SIDES])


def _crop(found: Picture, crop: Element, space: Space, time: LocalTime) -> None:
    mode = crop.get("mode") or "trim"
    rects = crop.findall(f"{mode}-rect")
    if not rects:
        return
    edges = _edges(rects[0], crop, time)
    if mode == "pan" and len(rects) > 1:
        # From the first rectangle to the second over the whole clip, eased at both ends (7; the easing is
        # unsure).
        last = _edges(rects[1], crop, time)
        edges = Curve(
            edges.still, (Key(0, edges.still, Ease.SMOOTH), Key(time.duration, last.still, Ease.SMOOTH))
        )

    def converted(value: Vector) -> Vector:
        left, top, right, bottom = value
        return space.crop_in(left, top, right, bottom)

    curve = Curve(
        converted(edges.value), tuple(Key(key.time, converted(key.value), key.ease) for key in edges.keys)
    )
    if not curve.keys and not any(curve.value):
        return
    found.curves["crop"] = curve
    if (
        mode in ("crop", "pan")
        and not found.curves.get("scale", constant(1, 1)).keys
        and "position" not in found.curves
    ):
        _filling(found, curve, space)


def _filling(found: Picture, crop: Curve, space: Space) -> None:
    """What is left of the picture is enlarged to fill the frame and centred on it (7)."""
    old = found.curves.get("scale", constant(1, 1)).value
    width, height = space.fitted
    frame = space.frame

    def filled(value: Vector) -> tuple[Vector, Vector]:
        left, top, right, bottom = value
        wide, tall = max(1e-6, 1.0 - left - right), max(1e-6, 1.0 - top - bottom)
        grow = min(frame.width * frame.pixel_aspect / (width * wide), frame.height / (height * tall))
        position = (
            -(left - right) / 2 * width * grow / frame.pixel_aspect + 0.0,
            -(top - bottom) / 2 * height * grow + 0.0,
        )
        return (old[0] * grow, old[-1] * grow), position

    for slot, part in (("scale", 0), ("position", 1)):
        found.curves[slot] = Curve(
            filled(crop.value)[part],
            tuple(Key(key.time, filled(key.value)[part], key.ease) for key in crop.keys),
        )


@dataclass(frozen=True, slots=True)
class MapPoint:
    """A point of a ``timeMap`` in seconds: adjusted time, original time, and how far its corner is rounded on
    either side."""

    time: Exact
    value: Exact
    into: Exact = 0
    out: Exact = 0


def time_map(owner: Element, place: str) -> list[MapPoint]:
    """The points of a ``timeMap`` by time; empty where there is none.

    Raises ``ReadError`` for broken times.
    """
    element = owner.find("timeMap")
    if element is None:
        return []
    points: dict[Exact, MapPoint] = {}
    for point in element.findall("timept"):
        at, value = time_attribute(point, "time", place), time_attribute(point, "value", place)
        if at is None or value is None:
            raise ReadError("a speed point lacks its time or value", place)
        into = out = None
        if (point.get("interp") or "smooth2").lower() != "linear":
            into, out = time_attribute(point, "inTime", place), time_attribute(point, "outTime", place)
        points[at] = MapPoint(at, value, max(into or 0, 0), max(out or 0, 0))
    return [points[at] for at in sorted(points)]


def speed_of(points: list[MapPoint], local: Exact, shift: Exact, rate: Rate) -> tuple[Speed, Exact]:
    """Return (speed, source in) for an item that begins at ``local``; ``shift`` turns original time into
    media seconds."""
    if not points:
        return NORMAL, local + shift
    if len(points) == 1:
        return Constant(0), points[0].value + shift
    ramp = Variable(
        tuple(
            SpeedPoint(
                rate.frames(point.time - local),
                point.value + shift,
                rate.frames(point.into),
                rate.frames(point.out),
            )
            for point in points
        )
    )
    slopes = {
        exact(Fraction(b.value - a.value) / Fraction(b.time - a.time)) for a, b in zip(points, points[1:])
    }
    source_in, _ = source_at(ramp, 0, 0, rate)
    if len(slopes) == 1:
        slope = slopes.pop()
        return (NORMAL if slope == 1 else Constant(slope)), source_in
    return ramp, source_in


def added_levels(one: Curve, other: Curve) -> Curve:
    """Two levels that act one after the other: their decibels add up, at every key of either."""
    if not other.keys and other.value == (0.0,):
        return one
    if not one.keys and one.value == (0.0,):
        return other
    times = sorted({key.time for part in (one, other) for key in part.keys})
    if not times:
        return Curve((one.value[0] + other.value[0],))
    at = np.array([float(time) for time in times])
    total = np.broadcast_to(curve_values(one, at)[:, 0], at.shape) + np.broadcast_to(
        curve_values(other, at)[:, 0], at.shape
    )
    eases = {key.time: key.ease for part in (other, one) for key in part.keys}
    keys = tuple(
        Key(time, (float(max(value, SILENCE_DB)),), eases[time]) for time, value in zip(times, total)
    )
    return Curve(keys[0].value, keys)


def level_of(owner: Element, time: LocalTime) -> tuple[Curve, Fade | None, Fade | None]:
    """Level and fades of ``adjust-volume`` in dB (9)."""
    volume = owner.find("adjust-volume")
    if volume is None or not switch(volume.get("enabled")):
        return constant(0), None, None
    holder = next((one for one in volume.findall("param") if one.get("name") == "amount"), None)
    still = decibels(volume.get("amount"))

    def parse(text: str | None) -> tuple[float, ...]:
        value = decibels(text)
        # A key at silence keeps the number: the way there is straight in dB.
        return () if value is None else (max(value, SILENCE_DB),)

    keys = animation(holder, time, lambda value: value, parse)
    if not keys and still is None and holder is not None:
        still = decibels(holder.get("value"))
    level = Curve(keys[0].value if keys else (still or 0.0,), keys)
    return level, _fade(holder, "fadeIn", time.rate), _fade(holder, "fadeOut", time.rate)


def _fade(holder: Element | None, tag: str, rate: Rate) -> Fade | None:
    element = holder.find(tag) if holder is not None else None
    if element is None:
        return None
    try:
        duration = seconds(element.get("duration") or "")
    except BadTime:
        return None
    shape = "linear" if (element.get("type") or "").lower() == "linear" else "equal-power"
    return Fade(rate.frames(duration), shape) if duration > 0 else None


def pan_of(owner: Element, time: LocalTime) -> Curve | None:
    """Pan of ``adjust-panner``; None where nothing is panned."""
    panner = owner.find("adjust-panner")
    if panner is None or not switch(panner.get("enabled")):
        return None

    def convert(value: Vector) -> Vector:
        return (min(1.0, max(-1.0, value[0] / 100.0)),)

    holder = next((one for one in panner.findall("param") if one.get("name") == "amount"), None)
    keys = animation(holder, time, convert, numbers)
    still = numbers(panner.get("amount")) or (numbers(holder.get("value")) if holder is not None else ())
    if not keys and (not still or still[0] == 0):
        return None
    return Curve(keys[0].value if keys else convert(still), keys)


def effects_of(
    owner: Element, tags: frozenset[str], names: dict[str, tuple[str, str]], time: LocalTime
) -> list[Effect]:
    """Filters and adjustments: kept word for word, in our own settings too where the other dialect has them
    as well."""
    found = []
    for child in owner:
        if child.tag not in tags:
            continue
        name = (
            child.get("name")
            or names.get(child.get("ref") or "", ("", ""))[0]
            or str(child.tag).removeprefix("adjust-")
        )
        parameters = tuple(
            Parameter(
                one.get("name") or one.get("key") or "",
                (one.get("value") or "")[:200],
                len(one.findall("keyframeAnimation/keyframe")),
            )
            for one in child.iter("param")
        )
        kind, settings = settings_of(child, name, time)
        found.append(Effect(name, kind, switch(child.get("enabled")), parameters, raw_of(child), settings))
    return found


def settings_of(element: Element, name: str, time: LocalTime) -> tuple[str, tuple[tuple[str, Curve], ...]]:
    """Return (kind, settings) of a filter; ``("filter", ())`` where it or one of its parameters is not
    known."""
    known = known_filter(name) if element.tag == "filter-video" else None
    if known is None:
        return "filter", ()
    found: list[tuple[str, Curve]] = []
    for parameter in element:
        setting = known.setting(parameter.get("name") or "") if parameter.tag == "param" else None
        if setting is None or parameter.find("param") is not None:
            return "filter", ()
        size = len(setting.neutral)

        def convert(value: Vector, setting: Setting = setting, size: int = size) -> Vector:
            return (
                tuple(share_of(part, None) for part in value[:1]) if setting.unit == "share" else value[:size]
            )

        keys = animation(parameter, time, convert, numbers)
        still = numbers(parameter.get("value"))
        if not keys and len(still) < size:
            return "filter", ()
        found.append((setting.name, Curve(keys[0].value if keys else convert(still), keys)))
    return known.kind, tuple(found)
