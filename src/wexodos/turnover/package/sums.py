"""Sums of files, by the names the open hash lists have for them, and copies whose sum is taken on the way."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable
from pathlib import Path
from typing import IO, Any

import xxhash

from wexodos.formats import WriteError
from wexodos.ground import Progress
from wexodos.ground.files import reason

BLOCK = 256 << 10
"""What is read at once: it stays in the cache of a processor from reading to writing."""
_STEP = 16
"""So many blocks from one word of progress to the next."""
OURS = "xxh3"
"""What we write: as fast as memory."""
_C4 = "123456789ABCDEFGHJKLMNPQRSTUVWXYZabcdefghijkmnopqrstuvwxyz"


def c4(digest: bytes) -> str:
    """The identifier of SMPTE ST 2114 for a SHA-512 digest: ``c4`` and 88 digits to the base 58."""
    number, digits = int.from_bytes(digest, "big"), ""
    for _ in range(88):
        number, rest = divmod(number, 58)
        digits = _C4[rest] + digits
    return f"c4{digits}"


class _C4Sum:
    def __init__(self) -> None:
        self._sum = hashlib.sha512()

    def update(self, data: bytes | memoryview) -> None:
        self._sum.update(data)

    def hexdigest(self) -> str:
        return c4(self._sum.digest())


KINDS: dict[str, Callable[[], Any]] = {
    "xxh128": xxhash.xxh3_128,
    "xxh3": xxhash.xxh3_64,
    "xxh64": xxhash.xxh64,
    "c4": _C4Sum,
    "sha1": hashlib.sha1,
    "md5": hashlib.md5,
}
"""The sums that hash lists have (ASC MHL 2.0), the one to go by first."""


def sum_of(
    stream: IO[bytes],
    kind: str = OURS,
    progress: Progress | None = None,
    size: int = 0,
    most: int | None = None,
) -> str:
    """The sum of what is left of a stream, or of its next ``most`` bytes. ``progress``, of ``size`` bytes,
    may raise to stop. Raises ``OSError``."""
    made = KINDS[kind]()
    done = 0
    # One room for all blocks: a new one each time costs more than the sum.
    room = memoryview(bytearray(BLOCK if most is None else min(BLOCK, most)))
    while count := stream.readinto(room if most is None else room[: most - done]):  # type: ignore[attr-defined]
        made.update(room[:count])
        done += count
        if progress is not None and not done // BLOCK % _STEP:
            progress("", min(1.0, done / max(1, size)))
    return str(made.hexdigest())


def copied(source: Path, known: tuple[int, int], target: IO[bytes], progress: Progress) -> str:
    """Copy a file into a stream; return its sum. Raises ``WriteError`` where the file cannot be read, or is
    not what is ``known`` of it (size, time of its last change in ns), before or after."""
    made = KINDS[OURS]()
    room = memoryview(bytearray(BLOCK))
    done = 0
    try:
        with source.open("rb", buffering=0) as file:
            before = os.fstat(file.fileno())
            if (before.st_size, before.st_mtime_ns) != known:
                raise WriteError(f"{source}: it changed since the package was planned; plan it again")
            while count := file.readinto(room):
                made.update(room[:count])
                done += count
                target.write(room[:count])
                if not done // BLOCK % _STEP:
                    progress(f"copying {source.name}", min(1.0, done / max(1, before.st_size)))
            after = os.fstat(file.fileno())
    except OSError as error:
        raise WriteError(f"{source}: cannot be copied: {reason(error)}") from None
    if (after.st_size, after.st_mtime_ns) != known or done != after.st_size:
        raise WriteError(f"{source}: it changed while it was copied; wait until it is finished")
    return str(made.hexdigest())
