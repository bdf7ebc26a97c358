"""Turnover: what goes into the package, where it goes, and the verified result."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, QTimer, QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QTabBar,
    QVBoxLayout,
    QWidget,
)

from wexodos.carryover import Carried
from wexodos.desktop.asking import ask_folder, near
from wexodos.desktop.session import Session
from wexodos.desktop.stage import Stage
from wexodos.desktop.stops.base import Stop, dim, heading
from wexodos.desktop.stops.packing import PackagePane
from wexodos.desktop.theme import palette
from wexodos.desktop.widgets.sequence_options import SequenceOptions
from wexodos.desktop.widgets.tables import Column, Table
from wexodos.desktop.widgets.turnover_options import TurnoverOptions
from wexodos.ground.files import reason
from wexodos.ground.names import size_words
from wexodos.settling.options import chosen
from wexodos.tidy.step import counted
from wexodos.turnover import Part, Written, free_space, write_package
from wexodos.turnover.several import made, planned

_REPORTS = (
    (".html", "as a page (.html)", True),
    (".json", "for programs (.json)", True),
    (".csv", "as a table (.csv)", False),
    (".pdf", "for print (.pdf)", False),
)


def _size(count: Callable[[Any], int]) -> Column:
    """The column of a size."""
    return Column("size", lambda one: size_words(count(one)), 110, mono=True, right=True, order=count)


class TurnoverStop(Stop):
    """Writes the sequence file and the reports into a chosen folder, or makes a package of all that the next
    room needs."""

    name = "Turnover"

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        self.written: list[Written] = []
        self.stage = Stage.NOTHING
        self._why = ""
        self._parts: list[Part] = []
        self._due = True
        # The carry-overs that were added up last.
        self._added_up: list[Carried] | None = None
        self.stale = True
        self.folder = QLineEdit()
        self.folder.setPlaceholderText("Choose the folder it is written into")
        self.folder.setAccessibleName("Folder it is written into")
        self.folder.textChanged.connect(self._update)
        # What is dropped on it is taken by the window, which knows a folder from words.
        self.folder.setAcceptDrops(False)
        self._going: object = None
        self._folder_state: tuple[bool, bool] = (False, False)
        self._watch = QTimer(self)
        self._watch.setInterval(700)
        self._watch.timeout.connect(self._look_at_folder)
        choose = QPushButton("Choose…")
        choose.clicked.connect(self.choose)
        self.checks: dict[str, QCheckBox] = {}
        self.parts = Table(
            [
                Column("file", lambda part: part.name, 360, stretch=True),
                Column("what", lambda part: part.what, 240),
                _size(lambda part: part.bytes),
            ],
            "What is written",
        )
        self.result = Table(
            [
                Column("written and read back", lambda one: str(one.path), 360, stretch=True),
                _size(lambda one: one.size),
                Column(
                    "proof (SHA-256)",
                    lambda one: one.digest[:16] + "…" if one.digest else one.proof,
                    180,
                    mono=True,
                ),
            ],
            "Files written",
        )
        self.result.empty_words = "nothing written yet"
        self.parts.empty_words = "take in a cut first"
        self.state = QLabel()
        self.state.setWordWrap(True)
        self.plan = QLabel()
        self.plan.setWordWrap(True)
        self.media = QLabel()
        self.media.setWordWrap(True)
        self.media.linkActivated.connect(lambda _link: self.asked_for.emit("Media"))
        self.show_folder = QPushButton("Show the folder")
        self.show_folder.clicked.connect(
            lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(self.folder.text()))
        )
        left = QWidget()
        box = QVBoxLayout(left)
        box.setContentsMargins(16, 12, 12, 12)
        box.setSpacing(8)
        box.addWidget(heading("What is written"))
        box.addWidget(self.parts, 1)
        self.choices = SequenceOptions()
        self.choices.changed.connect(lambda name, value: session.decide(**{name: value}))
        session.decided.connect(self._decided)
        box.addWidget(self.choices)
        self.settings = TurnoverOptions()
        self.settings.changed.connect(self._set)
        box.addWidget(self.settings)
        options = QHBoxLayout()
        options.addWidget(dim("Report"))
        for suffix, words, on in _REPORTS:
            check = QCheckBox(words)
            check.setChecked(on)
            check.toggled.connect(self._add_up)
            self.checks[suffix] = check
            options.addWidget(check)
        options.addStretch(1)
        box.addLayout(options)
        box.addWidget(heading("Where it goes"))
        row = QHBoxLayout()
        row.addWidget(self.folder, 1)
        row.addWidget(choose)
        box.addLayout(row)
        box.addWidget(self.plan)
        box.addWidget(self.media)
        lower = QWidget()
        below = QVBoxLayout(lower)
        below.setContentsMargins(16, 12, 12, 12)
        below.setSpacing(8)
        head = QHBoxLayout()
        head.addWidget(heading("Result"))
        head.addStretch(1)
        head.addWidget(self.show_folder)
        below.addLayout(head)
        below.addWidget(self.state)
        below.addWidget(self.result, 1)
        split = QSplitter(Qt.Orientation.Vertical)
        split.setChildrenCollapsible(False)
        split.addWidget(left)
        split.addWidget(lower)
        split.setSizes([400, 240])
        self.pages = QStackedWidget()
        self.pages.addWidget(split)
        self.ways = QTabBar()
        self.ways.setAccessibleName("What is handed over")
        self.ways.setDrawBase(False)
        # Who clicks on a page and goes on with Tab goes on in it.
        self.ways.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.ways.setExpanding(False)
        self.ways.addTab("Sequence and report")
        self.ways.addTab("Package for the next room")
        self.ways.currentChanged.connect(self._way)
        above = QHBoxLayout()
        above.setContentsMargins(16, 8, 16, 0)
        above.addWidget(self.ways)
        above.addStretch(1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(above)
        whole.addWidget(self.pages, 1)
        self.package = PackagePane(session, self.pages)
        self.pages.addWidget(self.package)
        self.package.changed.connect(self.changed)
        self.package.rehearse.clicked.connect(lambda: self.asked_for.emit("rehearse"))
        session.opened.connect(self._opened)
        session.carried_changed.connect(self._carried)
        session.reels_changed.connect(self._carried)
        session.media_changed.connect(self._update)
        session.tasks.busy.connect(lambda what, share: self._planning() if not share else None)
        self._update()

    @property
    def packing(self) -> bool:
        """Whether it is the package that is looked at."""
        return self.pages.currentWidget() is self.package

    def _way(self, place: int) -> None:
        self.pages.setCurrentIndex(place)
        self.changed.emit()

    def restyle(self) -> None:
        self.package.restyle()
        self._update()

    def _set(self, name: str, value: str) -> None:
        """Choose a setting of this destination's turnover; what it proposes itself needs no decision."""
        job, destination = self.session.job, self.session.destination
        if job is None or destination is None:
            return
        own = dict(job.now.turnover.get(destination.id, {}))
        own.pop(name, None)
        if chosen(destination.turnover, ((name, value),)) != destination.turnover:
            own[name] = value
        self.session.decide(turnover={**job.now.turnover, destination.id: own})

    def _decided(self) -> None:
        job = self.session.job
        if job is None:
            return
        self.settings.show_destination(self.session.destination, job.now.settings)
        self.choices.show_decisions(self.session.destination, job.now)

    def _opened(self) -> None:
        going = self.session.path, [one.id for one in self.session.reels.going()]
        if going != self._going:
            self.written, self.stale, self.stage = [], True, Stage.NOTHING
            self.result.show_rows([])
        self._going = going
        if self.session.path is not None and not self.folder.text():
            self.folder.setText(str(Path.home()))
        self._parts = []
        self._update()

    def _carried(self) -> None:
        carried = self.session.reels.carried
        if self._added_up is None or not _same(carried, self._added_up):
            self.stale = True
            self._add_up()
        else:
            self._update()

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self._watch.start()
        self.session.reels.go_on()
        if self._due:
            self._add_up()
        self._update()

    def hideEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().hideEvent(event)
        self._watch.stop()

    def choose(self) -> None:
        place = self.folder.text() if Path(self.folder.text()).is_dir() else near(self.session.path)
        path = ask_folder(self, "Choose the folder it is written into", place)
        if path is not None:
            self.folder.setText(str(path))

    def dropped(self, paths: list[Path]) -> bool:
        """A folder that is dropped here is where the package goes."""
        if len(paths) != 1 or not paths[0].is_dir() or (paths[0] / "Info.fcpxml").is_file():
            return False
        (self.package.folder if self.packing else self.folder).setText(str(paths[0]))
        return True

    def _planning(self) -> None:
        """Something is worked out anew: the list of what would be written no longer holds."""
        tasks = self.session.tasks
        if any(tasks.working_at(kind) for kind in ("carrying over", "tidying", "reading")):
            self._parts, self.stale, self._added_up = [], True, None
            self.parts.empty_words = "working out what goes into it …"
            self.parts.show_rows([])
            self.changed.emit()

    def _look_at_folder(self) -> None:
        """A folder may be made, filled or taken away while it is looked at."""
        if self.isVisible() and self._state_of_folder() != self._folder_state:
            self._update()

    def _state_of_folder(self) -> tuple[bool, bool]:
        place = self.place
        if place is None:
            return False, False
        return place.is_dir(), any((place / part.name).exists() for part in self._parts)

    @property
    def place(self) -> Path | None:
        """The folder that is chosen; None where none is."""
        words = self.folder.text().strip()
        return Path(words).expanduser() if words else None

    @property
    def reports(self) -> tuple[str, ...]:
        """The suffixes of the reports that are wanted."""
        return tuple(suffix for suffix, check in self.checks.items() if check.isChecked())

    def _add_up(self) -> None:
        """Work out what would be written now, in the background, where somebody looks at it."""
        self._due = not self.isVisible()
        leaving, path, reports = self.session.reels.leaving(), self.session.path, self.reports
        self._added_up = None
        if not leaving or path is None:
            self._parts, self._due = [], True
        elif not self._due:
            self._added_up = [one.carried for one in leaving]

            def done(parts: list[Part]) -> None:
                self._parts = parts
                self._update()

            def work(step: Any) -> list[Part]:
                step("adding up the package", 0.0)
                return planned(leaving, str(path), reports)

            self.session.tasks.start(
                "adding up the package", work, done, lambda sentence: self.session.said.emit(sentence, True)
            )
        self._update()

    def _update(self) -> None:
        parts, place = self._parts, self.place
        self._folder_state = self._state_of_folder()
        self.parts.empty_words = "take in a cut first" if self.session.document is None else "nothing yet"
        self.parts.show_rows(parts)
        self.plan.setText(self._plan_words())
        self.media.setText(self._media_words())
        self.media.setVisible(bool(self.media.text()))
        words, wrong = self._state_words()
        self.state.setText(words)
        self.state.setStyleSheet(f"color: {palette().left};" if wrong else "")
        self.show_folder.setVisible(bool(self.written) and place is not None and place.is_dir())
        self.changed.emit()

    def _plan_words(self) -> str:
        """How much it is, what is free, what is in the way."""
        parts, place = self._parts, self.place
        if not parts:
            return ""
        free = free_space(place) if place is not None else None
        about = "about " if any(part.what == "rendered" for part in parts) else ""
        words = f"{counted(len(parts), 'file')}, {about}{size_words(sum(part.bytes for part in parts))}"
        if free is not None:
            words += f"; {size_words(free)} are free there"
        if place is not None and not place.is_dir():
            words += "; the folder will be made" if self._can_make else "; there is no such folder"
        over = [part.name for part in parts if place is not None and (place / part.name).exists()]
        if over and (self.stale or self.stage is not Stage.WRITTEN):
            shown = ", ".join(over[:4]) + (f" and {len(over) - 4} more" if len(over) > 4 else "")
            words += f"; {len(over)} of them stand there already and are replaced: {shown}"
        return words

    def _media_words(self) -> str:
        """What is wrong with the media that go over, with a way there."""
        wrong: dict[str, int] = {}
        for row in self.session.media:
            if row.status != "found":
                wrong[row.status] = wrong.get(row.status, 0) + 1
        if not wrong:
            return ""
        told = ", ".join(f"{count} {status}" for status, count in wrong.items())
        way = f"<a href='media' style='color:{palette().accent}'>See them in Media</a>"
        return f"Media of this cut: {told}. {way}"

    def _state_words(self) -> tuple[str, bool]:
        """What became of the writing, and whether that is bad."""
        if self.stage is Stage.WRITING:
            return "Being written …", False
        if self.stage is Stage.STOPPED:
            return "Stopped. What was in the folder before stands there unchanged.", False
        if self.stage is Stage.FAILED:
            return self._why, True
        if self.stage is Stage.WRITTEN and self.stale:
            return "Decisions have changed since this was written; write it again.", False
        if self.stage is Stage.WRITTEN:
            how = " and ".join(sorted({one.proof for one in self.written}))
            return f"Written, read back and found equal, {how}.", False
        if self.session.contradiction is not None:
            return f"{self.session.contradiction.words}.", True
        reels = self.session.reels
        wrong = next((one for one in reels.all() if one.problem), None)
        if wrong is not None:
            return f"{wrong.sequence.name}: {wrong.problem}", True
        for carried in reels.carried:
            if carried.errors:
                said = f"{carried.sequence.name}: {carried.verdict}" if reels.several else carried.verdict
                return f"{said}. They are listed first in Carry-over; nothing can be written.", True
        if reels.several and reels.waiting:
            return f"{reels.waiting} of {len(reels.going())} sequences are still being worked out.", False
        return "Nothing written yet.", False

    @property
    def _can_make(self) -> bool:
        """Whether the folder is not there and can be made."""
        place = self.place
        if place is None or place.exists() or not place.is_absolute():
            return False
        above = next((one for one in place.parents if one.exists()), None)
        return above is not None and above.is_dir() and os.access(above, os.W_OK)

    def main_action(self) -> tuple[str, bool]:
        if self.packing:
            return self.package.main_action()
        if self.stage is Stage.WRITING:
            return "Being written …", False
        place, carried = self.place, self.session.reels.carried
        there = place is not None and place.is_dir()
        possible = (
            bool(carried)
            and not any(one.errors for one in carried)
            and self.session.contradiction is None
            and not self.session.tasks.working_at("carrying over")
        )
        if not there and self._can_make:
            return "Make the folder and write", possible
        return "Write into the folder", possible and there

    def run_main(self) -> None:
        if self.packing:
            self.package.run_main()
            return
        folder, source, reports = self.place, self.session.path, self.reports
        session, leaving = self.session, self.session.reels.leaving()
        job, destination = session.job, session.destination
        if folder is None or self.stage is Stage.WRITING or source is None or not leaving:
            return
        assert job is not None and destination is not None
        if not folder.exists():
            try:
                folder.mkdir(parents=True)
            except OSError as error:
                self._ended(Stage.FAILED, f"{folder}: cannot be made: {reason(error)}")
                return
        self.written, self.stage = [], Stage.WRITING
        self.result.show_rows([])
        self._update()

        def done(written: list[Written]) -> None:
            left = [one.carried for one in leaving]
            self.written, self.stale = written, not _same(left, session.reels.carried)
            self.result.show_rows(written)
            self._ended(Stage.WRITTEN, "")
            many = counted(len(written), "file")
            self.session.said.emit(f"{many} written into {folder} and read back", False)

        def failed(sentence: str) -> None:
            self._ended(Stage.FAILED, sentence)
            self.session.said.emit(sentence, True)

        def work(step: Any) -> list[Written]:
            # Files that are linked to say where they will be, so a turnover is made for its folder.
            parts = made(
                leaving, destination, source, folder, reports, job.now.options, job.now.choices, step
            )
            return write_package(parts, folder, source, step)

        self.session.tasks.start("writing", work, done, failed, lambda: self._ended(Stage.STOPPED, ""))

    def _ended(self, stage: Stage, why: str) -> None:
        self.stage, self._why = stage, why
        self._update()

    def view(self) -> dict[str, Any]:
        pane = self.package
        return {
            "folder": self.folder.text(),
            "package": [pane.folder.text(), pane.zipped.isChecked(), self.packing],
        }

    def show_view(self, view: dict[str, Any]) -> None:
        if isinstance(view.get("folder"), str) and view["folder"]:
            self.folder.setText(view["folder"])
        package = view.get("package")
        if isinstance(package, list) and len(package) == 3 and isinstance(package[0], str):
            self.package.folder.setText(package[0])
            self.package.zipped.setChecked(package[1] is True)
            self.ways.setCurrentIndex(1 if package[2] is True else 0)

    def open_count(self) -> tuple[int, bool, bool]:
        done = self.stage is Stage.WRITTEN and not self.stale
        return 0, False, done or (self.package.stage is Stage.WRITTEN and not self.package.stale)


def _same(some: list[Carried], others: list[Carried]) -> bool:
    """Whether these are the very same carry-overs."""
    return [id(one) for one in some] == [id(one) for one in others]
