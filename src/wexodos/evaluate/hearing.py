"""How loud an item is at any time, between frames too: level, fades and the law of a crossfade together."""

from __future__ import annotations

from functools import lru_cache
from math import ceil

import numpy as np
from numpy.typing import NDArray

from wexodos.evaluate.curves import curve_values
from wexodos.evaluate.evaluator import fade_gain
from wexodos.evaluate.tolerances import QUIET, SILENCE
from wexodos.model import Curve, Ease, Key, Sound
from wexodos.timing import exact

Floats = NDArray[np.float64]
Times = NDArray[np.int64]
SAMPLES = 1920
"""Looks a frame beside silence, where a level in dB has no end to its slope: at 25 frames and 48 kHz every
sample."""
STEEP = -24.0
"""In dB: from a key as low as this a line that is straight in gain rises by more in a step of ``FINE`` than
can be followed; there every sample is looked at too."""
FINE = 16
"""Looks a frame elsewhere; keys and ends are looked at besides."""
AROUND = 1000
"""Frames before and after an item in which its keys still matter: handles and transitions reach no
further."""


def law(share: Floats, kind: str) -> Floats:
    """The gain in dB of a crossfade whose share is ``share``: the share itself for ``audio-linear``,
    sin(π·share/2) (equal power) for others."""
    with np.errstate(divide="ignore"):
        gain = share if kind == "audio-linear" else np.sin(np.clip(share, 0.0, 1.0) * np.pi / 2)
        return 20.0 * np.log10(np.maximum(gain, 0.0))


def gain_at(sound: Sound, length: float, times: Floats) -> Floats:
    """Level and fades in dB at ``times`` frames from the start of an item of ``length`` frames; shape
    (n,)."""
    gain = np.broadcast_to(curve_values(sound.level, times)[:, 0], (len(times),)).copy()
    if sound.fade_in is not None:
        gain = gain + fade_gain(sound.fade_in, times)
    if sound.fade_out is not None:
        gain = gain + fade_gain(sound.fade_out, length - times)
    return gain


def looks(length: float, *sounds: Sound) -> Times:
    """The times at which items of ``length`` frames are to be listened to, in steps of 1/1920 of a frame:
    finely where anything of them moves, at every sample within a frame of what is low, at every key, on both
    sides of a step, and both ends."""
    edges = {0, ceil(length * SAMPLES)}
    quiet: set[int] = set()
    moving: list[tuple[int, int]] = []
    for sound in sounds:
        keys = sound.level.keys if sound.level.animated else ()
        times = [_step(float(key.time)) for key in keys]
        edges |= set(times)
        steps = [later for key, later in zip(keys, times[1:]) if key.ease is Ease.HOLD]
        edges |= {one + side for one in steps for side in (-1, 1)}
        moving += list(zip(times, times[1:]))
        quiet |= {time for time, key in zip(times, keys) if key.value[0] <= STEEP}
        if sound.fade_in is not None:
            long = _step(float(sound.fade_in.duration))
            moving.append((0, long))
            quiet.add(0)
            edges.add(long)
        if sound.fade_out is not None:
            end = _step(length)
            long = _step(float(sound.fade_out.duration))
            moving.append((end - long, end))
            quiet.add(end)
            edges.add(end - long)
    low, high = -AROUND * SAMPLES, _step(length) + AROUND * SAMPLES
    found = [np.array(sorted(edge for edge in edges if low <= edge <= high), dtype=np.int64)]
    found += [np.arange(max(a, low), min(b, high), SAMPLES // FINE) for a, b in moving if b > a]
    # Whole frames too: keys that stand on them are looked at where they stand.
    found += [np.arange(-(-max(a, low) // SAMPLES), min(b, high) // SAMPLES + 1) * SAMPLES for a, b in moving]
    for one in quiet:
        if not low <= one <= high:
            # Numbers far outside do not even fit into arithmetic.
            continue
        near = [(a, b) for a, b in moving if a <= one <= b]
        first = max(one - SAMPLES, min((a for a, _ in near), default=one), low)
        last = min(one + SAMPLES, max((b for _, b in near), default=one), high)
        found.append(np.arange(first, last))
    # Rows that are in order in themselves: to sort them takes a tenth of what np.unique takes.
    every = np.sort(np.concatenate(found), kind="stable")
    return np.asarray(every[np.append(True, every[1:] != every[:-1])], np.int64)


def _step(time: float) -> int:
    return round(time * SAMPLES)


def heard_at(length: float, *sounds: Sound) -> Floats:
    """The same within the item, in frames."""
    places = looks(length, *sounds)
    return np.asarray(places[(places >= 0) & (places <= length * SAMPLES)] / SAMPLES, dtype=np.float64)


@lru_cache(maxsize=4096)
def furthest(one: Sound, other: Sound, length: float) -> float:
    """The largest distance of two sounds in dB anywhere in an item of ``length`` frames; what lies below -90
    dB is silence."""
    times = heard_at(length, one, other)
    gap = decibels(gain_at(one, length, times), gain_at(other, length, times))
    return float(gap.max()) if len(gap) else 0.0


def decibels(a: Floats, b: Floats) -> Floats:
    """The distance of levels in dB; below -90 dB everything counts as silence."""
    gap: Floats = np.abs(np.maximum(a, QUIET) - np.maximum(b, QUIET))
    return gap


@lru_cache(maxsize=4096)
def followed_level(sound: Sound, length: float, domain: str, tolerance: float, between: bool) -> Curve:
    """Level and fades of an item as one level whose lines are straight in ``domain``, within ``tolerance``
    dB.

    Keys stand on whole frames, ``between`` them too where the line asks for it (near silence it does). They
    are placed where the straight line is furthest away until it is near enough (Ramer, Douglas and Peucker).
    What lies below -96 dB is raised to it: silence in dB has no straight line to it.
    """
    places = looks(length, sound)
    times = places / SAMPLES
    values = gain_at(sound, length, times)
    if domain != "gain":
        values = np.maximum(values, SILENCE)
    may = np.ones(len(places), dtype=bool) if between else places % SAMPLES == 0
    ends = np.flatnonzero(may)
    if len(ends) < 2:
        return Curve((float(values[0]),))
    chosen = {int(ends[0]), int(ends[-1])}
    stack = [(int(ends[0]), int(ends[-1]))]
    while stack:
        a, b = stack.pop()
        inner = ends[(ends > a) & (ends < b)]
        if not len(inner):
            continue
        line = Curve((0.0,), (_key(places[a], values[a]), _key(places[b], values[b])), domain)
        drawn, true = curve_values(line, times[a : b + 1])[:, 0], values[a : b + 1]
        apart = decibels(drawn, true) > tolerance
        if apart.any():
            # Where it is furthest away as a gain, which is where the line bends; the nearest place for a key.
            worst = int(np.argmax(np.where(apart, np.abs(10 ** (drawn / 20) - 10 ** (true / 20)), -1.0)))
            near = int(inner[np.argmin(np.abs(inner - (a + worst)))])
            chosen.add(near)
            stack += [(a, near), (near, b)]
    keys = tuple(_key(places[one], values[one]) for one in sorted(chosen))
    return Curve(keys[0].value, keys, domain)


def _key(place: int, value: float) -> Key:
    return Key(exact(int(place), SAMPLES), (float(value),))
