"""The container of an OMF file: values of (object, property, type), found from its end."""

from __future__ import annotations

import mmap
import struct
from collections import Counter, defaultdict
from dataclasses import dataclass, field
from typing import TypeAlias

from wexodos.formats.errors import ReadError
from wexodos.formats.omf import constants as c

Data: TypeAlias = "bytes | mmap.mmap"
SEARCH = 1 << 20
MOST_VALUES = 8_000_000


@dataclass(slots=True)
class Value:
    """A value: its segments in the file as (offset, length), or its bytes where they stand in the table; and
    its reference list."""

    type: int
    segments: list[tuple[int, int]] = field(default_factory=list)
    inline: bytes = b""
    references: int = 0

    @property
    def size(self) -> int:
        return sum(length for _, length in self.segments) + len(self.inline)


@dataclass(slots=True)
class Container:
    """All values by object and property, the names of properties and types, and the byte order of the
    table."""

    data: Data
    size: int
    order: str
    values: dict[int, dict[int, Value]]
    names: dict[int, str]
    version: int

    def bytes_of(self, value: Value, most: int = 1 << 22) -> bytes:
        """The bytes of a value, no more than ``most``."""
        made, left = [value.inline], most - len(value.inline)
        for offset, length in value.segments:
            take = min(length, left)
            if take <= 0:
                break
            made.append(self.data[offset : offset + take])
            left -= take
        return b"".join(made)

    def find(self, *names: str) -> list[int]:
        """The objects that have a property of one of these names."""
        ids = {key for key, name in self.names.items() if name in names}
        return [key for key, properties in self.values.items() if ids & properties.keys()]


def label_at(data: Data, size: int) -> int:
    """Where the label begins; transfers append bytes, so it is looked for over the last megabyte. -1 where
    there is none."""
    if size >= c.LABEL_SIZE and data[size - c.LABEL_SIZE : size - 16] == c.MAGIC:
        return size - c.LABEL_SIZE
    tail = bytes(data[max(0, size - SEARCH) : size])
    place = tail.rfind(c.MAGIC)
    return -1 if place < 0 or len(tail) - place < c.LABEL_SIZE else max(0, size - SEARCH) + place


def read_container(data: Data, size: int) -> Container:
    """Read the table of contents. Raises ``ReadError``."""
    place = label_at(data, size)
    if place < 0:
        raise ReadError("this is no OMF file: its label is missing")
    label = bytes(data[place : place + c.LABEL_SIZE])
    for order in "<>":
        _, buffer, major, _, offset, length = struct.unpack(order + "HHHHII", label[8:])
        if major in (1, 2) and 1 <= buffer <= 64 and length > 0 and offset + length <= place:
            break
    else:
        raise ReadError("the label of the OMF points outside the file")
    table = bytes(data[offset : offset + length])
    found = None
    for tried in (order, "<" if order == ">" else ">"):
        found = (
            _first_version(table, tried, size)
            if major == 1
            else _second_version(table, tried, size, buffer * 1024)
        )
        if found is not None:
            order = tried
            break
    if found is None:
        raise ReadError("the table of contents of the OMF is damaged")
    return Container(data, size, order, found, _names(data, found), major)


def _first_version(table: bytes, order: str, size: int) -> dict[int, dict[int, Value]] | None:
    values: dict[int, dict[int, Value]] = defaultdict(dict)
    for place in range(0, len(table) - 23, 24):
        owner, name, kind, offset, length, _, flags = struct.unpack_from(order + "IIIIIHH", table, place)
        if not owner or not name:
            return None
        value = values[owner].setdefault(name, Value(kind))
        if flags & c.IMMEDIATE_FLAG:
            if length > 4:
                return None
            value.inline += table[place + 12 : place + 12 + length]
        elif offset + length > size:
            return None
        else:
            value.segments.append((offset, length))
    return dict(values) if values else None


