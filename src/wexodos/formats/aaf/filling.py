"""Samples put into a file whose structure is there already, and such a file held against its structure."""

from __future__ import annotations

import os
import struct
from collections.abc import Callable, Iterator
from io import BytesIO
from pathlib import Path
from typing import BinaryIO

from aaf2.auid import AUID
from aaf2.mobid import MobID

from wexodos.formats.aaf import sectors
from wexodos.formats.aaf.container import Container
from wexodos.formats.aaf.values import mob_key
from wexodos.formats.errors import ReadError, WriteError
from wexodos.formats.spelling import Content

_ESSENCE, _SOURCE = (
    bytes(AUID(f"0d010101-0101-{one}-060e-2b3402060101").bytes_le) for one in ("2300", "3700")
)
_ESSENCE_OF, _DATA = 0x2701, "Data-2702"
"""The property of an EssenceData object that says whose it is, and the name of the stream with its bytes."""
_MOB_ID, _MOB_NAME = 0x4401, 0x4402


def filled(
    path: Path, structure: bytes, sounds: dict[str, Content], told: Callable[[int], None]
) -> dict[str, str]:
    """Write a new file that is ``structure`` with ``sounds`` in the streams of their file mobs, by the names
    of those; return the names by key. Raises ``OSError``, and ``WriteError`` where a sound has no place or
    another length than was said."""
    held = Container(BytesIO(structure))
    places, names = places_of(held), _names(held)
    if sorted(names[key] for key in places) != sorted(sounds):
        raise WriteError(f"{path}: its structure was made for other sounds")
    contents = {place: sectors.plain(held.read(place)) for place in held.long()}
    contents |= {place: sounds[names[key]] for key, place in places.items()}
    try:
        with path.open("wb", 1 << 20) as target:
            sectors.write(target, held.class_id, held.directory, contents, told, held.shorts)
            target.flush()
            os.fsync(target.fileno())
    except ValueError as error:
        raise WriteError(f"{path}: {error}; the medium has changed meanwhile") from None
    return {key: names[key] for key in places}


def places_of(held: Container) -> dict[str, int]:
    """Which record of a file's container holds the samples of which file mob."""
    found = {}
    for inside in held.inside(_ESSENCE).values():
        if _DATA in inside and "properties" in inside:
            own = _property(held.read(inside["properties"]), _ESSENCE_OF)
            found[mob_key(MobID(bytes_le=own))] = inside[_DATA]
    return found


def _names(held: Container) -> dict[str, str]:
    """The names of the file mobs of a file, by key."""
    found = {}
    for inside in held.inside(_SOURCE).values():
        data = held.read(inside["properties"])
        name = _property(data, _MOB_NAME).decode("utf-16-le").partition("\0")[0]
        found[mob_key(MobID(bytes_le=_property(data, _MOB_ID)))] = name
    return found


def sounds_in(path: Path) -> Iterator[tuple[str, BinaryIO]]:
    """Every embedded sound of a file of ours with the id of its file mob, one after the other. Raises
    ``ReadError`` where they cannot be reached."""
    try:
        with path.open("rb") as file:
            there = Container(file)
            for key, place in places_of(there).items():
                yield key, there.open(place)
    except (OSError, ValueError, ReadError) as error:
        raise ReadError(f"its sound cannot be read ({type(error).__name__})", "", str(path)) from None


def _property(data: bytes, wanted: int) -> bytes:
    """A property out of a stream of properties: a table of numbers, kinds and lengths, then the values."""
    count = struct.unpack_from("<H", data, 2)[0]
    place = 4 + 6 * count
    for number in range(count):
        name, _, size = struct.unpack_from("<HHH", data, 4 + 6 * number)
        if name == wanted:
            return data[place : place + size]
        place += size
    return b""


def holds(path: Path, structure: bytes) -> bool:
    """Whether a file is ``structure`` with samples in the streams that are empty there: the same records in
    the same tree, and every other stream byte for byte. Raises ``OSError``."""
    try:
        with path.open("rb") as file:
            there, meant = Container(file), Container(BytesIO(structure))
            moved = meant.long(), meant.empty()
            return (
                there.class_id == meant.class_id
                and _records(there.directory, *moved) == _records(meant.directory, *moved)
                and all(ours.startswith(own) for ours, own in zip(there.shorts, _used(meant.shorts)))
                and all(there.read(one) == meant.read(one) for one in meant.long())
            )
    except (ValueError, ReadError):
        return False


def _used(shorts: tuple[bytes, bytes]) -> tuple[bytes, bytes]:
    """Short streams and their table, without what of the table is free."""
    body, table = shorts
    return body, table[: -(-len(body) // sectors.MINI) * 4]


def _records(directory: bytes, long: list[int], empty: list[int]) -> bytes:
    """The records of a directory without where the root's, long and once empty streams begin; of those that
    were empty also without their length."""
    records = bytearray(directory)
    for place in (0, *long, *empty):
        records[place * sectors.RECORD + 116 : place * sectors.RECORD + 120] = bytes(4)
    for place in (0, *empty):
        records[place * sectors.RECORD + 120 : (place + 1) * sectors.RECORD] = bytes(8)
    return bytes(records)
