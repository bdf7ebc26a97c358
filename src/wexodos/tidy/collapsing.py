"""Fewest tracks: pictures come down onto the lowest track where nothing is in their way. Nothing moves in
time."""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass, replace

from wexodos.model import Document, Item, Sequence, Track, Transition
from wexodos.tidy.step import Line, Outcome, Values, counted, line_of, put
from wexodos.timing import Exact


@dataclass(slots=True)
class _Group:
    """Items that transitions hold together; they move as one. ``low`` and ``high`` take their transitions
    in."""

    items: list[Item]
    joins: list[Transition]
    low: Exact
    high: Exact

    @property
    def edges(self) -> set[Exact]:
        return {edge for one in self.items for edge in (one.start, one.end)}

    @property
    def cuts(self) -> set[Exact]:
        return {one.cut for one in self.joins}


class _Level:
    """What stands on a track by now, in the order of its beginning; nothing on it overlaps."""

    def __init__(self) -> None:
        self.groups: list[_Group] = []
        self._lows: list[Exact] = []

    def near(self, group: _Group) -> list[_Group]:
        """All that overlaps a group, and what stands right before and after it."""
        first, last = max(0, bisect_left(self._lows, group.low) - 1), bisect_left(self._lows, group.high)
        return self.groups[first : last + 1]

    def add(self, group: _Group) -> None:
        at = bisect_left(self._lows, group.low)
        self.groups.insert(at, group)
        self._lows.insert(at, group.low)


def collapse(document: Document, sequence: Sequence, _values: Values) -> Outcome:
    """Bring picture items down as far as they stay above everything they overlap.

    Tracks that are switched off stay as they are and so does everything on them: what is not seen must not
    come to be.
    """
    tracks = list(sequence.video_tracks)
    levels: list[_Level] = []
    lines: list[Line] = []
    fixed = [number for number, track in enumerate(tracks) if not track.enabled]
    for number, track in enumerate(tracks):
        levels.append(_Level())
        for group in _groups(track):
            at = number
            for below in range(number, -1, -1):
                if number in fixed or below in fixed:
                    break
                near = levels[below].near(group)
                if any(_overlap(group, other) for other in near):
                    break
                if all(_apart(group, other) for other in near):
                    at = below
            levels[at].add(group)
            if at != number:
                lines += [
                    line_of(
                        item, f"V{number + 1}", f"comes down onto V{at + 1}", "nothing is in its way there"
                    )
                    for item in group.items
                ]
    if not lines:
        return Outcome(
            document, sequence, "no picture can come down: all that could is on the lowest track already"
        )
    made_tracks = []
    for track, level in zip(tracks, levels):
        items = sorted((item for group in level.groups for item in group.items), key=lambda one: one.start)
        joins = sorted((join for group in level.groups for join in group.joins), key=lambda one: one.start)
        made_tracks.append(replace(track, items=tuple(items), transitions=tuple(joins)))
    before = sum(bool(track.items) for track in tracks)
    after = [number for number, track in enumerate(made_tracks) if track.items or not track.enabled]
    emptied = [
        f"V{number + 1}"
        for number, track in enumerate(tracks)
        if track.items and not made_tracks[number].items
    ]
    lines += [Line(0, 0, label, label, "", "track is empty now") for label in emptied]
    made = replace(sequence, tracks=(*made_tracks, *sequence.audio_tracks))
    down = len(lines) - len(emptied)
    tracks_told = (
        f"{counted(before, 'picture track')} become {len(after)}"
        if len(after) != before
        else "as many tracks as before"
    )
    effect = (
        f"{counted(down, 'item')} {'comes' if down == 1 else 'come'} down, {tracks_told}; nothing overlaps"
    )
    return Outcome(put(document, made), made, effect, lines)


def _groups(track: Track) -> list[_Group]:
    """The items of a track in groups; items that share time on one track stay together too."""
    found: list[_Group] = []
    for item in sorted(track.items, key=lambda one: one.start):
        joins = [one for one in track.transitions if one.cut in (item.start, item.end)]
        low = min([item.start, *(one.start for one in joins)])
        high = max([item.end, *(one.end for one in joins)])
        last = found[-1] if found else None
        if last is not None and (low < last.high or any(one in last.joins for one in joins)):
            last.items.append(item)
            last.joins += [one for one in joins if one not in last.joins]
            last.high = max(last.high, high)
        else:
            found.append(_Group([item], joins, low, high))
    return found


def _overlap(one: _Group, other: _Group) -> bool:
    return one.low < other.high and other.low < one.high


def _apart(one: _Group, other: _Group) -> bool:
    """Whether two groups can share a track: a transition at the end of one must not find the other at its
    cut."""
    return not _overlap(one, other) and not (one.cuts & other.edges or other.cuts & one.edges)
