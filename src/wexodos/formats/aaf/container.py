"""The container that an AAF file lies in, after [MS-CFB], read; it is looked over before anybody walks
through it.

A sector chain that loops, or leads outside, would keep a reader busy for ever or make it read the same
gigabyte again and again.
"""

from __future__ import annotations

import io
import struct
from bisect import bisect_right
from collections.abc import Iterator
from itertools import accumulate, islice
from typing import Any, BinaryIO

import numpy as np

from wexodos.formats.aaf.sectors import DIFAT, FREE, IN_HEADER, MAGIC, RECORD, Numbers
from wexodos.formats.errors import ReadError

_INDEX = np.frombuffer(" index".encode("utf-16-le"), np.uint8)
"""How the names of streams end that list the members of a property."""
MOST_SECTORS = 1 << 26
MOST_ENTRIES = 4_000_000
_STORAGE, _STREAM = 1, 2
_RECORD = np.dtype(
    [
        ("name", "u1", 64),
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
_LINKS = struct.Struct("<64sH2x3I")


class Container:
    """A container that is read: ``directory`` are its records, ``class_id`` that of its header. Its file must
    stay open for it. Raises ``ReadError`` where it is damaged in a way that walking it would not survive."""

    def __init__(self, file: BinaryIO) -> None:
        self._file = file
        size = file.seek(0, io.SEEK_END)
        file.seek(0)
        head = file.read(512)
        if len(head) < 512 or head[:8] != MAGIC:
            raise ReadError("this is no structured-storage file")
        if head[28:30] != b"\xfe\xff":
            raise ReadError("its byte order is not the one of the format")
        shift, mini_shift = struct.unpack_from("<HH", head, 30)
        if shift not in (9, 12) or mini_shift > shift or mini_shift < 5:
            raise ReadError("its sector size is impossible")
        self.class_id = head[8:24]
        self._sector, self._mini = 1 << shift, 1 << mini_shift
        self._sectors = max(0, -(-size // self._sector) - 1)
        count, first, _, self._short, minis, _, more, lists = struct.unpack_from("<8I", head, 44)
        if self._sectors > MOST_SECTORS or count > self._sectors or lists > self._sectors:
            raise ReadError("its tables are larger than the file")
        self._fat = self._table(head, more)
        self.directory = self._along(first)
        self.records = np.frombuffer(self.directory, _RECORD, len(self.directory) // RECORD)
        if not len(self.records):
            raise ReadError("its directory is not there")
        if len(self.records) > MOST_ENTRIES:
            raise ReadError("it holds too many objects")
        minifat = self._along(minis)
        self._minifat = np.frombuffer(minifat, "<u4", len(minifat) // 4)
        _acyclic(self._fat, "its sectors")
        _acyclic(self._minifat, "its small sectors")
        # With short sectors streams are below 4 GiB, and the other half may hold anything ([MS-CFB] 2.6.1).
        self._sizes = self.records["size"] & np.uint64(0xFFFFFFFF if shift == 9 else (1 << 64) - 1)
        self._tree()
        self._streams()
        self._body = self._along(int(self.records["start"][0]))
        self._indexes()

    # ---- what is in it

    def children(self, place: int) -> dict[str, int]:
        """The places of what is right inside a storage, by name."""
        found: dict[str, int] = {}
        stack = [_LINKS.unpack_from(self.directory, place * RECORD)[-1]]
        while stack:
            number = stack.pop()
            if number != FREE:
                name, letters, left, right, _ = _LINKS.unpack_from(self.directory, number * RECORD)
                words = name[: min(letters, 64)].decode("utf-16-le", "backslashreplace")
                found[words.partition("\0")[0]] = number
                stack += (left, right)
        return found

    def class_of(self, place: int) -> bytes:
        """The class that a storage is of."""
        return self.directory[place * RECORD + 80 : place * RECORD + 96]

    def is_stream(self, place: int) -> bool:
        return self.directory[place * RECORD + 66] == _STREAM

    def size(self, place: int) -> int:
        """Bytes of a stream."""
        return int(self._sizes[place])

    def inside(self, class_id: bytes) -> dict[int, dict[str, int]]:
        """What is right inside each storage of a class: the places by name, by the place of the storage."""
        found = (self.records["kind"] == _STORAGE) & (self.records["class"] == class_id)
        return {int(one): self.children(int(one)) for one in np.nonzero(found)[0]}

    def long(self) -> list[int]:
        """The places of the streams that lie in sectors of their own."""
        found = (self.records["kind"] == _STREAM) & (self._sizes >= self._short)
        return [int(one) for one in np.nonzero(found)[0]]

    def empty(self) -> list[int]:
        """The places of the streams in which nothing stands."""
        found = (self.records["kind"] == _STREAM) & (self._sizes == 0)
        return [int(one) for one in np.nonzero(found)[0]]

    @property
    def shorts(self) -> tuple[bytes, bytes]:
        """All mini sectors that are said to be used, and the table of them."""
        return self._body[: int(self._sizes[0])], self._minifat.tobytes()

    def read(self, place: int) -> bytes:
        """The bytes of a stream; for short ones and those that fit into memory. Raises ``ValueError`` where
        it is shorter than it says."""
        start, size = int(self.records["start"][place]), int(self._sizes[place])
        if size >= self._short:
            data = self.open(place).read(size)
        else:
            body, mini = self._body, self._mini
            chain = islice(_chain(self._minifat.data, start), -(-size // mini))
            data = b"".join([body[one * mini : (one + 1) * mini] for one in chain])[:size]
        if len(data) < size:
            raise ValueError("a stream is shorter than it says")
        return data

    def open(self, place: int, last: bool = False) -> BinaryIO:
        """A stream as a file of its own; the container's file is closed with the ``last`` one asked for."""
        start, size = int(self.records["start"][place]), int(self._sizes[place])
        if size < self._short:
            data = self.read(place)
            if last:
                self._file.close()
            return io.BytesIO(data)
        runs = self._runs(start, -(-size // self._sector))
        return io.BufferedReader(_Sectors(self._file, self._sector, runs, size, last), 1 << 20)

    def _runs(self, first: int, count: int) -> list[tuple[int, int]]:
        """The sectors of a stream as (first, how many) of those that follow one another."""
        straight = np.arange(first, first + count)
        if first + count <= len(self._fat) and np.array_equal(self._fat[straight[:-1]], straight[1:]):
            return [(first, count)]
        chain = np.fromiter(_chain(self._fat.data, first), np.int64)
        edges = np.nonzero(np.diff(chain) != 1)[0] + 1
        return [(int(part[0]), len(part)) for part in np.split(chain, edges) if len(part)]

    # ---- its tables

    def _table(self, head: bytes, following: int) -> Numbers:
        """Which sector follows which, out of the sectors that hold this."""
        places = [int(one) for one in np.frombuffer(head, "<u4", IN_HEADER, 76) if one < DIFAT]
        seen = 0
        while following < DIFAT:
            seen += 1
            if seen > self._sectors or following >= self._sectors:
                raise ReadError("its table of tables runs in a circle or out of the file")
            table = np.frombuffer(self._at(following), "<u4")
            places += [int(one) for one in table[:-1] if one < DIFAT]
            following = int(table[-1])
        if len(places) > self._sectors or any(one >= self._sectors for one in places):
            raise ReadError("its sector table lies outside the file")
        return np.frombuffer(b"".join(self._at(one) for one in places), "<u4")

    def _at(self, number: int) -> bytes:
        """A sector of a table; what is missing at the end of the file points nowhere."""
        self._file.seek((number + 1) * self._sector)
        return self._file.read(self._sector).ljust(self._sector, b"\xff")

    def _along(self, first: int) -> bytes:
        """The sectors of a chain whose end is not known yet."""
        made, place, count = [], first, 0
        while place < DIFAT:
            count += 1
            if count > self._sectors or place >= len(self._fat) or place >= self._sectors:
                raise ReadError("a chain of its sectors runs in a circle or out of the file")
            self._file.seek((place + 1) * self._sector)
            made.append(self._file.read(self._sector))
            place = int(self._fat[place])
        return b"".join(made)

    def _tree(self) -> None:
        """The directory is a tree: every entry is reached at most once."""
        count = len(self.records)
        links = np.ascontiguousarray(self.records["links"]).reshape(-1).data
        seen = bytearray(count)
        stack = [0]
        seen[0] = 1
        while stack:
            place = 3 * stack.pop()
            for one in links[place : place + 3]:
                if one == FREE:
                    continue
                if one >= count or seen[one]:
                    raise ReadError("its directory runs in a circle or out of the file")
                seen[one] = 1
                stack.append(one)

    def _streams(self) -> None:
        """No stream may say it is longer than all sectors together."""
        most = max(len(self._fat) * self._sector, len(self._minifat) * self._mini)
        if np.any(self._sizes[self.records["kind"] == _STREAM] > most):
            raise ReadError("a stream says it is longer than the file")

    def _indexes(self) -> None:
        """No index of a list or a set counts more members than it has bytes: the library makes room for all
        of them before it reads the first."""
        letters = np.minimum(self.records["letters"], 64)
        names, streams = self.records["name"], self.records["kind"] == _STREAM
        for length in np.unique(letters[streams]):
            end = int(length) - 2
            if end < len(_INDEX):
                continue
            places = np.nonzero(streams & (letters == length))[0]
            for place in places[(names[places, end - len(_INDEX) : end] == _INDEX).all(axis=1)]:
                size = int(self._sizes[place])
                head = self._begins(int(self.records["start"][place]), size)
                if len(head) == 4 and int.from_bytes(head, "little") * 4 > size:
                    raise ReadError("an index counts more objects than it names")

    def _begins(self, first: int, size: int) -> bytes:
        """The first bytes of a stream."""
        if size < self._short:
            return self._body[first * self._mini : first * self._mini + 4]
        self._file.seek((first + 1) * self._sector)
        return self._file.read(4)


class _Sectors(io.RawIOBase):
    """The bytes of a long stream, run by run."""

    def __init__(
        self, file: BinaryIO, sector: int, runs: list[tuple[int, int]], size: int, last: bool
    ) -> None:
        self._file, self._size, self._last = file, size, last
        self._ends = list(accumulate(count * sector for _, count in runs))
        # Where the file has what stands at the beginning of each run, without what stands before it.
        self._shifts = [(first + 1 + count) * sector - end for (first, count), end in zip(runs, self._ends)]
        self._place = 0

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = 0) -> int:
        self._place = max(0, (0, self._place, self._size)[whence] + offset)
        return self._place

    def close(self) -> None:
        if self._last:
            self._file.close()
        super().close()

    def readinto(self, target: Any) -> int:
        run = bisect_right(self._ends, self._place)
        if run == len(self._ends):
            return 0
        most = min(len(target), min(self._size, self._ends[run]) - self._place)
        self._file.seek(self._shifts[run] + self._place)
        data = self._file.read(max(0, most))
        target[: len(data)] = data
        self._place += len(data)
        return len(data)


def _chain(table: memoryview, first: int) -> Iterator[int]:
    """The sectors that follow one another from ``first`` on; there is no circle in the table."""
    number, length = first, len(table)
    while number < DIFAT:
        if number >= length:
            raise ValueError("a chain of sectors leads nowhere")
        yield number
        number = table[number]


def _acyclic(table: Numbers, what: str) -> None:
    """Every sector has at most one before it, and no chain comes back: both together mean there is no
    circle."""
    used = table[table < DIFAT]
    if len(used) and (int(used.max()) >= len(table) or len(np.unique(used)) != len(used)):
        raise ReadError(f"{what} are chained wrongly")
    # Follow all chains at once, doubling the step: after log2(n) rounds everything has come to an end.
    after = np.where(table < DIFAT, table, len(table)).astype(np.int64)
    after = np.append(after, len(table))
    for _ in range(max(1, len(table)).bit_length() + 1):
        after = after[after]
    if np.any(after != len(table)):
        raise ReadError(f"{what} run in a circle")
