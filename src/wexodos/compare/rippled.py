"""Differences of two versions of a cut for people: where everything behind a place stands elsewhere by the
same time, or everything was brought into a frame of another size, that is one row, and all else is told as if
it had stayed as it was."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace
from fractions import Fraction

from wexodos.compare.aspects import Aspect
from wexodos.compare.changes import Change, What, versions
from wexodos.compare.difference import Difference
from wexodos.compare.differences import compare
from wexodos.compare.match import match_items, placed_items
from wexodos.model import Angle, Angles, Curve, Document, Fade, Item, NestedUse, Sequence, Title, Track
from wexodos.timing import Exact

_FEW = 3
"""So many things that stand elsewhere are told one by one."""
_MOST = 0.8
"""Of all that begins in a stretch, and is still there, so much has to stand elsewhere by the same time."""


def compare_versions(a: Document, old: Sequence, b: Document, new: Sequence) -> list[Difference]:
    """What ``compare`` finds, in fewer rows where time was inserted or taken out, the frame is of another
    size, or one thing follows from another."""
    plain = folded(compare(a, old, b, new), a, old, b, new)
    if old.frame_size != new.frame_size:
        there = [one for one in plain if one.what == Aspect.FRAME_SIZE]
        sized = in_the_frame_of(old, b, new)
        if sized is not None:
            # Everything went with the frame.
            rows = [*there, *compare_versions(a, old, _with(b, sized), sized)]
            plain = min(rows, plain, key=len)
        # Or it kept its pixels in the middle of it: that must explain most of what is told otherwise.
        kept = replace(new, width=old.frame_size[0], height=old.frame_size[1])
        rows = [*there, *compare_versions(a, old, _with(b, kept), kept)]
        return rows if len(rows) * 2 <= len(plain) else plain
    moved = sum(one.kind == "moved" for one in plain)
    if moved <= _FEW or old.rate != new.rate:
        return plain
    found = versions(a, old, b, new)
    still = {one.old.item.id: one.old.item.start for one in found.pieces}.values()
    ripples = sorted((one for one in found.changes if _ripples(one, still)), key=lambda one: one.new_from)
    if not ripples:
        return plain
    straight = _straightened(new, ripples)
    there_again = _with(b, straight)
    rest = folded(compare(a, old, there_again, straight), a, old, there_again, straight)
    end = max((one.item.end for one in placed_items(old)), default=0)
    rows = sorted(
        (*(_row(one, end) for one in ripples), *rest), key=lambda one: (one.kind != "settings", one.start)
    )
    return rows if len(rows) < len(plain) else plain


_OF_THE_MEDIUM = frozenset(
    {Aspect.MEDIA_PATH, Aspect.MEDIA_START, Aspect.MEDIA_FACTS, Aspect.REEL, Aspect.SOURCE_IN}
)


def folded(
    rows: list[Difference], a: Document, old: Sequence, b: Document, new: Sequence
) -> list[Difference]:
    """Rows without those that follow from another: where another medium is shown, all that is of the medium;
    where a track is switched, what is heard or seen of each item on it. A level that is another only by a
    fade is told as the fade."""
    replaced = {one.item_id for one in rows if one.what == Aspect.MEDIA and one.item_id}
    switched = {one.track or one.item for one in rows if one.what == Aspect.TRACK_ENABLED}
    rest = [
        one
        for one in rows
        if not (one.item_id in replaced and one.what in _OF_THE_MEDIUM)
        and not (one.track in switched and one.what == Aspect.EXTENT)
    ]
    if not any(one.what == Aspect.LEVEL for one in rest):
        return rest
    pairs = {one.item.id: (one.item, other.item) for one, other in match_items(a, old, b, new).pairs}
    return [told for one in rest for told in _faded(one, pairs.get(one.item_id))]


def _faded(row: Difference, pair: tuple[Item, Item] | None) -> list[Difference]:
    """A row of a level, told as fades where it is these that are others, and nothing else is."""
    if row.what != Aspect.LEVEL or pair is None:
        return [row]
    before, after = pair[0].sound, pair[1].sound
    if (
        before is None
        or after is None
        or replace(after, fade_in=before.fade_in, fade_out=before.fade_out) != before
    ):
        return [row]
    ends = (
        (Aspect.FADE_IN, before.fade_in, after.fade_in),
        (Aspect.FADE_OUT, before.fade_out, after.fade_out),
    )
    return [
        replace(row, what=aspect.value, before=_frames(was), after=_frames(now))
        for aspect, was, now in ends
        if was != now
    ] or [row]


def _frames(fade: Fade | None) -> str:
    """A fade in words."""
    return "none" if fade is None else f"{float(fade.duration):g} frames"


def _with(document: Document, sequence: Sequence) -> Document:
    within = tuple(sequence if one.id == sequence.id else one for one in document.sequences)
    return replace(document, sequences=within)


def in_the_frame_of(old: Sequence, document: Document, new: Sequence) -> Sequence | None:
    """The later version in the frame of the earlier one, with all that is in it as much smaller or larger;
    None where the frame is the same, or has another shape or other pixels."""
    (wide, tall), (across, down) = old.frame_size, new.frame_size
    same_shape = wide * down == tall * across and old.pixel_aspect == new.pixel_aspect
    if (wide, tall) == (across, down) or not same_shape:
        return None
    share = Fraction(wide, across)

    def back(item: Item) -> Item:
        motion, content = item.motion, item.content
        if motion is not None:
            position = _scaled(motion.position, share)
            # What is fitted into the frame goes with it, and so does what is as large as the frame is.
            own = motion.fit == "none" and _has_a_size(document, item)
            scale = _scaled(motion.scale, share) if own else motion.scale
            item = replace(item, motion=replace(motion, position=position, scale=scale))
        if isinstance(content, Title):
            left, top = content.origin
            item = replace(item, content=replace(content, origin=(left * float(share), top * float(share))))
        return item

    tracks = tuple(
        replace(track, items=tuple(map(back, track.items))) if track.kind == "video" else track
        for track in new.tracks
    )
    return replace(new, width=wide, height=tall, tracks=tracks)


def _has_a_size(document: Document, item: Item) -> bool:
    """Whether what an item shows has a size of its own, whatever the frame's."""
    content = item.content
    shown = content.angle(content.video) if isinstance(content, Angles) else content
    if isinstance(shown, NestedUse) or (isinstance(shown, Angle) and shown.sequence):
        return True
    media = document.media_by_id.get(getattr(shown, "media", None) or "")
    return media is not None and bool(media.width and media.height)


