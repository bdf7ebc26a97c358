"""What stands around a clip: operations, selectors and groups taken off one by one, each remembered."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction

from wexodos.formats.mobs import tree
from wexodos.formats.mobs.operations import curve_of, level_of
from wexodos.formats.mobs.pictures import Undressed
from wexodos.model import Curve, Effect, Key, Parameter
from wexodos.timing import Exact

DEEPEST = 60
STACK, TITLES = "stack", ("title", "private-title")


@dataclass(slots=True)
class Core:
    """The innermost segment of an item and all that was around it; curves in frames from the element's
    start."""

    segment: tree.Segment | None
    enabled: bool = True
    level: Curve | None = None
    pan: Curve | None = None
    speed: tree.Operation | None = None
    title: tree.Operation | None = None
    below: bool = False
    alternates: list[tree.Segment] = field(default_factory=list)
    dressed: Undressed | None = None
    unknown: list[Effect] = field(default_factory=list)
    attributes: dict[str, str | int] = field(default_factory=dict)
    comments: dict[str, str] = field(default_factory=dict)


def core(segment: tree.Segment, frames: Exact, size: tuple[int, int]) -> Core:
    """Unwrap an element that lasts ``frames`` frames."""
    found = Core(None, dressed=Undressed(size))
    current: tree.Segment | None = segment
    for _ in range(DEEPEST):
        if current is None:
            return found
        found.attributes.update(current.attributes)
        found.comments.update(current.comments)
        if isinstance(current, tree.Selector):
            if current.attributes.get("_DISABLE_CLIP_FLAG") == 1 and current.alternates:
                found.enabled = False
                current = current.alternates[0]
            else:
                found.alternates = found.alternates or list(current.alternates)
                current = current.selected
        elif isinstance(current, tree.Group):
            current = current.choices[0] if current.choices else None
        elif isinstance(current, tree.Operation) and current.op != STACK:
            if current.op in TITLES:
                found.title = current
                return found
            current = _operation(found, current, frames)
        elif isinstance(current, tree.Sequence) and len(current.parts) == 1:
            current = current.parts[0]
        elif isinstance(current, tree.ScopeReference | tree.Filler):
            found.below = bool(found.unknown) and isinstance(current, tree.ScopeReference)
            return found
        else:
            found.segment = current
            return found
    return found


def _operation(found: Core, operation: tree.Operation, frames: Exact) -> tree.Segment | None:
    if operation.op == "gain":
        found.level = joined_levels(found.level, gain_curve(operation, frames))
    elif operation.op == "pan":
        found.pan = pan_curve(operation, frames) or found.pan
    elif operation.op == "speed":
        found.speed = operation
    elif found.dressed is None or not found.dressed.take(operation, frames):
        found.unknown.insert(0, unknown_effect(operation))
    return main_input(operation)


def main_input(operation: tree.Operation) -> tree.Segment | None:
    """The input an effect acts on: the first that is neither a filler nor what lies below."""
    if not operation.inputs:
        return None
    real = [one for one in operation.inputs if not tree.nothing(one)]
    if (
        len(real) > 1
        and 0 < operation.bypass <= len(operation.inputs)
        and not tree.nothing(operation.inputs[operation.bypass - 1])
    ):
        return operation.inputs[operation.bypass - 1]
    return real[0] if real else operation.inputs[0]


def unknown_effect(operation: tree.Operation) -> Effect:
    """An effect nobody here understands, under the readablest name it has, with its settings as they
    stand."""
    name = str(
        operation.attributes.get("_EFFECT_PLUGIN_NAME")
        or operation.parameters.get("effect-id")
        or operation.name
        or operation.op
    )
    settings = []
    for key, value in operation.parameters.items():
        if isinstance(value, tree.Varying):
            settings.append(Parameter(key, "", len(value.points)))
        elif not isinstance(value, bytes):
            settings.append(Parameter(key, str(value)[:200]))
    return Effect(name, parameters=tuple(settings[:40]))


# ---- sound


def gain_curve(operation: tree.Operation, frames: Exact) -> Curve:
    """The level of a gain group in dB: its still gain and its curve multiply."""
    parts = [
        one
        for one in (operation.parameters.get("amplitude"), operation.parameters.get("volume"))
        if one is not None
    ]
    total: Curve | None = None
    for part in parts:
        value = part if isinstance(part, tree.Varying) else _float(part)
        total = joined_levels(total, level_curve(value, frames))
    return total or Curve((0.0,))


def level_curve(value: tree.Varying | float, frames: Exact) -> Curve:
    """Gains as levels in dB, mixed as gains: silence is minus infinity."""
    if not isinstance(value, tree.Varying):
        return Curve((level_of(value),))
    gains = curve_of([value], frames)
    keys = tuple(Key(key.time, (level_of(key.value[0]),), key.ease) for key in gains.keys)
    if not keys:
        return Curve((level_of(gains.still[0]),))
    return Curve(keys[0].value, keys, "gain")


def joined_levels(one: Curve | None, other: Curve) -> Curve:
    """Levels that act one after the other; where both move, the keys of both count."""
    if one is None:
        return other
    if not one.animated:
        return _raised(other, one.still[0])
    if not other.animated:
        return _raised(one, other.still[0])
    times = sorted({key.time for key in (*one.keys, *other.keys)})
    return Curve(
        (0.0,), tuple(Key(time, (_level_at(one, time) + _level_at(other, time),)) for time in times), "gain"
    )


def _raised(curve: Curve, by: float) -> Curve:
    if curve.animated:
        return Curve(
            (curve.value[0] + by,),
            tuple(Key(key.time, (key.value[0] + by,), key.ease) for key in curve.keys),
            curve.domain,
        )
    return Curve((curve.still[0] + by,))


def _level_at(curve: Curve, time: Exact) -> float:
    keys = curve.keys
    if time <= keys[0].time:
        return keys[0].value[0]
    for a, b in zip(keys, keys[1:]):
        if time <= b.time:
            x, y = (10 ** (key.value[0] / 20) for key in (a, b))
            return level_of(x + (y - x) * float(Fraction(time - a.time) / Fraction(b.time - a.time)))
    return keys[-1].value[0]


def pan_curve(operation: tree.Operation, frames: Exact) -> Curve | None:
    """The pan of a pan group, -1 to 1; None where it says only what is so without it."""
    value = operation.parameters.get("pan")
    if value is None:
        return None
    return curve_of(
        [value if isinstance(value, tree.Varying) else _float(value)], frames, lambda one: 2 * one - 1
    )


def _float(value: object) -> float:
    return float(value) if isinstance(value, int | float | Fraction) else 0.0


# ---- speed
