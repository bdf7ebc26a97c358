"""Curves through values that were worked out frame by frame, with no more keys than it takes."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil, floor

import numpy as np
from numpy.typing import NDArray

from wexodos.evaluate import curve_values, fade_gain
from wexodos.evaluate.tolerances import SILENCE
from wexodos.model import Curve, Fade, Item, Key, Motion

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Sampled:
    """A motion at so many times; shapes (n, k)."""

    position: Floats
    scale: Floats
    rotation: Floats
    anchor: Floats
    crop: Floats
    corners: Floats
    opacity: Floats


def sampled(motion: Motion, times: Floats) -> Sampled:
    """Every curve of a motion at ``times``, frames from its item's start."""
    return Sampled(
        **{
            name: np.broadcast_to(curve_values(curve, times), (len(times), len(curve.still)))
            for name, curve in motion.curves.items()
        }
    )


def curve_through(
    times: Floats,
    values: Floats,
    places: list[float],
    tolerance: float,
    domain: str = "plain",
    lowest: float = -np.inf,
) -> Curve:
    """A curve that is within ``tolerance`` of ``values`` (n, k) at ``times``, which are whole frames one
    after another.

    Keys stand at the ``places`` where a curve that went into it has one, straight between them; where that is
    not near enough, at every frame.
    """
    values = np.maximum(np.broadcast_to(values, (len(times), values.shape[1])), lowest)
    if not len(times) or np.abs(values - values[0]).max() <= tolerance / 4:
        return Curve(tuple(float(part) for part in (values[0] if len(times) else np.zeros(values.shape[1]))))
    first, last = int(times[0]), int(times[-1])
    marks = {
        first,
        last,
        *(at for place in places for at in (floor(place), ceil(place)) if first < at < last),
    }
    while True:
        rows = sorted(marks)
        keys = tuple(Key(at, tuple(map(float, values[at - first]))) for at in rows)
        made = Curve(keys[0].value, keys, domain)
        with np.errstate(invalid="ignore"):
            gap = np.abs(np.broadcast_to(curve_values(made, times), values.shape) - values).max(axis=1)
        far = [
            a for a, b in zip(rows, rows[1:]) if b - a > 1 and gap[a - first : b - first].max() > tolerance
        ]
        if not far:
            return made
        for a in far:
            b = rows[rows.index(a) + 1]
            marks.update(range(a, b))


def level_through(clip: Item, around: Item) -> tuple[Curve, Fade | None, Fade | None]:
    """The level of a clip with that of the nest around it, and the fades that are left of its own.

    A steady nest lifts every key; otherwise levels and fades of both are one curve through their sum at every
    frame.
    """
    assert clip.sound is not None and around.sound is not None
    own, outer = clip.sound, around.sound
    if not outer.level.animated and outer.fade_in is None and outer.fade_out is None:
        by = outer.level.still[0]
        keys = tuple(Key(key.time, (key.value[0] + by,), key.ease) for key in own.level.keys)
        return Curve((own.level.value[0] + by,), keys, own.level.domain), own.fade_in, own.fade_out
    begin, end = floor(clip.start), ceil(clip.end)
    times = np.arange(begin, end + 1, dtype=np.float64)
    total = np.zeros(len(times))
    for item, sound in ((clip, own), (around, outer)):
        local = times - float(item.start)
        total = total + np.broadcast_to(curve_values(sound.level, local)[:, 0], (len(times),))
        if sound.fade_in is not None:
            total = total + fade_gain(sound.fade_in, local)
        if sound.fade_out is not None:
            total = total + fade_gain(sound.fade_out, float(item.duration) - local)
    places = [
        float(key.time) + float(item.start)
        for item, sound in ((clip, own), (around, outer))
        for key in sound.level.keys
    ]
    made = curve_through(times, total[:, None], places, 1e-3, "gain", SILENCE)
    by_exact = clip.start
    keys = tuple(Key(key.time - by_exact, key.value, key.ease) for key in made.keys)
    return Curve(made.value, keys, made.domain), None, None
