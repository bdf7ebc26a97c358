"""Transitions: what is seen of two pictures while one goes over into the other.

``p`` runs from 0 to 1. Either picture may be missing (a fade from or to what lies below). Wipes are told by a
field over the frame: the incoming picture is seen where the field is below ``p``.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wexodos.model import Transition
from wexodos.picture.decode import Picture

Field = NDArray[np.float32]
PATTERNS = (1, 2, 3, 4, 5, 6, 21, 22, 41, 42, 101, 119, 201)
"""The wipes that are drawn as what they are, by their SMPTE numbers."""
_BACKWARDS = {
    "reverse",
    "right to left",
    "bottom to top",
    "anticlockwise",
    "sides to centre",
    "edges to centre",
    "top and bottom to centre",
    "from bottom right",
    "from bottom left",
}


def undrawn(join: Transition) -> str:
    """What of a transition is not drawn as it is, in words; empty where all of it is."""
    if join.type in ("wipe", "iris"):
        return f"wipe {join.pattern}" if join.pattern is not None and join.pattern not in PATTERNS else ""
    return join.name or "transition" if join.type == "other" else ""


def joined(
    outgoing: Picture | None, incoming: Picture | None, join: Transition, p: float, width: int, height: int
) -> Picture:
    """The picture of a transition at ``p``. Kinds that nobody knows are drawn as dissolves."""
    empty = np.zeros((height, width, 4), np.float32)
    a, b = (empty if one is None else one for one in (outgoing, incoming))
    if join.type == "dip":
        return _dip(a, b, join.color or "#000000ff", p, outgoing is None, incoming is None)
    if join.type == "additive":
        return np.minimum(
            a * np.float32(min(1.0, 2 - 2 * p)) + b * np.float32(min(1.0, 2 * p)), np.float32(1)
        )
    if join.type in ("wipe", "iris"):
        pattern = join.pattern or (119 if join.type == "iris" else 1)
        field = wipe_field(pattern, width, height)
        if (join.direction or "") in _BACKWARDS:
            field = 1 - field
        share = _edge(field, p, (join.softness or 0.0) / 100.0, width)[..., None]
        made = np.asarray(a * (1 - share) + b * share, np.float32)
        return _bordered(made, field, p, join, width) if join.border and 0 < p < 1 else made
    if join.type in ("push", "slide"):
        return _moved(a, b, join, p)
    return np.asarray(a * np.float32(1 - p) + b * np.float32(p), np.float32)


def _dip(a: Picture, b: Picture, color: str, p: float, from_below: bool, to_below: bool) -> Picture:
    flat = _flat(color)
    first, share = (p < 0.5), np.float32(1 - abs(1 - 2 * p))
    side, gone = (a, from_below) if first else (b, to_below)
    return np.asarray(
        (flat * share if gone else side * (1 - share) + flat * share) + np.zeros_like(a), np.float32
    )


def _moved(a: Picture, b: Picture, join: Transition, p: float) -> Picture:
    """A push moves both pictures, a slide only the incoming one over the other. From the right where nothing
    is said."""
    height, width = a.shape[:2]
    words = join.direction or ""
    upright = "top" in words or "bottom" in words or words in ("up", "down")
    forwards = words in ("left to right", "top to bottom", "right", "down", "forward")
    extent = height if upright else width
    by = round((1 - p) * extent) * (-1 if forwards else 1)
    stays = a if join.type == "slide" else _shifted(a, by - extent * (-1 if forwards else 1), upright)
    comes = _shifted(b, by, upright)
    return np.asarray(comes + stays * (1 - comes[..., 3:]), np.float32)


def _shifted(picture: Picture, by: int, upright: bool) -> Picture:
    made = np.zeros_like(picture)
    along = picture.shape[0 if upright else 1]
    if abs(by) >= along:
        return made
    to = slice(max(0, by), along + min(0, by))
    of = slice(max(0, -by), along - max(0, by))
    if upright:
        made[to] = picture[of]
    else:
        made[:, to] = picture[:, of]
    return made


def _edge(field: Field, p: float, softness: float, width: int) -> Field:
    """How much of the incoming picture is seen. The edge is at least a pixel wide, so that it does not
    jump."""
    wide = max(softness, 1.0 / max(1, width))
    return np.asarray(np.clip((p * (1 + wide) - field) / np.float32(wide), 0, 1), np.float32)


def _bordered(picture: Picture, field: Field, p: float, join: Transition, width: int) -> Picture:
    """A wipe with its border, as wide as so many percent of the way it goes, about its edge."""
    reach = (join.border or 0.0) / 200.0
    band = np.clip((reach - np.abs(field - np.float32(p))) * np.float32(width) + np.float32(0.5), 0, 1)[
        ..., None
    ]
    return np.asarray(picture * (1 - band) + _flat(join.border_color or "#ffffffff") * band, np.float32)


def _flat(color: str) -> NDArray[np.float32]:
    return np.array([*(int(color[at : at + 2], 16) / 255 for at in (1, 3, 5)), 1.0], np.float32)


def wipe_field(pattern: int, width: int, height: int) -> Field:
    """When a pixel changes over, 0 to 1, by the number of the pattern after SMPTE 258: 1 from the left, 2
    from the top, 3 to 6 from a corner as a box, 21 and 22 from the centre line, 41 and 42 from a corner
    diagonally, 101 a box and 119 a round from the centre, 201 a clock hand. Others count as 1."""
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    x, y = (x + np.float32(0.5)) / np.float32(width), (y + np.float32(0.5)) / np.float32(height)
    dx, dy = x - np.float32(0.5), y - np.float32(0.5)
    if pattern == 2:
        field = y
    elif pattern in (3, 4, 5, 6):
        across = x if pattern in (3, 6) else 1 - x
        down = y if pattern in (3, 4) else 1 - y
        field = np.maximum(across, down)
    elif pattern == 21:
        field = np.abs(dx) * 2
    elif pattern == 22:
        field = np.abs(dy) * 2
    elif pattern == 41:
        field = (x + y) / 2
    elif pattern == 42:
        field = (1 - x + y) / 2
    elif pattern == 101:
        field = np.maximum(np.abs(dx), np.abs(dy)) * 2
    elif pattern == 119:
        shape = np.float32(width / height)
        field = np.hypot(dx * shape, dy) / np.float32(np.hypot(shape / 2, 0.5))
    elif pattern == 201:
        field = (np.arctan2(dx, -dy) / np.float32(2 * np.pi)) % 1
    else:
        field = x
    return np.asarray(field, np.float32)
