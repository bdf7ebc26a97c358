"""The container that an AAF file lies in, after [MS-CFB], written in one go.

The library gives out sectors one by one and balances its tree at each entry; here everything is known before
the first byte is written, so that every stream lies in one piece.
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from typing import BinaryIO

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
