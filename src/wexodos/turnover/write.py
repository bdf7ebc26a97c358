"""Write a sequence file and its reports into a folder, and read them back to be sure."""

from __future__ import annotations

import hashlib
import os
import shutil
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path
from typing import Any, Protocol

import xxhash

from wexodos.carryover import Carried
from wexodos.formats import FORMATS, WriteError
from wexodos.formats.spelling import Sounding
from wexodos.ground import Delivery, Progress
from wexodos.ground.files import reason
from wexodos.ground.names import size_words
from wexodos.turnover.sounds import linked_files, media_folder, write_embedded, write_sound

_BLOCK = 1 << 20
"""Bytes that are read back at once."""


class PartKind(StrEnum):
    """What a file that leaves is to those who get it."""

    SEQUENCE = "sequence"
    MEDIA = "media"
    REFERENCE = "reference-picture"
    MIX = "guide-mix"
    BAKED = "baked"
    REPORT = "report"
    COVER = "cover-sheet"
    CUT_LIST = "cut-list"
    PULL_LIST = "pull-list"
    MEDIA_LIST = "media-list"
    SHOT_LIST = "shot-list"
    MANIFEST = "manifest"


@dataclass(frozen=True, slots=True)
class Origin:
    """Of which file of here a part holds the stretch of ``frames`` from ``first`` on: frames of its picture,
    samples where it has none. ``copied`` is whether they are as they were, not coded anew."""

    source: Path
    first: int
    frames: int
    copied: bool = True


class Memo(Protocol):
    """What the making of a part tells beside its bytes, in plain values: a part that was made earlier tells
    it again."""

    def told(self) -> Any: ...

    def recall(self, told: Any) -> None: ...


@dataclass(frozen=True, slots=True)
class Part:
    """One file of a package: its name, what it is in words, and its bytes.

    Large ones have ``make`` instead: it writes about ``size`` bytes to a place, block by block, and reads
    them back, as ``proof`` says. ``key`` tells of what it is made where that is less than the whole plan.
    """

    name: str
    what: str
    data: bytes = b""
    make: Callable[[Path, Progress], None] | None = None
    size: int = 0
    proof: str = "sample by sample"
    kind: PartKind = PartKind.SEQUENCE
    origin: Origin | None = None
    key: str = ""
    memo: Memo | None = None

    @property
    def bytes(self) -> int:
        return self.size if self.make is not None else len(self.data)


@dataclass(frozen=True, slots=True)
class Written:
    """A file that was written, read back and found equal: by its SHA-256, or as ``proof`` says."""

    path: Path
    size: int
    digest: str
    proof: str = "byte for byte"


def main_parts(carried: Carried, name: str) -> list[Part]:
    """The turnover itself as a file of that name, and the sound files it links to."""
    kind = FORMATS[carried.destination.format]
    what = f"sequence, {kind.label}"
    if kind.parts is not None:
        lists = kind.parts(carried.data)
        stem, dot, suffix = name.rpartition(".")
        names = [f"{stem}{tail}{dot}{suffix}" if stem else f"{name}{tail}" for tail, _ in lists]
        return [Part(one, what, data) for one, (_, data) in zip(names, lists)]
    sound = carried.destination.turnover.sound
    if not carried.made.pieces or sound == "source":
        return [Part(name, what, carried.data)]
    if sound == "embedded":
        whole = Part(
            name,
            f"{what}, with its sound",
            b"",
            lambda path, progress: write_embedded(path, carried, progress),
            len(carried.data) + carried.made.size(),
        )
        return [whole]
    folder = media_folder(Path(name).stem)
    files = [
        Part(
            f"{folder}/{Path(one.path or one.name).name}",
            "sound",
            b"",
            _sound_maker(one),
            one.size,
            kind=PartKind.MEDIA,
        )
        for one in linked_files(carried, folder)
    ]
    return [Part(name, what, carried.data), *files]


