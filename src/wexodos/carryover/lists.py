"""Steps for cut lists: transitions begin on the edit, sources count whole frames, reels have eight
characters."""

from __future__ import annotations

from dataclasses import replace

from wexodos.carryover.context import Context, Lane, Work
from wexodos.carryover.findings import Fate
from wexodos.formats.ascii_names import plain
from wexodos.formats.edl.reader import COLORS
from wexodos.formats.edl.writer import color_word, reels, source_zero
from wexodos.formats.mobs.pictures import fit_share
from wexodos.model import Constant, Document, Effect, Item, Marker, MediaUse, Transition
from wexodos.timing import Exact, absolute, exact, floor, round_half_up


def events(context: Context, work: Work) -> None:
    """Everything about an event that a list cannot say."""
    if context.destination.format != "edl":
        return
    for lane in work.lanes:
        for transition in list(lane.transitions):
            _on_the_edit(context, work, lane, transition)
        for place, item in enumerate(lane.items):
            item = _fitted(context, work, lane, _plain_effects(context, work, lane, item))
            item = _paced(context, work, lane, item)
            lane.items[place] = _whole_source(context, work, lane, item)
    _reels(context, work)


def _on_the_edit(context: Context, work: Work, lane: Lane, transition: Transition) -> None:
    """A transition begins where what comes in begins: the cut moves to its start, or stays at the end of what
    goes out alone."""
    place = next(number for number, one in enumerate(lane.transitions) if one is transition)
    into = next((one for one in lane.items if one.start == transition.cut), None)
    out = next((one for one in lane.items if one.end == transition.cut), None)
    new = transition
    touched = [one for one in (into, out) if one is not None]
    reach = exact(transition.cut - transition.start)
    covers = [
        "transition",
        "mix",
        "extent",
        "transition length",
        "transition pattern",
        "transition direction",
    ]
    if into is not None:
        pace = into.speed.rate if isinstance(into.speed, Constant) else 1
        source = exact(into.source_in - work.sequence.rate.seconds(reach) * pace)
        room = out is None or out.duration > reach
        if source < 0 or not room:
            # Nothing to go back to: the transition begins at its cut.
            new = replace(new, start=transition.cut, duration=exact(transition.end - transition.cut))
        elif reach:
            lane.swap(
                into,
                replace(
                    into,
                    start=transition.start,
                    duration=exact(into.duration + reach),
                    source_in=into.source_in if into.still else source,
                    markers=tuple(replace(one, start=exact(one.start + reach)) for one in into.markers),
                ),
            )
            if out is not None:
                lane.swap(out, replace(out, duration=exact(out.duration - reach)))
            new = replace(new, cut=transition.start)
        length = min(new.duration, into.duration + (reach if new.cut != transition.cut else 0))
        new = replace(new, duration=length)
    elif out is not None and reach and out.duration > reach:
        lane.swap(out, replace(out, duration=exact(out.duration - reach)))
        new = replace(new, cut=transition.start)
    new = replace(
        new,
        softness=None,
        border=None,
        border_color=None,
        pattern=(new.pattern or 1) if new.type == "wipe" else None,
    )
    if new.duration <= 0:
        lane.transitions.pop(place)
    else:
        lane.transitions[place] = new
    if new != transition:
        context.find(
            work,
            "transition",
            "edit",
            transition,
            lane.label,
            Fate.ADAPTED,
            "transitions begin on the edit there; what is seen stays the same"
            if new.cut != transition.cut
            else "its edge and what lies before its cut have no form there",
            "nothing",
            (
                *covers,
                "transition edge",
                "record start",
                "record end",
                "source in",
                "source frames",
                "source samples",
            ),
            tuple(one.id for one in touched),
            before=str(transition.cut),
            after=str(new.cut),
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
    context.find(
        work,
        "speed",
        "speed",
        item,
        lane.label,
        Fate.ADAPTED,
        "speeds are told in frames a second with one decimal there",
        "set the exact speed again there",
        ("speed", "source frames", "source samples", "kind", "extent"),
        before=f"{float(item.speed.rate) * 100:.4g} %",
        after=f"{float(near) * 100:.4g} %",
        deviation=(round(abs(float(near - item.speed.rate)) * float(item.duration), 2), "fr"),
    )
    return replace(item, speed=Constant(near))


def _fitted(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    """A list says nothing of sizes: pictures stand whole in the frame."""
    if item.motion is None or not isinstance(item.content, MediaUse):
        return item
    media = context.document.media_by_id.get(item.content.media)
    if fit_share(media, item.motion, work.sequence) != 1.0:
        context.find(
            work,
            "motion",
            "size",
            item,
            lane.label,
            Fate.LEFT,
            "a list says nothing of sizes; it stands whole in the frame",
            "size it again there",
            ("size", "position", "corners"),
            before=item.motion.fit,
            after="fit",
        )
    return replace(item, motion=replace(item.motion, fit="fit"))


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
    whole: Exact = floor(at + exact(1, 1000)) if pace == 0 else round_half_up(at)
    there = rate.seconds(exact(whole - zero))
    if there == item.source_in:
        return item
    if absolute(there - item.source_in) * 100_000 > 1 or media.rate not in (None, rate):
        context.find(
            work,
            "clip",
            "source in",
            item,
            lane.label,
            Fate.ADAPTED,
            "sources are counted in whole frames of the list",
            "slip it back if the part of a frame matters",
            ("source in", "source samples", "source frames"),
            before=str(item.source_in),
            after=str(there),
            deviation=(round(abs(float(rate.frames(exact(there - item.source_in)))), 4), "fr"),
        )
    return replace(item, source_in=there)


def _plain_effects(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    """A colour decision stands still there, and there is one for a clip."""
    kept: list[Effect] = []
    for effect in item.effects:
        if effect.kind != "primaries" or kept or not effect.settings:
            context.find(
                work,
                "colour",
                effect.name,
                item,
                lane.label,
                Fate.LEFT,
                "a clip has one colour decision there",
                "grade it again there",
                ("filters", "filter settings"),
                before=effect.name,
            )
            continue
        moving = any(curve.animated for _, curve in effect.settings)
        still = replace(
            effect,
            name="ASC CDL",
            settings=tuple(
                (name, replace(curve, keys=(), value=curve.still)) for name, curve in effect.settings
            ),
        )
        if moving or effect.name != "ASC CDL":
            context.find(
                work,
                "colour",
                effect.name,
                item,
                lane.label,
                Fate.ADAPTED,
                "a colour decision stands still there"
                if moving
                else "it goes by the name of the published decision list",
                "move it again there" if moving else "nothing",
                ("filters", "filter settings"),
                before=effect.name,
                after="ASC CDL",
                minutes=None if moving else 0,
            )
        kept.append(still)
    return replace(item, effects=tuple(kept)) if list(item.effects) != kept else item


def _reels(context: Context, work: Work) -> None:
    known = context.document.media_by_id
    names = reels(context.document, work.sequence, context.destination.turnover.long_reels)
    told: set[str] = set()
    for lane in work.lanes:
        for item in lane.items:
            media = known.get(item.content.media) if isinstance(item.content, MediaUse) else None
            if (
                media is not None
                and media.id not in told
                and media.reel
                and names.get(media.id) != media.reel
            ):
                told.add(media.id)
                context.find(
                    work,
                    "media",
                    "reel",
                    item,
                    lane.label,
                    Fate.ADAPTED,
                    "reels have eight plain characters there; the file stands in a comment",
                    "nothing",
                    ("reel",),
                    before=media.reel,
                    after=names.get(media.id),
                    minutes=0,
                )


def listed_marker(marker: Marker) -> tuple[Marker, list[str], list[str]]:
    """A marker as a list can say it, what of it changes, and why."""
    covers, why = [], []
    name, comment = (
        plain(" ".join(text.split()), 1000).replace("|", "/") for text in (marker.name, marker.comment)
    )
    if (name, comment) != (marker.name, marker.comment):
        covers.append("marker")
        why.append("its words stand on one line of plain letters there")
    color = COLORS[color_word(marker.color)]
    if color != marker.color:
        covers.append("marker colour")
        why.append("a marker has one of ten colours there")
    if marker.duration:
        covers.append("marker length")
        why.append("a marker has no length there")
    return replace(marker, name=name, comment=comment, color=color, duration=0), covers, why


def known_media(returned: Document, adapted: Document) -> Document:
    """Say of the media in a list that was read back which of the known ones they are: a list does not say
    where they begin."""
    by_name = {media.file_name.lower(): media for media in adapted.media}
    homes = {
        media.id: by_name[media.file_name.lower()]
        for media in returned.media
        if media.file_name.lower() in by_name
    }
    own = {media.id: media for media in returned.media}

    def back(item: Item) -> Item:
        if not isinstance(item.content, MediaUse) or item.content.media not in homes:
            return item
        media, found = homes[item.content.media], own[item.content.media]
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
    media = tuple(one for one in returned.media if one.id not in homes) + tuple(
        {one.id: one for one in homes.values()}.values()
    )
    return replace(returned, sequences=sequences, media=media)
