"""Times in edit units and back.

A picture rate such as 30000/1001 does not divide the sample rate, so a cut on a frame falls between two
samples and is written on the nearer one. Reading takes a sample within half a sample of a frame for that
frame: what was on a frame stays on it. What lies on a sample stays there, unless a frame is less than half a
sample away; ``settled`` tells what comes back.
"""

from __future__ import annotations

from functools import lru_cache

from wexodos.timing import Exact, Rate, absolute, exact, round_half_up


@lru_cache(maxsize=65536)
def units_of(time: Exact, rate: Rate, units: Rate) -> int:
    """The edit unit of ``units`` nearest to ``time`` frames of ``rate``."""
    return round_half_up(units.frames(rate.seconds(time)))


@lru_cache(maxsize=65536)
def frames_of(place: Exact, units: Rate, rate: Rate) -> Exact:
    """Frames of ``rate`` at ``place`` edit units of ``units``; the whole frame where one is nearer than half
    a unit."""
    if units == rate:
        return place
    found = rate.frames(units.seconds(place))
    if isinstance(found, int):
        return found
    whole = round_half_up(found)
    near = absolute(units.frames(rate.seconds(exact(found - whole))))
    return whole if near * 2 <= 1 else found


def settled(time: Exact, rate: Rate, units: Rate) -> Exact:
    """What ``time`` becomes on its way through a file whose slots run at ``units``."""
    return frames_of(units_of(time, rate, units), units, rate)


def source_units(seconds: Exact, units: Rate) -> int:
    """The edit unit nearest to a source time in seconds."""
    return round_half_up(units.frames(seconds))


def source_seconds(place: Exact, units: Rate, *rates: Rate | None) -> Exact:
    """Seconds at ``place`` edit units: those of a whole frame of one of ``rates`` where one is nearer than
    half a unit."""
    found = units.seconds(place)
    for rate in rates:
        if rate is not None and rate != units:
            whole = round_half_up(rate.frames(found))
            if absolute(units.frames(rate.seconds(whole)) - place) * 2 <= 1:
                return rate.seconds(whole)
    return found


def settled_source(seconds: Exact, units: Rate, *rates: Rate | None) -> Exact:
    """What a source time becomes on its way through a file whose slots run at ``units``."""
    return source_seconds(source_units(seconds, units), units, *rates)