def _sound_maker(sound: Sounding) -> Callable[[Path, Progress], None]:
    return lambda path, progress: write_sound(path, sound, progress)


def free_space(folder: Path) -> int | None:
    """Bytes free where a folder is or would be; None where nobody can tell."""
    place = folder
    while not place.exists() and place != place.parent:
        place = place.parent
    try:
        return shutil.disk_usage(place).free
    except OSError:
        return None


def write_package(
    parts: list[Part],
    folder: Path,
    source: Path | None,
    progress: Progress,
    others: list[tuple[Path, bytes]] | None = None,
) -> list[Written]:
    """Make all parts beside their place, read each back and compare, then move all of them there together,
    the first one last: it refers to the others. ``others`` are files elsewhere that arrive with them.

    Raises ``WriteError`` before anything is written where the source file would be overwritten, the folder is
    missing or space is short. Where anything fails, everything stays as it was. ``progress`` may raise
    ``Cancelled``.
    """
    if not folder.is_dir():
        raise WriteError(f"{folder}: there is no such folder")
    elsewhere = others or []
    for target in (*(folder / part.name for part in parts), *(path for path, _ in elsewhere)):
        if source is not None and target.exists() and source.exists() and target.samefile(source):
            raise WriteError(f"{target}: this is the file taken in, which is never changed")
    free = free_space(folder)
    needed = sum(part.bytes for part in parts)
    if free is not None and needed + 65536 > free:
        raise WriteError(
            f"{folder}: {size_words(needed)} {'is' if needed == 1 else 'are'} needed, {size_words(free)} free"
        )
    done: list[Written] = []
    with Delivery() as delivery:
        for place, part in enumerate(parts):
            progress(f"writing {part.name}", place / len(parts))
            target = folder / part.name
            made = delivery.place(folder, part.name)
            try:
                if part.make is not None:
                    part.make(made, partly(progress, place, len(parts)))
                else:
                    _write(made, part.data)
                done.append(_read_back(made, target, part))
            except WriteError as error:
                raise WriteError(str(error).replace(str(made), str(target))) from None
            except OSError as error:
                raise WriteError(f"{target}: cannot be written: {reason(error)}") from None
        for path, data in elsewhere:
            if not path.parent.is_dir():
                raise WriteError(f"{path}: there is no such folder")
            made = delivery.place(path.parent, path.name)
            try:
                _write(made, data)
            except OSError as error:
                raise WriteError(f"{path}: cannot be written: {reason(error)}") from None
        # The last moment at which it can be stopped.
        progress("done", 1.0)
        delivery.arrive()
    return done


def partly(progress: Progress, place: int, count: int) -> Progress:
    """The progress of one part among ``count``."""
    return lambda what, share: progress(what, (place + share) / count)


def _write(path: Path, data: bytes) -> None:
    with path.open("xb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())


def _read_back(made: Path, target: Path, part: Part) -> Written:
    """What was written, read back; large parts have read themselves back already."""
    if part.make is not None:
        return Written(target, made.stat().st_size, "", part.proof)
    back = made.read_bytes()
    if back != part.data:
        raise WriteError(f"{target}: what was read back differs from what was written")
    return Written(target, len(back), hashlib.sha256(back).hexdigest())


def write_blocks(path: Path, blocks: Iterable[bytes]) -> None:
    """Write a new file and read it back. Raises ``WriteError``."""
    meant, back = xxhash.xxh3_128(), xxhash.xxh3_128()
    try:
        with path.open("xb") as made:
            for data in blocks:
                meant.update(data)
                made.write(data)
        with path.open("rb") as made:
            while data := made.read(_BLOCK):
                back.update(data)
    except OSError as error:
        raise WriteError(f"{path}: cannot be written: {reason(error)}") from None
    if back.digest() != meant.digest():
        raise WriteError(f"{path}: what was read back differs from what was written")
