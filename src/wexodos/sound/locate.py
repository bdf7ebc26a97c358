"""Where the sound of a medium is: on disk, or inside the exchange file it came with."""

from __future__ import annotations

import os
import shutil
from collections.abc import Mapping
from dataclasses import replace
from itertools import chain
from pathlib import Path
from typing import BinaryIO

import numpy as np

from wexodos.footage.numbered import numbered
from wexodos.footage.tables import SUFFIXES as TABLES
from wexodos.footage.tables import is_table, stands_for_table
from wexodos.formats import FORMATS
from wexodos.formats.errors import ReadError
from wexodos.formats.mobs.sources import CHANNEL
from wexodos.formats.protocol import Inside
from wexodos.ground.names import unreserved
from wexodos.ground.remains import scratch_folder
from wexodos.model import Document, Embedded, Media
from wexodos.sound.convert import packed
from wexodos.sound.decode import blocks, facts
from wexodos.sound.errors import SoundError
from wexodos.sound.heads import wave_head

_FOLDERS = (".", "media", "Media", "audio", "Audio", "sound", "Sound")


def _inside(format_id: str) -> Inside | None:
    """How sound inside files of a format is reached; None where there is none."""
    kind = FORMATS.get(format_id)
    return kind.inside if kind is not None else None


class Finder:
    """Finds the sound of media: where the file says, beside the file in the usual folders, inside the file.

    ``beside`` is the exchange file that was read. Sound that stands inside one is unpacked once, into a
    folder that goes with this object. ``tables`` are where look-up tables were found, by the medium that
    stands for each.
    """

    def __init__(
        self, beside: Path | None, document: Document, tables: Mapping[str, Path] | None = None
    ) -> None:
        self.beside, self.format, self.tables = beside, document.format, tables or {}
        self._known: dict[str, Path | None] = {}
        self._folder: Path | None = None

    def __call__(self, media: Media) -> Path | None:
        if stands_for_table(media):
            return self.tables.get(media.id) or self._table(media)
        if media.id not in self._known:
            self._known[media.id] = self._found(media)
        return self._known[media.id]

    def _found(self, media: Media) -> Path | None:
        inside = media.embedded
        if inside is not None and not inside.file and self.beside is not None:
            inside = replace(inside, file=str(self.beside), format=self.format)
        if inside is not None and inside.file and _inside(inside.format) is not None:
            self._folder = self._folder or self._new_folder()
            try:
                return self._unpacked(media, inside)
            except (ReadError, SoundError, OSError, ValueError):
                return None
        apart = {
            int(key[len(CHANNEL) :]): value
            for key, value in media.metadata
            if key.startswith(CHANNEL) and key[len(CHANNEL) :].isdigit()
        }
        if len(apart) > 1:
            return self._apart(apart)
        return self._placed(media)

    def _table(self, media: Media) -> Path | None:
        """Where a table lies that a cut names: as it is written, or with the suffix it leaves out."""
        place = self._placed(media)
        if place is not None or is_table(media.file_name):
            return place
        named = (replace(media, name=f"{media.file_name}{suffix}", path=None) for suffix in TABLES)
        return next((found for one in named if (found := self._placed(one)) is not None), None)

    def _apart(self, channels: dict[int, str]) -> Path | None:
        """A medium whose channels are a file each, as one file; None where one of them is not there."""
        found = {
            number: self._placed(Media(str(number), Path(path).name, path))
            for number, path in channels.items()
            if 0 < number <= 64
        }
        there = {number: path for number, path in found.items() if path is not None}
        if len(there) < len(channels):
            return None
        self._folder = self._folder or self._new_folder()
        try:
            return together(there, self._folder)
        except (SoundError, OSError):
            return None

    def _new_folder(self) -> Path:
        return scratch_folder(self, "sound")

    def _placed(self, media: Media) -> Path | None:
        """Where a medium says it is, else beside the file in the usual folders."""
        base = self.beside.parent if self.beside is not None else None
        tries = [Path(media.path)] if media.path and os.path.isabs(media.path) else []
        if base is not None:
            if media.path and not os.path.isabs(media.path):
                tries.append(base / media.path)
            tries += [base / folder / media.file_name for folder in _FOLDERS]
        for place in tries:
            try:
                if place.is_file() or numbered(place) is not None:
                    return place
            except (OSError, ValueError):
                continue
        return None

    def _unpacked(self, media: Media, inside: Embedded) -> Path:
        """The sound of a medium that stands inside a file; channels that stand apart are brought together."""
        assert self._folder is not None
        channels = inside.streams
        # One stream holds all channels, sample by sample in turn; several hold one each.
        wide = (media.channels or 1) if len(channels) == 1 else 1
        made = [
            (number, unpacked(Path(inside.file), inside.format, key, media, self._folder, wide))
            for number, key in channels
        ]
        if len(made) == 1 and made[0][0] <= 1:
            return made[0][1]
        return together(dict(made), self._folder)


