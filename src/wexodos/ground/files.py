"""Files that are there whole or not at all, and files that are files."""

from __future__ import annotations

import contextlib
import os
import stat
from pathlib import Path

from wexodos.ground import remains
from wexodos.ground.ending import undisturbed
from wexodos.ground.errors import ReadError, WriteError


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


MODE = 0o666 & ~_umask()
"""How new files may be used. Read once with the program: asking for it changes it for a moment, for every
thread."""
_BLOCK = 1 << 20


def reason(error: OSError) -> str:
    """What went wrong, in the middle of a sentence."""
    return (error.strerror or str(error)).lower()


def write_file(path: Path, data: bytes, kept: bool = True) -> None:
    """Write beside the target and move into place; nothing is left where that fails. What can be made again
    need not be ``kept`` through a loss of power. Raises ``WriteError``."""
    beside = remains.part_name(path)
    remains.begun(beside)
    try:
        number = os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, MODE)
        with os.fdopen(number, "wb") as file:
            file.write(data)
            if kept:
                file.flush()
                os.fsync(file.fileno())
        os.replace(beside, path)
    except OSError as error:
        raise WriteError(f"cannot be written: {reason(error)}", file=str(path)) from error
    finally:
        with undisturbed():
            with contextlib.suppress(OSError):
                beside.unlink()
            remains.finished(beside)


def is_plain(path: Path) -> bool:
    """Whether a path leads to an ordinary file: no folder, pipe, device or socket."""
    try:
        return stat.S_ISREG(path.stat().st_mode)
    except (OSError, ValueError):
        return False


def refuse_special(path: Path) -> None:
    """Raise ``ReadError`` for a path that is there and leads to something that is no ordinary file: opening
    it might never end."""
    try:
        mode = path.stat().st_mode
    except ValueError:
        raise ReadError("this is no name of a file", "", str(path)) from None
    except OSError as error:
        raise ReadError(f"cannot be opened: {reason(error)}", "", str(path)) from None
    if stat.S_ISDIR(mode):
        raise ReadError("this is a folder, not a file", "", str(path))
    if not stat.S_ISREG(mode):
        raise ReadError("this is no ordinary file", "", str(path))


def read_whole(path: Path, most: int) -> bytes:
    """The bytes of an ordinary file, at most ``most``. The length that a folder tells is not believed: some
    files have none, and some have no end. Raises ``ReadError``."""
    refuse_special(path)
    blocks: list[bytes] = []
    size = 0
    try:
        # A pipe that took the file's place meanwhile is opened without waiting, and refused.
        number = os.open(path, os.O_RDONLY | os.O_CLOEXEC | os.O_NONBLOCK)
        with os.fdopen(number, "rb") as file:
            if not stat.S_ISREG(os.fstat(number).st_mode):
                raise ReadError("this is no ordinary file", "", str(path))
            while block := file.read(_BLOCK):
                blocks.append(block)
                size += len(block)
                if size > most:
                    raise ReadError(f"the file is larger than {_size(most)}", "", str(path))
    except OSError as error:
        raise ReadError(f"cannot be opened: {reason(error)}", "", str(path)) from None
    return b"".join(blocks)


def read_text(path: Path, most: int = 1 << 20) -> str:
    """The words of an ordinary text file in UTF-8, at most ``most`` bytes. Raises ``ReadError``."""
    data = read_whole(path, most)
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError as error:
        raise ReadError(f"this is no text in UTF-8 (byte {error.start})", "", str(path)) from None


def _size(count: int) -> str:
    return f"{count >> 20} MiB" if count >= 1 << 20 else f"{count} bytes"
