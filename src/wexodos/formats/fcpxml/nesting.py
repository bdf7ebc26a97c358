"""A picture inside a clip that is itself moved (7.2)."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

from wexodos.formats.fcpxml.adjusts import Picture
from wexodos.model import Curve, constant
from wexodos.model.curves import Vector


def inside(inner: Picture, outer: Picture) -> Picture:
    """The picture inside a clip with what the clip around it does to it: scale and opacity multiply, the rest
    adds up (7.2).

    Only one of the two may move in any one respect; where both do, the clip around it counts.
    """
    curves = dict(inner.curves)
    scale, rotation = outer.curves.get("scale", constant(1, 1)), outer.curves.get("rotation", constant(0))
    for name, curve in outer.curves.items():
        mine = curves.get(name)
        if mine is None or mine.keys or name in ("anchor", "crop", "corners"):
            curves[name] = curve
        elif name in ("scale", "opacity"):
            curves[name] = _each(
                curve,
                lambda value, mine=mine: tuple(a * b for a, b in zip(value, mine.value)),  # type: ignore[misc]
            )
        elif name == "rotation":
            curves[name] = _each(curve, lambda value, mine=mine: (value[0] + mine.value[0],))  # type: ignore[misc]
    if "position" in inner.curves and not scale.keys and not rotation.keys:
        angle = math.radians(rotation.value[0])

        def carried(value: Vector) -> Vector:
            x, y = value[0] * scale.value[0], value[1] * scale.value[1]
            return x * math.cos(angle) - y * math.sin(angle), x * math.sin(angle) + y * math.cos(angle)

        moved = _each(inner.curves["position"], carried)
        around = outer.curves.get("position", constant(0, 0))
        if not around.keys:
            curves["position"] = _each(
                moved, lambda value: (value[0] + around.value[0], value[1] + around.value[1])
            )
        elif not moved.keys:
            curves["position"] = _each(
                around, lambda value: (value[0] + moved.value[0], value[1] + moved.value[1])
            )
    return Picture(outer.fit, curves, outer.blend if outer.blend != "normal" else inner.blend)


def _each(curve: Curve, change: Callable[[Vector], Vector]) -> Curve:
    return replace(
        curve,
        value=change(curve.value),
        keys=tuple(replace(key, value=change(key.value)) for key in curve.keys),
    )
