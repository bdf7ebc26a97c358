"""Writing the container: media first, each in one piece, then small values, the table of contents and the
label."""

from __future__ import annotations

import struct
from dataclasses import dataclass, field
from typing import BinaryIO

from wexodos.formats.errors import WriteError
from wexodos.formats.omf import constants as c

BUFFER = 1024
ALIGNED = 16


@dataclass(slots=True)
class Written:
    """A value to be written: its bytes, or where they stand already; ``targets`` are the objects it refers
    to."""

    owner: int
    name: int
    kind: int
    data: bytes = b""
    place: tuple[int, int] | None = None
    targets: tuple[int, ...] = ()


@dataclass(slots=True)
class Target:
    """A container that is being written, little-endian."""

    file: BinaryIO
    version: int
    values: list[Written] = field(default_factory=list)
    names: dict[str, int] = field(default_factory=dict)
    next: int = c.FIRST_ID

    def new(self) -> int:
        self.next += 1
        return self.next - 1

    def name(self, text: str, is_type: bool = False) -> int:
        """The object that stands for a property or a type; made at its first use."""
        key = ("t:" if is_type else "p:") + text
        if key not in self.names:
            self.names[key] = self.new()
            reserved = c.TYPE_NAME if is_type else c.PROPERTY_NAME
            self.values.append(Written(self.names[key], reserved, c.ASCII_TYPE, text.encode("ascii") + b"\0"))
        return self.names[key]

    def put(self, owner: int, name: str, kind: str, data: bytes, targets: tuple[int, ...] = ()) -> None:
        self.values.append(Written(owner, self.name(name), self.name(kind, True), data, None, targets))

    def stream(self, owner: int, name: str, kind: str) -> None:
        """A place for a large value that comes later, and that stands before all others."""
        self.values.append(Written(owner, self.name(name), self.name(kind, True), b"", (0, 0)))

    def finish(self) -> None:
        """Write all that is left. Raises ``WriteError`` where the file would pass 2 GiB."""
        lists = self._reference_lists() if self.version == 2 else {}
        self.values.append(Written(c.TABLE_OBJECT, c.SEED, c.ASCII_TYPE, struct.pack("<I", self.next)))
        self.values.append(Written(c.TABLE_OBJECT, c.LOWEST, c.ASCII_TYPE, struct.pack("<I", c.FIRST_ID)))
        self.values.sort(key=lambda one: (one.owner, one.name, one.kind))
        self.file.write(bytes(-self.file.tell() % 4))
        for value in self.values:
            if value.place is None and len(value.data) != 4:
                value.place = (self.file.tell(), len(value.data))
                self.file.write(value.data)
        offset = self.file.tell()
        table = self._second(lists) if self.version == 2 else self._first()
        self.file.write(table)
        self.file.write(
            c.MAGIC + struct.pack("<HHHHII", c.LITTLE, BUFFER // 1024, self.version, 0, offset, len(table))
        )
        if self.file.tell() > c.MOST_BYTES:
            raise WriteError("an OMF cannot be larger than 2 GiB")

    def _reference_lists(self) -> dict[int, int]:
        """One object for every value with references, which pairs each key with its target; the keys are the
        targets' ids."""
        lists: dict[int, int] = {}
        for value in [one for one in self.values if one.targets]:
            lists[id(value)] = key = self.new()
            pairs = b"".join(struct.pack("<II", target, target) for target in dict.fromkeys(value.targets))
            self.values.append(Written(key, c.REFERENCES_PROPERTY, c.REFERENCES_TYPE, pairs))
        return lists

    def _first(self) -> bytes:
        made = bytearray()
        for value in self.values:
            head = struct.pack("<III", value.owner, value.name, value.kind)
            if value.place is None:
                made += (
                    head
                    + value.data.ljust(4, b"\0")
                    + struct.pack("<IHH", len(value.data), 1, c.IMMEDIATE_FLAG)
                )
            else:
                made += head + struct.pack("<IIHH", *value.place, 1, 0)
        return bytes(made)

    def _second(self, lists: dict[int, int]) -> bytes:
        made = bytearray()
        owner = name = -1
        for value in self.values:
            body = (
                struct.pack("<BI", c.IMMEDIATE_4, 0)[:1] + value.data
                if value.place is None
                else struct.pack("<BII", c.VALUE, *value.place)
            )
            if id(value) in lists:
                body += struct.pack("<BI", c.REFERENCES, lists[id(value)])
            whole = struct.pack("<BIII", c.NEW_OBJECT, value.owner, value.name, value.kind) + body
            short = (
                struct.pack("<BII", c.NEW_PROPERTY, value.name, value.kind) + body
                if value.owner == owner and value.name != name
                else whole
            )
            # An entry never crosses a buffer, and each buffer begins with a whole one.
            left = BUFFER - len(made) % BUFFER
            if len(short) + 1 > left:
                made += bytes([c.END_OF_BUFFER]) + bytes([c.NOTHING]) * (left - 1)
                short = whole
            made += short
            owner, name = value.owner, value.name
        return bytes(made)
