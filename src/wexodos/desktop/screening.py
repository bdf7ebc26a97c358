"""A movie that the other side made, held against the open cut."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from wexodos.desktop.sides import Side
from wexodos.screening.as_cut import as_cut
from wexodos.screening.check import Checked, check_picture
from wexodos.screening.film import Film
from wexodos.sound.locate import Finder

if TYPE_CHECKING:
    from wexodos.desktop.session import Session


@dataclass(slots=True)
class Screened:
    """A movie that was looked at: what was found, the cut, and the movie as it lies over it."""

    path: Path
    checked: Checked
    cut: Side
    movie: Side


class Screening:
    """Holds a movie against a session's cut, in the background."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.screened: Screened | None = None

    def check(self, path: Path) -> None:
        """Look at a movie."""
        session, side, finder = self.session, self.session.side, self.session.finder
        if side is None or finder is None:
            return

        def work(step: Any) -> Screened:
            film = Film.of(path)
            checked = check_picture(side.document, side.sequence, finder, path, step)
            document, sequence = as_cut(film, checked.aligned, side.sequence)
            seen = session.pictures.seen(document, sequence, Finder(path, document), [])
            return Screened(path, checked, side, Side(document, sequence, seen))

        def done(result: Screened) -> None:
            self.screened = result
            session.returned_changed.emit()

        session.tasks.start("checking the picture", work, done, lambda words: session.said.emit(words, True))

    def drop(self) -> None:
        """Forget it: something else is looked at."""
        self.session.tasks.drop("checking the picture")
        if self.screened is not None:
            self.screened = None
            self.session.returned_changed.emit()
