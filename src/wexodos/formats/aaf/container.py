"""The structured-storage container, looked over before anybody walks through it.

A sector chain that loops, or leads outside, would keep a reader busy for ever or make it read the same
gigabyte again and again.
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from typing import BinaryIO

import numpy as np
from numpy.typing import NDArray

from wexodos.formats.errors import ReadError

MAGIC = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"
_FREE, _DIFAT = 0xFFFFFFFF, 0xFFFFFFFC
_INDEX = " index".encode("utf-16-le")
"""How the names of streams end that list the members of a property."""
MOST_SECTORS = 1 << 26
MOST_ENTRIES = 4_000_000
Table = NDArray[np.uint32]


def looked_over(file: BinaryIO, size: int) -> None:
    """Raise ``ReadError`` for a container that is damaged in a way that walking it would not survive."""
    head = file.read(512)
    if len(head) < 512 or head[:8] != MAGIC:
        raise ReadError("this is no structured-storage file")
    if head[28:30] != b"\xfe\xff":
        raise ReadError("its byte order is not the one of the format")
    shift, mini_shift = struct.unpack_from("<HH", head, 30)
    if shift not in (9, 12) or mini_shift > shift or mini_shift < 5:
        raise ReadError("its sector size is impossible")
    sector = 1 << shift
    _, fat_count, directory, _, mini_cutoff, mini_first, _, difat_first, difat_count = struct.unpack_from(
        "<IIIIIIIII", head, 40
    )
    sectors = max(0, -(-size // sector) - 1)
    if sectors > MOST_SECTORS or fat_count > sectors or difat_count > sectors:
        raise ReadError("its tables are larger than the file")
    places = [int(one) for one in np.frombuffer(head, "<u4", 109, 76) if one < _DIFAT]
    following, seen = difat_first, 0
    while following < _DIFAT:
        seen += 1
        if seen > sectors or following >= sectors:
            raise ReadError("its table of tables runs in a circle or out of the file")
        table = _sector(file, following, sector)
        places += [int(one) for one in table[:-1] if one < _DIFAT]
        following = int(table[-1])
    if len(places) > sectors or any(one >= sectors for one in places):
        raise ReadError("its sector table lies outside the file")
    fat = np.concatenate([_sector(file, one, sector) for one in places]) if places else np.zeros(0, np.uint32)
    entries = _read_chain(file, fat, directory, sector, sectors)
    if len(entries) // 128 > MOST_ENTRIES:
        raise ReadError("it holds too many objects")
    minifat = (
        np.frombuffer(_read_chain(file, fat, mini_first, sector, sectors), "<u4")
        if mini_first < _DIFAT
        else np.zeros(0, np.uint32)
    )
    _acyclic(fat, "its sectors")
    _acyclic(minifat, "its small sectors")
    _tree(entries)
    mini = 1 << mini_shift
    _streams(entries, fat, minifat, sector, mini, mini_cutoff)
    root = struct.unpack_from("<I", entries, 116)[0] if entries else _FREE
    shorts = _read_chain(file, fat, root, sector, sectors) if root < _DIFAT else b""

    def begins(first: int, size: int) -> bytes:
        """The first bytes of a stream."""
        if size < mini_cutoff:
            return shorts[first * mini : first * mini + 4]
        file.seek((first + 1) * sector)
        return file.read(4)

    _indexes(entries, begins)


def _indexes(entries: bytes, begins: Callable[[int, int], bytes]) -> None:
    """No index of a list or a set counts more members than it has bytes: the library makes room for all of
    them before it reads the first."""
    for number in range(len(entries) // 128):
        record = entries[number * 128 : (number + 1) * 128]
        length = min(int.from_bytes(record[64:66], "little"), 64)
        if record[66] != 2 or not record[: max(0, length - 2)].endswith(_INDEX):
            continue
        first, size = struct.unpack_from("<II", record, 116)
        head = begins(first, size)
        if len(head) == 4 and int.from_bytes(head, "little") * 4 > size:
            raise ReadError("an index counts more objects than it names")


def _sector(file: BinaryIO, number: int, sector: int) -> Table:
    file.seek((number + 1) * sector)
    data = file.read(sector)
    return np.frombuffer(data.ljust(sector, b"\xff"), "<u4")


def _read_chain(file: BinaryIO, fat: Table, first: int, sector: int, sectors: int) -> bytes:
    made, place, count = [], first, 0
    while place < _DIFAT:
        count += 1
        if count > sectors or place >= len(fat) or place >= sectors:
            raise ReadError("a chain of its sectors runs in a circle or out of the file")
        file.seek((place + 1) * sector)
        made.append(file.read(sector))
        place = int(fat[place])
    return b"".join(made)


def _acyclic(table: Table, what: str) -> None:
    """Every sector has at most one before it, and no chain comes back: both together mean there is no
    circle."""
    used = table[table < _DIFAT]
    if len(used) and (int(used.max()) >= len(table) or len(np.unique(used)) != len(used)):
        raise ReadError(f"{what} are chained wrongly")
    # Follow all chains at once, doubling the step: after log2(n) rounds everything has come to an end.
    after = np.where(table < _DIFAT, table, len(table)).astype(np.int64)
    after = np.append(after, len(table))
    for _ in range(max(1, len(table)).bit_length() + 1):
        after = after[after]
    if np.any(after != len(table)):
        raise ReadError(f"{what} run in a circle")


def _tree(entries: bytes) -> None:
    """The directory is a tree: every entry is reached at most once."""
    count = len(entries) // 128
    table = np.frombuffer(entries[: count * 128], np.uint8).reshape(count, 128)
    links = np.ascontiguousarray(table[:, 68:80]).view("<u4").reshape(count, 3)
    seen = np.zeros(count, bool)
    stack = [0] if count else []
    if count:
        seen[0] = True
    while stack:
        for one in links[stack.pop()]:
            if one == _FREE:
                continue
            if one >= count or seen[one]:
                raise ReadError("its directory runs in a circle or out of the file")
            seen[one] = True
            stack.append(int(one))


def _streams(entries: bytes, fat: Table, minifat: Table, sector: int, mini: int, cutoff: int) -> None:
    """No stream may say it is longer than all sectors together."""
    count = len(entries) // 128
    for number in range(count):
        kind = entries[number * 128 + 66]
        size = struct.unpack_from("<Q", entries, number * 128 + 120)[0]
        if kind == 2 and (size & 0xFFFFFFFF if sector == 512 else size) > max(
            len(fat) * sector, len(minifat) * mini
        ):
            raise ReadError("a stream says it is longer than the file")
