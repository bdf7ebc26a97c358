"""What is written is read back and written through to the disk while the next is being written."""

from __future__ import annotations

import io
import os
from collections import deque
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from wexodos.formats import WriteError
from wexodos.turnover.package.sums import sum_of

_BEHIND = 8
"""So many files may wait to be read back."""
_READERS = 4
"""So many are read back and written through at once: the disk is waited for together."""
NOTHING = sum_of(io.BytesIO())
"""The sum of no bytes."""


@dataclass(frozen=True, slots=True)
class Back:
    """A stretch of a file, by its first byte and its size, that is held against its sum while the file is
    written through to the disk."""

    made: Path
    begin: int
    size: int
    digest: str
    name: str

    def read(self) -> None:
        with self.made.open("rb", buffering=0) as file:
            file.seek(self.begin)
            if sum_of(file, most=self.size) != self.digest:
                raise differs(self.name)
            os.fsync(file.fileno())


class Behind:
    """What is read back and written through to the disk while the next is being written."""

    def __init__(self) -> None:
        self._pool = ThreadPoolExecutor(_READERS)
        self._waiting: deque[Future[None]] = deque()

    def add(self, one: Back) -> Future[None]:
        """Read it back later; raises what went wrong with the ones before."""
        added = self._pool.submit(one.read)
        self._waiting.append(added)
        while self._waiting and (len(self._waiting) > _BEHIND or self._waiting[0].done()):
            self._waiting.popleft().result()
        return added

    def close(self) -> None:
        """Wait for what is still being done."""
        while self._waiting:
            self._waiting.popleft().result()

    def end(self) -> None:
        self._pool.shutdown(cancel_futures=True)


def differs(name: str) -> WriteError:
    """What is said of a file that is not what was written."""
    return WriteError(f"{name}: what was read back differs from what was written")
