"""Windows of a sound and the lines they lie on: how much later they were found, over where they are."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

_FASTEST = 2500e-6
"""The largest drift that is looked for; a pull of 0.1 % is 1000 in a million."""
_WORTH_IT = 1.5
"""So much more must be in a line with a drift than in one without."""
LEAST = 3
"""So many windows in a row are another cut, not one line."""


@dataclass(slots=True)
class Window:
    """A stretch of the reference from sample ``at`` on, how much later it was found, and how well."""

    at: int
    lag: float = 0.0
    score: float = 0.0
    loud: bool = True


@dataclass(slots=True)
class Line:
    """Windows in a row whose lag is ``offset`` + ``drift`` · their place; ``sign`` is -1 where one sound is
    the other upside down."""

    offset: float
    drift: float
    windows: list[Window] = field(default_factory=list)
    sign: int = 1

    def at(self, place: float) -> float:
        return self.offset + self.drift * place


def agreed(rows: list[Window], close: float) -> list[Line]:
    """The lines in most windows, weighed by how well they were found: the best of the level ones, and the
    best of those through every two windows. The one to go by comes first: a line that is not level has one
    freedom more, and may lead from one step to another, so it must be worth it."""
    if not rows:
        return []
    at = np.asarray([one.at for one in rows], np.float64)
    lag = np.asarray([one.lag for one in rows])
    weight = np.asarray([one.score for one in rows])
    level, slanted = (-1.0, 0.0, 0.0), (-1.0, 0.0, 0.0)
    for one in range(len(rows)):
        votes = float(weight[np.abs(lag - lag[one]) <= close].sum())
        if votes > level[0] + 1e-9:
            level = votes, float(lag[one]), 0.0
        for other in range(one + 1, len(rows)):
            if at[other] == at[one]:
                continue
            slope = (lag[other] - lag[one]) / (at[other] - at[one])
            if abs(slope) > _FASTEST or slope == 0:
                continue
            offset = lag[one] - slope * at[one]
            votes = float(weight[np.abs(lag - offset - slope * at) <= close].sum())
            if votes > slanted[0] + 1e-9:
                slanted = votes, float(offset), float(slope)
    found = [level, slanted] if slanted[0] <= level[0] * _WORTH_IT else [slanted, level]
    lines = []
    for votes, offset, slope in found:
        line = Line(offset, slope)
        line.windows = [one for one in rows if abs(one.lag - line.at(one.at)) <= close]
        if votes > 0 and len(line.windows) >= min(LEAST, len(rows)):
            lines.append(fitted(line) if slope else line)
    return lines


def nearest(rows: list[Window], line: Line) -> list[Window]:
    """Of the places of each stretch the one that is nearest to a line."""
    found: dict[int, Window] = {}
    for one in rows:
        known = found.get(one.at)
        if known is None or abs(one.lag - line.at(one.at)) < abs(known.lag - line.at(one.at)):
            found[one.at] = one
    return list(found.values())


def along(rows: list[Window], slope: float, close: float) -> list[Line]:
    """The line of a slope in most windows; none where it is in too few."""
    best: list[Window] = []
    for one in rows:
        near = [each for each in rows if abs(each.lag - one.lag - slope * (each.at - one.at)) <= close]
        if sum(each.score for each in near) > sum(each.score for each in best):
            best = near
    if len(best) < min(LEAST, max(1, len(rows))):
        return []
    offset = float(np.median([one.lag - slope * one.at for one in best]))
    return [Line(offset, slope, best)]


def fitted(line: Line) -> Line:
    """The line through its windows with the least squares; level where that is as good."""
    at = np.asarray([one.at for one in line.windows], np.float64)
    lag = np.asarray([one.lag for one in line.windows])
    if len(at) < LEAST or np.abs(lag - np.median(lag)).max() <= 0.5:
        return replace(line, offset=float(np.median(lag)), drift=0.0)
    slope, offset = np.polyfit(at, lag, 1)
    return replace(line, offset=float(offset), drift=float(slope))


def top(curve: NDArray[np.float64], peak: int) -> float:
    """How far from its highest value the top of a curve is: that of the parabola through it and its
    neighbours."""
    if not 0 < peak < len(curve) - 1:
        return 0.0
    left, middle, right = (float(one) for one in curve[peak - 1 : peak + 2])
    bend = left - 2 * middle + right
    return 0.5 * (left - right) / bend if bend else 0.0
