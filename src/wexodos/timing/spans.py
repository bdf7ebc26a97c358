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

    def contains(self, time: Exact) -> bool:
        return self.start <= time < self.end

    def overlaps(self, other: Span) -> bool:
        return self.start < other.end and other.start < self.end

    def intersection(self, other: Span) -> Span | None:
        """Return the shared part, or None where nothing is shared."""
        start, end = max(self.start, other.start), min(self.end, other.end)
        return Span(start, end) if start < end else None

    def moved(self, by: Exact) -> Span:
        return Span(self.start + by, self.end + by)
