"""The window: route, header, stops, status line, menus and keys."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

import platformdirs
from PySide6.QtCore import QSettings, Qt, QUrl
from PySide6.QtGui import QAction, QActionGroup, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PySide6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMainWindow,
    QMenu,
    QMessageBox,
    QProgressBar,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from wexodos.carryover import Finding
from wexodos.demo import build, complete
from wexodos.desktop.asking import ask_file
from wexodos.desktop.batching import Batching
from wexodos.desktop.collector import Collector
from wexodos.desktop.keyboard import KEYS, Keyboard
from wexodos.desktop.player import Player
from wexodos.desktop.reels import told, verdict
from wexodos.desktop.rehearsing import Rehearsing
from wexodos.desktop.session import Session
from wexodos.desktop.stops import CarryStop, IntakeStop, MediaStop, ReturnStop, Stop, TidyStop, TurnoverStop
from wexodos.desktop.targets import Targets
from wexodos.desktop.theme import install
from wexodos.desktop.views import Views
from wexodos.desktop.widgets.facts import Facts
from wexodos.desktop.widgets.finder import Finder, Target
from wexodos.desktop.widgets.header import Header
from wexodos.desktop.widgets.ledger import Ledger
from wexodos.desktop.widgets.notice import Notice
from wexodos.desktop.widgets.reel_bar import ReelBar
from wexodos.desktop.widgets.route import Route
from wexodos.formats import FORMATS
from wexodos.formats.opening import inside, is_many


class Shell(QMainWindow):
    """The main window."""

    def __init__(self, settings: QSettings | None = None) -> None:
        super().__init__()
        self.settings = settings or QSettings(
            QSettings.Format.IniFormat, QSettings.Scope.UserScope, "wexodos", "wexodos"
        )
        self.setWindowTitle("Wexodos")
        self.collector = Collector(self)
        self.keyboard = Keyboard(self)
        self.session = Session(self)
        self.player = Player(self.session, self)
        stops = IntakeStop, TidyStop, MediaStop, CarryStop, TurnoverStop, ReturnStop
        self.route = Route([one.name for one in stops])
        self.header = Header()
        self.notice = Notice()
        self.reel_bar = ReelBar()
        self.views = Views(self.settings)
        self._viewed: Path | None = None
        self.batching: Batching | None = None
        self.rehearsing: Rehearsing | None = None
        self.pages = QStackedWidget()
        self._frame()
        # Into a frame that stands: each widget is dressed anew, with everything in it, wherever it is put.
        self.intake = IntakeStop(self.session, self.pages)
        self.tidying = TidyStop(self.session, self.pages)
        self.media = MediaStop(self.session, self.pages)
        self.carry = CarryStop(self.session, self.pages)
        self.turnover = TurnoverStop(self.session, self.pages)
        self.returning = ReturnStop(self.session, self.pages)
        self.stops: list[Stop] = [
            self.intake,
            self.tidying,
            self.media,
            self.carry,
            self.turnover,
            self.returning,
        ]
        for stop in self.stops:
            self.pages.addWidget(stop)
            stop.changed.connect(self._refresh)
            stop.asked_for.connect(self._asked)
        self._settle()
        self._menus()
        self.route.chosen.connect(self.go_to)
        self.header.main.clicked.connect(lambda: self.current.run_main())
        self.header.cut.clicked.connect(lambda: self.go_to(0))
        self.header.destination.clicked.connect(self.choose_destination)
        self.header.find_asked.connect(self._find_words)
        self.intake.open_asked.connect(self.open)
        session = self.session
        session.opened.connect(self._opened)
        session.decided.connect(self._refresh)
        session.carried_changed.connect(self._refresh)
        session.carried_changed.connect(self._show_view)
        session.said.connect(self.say)
        session.tasks.busy.connect(self._busy)
        session.tasks.idle.connect(self._idle)
        session.tidied_changed.connect(self._refresh)
        session.media_changed.connect(self._refresh)
        session.lock_changed.connect(self._refresh)
        session.reels_changed.connect(self._refresh)
        self.reel_bar.chosen.connect(session.look_at)
        self.go_to(0)
        for problem in session.problems:
            self.say(problem, True)

    # ---- layout

    def _frame(self) -> None:
        """Put what stands about the pages in its place, from the outside in."""
        central = QWidget()
        self.setCentralWidget(central)
        across = QHBoxLayout(central)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        across.addWidget(self.route)
        right = QVBoxLayout()
        right.setSpacing(0)
        across.addLayout(right, 1)
        right.addWidget(self.header)
        right.addWidget(self.reel_bar)
        right.addWidget(self.notice)
        right.addWidget(_line())
        right.addWidget(self.pages, 1)
        right.addWidget(_line())
        right.addWidget(self._status())

    def _settle(self) -> None:
        self.resize(1280, 800)
        self.setMinimumSize(960, 640)
        self.setAcceptDrops(True)
        for field in self.findChildren(QLineEdit):
            # A file that is dropped on words is a file, not words.
            field.setAcceptDrops(False)
        self.views.restore_layout(self)

    def _status(self) -> QWidget:
        bar = QWidget()
        bar.setFixedHeight(26)
        row = QHBoxLayout(bar)
        row.setContentsMargins(12, 0, 12, 0)
        self._told = ""
        self.status = QLabel()
        self.status.setProperty("role", "dim")
        self.progress = QProgressBar()
        self.progress.setFixedWidth(140)
        self.progress.setTextVisible(False)
        self.stop_button = QPushButton("Stop")
        self.stop_button.setProperty("flat", True)
        self.stop_button.clicked.connect(self.session.tasks.stop_all)
        self.saved = QLabel()
        self.saved.setProperty("role", "dim")
        row.addWidget(self.status, 1)
        row.addWidget(self.progress)
        row.addWidget(self.stop_button)
        row.addWidget(self.saved)
        self.progress.hide()
        self.stop_button.hide()
        return bar

    def _menus(self) -> None:
        bar = self.menuBar()
        job = bar.addMenu("&Job")
        self._act(job, "Open…", self.intake.choose, "Ctrl+O")
        self._act(job, "Open a folder…", self.intake.choose_folder, "Ctrl+Shift+F")
        self._act(job, "Open the demo", lambda: self._asked("demo"))
        self._act(job, "Carry a whole folder over…", self.carry_folder, "Ctrl+Shift+B")
        self._act(job, "Open a new version of the cut…", self.choose_version, "Ctrl+Shift+N")
        self._act(job, "Open a returned file…", self.returning.choose, "Ctrl+Shift+O")
        self._act(job, "Rehearse at the far side…", self.rehearse, "Ctrl+Shift+R")
        self._act(job, "Write turnover", lambda: self.go_to("Turnover"), "Ctrl+T")
        job.addSeparator()
        self._act(job, "Quit", self.close, "Ctrl+Q")
        edit = bar.addMenu("&Edit")
        self._act(edit, "Undo", self.session.undo, "Ctrl+Z")
        self._act(edit, "Redo", self.session.redo, "Ctrl+Shift+Z")
        self._act(edit, "Find anything…", lambda: self.find_anything(""), "Ctrl+K")
        go = bar.addMenu("&Go")
        for number, stop in enumerate(self.stops):
            self._act(go, stop.name, partial(self.go_to, number), f"Ctrl+{number + 1}")
        go.addSeparator()
        self._act(go, "Next finding or problem", lambda: self.current.go_next(1), "N")
        self._act(go, "Previous finding or problem", lambda: self.current.go_next(-1), "Shift+N")
        self._act(go, "Next sequence that goes over", lambda: self.session.reels.step(1), "Ctrl+PgDown")
        self._act(go, "Previous sequence that goes over", lambda: self.session.reels.step(-1), "Ctrl+PgUp")
        go.addSeparator()
        for words, keys, step in (
            ("One frame on", "Right", 1),
            ("One frame back", "Left", -1),
            ("Ten frames on", "Shift+Right", 10),
            ("Ten frames back", "Shift+Left", -10),
        ):
            self._act(go, words, partial(self._step, step), keys)
        self._act(go, "Next cut", partial(self._cut, 1), "Down")
        self._act(go, "Previous cut", partial(self._cut, -1), "Up")
        go.addSeparator()
        self._act(go, "Play, stop", self.player.toggle, "Space")
        view = bar.addMenu("&View")
        self._act(view, "Wipe between before and after", partial(self._mode, "wipe"), "W")
        self._act(view, "Line to the left", partial(self._divide, -0.05), "Alt+Left")
        self._act(view, "Line to the right", partial(self._divide, 0.05), "Alt+Right")
        self._act(view, "Where they differ", partial(self._mode, "difference"), "D")
        self._act(view, "Only what is chosen", partial(self._mode, "alone"), "A")
        view.addSeparator()
        self._act(view, "Zoom in", lambda: self._zoom(1.5), "+")
        self._act(view, "Zoom out", lambda: self._zoom(1 / 1.5), "-")
        self._act(view, "Whole cut", lambda: self._zoom(0.0), "0")
        view.addSeparator()
        for number, fate in enumerate(("carried", "adapted", "baked", "noted", "left behind"), 1):
            self._act(view, f"Only {fate}", partial(self._fate, number), str(number))
        view.addSeparator()
        theme = view.addMenu("Colours")
        group = QActionGroup(self)
        for word, name in (("Night", "night"), ("Day", "day"), ("As the desktop", "desktop")):
            action = self._act(theme, word, partial(self.use_theme, name))
            action.setCheckable(True)
            action.setChecked(self.settings.value("theme", "night") == name)
            group.addAction(action)
        self._act(bar.addMenu("&Help"), "The keys", self.show_keys, "F1")

    def _act(self, menu: QMenu, words: str, act, keys: str = "") -> QAction:  # type: ignore[no-untyped-def]
        action = QAction(words, self)
        if keys:
            action.setShortcut(QKeySequence(keys))
        action.triggered.connect(lambda _on=False: act())
        menu.addAction(action)
        return action

    # ---- where one is

    @property
    def current(self) -> Stop:
        return self.stops[self.pages.currentIndex()]

    def go_to(self, stop: int | str) -> None:
        """Go to a stop by its place or its name."""
        index = stop if isinstance(stop, int) else [one.name for one in self.stops].index(stop)
        self.pages.setCurrentIndex(index)
        self.route.set_current(index)
        self._refresh()

    def _ledger(self) -> Ledger | None:
        found = getattr(self.current, "ledger", None)
        return found if isinstance(found, Ledger) else None

    def _step(self, frames: int) -> None:
        self.session.set_playhead(self.session.playhead + frames)

    def _cut(self, direction: int) -> None:
        ledger = self._ledger()
        if ledger is not None:
            self.session.set_playhead(ledger.next_cut(direction) - ledger.data.lead)

    def _zoom(self, factor: float) -> None:
        ledger = self._ledger()
        if ledger is not None:
            ledger.zoom(factor) if factor else ledger.fit()

    def _mode(self, mode: str) -> None:
        facts = getattr(self.current, "facts", None)
        if isinstance(facts, Facts):
            facts.pair.show_mode(mode)

    def _divide(self, by: float) -> None:
        facts = getattr(self.current, "facts", None)
        if isinstance(facts, Facts):
            facts.pair.canvas.divide(facts.pair.canvas.divider + by)

    def choose_version(self) -> None:
        """Ask for the next version of the cut; what was decided holds for it."""
        path = ask_file(self, "Take in the next version of this cut", self.session.path)
        if path is not None:
            self._sequence_of(path, self.session.open_version)

    def _fate(self, number: int) -> None:
        self.current.toggle_fate(number)

    def _asked(self, wanted: str) -> None:
        if wanted == "demo":
            self._demo()
            return
        if wanted == "folder":
            self.carry_folder()
            return
        if wanted == "rehearse":
            self.rehearse()
            return
        for index, stop in enumerate(self.stops):
            if stop.name == wanted:
                self.go_to(index)

    # ---- files

    def open(self, path: Path) -> None:
        """Take in a file, a folder, a zip or a job."""
        self._keep_view()
        self._sequence_of(path, self.session.open)

    def open_several(self, paths: list[Path]) -> None:
        """Several files came at once: one is chosen."""
        if len(paths) == 1:
            self.open(paths[0])
            return
        targets = [Target(one.name, str(one.parent), partial(self.open, one)) for one in paths]
        self._popup(Finder(targets, "", self, "Several files came; take one in"))

    def _sequence_of(self, path: Path, act: Callable[[Path], None]) -> None:
        """Do something with a sequence file, or with the one that is chosen in a folder or a zip."""
        if not is_many(path):
            act(path)
            return

        def done(found: list[Path]) -> None:
            if len(found) == 1:
                act(found[0])
                return
            targets = [Target(one.name, str(one.parent), partial(act, one)) for one in found]
            self._popup(Finder(targets, "", self, f"{path.name} holds {len(found)} sequence files"))

        def work(step):  # type: ignore[no-untyped-def]
            step(f"looking into {path.name}", 0.1)
            return inside(path, step)

        self.session.tasks.start("opening", work, done, lambda sentence: self.say(sentence, True))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if _local(event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Files, folders and zips can be dropped anywhere: a stop takes what it knows what to do with, all
        else is taken in."""
        paths = _local(event.mimeData().urls())
        if paths:
            event.acceptProposedAction()
            if not self.current.dropped(paths):
                self.open_several(paths)

    def _demo(self) -> None:
        folder = demo_folder()

        def work(step):  # type: ignore[no-untyped-def]
            if not complete(folder):
                build(folder, step)
            return folder / "kiln-night.xml"

        self.session.tasks.start("demo", work, self.session.open, lambda sentence: self.say(sentence, True))

    def carry_folder(self) -> None:
        """Show what carries a whole folder of files over."""
        if self.batching is None:
            self.batching = Batching(self.session, self.settings, self)
        self.batching.show()
        self.batching.raise_()
        self.batching.activateWindow()

    def rehearse(self) -> None:
        """Show what plays the far side."""
        if self.rehearsing is None:
            self.rehearsing = Rehearsing(self.session, self)
            self.rehearsing.came.connect(self._came_back)
        self.rehearsing.show()
        self.rehearsing.raise_()
        self.rehearsing.activateWindow()

    def _came_back(self, folder: Path) -> None:
        """What came back from a rehearsal is laid in."""
        self.go_to("Return")
        self.session.laying.take([folder])

    # ---- destination

    def choose_destination(self) -> None:
        """A menu of destinations under the header."""
        menu = self.destination_menu()
        menu.exec(self.header.destination.mapToGlobal(self.header.destination.rect().bottomLeft()))

    def destination_menu(self) -> QMenu:
        menu = QMenu(self)
        now = self.session.destination
        for one in self.session.destinations:
            action = QAction(f"{one.name}    {one.format} {one.version}", menu)
            action.setToolTip(one.summary)
            action.setCheckable(True)
            action.setChecked(now is not None and one.id == now.id)
            action.setEnabled(self.session.job is not None)
            action.triggered.connect(lambda _on=False, key=one.id: self.session.decide(destination=key))
            menu.addAction(action)
        return menu

    # ---- finding

    def _popup(self, finder: Finder) -> None:
        finder.move(self.mapToGlobal(self.rect().center()) - finder.rect().center())
        finder.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        finder.show()
        finder.field.setFocus()

    def _find_words(self, words: str) -> None:
        if words and not self.current.look_up(words):
            self.find_anything(words)

    def find_anything(self, words: str) -> None:
        found = Targets(self)
        self._popup(Finder(found.all(), words, self, also=found.timecode))

    def to_finding(self, finding: Finding) -> None:
        """Go to a finding at Carry-over."""
        self.go_to("Carry-over")
        self.carry.go(finding)

    def to_medium(self, media_id: str) -> None:
        """Go to a medium at Media."""
        self.go_to("Media")
        self.media.go_to_medium(media_id)

    def to_item(self, item_id: str, frame: int) -> None:
        """Go to a clip where one is."""
        self.session.set_playhead(frame)
        self.session.select(item_id)
        ledger = self._ledger()
        if ledger is not None:
            ledger.select(item_id)

    # ---- what is said

    def say(self, sentence: str, grave: bool) -> None:
        """One sentence in the status line."""
        if sentence:
            self._told = sentence
            self.status.setText(sentence)
            self.status.setProperty("role", "error" if grave else "dim")
            self.status.style().unpolish(self.status)
            self.status.style().polish(self.status)
            self.status.setToolTip(sentence)
        self.saved.setText(f"saved {self.session.saved_at}" if self.session.saved_at else "")

    def _busy(self, what: str, share: float) -> None:
        if not share:
            self._told = ""
        self.progress.setRange(0, 100)
        self.progress.setValue(int(share * 100))
        self.progress.setVisible(True)
        self.stop_button.setVisible(True)
        if self.status.property("role") != "error":
            self.status.setText(what)

    def _idle(self) -> None:
        self.progress.hide()
        self.stop_button.hide()
        carried = self.session.carried
        if self._told:
            # What the work that just ended had to say stays to be read.
            return
        if carried is not None and self.status.property("role") != "error":
            wrong = any(one.errors for one in self.session.reels.carried)
            self.say(f"Read back and compared: {verdict(self.session)}", wrong)
        elif self.status.property("role") != "error":
            self.status.setText("")

    def _opened(self) -> None:
        self.status.setProperty("role", "dim")
        self.setWindowTitle(f"{self.session.path.name} – Wexodos" if self.session.path else "Wexodos")
        self._refresh()

    def _refresh(self) -> None:
        side, destination, document = self.session.side, self.session.destination, self.session.document
        if document is None:
            self.header.cut.show_words("No cut yet", "take in a sequence file")
            self.header.destination.show_words("", "")
            self.header.arrow.hide()
        elif side is None:
            self.header.cut.show_words(
                self.session.path.name if self.session.path else "", "the file holds no sequence"
            )
        else:
            one = side.sequence
            width, height = one.frame_size
            facts = (
                FORMATS[document.format].label,
                f"{width}×{height}",
                f"{one.rate.label()} fps{' drop frame' if one.drop_frame else ''}",
                f"{one.timecode(0)} – {one.timecode(one.duration)}",
            )
            self.header.cut.show_words(one.name or one.id, "   ".join(facts))
        if destination is not None and document is not None:
            self.header.arrow.show()
            self.header.destination.show_words(destination.name, destination.summary)
        self._notice()
        self.reel_bar.show_reels(*told(self.session))
        words, enabled = self.current.main_action()
        self.header.set_main(words, enabled)
        for index, stop in enumerate(self.stops):
            count, grave, done = stop.open_count()
            self.route.set_state(index, count, grave, done)

    def _notice(self) -> None:
        """What is wrong with the job as a whole, with the way out."""
        session = self.session
        if session.looking:
            self.notice.tell(
                "This job is open in another window. Here it can be looked at; nothing is saved.",
                [("Take it over", session.take_over)],
            )
        elif session.contradiction is not None:
            self.notice.tell(
                f"{session.contradiction.words}.",
                [(way.words, partial(session.decide, **way.changes)) for way in session.contradiction.ways],
            )
        else:
            self.notice.tell("", [])

    # ---- what a restart brings back

    def _keep_view(self) -> None:
        """Remember how the open job is looked at."""
        file = self.session.job_file
        if file is None or self._viewed != file:
            return
        self.views.keep_job(
            file,
            {
                "stop": self.current.name,
                "playhead": self.session.playhead,
                "stops": {stop.name: stop.view() for stop in self.stops},
            },
        )

    def _show_view(self) -> None:
        """Look at a job that was opened as it was looked at last; once, when all of it is there."""
        file = self.session.job_file
        if file is None or self._viewed == file or self.session.carried is None:
            return
        self._viewed = file
        view = self.views.of_job(file)
        stops = view.get("stops")
        for stop in self.stops:
            own = stops.get(stop.name) if isinstance(stops, dict) else None
            if isinstance(own, dict):
                stop.show_view(own)
        if view.get("stop") in [stop.name for stop in self.stops] and self.current is self.intake:
            self.go_to(str(view["stop"]))
        # Last: a stop goes to what is open there when it is seen first.
        if isinstance(view.get("playhead"), int):
            self.session.set_playhead(view["playhead"])

    def use_theme(self, name: str) -> None:
        """Put other colours in force and keep the choice."""
        self.settings.setValue("theme", name)
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        install(app, name)
        self.header.restyle()
        self.notice.restyle()
        self.reel_bar.restyle()
        for stop in self.stops:
            stop.restyle()
        self.route.update()

    def show_keys(self) -> None:
        """The keys, on a sheet."""
        rows = "".join(
            f"<tr><td style='padding-right:18px'><b>{keys}</b></td><td>{words}</td></tr>"
            for keys, words in KEYS
        )
        sheet = QMessageBox(self)
        sheet.setWindowTitle("The keys")
        sheet.setTextFormat(Qt.TextFormat.RichText)
        sheet.setText(f"<table cellspacing='4'>{rows}</table>")
        sheet.setModal(False)
        sheet.show()

    def closeEvent(self, event: QCloseEvent) -> None:
        self.player.stop()
        self._keep_view()
        self.views.keep_layout(self)
        self.session.tasks.finish()
        self.session.close()
        super().closeEvent(event)


def demo_folder() -> Path:
    """Where the window keeps the demo it makes itself."""
    return Path(platformdirs.user_data_dir("wexodos")) / "demo"


def _local(urls: list[QUrl]) -> list[Path]:
    """The files and folders among what is dropped."""
    return [Path(url.toLocalFile()) for url in urls if url.isLocalFile()]


def _line() -> QFrame:
    line = QFrame()
    line.setFixedHeight(1)
    line.setStyleSheet("background: palette(alternate-base);")
    return line
