"""What came back to the open cut: held against what left, and put back together with it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from wexodos.carryover import came_back, put_back
from wexodos.carryover.tickets import touched
from wexodos.compare import compare, compare_versions, match_items
from wexodos.desktop.sides import Returned, Side
from wexodos.destinations import Destination
from wexodos.formats import ReadError, WriteError, read_file
from wexodos.homecoming.refusing import key_of, without_refused
from wexodos.sound.locate import Finder
from wexodos.turnover.run import written_out

if TYPE_CHECKING:
    from wexodos.desktop.session import Session


class Home:
    """What came back to a session's cut, and the way to bring it home."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.returned: Returned | None = None

    def compare(self) -> None:
        """Hold what came back against the cut, and against what of it was sent."""
        side, job, carried = self.session.side, self.session.job, self.session.carried
        destination = self.session.destination
        if side is None or job is None or destination is None or not job.now.returned or carried is None:
            self.returned = None
            self.session.returned_changed.emit()
            return
        path = Path(job.now.returned)
        choices, options = job.now.choices, job.now.options
        refused = frozenset(job.now.refused)
        sent, left = carried.returned, carried.returned_sequence

        def work(step: Any) -> Returned:
            step(f"reading {path.name}", 0.1)
            document = read_file(path)
            back = came_back(document, left.name)
            if back is None:
                raise ReadError("the file holds no sequence", "", str(path))
            step("comparing", 0.4)
            pairs = match_items(side.document, side.sequence, document, back).pairs
            partners = {one.item.id: other.item.id for one, other in pairs}
            found = touched(
                compare_versions(side.document, side.sequence, document, back),
                compare(sent, left, document, back),
                partners,
            )
            step("putting back", 0.7)
            home = put_back(side.document, side.sequence, destination, document, back, choices, options)
            laid = compare(document, back, home.document, home.sequence)
            rows = compare_versions(side.document, side.sequence, home.document, home.sequence)
            ends = (side.document, side.sequence), (home.document, home.sequence)
            refusal = without_refused(*ends, rows, refused)
            home = replace(home, document=refusal.document, sequence=refusal.sequence)
            threads = [
                (one.track, other.track, float(other.item.start))
                for one, other in pairs
                if one.track != other.track
            ]
            seen = self.session.pictures.seen(document, back, Finder(path, document), [])
            return Returned(
                path,
                Side(document, back, seen),
                found,
                partners,
                threads,
                home,
                Side(
                    home.document,
                    home.sequence,
                    self.session.pictures.seen(home.document, home.sequence, Finder(path, home.document), []),
                ),
                laid,
                frozenset(map(key_of, refusal.undone)),
                {key_of(row): why for row, why in refusal.stuck},
            )

        def done(result: Returned) -> None:
            self.returned = result
            self.session.returned_changed.emit()
            self.session.search.hear(side.document, result.home.document, path)

        def failed(sentence: str) -> None:
            self.returned = None
            self.session.returned_changed.emit()
            self.session.said.emit(sentence, True)

        self.session.tasks.start("comparing", work, done, failed)

    def home_destination(self) -> Destination:
        """The editing destination that writes the dialect the cut was taken in as."""
        dialect = self.session.document.format if self.session.document is not None else ""
        editing = [
            one for one in self.session.destinations if one.for_ == "editing"
        ] or self.session.destinations
        return next((one for one in editing if one.format == dialect), editing[0])

    def bring_home(self, path: Path, done: Callable[[int], None]) -> None:
        """Put back into what returned what the destination could not hold, and write it; ``done`` gets the
        number of things put back. Nothing is written where a book does not balance."""
        side, returned = self.session.side, self.returned
        if side is None or returned is None:
            return
        target, home = self.home_destination(), returned.home
        ready, source = self.session.ready, self.session.path or returned.path
        renders, tables = (ready.renders, ready.tables) if ready is not None else ([], {})

        def work(step: Any) -> int:
            step("writing", 0.1)
            for taken in (self.session.path, returned.path):
                if taken is not None and path.exists() and taken.exists() and path.samefile(taken):
                    raise WriteError(f"{path}: this is a file taken in, which is never changed")
            home.prove(side.sequence, str(path))
            _, carried = written_out(
                home.document, home.sequence, renders, source, path, target, step, tables
            )
            carried.prove(str(path))
            return len(home.put_back)

        self.session.tasks.start(
            "putting back", work, done, lambda sentence: self.session.said.emit(sentence, True)
        )
