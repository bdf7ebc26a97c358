"""The one family of errors that a person may meet: a plain sentence, the place where there is one, what
caused it."""

from __future__ import annotations


class WexodosError(Exception):
    """Something that cannot be done, in one plain sentence.

    ``problem`` is the sentence without file and place; ``file`` names the file, ``place`` the place in it.
    What caused it is ``__cause__``, as everywhere.
    """

    def __init__(self, problem: str, place: str = "", file: str = "") -> None:
        self.problem, self.place, self.file = problem, place, file
        super().__init__(problem)

    def __str__(self) -> str:
        named = f"{self.file}: " if self.file else ""
        at = f" (at {self.place})" if self.place else ""
        return f"{named}{self.problem}{at}"


class ReadError(WexodosError):
    """A file that cannot be read."""


class WriteError(WexodosError):
    """An output that cannot be written."""


class UnprovedError(WexodosError):
    """A result that the books do not account for: a fault of ours, so it is not handed out."""


class Cancelled(Exception):
    """A person stopped the work: no error."""
