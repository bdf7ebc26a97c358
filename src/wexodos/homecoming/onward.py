"""What came home to a cut, carried on into a later version of it: renders to where their shots stand now,
sound cut along what was changed between the two."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, field, replace
from fractions import Fraction
from itertools import product

from wexodos.compare.changes import Versions, versions
from wexodos.compare.match import Placed, placed_items
from wexodos.compare.pieces import How, Piece
from wexodos.evaluate.trimming import trimmed
from wexodos.ground.names import fresh
from wexodos.homecoming.events import Event, events
from wexodos.homecoming.holes import Hole, Span, holes_of, without
from wexodos.homecoming.laying import Laid, lacking
from wexodos.homecoming.mixes import Returned
from wexodos.homecoming.ways import What, resized
from wexodos.model import Document, Item, Media, MediaUse, Motion, Sequence, Track
from wexodos.model.speed import NORMAL, Constant
from wexodos.timing import Exact, Rate, exact
from wexodos.turnover.change_list import Kept, kept

NOTHING_CAME = "nothing came for it"
IS_NEW = "it is new since the cut left"


@dataclass(slots=True)
class Onward:
    """The later version with what came; ``again`` are its events without a render, with the reason,
    ``holes`` the stretches without a sound by the track it was for, ``changed`` clips whose sound was changed
    since, which is not in what came."""

    document: Document
    sequence: Sequence
    laid: list[Laid] = field(default_factory=list)
    again: list[tuple[Event, str]] = field(default_factory=list)
    holes: list[tuple[Returned, list[Hole]]] = field(default_factory=list)
    changed: list[tuple[Placed, str]] = field(default_factory=list)


def carried_on(
    left: tuple[Document, Sequence],
    home: tuple[Document, Sequence],
    later: tuple[Document, Sequence],
    renders: list[Laid],
    placed: dict[str, Returned],
) -> Onward:
    """Carry on into ``later`` what was laid into the cut that ``left``, which is ``home`` now: ``renders`` in
    place of its clips, and sounds ``placed`` as items of those ids. Both versions have one rate."""
    found = versions(*left, *later)
    made = Onward(*later)
    _renders(made, found, left, home, renders)
    _sounds(made, found, left[1], home, placed)
    return made


def _renders(
    made: Onward,
    found: Versions,
    left: tuple[Document, Sequence],
    home: tuple[Document, Sequence],
    renders: list[Laid],
) -> None:
    before = {item.id: item for item in left[1].items()}
    with_it = {item.id: item for item in home[1].items()}
    came = {media.id: media for media in home[0].media}
    there: dict[str, list[Piece]] = defaultdict(list)
    since: dict[str, Piece] = {}
    for piece in found.pieces:
        there[piece.old.item.id].append(piece)
        since[piece.new.item.id] = piece
    now = {event.item.id: event for event in events(made.document, made.sequence)}
    joins = {
        label: {join.cut: join for join in track.transitions}
        for label, track in made.sequence.labelled_tracks()
    }
    media = list(made.document.media)
    ids = {one.id for one in media}
    new: dict[str, Item] = {}
    why: dict[str, str] = {}
    for one in renders:
        event = one.matched.found.event
        ours, laid = before[event.item.id], with_it[event.item.id]
        assert isinstance(laid.content, MediaUse)
        medium = came[laid.content.media]
        known = replace(medium, id=fresh(medium.id, ids))
        used = False
        for piece in there[event.item.id]:
            item = piece.new.item
            if item.id in new or item.id not in now:
                continue
            told = _onto(ours, laid, piece, one, event.media, known, made.sequence.rate)
            if isinstance(told, str):
                why[item.id] = told
                continue
            seconds = one.matched.facts.length or 0
            inner, outer = (
                lacking(told, each, made.sequence.rate, seconds) for each in ({}, joins[now[item.id].track])
            )
            if any(inner):
                ends = zip(inner, ("beginning", "end"))
                lacks = " and ".join(f"{count} frames at its {where}" for count, where in ends if count)
                why[item.id] = f"the render of it lacks {lacks}"
                continue
            new[item.id] = told
            why.pop(item.id, None)
            used = True
            candidate = replace(one.matched.found, event=now[item.id])
            made.laid.append(replace(one, matched=replace(one.matched, found=candidate), short=outer))
        if used:
            media.append(known)
    for key, event in now.items():
        if key not in new:
            default = NOTHING_CAME if key in since else IS_NEW
            made.again.append((event, why.get(key, default)))
    tracks = tuple(
        replace(track, items=tuple(new.get(item.id, item) for item in track.items))
        if track.kind == "video"
        else track
        for track in made.sequence.tracks
    )
    made.laid.sort(key=lambda one: (one.matched.found.event.item.start, one.matched.found.event.track))
    _put(made, tracks, tuple(media))


def _onto(
    ours: Item, laid: Item, piece: Piece, one: Laid, before: Media, medium: Media, rate: Rate
) -> Item | str:
    """The item of the later version with the render that took the place of ``ours``; why that cannot be in
    words. What of the clip is in the render already must not have been changed since."""
    item = piece.new.item
    off = {what.what for what in one.doubled}
    was, now = ours.motion or Motion(), item.motion or Motion()
    if What.MOTION in off and replace(now, opacity=was.opacity) != was:
        return "its sizing was changed since, and the render holds the earlier one"
    if What.FADE in off and now.opacity != was.opacity:
        return "its fade was changed since, and the render holds the earlier one"
    if What.BLEND in off and (item.blend, now.opacity) != (ours.blend, was.opacity):
        return "its blend was changed since, and the render holds the earlier one"
    if off & {What.FILTER, What.COLOUR} and item.effects != ours.effects:
        return "its filters were changed since, and the render holds the earlier ones"
    if What.SPEED in off and item.speed != ours.speed:
        return "its speed was changed since, and the render holds the earlier one"
    by_source = laid.speed == ours.speed
    if not by_source and item.speed != ours.speed:
        return "its speed was changed since, and the render holds the earlier one"
    source = Fraction(item.source_in) - Fraction(ours.source_in)
    if by_source and not ours.still:
        into = source
    elif piece.how is How.SLIPPED:
        pace = ours.speed.rate if isinstance(ours.speed, Constant) else None
        if not pace:
            return "it shows another stretch of its source than the render"
        into = source / Fraction(pace)
    else:
        apart = item.start - piece.shift - ours.start
        into = Fraction(rate.seconds(apart))
    through = off & {What.FADE, What.BLEND}
    sizing, theirs = resized(now, before, medium), laid.motion or Motion()
    made = replace(
        item,
        content=MediaUse(medium.id),
        source_in=exact(Fraction(laid.source_in) + into),
        still=False,
        speed=item.speed if by_source else NORMAL,
        motion=replace(
            theirs if What.MOTION in off else sizing, opacity=theirs.opacity if through else now.opacity
        ),
        blend=laid.blend if What.BLEND in off else item.blend,
    )
    return replace(made, effects=laid.effects) if off & {What.FILTER, What.COLOUR} else made


def _sounds(
    made: Onward,
    found: Versions,
    left: Sequence,
    home: tuple[Document, Sequence],
    placed: dict[str, Returned],
) -> None:
    """Cut what came along what both versions let hear; it takes the place of what it holds, the rest stays
    heard."""
    standing = [
        (track, items)
        for track in home[1].audio_tracks
        if (items := [item for item in track.items if item.id in placed])
    ]
    if not standing:
        return
    came = {media.id: media for media in home[0].media}
    media = list(made.document.media)
    ids = {one.id for one in media} | {one.id for one in made.sequence.items()}
    labels = {label for label, _ in made.sequence.labelled_tracks()}
    tracks: list[Track] = []
    covered: dict[str, list[Span]] = defaultdict(list)
    for track, items in standing:
        one, content = placed[items[0].id], items[0].content
        mine = {label for label in one.tracks if label in labels}
        assert isinstance(content, MediaUse)
        key = fresh(content.media, ids)
        media.append(replace(came[content.media], id=key))
        parts = []
        rows = _heard(found, left, made.sequence, set(one.tracks), mine)
        for row, item in product(rows, items):
            first, last = max(row.first, item.start + row.shift), min(row.last, item.end + row.shift)
            if first < last:
                part = trimmed(item, first - row.shift, last - row.shift, made.sequence.rate)
                name = fresh(f"{key}-item", ids)
                parts.append(replace(part, id=name, start=first, content=MediaUse(key)))
        tracks.append(replace(track, items=tuple(parts)))
        spans = [(part.start, part.end) for part in parts]
        if track.enabled:
            for label in mine:
                covered[label] += spans
        made.holes.append((one, holes_of(made.sequence, mine, spans)))
    all_tracks = tuple(
        _quiet(track, covered[label], made.sequence.rate, ids) if label in covered else track
        for label, track in made.sequence.labelled_tracks()
    )
    made.changed = _changed(found, set(covered))
    _put(made, (*all_tracks, *tracks), tuple(media))


def _heard(found: Versions, old: Sequence, later: Sequence, was: set[str], now: set[str]) -> list[Kept]:
    """The stretches of the later version for which a sound of the earlier one has what belongs there, no less
    and no more: what both let hear on its tracks, and the pauses between, before and behind it."""
    parts = [
        one
        for one in found.pieces
        if one.old.track in was and one.new.track[0] == "A" and one.how in (How.SAME, How.PART)
    ]
    rows = kept(Versions(tuple(parts), ()), "A")
    if not rows:
        return []
    gone = _alone(old, was, [(id(one.old.item), one.old_from, one.old_until) for one in parts])
    fresh = _alone(later, now, [(id(one.new.item), one.new_from, one.new_until) for one in parts])
    # Pauses belong to what is before and behind them where that has one shift.
    whole: list[Kept] = []
    for row in rows:
        if whole and whole[-1].shift == row.shift:
            whole[-1] = replace(whole[-1], last=row.last)
        else:
            whole.append(row)
    whole[0] = replace(whole[0], first=min(whole[0].first, max(0, whole[0].shift)))
    whole[-1] = replace(whole[-1], last=max(whole[-1].last, later.duration))
    return [
        Kept(first, last, row.shift)
        for row in whole
        for first, last in without(
            row.first, row.last, [*fresh, *((low + row.shift, high + row.shift) for low, high in gone)]
        )
    ]


def _alone(sequence: Sequence, labels: set[str], used: list[tuple[int, Exact, Exact]]) -> list[Span]:
    """The stretches of what is heard on some tracks that the other version has not; ``used`` are those it
    has, by their item."""
    parts: dict[int, list[Span]] = defaultdict(list)
    for key, first, last in used:
        parts[key].append((first, last))
    return [
        rest
        for one in placed_items(sequence)
        if one.track in labels and one.item.enabled
        for rest in without(one.item.start, one.item.end, parts[id(one.item)])
    ]


def _quiet(track: Track, spans: list[Span], rate: Rate, ids: set[str]) -> Track:
    """A track with what a sound took the place of switched off: the whole of it where all is, else what lies
    there, cut apart where a hole begins or ends."""
    rests = [without(one.start, one.end, spans) if one.enabled else [] for one in track.items]
    if not any(rests):
        return replace(track, enabled=False)
    items: list[Item] = []
    for one, rest in zip(track.items, rests):
        if rest == [(one.start, one.end)]:
            items.append(one)
            continue
        places = sorted({one.start, one.end, *(at for span in rest for at in span)})
        for first, last in zip(places, places[1:]):
            part = trimmed(one, first, last, rate) if len(places) > 2 else one
            name = one.id if first == one.start else fresh(f"{one.id}-part", ids)
            items.append(replace(part, id=name, enabled=one.enabled and (first, last) in rest))
    return replace(track, items=tuple(items))


def _changed(found: Versions, labels: set[str]) -> list[tuple[Placed, str]]:
    """Clips under a sound that came which sound otherwise since, and how."""
    rows = []
    for piece in found.pieces:
        ours, now = piece.old.item, piece.new.item
        if piece.new.track not in labels or piece.how is not How.SAME:
            continue
        told = [
            words
            for words, changed in (
                ("its level, pan or fades", ours.sound != now.sound),
                ("its filters", ours.effects != now.effects),
                ("whether it is heard", ours.enabled != now.enabled),
            )
            if changed
        ]
        if told:
            rows.append((piece.new, f"changed since the cut left: {', '.join(told)}"))
    return rows


def _put(made: Onward, tracks: tuple[Track, ...], media: tuple[Media, ...]) -> None:
    """The later version with other tracks and media."""
    made.sequence = replace(made.sequence, tracks=tracks)
    within = tuple(made.sequence if one.id == made.sequence.id else one for one in made.document.sequences)
    made.document = replace(made.document, media=media, sequences=within)
