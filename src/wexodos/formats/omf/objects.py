"""Objects of an OMF file: properties read by the name of their type, else by their size."""

from __future__ import annotations

import struct
from collections.abc import Iterator

from wexodos.formats.errors import ReadError
from wexodos.formats.omf import constants as c
from wexodos.formats.omf.container import Container, Value
from wexodos.timing import Exact, exact


class Objects:
    """All objects of a container by id. ``revision`` is 1 or 2.

    ``damaged`` lists what stands there and cannot be read: class and property, with the places; ``place`` is
    where the reader is.
    """

    def __init__(self, container: Container) -> None:
        self.container = container
        self._ids = {name: key for key, name in container.names.items()}
        self.taken: dict[int, set[int]] = {}
        self.damaged: dict[tuple[str, str], list[str]] = {}
        self.place = ""
        heads = container.find("OMFI:HEAD:ByteOrder", "OMFI:ByteOrder")
        if not heads:
            raise ReadError("the OMF has no head object")
        self.head = Object(self, heads[0])
        self.revision = 2 if "OMFI:HEAD:ByteOrder" in self.head else 1
        order = self.head.raw("OMFI:HEAD:ByteOrder") or self.head.raw("OMFI:ByteOrder")
        self.order = ">" if order[:2] == b"MM" else "<"

    def id_of(self, name: str) -> int:
        return self._ids.get(name, 0)

    def left(self) -> Iterator[tuple[str, str, bytes]]:
        """What stands in the objects that were asked for anything, and that nobody asked for: class, name of
        the property, its first bytes. Objects nobody came to hang on a property that is left."""
        for key, asked in self.taken.items():
            rest = set(self.container.values.get(key, {})) - asked
            kind = Object(self, key).kind if rest and key >= c.FIRST_ID else ""
            if not kind or kind in c.PASSED_CLASSES:
                continue
            for number in sorted(rest):
                name = self.container.names.get(number, f"property {number}")
                if name.rpartition(":")[2] not in c.HOUSEKEEPING:
                    yield kind, name, self.container.bytes_of(self.container.values[key][number], 200)

    def get(self, key: int) -> Object | None:
        return Object(self, key) if key in self.container.values else None

    def all(self) -> Iterator[Object]:
        for key in self.container.values:
            if key >= c.FIRST_ID:
                yield Object(self, key)


class Object:
    """One object. Every access gives a rest value where a property is missing; where it stands there and
    cannot be read, that is written down too."""

    __slots__ = ("_all", "id")

    def __init__(self, objects: Objects, key: int) -> None:
        self._all, self.id = objects, key

    def __contains__(self, name: str) -> bool:
        return self._value(name) is not None

    def _value(self, name: str) -> Value | None:
        number = self._all.id_of(name)
        self._all.taken.setdefault(self.id, set()).add(number)
        return self._all.container.values.get(self.id, {}).get(number)

    def value(self, *names: str) -> Value | None:
        """The value itself, for those too large to be held."""
        return next((found for name in names if (found := self._value(name)) is not None), None)

    def raw(self, *names: str, most: int = 1 << 22) -> bytes:
        for name in names:
            value = self._value(name)
            if value is not None:
                return self._all.container.bytes_of(value, most)
        return b""

    @property
    def kind(self) -> str:
        """The class id: four characters, blanks cut off."""
        return self.raw("OMFI:OOBJ:ObjClass", "OMFI:ObjID")[:4].decode("ascii", "replace").strip("\0 ")

    def _unread(self, names: tuple[str, ...]) -> None:
        name = next((one for one in names if one in self), names[0])
        self._all.damaged.setdefault((self.kind, name), []).append(self._all.place)

    def integer(self, *names: str, rest: int = 0) -> int:
        raw = self.raw(*names, most=16)
        if not raw:
            if any(name in self for name in names):
                self._unread(names)
            return rest
        size = next((one for one in (8, 4, 2, 1) if len(raw) >= one), 1)
        return int.from_bytes(raw[:size], "big" if self._all.order == ">" else "little", signed=True)

    def unsigned(self, name: str, rest: int = 0) -> int:
        raw = self.raw(name, most=8)
        return int.from_bytes(raw, "big" if self._all.order == ">" else "little") if raw else rest

    def rational(self, *names: str) -> Exact | None:
        raw = self.raw(*names, most=8)
        if len(raw) < 8:
            if any(name in self for name in names):
                self._unread(names)
            return None
        numerator, denominator = struct.unpack(self._all.order + "ii", raw[:8])
        if not denominator and numerator:
            self._unread(names)
        return exact(numerator, denominator) if denominator else (0 if not numerator else None)

    def text(self, *names: str) -> str:
        raw = self.raw(*names, most=4096).split(b"\0", 1)[0]
        for encoding in ("utf-8", "mac_roman" if self._all.order == ">" else "cp1252"):
            try:
                found = raw.decode(encoding)
            except UnicodeDecodeError:
                continue
            return "".join(one for one in found if one.isprintable())
        return raw.decode("latin-1")

    def uid(self, *names: str) -> str:
        """A mob's id as 24 hexadecimal digits whatever the byte order; empty for none."""
        raw = self.raw(*names, most=12)
        if len(raw) < 12 or not any(raw):
            return ""
        return "".join(f"{part:08x}" for part in struct.unpack(self._all.order + "III", raw[:12]))

    def reference(self, *names: str) -> Object | None:
        value = self.value(*names)
        if value is None:
            return None
        key = self._all.container.bytes_of(value, 4)
        found = self._target(value, key)
        if found is None and any(key):
            self._unread(names)
        return found

    def references(self, *names: str) -> list[Object]:
        """The objects of an array: a count of two bytes (or four), then as many references. What leads
        nowhere is left out, and written down."""
        value = self.value(*names)
        if value is None:
            return []
        raw = self._all.container.bytes_of(value, 4 * 70_000)
        short, long = struct.Struct(self._all.order + "H"), struct.Struct(self._all.order + "I")
        start = 2
        if (
            len(raw) >= 2
            and 2 + 4 * short.unpack_from(raw)[0] != len(raw)
            and len(raw) >= 4
            and 4 + 4 * long.unpack_from(raw)[0] == len(raw)
        ):
            start = 4
        keys = [raw[place : place + 4] for place in range(start, len(raw) - 3, 4)]
        found = [one for key in keys if (one := self._target(value, key)) is not None]
        counted = short.unpack_from(raw)[0] if start == 2 and len(raw) >= 2 else len(keys)
        if len(found) < sum(map(any, keys)) or len(keys) < counted or len(raw) < 2:
            self._unread(names)
        return found

    def _target(self, value: Value, key: bytes) -> Object | None:
        if len(key) < 4 or not any(key):
            return None
        everything = self._all.container
        listed = everything.values.get(value.references, {}) if value.references else {}
        for pairs in listed.values():
            raw = everything.bytes_of(pairs, 1 << 20)
            for place in range(0, len(raw) - 7, 8):
                if raw[place : place + 4] == key:
                    target = struct.unpack(everything.order + "I", raw[place + 4 : place + 8])[0]
                    if target in everything.values:
                        return Object(self._all, target)
        for order in (self._all.order, everything.order, "<", ">"):
            target = struct.unpack(order + "I", key)[0]
            if target in everything.values and target >= c.FIRST_ID:
                return Object(self._all, target)
        return None
