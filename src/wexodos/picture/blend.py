"""Laying one picture over another.

Formulas of W3C Compositing and Blending Level 1: the result is ``(1-αb)·Cs + (1-αs)·Cb + αs·αb·B(cb, cs)``
with colours C multiplied by alpha and c not. Modes of the exchange formats that it does not have: the plain
sums (``add`` and ``linear dodge``, ``subtract``, ``linear burn`` = b + s - 1, ``linear light`` = b + 2s - 1),
``vivid light`` (burn with 2s below a half, dodge with 2s - 1 above), ``pin light`` (darken and lighten with
the same) and ``hard mix`` (0 or 1, by whether b + s reaches 1).
"""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from wexodos.picture.decode import Picture

Part = NDArray[np.float32]


def _hard(b: Part, s: Part) -> Part:
    return np.where(s <= 0.5, 2 * b * s, 1 - 2 * (1 - b) * (1 - s)).astype(np.float32)


def _soft(b: Part, s: Part) -> Part:
    root = np.where(b <= 0.25, ((16 * b - 12) * b + 4) * b, np.sqrt(b))
    return np.where(s <= 0.5, b - (1 - 2 * s) * b * (1 - b), b + (2 * s - 1) * (root - b)).astype(np.float32)


def _dodge(b: Part, s: Part) -> Part:
    share = np.divide(b, 1 - s, out=np.ones_like(b), where=s < 1)
    return np.where(b <= 0, 0, np.minimum(share, 1)).astype(np.float32)


def _burn(b: Part, s: Part) -> Part:
    share = np.divide(1 - b, s, out=np.ones_like(b), where=s > 0)
    return np.where(b >= 1, 1, 1 - np.minimum(share, 1)).astype(np.float32)


def _vivid(b: Part, s: Part) -> Part:
    return np.where(s <= 0.5, _burn(b, np.minimum(2 * s, 1)), _dodge(b, np.maximum(2 * s - 1, 0))).astype(
        np.float32
    )


def _pin(b: Part, s: Part) -> Part:
    return np.where(s <= 0.5, np.minimum(b, 2 * s), np.maximum(b, 2 * s - 1)).astype(np.float32)


def _sum(b: Part, s: Part) -> Part:
    return np.asarray(np.minimum(b + s, np.float32(1)), np.float32)


MODES: dict[str, Callable[[Part, Part], Part]] = {
    "add": _sum,
    "linear dodge": _sum,
    "linear burn": lambda b, s: np.maximum(b + s - 1, np.float32(0)),
    "linear light": lambda b, s: np.clip(b + 2 * s - 1, 0, 1).astype(np.float32),
    "colour dodge": _dodge,
    "colour burn": _burn,
    "vivid light": _vivid,
    "pin light": _pin,
    "hard mix": lambda b, s: (b + s >= 1).astype(np.float32),
    "exclusion": lambda b, s: b + s - 2 * b * s,
    "subtract": lambda b, s: np.maximum(b - s, np.float32(0)),
    "difference": lambda b, s: np.abs(b - s),
    "multiply": lambda b, s: b * s,
    "screen": lambda b, s: b + s - b * s,
    "overlay": lambda b, s: _hard(s, b),
    "hard light": _hard,
    "soft light": _soft,
    "darken": np.minimum,
    "lighten": np.maximum,
}
MATTES = ("matte alpha", "matte luma")
"""Modes in which the layer below lends its alpha or brightness."""
STENCILS = ("stencil alpha", "stencil luma")
"""Modes in which a layer lends its alpha or brightness to all that lies below it, and is not seen itself."""
_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)


def over(below: Picture, above: Picture, mode: str = "normal") -> Picture:
    """``above`` laid over ``below``; a mode that nobody knows counts as normal."""
    blend = MODES.get(mode)
    share = above[..., 3:]
    if blend is None and opaque(above):
        return above
    if blend is None:
        box = box_of(above)
        made, part = below.copy(), above[box]
        made[box] = part + below[box] * (1 - part[..., 3:])
        return made
    under = below[..., 3:]
    mixed = blend(_plain(below), _plain(above))
    made = np.empty_like(below)
    made[..., :3] = (1 - under) * above[..., :3] + (1 - share) * below[..., :3] + share * under * mixed
    made[..., 3:] = share + under * (1 - share)
    return made


def opaque(picture: Picture) -> bool:
    """Whether nothing is seen through a picture."""
    # A corner says it for most that are not.
    return bool(picture[0, 0, 3] >= 1 and cv2.extractChannel(picture, 3).min() >= 1)


def around(boxes: list[tuple[slice, slice]]) -> tuple[slice, slice]:
    """The rows and columns of all boxes together; empty where none has any."""
    some = [box for box in boxes if box[0].start < box[0].stop]
    if not some:
        return slice(0, 0), slice(0, 0)
    rows, columns = zip(*some)
    return (
        slice(min(one.start for one in rows), max(one.stop for one in rows)),
        slice(min(one.start for one in columns), max(one.stop for one in columns)),
    )


def box_of(picture: Picture) -> tuple[slice, slice]:
    """The rows and columns in which a picture has anything: a title has most of its frame empty, and laying
    it over costs what it covers."""
    # As whole numbers: the largest of a row is found several times as fast as whether any is not nought.
    bits = np.asarray(picture, np.float32).view(np.uint32)
    rows = np.flatnonzero(bits.reshape(len(bits), -1).max(axis=1))
    if not len(rows):
        return slice(0, 0), slice(0, 0)
    tall = slice(int(rows[0]), int(rows[-1]) + 1)
    columns = np.flatnonzero(bits[tall].max(axis=0).any(axis=1))
    return tall, slice(int(columns[0]), int(columns[-1]) + 1)


def matted(picture: Picture, matte: Picture, mode: str) -> Picture:
    """A picture seen through the alpha or the brightness (BT.709) of another."""
    share = matte[..., 3:] if mode.endswith("alpha") else (matte[..., :3] @ _LUMA)[..., None]
    return np.asarray(picture * share, np.float32)


def _plain(picture: Picture) -> Part:
    share = picture[..., 3:]
    return np.divide(picture[..., :3], share, out=np.zeros_like(picture[..., :3]), where=share > 1e-6)
