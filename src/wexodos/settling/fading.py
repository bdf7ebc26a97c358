"""Fades as level keys, where they have no form of their own (9)."""

from __future__ import annotations

from dataclasses import replace

from wexodos.evaluate.hearing import followed_level, furthest
from wexodos.evaluate.tolerances import FOLLOWED_DECIBELS
from wexodos.model import Item
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.vocabulary import Cause


def fades_as_levels(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    """The item with its fades in its level line."""
    sound = item.sound
    if sound is None or (sound.fade_in is None and sound.fade_out is None):
        return item
    length = float(item.duration)
    domain = context.spells.level_domain
    limit = FOLLOWED_DECIBELS * context.options.tolerance
    between = not context.destination.keyframes.whole_frames
    level = followed_level(sound, length, domain, limit, between)
    new = replace(sound, level=level, fade_in=None, fade_out=None)
    reason = context.because(
        work,
        Cause.FADES_AS_LEVELS,
        item,
        lane.label,
        "fades become level keyframes there",
        "nothing, or fade again there",
        what="fades",
        before="fades",
        after=f"{len(level.keys)} keyframes",
        deviation=(round(furthest(sound, new, length), 3), "dB"),
        within=limit,
    )
    return work.put(lane, item, replace(item, sound=new), reason)
