"""The first book, by construction: what a reader asks for is taken; what is left at the end is listed and
kept.

A reader reaches everything in a file through one access that writes down what it was asked for. So what it
does not know cannot be passed over: it is what nobody asked for.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from wexodos.model import Note, Raw

MOST = 200
"""Pieces listed of one file at the most; the rest is counted."""
MOST_TEXT = 2000


@dataclass(frozen=True, slots=True)
class Left:
    """A piece that no reader took: where it stands, what it is called, what it says."""

    where: str
    name: str
    text: str


class Taking(dict[str, Any]):
    """A mapping that knows which of its keys were asked for."""

    __slots__ = ("taken",)

    def __init__(self, *given: object, **more: object) -> None:
        super().__init__(*given, **more)
        self.taken: set[str] = set()

    def get(self, key: str, rest: Any = None) -> Any:
        self.taken.add(key)
        return super().get(key, rest)

    def __getitem__(self, key: str) -> Any:
        self.taken.add(key)
        return super().__getitem__(key)

    def __contains__(self, key: object) -> bool:
        self.taken.add(str(key))
        return super().__contains__(key)

    def _all(self) -> None:
        self.taken |= set(super().keys())

    def __iter__(self) -> Iterator[str]:
        self._all()
        return super().__iter__()

    def keys(self) -> Any:
        """All keys: who goes through all takes all."""
        self._all()
        return super().keys()

    def items(self) -> Any:
        """All pairs: who goes through all takes all."""
        self._all()
        return super().items()

    def left(self) -> Iterator[tuple[str, object]]:
        """What nobody asked for."""
        for key, value in super().items():
            if key not in self.taken:
                yield key, value


def unreadable(owner: str, name: str, places: int) -> str:
    """What is said of a property that stands there and cannot be read."""
    times = f" in {places} places" if places > 1 else ""
    return f"{owner} {name} cannot be read{times}; the file is damaged there"


def listed(left: list[Left], dialect: str) -> tuple[tuple[Note, ...], tuple[Raw, ...]]:
    """Notes on what is left, one for each kind of piece with its first place, and the pieces themselves."""
    first: dict[str, Left] = {}
    counts: dict[str, int] = {}
    for one in left:
        first.setdefault(one.name, one)
        counts[one.name] = counts.get(one.name, 0) + 1
    notes = [
        Note(
            "info",
            "unread-element",
            one.where,
            f"{name} is kept but not understood"
            + (f"; it stands {counts[name]} times" if counts[name] > 1 else ""),
        )
        for name, one in first.items()
    ]
    raws = tuple(Raw(dialect, one.name, one.text[:MOST_TEXT], one.where) for one in left[:MOST])
    return tuple(notes), raws
