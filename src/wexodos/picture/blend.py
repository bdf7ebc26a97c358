"""Laying one picture over another.

Formulas of W3C Compositing and Blending Level 1: the result is ``(1-αb)·Cs + (1-αs)·Cb + αs·αb·B(cb, cs)`` with colours C multiplied
by alpha and c not. Modes of the exchange formats that it does not have are the plain sums (``add``, ``subtract``).
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from wexodos.picture.decode import Picture

Part = NDArray[np.float32]


def _hard(b: Part, s: Part) -> Part:
    return np.where(s <= 0.5, 2 * b * s, 1 - 2 * (1 - b) * (1 - s)).astype(np.float32)


def _soft(b: Part, s: Part) -> Part:
    root = np.where(b <= 0.25, ((16 * b - 12) * b + 4) * b, np.sqrt(b))
    return np.where(s <= 0.5, b - (1 - 2 * s) * b * (1 - b), b + (2 * s - 1) * (root - b)).astype(np.float32)


MODES: dict[str, Callable[[Part, Part], Part]] = {
    "add": lambda b, s: np.minimum(b + s, np.float32(1)),
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
_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)


def over(below: Picture, above: Picture, mode: str = "normal") -> Picture:
    """``above`` laid over ``below``; a mode that nobody knows counts as normal."""
    blend = MODES.get(mode)
    share = above[..., 3:]
    if blend is None:
        return np.asarray(above + below * (1 - share), np.float32)
    under = below[..., 3:]
    mixed = blend(_plain(below), _plain(above))
    made = np.empty_like(below)
    made[..., :3] = (1 - under) * above[..., :3] + (1 - share) * below[..., :3] + share * under * mixed
    made[..., 3:] = share + under * (1 - share)
    return made


def matted(picture: Picture, matte: Picture, mode: str) -> Picture:
    """A picture seen through the alpha or the brightness (BT.709) of another."""
    share = matte[..., 3:] if mode == "matte alpha" else (matte[..., :3] @ _LUMA)[..., None]
    return np.asarray(picture * share, np.float32)


def _plain(picture: Picture) -> Part:
    share = picture[..., 3:]
    return np.divide(picture[..., :3], share, out=np.zeros_like(picture[..., :3]), where=share > 1e-6)
