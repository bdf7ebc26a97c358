"""Write a sequence file and its reports into a folder, and read them back to be sure."""

from __future__ import annotations

import contextlib
import hashlib
import re
import shutil
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from wexodos.carryover import Carried, write_file
from wexodos.formats import FORMATS, WriteError
from wexodos.report import render, report_data


@dataclass(frozen=True, slots=True)
class Part:
    """One file of a package: its name, what it is in words, and its bytes."""

    name: str
    what: str
    data: bytes


@dataclass(frozen=True, slots=True)
class Written:
    """A file that was written, read back and found equal."""

    path: Path
    size: int
    digest: str


def safe_name(name: str) -> str:
    """A file name, without a suffix, that every system takes."""
    plain = re.sub(r'[\x00-\x1f<>:"/\\|?*]+', "-", name).strip(" .-") or "sequence"
    return plain[:120]


def parts_of(carried: Carried, source: str, reports: tuple[str, ...] = (".html", ".json")) -> list[Part]:
    """What goes into the package: the sequence file and a report for each suffix."""
    stem = safe_name(carried.sequence.name)
    kind = FORMATS[carried.destination.format]
    main = f"{stem}{kind.suffix}"
    data = report_data(carried, source, [main])
    words = {".html": "report as a page", ".json": "report for programs", ".csv": "report as a table", ".pdf": "report as PDF"}
    return [
        Part(main, f"sequence, {kind.label}", carried.data),
        *(Part(f"{stem} report{suffix}", words[suffix], render(data, suffix)) for suffix in reports),
    ]


def free_space(folder: Path) -> int | None:
    """Bytes free where a folder is or would be; None where nobody can tell."""
    place = folder
    while not place.exists() and place != place.parent:
        place = place.parent
    try:
        return shutil.disk_usage(place).free
    except OSError:
        return None


def write_package(parts: list[Part], folder: Path, source: Path | None, progress: Callable[[str, float], None]) -> list[Written]:
    """Write all parts, each beside its place first, then read each back and compare.

    Raises ``WriteError`` before anything is written where the source file would be overwritten, the folder is missing or space
    is short; whatever was written is taken away again when a later part fails. ``progress`` may raise ``Cancelled``.
    """
    if not folder.is_dir():
        raise WriteError(f"{folder}: there is no such folder")
    for part in parts:
        target = folder / part.name
        if source is not None and target.exists() and source.exists() and target.samefile(source):
            raise WriteError(f"{target}: this is the file taken in, which is never changed")
    free = free_space(folder)
    needed = sum(len(part.data) for part in parts)
    if free is not None and needed + 65536 > free:
        raise WriteError(f"{folder}: {needed // 1024} KiB are needed, {free // 1024} KiB are free")
    done: list[Written] = []
    fresh: list[Path] = []
    try:
        for place, part in enumerate(parts):
            progress(f"writing {part.name}", place / len(parts))
            target = folder / part.name
            new = not target.exists()
            write_file(target, part.data)
            if new:
                fresh.append(target)
            try:
                back = target.read_bytes()
            except OSError as error:
                raise WriteError(f"{target}: cannot be read back: {(error.strerror or str(error)).lower()}") from None
            if back != part.data:
                raise WriteError(f"{target}: what was read back differs from what was written")
            done.append(Written(target, len(back), hashlib.sha256(back).hexdigest()))
        progress("done", 1.0)
        return done
    except BaseException:
        for path in fresh:
            with contextlib.suppress(OSError):
                path.unlink()
        raise
