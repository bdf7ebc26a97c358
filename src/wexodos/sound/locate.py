"""Where the sound of a medium is: on disk, or inside the exchange file it came with."""

from __future__ import annotations

import os
import shutil
import tempfile
import weakref
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

from wexodos.formats import aaf, omf
from wexodos.formats.errors import ReadError
from wexodos.formats.mobs.tree import Essence, File
from wexodos.model import Document, Media
from wexodos.sound.decode import SoundError
from wexodos.sound.heads import wave_head

_FOLDERS = (".", "media", "Media", "audio", "Audio", "sound", "Sound")
STREAMS: dict[str, Callable[[Path, str], BinaryIO]] = {"aaf": aaf.essence_stream, "omf": omf.essence_stream}
"""How the sound inside a file is opened, by format."""


def _aaf_essence(path: Path) -> dict[str, Essence]:
    return _by_name(aaf.tree_of(path))


def _omf_essence(path: Path) -> dict[str, Essence]:
    return _by_name(omf.tree_of(path))


def _by_name(file: File) -> dict[str, Essence]:
    return {file.mobs[key].name: one for key, one in file.essence.items() if key in file.mobs}


ESSENCE: dict[str, Callable[[Path], dict[str, Essence]]] = {"aaf": _aaf_essence, "omf": _omf_essence}
"""All sound inside a file by the name of its file mob, by format."""


class Finder:
    """Finds the sound of media: where the file says, beside the file in the usual folders, inside the file.

    ``beside`` is the exchange file that was read. Sound inside it is unpacked once, into a folder that goes with this object.
    """

    def __init__(self, beside: Path | None, document: Document) -> None:
        self.beside, self.format = beside, document.format
        self._known: dict[str, Path | None] = {}
        self._folder: Path | None = None

    def __call__(self, media: Media) -> Path | None:
        if media.id not in self._known:
            self._known[media.id] = self._found(media)
        return self._known[media.id]

    def _found(self, media: Media) -> Path | None:
        inside = [value for key, value in media.metadata if key == "embedded"]
        if inside and self.beside is not None and self.format in STREAMS:
            if self._folder is None:
                self._folder = Path(tempfile.mkdtemp(prefix="wexodos-sound-"))
                weakref.finalize(self, shutil.rmtree, self._folder, True)
            try:
                return unpacked(self.beside, self.format, inside[0], media, self._folder)
            except (ReadError, SoundError):
                return None
        base = self.beside.parent if self.beside is not None else None
        tries = [Path(media.path)] if media.path and os.path.isabs(media.path) else []
        if base is not None:
            if media.path and not os.path.isabs(media.path):
                tries.append(base / media.path)
            tries += [base / folder / media.file_name for folder in _FOLDERS]
        for place in tries:
            try:
                if place.is_file():
                    return place
            except (OSError, ValueError):
                continue
        return None


def unpacked(file: Path, format_id: str, key: str, media: Media, folder: Path) -> Path:
    """Write the sound of a medium that stands inside a file out as a sound file of its own; return where.

    Raises ``ReadError`` where it cannot be read, ``SoundError`` where nothing says how its samples are written.
    """
    stream = STREAMS[format_id](file, key)
    try:
        magic = stream.read(4)
        stream.seek(0)
        stem = "".join(one if one.isalnum() or one in " .-_" else "-" for one in media.name).strip(" .") or "sound"
        stem = stem.rsplit(".", 1)[0] if stem.lower().endswith((".wav", ".aif", ".aiff", ".aifc")) else stem
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
            frames = data_size // (bits // 8)
            if media.duration is not None and media.rate is not None:
                frames = min(frames, -int(-media.rate.seconds(media.duration) * rate // 1))
            out.write(wave_head(frames, rate, bits, origin, media.name))
            left = frames * (bits // 8)
            while left:
                block = stream.read(min(left, 1 << 20))
                if not block:
                    break
                out.write(block)
                left -= len(block)
            out.write(bytes(left + (frames * (bits // 8) & 1)))
        return target
    except OSError as error:
        raise SoundError(f"{media.name}: its sound cannot be unpacked: {(error.strerror or str(error)).lower()}") from None
    finally:
        stream.close()


def _size(stream: BinaryIO) -> int:
    stream.seek(0, 2)
    size = stream.tell()
    stream.seek(0)
    return size
