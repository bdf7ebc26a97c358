"""Settling steps of AAF and OMF on transitions: fades of sound, borders of wipes, sources that begin too
late."""

from __future__ import annotations

from dataclasses import replace

from wexodos.formats.reaching import from_the_source
from wexodos.model import NORMAL, Fade, Item, Transition
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.fading import fades_as_levels
from wexodos.settling.vocabulary import Cause
from wexodos.timing import absolute, exact


def edges(context: Context, work: Work) -> None:
    """Sound transitions from or to nothing are fades there; transitions begin where the source does."""
    for lane in work.lanes:
        starts = {one.start: one for one in lane.items}
        ends = {one.end: one for one in lane.items}
        for transition in list(lane.transitions):
            into, out = starts.get(transition.cut), ends.get(transition.cut)
            if lane.kind == "audio" and (into is None) != (out is None):
                new = _as_fade(context, work, lane, transition, into, out)
                starts[new.start] = ends[new.end] = new
            elif into is not None and transition.start < transition.cut:
                from_the_source(context, work, lane, transition, into)
        if lane.kind == "audio":
            _crowded_fades(context, work, lane)
        else:
            _borders(context, work, lane)


def _crowded_fades(context: Context, work: Work, lane: Lane) -> None:
    """Fades that no transition over a filler can spell: beside a crossfade, longer than their clip, or on one
    played faster."""
    cuts = {one.cut: one for one in lane.transitions}
    as_clips = context.destination.turnover.fades == "clips"
    for item in list(lane.items):
        sound = item.sound
        if sound is None or (sound.fade_in is None and sound.fade_out is None):
            continue
        wanted = sum(one.duration for one in (sound.fade_in, sound.fade_out) if one is not None)
        joins = [cuts[cut] for cut in (item.start, item.end) if cut in cuts]
        taken = sum(
            absolute(one.end - one.cut if one.cut == item.start else one.cut - one.start) for one in joins
        )
        beside = (sound.fade_in is not None and item.start in cuts) or (
            sound.fade_out is not None and item.end in cuts
        )
        if beside or wanted + taken > item.duration or (as_clips and item.speed is not NORMAL):
            fades_as_levels(context, work, lane, item)


def _borders(context: Context, work: Work, lane: Lane) -> None:
    for one in list(lane.transitions):
        if one.type == "wipe" and one.pattern is None:
            # A wipe that nobody names is the first of the published table, from left to right.
            plain = replace(one, pattern=1, direction=one.direction or "left to right")
            one = work.put_join(lane, one, plain, context.spelled())
        if one.type == "wipe" and one.border_color:
            reason = context.because(
                work,
                Cause.BORDER_COLOUR,
                one,
                lane.label,
                "the border of a wipe has no colour of its own there",
                "colour it again there",
                what="border",
                before=one.border_color,
                after="none",
            )
            work.put_join(lane, one, replace(one, border_color=None), reason)


def _as_fade(
    context: Context, work: Work, lane: Lane, transition: Transition, into: Item | None, out: Item | None
) -> Item:
    """A transition of sound from or to nothing as a fade of its clip; a fade that is there already goes into
    the level."""
    item = into or out
    assert item is not None and item.sound is not None
    own = exact(transition.end - transition.cut if into is not None else transition.cut - transition.start)
    reason = context.because(
        work,
        Cause.TRANSITION_IS_FADE,
        transition,
        lane.label,
        "a sound transition from or to nothing is a fade there",
        "nothing",
        what=transition.type,
        before=transition.name,
        after="fade",
        minutes=0,
    )
    if own > 0:
        if (item.sound.fade_in if into is not None else item.sound.fade_out) is not None:
            item = fades_as_levels(context, work, lane, item)
        assert item.sound is not None
        shape = "linear" if transition.type == "audio-linear" else "equal-power"
        fade = Fade(min(own, item.duration), shape)
        sound = item.sound
        sound = replace(sound, fade_in=fade) if into is not None else replace(sound, fade_out=fade)
        item = work.put(lane, item, replace(item, sound=sound), reason)
    work.take_join(lane, transition, reason)
    return item
