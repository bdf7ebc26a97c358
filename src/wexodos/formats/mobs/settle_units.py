"""Settling steps of AAF and OMF on places: record and source times on edit units."""

from __future__ import annotations

from dataclasses import replace

from wexodos.evaluate.hearing import furthest
from wexodos.evaluate.tolerances import DECIBELS, FOLLOWED_DECIBELS, FRAME, SECONDS
from wexodos.formats.mobs.places import settled, settled_source, units_of
from wexodos.formats.mobs.sources import FINE
from wexodos.model import NORMAL, Constant, Item, Media, MediaUse, NestedUse, Sound, Variable
from wexodos.model.speed import source_at
from wexodos.settling.changes import Reason
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.speeding import rendered
from wexodos.settling.vocabulary import Cause
from wexodos.timing import Exact, Rate, exact, floor, format_exact


def sound_units(context: Context, work: Work) -> Rate:
    """The edit rate of the sound slots that will be written."""
    if context.destination.turnover.edit_rate == "samples":
        return Rate(work.sequence.sample_rate or 48000)
    return work.sequence.rate


def units(context: Context, work: Work) -> None:
    """Record and source times on edit units."""
    own = work.sequence.rate
    fine = sound_units(context, work)
    for lane in work.lanes:
        rate = fine if lane.kind == "audio" else own
        if rate != own:
            _joins(context, work, lane, own, rate)
        for item in list(lane.items):
            _sourced(context, work, lane, _placed(context, work, lane, item, rate), rate)


def _joins(context: Context, work: Work, lane: Lane, own: Rate, rate: Rate) -> None:
    for one in list(lane.transitions):
        start, end, cut = (settled(at, own, rate) for at in (one.start, one.end, one.cut))
        new = replace(one, start=start, duration=exact(end - start), cut=cut)
        work.put_join(lane, one, new, context.spelled())


def _placed(context: Context, work: Work, lane: Lane, item: Item, rate: Rate) -> Item:
    own = work.sequence.rate
    sound = item.sound
    if sound is not None and lane.kind == "audio" and (sound.fade_in or sound.fade_out):
        fade_in, fade_out = (
            replace(one, duration=settled(one.duration, own, rate)) if one is not None else None
            for one in (sound.fade_in, sound.fade_out)
        )
        item = _faded(context, work, lane, item, replace(sound, fade_in=fade_in, fade_out=fade_out))
    start, end = settled(item.start, own, rate), settled(item.end, own, rate)
    if (start, end) == (item.start, item.end):
        return item
    if units_of(item.end, own, rate) <= units_of(item.start, own, rate):
        end = exact(start + own.frames(rate.seconds(1)))
    off = max(abs(float(start - item.start)), abs(float(end - item.end)))
    reason = context.because(
        work,
        Cause.BETWEEN_UNITS,
        item,
        lane.label,
        "its edges fall between two edit units there, and go to the nearer one",
        "nothing",
        what="record place",
        before=f"{format_exact(item.start)} to {format_exact(item.end)}",
        after=f"{format_exact(start)} to {format_exact(end)}",
        deviation=(round(off, 6), "fr"),
        minutes=0,
        within=float(own.frames(rate.seconds(1))) / 2 if rate.fps >= FINE else None,
    )
    by = own.seconds(exact(start - item.start))
    source = (
        exact(item.source_in + by * item.speed.rate) if isinstance(item.speed, Constant) else item.source_in
    )
    new = replace(item, start=start, duration=exact(end - start), source_in=source)
    return work.put(lane, item, new, reason)


def _faded(context: Context, work: Work, lane: Lane, item: Item, sound: Sound) -> Item:
    """The item with its fades on edit units; said where it can be heard."""
    assert item.sound is not None
    gap = furthest(item.sound, sound, float(item.duration))
    reason = context.spelled()
    if gap > DECIBELS / 2:
        reason = context.because(
            work,
            Cause.FADE_BETWEEN_UNITS,
            item,
            lane.label,
            "its fades end between two edit units there, and go to the nearer one",
            "nothing",
            what="fades",
            deviation=(round(gap, 3), "dB"),
            minutes=0,
            within=FOLLOWED_DECIBELS * context.options.tolerance,
        )
    return work.put(lane, item, replace(item, sound=sound), reason)


def _sourced(context: Context, work: Work, lane: Lane, item: Item, rate: Rate) -> None:
    """The source on the unit its clip begins with, handles of a transition included."""
    use = item.content
    if not isinstance(use, MediaUse | NestedUse) or item.still or isinstance(item.speed, Variable):
        return
    if lane.kind == "audio" and rendered(context, item, work.sequence.rate):
        return
    own = work.sequence.rate
    media = context.document.media_by_id.get(use.media) if isinstance(use, MediaUse) else None
    counted = media.rate if media is not None and media.rate is not None else own
    if isinstance(use, NestedUse) and use.sequence in context.document.sequences_by_id:
        counted = context.document.sequences_by_id[use.sequence].rate
    before = next((exact(one.cut - one.start) for one in lane.transitions if one.cut == item.start), 0)
    first, _ = source_at(item.speed, item.source_in, -before, own)
    if item.speed.rate == 0:
        there = rate.seconds(max(0, floor(rate.frames(first) + FRAME)))
    else:
        fine = rate.fps >= FINE
        there = settled_source(
            first, rate, media.rate if fine and media is not None else None, own if fine else None
        )
    by = exact(there - first)
    if by:
        reason = _reason(context, work, lane, item, media, counted, by)
        work.put(lane, item, replace(item, source_in=exact(item.source_in + by)), reason)


def _reason(
    context: Context, work: Work, lane: Lane, item: Item, media: Media | None, counted: Rate, by: Exact
) -> Reason:
    """Why a source is moved ``by`` seconds; ``counted`` is the rate in which its frames count."""
    if abs(float(by)) <= SECONDS and not _shows_other(item, media, counted, by, work.sequence.rate):
        return context.spelled()
    return context.because(
        work,
        Cause.SOURCE_BETWEEN_UNITS,
        item,
        lane.label,
        "the source begins between two edit units there, and goes to the nearer one",
        "slip it back if the part of a frame matters",
        what="source in",
        before=str(item.source_in),
        after=str(exact(item.source_in + by)),
        deviation=(round(abs(float(counted.frames(by))), 4), "fr"),
    )


def _shows_other(item: Item, media: Media | None, counted: Rate, by: Exact, own: Rate) -> bool:
    """Whether even this little shows another frame or plays another sample somewhere."""
    sounds = item.sound is not None and media is not None
    rate = Rate(media.sample_rate or 48000) if media is not None and sounds else counted
    one, other = rate.frames(item.source_in) + FRAME, rate.frames(item.source_in + by) + FRAME
    return floor(one) != floor(other) or item.speed is not NORMAL or own.fps != rate.fps
