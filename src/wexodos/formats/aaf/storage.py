"""A new AAF file while it is built: the library's container for writing, kept in memory and laid out once.

It stands in for the library's own, which writes each entry and each sector as it comes; of that it has what
building a file asks for.
"""

from __future__ import annotations

import io
import struct
from collections.abc import Iterator
from typing import Any, BinaryIO

import aaf2.file
from aaf2.auid import AUID

from wexodos.formats.aaf import sectors

_HEADER_CLASS = AUID("0d010201-0200-0000-060e-2b3403020101")
_ROOT_CLASS = AUID("b3b398a5-1c90-11d4-8053-080036210804")
_KINDS = {"storage": 1, "stream": 2, "root storage": 5}
_RED, _BLACK = 0, 1


class Stream(io.BytesIO):
    """What stands in an entry, with the entry it stands in."""

    dir: Entry


class Entry:
    """A storage or a stream, by the words the library uses for it."""

    __slots__ = ("_path", "children", "class_id", "held", "name", "parent", "storage", "type")

    def __init__(self, storage: Storage, name: str, kind: str, parent: Entry | None) -> None:
        if len(name.encode("utf-16-le")) > 62:
            raise ValueError(f"{name}: the name of an entry has 31 letters at the most")
        self.storage, self.name, self.type, self.parent = storage, name, kind, parent
        self.class_id: AUID | None = None
        self.children: dict[str, Entry] = {}
        self.held: Stream | None = None
        self._path: str = "" if parent is None else f"{parent._path}/{name}"

    def path(self) -> str:
        return self._path or "/"

    def get(self, name: str, default: Any = None) -> Any:
        return self.children.get(name, default)

    def touch(self, name: str) -> Entry:
        return self.children.get(name) or self._new(name, "stream")

    def makedir(self, name: str) -> Entry:
        return self._new(name, "storage")

    def _new(self, name: str, kind: str) -> Entry:
        if name in self.children:
            raise ValueError(f"{self._path}/{name} already exists")
        made = self.children[name] = Entry(self.storage, name, kind, self)
        return made

    def open(self, mode: str = "r") -> Stream:
        if self.held is None or mode == "w":
            self.held = Stream()
            self.held.dir = self
        self.held.seek(0)
        return self.held


class Storage:
    """The whole container."""

    sector_size = sectors.SECTOR

    def __init__(self) -> None:
        self.root = Entry(self, "Root Entry", "root storage", None)
        self.root.class_id = _ROOT_CLASS

    def find(self, path: str) -> Entry | None:
        found: Entry | None = self.root
        for name in path.strip("/").split("/") if path != "/" else ():
            found = found.children.get(name) if found is not None else None
        return found

    def exists(self, path: str) -> bool:
        return self.find(path) is not None

    def open(self, path: str, mode: str = "r") -> Stream:
        above, _, name = path.rpartition("/")
        parent = self.find(above or "/")
        if parent is None:
            raise ValueError(f"{above} does not exist")
        return parent.touch(name).open(mode)

    def write(self, target: BinaryIO) -> None:
        """Lay everything out and write it."""
        entries = list(self._entries())
        places = {id(one): place for place, one in enumerate(entries)}
        links = {place: [sectors.FREE] * 3 for place in range(len(entries))}
        red: set[int] = set()
        for place, one in enumerate(entries):
            row = [places[id(child)] for child in sorted(one.children.values(), key=_order)]
            links[place][2] = _balanced(row, links, red)
        directory = b"".join(
            _record(one, _RED if place in red else _BLACK, links[place]) for place, one in enumerate(entries)
        )
        contents = {
            place: sectors.plain(one.held.getvalue() if one.held is not None else b"")
            for place, one in enumerate(entries)
            if one.type == "stream"
        }
        sectors.write(target, _HEADER_CLASS.bytes_le, directory, contents)

    def _entries(self) -> Iterator[Entry]:
        stack = [self.root]
        while stack:
            one = stack.pop()
            yield one
            stack.extend(reversed(one.children.values()))


def _order(entry: Entry) -> tuple[int, str]:
    """Shorter names first, then by their capitals ([MS-CFB] 2.6.4)."""
    return len(entry.name.encode("utf-16-le")), entry.name.upper()


def _balanced(row: list[int], links: dict[int, list[int]], red: set[int]) -> int:
    """Make a tree of sorted entries and return its root: all levels are full but the lowest, which is red."""
    if not row:
        return sectors.FREE
    lowest = len(row).bit_length() - 1

    def build(low: int, high: int, level: int) -> int:
        if low >= high:
            return sectors.FREE
        # As many at the left as a tree that fills from the left would have.
        middle = low + _left(high - low)
        place = row[middle]
        if level == lowest and level:
            red.add(place)
        links[place][0] = build(low, middle, level + 1)
        links[place][1] = build(middle + 1, high, level + 1)
        return place

    return build(0, len(row), 0)


def _left(count: int) -> int:
    """How many of ``count`` stand left of the root of a tree that is full but for its lowest level."""
    height = count.bit_length() - 1
    full = (1 << height) - 1
    lowest = count - full
    return full // 2 + min(lowest, (1 << height) // 2)


def _record(entry: Entry, color: int, links: list[int]) -> bytes:
    name = entry.name.encode("utf-16-le")
    class_id = entry.class_id.bytes_le if entry.class_id is not None else bytes(16)
    return struct.pack(
        "<64sHBB3I16s4x16xIQ",
        name,
        len(name) + 2,
        _KINDS[entry.type],
        color,
        *links,
        class_id,
        sectors.END if entry.type == "stream" else 0,
        0,
    )


class NewFile(aaf2.file.AAFFile):  # type: ignore[misc]
    """A file that is built in memory; ``written`` are its bytes."""

    def __init__(self) -> None:
        # As the library's own, with another container.
        self.mode, self.is_open = "wb+", True
        self.cfb = Storage()
        self.weakref_table: list[Any] = []
        self.manager = aaf2.file.AAFObjectManager(self)
        self.create = aaf2.file.AAFFactory(self)
        self.setup_empty()
        self.metadict.register_extensions()

    def written(self) -> bytes:
        self.write_reference_properties()
        for one in self.manager.modified.values():
            # That every object has what it must have is held by the tests, for every file they write.
            one.write_properties(validate=False)
        made = io.BytesIO()
        self.cfb.write(made)
        return made.getvalue()
