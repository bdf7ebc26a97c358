"""Our words for the effects and settings of the edit protocol, and how their values are counted.

==============  ================================================================================
gain            linear, 1 = 0 dB
pan             0 left, 1/2 centre, 1 right
position        -1 to 1 of half the frame from its centre, x right, y down (unsure: no foreign file
                confirmed it)
scale           factors, 1 = as it is after it was fitted into the frame
rotation        degrees, clockwise (unsure)
crop            the place of each edge, -1 to 1 of the picture (unsure)
opacity         0 to 1
level           of a transition: the share of what comes in
speed           output length / input length; negative plays backwards
==============  ================================================================================
"""

from __future__ import annotations

from fractions import Fraction
from math import cos, frexp, inf, log10, pi, sin

from wexodos.formats.mobs.tree import Operation, Point, Varying
from wexodos.model import Curve, Ease, Key
from wexodos.timing import Exact, exact, floor

CURVE_POINTS = 16
"""Pieces in which an equal-power crossfade is spelled: at most 0.005 of the gain away from the sine."""
JUST_BEFORE = Fraction(1, 64)
"""Frames before a key at which a held value is repeated where only straight lines can be said."""


def gain_of(level: float) -> float:
    """Linear gain of a level in dB; 0 for minus infinity."""
    return float(10.0 ** (level / 20.0))


def level_of(gain: float) -> float:
    """Level in dB of a linear gain."""
    return -inf if gain <= 0.0000158 else 20.0 * log10(gain)


def rational(value: float | Exact) -> tuple[int, int]:
    """Numerator and denominator, both fitting in 31 bits, of a number: exact where possible, else to nine
    digits."""
    if isinstance(value, int | Fraction):
        whole = Fraction(value)
        if abs(whole.numerator) < 1 << 31 and whole.denominator < 1 << 31:
            return whole.numerator, whole.denominator
        value = float(whole)
    if value == int(value) and abs(value) < 1 << 31:
        return int(value), 1
    near = Fraction(value).limit_denominator(100_000)
    if float(near) == value and abs(near.numerator) < 1 << 31:
        return near.numerator, near.denominator
    # The numerator must fit in 31 bits, whatever the size of the value.
    scale = 1 << max(0, min(29, 30 - frexp(value)[1]))
    return max(-(1 << 31) + 1, min((1 << 31) - 1, round(value * scale))), scale


def simple_pace(taken: Exact, length: Exact) -> Fraction | None:
    """The simplest speed at which ``length`` frames use ``taken`` of the source, where it is simpler than the
    one over the other: what a family of files means by it."""
    counted = Fraction(taken) / Fraction(length or 1)
    if counted.denominator == 1 or length <= 1:
        return None
    shown = Fraction(taken - 1) / Fraction(length - 1)
    found = (shown.limit_denominator(limit) for limit in (1, 2, 4, 5, 10, 20, 100))
    simple = next((one for one in found if floor((length - 1) * one) + 1 == taken), None)
    return simple if simple is not None and simple.denominator < counted.denominator else None


def points_of(
    curve: Curve, shift: Exact, length: Exact, part: int, convert: object = None
) -> Varying | float:
    """One number of a curve as control points over ``length`` frames that begin ``shift`` frames before the
    item.

    Held values get a point right before the next key: an operation has one way of mixing for all its points.
    Of a curve whose keys all hold one value the first number alone has points: they say where the keys stand.
    """
    turn = convert if callable(convert) else float
    if not curve.animated and (len(curve.keys) < 2 or part):
        return float(turn(curve.still[part]))
    held = all(key.ease is Ease.HOLD for key in curve.keys[:-1])
    made: list[Point] = []
    for key, after in zip(curve.keys, (*curve.keys[1:], None)):
        value = float(turn(key.value[part]))
        made.append(Point(exact(Fraction(key.time + shift) / Fraction(length)), value))
        if (
            curve.animated
            and key.ease is Ease.HOLD
            and not held
            and after is not None
            and after.time - key.time > JUST_BEFORE
        ):
            made.append(Point(exact(Fraction(after.time + shift - JUST_BEFORE) / Fraction(length)), value))
    if curve.animated and len({point.value for point in made}) == 1:
        return made[0].value
    return Varying(made, "share", "constant" if held else "linear")


