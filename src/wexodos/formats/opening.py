"""Folders and zips: finding the sequence files in what came."""

from __future__ import annotations

import contextlib
import hashlib
import os
import re
import shutil
import stat
import zipfile
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

import platformdirs

from wexodos.formats.errors import ReadError
from wexodos.formats.registry import format_at
from wexodos.ground import Progress, quiet, refuse_special, remains
from wexodos.ground.ending import undisturbed
from wexodos.ground.names import visible

MAX_FILES, MAX_BYTES, MAX_DEPTH = 20_000, 768 * 1024 * 1024, 12
"""How many files are looked into, how many bytes a zip may become in any case, and how deep it goes."""
MOST_TIMES = 20
"""A zip of sound and pictures, which hardly shrink, may become this much larger than it is."""
MOST_KEPT = 8
"""Unpacked zips that are kept; of more the one used longest ago goes."""
SUFFIXES = (".xml", ".fcpxml", ".aaf", ".omf", ".omfi", ".otio", ".edl", ".ale")
_BUNDLE = "Info.fcpxml"


@dataclass(frozen=True, slots=True)
class Seen:
    """A file in a folder; ``why`` says why it is no sequence file, and is empty where it is one."""

    path: Path
    why: str


def looked_through(folder: Path) -> list[Seen]:
    """Every file below a folder, by name, with what it is; looks at most 12 folders deep and into 20,000
    files."""
    found: list[Seen] = []
    for place, folders, files in os.walk(folder):
        depth = len(Path(place).relative_to(folder).parts)
        if depth >= MAX_DEPTH and folders:
            found += [Seen(Path(place) / name, "it lies too deep") for name in sorted(folders)]
            folders.clear()
        folders.sort()
        for name in sorted(files):
            if len(found) >= MAX_FILES:
                return found
            path = Path(place) / name
            found.append(Seen(path, _why_not(path)))
    return found


def _why_not(path: Path) -> str:
    if path.name.startswith("."):
        return "its name begins with a dot"
    if not path.name.lower().endswith(SUFFIXES):
        return "its suffix is none of a sequence file"
    try:
        refuse_special(path)
        return "" if format_at(path) is not None else "no sequence stands in it"
    except ReadError as error:
        return error.problem
    except OSError as error:
        return f"cannot be opened: {(error.strerror or str(error)).lower()}"


def candidates(folder: Path) -> list[Path]:
    """The sequence files below a folder, by name."""
    return [one.path for one in looked_through(folder) if not one.why]


def is_many(path: Path) -> bool:
    """Whether a path is a folder or a zip, in which sequence files have to be looked for."""
    if path.is_dir():
        return not (path / _BUNDLE).is_file()
    return path.suffix.lower() == ".zip"


def inside(path: Path, progress: Progress = quiet) -> list[Path]:
    """The sequence files in a folder or a zip, which is unpacked. Raises ``ReadError`` where there is
    none."""
    found = candidates(path if path.is_dir() else unpacked(path, progress))
    if not found:
        raise ReadError("no sequence file stands in it", "", str(path))
    return found


def the_one(path: Path, progress: Progress = quiet) -> Path:
    """The sequence file that is meant: the path itself, or the only one in a folder or a zip. Raises
    ``ReadError`` that names them where there are several."""
    if not is_many(path):
        return path
    found = inside(path, progress)
    if len(found) > 1:
        root = path if path.is_dir() else unpacked(path, progress)
        names = ", ".join(repr(str(one.relative_to(root))) for one in found[:12])
        more = f" and {len(found) - 12} more" if len(found) > 12 else ""
        raise ReadError(f"{len(found)} sequence files stand in it, name one: {names}{more}", "", str(path))
    return found[0]


# ---- zips


def _cache() -> Path:
    return Path(platformdirs.user_cache_dir("wexodos")) / "zips"


