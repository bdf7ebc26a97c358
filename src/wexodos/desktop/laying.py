"""Renders and sound that came back to the open cut, laid in."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from wexodos.carryover import carry_over, write_file
from wexodos.desktop.sides import Side
from wexodos.formats import WriteError
from wexodos.homecoming.home import Cut, Home, Kind, brought_home
from wexodos.sound.locate import Finder

if TYPE_CHECKING:
    from wexodos.desktop.session import Session


@dataclass(slots=True)
class Arrived:
    """What came, as it was taken in, and the cut with it: before and after. ``corrected``: what was late was
    moved."""

    paths: list[Path]
    home: Home
    before: Side
    after: Side
    corrected: bool


class Laying:
    """Lays what came back into a session's cut, and writes that."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.arrived: Arrived | None = None

    def take(self, paths: list[Path], corrected: bool = False) -> None:
        """Look at what came, match and measure it, in the background."""
        session, side, job, source = self.session, self.session.side, self.session.job, self.session.path
        if side is None or job is None or source is None:
            return

        def work(step: Any) -> Arrived:
            taken = Cut(side.document, side.sequence, source, job.now.rules, job)
            home = brought_home(taken, paths, None, corrected, step)
            cut = home.left
            seen = session.pictures.seen(cut.document, cut.sequence, Finder(source, cut.document), [])
            after = session.pictures.seen(home.document, home.sequence, Finder(source, home.document), [])
            return Arrived(
                paths,
                home,
                Side(cut.document, cut.sequence, seen),
                Side(home.document, home.sequence, after),
                corrected,
            )

        def done(result: Arrived) -> None:
            if result.home.kind is Kind.EDIT:
                # An edited sequence alone is looked at as such.
                session.decide(returned=str(next(iter(result.home.laid)).resolve()))
                return
            self.arrived = result
            session.returned_changed.emit()

        session.tasks.start("laying in", work, done, lambda sentence: session.said.emit(sentence, True))

    def drop(self) -> None:
        """Forget it: something else is looked at."""
        self.session.tasks.drop("laying in")
        self.arrived = None

    def save(self, path: Path, done: Callable[[], None]) -> None:
        """Write the cut with what came, in the background; nothing is written where a book does not
        balance."""
        arrived, source = self.arrived, self.session.path
        if arrived is None:
            return
        target, home = self.session.home.home_destination(), arrived.home

        def work(step: Any) -> None:
            step("writing", 0.1)
            if source is not None and path.exists() and source.exists() and path.samefile(source):
                raise WriteError(f"{path}: this is a file taken in, which is never changed")
            home.prove(arrived.before.sequence, str(path))
            carried = carry_over(home.document, home.sequence, target, progress=step)
            carried.prove(str(path))
            write_file(path, carried.data)

        self.session.tasks.start(
            "putting back",
            work,
            lambda _result: done(),
            lambda sentence: self.session.said.emit(sentence, True),
        )
