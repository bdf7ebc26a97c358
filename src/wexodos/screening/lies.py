"""A layer that lies elsewhere in a movie than in the cut, is of another size or turned."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from wexodos.model import Item, Sequence
from wexodos.screening.cut_view import Stretch
from wexodos.screening.measure import Colour, Floats, Lie, lie, near
from wexodos.screening.rows import Row, What
from wexodos.screening.scene import LOOKED, Placed, Scene
from wexodos.screening.spans import (
    EXPLAINS,
    NOTHING,
    Finding,
    Span,
    far_apart,
    row_of,
    shown_in,
    sure,
)

_FINE = 360
"""Lines at which places are measured."""
_PIXEL, _LARGER, _TURNED = 0.75, 0.0018, 0.08
"""What is moved by less (pixels of the cut), larger by less, turned by less (degrees) is as it was."""
_NEAR = 0.95
"""What correlates so well inside of an item nearly lies where it belongs."""
_SHORT = 6
"""In shorter stretches what lies apart by little is not looked for."""


def lies(scene: Scene, sequence: Sequence, span: Span, samples: list[int], apart: float) -> Iterator[Finding]:
    """Each layer at another place, of another size, turned."""
    shown = shown_in(scene, span)
    for one in reversed(shown):
        measured = _measured(scene, sequence, one.item, span, samples, len(shown) > 1)
        if measured is None:
            continue
        made, found, center = measured
        other = scene.changed(sequence, made)
        left = far_apart(scene, other, samples, span.colours)
        if left > max(EXPLAINS * apart, NOTHING):
            continue
        rows = _lie_rows(scene, span, one, found, center, sure(left, apart))
        if rows:
            yield Finding(left, other, rows, made)


def _measured(
    scene: Scene, sequence: Sequence, item: Item, span: Span, samples: list[int], several: bool
) -> tuple[Item, Lie, tuple[float, float]] | None:
    """How an item lies, measured at several frames: the item as it lies, the middle of what was measured, and
    where its own middle should be, in pixels of a look."""
    frames = samples[1:-1] if len(samples) > 2 else samples
    first = _finer(scene, sequence, item, frames[:3], span.colours, several)
    if first is None or first.fit < _NEAR:
        first = _middle(scene, sequence, item, frames[:3], span.colours, several)
    frame = frames[len(frames) // 2]
    center = scene.center(sequence, item, frame)
    if first is None or center is None:
        return None
    found = _in_look(first)
    made = scene.lying(sequence, item, frame, found)
    if made is None:
        return None
    # Once more from where it lies now, by what is inside of it: its edges are drawn otherwise everywhere.
    finer = _finer(scene, scene.changed(sequence, made), made, frames[:3], span.colours, several)
    if finer is not None and finer.fit > first.fit:
        again = _in_look(Lie(_one_after(first.matrix, finer.matrix), finer.fit))
        nearer = scene.lying(sequence, item, frame, again)
        if nearer is not None:
            made, found = nearer, again
    return made, found, center


def _middle(
    scene: Scene, sequence: Sequence, item: Item, frames: list[int], colours: Colour, several: bool
) -> Lie | None:
    """How an item lies in most of some frames; None where it is found in none."""
    lies: list[Lie | None] = []
    for frame in frames:
        ours, theirs, mask = _layer_pair(scene, sequence, item, frame, colours, several)
        lies.append(lie(ours, theirs, mask) if ours is not None and theirs is not None else None)
    return _median(lies)


def _finer(
    scene: Scene, sequence: Sequence, item: Item, frames: list[int], colours: Colour, several: bool
) -> Lie | None:
    """The same of an item that nearly lies where it belongs, by what is seen inside of it."""
    lies: list[Lie | None] = []
    for frame in frames:
        ours, theirs, mask = _layer_pair(scene, sequence, item, frame, colours, several)
        if ours is None or theirs is None:
            continue
        inside = scene.covered(sequence, item, frame, ours.shape[1::-1])
        lies.append(near(ours, theirs, inside if mask is None else inside & mask))
    return _median(lies)


def _median(lies: list[Lie | None]) -> Lie | None:
    good = [one for one in lies if one is not None and one.fit > 0.5]
    if not good:
        return None
    return Lie(np.median([one.matrix for one in good], axis=0), float(np.median([one.fit for one in good])))


def _one_after(first: NDArray[np.float64], then: NDArray[np.float64]) -> NDArray[np.float64]:
    """Two matrices (2, 3) in one."""
    return np.asarray((np.vstack([then, [0, 0, 1]]) @ np.vstack([first, [0, 0, 1]]))[:2], np.float64)


def _in_look(found: Lie) -> Lie:
    """What was measured in the finer look, in pixels of the usual one."""
    matrix = found.matrix.copy()
    matrix[:, 2] *= LOOKED / _FINE
    return Lie(matrix, found.fit)


def _layer_pair(
    scene: Scene, sequence: Sequence, item: Item, frame: int, colours: Colour, several: bool
) -> tuple[Floats | None, Floats | None, NDArray[np.bool_] | None]:
    """A layer as it should be and as the movie has it, what lies around taken away where it is one of
    several: what it adds to the frame without it."""
    theirs = scene.theirs(frame, _FINE)
    if theirs is None:
        return None, None, None
    mask = cv2.resize(scene.mask.astype(np.uint8), theirs.shape[1::-1], interpolation=cv2.INTER_NEAREST) > 0
    whole = colours(scene.ours(sequence, frame, _FINE))
    if not several:
        return whole, theirs, mask
    without = colours(scene.ours(scene.changed(sequence, replace(item, enabled=False)), frame, _FINE))
    added, there = whole - without, theirs - without
    covers = float((np.abs(added).max(axis=2) > 0.02).mean())
    if covers > 0.9:
        return whole, theirs, mask
    return added, there, mask


def _lie_rows(
    scene: Scene, span: Span, one: Placed, found: Lie, center: tuple[float, float], sure: float
) -> list[Row]:
    unit = scene.unit()
    x, y = found.moved(center)
    x, y = x / unit[0], y / unit[1]
    across, down = found.scale
    scale = float(np.sqrt(across * down))
    rows = []
    if max(abs(x), abs(y)) > _PIXEL:
        words = (
            f"{_by(x, 'right', 'left')} and {_by(y, 'down', 'up')}"
            if min(abs(x), abs(y)) > _PIXEL
            else (_by(x, "right", "left") if abs(x) > abs(y) else _by(y, "down", "up"))
        )
        more = {"dx": round(x, 2), "dy": round(y, 2)}
        rows.append(row_of(span, What.PLACE, one, words, "0 px", sure, figures=more))
    # What is moved or turned far is measured less finely.
    if abs(scale - 1) > (2 * _LARGER if rows or abs(found.turned) > _TURNED else _LARGER):
        even = abs(across / down - 1) < 0.006
        words = f"{scale * 100:.1f} %" if even else f"{across * 100:.1f} % wide, {down * 100:.1f} % high"
        more = {"scale": round(scale, 4), "scale_x": round(across, 4), "scale_y": round(down, 4)}
        rows.append(row_of(span, What.SIZE, one, f"{words} of its size", "100 %", sure, figures=more))
    if abs(found.turned) > _TURNED:
        words = f"turned {abs(found.turned):.1f}° {'clockwise' if found.turned > 0 else 'anticlockwise'}"
        rows.append(
            row_of(span, What.ROTATION, one, words, "0°", sure, figures={"degrees": round(found.turned, 3)})
        )
    return rows


def _by(pixels: float, more: str, less: str) -> str:
    return f"{abs(pixels):.1f} px {more if pixels > 0 else less}"


def slight(scene: Scene, stretch: Stretch, first: int, last: int, colours: Colour) -> list[Row]:
    """Rows for a stretch whose only picture lies elsewhere by so little that no part of the frame shows it:
    measured at two frames, which must agree, and better by what is seen."""
    span = Span(stretch, first, last, colours)
    shown = shown_in(scene, span)
    if last - first < _SHORT or stretch.join is not None or len(shown) != 1:
        return []
    item, sequence = shown[0].item, scene.view.sequence
    frames = [first + (last - first) // 3, first + 2 * (last - first) // 3]
    lies = []
    for frame in frames:
        ours, theirs, mask = _layer_pair(scene, sequence, item, frame, colours, False)
        one = lie(ours, theirs, mask, far=False) if ours is not None and theirs is not None else None
        if one is None or one.fit < 0.8:
            return []
        lies.append(_in_look(one))
    if float(np.abs(lies[0].matrix - lies[1].matrix)[:, :2].max()) > _LARGER:
        return []
    found = Lie(np.mean([one.matrix for one in lies], axis=0), min(one.fit for one in lies))
    center = scene.center(sequence, item, frames[0])
    made = scene.lying(sequence, item, frames[0], found) if center is not None else None
    if center is None or made is None:
        return []
    rows = _lie_rows(scene, span, shown[0], found, center, 0.9)
    other = scene.changed(sequence, made)
    better = all(
        scene.straight(other, frame, colours) < 0.8 * scene.straight(sequence, frame, colours)
        for frame in frames
    )
    return rows if better else []
