"""What a stretch of a medium is that goes into a file of its own."""

from __future__ import annotations

from pathlib import Path
from typing import Protocol

from wexodos.ground import Progress
from wexodos.ground.errors import WexodosError


class NotCut(WexodosError):
    """Why a medium goes along whole: half a sentence after its name."""


class Coded(NotCut):
    """The same, where it would be otherwise if it were coded anew."""


class Cut(Protocol):
    """A stretch of ``source``: ``count`` frames of its picture, or samples where it has none, from ``first``
    on; about ``size`` bytes."""

    @property
    def source(self) -> Path: ...

    @property
    def first(self) -> int: ...

    @property
    def count(self) -> int: ...

    @property
    def size(self) -> int: ...

    @property
    def suffix(self) -> str:
        """The suffix of the file it makes."""
        ...

    @property
    def anew(self) -> str:
        """What it is coded as where that is done anew; empty where it is as it was."""
        ...

    def head(self, frames: int) -> Cut:
        """The same of its first frames only, or of its first samples where it has none. Raises ``NotCut``."""
        ...

    def write(self, path: Path, progress: Progress) -> None:
        """Make the file, read it back and hold it against its source. Raises ``WriteError``."""
        ...
