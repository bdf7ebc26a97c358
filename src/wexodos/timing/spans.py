"""Half-open ranges of exact time."""

from __future__ import annotations

from dataclasses import dataclass

from wexodos.timing.exact import Exact


@dataclass(frozen=True, slots=True)
class Span:
    """The half-open range ``[start, end)``; both ends in the same unit, ``end >= start``."""

    start: Exact
    end: Exact

    @property
    def duration(self) -> Exact:
        return self.end - self.start

    def overlaps(self, other: Span) -> bool:
        return self.start < other.end and other.start < self.end
