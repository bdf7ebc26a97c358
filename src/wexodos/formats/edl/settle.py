"""Settling steps of cut lists: transitions begin on the edit, sources count whole frames, reels have eight
characters."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import replace

from wexodos.evaluate.tolerances import FRAME
from wexodos.formats.edl.writer import listed_path, reels, source_zero
from wexodos.formats.mobs.pictures import fit_share
from wexodos.model import Constant, Document, Effect, Item, Media, MediaUse, Transition
from wexodos.settling.changes import Reason
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.vocabulary import Cause, Fate
from wexodos.timing import Exact, Timecode, absolute, exact, floor, round_half_up


def events(context: Context, work: Work) -> None:
    """Everything about an event that a list cannot say."""
    for lane in work.lanes:
        for transition in list(lane.transitions):
            _on_the_edit(context, work, lane, transition)
        for item in list(lane.items):
            item = _one_colour_decision(context, work, lane, item)
            item = _fitted(context, work, lane, item)
            item = _paced(context, work, lane, item)
            item = _whole_source(context, work, lane, item)
            _within_codes(context, work, lane, item)
    _reels(context, work)
    if not work.prefix:
        _files(context, work)
        _starts(context, work)


def _on_the_edit(context: Context, work: Work, lane: Lane, transition: Transition) -> None:
    """A transition begins where what comes in begins: the cut moves to its start, or stays at the end of what
    goes out alone."""
    into = next((one for one in lane.items if one.start == transition.cut), None)
    out = next((one for one in lane.items if one.end == transition.cut), None)
    rate = work.sequence.rate
    reach = exact(transition.cut - transition.start)
    earlier: Item | None = None
    moves = False
    if into is not None:
        pace = into.speed.rate if isinstance(into.speed, Constant) else 1
        source = exact(into.source_in - rate.seconds(reach) * pace)
        room = out is None or out.duration > reach
        moves = bool(reach) and source >= 0 and room
        if moves:
            earlier = replace(
                into,
                start=transition.start,
                duration=exact(into.duration + reach),
                source_in=into.source_in if into.still else source,
                markers=tuple(replace(one, start=exact(one.start + reach)) for one in into.markers),
            )
    elif out is not None:
        moves = bool(reach) and out.duration > reach
    if moves:
        reason = _reason(
            context,
            work,
            lane,
            transition,
            Cause.ON_THE_EDIT,
            "transitions begin on the edit there; what is seen stays the same",
            transition.start,
        )
        if into is not None and earlier is not None:
            into = work.put(lane, into, earlier, reason)
        if out is not None:
            work.put(lane, out, replace(out, duration=exact(out.duration - reach)), reason)
        transition = work.put_join(lane, transition, replace(transition, cut=transition.start), reason)
    _looks(context, work, lane, transition, into)


def _looks(context: Context, work: Work, lane: Lane, transition: Transition, into: Item | None) -> None:
    """What of a transition a list can say: it lies behind its edit, no longer than its clip, with a hard
    edge."""
    new = transition
    if into is not None and new.start < new.cut:
        new = replace(new, start=new.cut, duration=exact(new.end - new.cut))
    if into is not None:
        new = replace(new, duration=min(new.duration, into.duration))
    edge = replace(
        new,
        softness=None,
        border=None,
        border_color=None,
        pattern=(new.pattern or 1) if new.type == "wipe" else None,
    )
    if edge == transition:
        return
    reason = _reason(
        context,
        work,
        lane,
        transition,
        Cause.TRANSITION_LOOKS,
        "its edge and what lies before its cut have no form there",
        new.cut,
    )
    if edge.duration <= 0:
        work.take_join(lane, transition, reason)
    else:
        work.put_join(lane, transition, edge, reason)


def _reason(
    context: Context, work: Work, lane: Lane, one: Transition, cause: Cause, why: str, after: Exact
) -> Reason:
    return context.because(
        work,
        cause,
        one,
        lane.label,
        why,
        "nothing",
        what="edit" if cause is Cause.ON_THE_EDIT else "looks",
        before=str(one.cut),
        after=str(after),
        minutes=0,
    )


def _paced(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    """A speed is said in frames a second with one decimal."""
    if not isinstance(item.speed, Constant) or item.speed.rate == 1:
        return item
    nominal = work.sequence.rate.nominal
    near = exact(round_half_up(exact(item.speed.rate * nominal * 10)), nominal * 10)
    if near == item.speed.rate:
        return item
    gap = abs(float(near - item.speed.rate)) * float(item.duration)
    reason = context.because(
        work,
        Cause.SPEED_DECIMALS,
        item,
        lane.label,
        "speeds are told in frames a second with one decimal there",
        "set the exact speed again there",
        before=f"{float(item.speed.rate) * 100:.4g} %",
        after=f"{float(near) * 100:.4g} %",
        deviation=(round(gap, 2), "fr"),
        minutes=0 if gap < float(FRAME) else None,
        within=float(FRAME),
    )
    return work.put(lane, item, replace(item, speed=Constant(near)), reason)


def _fitted(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    """A list says nothing of sizes: pictures stand whole in the frame."""
    if item.motion is None or not isinstance(item.content, MediaUse) or item.motion.fit == "fit":
        return item
    media = context.document.media_by_id.get(item.content.media)
    reason = context.spelled()
    if fit_share(media, item.motion, work.sequence) != 1.0:
        reason = context.because(
            work,
            Cause.WHOLE_IN_FRAME,
            item,
            lane.label,
            "a list says nothing of sizes; it stands whole in the frame",
            "size it again there",
            what="size",
            fate=Fate.LEFT,
            before=item.motion.fit,
            after="fit",
        )
    return work.put(lane, item, replace(item, motion=replace(item.motion, fit="fit")), reason)


def _whole_source(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    media = (
        context.document.media_by_id.get(item.content.media) if isinstance(item.content, MediaUse) else None
    )
    if media is None or item.still:
        return item
    rate = work.sequence.rate
    zero = source_zero(media, rate)
    at = exact(zero + rate.frames(item.source_in))
    pace = item.speed.rate if isinstance(item.speed, Constant) else 1
    whole: Exact = floor(at + FRAME) if pace == 0 else round_half_up(at)
    there = rate.seconds(exact(whole - zero))
    if there == item.source_in:
        return item
    reason = context.spelled()
    if absolute(there - item.source_in) * 100_000 > 1 or media.rate not in (None, rate):
        off = abs(float(rate.frames(exact(there - item.source_in))))
        reason = context.because(
            work,
            Cause.SOURCE_BETWEEN_FRAMES,
            item,
            lane.label,
            "sources are counted in whole frames of the list",
            "slip it back if the part of a frame matters",
            what="source in",
            before=str(item.source_in),
            after=str(there),
            deviation=(round(off, 4), "fr"),
        )
    return work.put(lane, item, replace(item, source_in=there), reason)


_HOURS = 100
"""Hours have two digits in a list."""


def _within_codes(context: Context, work: Work, lane: Lane, item: Item) -> None:
    """A source code that no list can write becomes the same one of another day."""
    media = (
        context.document.media_by_id.get(item.content.media) if isinstance(item.content, MediaUse) else None
    )
    if media is None or item.still:
        return
    rate = work.sequence.rate
    drop = next((one for one in (media.drop_frame, item.drop_frame) if one is not None), None)
    day = Timecode.parse("24:00:00:00", rate, work.sequence.drop_frame if drop is None else drop).frames
    pace = item.speed.rate if isinstance(item.speed, Constant) else 1
    begins = source_zero(media, rate) + rate.frames(item.source_in)
    # Before its first frame nothing is used: that is settled by then.
    first, last = sorted((begins, begins + pace * item.duration))
    if last < day * _HOURS // 24:
        return
    away = day * floor(exact(first, day))
    there = rate.seconds(exact(rate.frames(item.source_in) - away))
    reason = context.because(
        work,
        Cause.SOURCE_BEYOND_CODES,
        item,
        lane.label,
        "no list can write a source timecode so far away; the same one of the first day stands there",
        "see whether the clip is right, and find its frame by eye there",
        what="source in",
        before=str(item.source_in),
        after=str(there),
    )
    work.put(lane, item, replace(item, source_in=there), reason)


def _one_colour_decision(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    """A colour decision stands still there, and there is one for a clip."""
    kept: Effect | None = None
    for effect in item.effects:
        others = tuple(one for one in item.effects if one is not effect)
        if effect.kind != "primaries" or kept is not None or not effect.settings:
            reason = context.because(
                work,
                Cause.ONE_COLOUR_DECISION,
                item,
                lane.label,
                "a clip has one colour decision there",
                "grade it again there",
                what=effect.name,
                fate=Fate.LEFT,
                before=effect.name,
            )
            item = work.put(lane, item, replace(item, effects=others), reason)
            continue
        still = tuple((name, replace(curve, keys=(), value=curve.still)) for name, curve in effect.settings)
        kept = replace(effect, name="ASC CDL", settings=still)
        moving = any(curve.animated for _, curve in effect.settings)
        reason = context.spelled()
        if moving or effect.name != kept.name:
            reason = context.because(
                work,
                Cause.COLOUR_DECISION_STANDS,
                item,
                lane.label,
                "a colour decision stands still there"
                if moving
                else "it goes by the name of the published decision list",
                "move it again there" if moving else "nothing",
                what=effect.name,
                before=effect.name,
                after=kept.name,
                minutes=None if moving else 0,
            )
        effects = tuple(kept if one is effect else one for one in item.effects)
        item = work.put(lane, item, replace(item, effects=effects), reason)
    return item


def _reels(context: Context, work: Work) -> None:
    names = reels(context.document, work.sequence, context.destination.turnover.long_reels)
    for lane in work.lanes:
        for item in lane.items:
            use = item.content
            media = context.document.media_by_id.get(use.media) if isinstance(use, MediaUse) else None
            if media is None or not media.reel or names.get(media.id) == media.reel:
                continue
            reason = context.because(
                work,
                Cause.REELS,
                item,
                lane.label,
                "reels have eight plain characters there; the file stands in a comment",
                "nothing",
                what="reel",
                before=media.reel,
                after=names.get(media.id),
                minutes=0,
            )
            context.put_media(media, replace(media, reel=names.get(media.id)), reason)


def _files(context: Context, work: Work) -> None:
    """Names of files that a list can give in plain letters only, each said once."""
    said: set[str] = set()
    for lane in work.lanes:
        for item in lane.items:
            use = item.content
            media = context.document.media_by_id.get(use.media) if isinstance(use, MediaUse) else None
            if media is None or media.id in said or listed_path(media) == (media.path or media.name):
                continue
            said.add(media.id)
            context.because(
                work,
                Cause.REELS,
                item,
                lane.label,
                "a list names files in plain letters",
                "find the file by its reel and timecode there",
                what="file name",
                before=media.path or media.name,
                after=listed_path(media),
                minutes=1,
                always=True,
            )


def _starts(context: Context, work: Work) -> None:
    """A list finds its sources by their timecode: where nobody knows it, it counts from the first frame, and
    that is said of each medium."""
    said: set[str] = set()
    for lane in work.lanes:
        for item in lane.items:
            use = item.content
            media = context.document.media_by_id.get(use.media) if isinstance(use, MediaUse) else None
            if media is None or media.start is not None or media.still or media.id in said:
                continue
            said.add(media.id)
            context.because(
                work,
                Cause.START_UNKNOWN,
                item,
                lane.label,
                "the timecode of its medium is not known; the list counts from 00:00:00:00",
                "find the file by its name there, or have its timecode read and write the list again",
                what="source timecode",
                before="not known",
                after="00:00:00:00",
                minutes=1,
                always=True,
            )


def known_media(returned: Document, adapted: Document) -> Document:
    """Say of the media in a list that was read back which of the known ones they are: a list does not say
    where they begin. Of several media of one file and reel the one that stands at the place of an item is
    meant."""
    by_name: dict[str, list[Media]] = defaultdict(list)
    for media in adapted.media:
        by_name[listed_path(media).replace("\\", "/").rsplit("/", 1)[-1].strip().lower()].append(media)
    alike = {media.id: by_name.get(media.file_name.strip().lower(), []) for media in returned.media}
    places: dict[tuple[bool, Exact], set[str]] = defaultdict(set)
    for sequence in adapted.sequences:
        for item in sequence.items():
            if isinstance(item.content, MediaUse):
                places[item.sound is None, item.start].add(item.content.media)
    own = {media.id: media for media in returned.media}
    reels: dict[str, str | None] = {}

    def home(found: Media, item: Item | None) -> Media | None:
        there = alike[found.id]
        if item is not None:
            here = places[item.sound is None, item.start]
            there = [one for one in there if one.id in here] or there
        return next((one for one in there if one.reel == found.reel), there[-1] if there else None)

    own = {media.id: media for media in returned.media}

    def back(item: Item) -> Item:
        if not isinstance(item.content, MediaUse):
            return item
        found = own[item.content.media]
        media = home(found, item)
        if media is None:
            return item
        reels[media.id] = found.reel or media.reel
        zero = media.rate.seconds(media.start) if media.rate is not None and media.start is not None else 0
        there = found.rate.seconds(found.start) if found.rate is not None and found.start is not None else 0
        source = item.source_in if item.still else exact(item.source_in + there - zero)
        return replace(item, content=MediaUse(media.id), source_in=source)

    sequences = tuple(
        replace(
            one, tracks=tuple(replace(track, items=tuple(map(back, track.items))) for track in one.tracks)
        )
        for one in returned.sequences
    )
    known = [replace(one, reel=reels[one.id]) for one in adapted.media if one.id in reels]
    others = (one for one in returned.media if not alike[one.id])
    return replace(returned, sequences=sequences, media=(*others, *known))
