"""Renders and sound that came back to the open cut, laid in."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from msgspec import structs

from wexodos.desktop.sides import Side
from wexodos.formats import ReadError, WriteError, read_file
from wexodos.homecoming.home import brought_home
from wexodos.homecoming.measurements import Measurements
from wexodos.homecoming.outcome import Home, Kind
from wexodos.homecoming.wanted import Version, Wanted
from wexodos.job import Homecoming
from wexodos.job.cut import Cut
from wexodos.model import Document, Sequence
from wexodos.sound.locate import Finder

if TYPE_CHECKING:
    from wexodos.desktop.session import Session


@dataclass(slots=True)
class Arrived:
    """What came, and the cut with it: before and after. ``returns`` is how many returns it is of, ``into``
    the name of the later version it went into, and ``sequences`` those there are in it."""

    home: Home
    before: Side
    after: Side
    returns: int
    into: str
    sequences: tuple[str, ...] = ()


class Laying:
    """Lays what came back into a session's cut, as the job says, and writes that."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.arrived: Arrived | None = None
        self._looked: tuple[Any, ...] | None = None
        self._known = Measurements()

    @property
    def wanted(self) -> Homecoming:
        """What the job says of what came back."""
        return self.session.job.now.home if self.session.job is not None else Homecoming()

    def take(self, paths: list[Path], told: str = "") -> None:
        """Look at a return, together with those before it; ``told`` is what a person says the files are."""
        if self.session.job is None:
            return
        came = tuple(str(one.resolve()) for one in paths)
        said = {**self.wanted.told, **dict.fromkeys(came if told else (), told)}
        self._look(structs.replace(self.wanted.and_then(came), told=said))

    def decide(self, **changes: Any) -> None:
        """Decide something of what came."""
        self.session.decide(home=structs.replace(self.wanted, **changes))

    def leave(self, path: Path, out: bool) -> None:
        """Leave a file out, or lay it in again."""
        rest = tuple(one for one in self.wanted.left if one not in (path.name, str(path.resolve())))
        self.decide(left=(*rest, str(path.resolve())) if out else rest)

    def tell(self, path: Path, what: str) -> None:
        """Say what a file is."""
        self.decide(told={**self.wanted.told, str(path.resolve()): what})

    def follow(self) -> None:
        """Look again where something that it hangs on was decided otherwise."""
        if not self.wanted.came:
            if self.arrived is not None or self._looked is not None:
                self.drop()
                self.session.returned_changed.emit()
        elif self.session.side is not None and self._key(self.wanted) != self._looked:
            self._look(self.wanted)

    def _key(self, wanted: Homecoming) -> tuple[Any, ...]:
        job = self.session.job
        assert job is not None
        now = job.now
        return job.source, wanted, now.sequence, now.tidy, now.links, now.rules, now.originals

    def _look(self, wanted: Homecoming) -> None:
        """Match and measure what came, in the background; it is decided where it is more than an edited
        sequence alone."""
        session, side, job, source = self.session, self.session.side, self.session.job, self.session.path
        if side is None or job is None or source is None:
            return
        key = self._key(wanted)

        def work(step: Any) -> Arrived:
            taken = Cut(side.document, side.sequence, source, job.now.rules, job)
            asked = _asked(wanted)
            home = brought_home(taken, asked, step, self._known)
            cut = home.left
            there = Path(wanted.into) if wanted.into else source
            seen = session.pictures.seen(cut.document, cut.sequence, Finder(there, cut.document), [])
            after = session.pictures.seen(home.document, home.sequence, Finder(there, home.document), [])
            return Arrived(
                home,
                Side(cut.document, cut.sequence, seen),
                Side(home.document, home.sequence, after),
                len(wanted.came),
                Path(wanted.into).name,
                tuple(one.name for one in _cuts(asked.into.document)) if asked.into is not None else (),
            )

        def done(result: Arrived) -> None:
            if result.home.kind is Kind.EDIT:
                # An edited sequence alone is looked at as such.
                self.arrived = self._looked = None
                session.decide(returned=str(next(iter(result.home.laid)).resolve()), home=Homecoming())
                # It may have been looked at as that before.
                session.returned_changed.emit()
                return
            self.arrived, self._looked = result, key
            session.decide(home=wanted)
            session.returned_changed.emit()
            session.search.hear(result.before.document, result.after.document, source)

        def failed(sentence: str) -> None:
            # What is not there any more is not looked for again and again.
            self._looked = key
            session.said.emit(sentence, True)

        session.tasks.start("laying in", work, done, failed)

    def drop(self) -> None:
        """Forget it: something else is looked at."""
        self.session.tasks.drop("laying in")
        self.arrived = self._looked = None
        # Files that were not there may be by then.
        self._known = Measurements()

    def save(self, path: Path, done: Callable[[], None]) -> None:
        """Write the cut with what came, in the background; nothing is written where a book does not
        balance."""
        arrived, source = self.arrived, self.session.path
        if arrived is None:
            return
        target, home = self.session.home.home_destination(), arrived.home
        taken_in = [one for one in (source, Path(self.wanted.into) if self.wanted.into else None) if one]

        def work(step: Any) -> None:
            step("writing", 0.1)
            for one in taken_in:
                if path.exists() and one.exists() and path.samefile(one):
                    raise WriteError(f"{path}: this is a file taken in, which is never changed")
            home.written(taken_in[-1], path, target, step)

        self.session.tasks.start(
            "putting back",
            work,
            lambda _result: done(),
            lambda sentence: self.session.said.emit(sentence, True),
        )


def _asked(wanted: Homecoming) -> Wanted:
    """What a job says of what came back, with the later version it goes into read. Raises ``ReadError``."""
    into = None
    if wanted.into:
        source = Path(wanted.into)
        document = read_file(source)
        cuts = _cuts(document)
        if not cuts:
            raise ReadError("the file holds no sequence", "", str(source))
        cut = next((one for one in cuts if wanted.into_sequence in (one.name, one.id)), cuts[0])
        into = Version(document, cut, source)
    return Wanted.of(wanted, into)


def _cuts(document: Document) -> tuple[Sequence, ...]:
    """The sequences of a file a cut can be."""
    return tuple(document.top_level or document.sequences)
