"""The one error a reader raises."""

from __future__ import annotations


class ReadError(Exception):
    """A file that cannot be read: one plain sentence, with the place in the file where there is one."""

    def __init__(self, problem: str, place: str = "", file: str = "") -> None:
        self.problem, self.place, self.file = problem, place, file
        super().__init__(problem)

    def __str__(self) -> str:
        named = f"{self.file}: " if self.file else ""
        at = f" (at {self.place})" if self.place else ""
        return f"{named}{self.problem}{at}"


class WriteError(Exception):
    """An output that cannot be written: one plain sentence."""
