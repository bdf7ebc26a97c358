"""What a process has begun and not finished, on record: a kill leaves nothing that the next start does not
clear away.

Every unfinished file or folder is named in a record of the process, which holds a lock on it as long as it
lives. A record whose lock is free belongs to nobody: what it names is removed, and a delivery that was being
moved into place is moved to its end.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import json
import os
import secrets
import shutil
import tempfile
import threading
import time
import weakref
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import platformdirs

from wexodos.ground.ending import undisturbed

_PART, _SCRATCH, _BEGUN = ".part", "wexodos-", ".begun"
"""What may be removed: names that only we make."""
_DAYS = 14
"""So long what a person stopped is kept for going on with it."""


def _folder() -> Path:
    """Where the records stand: with the state of the user, or where that cannot be written with the
    temporary files."""
    for place in (
        Path(platformdirs.user_state_dir("wexodos")),
        Path(tempfile.gettempdir()) / f"wexodos-state-{os.getuid()}",
    ):
        with contextlib.suppress(OSError):
            folder = place / "unfinished"
            folder.mkdir(parents=True, exist_ok=True)
            if os.access(folder, os.W_OK):
                return folder
    raise OSError("there is no place for the record of what is unfinished")


def _whole(path: Path) -> str:
    """From the root: the next start may stand in another folder."""
    return os.path.abspath(path)


class Record:
    """What this process has not finished. It stands on disk only while there is something in it."""

    def __init__(self) -> None:
        # What is collected meanwhile, in this very thread, clears its folder away and says so here.
        self._guard = threading.RLock()
        self._open: set[str] = set()
        self._number: int | None = None
        self._file: Path | None = None
        self._process = os.getpid()

    def add(self, path: Path) -> None:
        """Name something before it is made."""
        with self._guard:
            self._ours()
            # First of all, so that nobody ends the record in between.
            self._open.add(_whole(path))
            self._begin()
            self._say({"made": _whole(path)})

    def drop(self, path: Path) -> None:
        """It is finished or gone."""
        with self._guard:
            self._open.discard(_whole(path))
            self._end()

    def moving(self, moves: list[tuple[Path, Path]]) -> None:
        """From here on these are moved to their places: a kill must not leave half of them there."""
        with self._guard:
            self._begin()
            self._say({"moving": [[_whole(one), _whole(other)] for one, other in moves]})

    def moved(self) -> None:
        """All of them are where they belong, or where they were."""
        with self._guard:
            self._say({"moved": True})

    def _ours(self) -> None:
        if self._process != os.getpid():
            # A copy of the process has a record of its own.
            self._open, self._number, self._file, self._process = set(), None, None, os.getpid()

    def _begin(self) -> None:
        self._ours()
        if self._number is not None:
            return
        with contextlib.suppress(OSError):
            folder = _folder()
            while self._number is None:
                file = folder / f"{os.getpid()}-{secrets.token_hex(4)}.record"
                number = os.open(file, os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_APPEND, 0o600)
                fcntl.flock(number, fcntl.LOCK_EX)
                with contextlib.suppress(FileNotFoundError):
                    if os.stat(file).st_ino == os.fstat(number).st_ino:
                        self._number, self._file = number, file
                        return
                # Another start took it for one that was left.
                os.close(number)

    def _say(self, told: dict[str, Any]) -> None:
        if self._number is not None:
            with contextlib.suppress(OSError):
                os.write(self._number, (json.dumps(told) + "\n").encode("ascii"))

    def _end(self) -> None:
        if self._open or self._number is None or self._file is None:
            return
        with contextlib.suppress(OSError):
            self._file.unlink()
        os.close(self._number)
        self._number = self._file = None


_RECORD = Record()
begun, finished = _RECORD.add, _RECORD.drop
moving, moved = _RECORD.moving, _RECORD.moved


def part_name(path: Path) -> Path:
    """A name beside ``path`` for what is not whole yet."""
    # 255 bytes are the most a name may have; letters take up to four of them.
    return path.with_name(f".{path.name[:40]}.{os.getpid()}-{secrets.token_hex(4)}{_PART}")


def removed(path: Path) -> None:
    """Remove a file or folder of ours with all in it, if it is there."""
    with contextlib.suppress(OSError):
        if path.is_dir() and not path.is_symlink():
            shutil.rmtree(path, ignore_errors=True)
        else:
            path.unlink()


def scratch_folder(owner: object, what: str) -> Path:
    """A new temporary folder that goes with ``owner``, at the latest with the process, and after a kill with
    the next start. Raises ``OSError``."""
    folder = Path(tempfile.gettempdir()) / f"{_SCRATCH}{what}-{os.getpid()}-{secrets.token_hex(4)}"
    begun(folder)
    folder.mkdir(mode=0o700)
    weakref.finalize(owner, _gone, folder)
    return folder


def _gone(folder: Path) -> None:
    with undisturbed():
        removed(folder)
        finished(folder)


@contextlib.contextmanager
def scratch(what: str) -> Iterator[Path]:
    """A temporary folder for as long as it lasts; after a kill it goes with the next start. Raises
    ``OSError``."""
    folder = Path(tempfile.gettempdir()) / f"{_SCRATCH}{what}-{os.getpid()}-{secrets.token_hex(4)}"
    begun(folder)
    try:
        folder.mkdir(mode=0o700)
        yield folder
    finally:
        _gone(folder)


def kept(path: Path) -> None:
    """Note a folder that stays beside what a person stopped: it goes when nobody came back to it for days.
    Raises ``OSError``."""
    _note(path).write_text(_whole(path), encoding="utf-8", errors="surrogateescape")


def dropped(path: Path) -> None:
    """That folder is gone."""
    with contextlib.suppress(OSError):
        _note(path).unlink()


def _note(path: Path) -> Path:
    own = hashlib.sha256(_whole(path).encode("utf-8", "surrogateescape")).hexdigest()[:24]
    return _folder() / f"{own}{_BEGUN}"


def _outdated() -> int:
    """Remove what was stopped and not gone on with; how many things that was."""
    count = 0
    for note in sorted(_folder().glob(f"*{_BEGUN}")):
        with contextlib.suppress(OSError):
            if time.time() - note.stat().st_mtime < _DAYS * 86400:
                continue
            path = Path(note.read_text(encoding="utf-8", errors="surrogateescape"))
            if path.name.endswith(_BEGUN) and os.path.lexists(path):
                removed(path)
                count += 1
            note.unlink()
    return count


def clear_away() -> int:
    """Finish or remove what processes that are no more have left; how many things that was. Raises
    nothing."""
    count = 0
    with contextlib.suppress(OSError):
        for file in sorted(_folder().glob("*.record")):
            with contextlib.suppress(OSError):
                count += _cleared(file)
        count += _outdated()
    return count


def _cleared(file: Path) -> int:
    number = os.open(file, os.O_RDWR | os.O_CLOEXEC)
    try:
        try:
            fcntl.flock(number, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            return 0
        made: list[Path] = []
        moves: list[tuple[Path, Path]] = []
        with os.fdopen(os.dup(number), "rb") as lines:
            for line in lines:
                told = _told(line)
                if isinstance(told.get("made"), str):
                    made.append(Path(told["made"]))
                elif isinstance(told.get("moving"), list):
                    moves = [(Path(one), Path(other)) for one, other in told["moving"]]
                elif told.get("moved"):
                    moves = []
        for one, target in moves:
            # Only what was made by us and is whole: everything was written before the first move.
            if any(part.name.endswith(_PART) for part in (one, *one.parents)) and os.path.lexists(one):
                with contextlib.suppress(OSError):
                    os.replace(one, target)
        count = 0
        for path in made:
            if (path.name.endswith(_PART) or path.name.startswith(_SCRATCH)) and os.path.lexists(path):
                removed(path)
                count += 1
        with contextlib.suppress(OSError):
            file.unlink()
        return count
    finally:
        os.close(number)


def _told(line: bytes) -> dict[str, Any]:
    """A line of a record; nothing where the kill cut it short."""
    try:
        told = json.loads(line)
    except ValueError:
        return {}
    return told if isinstance(told, dict) else {}
