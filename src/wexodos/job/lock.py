"""One window works on a job at a time: a lock that goes with its process, and a way to ask for it."""

from __future__ import annotations

import contextlib
import fcntl
import os
import secrets
from pathlib import Path


class JobLock:
    """The right to change a job. It stands beside the job's file; the system takes it from a process that
    ends, however it ends."""

    def __init__(self, job_file: Path) -> None:
        self._file = job_file.with_suffix(".lock")
        self._wish = job_file.with_suffix(".wish")
        self._number: int | None = None
        self._free = False
        self._token = secrets.token_hex(8)
        self.wanted = False

    @property
    def held(self) -> bool:
        return self._number is not None or self._free

    def take(self) -> bool:
        """Take it if nobody else has it."""
        if self.held:
            return True
        try:
            self._file.parent.mkdir(parents=True, exist_ok=True)
            number = os.open(self._file, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        except OSError:
            # Where nothing can be written nothing can be overwritten either.
            self._free = True
            return True
        try:
            fcntl.flock(number, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            os.close(number)
            return False
        self._number, self.wanted = number, False
        with contextlib.suppress(OSError):
            self._wish.unlink()
        return True

    def ask(self) -> None:
        """Ask whoever has it to give it up; ``wanted`` from then on."""
        self.wanted = True
        with contextlib.suppress(OSError):
            self._wish.write_text(self._token)

    def asked(self) -> bool:
        """Whether somebody else asks for it."""
        return self.held and self._wish.exists()

    def release(self) -> None:
        """Give it up."""
        self._free = False
        if self._number is not None:
            os.close(self._number)
            self._number = None
