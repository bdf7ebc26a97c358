"""Files that go into a package as they are, and what a file of one is made of."""

from __future__ import annotations

import io
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from wexodos.formats import WriteError
from wexodos.ground import Progress
from wexodos.ground.files import reason
from wexodos.turnover.package.sums import copied, sum_of
from wexodos.turnover.write import Part, PartKind


@dataclass(frozen=True, slots=True)
class Copy:
    """A file that goes into a package as it is, with its size and the time of its last change (ns) as they
    were when the package was planned."""

    source: Path
    name: str
    size: int
    changed: int

    @property
    def bytes(self) -> int:
        return self.size

    @property
    def kind(self) -> PartKind:
        return PartKind.MEDIA


def copy_of(source: Path, name: str) -> Copy:
    """A file as it stands now. Raises ``WriteError`` where it is not there any more."""
    try:
        told = source.stat()
        return Copy(source, name, told.st_size, told.st_mtime_ns)
    except OSError as error:
        raise WriteError(f"{source}: cannot be copied: {reason(error)}") from None


def key_of(one: Part | Copy, plan: str) -> str:
    """Of what a file of a package is made: the same is there where that is the same; empty for what is
    always made."""
    if isinstance(one, Copy):
        return f"copy of {one.source}: {one.size} {one.changed}"
    return one.key or (f"{plan} {one.name}" if plan and one.make is not None else "")


def streamed(one: Part | Copy, file: IO[bytes], progress: Progress) -> str:
    """Write a part of known bytes or a copy into a stream; its sum."""
    if isinstance(one, Copy):
        return copied(one.source, (one.size, one.changed), file, progress)
    file.write(one.data)
    return sum_of(io.BytesIO(one.data))
