"""Write a sequence file and its reports into a folder, and read them back to be sure."""

from __future__ import annotations

import contextlib
import hashlib
import os
import re
import shutil
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from wexodos.carryover import Carried, write_file
from wexodos.formats import FORMATS, WriteError
from wexodos.formats.spelling import Sounding
from wexodos.ground import Progress
from wexodos.report import render, report_data
from wexodos.turnover.sounds import linked_files, media_folder, write_embedded, write_sound


@dataclass(frozen=True, slots=True)
class Part:
    """One file of a package: its name, what it is in words, and its bytes.

    Large ones have ``make`` instead: it writes about ``size`` bytes to a place, block by block, and reads
    them back, as ``proof`` says.
    """

    name: str
    what: str
    data: bytes = b""
    make: Callable[[Path, Progress], None] | None = None
    size: int = 0
    proof: str = "sample by sample"

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


def safe_name(name: str) -> str:
    """A file name, without a suffix, that every system takes."""
    plain = re.sub(r'[\x00-\x1f<>:"/\\|?*]+', "-", name).strip(" .-") or "sequence"
    return plain[:120]


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
        Part(f"{folder}/{Path(one.path or one.name).name}", "sound", b"", _sound_maker(one), one.size)
        for one in linked_files(carried, folder)
    ]
    return [Part(name, what, carried.data), *files]


def _sound_maker(sound: Sounding) -> Callable[[Path, Progress], None]:
    return lambda path, progress: write_sound(path, sound, progress)


def parts_of(carried: Carried, source: str, reports: tuple[str, ...] = (".html", ".json")) -> list[Part]:
    """What goes into the package: the sequence file, the sound files it links to, and a report for each
    suffix."""
    stem = safe_name(carried.sequence.name)
    kind = FORMATS[carried.destination.format]
    main = f"{stem}{kind.suffix}"
    turned = main_parts(carried, main)
    return [*turned, *report_parts(carried, source, stem, turned, reports)]


def report_parts(
    carried: Carried, source: str, stem: str, turned: list[Part], reports: tuple[str, ...]
) -> list[Part]:
    """A report on a turnover for each suffix."""
    data = report_data(carried, source, [part.name for part in turned])
    words = {
        ".html": "report as a page",
        ".json": "report for programs",
        ".csv": "report as a table",
        ".pdf": "report as PDF",
    }
    return [Part(f"{stem} report{suffix}", words[suffix], render(data, suffix)) for suffix in reports]


def free_space(folder: Path) -> int | None:
    """Bytes free where a folder is or would be; None where nobody can tell."""
    place = folder
    while not place.exists() and place != place.parent:
        place = place.parent
    try:
        return shutil.disk_usage(place).free
    except OSError:
        return None


def write_package(parts: list[Part], folder: Path, source: Path | None, progress: Progress) -> list[Written]:
    """Write all parts, each beside its place first, then read each back and compare.

    Raises ``WriteError`` before anything is written where the source file would be overwritten, the folder is
    missing or space is short; whatever was written is taken away again when a later part fails. ``progress``
    may raise ``Cancelled``.
    """
    if not folder.is_dir():
        raise WriteError(f"{folder}: there is no such folder")
    for part in parts:
        target = folder / part.name
        if source is not None and target.exists() and source.exists() and target.samefile(source):
            raise WriteError(f"{target}: this is the file taken in, which is never changed")
    free = free_space(folder)
    needed = sum(part.bytes for part in parts)
    if free is not None and needed + 65536 > free:
        raise WriteError(f"{folder}: {needed // 1024} KiB are needed, {free // 1024} KiB are free")
    done: list[Written] = []
    fresh: list[Path] = []
    folders: list[Path] = []
    try:
        for place, part in enumerate(parts):
            progress(f"writing {part.name}", place / len(parts))
            target = folder / part.name
            new = not target.exists()
            if not target.parent.is_dir():
                _make_folder(target.parent)
                folders.append(target.parent)
            if part.make is not None:
                _made(target, part, place, len(parts), progress)
            else:
                write_file(target, part.data)
            if new:
                fresh.append(target)
            done.append(_read_back(target, part))
        progress("done", 1.0)
        return done
    except BaseException:
        for path in fresh:
            with contextlib.suppress(OSError):
                path.unlink()
        for made in folders:
            with contextlib.suppress(OSError):
                made.rmdir()
        raise


def _make_folder(folder: Path) -> None:
    try:
        folder.mkdir()
    except OSError as error:
        raise WriteError(f"{folder}: cannot be made: {(error.strerror or str(error)).lower()}") from None


def _made(target: Path, part: Part, place: int, count: int, progress: Progress) -> None:
    """Have a large part written beside its place, and move it there."""
    assert part.make is not None
    beside = target.with_name(f".{target.name}.{os.getpid()}.part")
    try:
        part.make(beside, lambda what, share: progress(what, (place + share) / count))
        os.replace(beside, target)
    except WriteError as error:
        raise WriteError(str(error).replace(str(beside), str(target))) from None
    except OSError as error:
        raise WriteError(f"{target}: cannot be written: {(error.strerror or str(error)).lower()}") from None
    finally:
        with contextlib.suppress(OSError):
            beside.unlink()


def _read_back(target: Path, part: Part) -> Written:
    """What was written, read back; large parts have read themselves back already."""
    try:
        if part.make is not None:
            return Written(target, target.stat().st_size, "", part.proof)
        back = target.read_bytes()
    except OSError as error:
        raise WriteError(f"{target}: cannot be read back: {(error.strerror or str(error)).lower()}") from None
    if back != part.data:
        raise WriteError(f"{target}: what was read back differs from what was written")
    return Written(target, len(back), hashlib.sha256(back).hexdigest())
