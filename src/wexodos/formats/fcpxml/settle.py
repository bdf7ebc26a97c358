"""Settling steps of Lane XML: what clips that refer to a definition cannot say there."""

from __future__ import annotations

from dataclasses import replace

from wexodos.formats.reaching import from_the_source
from wexodos.model import NORMAL, Angles, Generator, MediaUse, NestedUse
from wexodos.settling.context import Context, Work
from wexodos.settling.vocabulary import Cause, Fate

NEST = (1, 2)
"""The channels that a nest is heard with."""


def retimed_joins(context: Context, work: Work) -> None:
    """The map of a clip at another speed begins with its source: a transition into it cannot reach before."""
    for lane in work.lanes:
        starts = {one.start: one for one in lane.items}
        for transition in list(lane.transitions):
            into = starts.get(transition.cut)
            if into is not None and into.speed != NORMAL and transition.start < transition.cut:
                from_the_source(context, work, lane, transition, into)


def nest_channels(context: Context, work: Work) -> None:
    """A nest is heard with both its channels: a clip of one has parts by role, none by channel (4, 12)."""
    for lane in work.lanes:
        for item in list(lane.items):
            sound = item.sound
            if not isinstance(item.content, NestedUse) or sound is None:
                continue
            if sound.channels == NEST and not sound.muted:
                continue
            reason = context.because(
                work,
                Cause.NEST_CHANNELS,
                item,
                lane.label,
                "a nested sequence is heard with both its channels there",
                "mute inside it what is not to be heard",
                what="channels",
                before=f"channels {', '.join(map(str, sound.channels))}"
                + (f", off: {', '.join(map(str, sound.muted))}" if sound.muted else ""),
                after="channels 1, 2",
            )
            new = replace(item, sound=replace(sound, channels=NEST, muted=()))
            work.put(lane, item, new, reason)


def fields(context: Context, work: Work) -> None:
    """Stills and generators are pictures without metadata there."""
    known = context.document.media_by_id
    for lane in work.lanes:
        for item in list(lane.items):
            use = item.content
            media = known.get(use.media) if isinstance(use, MediaUse) else None
            still = media is not None and media.still and lane.kind == "video"
            kept = tuple(pair for pair in item.metadata if pair[1].startswith("STEM: "))
            if not (still or isinstance(use, Generator)) or kept == item.metadata:
                continue
            reason = context.because(
                work,
                Cause.NO_FIELDS,
                item,
                lane.label,
                "stills and generators have no fields for metadata there",
                "nothing",
                what="metadata",
                fate=Fate.LEFT,
                before="; ".join(f"{key}: {value}" for key, value in item.metadata)[:300],
            )
            work.put(lane, item, replace(item, metadata=kept), reason)


def parts_of_angles(context: Context, work: Work) -> None:
    """What a clip said of its angles has no place on one that has none any more."""
    for lane in work.lanes:
        for item in list(lane.items):
            if isinstance(item.content, Angles):
                continue
            for raw in [one for one in item.raw if (one.dialect, one.tag) == ("fcpxml", "mc-source")]:
                reason = context.because(
                    work,
                    Cause.NOT_UNDERSTOOD,
                    item,
                    lane.label,
                    "it is said of an angle, and the clip has no angles any more",
                    "nothing",
                    what="angle settings",
                    fate=Fate.LEFT,
                    minutes=0,
                )
                kept = tuple(one for one in item.raw if one is not raw)
                item = work.put(lane, item, replace(item, raw=kept), reason)