def together(channels: dict[int, Path], folder: Path) -> Path:
    """Mono files as one file with each at its channel, silence where there is none. Raises ``SoundError``."""
    told = {number: facts(path) for number, path in channels.items()}
    count, frames = max(told), max(one.frames for one in told.values())
    first = next(iter(told.values()))
    stem = next(iter(channels.values())).stem
    target = folder / f"{stem}.all.wav"
    bits = max(one.bits or 24 for one in told.values())
    with target.open("wb") as file:
        file.write(wave_head(frames, first.rate, bits, None, stem, None, count))
        streams = {number: blocks(path, 1, 0, frames) for number, path in channels.items()}
        left = frames
        while left:
            rows = {number: next(stream) for number, stream in streams.items()}
            size = min(left, *(len(row) for row in rows.values()))
            whole = np.zeros((size, count))
            for number, row in rows.items():
                whole[:, number - 1] = row[:size]
                if len(row) > size:
                    streams[number] = chain([row[size:]], streams[number])
            for block in packed([whole.reshape(-1)], bits, True):
                file.write(block)
            left -= size
    return target


def unpacked(file: Path, format_id: str, key: str, media: Media, folder: Path, channels: int = 1) -> Path:
    """Write the sound of a medium that stands inside a file out as a sound file of its own; return where.

    Bare samples of so many ``channels`` stand in turn.

    Raises ``ReadError`` where it cannot be read, ``SoundError`` where nothing says how its samples are
    written.
    """
    reached = _inside(format_id)
    if reached is None:
        raise SoundError(f"{file}: no sound stands inside such a file")
    stream = reached.stream(file, key)
    try:
        magic = stream.read(4)
        stream.seek(0)
        stem = (
            "".join(one if one.isalnum() or one in " .-_" else "-" for one in media.name).strip(" .")
            or "sound"
        )
        stem = stem.rsplit(".", 1)[0] if stem.lower().endswith((".wav", ".aif", ".aiff", ".aifc")) else stem
        stem = unreserved(stem)
        suffix = {b"RIFF": ".wav", b"FORM": ".aif"}.get(magic, ".wav")
        target = folder / f"{stem}{suffix}"
        number = 2
        while target.exists():
            target, number = folder / f"{stem} {number}{suffix}", number + 1
        with target.open("wb") as out:
            if magic in (b"RIFF", b"FORM"):
                shutil.copyfileobj(stream, out, 1 << 20)
                return target
            bits, rate = media.bit_depth, media.sample_rate
            if bits not in (16, 24, 32) or not rate:
                raise SoundError(f"{media.name}: it does not say how its samples are written")
            origin = None
            if media.start is not None and media.rate is not None:
                origin = int(media.rate.seconds(media.start) * rate)
            data_size = _size(stream)
            step = channels * bits // 8
            frames = data_size // step
            if media.duration is not None and media.rate is not None:
                frames = min(frames, -int(-media.rate.seconds(media.duration) * rate // 1))
            out.write(wave_head(frames, rate, bits, origin, media.name, None, channels))
            left = frames * step
            while left:
                block = stream.read(min(left, 1 << 20))
                if not block:
                    break
                out.write(block)
                left -= len(block)
            out.write(bytes(left + (frames * step & 1)))
        return target
    except OSError as error:
        raise SoundError(
            f"{media.name}: its sound cannot be unpacked: {(error.strerror or str(error)).lower()}"
        ) from None
    finally:
        stream.close()


def _size(stream: BinaryIO) -> int:
    stream.seek(0, 2)
    size = stream.tell()
    stream.seek(0)
    return size
