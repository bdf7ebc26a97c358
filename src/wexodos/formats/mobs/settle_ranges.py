"""Settling steps of AAF and OMF on ranges: control points lie between the ends of their clip, clips between
the ends of their medium."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

import numpy as np

from wexodos.evaluate.curves import curve_values
from wexodos.formats.mobs.pictures import still_length
from wexodos.model import (
    NORMAL,
    Constant,
    Curve,
    Ease,
    Item,
    Key,
    Media,
    MediaUse,
    Speed,
    SpeedPoint,
    Variable,
    with_curves,
)
from wexodos.model.speed import source_at, straightened
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.vocabulary import Cause, Kind
from wexodos.timing import Exact, Rate, ceil, exact, format_exact


def keys_inside(context: Context, work: Work) -> None:
    """Keyframes before the first or after the last frame of a clip, transitions included: the time of a
    control point is a share of its operation, 0 to 1 (object specification, ControlPoint)."""
    for lane in work.lanes:
        for item in list(lane.items):
            low, high = _extent(lane, item)
            new = _inside(item, low, high, work.sequence.rate)
            if new is item:
                continue
            reason = context.because(
                work,
                Cause.KEYS_OUTSIDE,
                item,
                lane.label,
                "its keyframes before the first and after the last frame that is used have no place there; "
                "what is seen and heard stays",
                "nothing, unless the clip is made longer there",
                kind=Kind.LEVEL if lane.kind == "audio" else Kind.MOTION,
                what="keyframes outside",
                minutes=0,
            )
            work.put(lane, item, new, reason)


def _extent(lane: Lane, item: Item) -> tuple[Exact, Exact]:
    """What is used of an item, in frames from its start: its own length and its part of the transitions."""
    low, high = item.start, item.end
    for one in lane.transitions:
        if one.cut == item.start:
            low = min(low, one.start)
        if one.cut == item.end:
            high = max(high, one.end)
    return exact(low - item.start), exact(high - item.start)


def _inside(item: Item, low: Exact, high: Exact, rate: Rate) -> Item:
    new = with_curves(item, lambda curve: _curve_inside(curve, low, high))
    if isinstance(item.speed, Variable) and _outside([point.time for point in item.speed.points], low, high):
        speed, source = _speed_inside(item, item.speed, low, high, rate)
        new = replace(new, speed=speed, source_in=source)
    return new


def _outside(times: list[Exact], low: Exact, high: Exact) -> bool:
    return any(not low <= time <= high for time in times)


def _curve_inside(curve: Curve, low: Exact, high: Exact) -> Curve:
    """The keys between two times, with one at an edge where the value was on its way."""
    if len(curve.keys) < 2 or not _outside([key.time for key in curve.keys], low, high):
        return curve
    inside = [key for key in curve.keys if low <= key.time <= high]
    before = [key for key in curve.keys if key.time < low]
    after = [key for key in curve.keys if key.time > high]
    if not inside and not (before and after):
        # Nothing moves in the range: the value of the nearest key.
        return Curve((before[-1:] + after[:1])[0].value, (), curve.domain)
    edges = curve_values(curve, np.array([float(low), float(high)]))
    first, last = np.broadcast_to(edges, (2, len(curve.still)))
    if before and not (inside and inside[0].time == low):
        inside.insert(0, Key(low, tuple(map(float, first)), before[-1].ease))
    if after and inside[-1].time != high and inside[-1].ease is not Ease.HOLD:
        inside.append(Key(high, tuple(map(float, last)), Ease.LINEAR))
    if len(inside) == 1:
        return Curve(inside[0].value, (), curve.domain)
    return replace(curve, keys=tuple(inside))


def _speed_inside(item: Item, speed: Variable, low: Exact, high: Exact, rate: Rate) -> tuple[Speed, Exact]:
    """The part of a ramp between two times, and the source at the item's start; where it is straight there,
    it is a speed like any other."""
    inside = {point.time: point.source for point in straightened(speed).points if low <= point.time <= high}
    for edge in (low, high):
        if edge not in inside:
            inside[edge] = source_at(speed, item.source_in, edge, rate)[0]
    times = sorted(inside)
    pace = Fraction(inside[high] - inside[low]) / Fraction(rate.seconds(exact(high - low)))
    start = exact(inside[low] - pace * rate.seconds(low))
    if all(inside[time] == start + pace * rate.seconds(time) for time in times):
        return (NORMAL if pace == 1 else Constant(exact(pace))), start
    return Variable(tuple(SpeedPoint(time, inside[time]) for time in times)), item.source_in


def from_the_first_frame(context: Context, work: Work) -> None:
    """No clip begins before its medium does: where a cut says so, the range is moved to the first frame."""
    own = work.sequence.rate
    for lane in work.lanes:
        for item in list(lane.items):
            use = item.content
            media = context.document.media_by_id.get(use.media) if isinstance(use, MediaUse) else None
            if media is None or item.still or media.still:
                continue
            lowest = min(_sources(item, _extent(lane, item), own))
            if lowest >= 0:
                continue
            speed = item.speed
            if isinstance(speed, Variable):
                speed = Variable(
                    tuple(replace(one, source=exact(one.source - lowest)) for one in speed.points)
                )
            missing = (media.rate or own).frames(exact(-lowest))
            reason = context.because(
                work,
                Cause.BEFORE_THE_MEDIUM,
                item,
                lane.label,
                "the cut uses its medium from before its first frame; it begins with the first frame there",
                "look at the clip",
                what="source in",
                before=f"{format_exact(exact(round(-missing * 1000), 1000))} frames",
                after="0 frames",
                deviation=(round(float(missing), 3), "fr"),
            )
            source = exact(item.source_in - lowest) if not isinstance(speed, Variable) else item.source_in
            work.put(lane, item, replace(item, speed=speed, source_in=source), reason)


def _sources(item: Item, extent: tuple[Exact, Exact], own: Rate) -> list[Exact]:
    """Seconds of the source at the ends of what is used of an item, and where a ramp turns."""
    low, high = extent
    times = [low, high]
    if isinstance(item.speed, Variable):
        times += [point.time for point in item.speed.points if low < point.time < high]
    return [source_at(item.speed, item.source_in, time, own)[0] for time in times]


def media_reach(context: Context, work: Work) -> None:
    """A medium is at least as long as the cut uses of it: the range of a clip lies within its master."""
    own = work.sequence.rate
    needs: dict[str, Exact] = {}
    first: dict[str, tuple[Lane, Item]] = {}
    for lane in work.lanes:
        for item in lane.items:
            if not isinstance(item.content, MediaUse):
                continue
            media = context.document.media_by_id.get(item.content.media)
            if media is None:
                continue
            need = _need(item, media, _extent(lane, item), own)
            if need > needs.get(media.id, 0):
                needs[media.id], first[media.id] = need, (lane, item)
    for key, need in needs.items():
        media = context.document.media_by_id[key]
        rate = media.rate or own
        if media.still:
            if media.duration is not None and media.duration < rate.frames(need):
                # A still shows the same at every frame: how long it is said to be changes nothing.
                length = max(still_length(rate), ceil(rate.frames(need)))
                context.put_media(media, replace(media, duration=length), context.spelled())
        elif media.duration is not None and rate.frames(need) - media.duration >= 1:
            lane, item = first[key]
            length = ceil(rate.frames(need))
            reason = context.because(
                work,
                Cause.PAST_THE_MEDIUM,
                item,
                lane.label,
                "the cut uses more of its medium than the medium is said to hold; it is written as long as "
                "it is used",
                "look at the end of the clip",
                what="length of the medium",
                before=f"{media.duration} frames",
                after=f"{length} frames",
                minutes=0,
            )
            context.put_media(media, replace(media, duration=length), reason)


def _need(item: Item, media: Media, extent: tuple[Exact, Exact], own: Rate) -> Exact:
    """Seconds of a medium up to the end of what an item uses."""
    low, high = extent
    if item.still or media.still:
        return own.seconds(exact(high - low))
    return max(_sources(item, extent, own))


def sizes_told(context: Context, work: Work) -> None:
    """A picture file has a size there: where none is known, that of the sequence."""
    width, height = work.sequence.frame_size
    for lane in work.lanes:
        if lane.kind != "video":
            continue
        for item in lane.items:
            use = item.content
            media = context.document.media_by_id.get(use.media) if isinstance(use, MediaUse) else None
            if media is None or (media.width and media.height):
                continue
            reason = context.because(
                work,
                Cause.SIZE_ASSUMED,
                item,
                lane.label,
                "the size of its medium is not known; that of the sequence is written",
                "nothing; the size is read from the file again there",
                what="size of the medium",
                after=f"{width} × {height}",
                minutes=0,
            )
            context.put_media(media, replace(media, width=width, height=height), reason)
