"""A speed that has no form on the far side, and what stands in its place."""

from __future__ import annotations

from dataclasses import replace

from wexodos.model import NORMAL, Constant, Item, MediaUse, Variable
from wexodos.model.speed import average, makes_sound, source_at
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.leaving import drop, note_in_place
from wexodos.settling.vocabulary import Cause, Remedy
from wexodos.timing import Rate

_MANY = {
    "speed ramp": "speed ramps",
    "freeze": "freezes",
    "reverse": "reverse play",
    "speed": "speed changes",
}


def kind_of_speed(item: Item) -> str:
    """What a change of speed is called: decisions are kept under it."""
    if isinstance(item.speed, Variable):
        return "speed ramp"
    if item.speed.rate == 0:
        return "freeze"
    return "reverse" if item.speed.rate < 0 else "speed"


def words_of(item: Item) -> str:
    """A speed in words."""
    speed, what = item.speed, kind_of_speed(item)
    if isinstance(speed, Variable):
        points = ", ".join(
            f"+{float(point.time):g} fr: {float(point.source):.3f} s" for point in speed.points[:12]
        )
        return f"{what}: {points}"
    return f"{what}: {float(speed.rate) * 100:g} %"


def rendered(context: Context, item: Item, rate: Rate) -> bool:
    """Whether sound at another speed is rendered: where sound is made anyway. ``rate`` is that of its cut."""
    made = context.destination.turnover.sound != "source" and context.spells.makes_sound
    return made and isinstance(item.content, MediaUse) and makes_sound(item.speed, rate)


def replace_speed(context: Context, work: Work, lane: Lane, item: Item) -> None:
    """A speed the destination does not know: its mean, a note, or nothing."""
    rate = work.sequence.rate
    what = kind_of_speed(item)
    first, _ = source_at(item.speed, item.source_in, 0, rate)
    mean = average(item.speed, item.duration, rate)
    can_be_constant = what == "speed ramp" and context.destination.speed.constant and mean > 0
    options = (Remedy.ADAPT, Remedy.NOTE, Remedy.LEAVE) if can_be_constant else (Remedy.NOTE, Remedy.LEAVE)
    choice = context.decide(Cause.NO_SUCH_SPEED, what, item.id, *options)
    if what == "freeze" and choice.remedy is Remedy.LEAVE:
        drop(
            context,
            work,
            lane,
            item,
            Cause.NO_FREEZE,
            "no freezes there; its time stays empty",
            "freeze the frame again there",
            choice=choice,
        )
        return
    if can_be_constant and choice.remedy is not Remedy.LEAVE:
        new = replace(item, speed=Constant(mean), source_in=first)
        after = f"constant {float(mean) * 100:.3g} %"
    else:
        new = replace(item, speed=NORMAL, source_in=first)
        after = "normal speed from the same first frame"
    reason = context.because(
        work,
        Cause.NO_SUCH_SPEED,
        item,
        lane.label,
        f"no {_MANY[what]} there; {after}",
        "change the speed again there",
        choice=choice,
        before=words_of(item),
        after=after,
        deviation=(_furthest(item, new, work), "fr"),
    )
    if choice.remedy is Remedy.NOTE:
        note_in_place(context, work, item, words_of(item), reason)
    work.put(lane, item, new, reason)


def _furthest(before: Item, after: Item, work: Work) -> float:
    """The largest distance in source frames (of the sequence's rate) between two versions of an item."""
    rate = work.sequence.rate
    last = max(0, int(before.duration) - 1)
    steps = {*range(0, last + 1, max(1, int(before.duration) // 200)), last}
    gaps = [
        abs(
            float(
                rate.frames(
                    source_at(before.speed, before.source_in, step, rate)[0]
                    - source_at(after.speed, after.source_in, step, rate)[0]
                )
            )
        )
        for step in steps
    ]
    return round(max(gaps), 1)
