"""Speed changes: the ``timeremap`` effect (6) to the model's speed map and back."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from wexodos.formats.xmeml.lexical import Element, boolean, decimal
from wexodos.formats.xmeml.parameters import parameter_id
from wexodos.model import NORMAL, Constant, Speed, SpeedPoint, Variable
from wexodos.timing import Exact, Rate, absolute, exact


@dataclass(slots=True)
class Remap:
    """A speed change in the item's own frames: ``graph`` holds (retimed frame, media frame) pairs, ``factor``
    the speed."""

    factor: Exact
    variable: bool
    graph: list[tuple[Exact, Exact]]
    stated: bool
    curved: bool = False
    whole: Exact = 0

    def source(self, when: Exact) -> Exact:
        """The media boundary, in frames of the item's rate, at the retimed frame ``when``."""
        graph = self.graph
        if len(graph) < 2:
            # Backwards the retimed medium begins where the medium ends.
            return exact(self.whole + when * Fraction(self.factor)) if not graph else graph[0][1]
        index = 0
        while index < len(graph) - 2 and when >= graph[index + 1][0]:
            index += 1
        (t0, s0), (t1, s1) = graph[index], graph[index + 1]
        return exact(s0 + (when - t0) * Fraction(s1 - s0) / Fraction(t1 - t0))


def remap_of(effect: Element) -> Remap:
    """Read a ``timeremap`` effect."""
    speed: Exact | None = None
    spelled = ""
    reverse = variable = curved = False
    graph: dict[Exact, Exact] = {}
    end_flag: Exact | None = None
    for parameter in effect.findall("parameter"):
        kind = parameter_id(parameter).lower()
        value = (parameter.findtext("value") or "").strip()
        if kind == "speed":
            spelled, speed = value, decimal(value)
        elif kind == "reverse":
            reverse = boolean(value, False)
        elif kind == "variablespeed":
            variable = boolean(value, False)
        elif kind == "graphdict":
            for key in parameter.findall("keyframe"):
                when, at = decimal(key.findtext("when")), decimal(key.findtext("value"))
                curved = curved or key.find("inbez") is not None or key.find("outbez") is not None
                if when is not None and at is not None:
                    graph[when] = at
                    if boolean(key.findtext("speedkfend"), False):
                        end_flag = when
    points = sorted(graph.items())
    backwards = reverse or (speed is not None and speed < 0)
    factor = exact(absolute(speed) / Fraction(100)) if speed is not None else 1
    if not variable and len(points) > 1:
        factor = _constant_factor(points, factor, spelled, backwards, end_flag)
        # One straight line through the first key; the last key may be clamped or rounded.
        (t0, s0), span = points[0], points[-1][0] - points[0][0]
        signed = -factor if backwards else factor
        points = [(t0, s0), (t0 + span, exact(s0 + span * Fraction(signed)))]
    return Remap(-factor if backwards else factor, variable, points, speed is not None, curved)


def _constant_factor(
    points: list[tuple[Exact, Exact]], factor: Exact, spelled: str, backwards: bool, end_flag: Exact | None
) -> Exact:
    """Choose between the stated speed, which is rounded to three decimals, and the graph's slope (6.2,
    6.4)."""
    kept = [point for point in points if not backwards or point[0] != end_flag]
    if len(kept) < 2:
        return factor
    (t0, s0), (t1, s1) = kept[0], kept[-1]
    slope = abs(Fraction(s1 - s0) / Fraction(t1 - t0))
    decimals = len(spelled.partition(".")[2].rstrip("0"))
    if slope == factor or (decimals < 3 and abs(slope - factor) * absolute(t1 - t0) <= 1):
        return factor
    if decimals > 3 and abs(slope - factor) * absolute(t1 - t0) <= Fraction(1, 100):
        return factor
    simple = Fraction(factor).limit_denominator(1000)
    if abs(simple - factor) <= Fraction(6, 10**6) and abs(slope - simple) * absolute(t1 - t0) <= 1:
        return exact(simple)
    return exact(slope)


def settled_unit(remap: Remap, item_length: Exact | None, media_length: Exact | None) -> Remap:
    """Decide whether a speed without a graph is percent or a ratio, by the lengths it would explain (6.2);
    percent in doubt.

    ``item_length`` is the stated length after the speed change, ``media_length`` the medium's, both in the
    item's rate.
    """
    if remap.graph or remap.factor == 0:
        return remap
    if not remap.stated or not item_length or not media_length:
        return _backwards(remap, item_length, media_length)
    percent = abs(float(media_length) / float(absolute(remap.factor)) - float(item_length))
    ratio = abs(float(media_length) / float(absolute(remap.factor) * 100) - float(item_length))
    # Lengths that fit neither, as where the item states its medium's, leave it in doubt.
    if ratio * 2 < percent and ratio <= max(2.0, 0.05 * float(item_length)):
        remap.factor = exact(remap.factor * 100)
    return _backwards(remap, item_length, media_length)


def _backwards(remap: Remap, item_length: Exact | None, media_length: Exact | None) -> Remap:
    """Where a medium that runs backwards without a graph begins: at its end; what is not known of its length
    the item's own says, which counts after the speed change."""
    if remap.factor < 0:
        remap.whole = media_length or exact((item_length or 0) * Fraction(absolute(remap.factor)))
    return remap


def speed_of(remap: Remap, begin: Exact, item_rate: Rate, rate: Rate) -> tuple[Speed, Exact]:
    """Return the model's speed and source in (seconds) for an item whose undressed ``in`` is ``begin``."""
    source_in = item_rate.seconds(remap.source(begin))
    if not remap.variable or len(remap.graph) < 2:
        factor = remap.factor
        flat = len(remap.graph) > 1 and remap.graph[0][1] == remap.graph[-1][1]
        return (Constant(0) if flat else NORMAL if factor == 1 else Constant(factor)), source_in
    if len({value for _, value in remap.graph}) == 1:
        return Constant(0), source_in
    scale = Fraction(rate.fps) / item_rate.fps
    points = tuple(
        SpeedPoint(exact((when - begin) * scale), item_rate.seconds(value)) for when, value in remap.graph
    )
    return Variable(points), source_in
