"""SMPTE 258M wipe numbers and the way they go, in words."""

from __future__ import annotations

_DIRECTIONS = {
    1: ("left to right", "right to left"),
    2: ("top to bottom", "bottom to top"),
    21: ("centre to sides", "sides to centre"),
    22: ("centre to top and bottom", "top and bottom to centre"),
    41: ("from top left", "from bottom right"),
    42: ("from top right", "from bottom left"),
    101: ("centre to edges", "edges to centre"),
    119: ("centre to edges", "edges to centre"),
    201: ("clockwise", "anticlockwise"),
}
"""Numbers whose direction is one of words; the reverse of each after it."""


def wipe_direction(pattern: int | None, reverse: bool) -> str | None:
    """The direction of a wipe in words; ``forward`` or ``reverse`` for patterns without a word of their
    own."""
    if pattern is None:
        return "reverse" if reverse else None
    return _DIRECTIONS.get(pattern, ("forward", "reverse"))[reverse]
