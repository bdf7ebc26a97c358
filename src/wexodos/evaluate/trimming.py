"""A part of an item: what it shows and plays at each of its frames stays the same."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from wexodos.evaluate.hearing import followed_level
from wexodos.evaluate.tolerances import FOLLOWED_DECIBELS
from wexodos.model import Curve, Item, Title, Variable
from wexodos.model.speed import source_at
from wexodos.timing import Exact, Rate


def trimmed(item: Item, low: Exact, high: Exact, rate: Rate, tolerance: float = FOLLOWED_DECIBELS) -> Item:
    """The part of an item between two record times, in frames of ``rate``; what is seen and heard there stays
    as it was.

    A fade that is cut into becomes a level, within ``tolerance`` dB.
    """
    by = low - item.start
    source, _ = source_at(item.speed, item.source_in, by, rate)
    speed = item.speed
    if isinstance(speed, Variable):
        speed = Variable(tuple(replace(point, time=point.time - by) for point in speed.points))

    def moved(curve: Curve) -> Curve:
        return (
            replace(curve, keys=tuple(replace(key, time=key.time - by) for key in curve.keys))
            if by
            else curve
        )

    motion, sound = item.motion, item.sound
    if sound is not None and (
        (sound.fade_in is not None and low > item.start) or (sound.fade_out is not None and high < item.end)
    ):
        # A fade that is cut into is no fade any more, but a level that moves.
        level = followed_level(sound, float(item.duration), "gain", tolerance, between=False)
        sound = replace(sound, level=level, fade_in=None, fade_out=None)
    if motion is not None and by:
        changes: dict[str, Any] = {name: moved(curve) for name, curve in motion.curves.items()}
        motion = replace(motion, **changes)
    if sound is not None and by:
        sound = replace(
            sound, level=moved(sound.level), pan=moved(sound.pan) if sound.pan is not None else None
        )
    effects = tuple(
        replace(one, settings=tuple((name, moved(curve)) for name, curve in one.settings))
        for one in item.effects
    )
    markers = tuple(
        replace(one, start=one.start - by) for one in item.markers if by <= one.start < high - item.start
    )
    held = isinstance(item.content, Title) or item.still
    return replace(
        item,
        start=low,
        duration=high - low,
        source_in=item.source_in if held else source,
        speed=speed,
        motion=motion,
        sound=sound,
        effects=effects,
        markers=markers,
    )
