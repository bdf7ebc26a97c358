"""An AAF file that is read: the library's objects on a container of ours.

The library's own container reads each entry of its directory and each sector as it is asked for it, through
several caches; here the directory and the short streams are in memory, as they were looked over.
"""

from __future__ import annotations

import struct
from typing import Any, BinaryIO

import aaf2.file
from aaf2.auid import AUID
from aaf2.core import AAFObject
from aaf2.properties import (
    StrongRefSetProperty,
    StrongRefVectorProperty,
    WeakRefArrayProperty,
    property_formats,
)

from wexodos.formats.aaf.container import Container
from wexodos.formats.aaf.definitions import Definitions
from wexodos.formats.errors import ReadError

_INDEXED = (StrongRefSetProperty, StrongRefVectorProperty, WeakRefArrayProperty)
_LITTLE = 0x4C


class Entry:
    """A storage or a stream, by the words the library uses for it."""

    __slots__ = ("_children", "_container", "_place")

    def __init__(self, container: Container, place: int) -> None:
        self._container, self._place = container, place
        self._children: dict[str, Entry] | None = None

    def __repr__(self) -> str:
        held, place = self._container, self._place
        return f"{held.size(place)} bytes" if held.is_stream(place) else f"storage {place}"

    @property
    def class_id(self) -> AUID:
        return AUID(bytes_le=self._container.class_of(self._place))

    @property
    def byte_size(self) -> int:
        return self._container.size(self._place)

    def get(self, name: str, default: Entry | None = None) -> Entry | None:
        """What is inside under a name."""
        if self._children is None:
            held = self._container
            found = {} if held.is_stream(self._place) else held.children(self._place)
            self._children = {one: Entry(held, place) for one, place in found.items()}
        return self._children.get(name, default)

    def open(self, _mode: str = "r") -> Entry:
        """The entry itself: what the library does with an open stream is to read all of it."""
        if not self._container.is_stream(self._place):
            raise TypeError("this is no stream")
        return self

    def read(self) -> bytes:
        """All of a stream. Raises ``ValueError`` where it is shorter than it says."""
        return self._container.read(self._place)

    def last(self) -> BinaryIO:
        """A stream as a file, with which that of the container is closed."""
        return self._container.open(self._place, last=True)


class _Storage:
    """The whole container, by the words the library uses for it."""

    def __init__(self, container: Container) -> None:
        self.root = Entry(container, 0)

    def find(self, path: str) -> Entry | None:
        found: Entry | None = self.root
        for name in filter(None, path.split("/")):
            found = found.get(name) if found is not None else None
        return found

    def open(self, path: str) -> Entry:
        found = self.find(path)
        if found is None:
            raise ValueError(f"{path} does not exist")
        return found.open()


class _Objects:
    """The objects of a file by the entries they stand in; they live as long as the file is open."""

    def __init__(self, file: StoredFile) -> None:
        self._file = file
        self._known: dict[Entry, Any] = {}

    def __setitem__(self, entry: Entry, thing: Any) -> None:
        self._known[entry] = thing

    def read_object(self, entry: Entry | None) -> Any:
        if entry is None:
            raise ValueError("an object is not there")
        thing = self._known.get(entry)
        if thing is None:
            class_id = entry.class_id
            kind = self._file.metadict.lookup_class(class_id)
            thing = kind.__new__(kind)
            thing.root, thing.dir = self._file, entry
            if kind is AAFObject:
                thing.class_id = class_id
            _fill(thing, entry)
            self._known[entry] = thing
        return thing


def _fill(thing: Any, entry: Entry) -> None:
    """Give an object its properties: a table of numbers, kinds and lengths, then the values."""
    there = entry.get("properties")
    if there is None:
        return
    data = there.open().read()
    order, version, count = struct.unpack_from("<BBH", data)
    if order != _LITTLE:
        raise ValueError("the byte order of an object is not that of the format")
    entries, place = thing.property_entries, 4 + 6 * count
    if len(data) < place:
        raise ValueError("a table of properties is cut off")
    for number, form, size in struct.iter_unpack("<HHH", memoryview(data)[4:place]):
        made = entries[number] = property_formats[form](thing, number, form, version)
        made.data = data[place : place + size]
        place += size
    for made in entries.values():
        made.decode()
        if isinstance(made, _INDEXED):
            made.read_index()


class StoredFile(aaf2.file.AAFFile):  # type: ignore[misc]
    """A file that is read where it lies, with the library's objects in it. Raises ``ReadError`` where its
    container is damaged, and whatever the library raises where the tree in it is."""

    def __init__(self, file: BinaryIO) -> None:
        # As the library's own, with another container. In a file that is only read it would hold an object as
        # long as somebody else does, which costs a table for each list; here they live as long as the file.
        self.mode, self.is_open, self.f = "rb+", True, file
        self.cfb = _Storage(Container(file))
        self.weakref_table: list[Any] = []
        self.manager = _Objects(self)
        defined, referred = (self.cfb.find(one) for one in ("/MetaDictionary-1", "/referenced properties"))
        if defined is None or referred is None:
            raise ReadError("what an AAF begins with is not in it")
        self.read_reference_properties()
        self.metadict = Definitions(self, defined)
        self.manager[self.metadict.dir] = self.metadict
        self.root = self.manager.read_object(self.cfb.root)
        self.metadict.read_properties()

    def close(self) -> None:
        self.is_open = False
        self.f.close()

    def __exit__(self, *_error: object) -> None:
        self.close()
