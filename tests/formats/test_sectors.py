"""The container AAF files are written into: read by the library's own container, which knows nothing of ours,
and held against it byte by byte."""

from __future__ import annotations

import io
import random
import struct
from collections.abc import Iterator
from pathlib import Path

import pytest
from aaf2.auid import AUID
from aaf2.cfb import CompoundFileBinary

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.formats.aaf import sectors
from wexodos.formats.aaf.container import Container
from wexodos.formats.aaf.filling import filled, holds, places_of, sounds_in
from wexodos.formats.aaf.storage import Storage
from wexodos.formats.errors import ReadError, WriteError
from wexodos.formats.spelling import Content
from wexodos.model import Document

SIZES = (0, 1, 63, 64, 65, 4095, 4096, 4097, 8192, 300_000)


def made(storage: Storage) -> bytes:
    target = io.BytesIO()
    storage.write(target)
    return target.getvalue()


def opened(data: bytes) -> CompoundFileBinary:
    """The library's container on bytes; it takes a file in memory for one that is to be written."""
    held = CompoundFileBinary.__new__(CompoundFileBinary)
    reader = io.BufferedReader(io.BytesIO(data))  # type: ignore[arg-type]
    held.__init__(reader, "rb")  # type: ignore[misc]
    return held


def bytes_of(held: CompoundFileBinary, path: str) -> bytes:
    return bytes(held.open(path).read())


@pytest.mark.parametrize("count", [0, 1, 2, 3, 4, 7, 8, 12, 100, 1000])
def test_entries_lie_in_a_tree_the_library_finds_them_in(count: int) -> None:
    storage, chance = Storage(), random.Random(count)
    names = [f"Mob-{number:x}{'é' * (number % 3)}" for number in range(count)]
    chance.shuffle(names)
    folder = storage.root.makedir("Mobs")
    folder.class_id = AUID("0d010101-0101-3700-060e-2b3402060101")
    for name in names:
        folder.touch(name).open("w").write(name.encode())
    held = opened(made(storage))
    # Every node is black or red, no red one has a red child, all ways down pass as many black ones.
    held.validate_directory_structure()
    there = {one.name: one for one in held.listdir("/Mobs")}
    assert set(there) == set(names)
    assert held.find("/Mobs").class_id == folder.class_id and held.root.class_id is not None
    for name in names[:20]:
        assert bytes_of(held, f"/Mobs/{name}") == name.encode()


def test_streams_of_every_size_stand_there_whole() -> None:
    storage, chance = Storage(), random.Random(3)
    meant = {f"/a/s{size}": chance.randbytes(size) for size in SIZES}
    storage.root.makedir("a")
    for path, data in meant.items():
        storage.open(path, "w").write(data)
    data = made(storage)
    held = opened(data)
    assert {path: bytes_of(held, path) for path in meant} == meant
    assert len(data) % 4096 == 0
    ours = Container(io.BytesIO(data))
    assert [len(ours.read(place)) for place in ours.long()] == [4096, 4097, 8192, 300_000]
    assert len(ours.empty()) == 1
    for place in ours.long():
        stream = ours.open(place)
        stream.seek(100)
        assert ours.read(place)[100:150] == stream.read(50)


def test_names_end_at_31_letters_and_stand_once() -> None:
    storage = Storage()
    storage.root.touch("x" * 31)
    with pytest.raises(ValueError, match="31 letters"):
        storage.root.touch("x" * 32)
    storage.root.makedir("a")
    with pytest.raises(ValueError, match="already exists"):
        storage.root.makedir("a")


ZEROS = bytes(1 << 24)


class Sparse(io.FileIO):
    """A file in which nothing is written where there are only zeros: gigabytes of them take no time."""

    def write(self, data: object) -> int:
        view = memoryview(data)  # type: ignore[call-overload]
        if view.obj is ZEROS:
            self.seek(len(view), 1)
            return len(view)
        return super().write(view)


