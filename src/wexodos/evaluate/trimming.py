"""A part of an item: what it shows and plays at each of its frames stays the same."""

from __future__ import annotations

from dataclasses import replace

from wexodos.evaluate.hearing import followed_level
from wexodos.evaluate.tolerances import FOLLOWED_DECIBELS
from wexodos.model import Curve, Item, Title, Variable, with_curves
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

    sound = item.sound
    if sound is not None and (
        (sound.fade_in is not None and low > item.start) or (sound.fade_out is not None and high < item.end)
    ):
        # A fade that is cut into is no fade any more, but a level that moves.
        level = followed_level(sound, float(item.duration), "gain", tolerance, between=False)
        sound = replace(sound, level=level, fade_in=None, fade_out=None)
    markers = tuple(
        replace(one, start=one.start - by) for one in item.markers if by <= one.start < high - item.start
    )
    held = isinstance(item.content, Title) or item.still
    part = replace(
        item,
        start=low,
        duration=high - low,
        source_in=item.source_in if held else source,
        speed=speed,
        sound=sound,
        markers=markers,
    )
    return with_curves(part, moved)
