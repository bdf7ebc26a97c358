"""What stands along a cut beside its items: transitions, markers, and what tracks say."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from typing import Any

from wexodos.compare.difference import Difference
from wexodos.model import (
    Marker,
    Sequence,
    Track,
    Transition,
)
from wexodos.timing import Exact, ceil


def transitions(a: Sequence, b: Sequence) -> Iterator[Difference]:
    """Transitions by the cut they sit on, so that a change of track does not hide them."""
    lefts, rights = _joins(a), _joins(b)
    for key, (label, one) in lefts.items():
        other = rights.pop(key, None)
        if other is None:
            yield _join("gone", "transition", label, one, one.type, None)
            continue
        then = other[1]
        if one.type != then.type:
            yield _join("changed", "transition", label, one, one.type, then.type)
        if (one.start, one.duration) != (then.start, then.duration):
            yield _join(
                "changed",
                "transition length",
                label,
                one,
                [one.start, one.duration],
                [then.start, then.duration],
            )
        looks = (
            ("transition colour", one.color, then.color),
            ("transition pattern", one.pattern, then.pattern),
            ("transition direction", one.way, then.way),
            ("transition edge", _edge(one), _edge(then)),
        )
        for what, before, after in looks:
            if one.type == then.type and before != after:
                yield _join("changed", what, label, one, before, after)
    for label, one in rights.values():
        yield _join("added", "transition", label, one, None, one.type)


def _edge(one: Transition) -> list[Any]:
    """How the edge of a wipe looks: softness, border and its colour; an edge of no width has none."""
    soft, wide = one.softness or 0.0, one.border or 0.0
    return [round(soft, 3), round(wide, 3), one.border_color if wide else None]


def _join(kind: str, what: str, label: str, one: Transition, before: Any, after: Any) -> Difference:
    return Difference(kind, what, one.name or one.type, one.id, label, one.start, one.end, before, after)


def _joins(sequence: Sequence) -> dict[tuple[Any, ...], tuple[str, Transition]]:
    """Transitions by the cut they sit on and the medium on either side, so that a change of track does not
    hide them."""
    found: dict[tuple[Any, ...], tuple[str, Transition]] = {}
    count: dict[tuple[str, Exact], int] = defaultdict(int)
    for label, track in sequence.labelled_tracks():
        for one in track.transitions:
            key = (label[0], one.cut)
            found[(*key, count[key])] = (label, one)
            count[key] += 1
    return found


def _marks(sequence: Sequence) -> list[tuple[Exact, Marker]]:
    found = [(marker.start, marker) for marker in sequence.markers]
    for item in sequence.items():
        found.extend((item.start + marker.start, marker) for marker in item.markers)
    return found


class _Alike:
    """Markers of one place and the same words, by their length and colour; each is given away once."""

    def __init__(self) -> None:
        self._groups: dict[tuple[int, str | None], list[Marker]] = {}

    def add(self, marker: Marker) -> None:
        self._groups.setdefault((ceil(marker.duration), marker.color), []).append(marker)

    def nearest(self, marker: Marker) -> Marker | None:
        """The first that is as long and has the colour, or else is as long, or else has the colour, or else
        any."""
        length, color = ceil(marker.duration), marker.color
        if (length, color) not in self._groups:
            if not self._groups:
                return None
            length, color = max(self._groups, key=lambda one: (one[0] == length, one[1] == color))
        return self._give((length, color))

    def has(self, marker: Marker) -> bool:
        """Whether one that is equal is left; it is given away."""
        key = (ceil(marker.duration), marker.color)
        group = self._groups.get(key, [])
        if marker not in group:
            return False
        group.remove(marker)
        if not group:
            del self._groups[key]
        return True

    def _give(self, key: tuple[int, str | None]) -> Marker:
        group = self._groups[key]
        # The last of them is as good, and nothing has to move up; of different kinds the first counts.
        found = group.pop() if group[0] == group[-1] else group.pop(0)
        if not group:
            del self._groups[key]
        return found


def markers(a: Sequence, b: Sequence) -> Iterator[Difference]:
    """Markers are told apart by place and words; on which item they hang does not matter."""

    def key(at: Exact, marker: Marker) -> tuple[Any, ...]:
        return ceil(at), marker.name, marker.comment

    waiting: dict[tuple[Any, ...], _Alike] = defaultdict(_Alike)
    for at, marker in _marks(b):
        waiting[key(at, marker)].add(marker)
    for at, marker in _marks(a):
        others = waiting.get(key(at, marker))
        other = others.nearest(marker) if others is not None else None
        if other is None:
            yield _mark("gone", "marker", at, marker, _words(marker), None)
            continue
        if marker.color != other.color:
            yield _mark("changed", "marker colour", at, marker, marker.color, other.color)
        if ceil(marker.duration) != ceil(other.duration):
            yield _mark("changed", "marker length", at, marker, marker.duration, other.duration)
        if marker.kind != other.kind or marker.done != other.done:
            yield _mark("changed", "marker kind", at, marker, marker.kind, other.kind)
    for at, marker in _marks(b):
        # Each of several that are the same is one.
        if waiting[key(at, marker)].has(marker):
            yield _mark("added", "marker", at, marker, None, _words(marker))


def _words(marker: Marker) -> str:
    return " – ".join(part for part in (marker.name, marker.comment) if part) or "marker"


def _mark(kind: str, what: str, at: Exact, marker: Marker, before: Any, after: Any) -> Difference:
    return Difference(
        kind, what, _words(marker), marker_key(at, marker), "", at, at + marker.duration, before, after
    )


def marker_key(at: Exact, marker: Marker) -> str:
    """The name under which a marker is told apart: its frame in the sequence and its name."""
    return f"marker@{ceil(at)}:{marker.name}"


def _routed(track: Track) -> int | None:
    """The output of a track beyond the first pair, where it says something; the two of a pair take turns by
    habit."""
    return track.output if track.output is not None and track.output > 2 else None


def tracks(a: Sequence, b: Sequence) -> Iterator[Difference]:
    """How many there are, and what each says of itself."""
    for letter, ours, theirs in (
        ("V", a.video_tracks, b.video_tracks),
        ("A", a.audio_tracks, b.audio_tracks),
    ):
        if len(ours) != len(theirs):
            yield Difference(
                "settings",
                "picture tracks" if letter == "V" else "sound tracks",
                "",
                "",
                letter,
                0,
                0,
                len(ours),
                len(theirs),
            )
        for number, (one, other) in enumerate(zip(ours, theirs), 1):
            label = f"{letter}{number}"
            facts = (
                ("track name", one.name, other.name),
                ("stem", one.stem, other.stem),
                ("track enabled", one.enabled, other.enabled),
                ("track locked", one.locked, other.locked),
                ("output", _routed(one), _routed(other)),
                ("unread elements", sorted(raw.tag for raw in one.raw), sorted(raw.tag for raw in other.raw)),
            )
            for what, before, after in facts:
                if what == "stem":
                    if letter == "V":
                        continue
                    # A name that became the stem says the same; a stem where nothing was said loses nothing.
                    before, after = one.role, other.role if one.role else one.role
                if before != after:
                    yield Difference("changed", what, label, f"track:{label}", label, 0, 0, before, after)
