"""Speed changes the destination does not know: their mean, a note, or normal speed."""

from __future__ import annotations

from dataclasses import replace

from wexodos.model import NORMAL, Item, Variable
from wexodos.model.speed import on_frames, straightened
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.speeding import kind_of_speed, rendered, replace_speed, words_of
from wexodos.settling.vocabulary import Cause, Fate


def speeds(context: Context, work: Work) -> None:
    """Speed changes the destination does not know."""
    takes = context.destination.speed
    for lane in work.lanes:
        for item in list(lane.items):
            speed = item.speed
            if speed is NORMAL:
                continue
            what = kind_of_speed(item)
            known = {
                "speed ramp": takes.variable,
                "freeze": takes.freeze,
                "reverse": takes.reverse,
                "speed": takes.constant,
            }[what]
            if lane.kind == "audio" and rendered(context, item, work.sequence.rate):
                context.because(
                    work,
                    Cause.SPEED_RENDERED,
                    item,
                    lane.label,
                    "its sound is rendered at its speed, and its pitch goes with it",
                    "stretch the original there, if its pitch is to stay",
                    what=what,
                    fate=Fate.BAKED,
                    before=words_of(item),
                    after="rendered",
                    minutes=0,
                    always=True,
                )
            elif not known:
                replace_speed(context, work, lane, item)
            elif isinstance(speed, Variable):
                straight = speed if takes.rounded else straightened(speed)
                if context.spells.speed_points_on_frames:
                    straight = on_frames(straight, work.sequence.rate)
                if straight is not speed:
                    _straight(context, work, lane, item, speed, straight)


def _straight(
    context: Context, work: Work, lane: Lane, item: Item, speed: Variable, straight: Variable
) -> None:
    """A ramp with other points: every frame shows what it showed."""
    rounded = straightened(speed) is not speed
    reason = context.because(
        work,
        Cause.SPEED_POINTS,
        item,
        lane.label,
        f"speed points have straight lines between them there; {len(straight.points)} points follow the "
        "rounded ones"
        if rounded
        else "speed points stand on whole frames there; the frames beside them stand for those between",
        "nothing",
        what=kind_of_speed(item),
        before=f"{len(speed.points)} points",
        after=f"{len(straight.points)} points",
        deviation=(0.0, "fr"),
        minutes=0,
    )
    work.put(lane, item, replace(item, speed=straight), reason)
