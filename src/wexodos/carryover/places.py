"""Steps on places and names: frames and samples, tracks, markers, settings."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

from wexodos.carryover.context import Context, Lane, Work
from wexodos.carryover.findings import Fate
from wexodos.carryover.inventory import numbered
from wexodos.carryover.lists import listed_marker
from wexodos.carryover.options import OBJECTS, PLAIN
from wexodos.compare import marker_key
from wexodos.formats.xmeml import aspect_name, spelled_rate
from wexodos.model import NORMAL, Angles, Item, Marker, MediaUse, NestedUse, Title
from wexodos.timing import Rate, ceil, floor, round_half_up


def whole_frames(context: Context, work: Work) -> None:
    """Pictures and transitions between frames, which no dialect can say; sound and source points for one that
    counts whole frames only."""
    media = context.document.media_by_id
    for lane in work.lanes:
        _joins_on_frames(context, work, lane)
        between = context.destination.sound.between_frames
        if lane.kind == "audio" and between:
            continue
        for place, item in enumerate(lane.items):
            new = _on_frames(context, work, lane, item)
            if between or context.destination.format in PLAIN:
                lane.items[place] = new
                continue
            if new.speed is NORMAL and not new.still and not isinstance(new.content, Title):
                medium = media.get(new.content.media) if isinstance(new.content, MediaUse) else None
                dressed = any(one.cut in (new.start, new.end) for one in lane.transitions)
                own = spelled_rate(new, medium, work.sequence.rate, dressed)
                new = _on_source_frames(context, work, lane, item, new, own)
            lane.items[place] = new


def _on_frames(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    if isinstance(item.start, int) and isinstance(item.duration, int):
        return item
    start, end = round_half_up(item.start), max(round_half_up(item.start) + 1, round_half_up(item.end))
    moved = start - item.start
    off = max(abs(float(moved)), abs(float(end - item.end)))
    context.find(
        work,
        "clip",
        "record place",
        item,
        lane.label,
        Fate.ADAPTED,
        "sound begins and ends on whole frames there"
        if lane.kind == "audio"
        else "pictures stand on whole frames there",
        "slide it back if the part of a frame matters",
        (
            "record start",
            "record end",
            "source in",
            "source samples",
            "source frames",
            "extent",
            "level",
            "mix",
            "position",
            "size",
            "rotation",
            "opacity",
            "crop",
        ),
        before=str(item.start),
        after=str(start),
        deviation=(round(off, 3), "fr"),
    )
    source = item.source_in + work.sequence.rate.seconds(moved) if item.speed is NORMAL else item.source_in
    return replace(item, start=start, duration=end - start, source_in=max(source, 0))


def _joins_on_frames(context: Context, work: Work, lane: Lane) -> None:
    """Centred transitions of an odd length begin and end between frames; the cut stays where it is."""
    for place, one in enumerate(lane.transitions):
        if all(isinstance(value, int) for value in (one.start, one.duration, one.cut)):
            continue
        cut = round_half_up(one.cut)
        start, end = min(cut, floor(one.start)), max(cut, floor(one.start) + round_half_up(one.duration))
        neighbours = tuple(item.id for item in lane.items if one.cut in (item.start, item.end))
        lane.transitions[place] = replace(one, start=start, duration=end - start, cut=cut)
        context.find(
            work,
            "transition",
            "length",
            one,
            lane.label,
            Fate.ADAPTED,
            "transitions begin and end on whole frames there",
            "nothing",
            ("transition length", "transition", "mix", "extent"),
            neighbours,
            before=f"{float(one.start):g}",
            after=str(start),
            deviation=(round(abs(float(one.start - start)), 3), "fr"),
            minutes=0,
        )


def _on_source_frames(context: Context, work: Work, lane: Lane, before: Item, item: Item, rate: Rate) -> Item:
    frames = rate.frames(item.source_in)
    if isinstance(frames, int):
        return item
    whole = floor(frames + Fraction(1, 1000))
    if abs(frames - whole) > Fraction(1, 1000):
        context.find(
            work,
            "clip",
            "source in",
            before,
            lane.label,
            Fate.ADAPTED,
            "the source begins between two frames, which cannot be said there",
            "slip it back if the part of a frame matters",
            ("source in", "source samples", "source frames"),
            before=f"{float(frames):.3f}",
            after=str(whole),
            deviation=(round(abs(float(frames - whole)), 3), "fr"),
        )
    return replace(item, source_in=rate.seconds(whole))


def tracks(context: Context, work: Work) -> None:
    """Names, locks and switches of tracks."""
    takes = context.destination.tracks
    for lane in work.lanes:
        track = lane.track
        covers: list[str] = []
        lost: list[str] = []
        also: list[str] = [f"track:{lane.label}"]
        if not takes.names:
            if lane.kind == "audio" and not track.stem and lane.items:
                track = replace(track, stem=track.role or "dialogue")
                if lane.track.name:
                    lost.append("its name becomes its role")
                covers.append("track name")
            elif track.name:
                lost.append("its name has no form there")
                covers.append("track name")
            alone = lane.items and all(isinstance(item.content, NestedUse | Angles) for item in lane.items)
            if lane.kind == "audio" and lane.track.role and alone:
                lost.append("nests and multi-angle clips have no role of their own")
                covers.append("stem")
            if track.locked:
                lost.append("its lock has no form there")
                covers.append("track locked")
            if (track.output or 0) > 2:
                lost.append(f"it goes to output {track.output}, which has no form there")
                covers.append("output")
            track = replace(track, name="", locked=False, output=None)
        else:
            if track.locked and not takes.locks:
                lost.append("its lock has no form there")
                covers.append("track locked")
                track = replace(track, locked=False)
            if track.output is not None and not takes.outputs:
                if track.output > 2:
                    lost.append(f"it goes to output {track.output}, which has no form there")
                    covers.append("output")
                track = replace(track, output=None)
        if not context.destination.sound.disabled_tracks and not track.enabled:
            lost.append("a track has no switch there; its items are switched off instead")
            covers += ["track enabled", "enabled"]
            also += [item.id for item in lane.items]
            lane.items = [replace(item, enabled=False) for item in lane.items]
            track = replace(track, enabled=True)
        foreign = [raw for raw in track.raw if raw.dialect != context.destination.format]
        for name in numbered([raw.tag for raw in foreign]):
            context.find(
                work,
                "metadata",
                name,
                (0, 0),
                lane.label,
                Fate.LEFT,
                "Wexodos does not understand this element; it belongs to the other dialect",
                "kept for the way back",
                ("unread elements",),
                item_id=f"track:{lane.label}",
                name=f"{lane.label} {name}",
            )
        track = replace(
            track, raw=tuple(raw for raw in track.raw if raw.dialect == context.destination.format)
        )
        lane.track = track
        if lost:
            context.find(
                work,
                "track",
                "track",
                (0, 0),
                lane.label,
                Fate.ADAPTED,
                "; ".join(lost),
                "nothing",
                tuple(covers),
                tuple(also),
                f"{work.sequence.id}:{lane.label}",
                lane.track.name or lane.label,
                before=lane.track.name or lane.label,
                minutes=0,
            )


def markers(context: Context, work: Work) -> None:
    """Markers: where they may stand and what they can say."""
    takes = context.destination.markers
    length = work.sequence.duration
    if not takes.carry:
        _without_markers(context, work)
        return
    if not takes.on_sequence:
        kept = []
        for marker in work.markers:
            outside = not 0 <= marker.start < max(length, 1)
            new = _said(context, work, marker, marker.start, True, outside)
            if not outside:
                kept.append(new)
        work.markers = kept
    else:
        kept = []
        for marker in work.markers:
            early = context.destination.format in PLAIN and marker.start < 0
            new = _said(context, work, marker, marker.start, False, early)
            if not early:
                kept.append(new)
        work.markers = kept
    for lane in work.lanes:
        for place, item in enumerate(lane.items):
            if not item.markers:
                continue
            fresh = []
            if not takes.on_items:
                moved = [_moved(context, work, marker, item) for marker in item.markers]
                if context.destination.format in PLAIN:
                    moved = [_said(context, work, marker, marker.start, False, False) for marker in moved]
                work.markers += moved
                lane.items[place] = replace(item, markers=())
                continue
            for marker in item.markers:
                outside = context.destination.format == "fcpxml" and not 0 <= marker.start < item.duration
                new = _said(context, work, marker, item.start + marker.start, False, outside)
                if not outside:
                    fresh.append(new)
            lane.items[place] = replace(item, markers=tuple(fresh))


def _without_markers(context: Context, work: Work) -> None:
    """No markers at all on the far side."""
    places = [(marker.start, marker) for marker in work.markers]
    for lane in work.lanes:
        for place, item in enumerate(lane.items):
            places += [(item.start + marker.start, marker) for marker in item.markers]
            if item.markers:
                lane.items[place] = replace(item, markers=())
    for at, marker in places:
        key = marker_key(at, marker)
        if key not in work.own:
            context.find(
                work,
                "marker",
                "marker",
                (at, at + marker.duration),
                "",
                Fate.LEFT,
                "no markers on the far side",
                "take the list of markers along",
                ("marker",),
                (),
                key,
                marker.name or "marker",
            )
    work.markers = []


def _moved(context: Context, work: Work, marker: Marker, item: Item) -> Marker:
    """A marker of an item, put on the sequence."""
    at = item.start + marker.start
    context.find(
        work,
        "marker",
        "marker",
        (at, at + marker.duration),
        "",
        Fate.ADAPTED,
        "clips have no markers there; it goes on the sequence",
        "nothing",
        (),
        (),
        marker_key(at, marker),
        marker.name or "marker",
        minutes=0,
    )
    return replace(marker, start=at)


def _said(
    context: Context, work: Work, marker: Marker, at: object, on_sequence: bool, outside: bool
) -> Marker:
    """What a marker can say on the far side; ``at`` is its place in the sequence."""
    takes = context.destination.markers
    place = at if isinstance(at, int | Fraction) else 0
    key = marker_key(place, marker)
    lost: list[str] = []
    covers: list[str] = []
    new = marker
    if key in work.own:
        return marker
    if outside:
        context.find(
            work,
            "marker",
            "marker",
            (place, place),
            "",
            Fate.LEFT,
            "it lies outside what is used of its clip",
            "nothing",
            ("marker",),
            (),
            key,
            marker.name or "marker",
            minutes=0,
        )
        return marker
    if on_sequence:
        lost.append("markers stand on clips there; it goes on the one at its place")
    if marker.color and not takes.colors:
        lost.append("its colour has no form there")
        covers.append("marker colour")
        new = replace(new, color=None)
    if (context.destination.format == "xmeml" or not takes.kinds) and (
        marker.done is not None or marker.kind not in ("marker",)
    ):
        lost.append("it becomes a plain marker")
        covers.append("marker kind")
        new = replace(new, kind="marker", done=None)
    if context.destination.format == "fcpxml" and marker.kind not in ("marker", "task", "chapter"):
        lost.append("it becomes a plain marker")
        covers.append("marker kind")
        new = replace(new, kind="marker")
    if context.destination.format in ("fcpxml", *OBJECTS) and marker.duration == 1:
        lost.append("a length of one frame counts as none there")
        covers.append("marker length")
        new = replace(new, duration=0)
    also: tuple[str, ...] = ()
    if context.destination.format == "edl":
        new, more, reasons = listed_marker(new)
        covers, lost = [*covers, *more], [*lost, *reasons]
        also = (marker_key(place, new),)
    if lost:
        context.find(
            work,
            "marker",
            "marker",
            (place, place + ceil(marker.duration)),
            "",
            Fate.ADAPTED,
            "; ".join(lost),
            "nothing",
            tuple(covers),
            also,
            key,
            marker.name or "marker",
            minutes=0,
        )
    return new


def settings(context: Context, work: Work) -> None:
    """The sequence's own settings against what the destination takes (N16)."""
    sequence = work.sequence
    foreign = [raw for raw in sequence.raw if raw.dialect != context.destination.format]
    for name in numbered([raw.tag for raw in foreign]):
        context.find(
            work,
            "metadata",
            name,
            (0, sequence.duration),
            "",
            Fate.LEFT,
            "Wexodos does not understand this element; it belongs to the other dialect",
            "kept for the way back",
            ("unread elements",),
            item_id="",
            name=name,
        )
    if sequence.marked is not None and context.destination.format not in ("xmeml", "otio"):
        context.find(
            work,
            "metadata",
            "marked range",
            sequence.marked,
            "",
            Fate.LEFT,
            "in and out of a sequence have no form there",
            "mark the range again there",
            ("marked range",),
            item_id="",
            name="marked range",
            minutes=0,
        )
    if context.destination.format == "xmeml":
        _pixel_aspects(context, work)
    allowed = context.destination.rates.allowed
    if allowed and sequence.rate not in [Rate.parse(text) for text in allowed]:
        context.find(
            work,
            "settings",
            "sequence",
            (0, sequence.duration),
            "",
            Fate.ADAPTED,
            f"the far side works at {', '.join(allowed)} frames, the cut runs at {sequence.rate.label()}",
            "set the project there to the rate of the cut before reading it",
            item_id="",
            name="rate",
        )


