"""Which items go at all, and where they stand: picture or sound, track limits, what overlaps or begins too
early."""

from __future__ import annotations

from dataclasses import replace

from wexodos.evaluate.trimming import trimmed
from wexodos.model import Item
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.leaving import drop, gone
from wexodos.settling.vocabulary import Cause, Fate, Kind
from wexodos.timing import Exact


def media_kinds(context: Context, work: Work) -> None:
    """Picture or sound that the destination does not take, and tracks beyond its limits."""
    parts = (
        ("video", context.destination.pictures, "picture"),
        ("audio", context.destination.sound, "sound"),
    )
    for kind, part, word in parts:
        lanes = [lane for lane in work.lanes if lane.kind == kind]
        for number, lane in enumerate(lanes, 1):
            if not part.carry:
                _nothing(context, work, lane, word)
            elif part.tracks and number > part.tracks:
                for item in list(lane.items):
                    drop(
                        context,
                        work,
                        lane,
                        item,
                        Cause.TRACK_LIMIT,
                        f"the far side takes {part.tracks} {word} tracks",
                        "bring it down onto a lower track first",
                    )
    if not context.destination.pictures.disabled:
        for lane in work.lanes:
            off = not lane.track.enabled and not context.destination.sound.disabled_tracks
            for item in [one for one in lane.items if off or not one.enabled]:
                why, do = "the far side knows no disabled clips", "nothing; it was not seen"
                drop(context, work, lane, item, Cause.DISABLED, why, do)


def _nothing(context: Context, work: Work, lane: Lane, word: str) -> None:
    """Take everything off a lane."""
    why, do = f"the far side takes no {word}", "nothing to do there"
    cause = Cause.NO_PICTURE_OR_SOUND
    for transition in list(lane.transitions):
        reason = context.because(
            work,
            cause,
            transition,
            lane.label,
            why,
            do,
            what=transition.type,
            kind=Kind.TRANSITION,
            fate=Fate.LEFT,
            minutes=0,
        )
        work.take_join(lane, transition, reason)
    reasons = [(item, gone(context, work, lane, item, cause, why, do, minutes=0)) for item in lane.items]
    work.take_all(lane, reasons)


def order(context: Context, work: Work) -> None:
    """What no dialect can say: items that share time on one track go onto a track of their own, items that
    begin before the sequence's first frame begin with it where the dialect counts from there."""
    for lane in list(work.lanes):
        if not context.spells.before_start:
            _begin_at_zero(context, work, lane)
        lane.items.sort(key=lambda one: one.start)
        end: Exact | None = None
        for item in list(lane.items):
            if end is not None and item.start < end and item.duration > 0:
                _lift(context, work, lane, item)
            else:
                end = item.end if end is None else max(end, item.end)


def _begin_at_zero(context: Context, work: Work, lane: Lane) -> None:
    for item in [one for one in lane.items if one.start < 0]:
        if item.end <= 0:
            drop(
                context,
                work,
                lane,
                item,
                Cause.BEFORE_THE_START,
                "it ends before the sequence begins",
                "nothing; it was never seen or heard",
                minutes=0,
            )
            continue
        reason = context.because(
            work,
            Cause.CUT_AT_THE_START,
            (0, item.end),
            lane.label,
            "it begins before the sequence does",
            "nothing; what is cut off was never seen or heard",
            what="record start",
            item_id=item.id,
            name=item.name,
            before=str(item.start),
            after="0",
        )
        work.put(lane, item, trimmed(item, 0, item.end, work.sequence.rate), reason)


def _lift(context: Context, work: Work, lane: Lane, item: Item) -> None:
    """Move an item that overlaps its neighbour onto the track above (below for sound), a new one."""
    reason = context.because(
        work,
        Cause.OVERLAP,
        item,
        lane.label,
        "it shares time with its neighbour on one track; it goes on a track of its own",
        "look which of the two should be seen",
        what="overlap",
        before=lane.label,
        after="a track of its own",
    )
    at = work.lanes.index(lane) + 1
    spare = work.lanes[at] if at < len(work.lanes) else None
    if spare is None or "'" not in spare.label or any(one.span.overlaps(item.span) for one in spare.items):
        track = replace(lane.track, items=(), transitions=())
        spare = work.lay_lane(at, Lane(f"{lane.label}'", lane.kind, [], [], track), reason)
    work.move(lane, spare, item, reason)
    edges = {edge for one in lane.items for edge in (one.start, one.end)}
    own = {item.start, item.end}
    for one in [one for one in lane.transitions if one.cut not in edges]:
        if one.cut in own:
            work.move_join(lane, spare, one, reason)
        else:
            work.take_join(lane, one, reason)
