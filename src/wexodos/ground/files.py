"""Files that are there whole or not at all."""

from __future__ import annotations

import contextlib
import os
import tempfile
from pathlib import Path

from wexodos.ground.errors import WriteError


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


_MASK = _umask()
"""Read once with the program: asking for it changes it for a moment, for every thread."""


def write_file(path: Path, data: bytes) -> None:
    """Write beside the target and move into place; nothing is left where that fails. Raises
    ``WriteError``."""
    temporary: str | None = None
    try:
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, 0o666 & ~_MASK)
        os.replace(temporary, path)
    except OSError as error:
        if temporary is not None:
            with contextlib.suppress(OSError):
                os.unlink(temporary)
        reason = (error.strerror or str(error)).lower()
        raise WriteError(f"cannot be written: {reason}", file=str(path)) from error
