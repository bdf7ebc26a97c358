"""A stretch of a numbered sequence: some of its files, as they are."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from wexodos.footage.numbered import Numbered
from wexodos.formats.numbering import pattern_of
from wexodos.turnover.trim.cut import NotCut


@dataclass(frozen=True, slots=True)
class FilesCut:
    """A stretch of a numbered sequence: ``files`` of it, as they are; ``name`` is how it is written then,
    ``pattern`` what their names have in common."""

    source: Path
    first: int
    count: int
    files: tuple[Path, ...]
    name: str
    pattern: str

    @property
    def size(self) -> int:
        return sum(one.stat().st_size for one in self.files)


def files_cut(path: Path, frames: Numbered, low: int, high: int) -> FilesCut:
    """Frames ``low`` to ``high`` (exclusive) of a sequence. Raises ``NotCut``."""
    there = set(frames.numbers)
    # Its first number says where it begins, so that has to be there.
    first = next((n for n in range(frames.first + low, frames.first - 1, -1) if n in there), None)
    if first is None:
        raise NotCut("its first frames are missing")
    last = min(frames.first + high - 1, frames.last)
    kept = [number for number in frames.numbers if first <= number <= last]
    name = path.name
    written = pattern_of(name)
    if written is None:
        name = frames.pattern.name(kept[0])
    elif written.low is not None:
        digits = written.digits
        name = f"{written.head}[{kept[0]:0{digits}d}-{kept[-1]:0{digits}d}]{written.tail}"
    files = tuple(frames.folder / frames.pattern.name(number) for number in kept)
    return FilesCut(path, first - frames.first, kept[-1] - first + 1, files, name, frames.pattern.words)
