"""Steps that decide which items go at all: picture or sound, nests, angles, track limits, empty tracks."""

from __future__ import annotations

from dataclasses import replace

from wexodos.carryover.context import Context, Lane, Work
from wexodos.carryover.findings import Fate, Remedy
from wexodos.carryover.inventory import kind_of
from wexodos.compare import marker_key
from wexodos.evaluate.trimming import trimmed
from wexodos.formats.ascii_names import plain
from wexodos.model import Angles, Item, Marker, NestedUse
from wexodos.tidy.angles import angle_in_use, reduced
from wexodos.tidy.nest import KeptNest, taken_apart
from wexodos.timing import Exact, ceil

GONE = ("gone",)
TRACKS = ("track", "picture tracks", "sound tracks", "track name", "stem", "track enabled", "track locked")
"""What changes on any item and track when a track comes or goes."""
_DEEPEST = 64


def drop(
    context: Context,
    work: Work,
    lane: Lane,
    item: Item,
    fate: Fate,
    why: str,
    do: str,
    remedy: Remedy | None = None,
    remedies: tuple[Remedy, ...] = (),
    minutes: float | None = None,
    covers: tuple[str, ...] = (),
    also: tuple[str, ...] = (),
) -> None:
    """Take an item out, leaving its time empty; transitions that hung on it go with it.

    ``covers`` and ``also`` add to what the finding explains: markers put in its place, say.
    """
    lane.items = [one for one in lane.items if one is not item]
    if isinstance(item.content, NestedUse):
        # What is inside is not seen through it any more.
        # Where another use of it stays, this one would be held against that.
        covers = (*covers, "extent", "mix", "source frames", "source samples")
    context.find(
        work,
        kind_of(item),
        item.kind,
        item,
        lane.label,
        fate,
        why,
        do,
        (*GONE, "marker", *covers),
        (*also, *(marker_key(item.start + marker.start, marker) for marker in item.markers)),
        remedy=remedy,
        remedies=remedies,
        minutes=minutes,
    )
    edges = {one.start for one in lane.items} | {one.end for one in lane.items}
    for transition in [one for one in lane.transitions if one.cut not in edges]:
        lane.transitions.remove(transition)
        context.find(
            work,
            "transition",
            transition.type,
            transition,
            lane.label,
            fate,
            "what it joined does not go over",
            "nothing, as long as the clips stay out",
            ("transition", "mix"),
            minutes=0,
        )


def note_in_place(work: Work, item: Item, words: str) -> tuple[str, ...]:
    """Put a marker with ``words`` where an item stood; return the keys of what is added."""
    name, comment = words.split("\n")[0][:120], words if "\n" in words else ""
    if work.plain:
        name, comment = (
            plain(" ".join(name.split()).replace("|", "/")),
            plain(" ".join(comment.split()).replace("|", "/")),
        )
    marker = Marker(max(0, ceil(item.start)), max(0, ceil(item.duration)), name, comment)
    work.markers.append(marker)
    key = marker_key(marker.start, marker)
    work.own.add(key)
    return (key,)


def order(context: Context, work: Work) -> None:
    """What no dialect can say: items that share time on one track go onto a track of their own, items that
    begin before the sequence's first frame begin with it where the dialect counts from there."""
    for lane in list(work.lanes):
        _begin_at_zero(context, work, lane)
        lane.items.sort(key=lambda one: one.start)
        end: Exact = 0
        for item in list(lane.items):
            if item.start < end and item.duration > 0:
                _lift(context, work, lane, item)
            else:
                end = max(end, item.end)


def _begin_at_zero(context: Context, work: Work, lane: Lane) -> None:
    if context.destination.format not in ("xmeml", "aaf", "omf", "otio", "edl"):
        return
    for item in [one for one in lane.items if one.start < 0]:
        if item.end <= 0:
            drop(
                context,
                work,
                lane,
                item,
                Fate.LEFT,
                "it ends before the sequence begins",
                "nothing; it was never seen or heard",
                minutes=0,
            )
            continue
        lane.swap(item, trimmed(item, 0, item.end, work.sequence.rate))
        context.find(
            work,
            "clip",
            "record start",
            (0, item.end),
            lane.label,
            Fate.ADAPTED,
            "it begins before the sequence does",
            "nothing; what is cut off was never seen or heard",
            ("record start", "source in", "extent", "marker"),
            item_id=item.id,
            name=item.name,
            before=str(item.start),
            after="0",
        )


