"""Rehearse at the far side: which room, what it does besides its work, and where what comes back lies."""

from __future__ import annotations

import random
from pathlib import Path
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from wexodos.desktop.asking import ask_folder, near
from wexodos.desktop.session import Session
from wexodos.desktop.stops.base import dim
from wexodos.farside.habits import HABITS, WORDS, Habit, Room, drawn
from wexodos.farside.rehearsal import rehearsed
from wexodos.ground.names import safe_name
from wexodos.job import of_job
from wexodos.sound.locate import Finder

KIND = "rehearsing"
_ROOMS = {
    Room.GRADING: ("A grading room", "It corrects every clip and renders a file for each."),
    Room.MIXING: ("A mixing room", "It mixes the sound."),
    Room.EDITING: ("An editing room", "It changes a few things and exports the cut again."),
    Room.FINISHING: ("A finishing room", "It links the media and forces the cut into its own frame."),
}


class Rehearsing(QDialog):
    """Beside the window, which stays usable. ``came`` tells the folder with what came back."""

    came = Signal(object)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Rehearse at the far side")
        self.session, self.running = session, False
        self.room = QComboBox()
        self.room.setAccessibleName("Room")
        for one, (name, _) in _ROOMS.items():
            self.room.addItem(name, one.value)
        self.about = dim("")
        self.boxes: dict[Habit, QCheckBox] = {}
        self._rows = QVBoxLayout()
        self._rows.setSpacing(2)
        self.dice = QPushButton("As the dice fall")
        self.dice.setAutoDefault(False)
        self.dice.setToolTip("Switch some of them on by chance")
        self.dice.clicked.connect(self._throw)
        self.folder, self.name = QLineEdit(), QLineEdit()
        self.folder.setAccessibleName("Folder in which what comes back lies")
        self.name.setAccessibleName("Name of the folder that comes back")
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.main = QPushButton("Rehearse")
        self.main.setProperty("main", True)
        self.main.clicked.connect(self.run_main)
        self._lay_out()
        self.room.currentIndexChanged.connect(self._chosen)
        for line in (self.folder, self.name):
            line.textChanged.connect(lambda _words: self._update())
        session.opened.connect(self._opened)
        self._opened()

    def _lay_out(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        choose = QPushButton("Choose…")
        choose.setAutoDefault(False)
        choose.clicked.connect(self._choose)
        row = QHBoxLayout()
        row.addWidget(self.folder, 2)
        row.addWidget(choose)
        row.addWidget(dim("called"))
        row.addWidget(self.name, 2)
        grid.addWidget(dim("Sent to"), 0, 0)
        grid.addWidget(self.room, 0, 1)
        grid.addWidget(self.about, 1, 1)
        grid.addWidget(dim("Comes back in"), 2, 0)
        grid.addLayout(row, 2, 1)
        grid.setColumnStretch(1, 1)
        inside = QWidget()
        inside.setLayout(self._rows)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(inside)
        head = QHBoxLayout()
        head.addWidget(dim("What it does besides its work"), 1)
        head.addWidget(self.dice)
        below = QHBoxLayout()
        below.addWidget(self.words, 1)
        below.addWidget(self.main)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(16, 14, 16, 14)
        whole.setSpacing(10)
        whole.addLayout(grid)
        whole.addLayout(head)
        whole.addWidget(scroll, 1)
        whole.addLayout(below)
        self.resize(620, 560)

    @property
    def at(self) -> Room:
        """The room that is chosen."""
        return Room(self.room.currentData())

    @property
    def target(self) -> Path:
        """Where what comes back lies."""
        return Path(self.folder.text().strip()) / self.name.text().strip()

    def _opened(self) -> None:
        if self.session.path is not None:
            self.folder.setText(str(self.session.path.parent))
        self._chosen()

    def _chosen(self) -> None:
        """Another room: its own habits, and a name that is free."""
        self.about.setText(_ROOMS[self.at][1])
        for box in self.boxes.values():
            self._rows.removeWidget(box)
            box.deleteLater()
        while self._rows.count():
            self._rows.takeAt(0)
        self.boxes = {}
        for one in HABITS[self.at]:
            box = QCheckBox(WORDS[one])
            self.boxes[one] = box
            self._rows.addWidget(box)
        self._rows.addStretch(1)
        side = self.session.side
        if side is not None:
            stem = f"{safe_name(side.sequence.name)} back from {self.at.value}"
            folder, name, number = Path(self.folder.text()), stem, 2
            while (folder / name).exists():
                name, number = f"{stem} {number}", number + 1
            self.name.setText(name)
        self._update()

    def _throw(self) -> None:
        on = drawn(self.at, random.randrange(1 << 30))
        for one, box in self.boxes.items():
            box.setChecked(one in on)

    def _choose(self) -> None:
        folder = ask_folder(self, "Where what comes back lies", near(self.session.path))
        if folder is not None:
            self.folder.setText(str(folder))

    def _problem(self) -> str:
        if self.session.job is None or self.session.side is None:
            return "Take a cut in first; it is what is sent."
        if not self.name.text().strip() or not self.folder.text().strip():
            return "Say where what comes back lies."
        if not self.target.parent.is_dir():
            return f"{self.target.parent}: there is no such folder."
        return f"{self.target.name} is there already." if self.target.exists() else ""

    def _update(self) -> None:
        problem = "" if self.running else self._problem()
        self.words.setText(problem or ("It is played through …" if self.running else ""))
        self.main.setText("Stop" if self.running else "Rehearse")
        self.main.setEnabled(self.running or not problem)
        for one in (self.room, self.folder, self.name, self.dice, *self.boxes.values()):
            one.setEnabled(not self.running)

    def run_main(self) -> None:
        """Begin, or stop."""
        if self.running:
            self.session.tasks.stop(KIND)
            return
        job, source = self.session.job, self.session.path
        if job is None or source is None or self._problem():
            return
        on = [one for one, box in self.boxes.items() if box.isChecked()]
        room, target, seed = self.at, self.target, random.randrange(1 << 30)

        def work(step: Any) -> Path:
            left = of_job(job, step)
            locate = Finder(source, left.document, left.tables)
            rehearsed(left.document, left.sequence, locate, room, on, seed, target, step)
            return target

        def done(folder: Path) -> None:
            self._ended()
            self.came.emit(folder)

        def failed(sentence: str) -> None:
            self._ended()
            self.words.setText(sentence)

        self.running = True
        self._update()
        self.session.tasks.start(KIND, work, done, failed, self._ended)

    def _ended(self) -> None:
        self.running = False
        self._chosen_again()

    def _chosen_again(self) -> None:
        """The habits stay; the next one comes back under another name."""
        on = [one for one, box in self.boxes.items() if box.isChecked()]
        self._chosen()
        for one in on:
            self.boxes[one].setChecked(True)
