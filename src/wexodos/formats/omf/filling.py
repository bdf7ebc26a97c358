"""Samples put before a structure that is there already, and such a file held against its structure.

The writer puts sound first and all else behind it, so a file with its sound is the one without it, moved on:
only where values stand, in the table of contents and in the label, is another.
"""

from __future__ import annotations

import functools
import io
import os
import struct
from collections import defaultdict
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import BinaryIO, TypeAlias

import numpy as np

from wexodos.formats.errors import WriteError
from wexodos.formats.omf import constants as c
from wexodos.formats.omf.container import Container, Value
from wexodos.formats.omf.objects import Object, Objects
from wexodos.formats.omf.reader import Segments
from wexodos.formats.omf.write_container import ALIGNED, BUFFER
from wexodos.formats.spelling import Content

_SOUNDS = ("OMFI:WAVE:AudioData", "OMFI:AIFC:AudioData")
_ASKED = ("OMFI:HEAD:ByteOrder", "OMFI:ByteOrder", "OMFI:MDAT:MobID", "OMFI:MOBJ:MobID", "OMFI:MOBJ:Name")
_NAMED = (c.TYPE_NAME, c.PROPERTY_NAME)


class Structure:
    """A file of ours without its sound: its table, where in that it says where values stand, and the values
    that tell which sound belongs to what, with no others."""

    def __init__(self, data: bytes) -> None:
        self.label = data[-c.LABEL_SIZE :]
        self.offset, length = struct.unpack("<II", self.label[-8:])
        self.table = data[self.offset : self.offset + length]
        version = struct.unpack_from("<H", self.label, 12)[0]
        rows = np.array((_first if version == 1 else _second)(self.table), np.int64).reshape(-1, 4)
        away = rows[rows[:, 3] < 0]
        # Where in the table, and the object, of every value that stands outside of it.
        self.places, self.owners = away[:, 0], away[:, 1]
        named = {
            name: data[slice(*self._stands(place, size))].partition(b"\0")[0].decode("ascii")
            for place, name, _, size in rows[np.isin(rows[:, 2], _NAMED)].tolist()
        }
        self.sounds = np.isin(away[:, 2], [key for key, name in named.items() if name in _SOUNDS])
        values: dict[int, dict[int, Value]] = defaultdict(dict)
        asked = np.isin(rows[:, 2], [key for key, name in named.items() if name in _ASKED])
        for place, owner, name, size in rows[asked].tolist():
            start, end = self._stands(place, size)
            values[owner][name] = Value(0, [(start, end - start)])
        self.container = Container(data, len(data), "<", dict(values), named, version)

    def _stands(self, place: int, size: int) -> tuple[int, int]:
        """Where in the file a value begins and ends that the table speaks of at ``place``."""
        if size >= 0:
            return self.offset + place, self.offset + place + size
        start, length = struct.unpack_from("<II", self.table, place)
        return start, start + length

    def keys(self) -> dict[int, str]:
        """The mob each sound belongs to, by the object it is a property of."""
        objects = Objects(self.container)
        return {
            int(one): Object(objects, int(one)).uid("OMFI:MDAT:MobID") for one in self.owners[self.sounds]
        }

    def mobs(self) -> dict[str, str]:
        """The names of the mobs, by key."""
        objects = Objects(self.container)
        found = {}
        for one in self.container.find("OMFI:MOBJ:Name"):
            mob = Object(objects, one)
            found[mob.uid("OMFI:MOBJ:MobID")] = mob.text("OMFI:MOBJ:Name")
        return found

    def moved(self, by: int, sounds: dict[int, tuple[int, int]]) -> bytes:
        """The table and the label of the file with its sound: all values stand ``by`` bytes further on, the
        sounds where ``sounds`` says, by the object they are a property of."""
        table = np.frombuffer(self.table, np.uint8).copy()
        spots = self.places[:, None] + np.arange(8)
        told = np.ascontiguousarray(table[spots]).view("<u4").astype(np.int64)
        told[:, 0] += by
        for row in np.nonzero(self.sounds)[0]:
            told[row] = sounds[int(self.owners[row])]
        table[spots] = np.ascontiguousarray(told.astype("<u4")).view(np.uint8)
        label = self.label[:-8] + struct.pack("<II", self.offset + by, len(self.table))
        return table.tobytes() + label


