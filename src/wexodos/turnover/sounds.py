"""The sound of a turnover on its way to disk: written block by block, read back and held against what was
meant."""

from __future__ import annotations

import os
import zlib
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import BinaryIO

from wexodos.carryover import Carried
from wexodos.carryover.sounding import with_samples
from wexodos.formats import FORMATS, WriteError
from wexodos.formats.spelling import Sounding, Spelling
from wexodos.ground import Progress
from wexodos.sound.errors import SoundError


def media_folder(stem: str) -> str:
    """The folder beside a turnover that holds the sound files it links to."""
    return f"{stem} media"


class Checked:
    """Counts and sums up the bytes of sounds as they go by."""

    def __init__(self) -> None:
        self.sums: dict[str, tuple[int, int]] = {}

    def around(self, sound: Sounding) -> Sounding:
        """The same sound, remembered under its name as it is written."""
        given = sound.blocks
        if given is None:
            return sound

        def blocks() -> Iterator[bytes]:
            size = crc = 0
            for block in given():
                size, crc = size + len(block), zlib.crc32(block, crc)
                yield block
            self.sums[sound.name] = size, crc

        return replace(sound, blocks=blocks)


def sounds_of(carried: Carried, folder: str) -> dict[str, dict[int, Sounding]]:
    """All sounds of a carry-over with their samples."""
    paths = {media.id: media.path for media in carried.source.media}
    return with_samples(carried.made, carried.destination, folder, paths)


def linked_files(carried: Carried, folder: str) -> list[Sounding]:
    """The sound files that go beside the turnover."""
    if carried.destination.turnover.sound != "linked":
        return []
    return [
        one
        for channels in sounds_of(carried, folder).values()
        for one in channels.values()
        if one.blocks is not None
    ]


def write_sound(path: Path, sound: Sounding, progress: Progress) -> None:
    """Write a sound file and read it back. Raises ``WriteError``."""
    check = Checked()
    watched = check.around(sound)
    assert watched.blocks is not None
    try:
        with path.open("wb") as file:
            file.write(sound.head)
            done = 0
            for block in watched.blocks():
                file.write(block)
                done += len(block)
                progress(f"writing {sound.name}", done / max(sound.size, 1))
            file.write(sound.tail)
            file.flush()
            os.fsync(file.fileno())
        with path.open("rb") as file:
            head = file.read(len(sound.head))
            same = head == sound.head and _sum(file, check.sums[sound.name][0]) == check.sums[sound.name]
    except OSError as error:
        raise WriteError(f"{path}: cannot be written: {(error.strerror or str(error)).lower()}") from None
    except SoundError as error:
        raise WriteError(str(error)) from None
    if not same:
        raise WriteError(f"{path}: what was read back differs from what was written")


def write_embedded(path: Path, carried: Carried, progress: Progress) -> None:
    """Write a turnover with its sound inside, read it back and hold cut and samples against what was meant.
    Raises ``WriteError``."""
    kind = FORMATS[carried.destination.format]
    check = Checked()
    sounds = {
        key: {channel: check.around(one) for channel, one in channels.items()}
        for key, channels in sounds_of(carried, "").items()
    }
    how: Spelling = replace(carried.made.plain, sounds=sounds, progress=progress, structure=carried.data)
    if kind.write_to is None or kind.inside is None:
        raise WriteError(f"{kind.label} holds no sound")
    try:
        names = kind.write_to(
            path, carried.made.document, carried.sequence.id, carried.destination.version, how
        )
    except SoundError as error:
        raise WriteError(str(error)) from None
    progress("reading back", 0.0)
    # What is in it but samples was read back and compared when it was planned: it must be the very same.
    if not kind.inside.holds(path, carried.data):
        raise WriteError(f"{path}: the cut that was read back differs from what was written")
    missing = set(names)
    forms = {one.name: one for channels in sounds.values() for one in channels.values()}
    for number, (key, stream) in enumerate(kind.inside.each(path, carried.data)):
        progress("reading back", number / len(names))
        if key not in missing:
            continue
        missing.discard(key)
        name = names[key]
        stream.seek(0 if forms[name].form == "pcm" else len(forms[name].head))
        if _sum(stream, check.sums[name][0]) != check.sums[name]:
            raise WriteError(f"{path}: the sound {name} that was read back differs from what was written")
    if missing or len(names) != len(check.sums):
        raise WriteError(f"{path}: some sound is not in the file that was read back")


def _sum(file: BinaryIO, size: int) -> tuple[int, int]:
    done = crc = 0
    while done < size:
        block = file.read(min(size - done, 1 << 20))
        if not block:
            break
        done, crc = done + len(block), zlib.crc32(block, crc)
    return done, crc
