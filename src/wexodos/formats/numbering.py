"""How the files of a numbered sequence of pictures are named: one medium, written in several ways.

``name.%04d.dpx``, ``name.####.dpx`` (also with ``@``), ``name.[1001-1099].exr``, the folder they lie in, or
the first file alone where the kind of file is one that frames are kept in.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterable
from dataclasses import dataclass

FRAME_SUFFIXES = frozenset({".dpx", ".exr", ".cin"})
"""Kinds of files in which frames are kept: a numbered one is taken for the first of a sequence. Of other
pictures a number says nothing: cameras number photographs."""
PICTURE_SUFFIXES = FRAME_SUFFIXES | {
    ".tif",
    ".tiff",
    ".png",
    ".jpg",
    ".jpeg",
    ".tga",
    ".bmp",
    ".jp2",
    ".j2k",
    ".webp",
}
"""Kinds of files that sequences are made of."""
_FORMS = re.compile(
    r"^(?P<head>.*?)(?:%0?(?P<percent>\d*)d|(?P<marks>[#@]+)|\[(?P<low>\d+)-(?P<high>\d+)\])(?P<tail>\.[A-Za-z0-9]+)$"
)
_NUMBER = re.compile(r"^(?P<head>.*?)(?P<number>\d{1,12})(?P<tail>\.[A-Za-z0-9]+)$")


def is_picture(name: str) -> bool:
    """Whether a file holds one picture by its name, if it is none of a sequence."""
    return os.path.splitext(name)[1].lower() in PICTURE_SUFFIXES


@dataclass(frozen=True, slots=True)
class Pattern:
    """How the files of a sequence are named: what stands before and after the number, and its digits at the
    least. ``low`` and ``high`` are the numbers that were written, None where they were not."""

    head: str
    digits: int
    tail: str
    low: int | None = None
    high: int | None = None

    def name(self, number: int) -> str:
        return f"{self.head}{number:0{self.digits}d}{self.tail}"

    @property
    def words(self) -> str:
        """The pattern as it is written plainly."""
        return f"{self.head}%0{self.digits}d{self.tail}" if self.digits > 1 else f"{self.head}%d{self.tail}"


def pattern_of(name: str) -> Pattern | None:
    """What a file name says of a sequence by a sign for the number; None where it has none.

    >>> pattern_of("Kiln.%04d.dpx").name(7), pattern_of("a[0990-1020].exr").low
    ('Kiln.0007.dpx', 990)
    """
    found = _FORMS.match(name)
    if found is None or found["tail"].lower() not in PICTURE_SUFFIXES:
        return None
    if found["low"] is not None:
        low, high = int(found["low"]), int(found["high"])
        return Pattern(found["head"], len(found["low"]), found["tail"], low, high) if low <= high else None
    digits = len(found["marks"]) if found["marks"] else int(found["percent"] or 1)
    return Pattern(found["head"], max(1, min(digits, 12)), found["tail"])


def frame_of(name: str) -> tuple[Pattern, int] | None:
    """The pattern and the number of one file of a sequence; None where its name bears none."""
    found = _NUMBER.match(name)
    if found is None or found["tail"].lower() not in PICTURE_SUFFIXES:
        return None
    return Pattern(found["head"], len(found["number"]), found["tail"]), int(found["number"])


def patterns_in(names: Iterable[str]) -> dict[Pattern, int]:
    """The sequences of two files and more among names, with how many files each has. The pattern is that of
    the shortest number."""
    found: dict[tuple[str, str], dict[int, int]] = {}
    padded: dict[tuple[str, str], set[int]] = {}
    for name in names:
        one = frame_of(name)
        if one is not None:
            key = one[0].head, one[0].tail
            widths = found.setdefault(key, {})
            widths[one[0].digits] = widths.get(one[0].digits, 0) + 1
            if len(str(one[1])) < one[0].digits:
                padded.setdefault(key, set()).add(one[0].digits)
    made: dict[Pattern, int] = {}
    for (head, tail), widths in found.items():
        # Numbers that grew longer than their digits belong to the shorter ones; those with noughts of their
        # own are another sequence.
        left = dict(widths)
        for digits in sorted(widths):
            if digits not in left:
                continue
            count = left.pop(digits)
            for longer in sorted(left):
                if longer not in padded.get((head, tail), set()):
                    count += left.pop(longer)
            if count > 1:
                made[Pattern(head, digits, tail)] = count
    return made