def _lift(context: Context, work: Work, lane: Lane, item: Item) -> None:
    """Move an item that overlaps its neighbour onto the track above (below for sound), a new one."""
    at = work.lanes.index(lane) + 1
    spare = work.lanes[at] if at < len(work.lanes) else None
    if (
        spare is None
        or not spare.label.endswith("'")
        or any(one.span.overlaps(item.span) for one in spare.items)
    ):
        spare = Lane(f"{lane.label}'", lane.kind, [], [], replace(lane.track, items=(), transitions=()))
        work.lanes.insert(at, spare)
    lane.items.remove(item)
    spare.items.append(item)
    spare.items.sort(key=lambda one: one.start)
    edges = {edge for one in lane.items for edge in (one.start, one.end)}
    lost = [one for one in lane.transitions if one.cut not in edges]
    lane.transitions = [one for one in lane.transitions if one.cut in edges]
    own = {item.start, item.end}
    spare.transitions += [one for one in lost if one.cut in own]
    context.find(
        work,
        "track",
        "overlap",
        item,
        lane.label,
        Fate.ADAPTED,
        "it shares time with its neighbour on one track; it goes on a track of its own",
        "look which of the two should be seen",
        ("transition", "mix", "extent"),
        (*(one.id for one in lost), *(one.id for one in lane.items if one.span.overlaps(item.span))),
        before=lane.label,
        after="a track of its own",
        everywhere=TRACKS,
    )


def media_kinds(context: Context, work: Work) -> None:
    """Picture or sound that the destination does not take, and tracks beyond its limits."""
    for kind, part, word in (
        ("video", context.destination.pictures, "picture"),
        ("audio", context.destination.sound, "sound"),
    ):
        lanes = [lane for lane in work.lanes if lane.kind == kind]
        for number, lane in enumerate(lanes, 1):
            if not part.carry:
                # Emptied at once: taking thousands out one by one would look through all the rest each time.
                items, joins = lane.items, lane.transitions
                lane.items, lane.transitions = [], []
                for item in items:
                    drop(
                        context,
                        work,
                        lane,
                        item,
                        Fate.LEFT,
                        f"the far side takes no {word}",
                        "nothing to do there",
                        minutes=0,
                    )
                for transition in joins:
                    context.find(
                        work,
                        "transition",
                        transition.type,
                        transition,
                        lane.label,
                        Fate.LEFT,
                        f"the far side takes no {word}",
                        "nothing to do there",
                        ("transition", "mix"),
                        minutes=0,
                    )
            elif part.tracks and number > part.tracks:
                for item in list(lane.items):
                    drop(
                        context,
                        work,
                        lane,
                        item,
                        Fate.LEFT,
                        f"the far side takes {part.tracks} {word} tracks",
                        "bring it down onto a lower track first",
                    )
    if not context.destination.pictures.disabled:
        for lane in work.lanes:
            off = not lane.track.enabled and not context.destination.sound.disabled_tracks
            for item in [one for one in lane.items if off or not one.enabled]:
                drop(
                    context,
                    work,
                    lane,
                    item,
                    Fate.LEFT,
                    "the far side knows no disabled clips",
                    "nothing; it was not seen",
                )


def angles(context: Context, work: Work) -> None:
    """Multi-angle clips where only plain clips are known: the angle in use stays."""
    for lane in work.lanes:
        for item in list(lane.items):
            content = item.content
            if not isinstance(content, Angles):
                continue
            if context.destination.nests.angles and _angles_go(
                context, item, content, work.sequence.frame_size
            ):
                continue
            used = angle_in_use(item, lane.kind)
            others = ", ".join(one.name for one in content.angles if one is not used) or "none"
            if used is None:
                drop(
                    context,
                    work,
                    lane,
                    item,
                    Fate.LEFT,
                    "none of its angles can be found",
                    "cut the angle in by hand",
                )
                continue
            lane.swap(item, reduced(item, used))
            context.find(
                work,
                "angles",
                item.kind,
                item,
                lane.label,
                Fate.ADAPTED,
                f"the far side knows no multi-angle clips; the angle {used.name!r} stays, left out: {others}",
                "nothing, unless the angle should still change",
                ("kind", "media", "source in", "channels", "reel", "media start"),
                before=f"{len(content.angles)} angles",
                after=used.name,
            )


def _angles_go(context: Context, item: Item, content: Angles, size: tuple[int, int]) -> bool:
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
    if context.destination.nests.carry:
        if context.destination.format == "fcpxml":
            _hollow(context, work)
        return
    for _ in range(_DEEPEST):
        found = [
            (lane, item) for lane in work.lanes for item in lane.items if isinstance(item.content, NestedUse)
        ]
        for lane, item in found:
            _open_nest(context, work, lane, item)
        if not found:
            return