def _pixel_aspects(context: Context, work: Work) -> None:
    """Pixel aspects that Track XML has no name for are read as square there (2.3)."""
    if aspect_name(work.sequence.pixel_aspect) is None:
        context.find(
            work,
            "settings",
            "pixel aspect",
            (0, work.sequence.duration),
            "",
            Fate.LEFT,
            "this pixel aspect has no name there; it counts as square",
            "set it in the project there",
            ("pixel aspect",),
            tuple(item.id for item in work.sequence.items()),
            "",
            "pixel aspect",
            before=str(work.sequence.pixel_aspect),
            after="1",
        )
    users: dict[str, list[Item]] = {}
    for item in work.sequence.items():
        if isinstance(item.content, MediaUse):
            users.setdefault(item.content.media, []).append(item)
    for media in context.document.media:
        if media.id in users and aspect_name(media.pixel_aspect) is None:
            first = users[media.id][0]
            context.find(
                work,
                "media",
                "pixel aspect",
                first,
                "",
                Fate.LEFT,
                "its pixel aspect has no name there; it counts as square",
                "set it on the medium there",
                ("size", "position", "crop", "corners"),
                tuple(item.id for item in users[media.id]),
                before=str(media.pixel_aspect),
                after="1",
            )


def finished(lane: Lane) -> Lane:
    """Put the items of a lane in order again."""
    lane.items.sort(key=lambda item: item.start)
    lane.transitions.sort(key=lambda one: one.start)
    return lane
