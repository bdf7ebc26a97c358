"""What a stretch of a medium is that goes into a file of its own."""

from __future__ import annotations

from pathlib import Path
from typing import Protocol

from wexodos.ground import Progress
from wexodos.ground.errors import WexodosError


class NotCut(WexodosError):
    """Why a medium goes along whole: half a sentence after its name."""


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

    def write(self, path: Path, progress: Progress) -> None:
        """Make the file, read it back and hold it against its source. Raises ``WriteError``."""
        ...