def _open_nest(context: Context, work: Work, lane: Lane, item: Item) -> None:
    """Unfold one nest, or put a note in its place."""
    track = replace(lane.track, kind=lane.kind, items=tuple(lane.items), transitions=tuple(lane.transitions))
    try:
        lower = [one for one in work.lanes[: work.lanes.index(lane)] if one.kind == lane.kind == "video"]
        under = [replace(one.track, items=tuple(one.items)) for one in lower]
        inside = taken_apart(context.document, work.sequence, track, item, work.unfolded, under)
    except KeptNest as reason:
        added = note_in_place(work, item, f"nested: {item.name}")
        fate = Fate.NOTED if context.destination.markers.carry else Fate.LEFT
        drop(
            context,
            work,
            lane,
            item,
            fate,
            f"no nested sequences there, and {reason}",
            "cut its clips in by hand",
            also=added,
        )
        return
    lane.items.remove(item)
    at = work.lanes.index(lane)
    for level, (clips, joins) in enumerate(zip(inside.items, inside.joins)):
        target = lane
        if level:
            target = Lane(
                f"{lane.label}+{level}",
                lane.kind,
                [],
                [],
                replace(inside.names[level], items=(), transitions=()),
            )
            work.lanes.insert(at + level, target)
        target.items = sorted([*target.items, *clips], key=lambda one: one.start)
        target.transitions = sorted([*target.transitions, *joins], key=lambda one: one.start)
        work.unfolded |= {one.id for one in clips}
    # Its own markers go on the cut, at their places.
    work.markers += [replace(marker, start=item.start + marker.start) for marker in item.markers]
    clips = [one for level in inside.items for one in level]
    ids = [f"join@{lane.kind[:1]}@{one.start}" for level in inside.joins for one in level]
    ids += [one.id for one in clips] + [
        marker_key(one.start + marker.start, marker) for one in clips for marker in one.markers
    ]
    covers = ("gone", "added", "marker", "transition", *(("crop",) if inside.cropped else ()))
    lost = f", {inside.markers_lost} markers inside have no place at its speed" if inside.markers_lost else ""
    context.find(
        work,
        "nested",
        item.kind,
        item,
        lane.label,
        Fate.ADAPTED,
        f"no nested sequences there; its {len(clips)} clips stand in the cut itself{lost}",
        "nothing; they keep their places",
        covers,
        tuple(ids),
        before="nested",
        after=f"{len(clips)} clips",
        everywhere=TRACKS,
    )


def _hollow(context: Context, work: Work) -> None:
    """Nests of whose picture (or sound) nothing goes over: a definition without any has none to be seen
    there."""
    for lane in work.lanes:
        for item in [one for one in lane.items if isinstance(one.content, NestedUse)]:
            nested = context.document.sequences_by_id.get(getattr(item.content, "sequence", ""))
            if (
                nested is not None
                and any(track.items for track in nested.tracks)
                and not any(track.items for track in nested.tracks if track.kind == lane.kind)
            ):
                word = "picture" if lane.kind == "video" else "sound"
                drop(
                    context,
                    work,
                    lane,
                    item,
                    Fate.LEFT,
                    f"nothing of its {word} goes over",
                    "see what is said of its insides",
                )


def _stems_off(context: Context, work: Work) -> None:
    """Stems that are off in one use of a nest where that has no form: they would be heard."""
    for lane in work.lanes:
        for place, item in enumerate(lane.items):
            if isinstance(item.content, NestedUse) and item.content.silent:
                nested = context.document.sequences_by_id.get(item.content.sequence)
                inner = tuple(one.id for one in nested.items()) if nested is not None else ()
                lane.items[place] = replace(item, content=NestedUse(item.content.sequence))
                context.find(
                    work,
                    "mute",
                    "stems",
                    item,
                    lane.label,
                    Fate.LEFT,
                    "stems inside a nest cannot be switched off there",
                    f"mute {', '.join(item.content.silent)} inside it",
                    ("mute", "extent"),
                    inner,
                    before=f"{', '.join(item.content.silent)} off",
                    after="all on",
                )


def empty_tracks(context: Context, work: Work) -> None:
    """Tracks without items where the dialect has no form for them."""
    if context.destination.tracks.empty:
        return
    pictures = any(lane.items for lane in work.lanes if lane.kind == "video")
    for number, lane in enumerate(list(work.lanes)):
        if lane.items or (number == 0 and lane.kind == "video" and pictures):
            continue
        work.lanes.remove(lane)
        context.find(
            work,
            "track",
            "track",
            (0, 0),
            lane.label,
            Fate.LEFT,
            "an empty track has no form there",
            "nothing; the tracks above move down",
            item_id=f"{work.sequence.id}:{lane.label}",
            name=lane.label,
            minutes=0,
            everywhere=TRACKS,
        )