def place_of(archive: Path) -> Path:
    """The folder that an archive as it is now is unpacked into. Raises ``ReadError``."""
    refuse_special(archive)
    info = archive.stat()
    key = f"{archive.resolve()}|{info.st_size}|{info.st_mtime_ns}".encode("utf-8", "surrogateescape")
    stem = re.sub(r"[^\w\- ]+", "-", archive.stem)[:40] or "zip"
    return _cache() / f"{stem}-{hashlib.sha256(key).hexdigest()[:12]}"


def unpacked(archive: Path, progress: Progress = quiet) -> Path:
    """Unpack a zip, its media too, into a folder of our own that is kept for the next time; return it.

    Raises ``ReadError`` for a broken archive, one that would grow beyond 768 MiB and beyond twenty times its
    size, or beyond what is free. Names that lead outside and what is no ordinary file are passed over.
    """
    target = place_of(archive)
    if target.is_dir():
        with contextlib.suppress(OSError):
            os.utime(target)
        return target
    beside = remains.part_name(target)
    remains.begun(beside)
    try:
        beside.mkdir(parents=True)
        _unpack(archive, beside, progress)
        os.replace(beside, target)
    except (zipfile.BadZipFile, OSError, NotImplementedError, RuntimeError, ValueError, EOFError) as error:
        if not target.is_dir():
            raise ReadError(f"the archive cannot be read: {visible(str(error))}", "", str(archive)) from None
    finally:
        with undisturbed():
            remains.removed(beside)
            remains.finished(beside)
    _make_room(target)
    return target


def _unpack(archive: Path, target: Path, progress: Progress) -> None:
    size = archive.stat().st_size
    left = max(MAX_BYTES, MOST_TIMES * size)
    left = min(left, shutil.disk_usage(target).free - (64 << 20))
    with zipfile.ZipFile(archive) as opened:
        entries = opened.infolist()
        if len(entries) > MAX_FILES:
            raise ReadError("the archive holds too many files", "", str(archive))
        for number, info in enumerate(entries):
            parts = _parts(info)
            if parts is None:
                continue
            progress(f"unpacking {parts[-1]}", number / len(entries))
            place = target.joinpath(*parts)
            place.parent.mkdir(parents=True, exist_ok=True)
            with opened.open(info) as source, place.open("xb") as file:
                while block := source.read(1 << 20):
                    left -= len(block)
                    if left < 0:
                        raise ReadError("the archive grows too large when unpacked", "", str(archive))
                    file.write(block)
                    progress(f"unpacking {parts[-1]}", number / len(entries))


def _parts(info: zipfile.ZipInfo) -> tuple[str, ...] | None:
    """Where an entry belongs below the folder; None for what is not taken: folders, links, pipes, devices
    and names that lead outside."""
    kind = stat.S_IFMT(info.external_attr >> 16)
    whole = PurePosixPath(info.filename.replace("\\", "/"))
    if info.is_dir() or kind not in (0, stat.S_IFREG) or whole.is_absolute() or len(whole.parts) > MAX_DEPTH:
        return None
    if any(part in ("..", "") or "\0" in part or part.startswith("__MACOSX") for part in whole.parts):
        return None
    parts = tuple(_short(part) for part in whole.parts)
    return parts or None


def _short(name: str) -> str:
    """A name that fits, with its suffix."""
    if len(os.fsencode(name)) <= 200:
        return name
    stem, dot, suffix = name.rpartition(".")
    return f"{(stem or name)[:40]}-{hashlib.sha256(os.fsencode(name)).hexdigest()[:8]}{dot}{suffix[:10]}"


def _make_room(newest: Path) -> None:
    """Remove the unpacked zips used longest ago."""
    with contextlib.suppress(OSError):
        kept = [one for one in _cache().iterdir() if one.is_dir() and not one.name.startswith(".")]
        kept.sort(key=lambda one: one.stat().st_mtime, reverse=True)
        for one in kept[MOST_KEPT:]:
            if one != newest:
                remains.removed(one)


def forget_unpacked(file: Path) -> None:
    """Remove what the zip that a file came in was unpacked into; nothing for a file that came in none."""
    with contextlib.suppress(OSError, ValueError):
        parts = file.resolve().relative_to(_cache().resolve()).parts
        if len(parts) > 1:
            remains.removed(_cache() / parts[0])
