"""Pictures and transitions between frames, which no dialect can say; sound and source points for one that
counts whole frames only."""

from __future__ import annotations

from dataclasses import replace

from wexodos.carryover.joins import on_frames
from wexodos.evaluate.tolerances import FRAME
from wexodos.model import NORMAL, Item, MediaUse, Title
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.vocabulary import Cause
from wexodos.timing import Rate, absolute, floor, format_exact, round_half_up


def whole_frames(context: Context, work: Work) -> None:
    """Everything on the frames that the destination counts."""
    media = context.document.media_by_id
    between = context.destination.sound.between_frames
    source_frames = context.spells.source_frames
    for lane in work.lanes:
        if lane.kind == "audio" and between:
            continue
        on_frames(context, work, lane)
        for item in list(lane.items):
            item = _on_frames(context, work, lane, item)
            if between or source_frames is None:
                continue
            if item.speed is NORMAL and not item.still and not isinstance(item.content, Title):
                medium = media.get(item.content.media) if isinstance(item.content, MediaUse) else None
                dressed = any(one.cut in (item.start, item.end) for one in lane.transitions)
                rate = source_frames(item, medium, work.sequence.rate, dressed)
                _on_source_frames(context, work, lane, item, rate)


def _on_frames(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    if isinstance(item.start, int) and isinstance(item.duration, int):
        return item
    start, end = round_half_up(item.start), max(round_half_up(item.start) + 1, round_half_up(item.end))
    moved = start - item.start
    off = max(abs(float(moved)), abs(float(end - item.end)))
    word = "sound begins and ends" if lane.kind == "audio" else "pictures stand"
    reason = context.because(
        work,
        Cause.BETWEEN_FRAMES,
        item,
        lane.label,
        f"{word} on whole frames there",
        "slide it back if the part of a frame matters",
        what="record place",
        before=f"{format_exact(item.start)} to {format_exact(item.end)}",
        after=f"{start} to {end}",
        deviation=(round(off, 3), "fr"),
    )
    source = item.source_in + work.sequence.rate.seconds(moved) if item.speed is NORMAL else item.source_in
    new = replace(item, start=start, duration=end - start, source_in=max(source, 0))
    return work.put(lane, item, new, reason)


def _on_source_frames(context: Context, work: Work, lane: Lane, item: Item, rate: Rate) -> None:
    frames = rate.frames(item.source_in)
    if isinstance(frames, int):
        return
    whole = floor(frames + FRAME)
    reason = context.spelled()
    if absolute(frames - whole) > FRAME:
        reason = context.because(
            work,
            Cause.SOURCE_BETWEEN_FRAMES,
            item,
            lane.label,
            "the source begins between two frames, which cannot be said there",
            "slip it back if the part of a frame matters",
            what="source in",
            before=f"{float(frames):.3f}",
            after=str(whole),
            deviation=(round(abs(float(frames - whole)), 3), "fr"),
        )
    work.put(lane, item, replace(item, source_in=rate.seconds(whole)), reason)
