"""Steps that choose what goes: a copy under a name, a range, tracks, picture or sound only, what is switched
on."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from wexodos.evaluate.trimming import trimmed
from wexodos.model import Document, Item, Marker, Sequence, Title, Track
from wexodos.tidy.step import (
    Line,
    Outcome,
    TidyError,
    Touched,
    Values,
    counted,
    frame_at,
    joins_left,
    line_of,
    put,
    reach,
    words_of,
)
from wexodos.timing import Exact, ceil, floor

WITH_TRACK, OUTSIDE = "its track goes", "outside the range"
_FINE = 1e-6
"""Fades that are cut into become levels that are as exact as numbers are, in dB."""


def duplicate(document: Document, sequence: Sequence, values: Values) -> Outcome:
    """A copy under another name stands first; the sequence as it was stays in the document."""
    name = (values["name"].replace("{name}", sequence.name).strip() or sequence.name)[:200]
    taken = {one.id for one in document.sequences}
    key, number = f"{sequence.id}-tidy", 2
    while key in taken:
        key, number = f"{sequence.id}-tidy-{number}", number + 1
    made = replace(sequence, id=key, name=name, top_level=True)
    whole = replace(document, sequences=(made, *document.sequences))
    line = Line(0, 0, "", sequence.name, sequence.id, f"goes on as “{name}”")
    return Outcome(whole, made, f"goes on as a copy, “{name}”", [line])


def keep_range(document: Document, sequence: Sequence, values: Values) -> Outcome:
    """Keep the frames from one place up to another; the first of them becomes the first frame, at the
    timecode it has."""
    first, last = _range(sequence, values)
    rate = sequence.rate
    lines: list[Line] = []
    touched = Touched([(0, first), (last, sequence.duration)], [(0, first), (last, sequence.duration)])
    tracks: list[Track] = []
    for label, track in sequence.labelled_tracks():
        items: list[Item] = []
        for item in track.items:
            low, high = max(item.start, first), min(item.end, last)
            if low >= high:
                lines.append(line_of(item, label, "goes", OUTSIDE))
                continue
            kept = item if (low, high) == (item.start, item.end) else trimmed(item, low, high, rate, _FINE)
            if kept is not item:
                lines.append(line_of(item, label, "shortened to the range"))
                if isinstance(item.content, Title) and item.content.roll is not None:
                    touched.item(track.kind, low, high)
            items.append(replace(kept, start=kept.start - first))
        joins = []
        for join in track.transitions:
            if first <= join.start and join.end <= last:
                joins.append(replace(join, start=join.start - first, cut=join.cut - first))
            elif join.start < last and join.end > first:
                touched.item(track.kind, join.start, join.end)
                lines.append(
                    Line(
                        join.start,
                        join.end,
                        label,
                        join.name or join.type,
                        join.id,
                        "is cut off",
                        "the range ends inside it; the clip on this side is seen in full there",
                    )
                )
        tracks.append(replace(track, items=tuple(items), transitions=tuple(joins)))
    markers = tuple(
        replace(one, start=one.start - first) for one in sequence.markers if first <= one.start < last
    )
    lines += [
        Line(one.start, one.start, "", one.name or one.comment or "marker", "", "marker goes", OUTSIDE)
        for one in sequence.markers
        if not first <= one.start < last
    ]
    length = last - first if sequence.stated_duration is not None else None
    marks = (
        (max(0, sequence.marked[0] - first), min(last, sequence.marked[1]) - first)
        if sequence.marked is not None
        else (0, 0)
    )
    made = replace(
        sequence,
        tracks=tuple(tracks),
        markers=markers,
        start=sequence.start + first,
        stated_duration=length,
        marked=marks if marks[0] < marks[1] and marks != (0, last - first) else None,
    )
    gone = sum(line.what == "goes" for line in lines)
    effect = (
        f"{sequence.timecode(first)} to {sequence.timecode(last)} stays, {last - first} of "
        f"{sequence.duration} frames; "
        f"{counted(gone, 'item')} outside it"
    )
    if (first, last) == (0, sequence.duration):
        return Outcome(document, sequence, "nothing: the whole cut is kept")
    return Outcome(put(document, made), made, effect, lines, touched=touched, shift=-first)


def _range(sequence: Sequence, values: Values) -> tuple[int, int]:
    """The frames asked for: those between in and out, those of a marker, or from and to. Raises
    ``TidyError``."""
    first, last = 0, sequence.duration
    if values["marked"] == "yes":
        if sequence.marked is None:
            raise TidyError("no range is marked with in and out in this cut")
        first, last = sequence.marked
    name = values["marker"].strip()
    if name:
        found: Marker | None = next(
            (one for one in sequence.markers if one.name == name and one.duration > 0), None
        )
        if found is None:
            raise TidyError(f"there is no marker {name!r} with a length in this cut")
        first, last = floor(found.start), ceil(found.start + found.duration)
    if values["from"].strip():
        first = frame_at(values["from"], sequence, "from")
    if values["to"].strip():
        last = frame_at(values["to"], sequence, "to")
    first, last = max(0, first), min(sequence.duration, last)
    if first >= last:
        raise TidyError("the range is empty: it must begin before it ends and lie in the cut")
    return first, last


def choose_tracks(document: Document, sequence: Sequence, values: Values) -> Outcome:
    """Keep the named tracks (``V1, V2, A1`` or track names); the others go."""
    wanted = {one.lower() for one in words_of(values["tracks"])}
    if not wanted:
        return Outcome(document, sequence, "nothing: no track is named, all stay")
    labels = [
        label
        for label, track in sequence.labelled_tracks()
        if {label.lower(), track.name.lower() or label.lower()} & wanted
    ]
    if not labels:
        raise TidyError(f"none of these tracks is in this cut: {values['tracks']}")
    return _only(document, sequence, lambda label, _track: label in labels, "track not chosen")


def keep_picture(document: Document, sequence: Sequence, _values: Values) -> Outcome:
    """All sound goes."""
    return _only(document, sequence, lambda _label, track: track.kind == "video", "sound")


def keep_sound(document: Document, sequence: Sequence, _values: Values) -> Outcome:
    """All picture goes."""
    return _only(document, sequence, lambda _label, track: track.kind == "audio", "picture")


def _only(document: Document, sequence: Sequence, keep: Callable[[str, Track], bool], why: str) -> Outcome:
    """Keep some tracks; the length stays as it was."""
    tracks, lines, touched = [], [], Touched()
    gone = 0
    for label, track in sequence.labelled_tracks():
        if keep(label, track):
            tracks.append(track)
            continue
        gone += 1
        lines.append(Line(0, sequence.duration, label, track.name or label, "", "track goes", why))
        for item in track.items:
            lines.append(line_of(item, label, "goes", WITH_TRACK))
            touched.item(track.kind, *reach(track, item))
    if not gone:
        return Outcome(
            document,
            sequence,
            f"nothing: there is no {why} to take out" if why != "track not chosen" else "nothing: all stay",
        )
    if not any(track.items for track in tracks):
        raise TidyError("nothing would be left of the cut")
    made = replace(sequence, tracks=tuple(tracks), stated_duration=sequence.duration)
    return Outcome(
        put(document, made),
        made,
        f"{counted(gone, 'track')} with {counted(len(lines) - gone, 'item')} go; the length stays",
        lines,
        touched=touched,
    )


def drop_disabled(document: Document, sequence: Sequence, _values: Values) -> Outcome:
    """What is switched off goes: items, and tracks as a whole. It is neither seen nor heard."""
    tracks, lines, length = [], [], sequence.duration
    for label, track in sequence.labelled_tracks():
        if not track.enabled:
            lines += [line_of(item, label, "goes", WITH_TRACK) for item in track.items]
            lines.append(Line(0, length, label, track.name or label, "", "track goes", "it is switched off"))
            continue
        items = [item for item in track.items if item.enabled]
        lines += [
            line_of(item, label, "goes", "it is switched off") for item in track.items if not item.enabled
        ]
        kept, _ = joins_left(track, items)
        tracks.append(replace(track, items=tuple(items), transitions=kept))
    if not lines:
        return Outcome(document, sequence, "nothing is switched off")
    if not any(track.items for track in tracks):
        raise TidyError("nothing would be left of the cut")
    made = replace(sequence, tracks=tuple(tracks), stated_duration=length)
    items_gone = sum(bool(line.item_id) for line in lines)
    tracks_gone = len(lines) - items_gone
    parts = [counted(items_gone, "item")] if items_gone else []
    parts += [counted(tracks_gone, "track")] if tracks_gone else []
    one = items_gone + tracks_gone == 1
    effect = f"{' and '.join(parts)} {'goes, it is' if one else 'go, they are'} switched off"
    return Outcome(put(document, made), made, effect, lines)


def empty_tracks(document: Document, sequence: Sequence, _values: Values) -> Outcome:
    """Tracks on which nothing stands go; the others keep their order."""
    lines = [
        Line(0, 0, label, track.name or label, "", "empty track goes")
        for label, track in sequence.labelled_tracks()
        if not track.items
    ]
    if not lines:
        return Outcome(document, sequence, "no track is empty")
    made = replace(
        sequence,
        tracks=tuple(track for track in sequence.tracks if track.items),
        stated_duration=sequence.duration,
    )
    which = ", ".join(line.track for line in lines)
    effect = f"{counted(len(lines), 'empty track')} {'goes' if len(lines) == 1 else 'go'}: {which}"
    return Outcome(put(document, made), made, effect, lines)


def moved(items: tuple[Item, ...], by: Exact) -> tuple[Item, ...]:
    """Items all later by so many frames."""
    return tuple(replace(item, start=item.start + by) for item in items)
