"""A whole folder of old files carried over: where from, where to, how far it is, and what went wrong."""

from __future__ import annotations

from enum import Enum
from pathlib import Path
from typing import Any

from PySide6.QtCore import QSettings, QUrl, Signal
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from wexodos.carryover import Options
from wexodos.desktop.asking import ask_folder, near
from wexodos.desktop.session import Session
from wexodos.desktop.stops.base import dim
from wexodos.desktop.theme import palette
from wexodos.desktop.widgets.tables import Column, Table
from wexodos.destinations import Destination
from wexodos.ground import processors
from wexodos.tidy.step import counted
from wexodos.turnover.batch import DONE, PASSED, SUMMARY, batch, begun

KIND = "a folder of files"


class Stage(Enum):
    """How far the batch is."""

    READY = "it can be started"
    RUNNING = "files are worked on"
    STOPPED = "a person stopped it"
    FAILED = "it could not go on"
    ENDED = "every file was seen"


class Batching(QDialog):
    """Beside the window, which stays usable. What was done stays done: started again it goes on."""

    _came = Signal(object, int, int)

    def __init__(self, session: Session, settings: QSettings, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Carry a whole folder over")
        self.session, self.settings = session, settings
        self.stage, self.rows = Stage.READY, dict[str, dict[str, Any]]()
        self._why = ""
        self.source = self._field("Folder with the files", "batch/from")
        self.target = self._field("Folder for the results", "batch/to")
        self.destination = QComboBox()
        self.destination.setAccessibleName("Destination")
        for one in session.destinations:
            self.destination.addItem(one.name, one.id)
        wanted = session.destination.id if session.destination is not None else ""
        place = self.destination.findData(self.settings.value("batch/destination", wanted))
        self.destination.setCurrentIndex(max(0, place))
        self.destination.currentIndexChanged.connect(self._changed)
        self.table = Table(
            [
                Column("file", lambda row: row["file"], 220, stretch=True),
                Column(
                    "what became of it",
                    lambda row: row["status"] + (" before" if row.get("before") else ""),
                    130,
                    color=_color,
                ),
                _figure("sequences", 80, "sequences"),
                _figure("left behind", 86, "left behind"),
                _figure("min", 52, "minutes"),
                Column("what went wrong", lambda row: row["said"], 300, stretch=True),
            ],
            "Files of the folder",
        )
        self.table.empty_words = "every file is listed here as it is finished"
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.main = QPushButton()
        self.main.setProperty("main", True)
        self.main.clicked.connect(self.run_main)
        self.show_folder = QPushButton("Show the results")
        self.show_folder.clicked.connect(
            lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(self.target.text()))
        )
        self._lay_out()
        self._came.connect(self._row_came)
        self._changed()

    def _field(self, name: str, key: str) -> QLineEdit:
        field = QLineEdit(str(self.settings.value(key, "")))
        field.setAccessibleName(name)
        field.textChanged.connect(self._changed)
        return field

    def _lay_out(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        for place, (words, field) in enumerate(
            (
                ("Folder with the files", self.source),
                ("Destination", self.destination),
                ("Folder for the results", self.target),
            )
        ):
            grid.addWidget(dim(words), place, 0)
            grid.addWidget(field, place, 1)
            if isinstance(field, QLineEdit):
                choose = QPushButton("Choose…")
                choose.setAutoDefault(False)
                choose.clicked.connect(lambda _on=False, one=field, title=words: self._choose(one, title))
                grid.addWidget(choose, place, 2)
        grid.setColumnStretch(1, 1)
        row = QHBoxLayout()
        row.addWidget(self.words, 1)
        row.addWidget(self.show_folder)
        row.addWidget(self.main)
        for button in (self.show_folder, self.main):
            button.setAutoDefault(False)
        box = QVBoxLayout(self)
        box.setContentsMargins(16, 14, 16, 14)
        box.setSpacing(10)
        box.addLayout(grid)
        box.addLayout(row)
        box.addWidget(self.bar)
        box.addWidget(self.table, 1)
        self.resize(980, 560)

    # ---- what is chosen

    @property
    def chosen(self) -> Destination:
        key = self.destination.currentData()
        return next(one for one in self.session.destinations if one.id == key)

    def _choose(self, field: QLineEdit, title: str) -> None:
        place = field.text() if Path(field.text()).is_dir() else near(self.session.path)
        path = ask_folder(self, title, place)
        if path is not None:
            field.setText(str(path))

    def _changed(self) -> None:
        """Another folder or destination is another batch; what it has done already is listed."""
        if self.stage is Stage.RUNNING:
            return
        self.stage, self._why = Stage.READY, ""
        out = self.target.text().strip()
        known = begun(Path(out), self.chosen, self.chosen.id, Options()) if out else []
        self.rows = {row["file"]: row for row in known}
        self._show()

    def _problem(self) -> str:
        """Why it cannot be started."""
        source, target = self.source.text().strip(), self.target.text().strip()
        if not source:
            return "Choose the folder that holds the files."
        if not Path(source).is_dir():
            return f"{source}: there is no such folder."
        if not target:
            return "Choose a folder for the results."
        if Path(target).exists() and not Path(target).is_dir():
            return f"{target}: this is a file."
        if Path(target).resolve() == Path(source).resolve():
            return "Choose another folder for the results than that of the files."
        return ""

    # ---- at work

    def run_main(self) -> None:
        """Start it, go on, or stop."""
        if self.stage is Stage.RUNNING:
            self.session.tasks.stop(KIND)
            self.words.setText("Stopping …")
            self.main.setEnabled(False)
            return
        if self._problem():
            return
        source, target = Path(self.source.text().strip()), Path(self.target.text().strip())
        destination = self.chosen
        for key, value in (("from", source), ("to", target)):
            self.settings.setValue(f"batch/{key}", str(value))
        self.settings.setValue("batch/destination", destination.id)
        self.stage, self.rows = Stage.RUNNING, {}
        self.bar.setRange(0, 0)

        def work(step: Any) -> list[dict[str, Any]]:
            return batch(
                source, destination, destination.id, target, Options(), processors(), self._came.emit, step
            )

        def done(rows: list[dict[str, Any]]) -> None:
            self.rows = {row["file"]: row for row in rows}
            self._ended(Stage.ENDED)

        self.session.tasks.start(
            KIND,
            work,
            done,
            lambda sentence: self._ended(Stage.FAILED, sentence),
            lambda: self._ended(Stage.STOPPED),
        )
        self._show()

    def _row_came(self, row: dict[str, Any], number: int, count: int) -> None:
        if self.stage is Stage.RUNNING:
            self.rows[row["file"]] = row
            self.bar.setRange(0, count)
            self.bar.setValue(number)
            self._show()
            self.words.setText(f"{number} of {count} files{self._wrong()}")

    def _ended(self, stage: Stage, why: str = "") -> None:
        self.stage, self._why = stage, why
        self._show()

    def _wrong(self) -> str:
        wrong = sum(row["status"] not in (DONE, PASSED) for row in self.rows.values())
        return f"; {counted(wrong, 'file')} could not be carried over" if wrong else ""

    def _show(self) -> None:
        running = self.stage is Stage.RUNNING
        self.table.show_rows(
            sorted(self.rows.values(), key=lambda row: (row["status"] in (DONE, PASSED), row["file"]))
        )
        for one in (self.source, self.target, self.destination):
            one.setEnabled(not running)
        problem = "" if running else self._problem()
        self.bar.setVisible(running)
        again = "Start again" if self.stage is Stage.ENDED else "Go on" if self.rows else "Start"
        self.main.setText("Stop" if running else again)
        self.main.setEnabled(not problem)
        self.show_folder.setVisible(bool(self.rows) and not problem)
        self.words.setText(problem or self._told())
        self.words.setStyleSheet(f"color: {palette().left};" if self.stage is Stage.FAILED else "")

    def _told(self) -> str:
        rows = self.rows.values()
        done = sum(row["status"] == DONE for row in rows)
        passed = sum(row["status"] == PASSED for row in rows)
        if self.stage is Stage.RUNNING:
            return "Looking through the folder …"
        if self.stage is Stage.FAILED:
            return self._why
        told = f"{counted(done, 'file')} carried over{self._wrong()}"
        if self.stage is Stage.STOPPED:
            return f"Stopped. {told}; it goes on from here."
        if self.stage is Stage.ENDED:
            others = f"; {counted(passed, 'other file')} passed over" if passed else ""
            return f"{told}{others}. The summary is “{SUMMARY}” beside the results."
        return f"An earlier run has been here: {told}. It goes on from there." if rows else ""


def _figure(head: str, width: int, key: str) -> Column:
    return Column(
        head,
        lambda row: f"{row.get(key, 0):g}",
        width,
        mono=True,
        right=True,
        order=lambda row: row.get(key, 0),
    )


def _color(row: dict[str, Any]) -> str | None:
    if row["status"] == DONE:
        return None
    return palette().dim if row["status"] == PASSED else palette().left
