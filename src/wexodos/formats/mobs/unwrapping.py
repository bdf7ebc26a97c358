"""What stands around a clip: operations, selectors and groups taken off one by one, each remembered."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction
from typing import TypeAlias

from wexodos.formats.mobs import tree
from wexodos.formats.mobs.operations import curve_of, level_of
from wexodos.formats.mobs.pictures import Undressed
from wexodos.model import Constant, Curve, Effect, Key, Parameter, Speed, SpeedPoint, Variable
from wexodos.timing import Exact, Rate, exact, floor

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


def speed_of(operation: tree.Operation, start: Exact, rate: Rate, own: Rate) -> tuple[Speed, Exact]:
    """The speed of a time warp and the source boundary in seconds, from the source's first frame, at its
    first frame.

    ``start`` is the start of its input in units of ``rate``, in which the warp counts too; ``own`` is the
    rate of the sequence. The order of trust: an offset map that was drawn, one that was sampled from a speed
    map, a still speed, the ratio. A map whose times can be read in no way that uses as much of the source as
    is there was drawn for another length (a clip that was trimmed since): where it is straight the ratio
    counts.
    """
    length = operation.length
    # A map says more than the ratio beside it.
    operation.parameters.get("speed-ratio")
    source = main_input(operation)
    taken = source.length if source is not None else length
    pace: Exact | None = None
    for name in ("offset-map", "sampled-map"):
        drawn = operation.parameters.get(name)
        if isinstance(drawn, tree.Varying) and len(drawn.points) > 1:
            pairs, fits = fitting_map(drawn, length, taken)
            if fits or len(pairs) > 2:
                return _mapped(pairs, start, rate, own)
            pace = _pace(operation)
    still = operation.parameters.get("speed-map")
    if pace is None and isinstance(still, tree.Varying) and still.points:
        values = {point.value for point in still.points}
        if len(values) == 1:
            pace = exact(Fraction(values.pop()).limit_denominator(10_000))
        else:
            pairs, _ = fitting_map(still, length, taken, summed=True)
            return _mapped(pairs, start, rate, own)
    if pace is None:
        pace = _pace(operation)
    if pace == 0:
        return Constant(0), rate.seconds(start)
    if pace < 0:
        return Constant(pace), rate.seconds(start + taken)
    return Constant(pace), rate.seconds(start)


def _pace(operation: tree.Operation) -> Exact:
    """Speed from the ratio output / input: exact where it is short, the simplest that fits where it was
    rounded."""
    value = operation.parameters.get("speed-ratio")
    taken = operation.inputs[0].length if operation.inputs else operation.length
    if not isinstance(value, int | Fraction) or value == 0:
        return exact(Fraction(taken) / Fraction(operation.length or 1)) if taken else 1
    if taken == 1 and abs(value) == operation.length and operation.length > 2:
        return 0
    ratio = Fraction(value)
    if ratio.denominator >= 100_000:
        for limit in (10, 100, 1000, 10_000):
            near = ratio.limit_denominator(limit)
            if near and abs(near - ratio) <= Fraction(1, 1_000_000):
                ratio = near
                break
    pace = 1 / ratio
    # One family writes the frames used, not the speed: floor((N - 1) · speed) + 1 of them.
    counted = Fraction(taken) / Fraction(operation.length or 1)
    if abs(pace) == counted and counted.denominator > 1 and operation.length > 1:
        shown = Fraction(taken - 1) / Fraction(operation.length - 1)
        simple = next(
            (
                one
                for one in (shown.limit_denominator(limit) for limit in (1, 2, 4, 5, 10, 20, 100))
                if floor((operation.length - 1) * one) + 1 == taken
            ),
            None,
        )
        if simple is not None and simple.denominator < counted.denominator:
            return exact(-simple if pace < 0 else simple)
    return exact(pace)


Pairs: TypeAlias = "list[tuple[Exact, Exact]]"


def fitting_map(curve: tree.Varying, length: Exact, taken: Exact, summed: bool = False) -> tuple[Pairs, bool]:
    """The (frame, source frame) pairs of an offset map, or of a speed map that is ``summed`` up, and whether
    they use what is ``taken`` of the source in ``length`` frames.

    Times are frames, shares of the length, or shares of the way to the last frame. As the file says is tried
    first, then the others: files say it wrongly.
    """
    ways = [(curve.unit, curve.last), ("frames", False), ("share", False), ("share", True)]
    first: Pairs | None = None
    for unit, last in dict.fromkeys(ways):
        span = 1 if unit == "frames" else length - 1 if last and length > 1 else length
        times = [exact(Fraction(point.time) * Fraction(span)) for point in curve.points]
        if summed:
            pairs = _summed(curve, times, length)
        else:
            pairs = _thinned(sorted(dict(zip(times, map(_offset, curve.points))).items()))
        first = pairs if first is None else first
        if min(times) < Fraction(3, 2) and max(times) > length - 2:
            way = abs(_at(pairs, length) - _at(pairs, 0))
            # A whole frame more is used than is gone over, and at speed the last step counts.
            if abs(way - taken) <= max(Fraction(2), way / Fraction(length or 1) + 1, Fraction(taken) / 50):
                return pairs, True
    return first or [], False


def _offset(point: tree.Point) -> Exact:
    return (
        point.exact if point.exact is not None else exact(Fraction(point.value).limit_denominator(1_000_000))
    )


def _at(pairs: Pairs, time: Exact) -> Fraction:
    """The source frame at a frame; before the first and after the last the line goes on."""
    if len(pairs) < 2:
        return Fraction(pairs[0][1])
    number = next((place for place in range(1, len(pairs) - 1) if time <= pairs[place][0]), len(pairs) - 1)
    (a, x), (b, y) = pairs[number - 1], pairs[number]
    return x + Fraction(y - x) * Fraction(time - a) / Fraction(b - a)


def _mapped(pairs: Pairs, start: Exact, rate: Rate, own: Rate) -> tuple[Speed, Exact]:
    falling = len(pairs) > 1 and pairs[-1][1] < pairs[0][1]
    points = [
        (own.frames(rate.seconds(time)), exact(rate.seconds(start + offset + falling)))
        for time, offset in pairs
    ]
    first, last = points[0], points[-1]
    pace = (
        exact(Fraction(last[1] - first[1]) / Fraction(own.seconds(last[0] - first[0])))
        if last[0] > first[0]
        else 0
    )
    if len(points) == 2 or (pace == 0 and all(source == first[1] for _, source in points)):
        return Constant(pace), exact(first[1] - pace * own.seconds(first[0]))
    return Variable(tuple(SpeedPoint(time, source) for time, source in points)), first[1]


def _summed(curve: tree.Varying, times: list[Exact], length: Exact) -> Pairs:
    """A speed curve with straight lines, summed up at every half frame."""
    keys = sorted(zip(times, (Fraction(point.value).limit_denominator(100_000) for point in curve.points)))

    def speed_at(time: Fraction) -> Fraction:
        if time <= keys[0][0]:
            return keys[0][1]
        for (a, x), (b, y) in zip(keys, keys[1:]):
            if time <= b:
                return x if curve.law == "constant" else x + (y - x) * (time - a) / (b - a)
        return keys[-1][1]

    total, made = Fraction(0), list[tuple[Exact, Exact]]()
    steps = min(2 * floor(length), 20_000)
    step = Fraction(length) / max(steps, 1)
    for number in range(steps + 1):
        made.append((exact(number * step), exact(total)))
        total += speed_at((number + Fraction(1, 2)) * step) * step
    return _thinned(made)


def _thinned(pairs: list[tuple[Exact, Exact]]) -> list[tuple[Exact, Exact]]:
    """Points that lie on the line between their neighbours left out (a sampled map has two a frame); a
    millionth is forgiven."""
    kept = pairs[:1]
    for number in range(1, len(pairs) - 1):
        (a, x), (b, y), (c, z) = kept[-1], pairs[number], pairs[number + 1]
        expected = x + Fraction(z - x) * Fraction(b - a) / Fraction(c - a)
        if abs(float(expected - y)) > 1e-5:
            kept.append(pairs[number])
    return [*kept, pairs[-1]] if len(pairs) > 1 else kept
