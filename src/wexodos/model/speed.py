"""Speed changes: which source time is shown at which time of an item.

Source times are boundaries between frames, so one rule serves both directions: forwards the frame that begins
at the boundary is shown, backwards the one that ends there.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import TypeAlias

from wexodos.timing import Exact, Rate, absolute, ceil, exact, floor


@dataclass(frozen=True, slots=True)
class Constant:
    """One speed for the whole item: 1 is normal, 1/2 half speed, -1 backwards, 0 a freeze."""

    rate: Exact


@dataclass(frozen=True, slots=True)
class SpeedPoint:
    """``source`` seconds are reached at ``time`` frames from the item's start.

    ``into`` and ``out`` are the frames before and after the point over which its corner is rounded; the
    rounded line then passes by the point, not through it.
    """

    time: Exact
    source: Exact
    into: Exact = 0
    out: Exact = 0

    @property
    def smooth(self) -> bool:
        return self.into > 0 and self.out > 0


@dataclass(frozen=True, slots=True)
class Variable:
    """Straight segments between two or more points, extended with the slope of the outermost segments.

    A rounded corner is the quadratic Bézier curve whose middle control point is the corner itself, so speed
    goes over steadily from the one segment's to the other's.
    """

    points: tuple[SpeedPoint, ...]


Speed: TypeAlias = Constant | Variable

NORMAL = Constant(1)


def is_freeze(speed: Speed) -> bool:
    """True where one source frame is held throughout."""
    if isinstance(speed, Constant):
        return speed.rate == 0
    return all(point.source == speed.points[0].source for point in speed.points)


ROUND_STEPS = 8
"""A rounded corner is walked in this many straight pieces; at most 1/64 of its own depth away from the
curve."""


def even(speed: Variable, rate: Rate) -> Constant | None:
    """The one speed of a ramp whose points all lie on one line; None of any other. ``rate`` is that of the
    frames its times count."""
    first, last = speed.points[0], speed.points[-1]
    if last.time == first.time:
        return None
    pace = Fraction(last.source - first.source) / Fraction(rate.seconds(last.time - first.time))
    if any(one.source - first.source != pace * rate.seconds(one.time - first.time) for one in speed.points):
        return None
    return Constant(exact(pace))


def straightened(speed: Variable) -> Variable:
    """The same map with rounded corners spelled out as straight pieces; itself where nothing is rounded."""
    points = speed.points
    if not any(point.smooth for point in points[1:-1]):
        return speed
    made = [points[0]]
    for before, point, after in zip(points, points[1:], points[2:]):
        into = min(point.into, (point.time - before.time) / Fraction(1 + before.smooth))
        out = min(point.out, (after.time - point.time) / Fraction(1 + after.smooth))
        if into <= 0 or out <= 0:
            made.append(SpeedPoint(point.time, point.source))
            continue
        slope_in = Fraction(point.source - before.source) / Fraction(point.time - before.time)
        slope_out = Fraction(after.source - point.source) / Fraction(after.time - point.time)
        begin = (point.time - into, point.source - slope_in * into)
        end = (point.time + out, point.source + slope_out * out)
        for step in range(ROUND_STEPS + 1):
            u = Fraction(step, ROUND_STEPS)
            a, b, c = (1 - u) ** 2, 2 * u * (1 - u), u**2
            made.append(
                SpeedPoint(
                    exact(a * begin[0] + b * point.time + c * end[0]),
                    exact(a * begin[1] + b * point.source + c * end[1]),
                )
            )
    made.append(points[-1])
    return Variable(tuple(made))


def on_frames(speed: Variable, rate: Rate) -> Variable:
    """The same map with points at whole frames only: one between two frames gives way to those two, where the
    map goes through what it went through. Itself where all are whole."""
    if all(isinstance(point.time, int) for point in speed.points):
        return speed
    whole = {point.time: point.source for point in straightened(speed).points if isinstance(point.time, int)}
    for point in straightened(speed).points:
        for edge in (floor(point.time), ceil(point.time)):
            if edge not in whole:
                whole[edge] = source_at(speed, 0, edge, rate)[0]
    return Variable(tuple(SpeedPoint(time, whole[time]) for time in sorted(whole)))


def segments(speed: Variable) -> list[tuple[Exact | None, Exact | None, Exact, Exact, Exact]]:
    """Return the straight pieces as (from, to, anchor time, anchor source, slope); None is open-ended.

    Times are frames from the item's start; the slope is seconds of source per frame. Zero-length pieces are
    left out.
    """
    points = straightened(speed).points
    pieces: list[tuple[Exact | None, Exact | None, Exact, Exact, Exact]] = []
    for first, second in zip(points, points[1:]):
        length = second.time - first.time
        if length > 0:
            slope = exact(Fraction(second.source - first.source) / Fraction(length))
            pieces.append((first.time, second.time, first.time, first.source, slope))
    if not pieces:
        return [(None, None, points[0].time, points[0].source, 0)]
    pieces[0] = (None, *pieces[0][1:])
    last = pieces[-1]
    pieces[-1] = (last[0], None, *last[2:])
    return pieces


FASTEST = 16
"""Times as fast as recorded; of sound that is faster anywhere in a ramp nothing is left to be heard."""


def makes_sound(speed: Speed, rate: Rate) -> bool:
    """Whether sound at a speed is something of its own to be made: neither as recorded, nor still, nor beyond
    hearing. A ramp counts in frames of ``rate``."""
    if isinstance(speed, Variable):
        steepest = max(absolute(piece[-1]) for piece in segments(speed))
        return 0 < steepest <= FASTEST * rate.seconds(1)
    return speed.rate not in (0, 1)


def source_at(speed: Speed, source_in: Exact, time: Exact, rate: Rate) -> tuple[Exact, int]:
    """Return the source boundary in seconds at ``time`` frames (of ``rate``) from the item's start, and the
    direction.

    The direction is 1, -1 or 0. ``source_in`` is used by constant speeds only; points carry their own.
    """
    if isinstance(speed, Constant):
        moved = exact(source_in + speed.rate * rate.seconds(time))
        return moved, (speed.rate > 0) - (speed.rate < 0)
    for _, to, anchor, source, slope in segments(speed):
        if to is None or time < to:
            return exact(source + (time - anchor) * slope), (slope > 0) - (slope < 0)
    raise AssertionError("the last segment is open-ended")


def average(speed: Speed, duration: Exact, rate: Rate) -> Exact:
    """Return the mean speed over an item's first ``duration`` frames; 1 is normal."""
    if isinstance(speed, Constant) or duration == 0:
        return speed.rate if isinstance(speed, Constant) else 0
    first, _ = source_at(speed, 0, 0, rate)
    last, _ = source_at(speed, 0, duration, rate)
    return exact(Fraction(last - first) / Fraction(rate.seconds(duration)))
