"""Return: what came back, held against what left."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from wexodos.desktop.asking import MOVIES, ask_file, ask_files, ask_folder, ask_target, near
from wexodos.desktop.session import Session
from wexodos.desktop.stops.arrived_rows import open_ones
from wexodos.desktop.stops.arriving import Arriving
from wexodos.desktop.stops.base import Stop, dim
from wexodos.desktop.stops.edited import EditedPage
from wexodos.desktop.stops.held import HeldPage
from wexodos.desktop.stops.paired import PairedPage
from wexodos.desktop.stops.screened import ScreenedPage
from wexodos.formats import FORMATS
from wexodos.formats.opening import is_many
from wexodos.ground.names import safe_name
from wexodos.job import Homecoming
from wexodos.tidy.step import counted

_MEDIA = frozenset({".mov", ".mp4", ".mxf", ".wav", ".aif", ".aiff", ".mkv", ".m4a", ".flac", ".avi"})
"""By these a dropped file is laid in, not compared."""


class ReturnStop(Stop):
    """A page for each kind of thing that comes back – an edited cut, files to be laid in, a movie, a pair –,
    and one that says what can be opened."""

    name = "Return"

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        self.stack = QStackedWidget()
        # First of all: what is put into what stands is dressed once.
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.stack)
        empty = QWidget()
        box = QVBoxLayout(empty)
        box.addStretch(1)
        title = QLabel("Nothing has come back yet")
        title.setProperty("role", "title")
        box.addWidget(title, 0, Qt.AlignmentFlag.AlignHCenter)
        about = dim(
            "Open the sequence file that came back from the other side. It is held against the cut "
            "that was sent, frame by frame; what the other side could not hold is put back."
        )
        about.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        box.addWidget(about)
        button = QPushButton("Open a returned file…")
        button.clicked.connect(self.choose)
        box.addWidget(button, 0, Qt.AlignmentFlag.AlignHCenter)
        box.addSpacing(18)
        more = dim(
            "Or take in a folder of rendered clips, a mix, stems: each file is matched to its place, "
            "measured, and laid in; what it takes the place of stays.\n"
            "Or have a movie that was made of the cut held against it, every frame;\n"
            "or a sequence that is a pair with it: the other eye, another language."
        )
        more.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        box.addWidget(more)
        pair = QHBoxLayout()
        pair.addStretch(1)
        for words, ask in (
            ("Lay in a folder…", self.choose_folder),
            ("Lay in files…", self.choose_files),
            ("Check a movie…", self.choose_movie),
            ("Check a pair…", self.choose_pair),
            ("Rehearse at the far side…", lambda: self.asked_for.emit("rehearse")),
        ):
            one = QPushButton(words)
            one.clicked.connect(ask)
            pair.addWidget(one)
        pair.addStretch(1)
        box.addLayout(pair)
        box.addStretch(2)
        self.stack.addWidget(empty)
        self.edited = EditedPage(session, self.choose, self.stack)
        self.arriving = Arriving(session, self.start_again, self._ways(), self.stack)
        self.screened = ScreenedPage(session, session.screening.drop, self.stack)
        self.paired = PairedPage(session, self.stack)
        self._pages = self.edited, self.arriving, self.screened, self.paired
        for page in self._pages:
            self.with_waves(page.ledger)
            self.stack.addWidget(page)
        self.ledger = self.edited.ledger
        session.returned_changed.connect(self._show)
        session.opened.connect(self._show)
        session.playhead_changed.connect(self._playhead)

    def choose(self) -> None:
        if self.session.job is None:
            self.session.said.emit("Take a cut in first; what came back is held against it.", True)
            return
        path = ask_file(self, "Open what came back", self.session.path)
        if path is not None:
            self.open(path)

    def choose_folder(self) -> None:
        """Ask for a folder with what came back."""
        self._asked(lambda: [ask_folder(self, "The folder that came back", near(self.session.path))])

    def choose_files(self) -> None:
        """Ask for files that came back."""
        self._asked(lambda: list(ask_files(self, "What came back", self.session.path)))

    def choose_movie(self) -> None:
        """Ask for a movie that was made of the cut, and hold it against it."""
        if self.session.job is None:
            self.session.said.emit("Take a cut in first; a movie is held against it.", True)
            return
        path = ask_file(self, "The movie that was made of the cut", self.session.path, MOVIES)
        if path is not None:
            self.session.pairing.drop()
            self.session.screening.check(path)

    def choose_pair(self) -> None:
        """Ask for the file of a sequence that is a pair with the cut, and hold it against it."""
        if self.session.job is None:
            self.session.said.emit("Take a cut in first; its pair is held against it.", True)
            return
        path = ask_file(self, "The sequence that is a pair with the cut", self.session.path)
        if path is not None:
            self.session.screening.drop()
            self.session.pairing.hold(path)

    def _asked(self, ask: Callable[[], list[Path | None]]) -> None:
        if self.session.job is None:
            self.session.said.emit("Take a cut in first; what came back is laid into it.", True)
            return
        paths = [path for path in ask() if path is not None]
        if paths:
            self.session.laying.take(paths)

    def _ways(self) -> QMenu:
        """What else can be laid in, and where."""
        menu = QMenu(self)
        menu.addAction("A folder that came later…", self.choose_folder)
        menu.addAction("Files that came later…", self.choose_files)
        menu.addSeparator()
        menu.addAction("Check a movie…", self.choose_movie)
        menu.addAction("Check a pair…", self.choose_pair)
        menu.addAction("Rehearse at the far side…", lambda: self.asked_for.emit("rehearse"))
        menu.addSeparator()
        menu.addAction("Into a later version of the cut…", self.choose_version)
        menu.addAction("Into the cut that left", lambda: self._into(""))
        menu.addSeparator()
        nested = menu.addAction("Keep tracks that came in a sequence nested")
        nested.setCheckable(True)
        nested.triggered.connect(lambda on: self.session.laying.decide(nested=on))
        menu.aboutToShow.connect(lambda: nested.setChecked(self.session.laying.wanted.nested))
        return menu

    def choose_version(self) -> None:
        """Ask for a later version of the cut, into which what came goes."""
        path = ask_file(self, "The later version of the cut", self.session.path)
        if path is not None:
            self._into(str(path.resolve()))

    def _into(self, path: str) -> None:
        self.session.laying.decide(into=path, into_sequence="")

    def start_again(self) -> None:
        """Back to where something else can be opened."""
        self.session.decide(home=Homecoming())
        self.session.laying.follow()
        self._show()

    def open(self, path: Path) -> None:
        """Hold a file against the cut that was sent."""
        self.session.laying.drop()
        self.edited.afresh()
        self.session.decide(returned=str(path.resolve()), refused=(), home=Homecoming())

    def dropped(self, paths: list[Path]) -> bool:
        """What is dropped here came back, once a cut is taken in."""
        if self.session.job is None or any(path.suffix == ".wexo" for path in paths):
            return False
        if len(paths) > 1 or paths[0].is_dir() or paths[0].suffix.lower() in _MEDIA:
            self.session.laying.take(paths)
            return True
        if is_many(paths[0]):
            return False
        self.open(paths[0])
        return True

    def bring_back(self) -> None:
        """Ask where the cut should go once what was lost is back in it."""
        side, returned = self.session.side, self.session.home.returned
        if side is None or returned is None:
            return
        target = self.session.home.home_destination()
        suffix = FORMATS[target.format].suffix
        path = ask_target(
            self,
            "Save the cut that came home",
            returned.path.with_name(f"{safe_name(side.sequence.name)} home{suffix}"),
            f"{FORMATS[target.format].label} (*{suffix})",
        )
        if path is not None:
            self.write_home(path)

    def write_home(self, path: Path) -> None:
        """Put everything back and write the cut, in the background."""

        def done(count: int) -> None:
            words = f"{path} is saved with {counted(count, 'thing')} put back; read back and compared"
            self.session.said.emit(words, False)

        self.session.home.bring_home(path, done)

    def save_arrived(self) -> None:
        """Ask where the cut with what came should go, and write it."""
        side, source = self.session.side, self.session.path
        if side is None or source is None:
            return
        kind = FORMATS[self.session.home.home_destination().format]
        name = f"{safe_name(side.sequence.name)} home{kind.suffix}"
        path = ask_target(
            self, "Save the cut that came home", source.with_name(name), f"{kind.label} (*{kind.suffix})"
        )
        if path is not None:
            words = f"{path} is saved with what came laid in; read back and compared"
            self.session.laying.save(path, lambda: self.session.said.emit(words, False))

    @property
    def _held(self) -> HeldPage | None:
        """The page of what is held against the cut, where something is."""
        if self.session.pairing.paired is not None:
            return self.paired
        return self.screened if self.session.screening.screened is not None else None

    def _show(self) -> None:
        returned, side = self.session.home.returned, self.session.side
        arrived = self.session.laying.arrived
        screened, paired = self.session.screening.screened, self.session.pairing.paired
        page = 1 if returned is not None and side is not None else 0
        page = 2 if arrived is not None else page
        page = 3 if screened is not None else page
        self.stack.setCurrentIndex(4 if paired is not None else page)
        self.screened.show_screened(screened)
        self.paired.show_paired(paired)
        self.arriving.show_arrived(arrived)
        if arrived is None and self._held is None:
            self.edited.show_returned()
        self.changed.emit()

    def _playhead(self, frame: int) -> None:
        for one in self._pages:
            one.playhead(frame)

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        for one in self._pages:
            one.refresh()

    def go_next(self, direction: int) -> None:
        if (held := self._held) is not None:
            held.go_next(direction)
            return
        if self.session.laying.arrived is not None:
            self.arriving.go_next(direction)
            return
        self.edited.go_next(direction)

    def look_up(self, words: str) -> bool:
        return self.edited.look_up(words)

    def main_action(self) -> tuple[str, bool]:
        if self.session.pairing.paired is not None:
            return "Check another pair…", True
        if self.session.screening.screened is not None:
            return "Check another movie…", True
        if self.session.laying.arrived is not None:
            return "Save the cut that came home…", bool(self.session.laying.arrived.home.laid)
        if self.session.home.returned is not None:
            return "Save the cut that came home…", True
        return "Open a returned file…", self.session.job is not None

    def run_main(self) -> None:
        if self.session.pairing.paired is not None:
            self.choose_pair()
            return
        if self.session.screening.screened is not None:
            self.choose_movie()
            return
        if self.session.laying.arrived is not None:
            self.save_arrived()
        elif self.session.home.returned is not None:
            self.bring_back()
        else:
            self.choose()

    def open_count(self) -> tuple[int, bool, bool]:
        returned, arrived = self.session.home.returned, self.session.laying.arrived
        if (held := self._held) is not None:
            return len(held.rows), bool(held.rows), not held.rows
        if arrived is not None:
            count = open_ones(arrived.home)
            return count, bool(count), not count
        if returned is None:
            return 0, False, False
        count = len(returned.differences)
        return count, any(one.kind == "gone" for one in returned.differences), not count

    def restyle(self) -> None:
        for one in self._pages:
            one.ledger.refresh()
        self.edited.refresh()
