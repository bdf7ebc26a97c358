"""What a movie shows about an edit: a cut at another frame, a transition of another kind or length."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wexodos.model import Item, Sequence, Transition
from wexodos.screening.measure import Colour
from wexodos.screening.rows import Row, What
from wexodos.screening.scene import Scene, extended
from wexodos.timing import ceil, floor

_SMALL = 90
"""Lines at which edits are looked at."""
_AROUND = 8
_MOST = 75
"""So many frames on either side of an edit at the most."""
_MIXED, _EITHER = 0.14, 0.12
"""So much of the difference of two pictures may be left."""
_MORE, _UNLIKE = 1.25, 0.35
"""Where a movie is softer more is left before an edit and behind it too: there may be so many times that; but
what leaves more than this is another picture."""
_PLAIN = ("dissolve", "additive")
"""What goes over straight is measured even where no frame is off: a dissolve that is longer by a few frames
changes each of them by little."""
_WRONG = 0.02
"""So far, in the mean, the share of the incoming picture must lie from where it should be then."""
_APART = 0.02
"""Pictures nearer to one another tell nothing of what goes over."""


@dataclass(frozen=True, slots=True)
class Edit:
    """Where on a track one item gives way to the next one, with the transition there."""

    track: str
    number: int
    outgoing: Item
    incoming: Item
    cut: int
    join: Transition | None

    @property
    def first(self) -> int:
        return floor(self.join.start) if self.join is not None else self.cut

    @property
    def last(self) -> int:
        return ceil(self.join.end) if self.join is not None else self.cut


def edits(sequence: Sequence) -> Iterator[Edit]:
    """The edits of the pictures of a cut."""
    for number, (label, track) in enumerate(sequence.labelled_tracks()):
        if track.kind != "video" or not track.enabled:
            continue
        joins = {one.cut: one for one in track.transitions}
        shown = [one for one in track.items if one.enabled]
        for outgoing, incoming in zip(shown, shown[1:]):
            if outgoing.end == incoming.start:
                yield Edit(
                    label, number, outgoing, incoming, floor(incoming.start), joins.get(incoming.start)
                )


def edit_rows(
    scene: Scene, edit: Edit, off: NDArray[np.bool_], colours: Colour
) -> tuple[list[Row], int, int] | None:
    """The rows that say what the movie has in place of an edit, and the frames ``[first, last)`` they
    explain; None where nothing about it is off, or it is nothing of the edit."""
    low, high = max(0, edit.first - _MOST), min(len(off), edit.last + _MOST)
    core = slice(max(0, edit.first - 2), min(len(off), edit.last + 2))
    measured = edit.join is not None and edit.join.type in _PLAIN
    if not off[core].any() and not measured:
        return None
    wrong = np.flatnonzero(off[low:high]) + low
    first, last = _run_about(wrong, edit)
    if last - first > 2 * _MOST or first <= edit.first - _MOST or last >= edit.last + _MOST:
        return None
    begin = max(floor(edit.outgoing.start), min(first, edit.first) - _AROUND)
    end = min(ceil(edit.incoming.end), max(last, edit.last) + _AROUND)
    first_of = begin
    shares = _shares(scene, edit, begin, end, colours)
    if shares is None:
        return None
    share, mixed, either = shares
    start, length = _line(share)
    # Farther away something else may be otherwise.
    about = slice(max(0, start - 2), start + length + 3)
    if not off[core].any() and _as_it_should(edit, share, begin):
        return None
    if mixed[about].max() < _limit(mixed, about, _MIXED):
        begin, end = begin + max(0, start - _AROUND), min(end, begin + start + length + _AROUND)
        begin, end = min(begin, max(0, edit.first - 2)), max(end, edit.last + 2)
        start += first_of
        found = "cut" if length <= 1 else "dissolve"
        row = _row(edit, found, start, length)
    elif either.max() < _limit(either, about, _EITHER):
        inside = np.flatnonzero((share > 0.03) & (share < 0.97))
        if not len(inside):
            return None
        start, length = begin + int(inside[0]) - 1, int(inside[-1] - inside[0]) + 2
        found = "wipe"
        row = _row(edit, found, start, length)
    else:
        return None
    return ([row], begin, end) if row is not None else None


def _limit(left: NDArray[np.float64], about: slice, usual: float) -> float:
    """How much may be left where an edit is what it is held to be, after what is left beside it."""
    beside = np.concatenate([left[: about.start], left[about.stop :]])
    return min(_UNLIKE, max(usual, _MORE * float(beside.max()))) if len(beside) else usual


def _as_it_should(edit: Edit, share: NDArray[np.float64], begin: int) -> bool:
    """Whether the incoming picture comes in as it does in the cut, more or less."""
    at = np.arange(begin, begin + len(share))
    wanted = np.clip((at - edit.first) / max(1, edit.last - edit.first), 0, 1)
    return float(np.abs(share - wanted).mean()) < _WRONG


def _run_about(wrong: NDArray[np.int64], edit: Edit) -> tuple[int, int]:
    """The frames that are off about an edit, as one run with small holes."""
    first, last = edit.first, edit.last
    for frame in sorted(wrong, key=lambda one: abs(int(one) - edit.cut)):
        if first - 3 <= frame <= last + 3:
            first, last = min(first, int(frame)), max(last, int(frame) + 1)
    return first, last


def _shares(
    scene: Scene, edit: Edit, begin: int, end: int, colours: Colour
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]] | None:
    """For each frame the share of the incoming picture, and what is left of the difference of the two, as a
    mixture and where each spot is one of them."""
    out = extended(edit.outgoing, begin, end, scene.view.sequence)
    into = extended(edit.incoming, begin, end, scene.view.sequence)
    if out is None or into is None:
        return None
    sides = [_only(scene.view.sequence, edit, out), _only(scene.view.sequence, edit, into)]
    share, mixed, either = [], [], []
    for frame in range(begin, end):
        theirs = scene.theirs(frame, _SMALL)
        if theirs is None:
            return None
        a, b = (colours(scene.ours(one, frame, _SMALL)) for one in sides)
        apart = b - a
        size = float((apart * apart).sum())
        far = float(np.abs(apart).mean())
        if far < _APART:
            return None
        part = float(((theirs - a) * apart).sum()) / size
        share.append(part)
        mixed.append(float(np.abs(theirs - a - np.clip(part, 0, 1) * apart).mean()) / far)
        nearest = np.minimum(np.abs(theirs - a).max(axis=2), np.abs(theirs - b).max(axis=2))
        either.append(float(nearest.mean()) / far)
    return np.asarray(share), np.asarray(mixed), np.asarray(either)


def _only(sequence: Sequence, edit: Edit, item: Item) -> Sequence:
    """A cut with one side of an edit only, which lasts over it."""
    tracks = list(sequence.tracks)
    track = tracks[edit.number]
    items = tuple(
        item if one.id == item.id else one
        for one in track.items
        if one.id == item.id or one.id not in (edit.outgoing.id, edit.incoming.id)
    )
    items = tuple(one for one in items if one.id == item.id or one.end <= item.start or one.start >= item.end)
    joins = tuple(one for one in track.transitions if one is not edit.join)
    tracks[edit.number] = replace(track, items=items, transitions=joins)
    return replace(sequence, tracks=tuple(tracks))


def _line(share: NDArray[np.float64]) -> tuple[int, int]:
    """Start and length of the straight line from 0 to 1 that shares lie nearest to: 0 at its start, 1 so many
    frames later. A cut has the length 1, and starts a frame before it."""
    at = np.arange(len(share))
    best, found = np.inf, (0, 1)
    for length in range(1, len(share) + 1):
        for start in range(-1, len(share) - length + 1):
            rest = float(np.square(share - np.clip((at - start) / length, 0, 1)).sum())
            if rest < best - 1e-9:
                best, found = rest, (start, length)
    return found


def _row(edit: Edit, found: str, start: int, length: int) -> Row | None:
    """What is otherwise about an edit; None where it is as it should be."""
    join, item = edit.join, edit.incoming
    more = {"start": start, "length": length if found != "cut" else 0}
    name = item.name or item.kind
    if found == "cut":
        cut = start + 1
        if join is None:
            if cut == edit.cut:
                return None
            by = cut - edit.cut
            side = "later" if by > 0 else "earlier"
            words = f"the cut comes {abs(by)} frame{'s' if abs(by) != 1 else ''} {side}"
            first, last = min(cut, edit.cut), max(cut, edit.cut)
            return Row(
                first,
                last,
                What.FRAME,
                words,
                "0 frames",
                0.95,
                name,
                item.id,
                edit.track,
                {"cut_offset": by},
            )
        words = _words(join.type, floor(join.duration))
        return Row(
            edit.first, edit.last, What.TRANSITION, "a cut", words, 0.95, name, item.id, edit.track, more
        )
    expected = _words(join.type, floor(join.duration)) if join is not None else "a cut"
    if join is not None and join.type in _LIKE[found]:
        same = abs(length - floor(join.duration)) <= 1 and abs(start - edit.first) <= 1
        if same:
            return None
    first, last = min(start, edit.first), max(start + length, edit.last)
    return Row(
        first, last, What.TRANSITION, _words(found, length), expected, 0.9, name, item.id, edit.track, more
    )


_LIKE = {"dissolve": ("dissolve", "additive"), "wipe": ("wipe", "iris", "slide", "push")}


def _words(kind: str, length: int) -> str:
    return f"a {kind} of {length} frames"
