"""What became of what came back to a cut."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path

from wexodos.carryover import PutBack
from wexodos.carryover.tickets import refuse_loss
from wexodos.compare import Difference
from wexodos.compare.match import Placed
from wexodos.homecoming.events import Event
from wexodos.homecoming.laying import Laid
from wexodos.homecoming.mixes import Returned
from wexodos.homecoming.naming import Scheme
from wexodos.homecoming.onward import Hole
from wexodos.homecoming.renders import Candidate, Matched
from wexodos.homecoming.whole import Whole
from wexodos.model import Document, Sequence


class Kind(StrEnum):
    """What came home."""

    GRADE = "grade"
    MIX = "mix"
    EDIT = "edit"


@dataclass(frozen=True, slots=True)
class Left:
    """The cut as it left, its media found."""

    document: Document
    sequence: Sequence


@dataclass(slots=True)
class Home:
    """What became of what came back; ``left`` is the cut before, ``whole`` the movie of all of it, where one
    came, ``whole_off`` whether it lies there switched off. ``missing`` are events that no render came for,
    with the reason, ``refused`` renders that would do harm in their places, ``asked`` files nobody but a
    person can tell, with the question and what they might be, ``others`` those that are not used,
    ``unwanted`` those a person left out; ``scheme`` is how the names of the latest renders are read; ``laid``
    are the files that are in the cut now, ``silent`` the sounds of them that are switched off. ``holes`` and
    ``changed`` are told of sounds that came into a later version; ``undone`` are changes that were refused,
    ``stuck`` those that could not be."""

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

    def prove(self, place: str) -> None:
        """Raises ``UnprovedError`` where the cut before had picture or sound and none of it came home."""
        refuse_loss(self.left.sequence, self.sequence, place)
