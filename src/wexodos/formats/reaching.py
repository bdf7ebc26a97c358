"""Settling of transitions that reach before the first frame of a source."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

from wexodos.model import Item, MediaUse, Transition, Variable
from wexodos.model.speed import is_freeze, source_at
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.vocabulary import Cause
from wexodos.timing import exact, floor


def from_the_source(context: Context, work: Work, lane: Lane, transition: Transition, into: Item) -> None:
    """A transition for whose beginning the incoming source has no frames begins with the source."""
    if not isinstance(into.content, MediaUse) or into.still or is_freeze(into.speed):
        return
    rate = work.sequence.rate
    reach = exact(transition.cut - transition.start)
    first, _ = source_at(into.speed, into.source_in, -reach, rate)
    if first >= 0 or isinstance(into.speed, Variable) or into.speed.rate < 0:
        return
    paced = exact(Fraction(into.source_in) / Fraction(into.speed.rate))
    there = max(0, floor(rate.frames(paced)))
    start = exact(transition.cut - min(there, reach))
    gone = start >= transition.end
    reason = context.because(
        work,
        Cause.TRANSITION_BEFORE_SOURCE,
        transition,
        lane.label,
        "the source has no frames before its first; the transition begins with it",
        "look at the transition",
        what="length",
        before=str(transition.start),
        after="cut" if gone else str(start),
    )
    if gone:
        work.take_join(lane, transition, reason)
    else:
        shorter = replace(transition, start=start, duration=exact(transition.end - start))
        work.put_join(lane, transition, shorter, reason)
