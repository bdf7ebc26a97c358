"""Markers: where they may stand and what they can say."""

from __future__ import annotations

from dataclasses import replace

from wexodos.compare import marker_key
from wexodos.model import Item, Marker
from wexodos.settling.changes import Reason
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.vocabulary import Cause, Fate
from wexodos.timing import Exact, ceil


def markers(context: Context, work: Work) -> None:
    """Markers as the destination takes them."""
    takes = context.destination.markers
    if takes.carry:
        length = work.sequence.duration
        for marker in list(work.markers):
            _on_sequence(context, work, marker, length)
    else:
        for marker in list(work.markers):
            work.put_mark(marker, None, _none(context, work, marker.start, marker))
    for lane in work.lanes:
        for item in list(lane.items):
            for marker in item.markers:
                item = _on_item(context, work, lane, item, marker)


def _reason(
    context: Context,
    work: Work,
    cause: Cause,
    at: Exact,
    marker: Marker,
    why: str,
    do: str = "nothing",
    *,
    fate: Fate = Fate.ADAPTED,
    minutes: float | None = 0,
    always: bool = False,
) -> Reason:
    """A reason about a marker at its place in the sequence; one that a step put in is told with what it
    stands for."""
    key = marker_key(at, marker)
    if key in work.own:
        return context.spelled(cause)
    return context.because(
        work,
        cause,
        (at, at + ceil(marker.duration)),
        "",
        why,
        do,
        fate=fate,
        item_id=key,
        name=marker.name or "marker",
        minutes=minutes,
        always=always,
    )


def _none(context: Context, work: Work, at: Exact, marker: Marker) -> Reason:
    why, do = "no markers on the far side", "take the list of markers along"
    return _reason(context, work, Cause.NO_MARKERS, at, marker, why, do, fate=Fate.LEFT, minutes=None)


def _on_sequence(context: Context, work: Work, marker: Marker, length: int) -> None:
    spelling = context.spells.markers
    outside = not 0 <= marker.start < max(length, 1)
    apart = not context.destination.markers.on_sequence
    if (apart and outside) or (marker.start < 0 and not spelling.before_start):
        why = "it lies outside what is used of its clip" if apart else "it lies before the first frame"
        reason = _reason(context, work, Cause.MARKER_OUTSIDE, marker.start, marker, why, fate=Fate.LEFT)
        work.put_mark(marker, None, reason)
        return
    new, lost = _said(context, marker)
    if apart:
        lost.insert(0, "markers stand on clips there; it goes on the one at its place")
    if lost:
        why = "; ".join(lost)
        reason = _reason(context, work, Cause.MARKER_WORDS, marker.start, marker, why, always=True)
        work.put_mark(marker, new, reason)


def _on_item(context: Context, work: Work, lane: Lane, item: Item, marker: Marker) -> Item:
    """The item with one of its markers as it can stand there."""
    takes, spelling = context.destination.markers, context.spells.markers
    at = item.start + marker.start
    rest = tuple(one for one in item.markers if one is not marker)
    if not takes.carry:
        return work.put(lane, item, replace(item, markers=rest), _none(context, work, at, marker))
    new, lost = _said(context, marker)
    if not takes.on_items:
        if at < 0 and not spelling.before_start:
            why = "it lies before the first frame"
            reason = _reason(context, work, Cause.MARKER_OUTSIDE, at, marker, why, fate=Fate.LEFT)
        else:
            why = "; ".join(["clips have no markers there; it goes on the sequence", *lost])
            reason = _reason(context, work, Cause.MARKER_ON_SEQUENCE, at, marker, why)
            work.mark(replace(new, start=at), reason)
        return work.put(lane, item, replace(item, markers=rest), reason)
    if not spelling.outside_items and not 0 <= marker.start < item.duration:
        why = "it lies outside what is used of its clip"
        reason = _reason(context, work, Cause.MARKER_OUTSIDE, at, marker, why, fate=Fate.LEFT)
        return work.put(lane, item, replace(item, markers=rest), reason)
    if not lost:
        return item
    reason = _reason(context, work, Cause.MARKER_WORDS, at, marker, "; ".join(lost))
    there = tuple(new if one is marker else one for one in item.markers)
    return work.put(lane, item, replace(item, markers=there), reason)


def _said(context: Context, marker: Marker) -> tuple[Marker, list[str]]:
    """A marker as it can be said there, and what of it changes."""
    takes, spelling = context.destination.markers, context.spells.markers
    lost: list[str] = []
    new = marker
    if marker.color and not takes.colors:
        lost.append("its colour has no form there")
        new = replace(new, color=None)
    known = spelling.kinds is None or marker.kind in spelling.kinds
    if not (takes.kinds and known) and marker.kind != "marker":
        lost.append("it becomes a plain marker")
        new = replace(new, kind="marker", done=None)
    if marker.done is not None and not (takes.kinds and (spelling.kinds is None or "task" in spelling.kinds)):
        if new.kind == marker.kind:
            lost.append("it becomes a plain marker")
        new = replace(new, kind="marker", done=None)
    if marker.duration == 1 and not spelling.one_frame and spelling.lengths:
        lost.append("a length of one frame counts as none there")
        new = replace(new, duration=0)
    if spelling.plain is not None:
        name, comment = spelling.plain(new.name), spelling.plain(new.comment)
        # On one line the first words are the name.
        words = replace(new, name=name, comment=comment) if name else replace(new, name=comment, comment="")
        if words != new:
            lost.append("its words stand on one line of plain letters there")
            new = words
    if spelling.palette is not None and spelling.palette(marker.color) != marker.color:
        lost.append("a marker has one of ten colours there")
        new = replace(new, color=spelling.palette(marker.color))
    if marker.duration and not spelling.lengths:
        lost.append("a marker has no length there")
        new = replace(new, duration=0)
    return new, lost
