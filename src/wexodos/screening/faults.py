"""What explains that frames of a movie are not as the cut has them: each thing that may be otherwise is
tried, and the one that leaves least is held to be it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import cv2
import numpy as np

from wexodos.model import Item, Sequence
from wexodos.screening.colours import figures as colour_figures
from wexodos.screening.colours import grade_words
from wexodos.screening.late import source_frames
from wexodos.screening.lies import lies
from wexodos.screening.measure import Colour, colour, lie
from wexodos.screening.rows import Row, What, where
from wexodos.screening.running import excess
from wexodos.screening.scene import Scene
from wexodos.screening.spans import (
    EXPLAINS,
    NOTHING,
    Finding,
    Span,
    around,
    far_apart,
    named,
    row_of,
    shown_in,
    sure,
)

_ROUNDS = 2
_BLUR = 5
"""What is in a movie only is looked for in spots of so many pixels."""


class Known:
    """What was found of items: it is tried first where they are seen again."""

    def __init__(self) -> None:
        self._found: dict[str, list[tuple[Item, list[Row]]]] = {}

    def add(self, item: Item, rows: list[Row]) -> None:
        self._found.setdefault(item.id, []).append((item, rows))

    def of(self, item_id: str) -> list[tuple[Item, list[Row]]]:
        return self._found.get(item_id, [])


def explained(scene: Scene, span: Span, known: Known) -> list[Row]:
    """The rows that explain a span; one that says that another picture stands there where nothing does."""
    sequence, rows = scene.view.sequence, list[Row]()
    samples = span.samples()
    apart = far_apart(scene, sequence, samples, span.colours)
    first = apart
    for one in shown_in(scene, span):
        for item, before in known.of(one.item.id):
            other = scene.changed(sequence, item)
            left = far_apart(scene, other, samples, span.colours)
            if left < max(EXPLAINS * apart, NOTHING) and left < apart:
                rows += [replace(row, first=span.first, until=span.last) for row in before]
                sequence, apart = other, left
                break
    for _ in range(_ROUNDS):
        if apart < NOTHING and (rows or span.hint is None):
            break
        best = _best(scene, sequence, span, samples, apart)
        if best is None:
            break
        rows += best.rows
        if best.item is not None:
            known.add(best.item, best.rows)
        sequence, apart = best.sequence, best.left
    if not rows and first >= (NOTHING if span.hint is None else 4 * NOTHING):
        rows = _unexplained(scene, sequence, span, samples)
    elif rows and apart > max(2 * NOTHING, 0.15 * first):
        # Something is left that one more thing must explain.
        rows += [one for one in _unexplained(scene, sequence, span, samples) if one.box is not None]
    return rows


def _best(scene: Scene, sequence: Sequence, span: Span, samples: list[int], apart: float) -> Finding | None:
    """The explanation that leaves least, where it leaves little enough."""
    best: Finding | None = None
    # What neighbours say of the time of a picture is looked into first, else what takes less work.
    order = (source_frames, lies) if span.hint is not None else (lies, source_frames)
    for ways in (_layers_gone, _layers_come, *order):
        for one in ways(scene, sequence, span, samples, apart):
            if best is None or one.left < best.left * 0.9:
                best = one
        if best is not None and best.left < max(NOTHING, 0.1 * apart):
            break
    if best is None or best.left > max(EXPLAINS * apart, NOTHING):
        return None
    return best


def _layers_gone(
    scene: Scene, sequence: Sequence, span: Span, samples: list[int], apart: float
) -> Iterator[Finding]:
    """Each layer missing, or seen through more than it should be."""
    shown = shown_in(scene, span)
    if len(shown) < 2:
        return
    for one in shown:
        gone = replace(one.item, enabled=False)
        without = scene.changed(sequence, gone)
        left = far_apart(scene, without, samples, span.colours)
        if left > EXPLAINS * apart:
            continue
        box = _box_of(scene, sequence, without, samples)
        place = where(box) if box is not None else ""
        words = f"not there{', ' + place if place else ''}"
        row = row_of(span, What.MISSING, one, words, named(one.item), sure(left, apart), box=box)
        yield Finding(left, without, [row], gone)


def _box_of(
    scene: Scene, one: Sequence, other: Sequence, frames: list[int]
) -> tuple[float, float, float, float] | None:
    """Where two cuts differ, in parts of the frame."""
    middle = frames[len(frames) // 2]
    apart = np.abs(scene.ours(one, middle) - scene.ours(other, middle)).max(axis=2)
    return around(apart > 0.02)


def _layers_come(
    scene: Scene, sequence: Sequence, span: Span, samples: list[int], apart: float
) -> Iterator[Finding]:
    """Something that is switched off in the cut and seen in the movie."""
    tracks = dict(scene.view.sequence.labelled_tracks())
    for one in scene.items:
        item = one.item
        if item.start >= span.last or item.end <= span.first:
            continue
        if item.enabled and tracks[one.track].enabled:
            continue
        more = scene.shown_anyway(sequence, one)
        left = far_apart(scene, more, samples, span.colours)
        if left > EXPLAINS * apart:
            continue
        box = _box_of(scene, sequence, more, samples)
        words = f"seen{', ' + where(box) if box is not None else ''}"
        yield Finding(
            left, more, [row_of(span, What.ADDED, one, words, "switched off", sure(left, apart), box=box)]
        )


def _unexplained(scene: Scene, sequence: Sequence, span: Span, samples: list[int]) -> list[Row]:
    """Something that is in the movie and not in the cut: a part of the frame, or another picture."""
    spots = np.zeros(scene.mask.shape, np.float32)
    count = 0
    for frame in samples:
        theirs = scene.theirs(frame)
        if theirs is not None:
            spots += excess(span.colours(scene.ours(sequence, frame)), theirs, scene.mask)
            count += 1
    if not count:
        return []
    # A line about what lies elsewhere is its edge, which everybody draws in another way.
    apart = (
        cv2.morphologyEx(
            (cv2.blur(spots / count, (_BLUR, _BLUR)) > 0.03).astype(np.uint8),
            cv2.MORPH_OPEN,
            np.ones((_BLUR + 2, _BLUR + 2), np.uint8),
        )
        > 0
    )
    share = float(apart.mean())
    box = around(apart)
    if box is None:
        return []
    shown = shown_in(scene, span)
    one = shown[0] if shown else None
    if share < 0.45:
        return [
            row_of(
                span,
                What.ADDED,
                None,
                f"something that is not in the cut, {where(box)}",
                "nothing",
                0.8,
                box=box,
            )
        ]
    changed = _other_colours(scene, sequence, span, samples)
    if changed is not None:
        return [
            row_of(
                span,
                What.COLOUR,
                one,
                grade_words(changed),
                "as in the cut",
                0.7,
                figures=colour_figures(changed),
            )
        ]
    expected = named(one.item) if one is not None else "black"
    return [row_of(span, What.MISSING, one, "another picture stands there", expected, 0.8)]


def _other_colours(scene: Scene, sequence: Sequence, span: Span, samples: list[int]) -> Colour | None:
    """Colours that explain what lies apart where no straight line does: the pictures are the same in
    shape."""
    frame = samples[len(samples) // 2]
    theirs = scene.theirs(frame)
    if theirs is None:
        return None
    ours = scene.ours(sequence, frame)
    found = lie(ours, theirs, scene.mask, far=False)
    if found is None or found.fit < 0.9:
        return None
    return colour(ours[scene.mask][::7], theirs[scene.mask][::7])
