"""A sequence that should be a pair with the open cut, held against it, corrected, saved."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from wexodos.compare.correcting import corrected
from wexodos.compare.pairing import Pair, paired
from wexodos.desktop.sides import Side
from wexodos.destinations import keeper
from wexodos.evaluate.trimming import trimmed
from wexodos.formats import FORMATS, ReadError, WriteError, read_file
from wexodos.formats.opening import the_one
from wexodos.model import Document, Sequence, Track
from wexodos.sound.locate import Finder
from wexodos.tidy.abreast import abreast
from wexodos.timing import Exact
from wexodos.turnover.run import written_out

if TYPE_CHECKING:
    from wexodos.desktop.session import Session

_WORK = "holding a pair"


@dataclass(slots=True)
class Paired:
    """Two that are held against each other: the open cut and the one of ``path``, as it is now; ``shown`` is
    that in the time of the cut, ``corrected`` how many rows of it were corrected."""

    path: Path
    left: Side
    document: Document
    sequence: Sequence
    pair: Pair
    shown: Side
    corrected: int = 0

    @property
    def name(self) -> str:
        return self.sequence.name


class Pairing:
    """Holds a sequence against a session's cut, in the background."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.paired: Paired | None = None
        self._read: tuple[Document, Sequence] | None = None

    def hold(self, path: Path) -> None:
        """Read a file, and hold its sequence against the cut: that of the same name, else the first."""
        side = self.session.side
        if side is None:
            return

        def work(step: Any) -> tuple[tuple[Document, Sequence], Paired]:
            source = the_one(path, step)
            document = read_file(source)
            there = document.top_level or document.sequences
            if not there:
                raise ReadError("the file holds no sequence", "", str(source))
            chosen = next((one for one in there if one.name == side.sequence.name), there[0])
            found = paired(side.document, side.sequence, document, chosen)
            return (document, chosen), self._side(source, side, document, chosen, found, 0)

        def done(result: tuple[tuple[Document, Sequence], Paired]) -> None:
            self._read, self.paired = result
            self.session.returned_changed.emit()

        self.session.tasks.start(_WORK, work, done, lambda words: self.session.said.emit(words, True))

    def _side(
        self, path: Path, left: Side, document: Document, sequence: Sequence, pair: Pair, count: int
    ) -> Paired:
        shown = _in_time(sequence, pair.offset)
        whole = replace(
            document, sequences=tuple(shown if one.id == shown.id else one for one in document.sequences)
        )
        seen = self.session.pictures.seen(whole, shown, Finder(path, whole), [])
        return Paired(path, left, document, sequence, pair, Side(whole, shown, seen), count)

    def correct(self, wanted: bool) -> None:
        """Make the right one follow the left one, or have it as it was."""
        now, read = self.paired, self._read
        if now is None or read is None:
            return

        def work(_step: Any) -> Paired:
            left = now.left
            if not wanted:
                return self._side(now.path, left, *read, paired(left.document, left.sequence, *read), 0)
            made = corrected(left.document, left.sequence, *read)
            count = len(made.before.rows)
            return self._side(now.path, left, made.document, made.sequence, made.after, count)

        def done(result: Paired) -> None:
            self.paired = result
            self.session.returned_changed.emit()

        self.session.tasks.start(_WORK, work, done, lambda words: self.session.said.emit(words, True))

    def save(self, path: Path, both: bool, done: Callable[[int], None]) -> None:
        """Write the right one, or both as one, in the format the suffix says."""
        now, source = self.paired, self.session.path
        if now is None or source is None:
            return
        format_id = next(
            (one.id for one in FORMATS.values() if one.suffix == path.suffix.lower()), now.document.format
        )

        def work(step: Any) -> int:
            target = keeper(format_id)
            if target is None:
                raise WriteError(f"{path}: {FORMATS[format_id].label} is not written here")
            if path.exists() and any(path.samefile(one) for one in (source, now.path) if one.exists()):
                raise WriteError(f"{path}: this is a file taken in, which is never changed")
            if both:
                left = now.left
                made = abreast(left.document, left.sequence, now.document, now.sequence, now.pair)
            else:
                made = now.document, now.sequence, []
            files, carried = written_out(*made, source if both else now.path, path, target, step)
            carried.prove(str(path))
            return len(files)

        self.session.tasks.start(_WORK, work, done, lambda words: self.session.said.emit(words, True))

    def drop(self) -> None:
        """Forget it: something else is looked at."""
        self.session.tasks.drop(_WORK)
        self._read = None
        if self.paired is not None:
            self.paired = None
            self.session.returned_changed.emit()


def _in_time(sequence: Sequence, offset: Exact) -> Sequence:
    """A sequence so many frames earlier, to look at beside the other one."""
    if not offset:
        return sequence

    def earlier(track: Track) -> Track:
        items = []
        for item in track.items:
            moved = replace(item, start=item.start - offset)
            if moved.end > 0:
                items.append(moved if moved.start >= 0 else trimmed(moved, 0, moved.end, sequence.rate))
        joins = tuple(
            replace(one, start=one.start - offset, cut=one.cut - offset)
            for one in track.transitions
            if one.start >= offset
        )
        return replace(track, items=tuple(items), transitions=joins)

    return replace(sequence, tracks=tuple(map(earlier, sequence.tracks)), stated_duration=None)
