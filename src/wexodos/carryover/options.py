"""What a person may want of a whole carry-over, whatever the destination."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Options:
    """Choices for the whole hand-over.

    ``sizing``: take position, scale, rotation, crop and corners along; some want to redo them on the other side.
    ``organised``: send folders, and media that is not used in the cut.
    ``tolerance``: how far a followed curve may lie from the one it follows, as a multiple of what cannot be seen or heard
    (half a pixel, a tenth of a decibel): larger means fewer keys.
    ``markers``: put every finding as a marker into the written sequence, for the other side to step through.
    """

    sizing: bool = True
    organised: bool = False
    tolerance: float = 1.0
    markers: bool = False
