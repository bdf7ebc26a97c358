"""Nested sequences unfolded: what is inside stands in the cut itself, with the nest's own place, size, speed,
opacity and level."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from wexodos.model import (
    Document,
    Item,
    Marker,
    NestedUse,
    Sequence,
    Track,
    Transition,
)
from wexodos.tidy.nest import KeptNest, taken_apart
from wexodos.tidy.step import Line, Outcome, Touched, Values, counted, line_of, put, reach

_DEEPEST = 64


def unfold(document: Document, sequence: Sequence, _values: Values) -> Outcome:
    """Unfold every nest that can be said in single clips, until none is left. Their markers go onto the
    cut."""
    made = _unfolded(document, sequence, set())
    # What stays nested keeps its ids; what came out of another use of the same nest must then be called
    # otherwise.
    held = {item.id for one in document.reachable(made.sequence) for item in one.items()}
    if held & ({item.id for item in made.sequence.items()} - {item.id for item in sequence.items()}):
        return _unfolded(document, sequence, held)
    return made


def _unfolded(document: Document, sequence: Sequence, held: set[str]) -> Outcome:
    """Unfold, with ids that are not among ``held``."""
    lines: list[Line] = []
    markers = list(sequence.markers)
    touched = Touched()
    current, kept = sequence, set[str]()
    for _ in range(_DEEPEST):
        if not any(isinstance(item.content, NestedUse) and item.id not in kept for item in current.items()):
            break
        tracks = list(current.tracks)
        number = 0
        while number < len(tracks):
            number += _unfold_track(document, current, tracks, number, kept, held, lines, touched, markers)
        current = replace(
            current, tracks=tuple(tracks), markers=tuple(sorted(markers, key=lambda one: one.start))
        )
    if not lines:
        return Outcome(document, sequence, "there are no nested sequences")
    stay = sum(line.grave for line in lines)
    if current is sequence or not any(not line.grave for line in lines):
        return Outcome(
            document,
            sequence,
            f"{counted(stay, 'nest')} cannot be unfolded and {'stays' if stay == 1 else 'stay'}",
            lines,
        )
    went = len(lines) - stay
    effect = f"{counted(went, 'nest')} unfolded" + (
        f", {stay} {'stays' if stay == 1 else 'stay'}" if stay else ""
    )
    return Outcome(put(document, current), current, effect, lines, touched=touched)


def _unfold_track(
    document: Document,
    sequence: Sequence,
    tracks: list[Track],
    at: int,
    kept: set[str],
    held: set[str],
    lines: list[Line],
    touched: Touched,
    markers: list[Marker],
) -> int:
    """Unfold the nests of one track in place; return how many tracks stand there now."""
    track = tracks[at]
    label = (
        f"{'V' if track.kind == 'video' else 'A'}{sum(one.kind == track.kind for one in tracks[: at + 1])}"
    )
    items: list[Item] = []
    joins = list(track.transitions)
    upper: list[_Level] = []
    ids = held | {one.id for each in tracks for one in each.items}
    for item in track.items:
        if not isinstance(item.content, NestedUse) or item.id in kept:
            items.append(item)
            continue
        try:
            inside = taken_apart(
                document, sequence, track, item, ids, [one for one in tracks[:at] if one.kind == "video"]
            )
        except KeptNest as reason:
            kept.add(item.id)
            items.append(item)
            lines.append(line_of(item, label, "stays nested", str(reason), grave=True))
            continue
        ids |= {one.id for level in inside.items for one in level}
        count = sum(len(level) for level in inside.items)
        lost = (
            f"; {counted(inside.markers_lost, 'marker')} inside it have no place at its speed"
            if inside.markers_lost
            else ""
        )
        lines.append(
            line_of(
                item,
                label,
                f"unfolded into {counted(count, 'clip')}",
                f"on {counted(len(inside.items), 'track')}{lost}",
            )
        )
        # The picture and the sound of one nest may both bear them.
        own = (replace(one, start=item.start + one.start) for one in item.markers)
        markers += [one for one in own if one not in markers]
        if inside.cropped:
            touched.item(track.kind, *reach(track, item))
        for level, (clips, within) in enumerate(zip(inside.items, inside.joins)):
            if level == 0:
                items += clips
                joins += within
                continue
            while len(upper) < level:
                upper.append(_Level(inside.names[level]))
            upper[level - 1].items += clips
            upper[level - 1].joins += within
    tracks[at] = replace(
        track,
        items=tuple(sorted(items, key=lambda one: one.start)),
        transitions=tuple(sorted(joins, key=lambda one: one.start)),
    )
    tracks[at + 1 : at + 1] = [
        replace(
            level.track,
            items=tuple(sorted(level.items, key=lambda one: one.start)),
            enabled=track.enabled,
            transitions=tuple(sorted(level.joins, key=lambda one: one.start)),
        )
        for level in upper
    ]
    return 1 + len(upper)


@dataclass(slots=True)
class _Level:
    track: Track
    items: list[Item] = field(default_factory=list)
    joins: list[Transition] = field(default_factory=list)
