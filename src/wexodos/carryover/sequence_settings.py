"""The sequence's own settings against what the destination takes (N16)."""

from __future__ import annotations

from dataclasses import replace

from wexodos.carryover.inventory import numbered
from wexodos.carryover.tracks import not_understood
from wexodos.settling.context import Context, Work
from wexodos.settling.vocabulary import Cause, Fate
from wexodos.timing import Rate


def settings(context: Context, work: Work) -> None:
    """What a sequence can say there."""
    length = work.sequence.duration
    foreign = context.foreign(work.sequence.raw)
    for name, raw in zip(numbered([raw.tag for raw in foreign]), foreign):
        reason = not_understood(context, work, name, (0, length), "", "")
        kept = tuple(one for one in work.sequence.raw if one is not raw)
        work.put_settings(replace(work.sequence, raw=kept), reason)
    if work.sequence.marked is not None and not context.spells.marked_range:
        reason = context.because(
            work,
            Cause.NO_RANGE,
            work.sequence.marked,
            "",
            "in and out of a sequence have no form there",
            "mark the range again there",
            what="marked range",
            fate=Fate.LEFT,
            item_id="",
            name="marked range",
            minutes=0,
        )
        work.put_settings(replace(work.sequence, marked=None), reason)
    if not context.spells.pixel_aspect(work.sequence.pixel_aspect):
        reason = context.because(
            work,
            Cause.NO_PIXEL_ASPECT,
            (0, length),
            "",
            "this pixel aspect has no name there; it counts as square",
            "set it in the project there",
            what="pixel aspect",
            fate=Fate.LEFT,
            item_id="",
            name="pixel aspect",
            before=str(work.sequence.pixel_aspect),
            after="1",
        )
        work.put_settings(replace(work.sequence, pixel_aspect=1), reason)
    allowed = context.destination.rates.allowed
    if allowed and work.sequence.rate not in [Rate.parse(text) for text in allowed]:
        context.because(
            work,
            Cause.PROJECT_RATE,
            (0, length),
            "",
            f"the far side works at {', '.join(allowed)} frames, the cut runs at "
            f"{work.sequence.rate.label()}",
            "set the project there to the rate of the cut before reading it",
            what="sequence",
            item_id="",
            name="rate",
            always=True,
        )
