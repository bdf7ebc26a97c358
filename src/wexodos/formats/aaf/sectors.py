"""The container that an AAF file lies in, after [MS-CFB]: read as a table of entries, and written in one go.

The library gives out sectors one by one and balances its tree at each entry; here everything is known before
the first byte is written, so that every stream lies in one piece.
"""

from __future__ import annotations

import io
import struct
from collections.abc import Callable, Iterable
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

from wexodos.formats.spelling import Content

MAGIC = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"
SECTOR, MINI, SHORT = 4096, 64, 4096
"""Bytes of a sector and of a mini sector; a stream that is shorter than ``SHORT`` lies in mini sectors."""
RECORD = 128
FREE, END, FAT, DIFAT = 0xFFFFFFFF, 0xFFFFFFFE, 0xFFFFFFFD, 0xFFFFFFFC
IN_HEADER = 109
LOCK = 0x7FFFFF00 // SECTOR - 1
"""The sector that locks go over: none of it may hold anything ([MS-CFB] 2.2)."""

Numbers = NDArray[np.uint32]


def plain(data: bytes) -> Content:
    """A stream whose bytes are there."""
    return Content(len(data), lambda: (data,))


class Layout:
    """Which sector belongs to what, given out in the order of the file."""

    def __init__(self) -> None:
        self.next = 0
        self.chains: list[Numbers] = []

    def take(self, size: int) -> Numbers:
        """The sectors of so many bytes, one after the other but for the one that must stay empty."""
        count = -(-size // SECTOR)
        found = np.arange(self.next, self.next + count, dtype=np.uint32)
        found[found >= LOCK] += np.uint32(self.next <= LOCK)
        if count:
            self.next = int(found[-1]) + 1
        return found


def write(
    target: BinaryIO,
    class_id: bytes,
    directory: bytes,
    contents: dict[int, Content],
    told: Callable[[int], None] = lambda _count: None,
    shorts: tuple[bytes, bytes] = (b"", b""),
) -> None:
    """Write a container: ``directory`` are its records of 128 bytes, the root first, ``contents`` what stands
    in those that are streams, by their places; ``told`` gets the bytes of each block that is written.

    Records keep their names, kinds and links; where their streams begin is filled in. Those that stand in
    ``shorts`` already, mini sectors and the table of them, have no contents here. Raises ``ValueError`` where
    a stream gives another number of bytes than was said.
    """
    records = bytearray(directory) + bytes(-len(directory) % SECTOR)
    for place in range(len(directory), len(records), RECORD):
        struct.pack_into("<III", records, place + 68, FREE, FREE, FREE)
    short = {key: one for key, one in contents.items() if 0 < one.size < SHORT}
    long = {key: one for key, one in contents.items() if one.size >= SHORT}
    mini, minifat = _short(records, short, *shorts)
    layout = Layout()
    rows, minis, bodies = (layout.take(len(one)) for one in (records, minifat, mini))
    struct.pack_into("<IQ", records, 116, int(bodies[0]) if len(mini) else END, len(mini))
    chains = {key: layout.take(one.size) for key, one in long.items()}
    for key, chain in chains.items():
        struct.pack_into("<IQ", records, key * RECORD + 116, int(chain[0]), long[key].size)
    for key, one in contents.items():
        if not one.size:
            struct.pack_into("<IQ", records, key * RECORD + 116, END, 0)
    fat, difat, table = _table(layout, [rows, minis, bodies, *chains.values()])
    listed = np.full(max(IN_HEADER, len(fat)), FREE, np.uint32)
    listed[: len(fat)] = fat
    out = _Target(target)
    out.put(
        struct.pack(
            "<8s16sHHHHH6xIIIIIIIII",
            MAGIC,
            class_id,
            62,
            4,
            0xFFFE,
            12,
            6,
            len(rows),
            len(fat),
            int(rows[0]),
            1,
            SHORT,
            int(minis[0]) if len(minis) else FREE,
            len(minis),
            int(difat[0]) if len(difat) else FREE,
            len(difat),
        )
        + listed[:IN_HEADER].tobytes()
    )
    for part in (bytes(records), minifat, mini):
        out.put(part)
    for one in long.values():
        out.stream(one, told)
    out.put(table.tobytes())
    for number in range(len(difat)):
        row = np.full(SECTOR // 4, FREE, np.uint32)
        some = listed[IN_HEADER + number * (SECTOR // 4 - 1) :][: SECTOR // 4 - 1]
        row[: len(some)] = some
        row[-1] = difat[number + 1] if number + 1 < len(difat) else END
        out.put(row.tobytes())


def _short(
    records: bytearray, contents: dict[int, Content], before: bytes, chained: bytes
) -> tuple[bytes, bytes]:
    """The short streams one after the other in mini sectors behind those there are, and the table of them."""
    body = bytearray(before) + bytes(-len(before) % MINI)
    table = bytearray(chained[: len(body) // MINI * 4])
    for key, one in contents.items():
        data = b"".join(one.blocks())
        if len(data) != one.size:
            raise ValueError(f"a stream of {one.size} bytes gave {len(data)}")
        first, count = len(body) // MINI, -(-len(data) // MINI)
        struct.pack_into("<IQ", records, key * RECORD + 116, first, len(data))
        body += data + bytes(-len(data) % MINI)
        table += np.arange(first + 1, first + count, dtype="<u4").tobytes() + struct.pack("<I", END)
    return bytes(body), bytes(table) + b"\xff" * (-len(table) % SECTOR)


def _table(layout: Layout, chains: list[Numbers]) -> tuple[Numbers, Numbers, Numbers]:
    """The sectors of the allocation table, those of the list of them, and the table."""
    per = SECTOR // 4
    # The table has room for itself and for its list, and for the sector that stays empty.
    count = listed = 0
    while True:
        need = -(-(layout.next + count + listed + 1) // per)
        more = max(0, -(-(need - IN_HEADER) // (per - 1)))
        if (need, more) == (count, listed):
            break
        count, listed = need, more
    fat, difat = layout.take(count * SECTOR), layout.take(listed * SECTOR)
    table = np.full(count * per, FREE, np.uint32)
    for chain in chains:
        if len(chain):
            table[chain[:-1]] = chain[1:]
            table[chain[-1]] = END
    table[fat], table[difat] = FAT, DIFAT
    if layout.next > LOCK:
        table[LOCK] = END
    return fat, difat, table


class _Target:
    """Writes whole sectors, and leaves the one empty that must stay so."""

    def __init__(self, file: BinaryIO) -> None:
        self._file, self._place = file, 0

    def put(self, data: bytes) -> None:
        """Write bytes and fill their last sector."""
        self._write(memoryview(data))
        self._fill()

    def stream(self, content: Content, told: Callable[[int], None]) -> None:
        done = 0
        for block in content.blocks():
            self._write(memoryview(block))
            done += len(block)
            told(len(block))
        if done != content.size:
            raise ValueError(f"a stream of {content.size} bytes gave {done}")
        self._fill()

    def _fill(self) -> None:
        self._write(memoryview(bytes(-self._place % SECTOR)))

    def _write(self, view: memoryview) -> None:
        locked = (LOCK + 1) * SECTOR
        if self._place <= locked < self._place + len(view) or self._place == locked:
            before = locked - self._place
            self._file.write(view[:before])
            self._file.write(bytes(SECTOR))
            self._place = locked + SECTOR
            view = view[before:]
        self._file.write(view)
        self._place += len(view)


class Container:
    """A container that is read: ``directory`` are its records, ``class_id`` that of its header. Raises
    ``ValueError`` where its tables lead nowhere."""

    def __init__(self, file: BinaryIO) -> None:
        self._file = file
        file.seek(0)
        head = file.read(SECTOR)
        if len(head) < SECTOR or head[:8] != MAGIC or struct.unpack_from("<H", head, 30) != (12,):
            raise ValueError("this is no container of long sectors")
        self.class_id = head[8:24]
        count, first, _, _, minis, _, more, lists = struct.unpack_from("<8I", head, 44)
        listed = list(struct.unpack_from(f"<{IN_HEADER}I", head, 76))
        while more not in (END, FREE) and lists:
            *some, more = struct.unpack(f"<{SECTOR // 4}I", self._sector(more))
            listed += some
            lists -= 1
        self._fat = np.frombuffer(b"".join(self._sector(one) for one in listed[:count]), "<u4")
        self.directory = self._along(first)
        minifat = self._along(minis) if minis != FREE else b""
        start, size = struct.unpack_from("<IQ", self.directory, 116)
        self.shorts = (self._along(start)[:size] if size else b""), minifat
        self._records = np.frombuffer(self.directory, _RECORD)

    def _sector(self, number: int) -> bytes:
        self._file.seek((number + 1) * SECTOR)
        data = self._file.read(SECTOR)
        if len(data) < SECTOR:
            raise ValueError(f"sector {number} is not there")
        return data

    def _along(self, first: int) -> bytes:
        return b"".join(self._sector(one) for one in _chain(self._fat, first))

    def long(self) -> list[int]:
        """The places of the streams that lie in sectors of their own."""
        found = (self._records["kind"] == 2) & (self._records["size"] >= SHORT)
        return [int(one) for one in np.nonzero(found)[0]]

    def empty(self) -> list[int]:
        """The places of the streams in which nothing stands."""
        found = (self._records["kind"] == 2) & (self._records["size"] == 0)
        return [int(one) for one in np.nonzero(found)[0]]

    def inside(self, class_id: bytes) -> dict[int, dict[str, int]]:
        """What is right inside each storage of a class: the places by name, by the place of the storage."""
        found = (self._records["kind"] == 1) & (self._records["class"] == class_id)
        return {int(one): self._children(int(self._records["links"][one][2])) for one in np.nonzero(found)[0]}

    def _children(self, root: int) -> dict[str, int]:
        found: dict[str, int] = {}
        stack = [root]
        while stack:
            place = stack.pop()
            if place == FREE:
                continue
            if place >= len(self._records) or len(found) > len(self._records):
                raise ValueError("the directory leads nowhere")
            one = self._records[place]
            found[bytes(one["name"])[: max(0, int(one["letters"]) - 2)].decode("utf-16-le")] = place
            stack += [int(one["links"][0]), int(one["links"][1])]
        return found

    def open(self, place: int) -> BinaryIO:
        """A stream as a file of its own; the container's file must stay open for it."""
        start, size = int(self._records["start"][place]), int(self._records["size"][place])
        if size < SHORT:
            return io.BytesIO(self.read(place))
        return io.BufferedReader(_Sectors(self._file, self._runs(start, -(-size // SECTOR)), size), 1 << 20)

    def _runs(self, first: int, count: int) -> list[tuple[int, int]]:
        """The sectors of a stream as (first, how many) of those that follow one another."""
        straight = np.arange(first, first + count)
        table = self._fat
        if (
            first + count <= len(table)
            and np.array_equal(table[straight[:-1]], straight[1:])
            and table[straight[-1]] == END
        ):
            return [(first, count)]
        chain = np.fromiter(_chain(table, first), np.int64)
        edges = np.nonzero(np.diff(chain) != 1)[0] + 1
        return [(int(part[0]), len(part)) for part in np.split(chain, edges) if len(part)]

    def read(self, place: int) -> bytes:
        """The bytes of a stream; for short ones and those that fit into memory."""
        start, size = int(self._records["start"][place]), int(self._records["size"][place])
        if not size:
            return b""
        if size >= SHORT:
            return self._along(start)[:size]
        body, table = self.shorts
        chain = _chain(np.frombuffer(table, "<u4"), start)
        return b"".join(body[one * MINI : (one + 1) * MINI] for one in chain)[:size]


class _Sectors(io.RawIOBase):
    """The bytes of a long stream, run by run."""

    def __init__(self, file: BinaryIO, runs: list[tuple[int, int]], size: int) -> None:
        self._file, self._runs, self._size, self._place = file, runs, size, 0

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = 0) -> int:
        self._place = max(0, (0, self._place, self._size)[whence] + offset)
        return self._place

    def readinto(self, target: Any) -> int:
        left, inside = min(len(target), self._size - self._place), self._place
        for first, count in self._runs:
            if inside < count * SECTOR:
                self._file.seek((first + 1) * SECTOR + inside)
                data = self._file.read(max(0, min(left, count * SECTOR - inside)))
                target[: len(data)] = data
                self._place += len(data)
                return len(data)
            inside -= count * SECTOR
        return 0


def _chain(table: Numbers, first: int) -> Iterable[int]:
    """The sectors that follow one another from ``first`` on."""
    number, left = first, len(table)
    while number != END:
        if number >= len(table) or not left:
            raise ValueError("a chain of sectors leads nowhere")
        yield number
        number, left = int(table[number]), left - 1


_RECORD = np.dtype(
    [
        ("name", "V64"),
        ("letters", "<u2"),
        ("kind", "u1"),
        ("color", "u1"),
        ("links", "<u4", 3),
        ("class", "S16"),
        ("rest", "V20"),
        ("start", "<u4"),
        ("size", "<u8"),
    ]
)
"""A record of the directory ([MS-CFB] 2.6.1)."""
