"""From the file taken in to the cut that is carried over: the files that were found, camera originals, the
steps of Tidy."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

from wexodos.ground import Progress
from wexodos.media import Probes, Row, Scanner, Swapped, relinked, swap
from wexodos.model import Document, Sequence
from wexodos.tidy import Chosen, Render, Tidied, tidy


@dataclass(slots=True)
class Ready:
    """A cut that is ready to leave. ``taken`` is the document with its media found, before Tidy."""

    document: Document
    sequence: Sequence
    taken: Document
    tidied: Tidied
    swapped: Swapped | None = None
    renders: list[Render] = field(default_factory=list)


def ready(
    document: Document,
    sequence: Sequence,
    steps: tuple[Chosen, ...],
    rows: list[Row],
    originals: tuple[Path, ...] = (),
    probes: Probes | None = None,
    scanner: Scanner | None = None,
    progress: Progress = lambda _what, _share: None,
) -> Ready:
    """Make a cut ready. ``rows`` are its media as they were found; ``originals`` folders whose files go
    behind it."""
    made = relinked(document, rows)
    swapped = None
    if originals and probes is not None and scanner is not None:
        swapped = swap(made, made.sequences_by_id[sequence.id], list(originals), probes, scanner, progress)
        made = swapped.document
    done = tidy(made, made.sequences_by_id[sequence.id], steps, progress, preview=False)
    return Ready(done.document, done.sequence, made, done, swapped, done.renders)
