"""Whether the fields of a movie are shown in the order in which the cut has them."""

from __future__ import annotations

import numpy as np

from wexodos.screening.align import Aligned
from wexodos.screening.calibrate import floats
from wexodos.screening.cut_view import CutView, Stretch
from wexodos.screening.film import Film, Reader
from wexodos.screening.measure import Colour, Floats
from wexodos.screening.rows import Row, What

_LOOKS = 12
_NEARER = 0.7
"""So much nearer must another order lie,"""
_SURE = 0.75
"""in so many of the looks."""
_MOVES = 4e-3
"""Fields that differ by less tell nothing."""


def field_row(view: CutView, film: Film, found: Aligned, colours: Colour, shots: list[Stretch]) -> list[Row]:
    """A row where the lines of the movie belong to other times than the cut's do; none for cuts that are not
    interlaced, and movies that do not show their lines."""
    sequence = view.sequence
    wide, tall = sequence.frame_size
    if sequence.field_order not in ("upper", "lower") or (film.facts.width, film.facts.height) != (
        wide,
        tall,
    ):
        return []
    first = 0 if sequence.field_order == "upper" else 1
    good = [one for one in shots if one.join is None and one.length > 4]
    chosen = [good[round(at)] for at in np.linspace(0, len(good) - 1, min(_LOOKS, len(good)))] if good else []
    votes: list[bool] = []
    with Reader(film) as reader:
        for shot in chosen:
            frame = (shot.first + shot.last) // 2
            place = found.place(frame)
            picture = reader.at(place, wide, tall) if 0 < place < film.count - 1 else None
            if picture is None:
                continue
            theirs = floats(picture)
            ours = [colours(floats(view.picture(one, tall))) for one in (frame - 1, frame, frame + 1)]
            if float(np.abs(ours[1][0::2] - ours[0][0::2]).mean()) < _MOVES or ours[1].shape != theirs.shape:
                continue
            right = float(np.abs(ours[1] - theirs).mean())
            other = min(float(np.abs(one - theirs).mean()) for one in _otherwise(ours, first))
            votes.append(other < _NEARER * right)
    if not votes or np.mean(votes) < _SURE:
        return []
    words = f"{'lower' if first == 0 else 'upper'} field first"
    return [Row(0, sequence.duration, What.FIELD_ORDER, words, f"{sequence.field_order} field first", 0.9)]


def _otherwise(ours: list[Floats], first: int) -> list[Floats]:
    """A frame as it is with its fields in the other order: each pair of lines changed over, or the field
    that comes first from the frame behind, or the later one from the frame before."""
    before, now, after = ours
    swapped = now.copy()
    count = len(now) // 2 * 2
    swapped[0:count:2], swapped[1:count:2] = now[1:count:2], now[0:count:2]
    late, early = now.copy(), now.copy()
    late[first::2] = after[first::2]
    early[1 - first :: 2] = before[1 - first :: 2]
    return [swapped, late, early]
