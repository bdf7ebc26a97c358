"""A cut as it was taken in, and as it leaves: its media found, tidied as its job says."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from wexodos.ground import Progress
from wexodos.job.job import Job
from wexodos.job.ready import Ready, of_job, ready
from wexodos.media import Probes, Rules, Scanner, find
from wexodos.model import Document, Sequence
from wexodos.sound.locate import Finder


@dataclass(frozen=True, slots=True)
class Cut:
    """The cut that left, as it was taken in: its file, where its media are looked for, and its job where it
    has one."""

    document: Document
    sequence: Sequence
    source: Path
    rules: Rules
    job: Job | None = None

    def left(self, probes: Probes, progress: Progress) -> Ready:
        """The cut as it left, its media found."""
        if self.job is not None:
            return of_job(self.job, progress)
        return media_found(self.document, self.sequence, self.source, self.rules, probes, progress)


def media_found(
    document: Document, sequence: Sequence, source: Path, rules: Rules, probes: Probes, progress: Progress
) -> Ready:
    """A cut with its media found, and nothing else done to it."""
    scanner, inside = Scanner(), Finder(source, document)
    rows = find(document, [sequence], source, rules, {}, probes, scanner, progress, {}, inside)
    return ready(document, sequence, (), rows, (), probes, scanner, progress)


def left_of(cut: Cut, progress: Progress) -> tuple[Ready, Finder]:
    """The cut as it left, and what finds its media."""
    made = cut.left(Probes(), progress)
    return made, Finder(cut.source, made.document, made.tables)
