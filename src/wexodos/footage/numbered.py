"""Numbered sequences of pictures as they lie in folders."""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from wexodos.formats.numbering import (
    FRAME_SUFFIXES,
    PICTURE_SUFFIXES,
    Pattern,
    frame_of,
    pattern_of,
    patterns_in,
)

MOST = 2_000_000
"""Frames; a written range may claim any number."""


@dataclass(frozen=True, slots=True)
class Numbered:
    """A sequence that lies in a folder. ``first`` is the number of its frame 0, ``numbers`` are those that
    are there, in order."""

    folder: Path
    pattern: Pattern
    first: int
    last: int
    numbers: tuple[int, ...]

    @property
    def count(self) -> int:
        """Its length in frames, with those that are missing."""
        return self.last - self.first + 1

    @property
    def gaps(self) -> tuple[tuple[int, int], ...]:
        """The stretches of numbers that are missing, first and last."""
        found, wanted = [], self.first
        for number in (*self.numbers, self.last + 1):
            if number > wanted:
                found.append((wanted, number - 1))
            wanted = number + 1
        return tuple(found)

    def file(self, frame: int) -> Path:
        """The file of a frame, counted from 0; the first or the last beyond the ends."""
        number = min(max(self.first + frame, self.first), self.last)
        return self.folder / self.pattern.name(number)

    def files(self) -> list[Path]:
        return [self.folder / self.pattern.name(number) for number in self.numbers]


def gap_words(gaps: Iterable[tuple[int, int]]) -> str:
    """Stretches of numbers in words.

    >>> gap_words([(1004, 1004), (1010, 1015)])
    '1004, 1010 to 1015'
    """
    return ", ".join(str(low) if low == high else f"{low} to {high}" for low, high in gaps)


def numbered(path: Path) -> Numbered | None:
    """The sequence that a path names, with the files that lie there now; None where it names none, or none of
    its files is there."""
    written = pattern_of(path.name)
    if written is not None:
        return _lying(path.parent, written)
    if path.suffix.lower() in FRAME_SUFFIXES:
        one = frame_of(path.name)
        if one is None:
            return None
        found = _lying(path.parent, one[0])
        if found is None or len(found.numbers) < 2 or one[1] not in found.numbers:
            return None
        return Numbered(
            found.folder, one[0], one[1], found.last, tuple(n for n in found.numbers if n >= one[1])
        )
    if path.suffix.lower() not in PICTURE_SUFFIXES and path.is_dir():
        patterns = patterns_in(_names(path))
        return _lying(path, next(iter(patterns))) if len(patterns) == 1 else None
    return None


def _names(folder: Path) -> tuple[str, ...]:
    try:
        return _listed(str(folder), os.stat(folder).st_mtime_ns)
    except OSError:
        return ()


@lru_cache(maxsize=64)
def _listed(folder: str, _changed: int) -> tuple[str, ...]:
    """The names in a folder; read again when it changed."""
    return tuple(os.listdir(folder))


def _lying(folder: Path, pattern: Pattern) -> Numbered | None:
    numbers = []
    for name in _names(folder):
        if name.startswith(pattern.head) and name.endswith(pattern.tail):
            digits = name[len(pattern.head) : len(name) - len(pattern.tail)]
            if digits.isascii() and digits.isdigit() and f"{int(digits):0{pattern.digits}d}" == digits:
                numbers.append(int(digits))
    low = pattern.low if pattern.low is not None else min(numbers, default=0)
    high = pattern.high if pattern.high is not None else max(numbers, default=0)
    numbers = sorted(number for number in numbers if low <= number <= high)
    if not numbers or high - low >= MOST:
        return None
    return Numbered(folder, pattern, low, high, tuple(numbers))
