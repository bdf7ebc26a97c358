"""A layer that shows other frames of its source in a movie than in the cut."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction

import numpy as np

from wexodos.model import Constant, Item, MediaUse, Sequence, SpeedPoint, Variable
from wexodos.model.speed import source_at
from wexodos.screening.measure import Colour
from wexodos.screening.rows import Row, What
from wexodos.screening.scene import Placed, Scene
from wexodos.screening.spans import (
    EXPLAINS,
    NOTHING,
    Finding,
    Span,
    row_of,
    shown_in,
    sure,
)
from wexodos.timing import exact

_FAR = 90
"""So many source frames on either side a picture is looked for."""
_NEIGHBOURS = 3
"""Offsets that lie so near may be one."""


def source_frames(
    scene: Scene, sequence: Sequence, span: Span, samples: list[int], apart: float
) -> Iterator[Finding]:
    """Each layer with other frames of its source."""
    for one in shown_in(scene, span):
        if scene.frozen(one.item, samples[0], 0) is None and scene.frozen(one.item, samples[-1], 0) is None:
            continue
        found = _offsets(scene, sequence, one.item, span, samples)
        if found is None:
            continue
        offsets, left = found
        if left > max(EXPLAINS * apart, NOTHING) or not any(offsets):
            continue
        made = _retimed(scene, one.item, samples, offsets)
        row = _frame_row(scene, span, one, samples, offsets, sure(left, apart))
        yield Finding(left, scene.changed(sequence, made), [row], made)


def _offsets(
    scene: Scene, sequence: Sequence, item: Item, span: Span, samples: list[int]
) -> tuple[list[int], float] | None:
    """By how many source frames an item is late at each frame looked at, and what is left then."""
    offsets: list[int] = []
    rest = []
    guess = span.hint or 0
    middle = len(samples) // 2
    order = [middle, *range(middle + 1, len(samples)), *range(middle - 1, -1, -1)]
    found: dict[int, int] = {}
    for place in order:
        if place == middle - 1:
            guess = found[middle]
        best = _offset_at(scene, sequence, item, samples[place], span.colours, guess)
        if best is None:
            return None
        found[place], left = best
        guess = found[place]
        rest.append(left)
    offsets = [found[place] for place in range(len(samples))]
    return _steady(scene, sequence, item, samples, offsets, span.colours, float(np.mean(rest)))


def _steady(
    scene: Scene,
    sequence: Sequence,
    item: Item,
    samples: list[int],
    offsets: list[int],
    colours: Colour,
    left: float,
) -> tuple[list[int], float]:
    """One offset for all where they lie next to one another and it fits as well: neighbours may look
    alike."""
    if max(offsets) - min(offsets) > _NEIGHBOURS:
        return offsets, left

    def straight(later: int) -> float:
        held = [scene.frozen(item, frame, later) for frame in samples]
        each = [
            scene.straight(scene.changed(sequence, one), frame, colours) if one is not None else np.inf
            for one, frame in zip(held, samples)
        ]
        return float(np.mean(each))

    known = {one: straight(one) for one in range(min(offsets) - 1, max(offsets) + 2)}
    best = min(known, key=lambda one: known[one])
    held = [scene.frozen(item, frame, best) for frame in samples]
    far = [
        scene.far(scene.changed(sequence, one), frame, colours) for one, frame in zip(held, samples) if one
    ]
    if len(far) < len(samples) or float(np.mean(far)) > 1.3 * left + 1e-4:
        return offsets, left
    return [best] * len(samples), float(np.mean(far))


def _offset_at(
    scene: Scene, sequence: Sequence, item: Item, frame: int, colours: Colour, guess: int
) -> tuple[int, float] | None:
    """The number of source frames by which the movie's picture is later, looked for outwards from a guess."""
    tried: dict[int, float] = {}

    def far(later: int) -> float:
        if later not in tried:
            held = scene.frozen(item, frame, later)
            other = scene.changed(sequence, held) if held is not None else None
            tried[later] = scene.far(other, frame, colours) if other is not None else np.inf
        return tried[later]

    zero = far(0)
    best = None
    for by in range(_FAR + 1):
        good = [later for later in {guess + by, guess - by} if far(later) < max(NOTHING / 2, 0.12 * zero)]
        if good:
            best = min(good, key=far)
            break
    if best is None:
        best = min(tried, key=lambda one: tried[one])
        if not np.isfinite(tried[best]) or tried[best] > 0.3 * zero:
            return None

    def straight(later: int) -> float:
        held = scene.frozen(item, frame, later)
        if held is None:
            return np.inf
        return scene.straight(scene.changed(sequence, held), frame, colours)

    # Which of its neighbours it is, all that is seen says; what moves at every other frame, three on.
    now = straight(best)
    for way in (-1, 1):
        while True:
            ahead = {best + way * by: straight(best + way * by) for by in range(1, _NEIGHBOURS + 1)}
            further = min(ahead, key=lambda one: ahead[one])
            if ahead[further] >= now:
                break
            best, now = further, ahead[further]
    return best, far(best)


def _retimed(scene: Scene, item: Item, samples: list[int], offsets: list[int]) -> Item:
    """An item with the frames of its source that were found."""
    fps = scene.source_fps(item)
    if len(set(offsets)) == 1 and isinstance(item.speed, Constant):
        return replace(item, source_in=exact(Fraction(item.source_in) + Fraction(offsets[0]) / fps))
    rate = scene.view.sequence.rate
    points = []
    for frame, offset in zip(samples, offsets):
        seconds, _ = source_at(item.speed, item.source_in, frame - item.start, rate)
        points.append(SpeedPoint(frame - item.start, exact(Fraction(seconds) + Fraction(offset) / fps)))
    return replace(item, speed=Variable(tuple(points))) if len(points) > 1 else item


def _frame_row(
    scene: Scene, span: Span, one: Placed, samples: list[int], offsets: list[int], sure: float
) -> Row:
    first, last = offsets[0], offsets[-1]
    stands = len(samples) > 1 and _stands(scene, samples, offsets, one)
    more = {"offset_start": first, "offset_end": last}
    if stands:
        words = f"stands still: {frames_words(first)} at its start, {frames_words(last)} at its end"
    elif first == last and len(set(offsets)) == 1:
        words = frames_words(first)
    else:
        words = f"{frames_words(first)} at its start, {frames_words(last)} at its end"
    return row_of(span, What.FRAME, one, words, "0 frames", sure, figures=more)


def frames_words(count: int) -> str:
    if not count:
        return "in time"
    return f"{abs(count)} frame{'s' if abs(count) != 1 else ''} {'later' if count > 0 else 'earlier'}"


def _stands(scene: Scene, samples: list[int], offsets: list[int], one: Placed) -> bool:
    """Whether the movie shows one picture all the time."""
    if not isinstance(one.item.content, MediaUse) or len(set(offsets)) == 1:
        return False
    pictures = [scene.theirs(frame) for frame in (samples[0], samples[-1])]
    if pictures[0] is None or pictures[1] is None:
        return False
    return float(np.abs(pictures[0] - pictures[1])[scene.mask].mean()) < 0.004