def test_beyond_two_gigabytes_the_sector_that_locks_go_over_stays_empty(tmp_path: Path) -> None:
    """More allocation sectors than the header can list, and the range lock of [MS-CFB] 2.2."""
    count, last = 132, b"the last of it"
    sizes = {1: len(ZEROS) * count + len(last), 2: 5000}

    def blocks() -> Iterator[bytes]:
        for _ in range(count):
            yield ZEROS
        yield last

    directory = b"".join(
        struct.pack(
            "<64sHBB3I16x4x16xIQ",
            name.encode("utf-16-le"),
            2 * len(name) + 2,
            kind,
            1,
            *links,
            sectors.END,
            0,
        )
        for name, kind, links in (
            ("Root Entry", 5, (sectors.FREE, sectors.FREE, 1)),
            ("a", 2, (sectors.FREE, 2, sectors.FREE)),
            ("b", 2, (sectors.FREE, sectors.FREE, sectors.FREE)),
        )
    )
    path = tmp_path / "large.aaf"
    contents = {1: Content(sizes[1], blocks), 2: sectors.plain(b"b" * 5000)}
    told: list[int] = []
    with Sparse(str(path), "w") as target:
        sectors.write(target, bytes(16), directory, contents, told.append)  # type: ignore[arg-type]
    assert sum(told) == sum(sizes.values())
    with path.open("rb") as file:
        held = CompoundFileBinary(file, "rb")
        chain = held.get_fat_chain(held.find("/a").sector_id)
        lock = 0x7FFFFF00 // 4096 - 1
        assert len(chain) == -(-sizes[1] // 4096) and held.difat_sector_count == 1
        assert lock not in chain and held.fat[lock] == 0xFFFFFFFE
        # Straight on but for that one sector.
        assert [two - one for one, two in zip(chain, chain[1:]) if two - one != 1] == [2]
        file.seek((chain[-1] + 1) * 4096)
        assert file.read(len(last) + 1) == last + b"\0"
        assert bytes_of(held, "/b") == b"b" * 5000
        ours = Container(file)
        stream = ours.open(1)
        stream.seek(sizes[1] - 20)
        assert stream.read(40) == bytes(6) + last
        assert ours.read(2) == b"b" * 5000


def test_a_stream_that_gives_another_number_of_bytes_is_refused() -> None:
    directory = bytes(66) + b"\5" + bytes(61) + bytes(66) + b"\2" + bytes(61)
    for size, given in ((5000, 4999), (5000, 5001), (50, 49)):
        content = {1: Content(size, lambda given=given: (bytes(given),))}  # type: ignore[misc]
        with pytest.raises(ValueError, match=f"of {size} bytes gave {given}"):
            sectors.write(io.BytesIO(), bytes(16), directory, content)


@pytest.mark.parametrize("place, value", [(44, 0xFFFF), (48, 0xFFFF), (30, 9), (60, 7777), (76, 7777)])
def test_tables_that_lead_nowhere_are_no_container(place: int, value: int) -> None:
    storage = Storage()
    storage.root.touch("a").open("w").write(b"short")
    storage.root.touch("b").open("w").write(bytes(9000))
    data = bytearray(made(storage))
    struct.pack_into("<I" if place != 30 else "<H", data, place, value)
    with pytest.raises((ValueError, ReadError)):
        held = Container(io.BytesIO(bytes(data)))
        for one in (1, 2):
            held.read(one)


# ---- a structure with samples put into it


@pytest.fixture(scope="module")
def structure(kiln_night: Document) -> bytes:
    """A turnover without its samples, and no media to make any of."""
    sequence = kiln_night.top_level[0]
    return carry_over(kiln_night, sequence, find_destination("finishing-aaf")).data


def test_a_file_holds_its_structure_byte_for_byte(structure: bytes, tmp_path: Path) -> None:
    path = tmp_path / "cut.aaf"
    assert filled(path, structure, {}, lambda _count: None) == {}
    assert holds(path, structure) and list(sounds_in(path)) == []
    held = Container(io.BytesIO(structure))
    assert places_of(held) == {}
    written = path.read_bytes()
    # One byte of a name in the tree, of a short stream, of a long one, of the class in the head.
    body = written.index(held.shorts[0][:4096])
    long = held.read(held.long()[0])
    places = {
        "a record": written.index("Dictionary-".encode("utf-16-le")),
        "a short stream": body + len(held.shorts[0]) // 2,
        "a long stream": written.index(long[:4096]) + len(long) - 1,
        "the head": 9,
    }
    for what, place in places.items():
        path.write_bytes(written[:place] + bytes([written[place] ^ 1]) + written[place + 1 :])
        assert not holds(path, structure), what
    path.write_bytes(written[:-4096])
    assert not holds(path, structure)
    with pytest.raises(WriteError, match="made for other sounds"):
        filled(path, structure, {"boom": sectors.plain(b"x")}, lambda _count: None)