def _scaled(curve: Curve, share: Fraction) -> Curve:
    """A curve whose values are as much smaller or larger."""

    def values(told: tuple[float, ...]) -> tuple[float, ...]:
        return tuple(one * float(share) for one in told)

    keys = tuple(replace(key, value=values(key.value)) for key in curve.keys)
    return replace(curve, value=values(curve.value), keys=keys)


def _ripples(change: Change, starts: Collection[Exact]) -> bool:
    """Whether a stretch stands elsewhere with (nearly) all that is still there of it: ``starts`` are where
    what both versions have begins in the earlier one."""
    if change.what is not What.MOVED or len(change.items) < _FEW:
        return False
    inside = sum(change.old_from <= one < change.old_until for one in starts)
    return len(change.items) >= _MOST * inside


def _straightened(new: Sequence, ripples: list[Change]) -> Sequence:
    """The later version with all that stands elsewhere where it stood. What was put in stays in its place,
    over what was pushed on by it: things are compared one by one."""

    def shift(at: Exact) -> Exact:
        """By how much later something is that stands at a place now."""
        before = [one for one in ripples if one.new_from <= at]
        last = before[-1] if before else None
        if last is None or (at >= last.new_until and last is not ripples[-1]):
            return 0
        return last.shift

    def back(track: Track) -> Track:
        items = tuple(replace(one, start=one.start - shift(one.start)) for one in track.items)
        joins = tuple(
            replace(one, start=one.start - shift(one.cut), cut=one.cut - shift(one.cut))
            for one in track.transitions
        )
        return replace(track, items=items, transitions=joins)

    return replace(
        new,
        tracks=tuple(map(back, new.tracks)),
        markers=tuple(replace(one, start=one.start - shift(one.start)) for one in new.markers),
        stated_duration=new.duration - shift(new.duration),
    )


def _row(ripple: Change, end: Exact) -> Difference:
    reach = "from here on" if ripple.old_until >= end else "of this stretch"
    words = f"{len(ripple.items)} items {reach}"
    what, low, high = Aspect.RECORD_START, ripple.old_from, ripple.old_until
    return Difference("moved", what, words, "", "", low, high, low, ripple.new_from)
