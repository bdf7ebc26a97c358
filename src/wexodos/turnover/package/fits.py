"""What of a package would not fit on other systems: said before it is made."""

from __future__ import annotations

from collections.abc import Iterable

from wexodos.ground.names import size_words

_FAT32 = (1 << 32) - 1
"""Bytes of the largest file on a FAT32 disk (Microsoft, "FAT: General Overview of On-Disk Format", 2000: the
size of a file has 32 bits)."""
_WINDOWS = 259
"""Letters of the longest path that programs for Windows can count on (Microsoft Learn, "Maximum Path Length
Limitation": 260 with the end)."""


def doubts(files: Iterable[tuple[str, int]], there: str, zipped: bool) -> list[str]:
    """What to think of, in sentences, from the names in the package and their bytes, and where it will be."""
    found = []
    sizes = list(files)
    large = [(name, size) for name, size in sizes if size > _FAT32]
    whole = sum(size for _, size in sizes)
    if zipped and whole > _FAT32:
        large = [("the zip", whole)]
    if large:
        name, size = large[0]
        more = f" and {len(large) - 1} more" if len(large) > 1 else ""
        words = f"{name}{more} ({size_words(size)}) cannot lie on a FAT32 disk: take exFAT"
        found.append(words)
    longest = max((len(there) + 1 + len(name) for name, _ in sizes), default=0)
    if longest > _WINDOWS:
        found.append(
            f"paths there have up to {longest} letters, and programs for Windows may read no more than "
            f"{_WINDOWS}: choose a place with a shorter path"
        )
    return found