def curve_of(
    values: list[Varying | float], length: Exact, convert: object = None, domain: str = "plain"
) -> Curve:
    """Join settings of one operation to a curve over frames; ``length`` frames are the operation's."""
    turn = convert if callable(convert) else float
    moving = [one for one in values if isinstance(one, Varying) and len(one.points) > 1]
    if not moving:
        still = tuple(float(turn(one.points[0].value if isinstance(one, Varying) else one)) for one in values)
        return Curve(still)
    columns = [_timed(one, length) if isinstance(one, Varying) else None for one in values]
    times = sorted({time for column in columns if column for time in column})
    keys = []
    for time in times:
        row = []
        for value, column in zip(values, columns):
            plain = value if not isinstance(value, Varying) else value.points[0].value
            row.append(
                float(turn(_at(column, time, value.law) if column and isinstance(value, Varying) else plain))
            )
        keys.append(
            Key(time, tuple(row), Ease.HOLD if all(one.law == "constant" for one in moving) else Ease.LINEAR)
        )
    return Curve(keys[0].value, tuple(keys), domain)


def _timed(curve: Varying, length: Exact) -> dict[Exact, float]:
    """Values by time in frames: sorted, the later of equals counts (the points of a file come in any
    order)."""
    if curve.unit == "frames":
        return dict(sorted((exact(point.time), point.value) for point in _later(curve.points)))
    span = length - 1 if curve.last and length > 1 else length
    return dict(
        sorted(
            (_near(exact(Fraction(point.time) * Fraction(span))), point.value)
            for point in _later(curve.points)
        )
    )


def _later(points: list[Point]) -> list[Point]:
    return list({point.time: point for point in points}.values())


def _near(time: Exact) -> Exact:
    """A frame that was rounded on its way through a 31-bit fraction."""
    whole = round(time)
    return whole if abs(float(time - whole)) < 1e-5 else time


def _at(column: dict[Exact, float], time: Exact, law: str) -> float:
    if time in column:
        return column[time]
    before = [one for one in column if one < time]
    after = [one for one in column if one > time]
    if not before or not after:
        return column[after[0]] if after else column[before[-1]]
    a, b = before[-1], after[0]
    return (
        column[a]
        if law == "constant"
        else column[a] + (column[b] - column[a]) * float(Fraction(time - a) / Fraction(b - a))
    )


def crossfade(kind: str, length: Exact, law: str) -> Operation:
    """The effect of a sound transition: one level for equal gain, two curves for equal power."""
    if law == "linear":
        ramp = Varying([Point(0, 0.0), Point(1, 1.0)])
        return Operation(kind, length, "crossfade", [], {"level": ramp})
    steps = range(CURVE_POINTS + 1)
    into = Varying([Point(exact(n, CURVE_POINTS), sin(n / CURVE_POINTS * pi / 2)) for n in steps])
    out = Varying([Point(exact(n, CURVE_POINTS), cos(n / CURVE_POINTS * pi / 2)) for n in steps])
    return Operation(kind, length, "crossfade-curves", [], {"level-in": into, "level-out": out})


def crossfade_law(effect: Operation) -> str:
    """``linear`` or ``equal-power``: by what the incoming curve is at its middle, else by what the file says
    of its shape."""
    into = effect.parameters.get("level-in")
    if isinstance(into, Varying) and into.points:
        middle = min(into.points, key=lambda point: abs(float(point.time) - 0.5))
        return "equal-power" if middle.value > 0.6 else "linear"
    return "equal-power" if effect.attributes.get("_ATN_AUDIO_DISSOLVE_CURVETYPE") in (1, 2, 3) else "linear"
