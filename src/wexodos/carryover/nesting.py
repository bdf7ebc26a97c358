"""Nested sequences and multi-angle clips where the destination knows none."""

from __future__ import annotations

from dataclasses import replace

from wexodos.model import Angles, Item, NestedUse
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.leaving import drop, note_in_place
from wexodos.settling.vocabulary import Cause, Fate
from wexodos.tidy.angles import angle_in_use, reduced
from wexodos.tidy.nest import KeptNest, taken_apart

_DEEPEST = 64


def angles(context: Context, work: Work) -> None:
    """Multi-angle clips where only plain clips are known: the angle in use stays."""
    for lane in work.lanes:
        for item in list(lane.items):
            content = item.content
            if not isinstance(content, Angles):
                continue
            if context.destination.nests.angles and _go(context, item, content, work.sequence.frame_size):
                continue
            used = angle_in_use(item, lane.kind)
            if used is None:
                why, do = "none of its angles can be found", "cut the angle in by hand"
                drop(context, work, lane, item, Cause.NO_ANGLE, why, do)
                continue
            others = ", ".join(one.name for one in content.angles if one is not used) or "none"
            reason = context.because(
                work,
                Cause.ONE_ANGLE,
                item,
                lane.label,
                f"the far side knows no multi-angle clips; the angle {used.name!r} stays, left out: {others}",
                "nothing, unless the angle should still change",
                what=item.kind,
                before=f"{len(content.angles)} angles",
                after=used.name,
            )
            work.put(lane, item, reduced(item, used), reason)


def _go(context: Context, item: Item, content: Angles, size: tuple[int, int]) -> bool:
    """Whether a multi-angle clip can stay one: with all channels of the angle heard, as single ones cannot be
    chosen there, and with a picture that is fitted into the frame, as every angle is before anything is done
    to it."""
    if item.sound is None:
        seen = content.angle(content.video)
        media = context.document.media_by_id.get(seen.media or "") if seen is not None else None
        fitted = item.motion is None or (
            item.motion.fit == "fit"
            and not any(
                curve.keys or any(curve.value)
                for curve in (item.motion.crop, item.motion.corners, item.motion.anchor)
            )
        )
        same = media is None or (media.width, media.height) in ((None, None), size)
        return seen is not None and (same or fitted)
    used = content.angle(content.audio)
    media = context.document.media_by_id.get(used.media or "") if used is not None else None
    whole = tuple(range(1, (media.channels or 1) + 1)) if media is not None else item.sound.channels
    return used is not None and item.sound.channels == whole and not item.sound.muted


def nests(context: Context, work: Work) -> None:
    """Nested sequences where the destination knows none: unfolded if that can be done exactly, otherwise
    noted."""
    if not context.destination.nests.stems_off:
        _stems_off(context, work)
    carry = context.destination.nests.carry
    if carry and not context.spells.hollow_nests:
        _hollow(context, work)
    if carry and context.spells.nested_sound:
        return
    for _ in range(_DEEPEST):
        found = [
            (lane, item)
            for lane in work.lanes
            for item in lane.items
            if isinstance(item.content, NestedUse) and not (carry and lane.kind == "video")
        ]
        for lane, item in found:
            _open(context, work, lane, item)
        if not found:
            return


def _open(context: Context, work: Work, lane: Lane, item: Item) -> None:
    """Unfold one nest, or put a note in its place."""
    track = replace(lane.track, kind=lane.kind, items=tuple(lane.items), transitions=tuple(lane.transitions))
    try:
        lower = [one for one in work.lanes[: work.lanes.index(lane)] if one.kind == lane.kind == "video"]
        under = [replace(one.track, items=tuple(one.items)) for one in lower]
        inside = taken_apart(context.document, work.sequence, track, item, work.unfolded, under)
    except KeptNest as kept:
        noted = context.destination.markers.carry
        reason = drop(
            context,
            work,
            lane,
            item,
            Cause.NEST_STAYS,
            f"no nested sequences there, and {kept}",
            "cut its clips in by hand",
            fate=Fate.NOTED if noted else Fate.LEFT,
        )
        note_in_place(context, work, item, f"nested: {item.name}", reason)
        return
    clips = [one for level in inside.items for one in level]
    lost = f", {inside.markers_lost} markers inside have no place at its speed" if inside.markers_lost else ""
    cropped = "; what lies outside its frame is not cut off" if inside.cropped else ""
    reason = context.because(
        work,
        Cause.UNFOLDED,
        item,
        lane.label,
        f"no nested sequences there; its {len(clips)} clips stand in the cut itself{lost}{cropped}",
        "nothing; they keep their places",
        what=item.kind,
        before="nested",
        after=f"{len(clips)} clips",
    )
    work.take(lane, item, reason)
    at = work.lanes.index(lane)
    for level, (level_clips, joins) in enumerate(zip(inside.items, inside.joins)):
        target = lane
        if level:
            shape = replace(inside.names[level], items=(), transitions=())
            made = Lane(f"{lane.label}+{level}", lane.kind, [], [], shape)
            target = work.lay_lane(at + level, made, reason)
        work.add(target, list(level_clips), reason)
        work.add_joins(target, list(joins), reason)
        work.unfolded |= {one.id for one in level_clips}
    # Its own markers go on the cut, at their places.
    for marker in item.markers:
        work.mark(replace(marker, start=item.start + marker.start), reason)


def _hollow(context: Context, work: Work) -> None:
    """Nests of whose picture (or sound) nothing goes over: a definition without any has none to be seen
    there."""
    for lane in work.lanes:
        for item in [one for one in lane.items if isinstance(one.content, NestedUse)]:
            nested = context.document.sequences_by_id.get(getattr(item.content, "sequence", ""))
            if nested is None or not any(track.items for track in nested.tracks):
                continue
            if not any(track.items for track in nested.tracks if track.kind == lane.kind):
                word = "picture" if lane.kind == "video" else "sound"
                why, do = f"nothing of its {word} goes over", "see what is said of its insides"
                drop(context, work, lane, item, Cause.HOLLOW_NEST, why, do)


def _stems_off(context: Context, work: Work) -> None:
    """Stems that are off in one use of a nest where that has no form: they would be heard."""
    for lane in work.lanes:
        for item in list(lane.items):
            if isinstance(item.content, NestedUse) and item.content.silent:
                silent = ", ".join(item.content.silent)
                reason = context.because(
                    work,
                    Cause.STEMS_ON,
                    item,
                    lane.label,
                    "stems inside a nest cannot be switched off there",
                    f"mute {silent} inside it",
                    what="stems",
                    fate=Fate.LEFT,
                    before=f"{silent} off",
                    after="all on",
                )
                work.put(lane, item, replace(item, content=NestedUse(item.content.sequence)), reason)
