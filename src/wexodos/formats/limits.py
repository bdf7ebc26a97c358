"""What no cut has: files beyond it are taken for damage, as working on them would take longer and longer."""

from __future__ import annotations

from fractions import Fraction

MOST_TRACKS = 1000
"""Tracks of pictures and of sound together."""
MOST_FILTERS, MOST_MARKERS = 500, 5000
"""Filters, and markers, of one clip."""
MOST_PIECES = 20_000
"""Elements that nobody knows on one thing."""
MOST_LINKED = 500
"""Clips that are linked to each other."""
SLOWEST, FASTEST = 1, 10_000_000
"""Frames or samples a second."""


def is_rate(fps: int | Fraction) -> bool:
    """Whether something can have that many frames or samples a second."""
    return SLOWEST <= fps <= FASTEST


MOST = 1e7
"""A number that says where, how large or how much something is."""
LOUDEST = 200.0
"""Decibels."""
