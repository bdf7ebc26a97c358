"""From the file taken in to the cut that is carried over: the files that were found, camera originals, the
steps of Tidy."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

from wexodos.formats import ReadError, read_file
from wexodos.ground import Progress, quiet
from wexodos.job.job import Job
from wexodos.media import Probes, Row, Scanner, Swapped, find, relinked, swap, tables_of, used_by
from wexodos.model import Document, Sequence
from wexodos.sound.locate import Finder
from wexodos.tidy import Chosen, Render, Tidied, tidy


@dataclass(slots=True)
class Ready:
    """A cut that is ready to leave. ``taken`` is the document with its media found, before Tidy, and ``cut``
    the sequence in it; ``tables`` are where the look-up tables lie that the cut names."""

    document: Document
    sequence: Sequence
    taken: Document
    cut: Sequence
    tidied: Tidied
    swapped: Swapped | None = None
    renders: list[Render] = field(default_factory=list)
    tables: dict[str, Path] = field(default_factory=dict)

    def media(self, rows: list[Row], probes: Probes, seen: Mapping[str, str]) -> list[Row]:
        """The media of the cut that leaves, with what is wrong with them."""
        other = {media.id: path for media, path in self.swapped.pairs} if self.swapped is not None else {}
        made = {render.media.id for render in self.renders}
        return used_by(self.document, self.sequence, rows, other, made, probes, seen)


def ready(
    document: Document,
    sequence: Sequence,
    steps: tuple[Chosen, ...],
    rows: list[Row],
    originals: tuple[Path, ...] = (),
    probes: Probes | None = None,
    scanner: Scanner | None = None,
    progress: Progress = quiet,
) -> Ready:
    """Make a cut ready. ``rows`` are its media as they were found; ``originals`` folders whose files go
    behind it."""
    made = relinked(document, rows)
    swapped = None
    if originals and probes is not None and scanner is not None:
        swapped = swap(made, made.sequences_by_id[sequence.id], list(originals), probes, scanner, progress)
        made = swapped.document
    cut = made.sequences_by_id[sequence.id]
    done = tidy(made, cut, steps, progress, preview=False)
    return Ready(done.document, done.sequence, made, cut, done, swapped, done.renders, tables_of(rows))


def of_job(job: Job, progress: Progress = quiet) -> Ready:
    """The cut of a job as it leaves: its file read, its media found, tidied as was decided. Raises
    ``ReadError``."""
    source = Path(job.source)
    progress(f"reading {source.name}", 0.0)
    document = read_file(source)
    chosen = document.sequences_by_id.get(job.now.sequence)
    if chosen is None:
        chosen = next(iter(document.top_level or document.sequences), None)
    if chosen is None:
        raise ReadError("the file holds no sequence", "", str(source))
    probes, scanner = Probes(), Scanner()
    inside = Finder(source, document)
    now = job.now
    rows = find(document, [chosen], source, now.rules, now.links, probes, scanner, progress, job.seen, inside)
    originals = tuple(Path(one) for one in now.originals)
    return ready(document, chosen, now.steps, rows, originals, probes, scanner, progress)
