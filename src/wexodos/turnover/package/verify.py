"""Whether a package is as it was sealed: what is missing, what is another, what its list does not name."""

from __future__ import annotations

import hashlib
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path
from typing import IO, Protocol

from wexodos.formats import ReadError
from wexodos.ground import Progress
from wexodos.ground.files import reason, refuse_special
from wexodos.turnover.package.hashlist import CHAIN, FOLDER, IGNORED, Entry, chained, listed
from wexodos.turnover.package.sums import c4, sum_of

_MOST_LIST = 1 << 30


class State(StrEnum):
    """What became of a file of a package."""

    EQUAL = "equal"
    MISSING = "missing"
    CHANGED = "changed"
    NOT_LISTED = "not listed"


@dataclass(frozen=True, slots=True)
class Checked:
    """A file, what became of it, and how that shows."""

    path: str
    state: State
    words: str = ""


class _Source(Protocol):
    def names(self) -> dict[str, int]:
        """The files by their path in the package, with their sizes in bytes."""

    def open(self, name: str) -> IO[bytes]: ...


class _InFolder:
    def __init__(self, root: Path) -> None:
        self._root = root

    def names(self) -> dict[str, int]:
        found = {}
        for path in sorted(self._root.rglob("*")):
            if path.is_file() or path.is_symlink():
                found[path.relative_to(self._root).as_posix()] = path.lstat().st_size
        return found

    def open(self, name: str) -> IO[bytes]:
        path = self._root / name
        if path.is_symlink() or not path.resolve().is_relative_to(self._root.resolve()):
            raise OSError("it leads out of the package")
        return path.open("rb")


class _InZip:
    def __init__(self, opened: zipfile.ZipFile) -> None:
        self._zip = opened
        chains = [name for name in opened.namelist() if name == CHAIN or name.endswith(f"/{CHAIN}")]
        if not chains:
            raise ReadError("there is no list of sums in it, so nobody can say whether it is whole")
        self._before = min(chains, key=len).removesuffix(CHAIN)

    def names(self) -> dict[str, int]:
        return {
            one.filename.removeprefix(self._before): one.file_size
            for one in self._zip.infolist()
            if not one.is_dir() and one.filename.startswith(self._before)
        }

    def open(self, name: str) -> IO[bytes]:
        return self._zip.open(f"{self._before}{name}")


@contextmanager
def _opened(package: Path) -> Iterator[_Source]:
    if package.is_dir():
        yield _InFolder(package)
        return
    refuse_special(package)
    try:
        with zipfile.ZipFile(package) as opened:
            yield _InZip(opened)
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError) as error:
        words = f"this is no folder and no zip that can be read ({error})"
        raise ReadError(words, "", str(package)) from None
    except OSError as error:
        raise ReadError(f"cannot be opened: {reason(error)}", "", str(package)) from None


def verified(package: Path, progress: Progress) -> list[Checked]:
    """Check a folder or zip against its list of sums, and the list against its chain; in the order of their
    paths. Raises ``ReadError`` where there is no list, or none that can be read."""
    try:
        with _opened(package) as source:
            return _compared(source, progress)
    except ReadError as error:
        raise ReadError(error.problem, error.place, str(package)) from None


def sealed_in(package: Path) -> dict[str, Entry]:
    """What the list of sums of a package names, by its path; nothing else of it is read. Raises ``ReadError``
    as ``verified`` does."""
    try:
        with _opened(package) as source:
            names = source.names()
            if CHAIN not in names:
                raise ReadError("there is no list of sums in it")
            found: dict[str, Entry] = {}
            for path, _ in chained(_read(source, CHAIN, names)):
                for entry in listed(_read(source, path, names), path) if path in names else ():
                    found.setdefault(entry.path, entry)
            return found
    except ReadError as error:
        raise ReadError(error.problem, error.place, str(package)) from None


def _compared(source: _Source, progress: Progress) -> list[Checked]:
    names = source.names()
    if CHAIN not in names:
        raise ReadError("there is no list of sums in it, so nobody can say whether it is whole")
    found: list[Checked] = []
    wanted: dict[str, Entry] = {}
    for path, known in chained(_read(source, CHAIN, names)):
        if path not in names:
            found.append(Checked(path, State.MISSING, "the chain names this list of sums"))
            continue
        data = _read(source, path, names)
        if known and c4(hashlib.sha512(data).digest()) != known:
            found.append(Checked(path, State.CHANGED, "the list of sums is not the one that was sealed"))
        for entry in listed(data, path):
            # What was sealed first counts; a later list only says how a file was found then.
            wanted.setdefault(entry.path, entry)
    whole, done = max(1, sum(names.get(path, 0) for path in wanted)), 0
    for path, entry in wanted.items():
        progress(f"reading {path}", done / whole)
        found.append(_file(source, entry, names, progress, done / whole, names.get(path, 0) / whole))
        done += names.get(path, 0)
    for path in names:
        if path not in wanted and not _ignored(path):
            found.append(Checked(path, State.NOT_LISTED, "the list of sums does not name it"))
    return sorted(found, key=lambda one: one.path)


def _file(
    source: _Source, entry: Entry, names: dict[str, int], progress: Progress, begun: float, share: float
) -> Checked:
    if entry.path not in names:
        return Checked(entry.path, State.MISSING, "the list of sums names it")
    if entry.size is not None and names[entry.path] != entry.size:
        words = f"it has {names[entry.path]} bytes, {entry.size} were sealed"
        return Checked(entry.path, State.CHANGED, words)
    try:
        with source.open(entry.path) as file:
            told = sum_of(
                file,
                entry.kind,
                lambda _what, part: progress(f"reading {entry.path}", begun + part * share),
                names[entry.path],
            )
    except (OSError, zipfile.BadZipFile, RuntimeError, NotImplementedError) as error:
        return Checked(entry.path, State.CHANGED, f"it cannot be read: {error}")
    if told != (entry.digest if entry.kind == "c4" else entry.digest.lower()):
        return Checked(entry.path, State.CHANGED, f"its {entry.kind} is {told}, {entry.digest} was sealed")
    return Checked(entry.path, State.EQUAL)


def _read(source: _Source, path: str, names: dict[str, int]) -> bytes:
    if names[path] > _MOST_LIST:
        raise ReadError("the list of sums is too large", path)
    try:
        with source.open(path) as file:
            return file.read()
    except (OSError, zipfile.BadZipFile, RuntimeError) as error:
        raise ReadError(f"cannot be read: {error}", path) from None


def _ignored(path: str) -> bool:
    return path.startswith(f"{FOLDER}/") or path.rsplit("/", 1)[-1] in IGNORED
