"""Folders and zips: finding the sequence files in what came."""

from __future__ import annotations

import os
import tempfile
import zipfile
from pathlib import Path, PurePosixPath

from wexodos.formats.errors import ReadError
from wexodos.formats.registry import format_at

MAX_FILES, MAX_BYTES, MAX_DEPTH = 20_000, 768 * 1024 * 1024, 12
SUFFIXES = (".xml", ".fcpxml", ".aaf", ".omf", ".omfi", ".otio", ".edl")


def candidates(folder: Path) -> list[Path]:
    """Return the sequence files below a folder, by name; looks at most 12 folders deep and into 20,000
    files."""
    found: list[Path] = []
    seen = 0
    for place, folders, files in os.walk(folder):
        if len(Path(place).relative_to(folder).parts) >= MAX_DEPTH:
            folders.clear()
        folders.sort()
        for name in sorted(files):
            seen += 1
            if seen > MAX_FILES:
                return found
            path = Path(place) / name
            if name.lower().endswith(SUFFIXES) and not name.startswith(".") and _is_sequence(path):
                found.append(path)
    return found


def _is_sequence(path: Path) -> bool:
    try:
        return format_at(path) is not None
    except OSError:
        return False


def unpacked(archive: Path) -> Path:
    """Unpack the sequence files of a zip into a folder of our own and return it.

    Raises ``ReadError`` for a broken archive, one that would grow beyond 768 MiB, and passes over names that
    lead outside.
    """
    target = Path(tempfile.mkdtemp(prefix="wexodos-zip-"))
    left = MAX_BYTES
    try:
        with zipfile.ZipFile(archive) as opened:
            for number, info in enumerate(opened.infolist()):
                if number > MAX_FILES:
                    raise ReadError("the archive holds too many files", "", str(archive))
                inside = PurePosixPath(info.filename.replace("\\", "/"))
                if (
                    info.is_dir()
                    or inside.is_absolute()
                    or ".." in inside.parts
                    or not inside.name.lower().endswith(SUFFIXES)
                ):
                    continue
                place = target / f"{number:05d}-{inside.name[:150]}"
                with opened.open(info) as source, place.open("wb") as file:
                    while block := source.read(1 << 20):
                        left -= len(block)
                        if left < 0:
                            raise ReadError("the archive grows too large when unpacked", "", str(archive))
                        file.write(block)
    except (zipfile.BadZipFile, OSError, NotImplementedError, RuntimeError) as error:
        raise ReadError(f"the archive cannot be read: {error}", "", str(archive)) from None
    return target
