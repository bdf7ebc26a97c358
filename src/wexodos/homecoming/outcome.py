"""What became of what came back to a cut."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path

from wexodos.carryover import Carried, PutBack
from wexodos.carryover.tickets import refuse_loss
from wexodos.compare import Difference
from wexodos.compare.match import Placed
from wexodos.destinations import Destination
from wexodos.ground import Progress
from wexodos.homecoming.events import Event
from wexodos.homecoming.holes import Hole
from wexodos.homecoming.laying import Laid
from wexodos.homecoming.mixes import Returned
from wexodos.homecoming.naming import Scheme
from wexodos.homecoming.renders import Candidate, Matched
from wexodos.homecoming.whole import Whole
from wexodos.job import Ready
from wexodos.model import Document, Sequence
from wexodos.tidy.step import Render
from wexodos.turnover.run import written_out


class Kind(StrEnum):
    """What came home."""

    GRADE = "grade"
    MIX = "mix"
    EDIT = "edit"


@dataclass(frozen=True, slots=True)
class Left:
    """The cut as it left, its media found: ``renders`` are those that are made when it is written, ``tables``
    where its look-up tables lie."""

    document: Document
    sequence: Sequence
    renders: list[Render] = field(default_factory=list)
    tables: Mapping[str, Path] = field(default_factory=dict)

    @classmethod
    def of(cls, ready: Ready) -> Left:
        """A cut that was made ready."""
        return cls(ready.document, ready.sequence, ready.renders, ready.tables)


@dataclass(slots=True)
class Home:
    """What became of what came back; ``left`` is the cut before, ``whole`` the movie of all of it, where one
    came, ``whole_off`` whether it lies there switched off. ``missing`` are events that no render came for,
    with the reason, ``refused`` renders that would do harm in their places, ``asked`` files nobody but a
    person can tell, with the question and what they might be, ``others`` those that are not used,
    ``unwanted`` those a person left out; ``scheme`` is how the names of the latest renders are read; ``laid``
    are the files that are in the cut now, ``silent`` the sounds of them that are switched off. ``holes`` and
    ``changed`` are told of sounds that came, the last of a later version; ``undone`` are changes that were
    refused, ``stuck`` those that could not be. ``corrected``: what was off was moved to where it belongs."""

    kind: Kind
    document: Document
    sequence: Sequence
    left: Left
    sounds: list[Returned] = field(default_factory=list)
    renders: list[Laid] = field(default_factory=list)
    whole: list[Whole] = field(default_factory=list)
    whole_off: bool = False
    missing: list[tuple[Event, str]] = field(default_factory=list)
    refused: list[tuple[Matched, str]] = field(default_factory=list)
    asked: list[tuple[Path, str, list[Candidate]]] = field(default_factory=list)
    others: list[tuple[Path, str]] = field(default_factory=list)
    unwanted: list[Path] = field(default_factory=list)
    scheme: Scheme | None = None
    put_back: tuple[PutBack, ...] = ()
    undone: list[Difference] = field(default_factory=list)
    stuck: list[tuple[Difference, str]] = field(default_factory=list)
    differences: list[Difference] = field(default_factory=list)
    laid: set[Path] = field(default_factory=set)
    silent: frozenset[Path] = frozenset()
    holes: list[tuple[Returned, list[Hole]]] = field(default_factory=list)
    changed: list[tuple[Placed, str]] = field(default_factory=list)
    corrected: bool = False

    def written(self, source: Path, output: Path, target: Destination, progress: Progress) -> Carried:
        """Write it, with what has to be made for it beside it; what writing did to it. Raises
        ``UnprovedError`` where the cut before had picture or sound and none of it came home, or a book does
        not balance, and ``WriteError``: nothing is there then."""
        refuse_loss(self.left.sequence, self.sequence, str(output))
        left = self.left
        _, carried = written_out(
            self.document, self.sequence, left.renders, source, output, target, progress, left.tables
        )
        carried.prove(str(output))
        return carried