@functools.lru_cache(maxsize=1)
def _taken_apart(structure: bytes) -> Structure:
    """A structure, once for writing, holding and opening."""
    return Structure(structure)


Row: TypeAlias = tuple[int, int, int, int]
"""A value in a table: where, its object, its property, and its size where it stands in the table, else -1."""


def _first(table: bytes) -> list[Row]:
    """The values of a table of ours, version 1."""
    return [
        (place + 12, owner, name, length if flags & c.IMMEDIATE_FLAG else -1)
        for place, (owner, name, _, _, length, _, flags) in zip(
            range(0, len(table), 24), struct.iter_unpack("<IIIIIHH", table)
        )
    ]


def _second(table: bytes) -> list[Row]:
    """The values of a table of ours, version 2. Raises ``WriteError``."""
    found = []
    place, owner, name = 0, 0, 0
    two = struct.Struct("<II").unpack_from
    while place < len(table):
        code = table[place]
        place += 1
        if code == c.NEW_OBJECT:
            owner, name = two(table, place)
            place += 12
        elif code == c.NEW_PROPERTY:
            name = two(table, place)[0]
            place += 8
        elif code == c.VALUE:
            found.append((place, owner, name, -1))
            place += 8
        elif code == c.IMMEDIATE_4:
            found.append((place, owner, name, 4))
            place += 4
        elif code == c.REFERENCES:
            place += 4
        elif code == c.END_OF_BUFFER:
            place = -(-place // BUFFER) * BUFFER
        elif code != c.NOTHING:
            raise WriteError("the table of contents is none of ours")
    return found


def filled(
    path: Path, structure: bytes, sounds: dict[str, Content], told: Callable[[int], None]
) -> dict[str, str]:
    """Write a new file that is ``structure`` with ``sounds``, by the names of their mobs; return the names by
    key. Raises ``OSError``, and ``WriteError`` where a sound has no place, another length than was said, or
    passes 2 GiB."""
    held = _taken_apart(structure)
    keys, names = held.keys(), held.mobs()
    if sorted(names.get(key, "") for key in keys.values()) != sorted(sounds):
        raise WriteError(f"{path}: its structure was made for other sounds")
    stand: dict[int, tuple[int, int]] = {}
    with path.open("wb", 1 << 20) as target:
        place = 0
        for owner, key in keys.items():
            sound = sounds[names[key]]
            place += target.write(bytes(-place % ALIGNED))
            stand[owner] = place, sound.size
            if place + sound.size + len(structure) > c.MOST_BYTES:
                raise WriteError("an OMF cannot be larger than 2 GiB")
            for block in sound.blocks():
                place += target.write(block)
                told(len(block))
            if place != sum(stand[owner]):
                raise WriteError(f"{path}: a sound has another length than was planned")
        place += target.write(bytes(-place % 4))
        target.write(structure[: held.offset])
        target.write(held.moved(place, stand))
        target.flush()
        os.fsync(target.fileno())
    return {key: names[key] for key in keys.values()}


def holds(path: Path, structure: bytes) -> bool:
    """Whether a file is ``structure`` with samples before it: every value byte for byte, the table and the
    label too but for where values stand. Raises ``OSError``."""
    held = _taken_apart(structure)
    behind = len(structure)
    by = path.stat().st_size - behind
    if by < 0:
        return False
    with path.open("rb") as file:
        file.seek(by)
        there = file.read()
    return there[: held.offset] == structure[: held.offset] and there[held.offset :] == held.moved(
        by, _stand(held, there)
    )


def _stand(held: Structure, there: bytes) -> dict[int, tuple[int, int]]:
    """Where the sounds of a file stand, as its own table says. ``there`` is what stands behind them."""
    return {
        int(held.owners[row]): struct.unpack_from("<II", there, held.offset + int(held.places[row]))
        for row in np.nonzero(held.sounds)[0]
    }


def sounds_in(path: Path, structure: bytes) -> Iterator[tuple[str, BinaryIO]]:
    """Every sound of a file that ``holds`` its structure, with the id of its mob, from where its own table
    says that it stands."""
    held = _taken_apart(structure)
    with path.open("rb") as file:
        file.seek(path.stat().st_size - len(structure))
        there = file.read()
    keys = held.keys()
    for owner, (place, size) in _stand(held, there).items():
        with io.BufferedReader(Segments(path, [(place, size)]), 1 << 20) as stream:
            yield keys[owner], stream
