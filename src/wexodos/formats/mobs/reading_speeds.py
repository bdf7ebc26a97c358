"""The speed of a clip: which of the maps and ratios of a file to believe, and the map as few points."""

from __future__ import annotations

from fractions import Fraction
from typing import TypeAlias

from wexodos.formats.mobs import tree
from wexodos.formats.mobs.operations import simple_pace
from wexodos.formats.mobs.unwrapping import main_input
from wexodos.model import Constant, Speed, SpeedPoint, Variable
from wexodos.timing import Exact, Rate, exact, floor

FOLLOWED = Fraction(1, 10)
"""Frames of source: a picture shows the same frame, and sound is less than 5 ms off where it bends."""
SAME = Fraction(1, 1000)
"""Frames: a boundary that was rounded on its way counts as reached."""
SAMPLED = 16
"""A map of more points, one a frame or more, was sampled by a program, not drawn."""


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
    if abs(pace) == counted:
        simple = simple_pace(taken, operation.length)
        if simple is not None:
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


def _thinned(pairs: Pairs) -> Pairs:
    """Points that lie on the line between their neighbours left out; a millionth is forgiven. A map that was
    sampled at every frame, or finer, is told by few points that say the same."""
    kept = pairs[:1]
    for number in range(1, len(pairs) - 1):
        (a, x), (b, y), (c, z) = kept[-1], pairs[number], pairs[number + 1]
        expected = x + Fraction(z - x) * Fraction(b - a) / Fraction(c - a)
        if abs(float(expected - y)) > 1e-5:
            kept.append(pairs[number])
    made = [*kept, pairs[-1]] if len(pairs) > 1 else kept
    sampled = len(pairs) > SAMPLED and all(b - a <= 1 for (a, _), (b, _) in zip(pairs, pairs[1:]))
    return told_by_few(pairs) if sampled and len(made) > SAMPLED else made


def told_by_few(samples: Pairs) -> Pairs:
    """Few of the points of a sampled map, with straight lines between them: every frame shows what it showed,
    and the map is nowhere further than ``FOLLOWED`` frames from a sample.

    From each kept point on the lines that pass all samples closely enough are a fan (swing filter); the last
    sample that lies in it is the next point.
    """
    kept, anchor = samples[:1], 0
    while anchor < len(samples) - 1:
        (start, value), reached = samples[anchor], anchor + 1
        low: Fraction | None = None
        high: Fraction | None = None
        for number in range(anchor + 1, len(samples)):
            time, at = samples[number]
            span = Fraction(time - start)
            slope = Fraction(at - value) / span
            if (low is None or slope >= low) and (high is None or slope <= high):
                reached = number
            least, most = (Fraction(one - value) / span for one in _room(time, at))
            low = least if low is None else max(low, least)
            high = most if high is None else min(high, most)
            if low > high:
                break
        kept.append(samples[reached])
        anchor = reached
    return kept


def _room(time: Exact, at: Exact) -> tuple[Exact, Exact]:
    """Between what the map may be at a sample: near it, and at a whole frame on the same source frame."""
    least, most = Fraction(at) - FOLLOWED, Fraction(at) + FOLLOWED
    if isinstance(time, int):
        frame = floor(at + SAME)
        least, most = max(least, Fraction(min(frame, at))), min(most, max(frame + 1 - 2 * SAME, Fraction(at)))
    return exact(least), exact(most)
