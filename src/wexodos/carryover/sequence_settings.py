"""The sequence's own settings against what the destination takes (N16)."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from wexodos.carryover.inventory import pieces, without
from wexodos.carryover.tracks import not_understood
from wexodos.settling.context import Context, Work
from wexodos.settling.vocabulary import Cause, Fate
from wexodos.timing import Rate

_WORDS = {
    "note": "note",
    "folder": "folder",
    "metadata": "metadata",
    "bit_depth": "bit depth",
    "audio_layout": "sound channels",
}


def unsaid(context: Context, work: Work) -> None:
    """Notes and project settings of the sequence that have no form there go out; one finding for all."""
    kept = work.sequence
    gone = {
        name: value
        for name in _WORDS
        if name not in context.spells.sequence_fields and (value := getattr(kept, name))
    }
    if not gone or work.prefix:
        return
    reason = context.because(
        work,
        Cause.NO_SETTING,
        (0, 0),
        "",
        f"what the sequence says of itself has no form there: {', '.join(_WORDS[name] for name in gone)}",
        "set it in the project there where it matters",
        what="sequence",
        fate=Fate.LEFT,
        item_id="",
        name=kept.name,
        before=", ".join(_shown(value) for value in gone.values()),
        minutes=0,
    )
    without: dict[str, Any] = {"metadata": (), "note": ""}
    empty: dict[str, Any] = {name: without.get(name) for name in gone}
    work.put_settings(replace(kept, **empty), reason)


def _shown(value: object) -> str:
    if isinstance(value, tuple):
        return ", ".join(f"{name}: {text}" for name, text in value)
    return f"{value} bit" if isinstance(value, int) else str(value)


def settings(context: Context, work: Work) -> None:
    """What a sequence can say there."""
    length = work.sequence.duration
    foreign = context.foreign(work.sequence.raw)
    for name, group in pieces(foreign):
        reason = not_understood(context, work, name, (0, length), "", "", len(group))
        work.put_settings(replace(work.sequence, raw=without(work.sequence.raw, group)), reason)
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
    unsaid(context, work)
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
