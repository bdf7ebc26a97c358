"""How far a piece of writing is."""

from __future__ import annotations

from enum import Enum


class Stage(Enum):
    """How far the writing is."""

    NOTHING = "nothing is written yet"
    WRITING = "it is being written"
    WRITTEN = "written, read back and found equal"
    STOPPED = "stopped by a person"
    FAILED = "it could not be written"