def _second_version(table: bytes, order: str, size: int, buffer: int) -> dict[int, dict[int, Value]] | None:
    for lower, padded in c.LAYOUTS:
        found = _layout(table, order, size, buffer, lower, padded)
        if found:
            return found
    return None


def _layout(
    table: bytes, order: str, size: int, buffer: int, lower: int, padded: bool
) -> dict[int, dict[int, Value]] | None:
    """Read a table in one layout; None where a code is unknown or a value lies outside the file."""
    values: dict[int, dict[int, Value]] = defaultdict(dict)
    place, end = 0, len(table)
    owner = name = kind = 0
    last: Value | None = None
    goes_on = False
    count = 0
    wide, long, three = struct.Struct(order + "QI"), struct.Struct(order + "II"), struct.Struct(order + "III")
    one = struct.Struct(order + "I")
    while place < end:
        code = table[place]
        place += 1
        if code == c.NOTHING:
            continue
        if code == c.END_OF_BUFFER:
            place = -(-place // buffer) * buffer
            continue
        if 4 <= code <= 15 - lower and lower:
            code += lower
        try:
            if code == c.NEW_OBJECT:
                owner, name, kind = three.unpack_from(table, place)
                place += 12
            elif code == c.NEW_PROPERTY:
                name, kind = long.unpack_from(table, place)
                place += 8
            elif code == c.NEW_TYPE:
                kind = one.unpack_from(table, place)[0]
                place += 4
            elif code == c.GENERATION:
                place += 4
            elif c.VALUE <= code <= c.IMMEDIATE_GOES_ON:
                count += 1
                if not owner or not name or count > MOST_VALUES:
                    return None
                if not goes_on or last is None:
                    last = Value(kind)
                    # The first of two values of one property counts; other types of it are rare and say the
                    # same.
                    values[owner].setdefault(name, last)
                goes_on = code in (c.VALUE_GOES_ON, c.WIDE_GOES_ON, c.IMMEDIATE_GOES_ON)
                if code in (c.VALUE, c.VALUE_GOES_ON, c.WIDE_VALUE, c.WIDE_GOES_ON):
                    kind_of = long if code in (c.VALUE, c.VALUE_GOES_ON) else wide
                    offset, length = kind_of.unpack_from(table, place)
                    place += kind_of.size
                    if offset + length > size:
                        return None
                    last.segments.append((offset, length))
                else:
                    width = 4 if code == c.IMMEDIATE_GOES_ON else code - c.EMPTY
                    if place + width > end:
                        return None
                    last.inline += table[place : place + width]
                    place += 4 if padded and width else width
            elif code == c.REFERENCES:
                if last is not None:
                    last.references = one.unpack_from(table, place)[0]
                place += 4
            else:
                return None
        except struct.error:
            return None
    return dict(values) if values and place >= end else None


def _names(data: Data, values: dict[int, dict[int, Value]]) -> dict[int, str]:
    """Names of properties and types, found by structure: the reserved property under which most of them have
    a text."""
    properties = {name for one in values.values() for name in one if name >= c.FIRST_ID}
    types = {value.type for one in values.values() for value in one.values() if value.type >= c.FIRST_ID}
    names: dict[int, str] = {}
    for wanted in (properties, types):
        texts: dict[int, dict[int, str]] = defaultdict(dict)
        for key in wanted:
            for name, value in values.get(key, {}).items():
                if name < c.FIRST_ID and 0 < value.size < 512:
                    text = _text(data, value)
                    if text:
                        texts[name][key] = text
        counted = Counter({name: len(found) for name, found in texts.items()})
        for name, _ in reversed(counted.most_common()):
            names.update(texts[name])
    return names


def _text(data: Data, value: Value) -> str:
    raw = value.inline or b"".join(bytes(data[offset : offset + length]) for offset, length in value.segments)
    text = raw.split(b"\0", 1)[0]
    return text.decode("ascii") if text and all(32 <= one < 127 for one in text) else ""
