"""A cut with its document as the window looks at it."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

from wexodos.carryover.tickets import Homecoming
from wexodos.compare import Difference
from wexodos.desktop.pictures import Seen
from wexodos.evaluate import Evaluator
from wexodos.model import Document, Sequence


@dataclass(slots=True)
class Side:
    """A document with the sequence that is looked at and what evaluates it."""

    document: Document
    sequence: Sequence
    seen: Seen | None = None
    evaluator: Evaluator = field(init=False)

    def __post_init__(self) -> None:
        self.evaluator = Evaluator(self.document)


@dataclass(slots=True)
class Returned:
    """What came back, held against what was sent. ``home`` is it with everything put back, ``laid`` what that
    changed in it; ``undone`` are the keys of changes that were refused, ``stuck`` of those that cannot be,
    with the reason."""

    path: Path
    side: Side
    differences: list[Difference]
    partners: dict[str, str]
    threads: list[tuple[str, str, float]]
    home: Homecoming
    home_side: Side
    laid: list[Difference]
    undone: frozenset[str] = frozenset()
    stuck: dict[str, str] = field(default_factory=dict)
