"""The package in the window: its parts as a tree, options beside the part chosen, a frame of the reference
picture as it will look; then it is seen to grow."""

from __future__ import annotations

import threading
import time
from datetime import datetime
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, QUrl, Signal
from PySide6.QtGui import QDesktopServices, QGuiApplication, QImage
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from wexodos.desktop.asking import ask_folder, near
from wexodos.desktop.session import Session
from wexodos.desktop.stage import Stage
from wexodos.desktop.stops.base import dim, heading
from wexodos.desktop.theme import palette
from wexodos.desktop.widgets.package_options import PackageOptions
from wexodos.desktop.widgets.package_tree import Group, Leaf, PackageTree
from wexodos.desktop.widgets.preview import Preview
from wexodos.ground.names import safe_name, size_words
from wexodos.settling.vocabulary import BAKED_NAMES, Remedy
from wexodos.tidy.step import counted
from wexodos.turnover import free_space
from wexodos.turnover.package.begun import Begun
from wexodos.turnover.package.contents import Contents, contents, missing_from
from wexodos.turnover.package.fits import doubts
from wexodos.turnover.package.hashlist import Entry
from wexodos.turnover.package.make import is_zip, write
from wexodos.turnover.package.movie import Codec, Reference
from wexodos.turnover.package.verify import Checked, State, verified
from wexodos.turnover.package.wanted import Leaving
from wexodos.turnover.package.wish import beside, place_of, proposed, values_of, wanted
from wexodos.turnover.write import Part

PLANNING, MAKING, CHECKING = "planning the package", "making the package", "checking the package"


class PackagePane(QWidget):
    """Makes a package of what goes over. ``changed`` tells that the main button may differ."""

    changed = Signal()
    _making = Signal(object)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._making.connect(self._planned_again)
        self.stage, self.stale = Stage.NOTHING, True
        self.made: Path | None = None
        self.planned: Contents | None = None
        self._why, self._problem, self._due, self._begun = "", "", True, 0.0
        self._paused = threading.Event()
        self._there: list[Entry] = []
        self._now, self._share = "", 0.0
        self.tree = PackageTree()
        self.options = PackageOptions()
        self.preview = Preview()
        self.folder, self.name = QLineEdit(), QLineEdit()
        self.folder.setAccessibleName("Folder in which the package is made")
        self.folder.setPlaceholderText("Choose the folder in which it is made")
        self.folder.setAcceptDrops(False)
        self.name.setAccessibleName("Name of the package")
        self.zipped = QCheckBox("as a zip")
        self.state, self.plan = QLabel(), QLabel()
        for label in (self.state, self.plan):
            label.setWordWrap(True)
        self.pause = QPushButton("Pause")
        self.pause.clicked.connect(self._pause)
        self.show_folder, self.copy_path = QPushButton("Show folder"), QPushButton("Copy path")
        self.check = QPushButton("Check it again")
        self.show_folder.clicked.connect(
            lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(str(self.made.parent if self.made else "")))
        )
        self.copy_path.clicked.connect(lambda: QGuiApplication.clipboard().setText(str(self.made or "")))
        self.check.clicked.connect(self._check)
        self.rehearse = QPushButton("Rehearse…")
        self.rehearse.setToolTip("Play what the far side would send back")
        self._lay_out()
        self.tree.chosen.connect(self._chosen)
        self.options.changed.connect(self._set)
        self.options.bake_asked.connect(self._bake)
        for line in (self.folder, self.name):
            line.textChanged.connect(lambda _words: self._update())
        self.zipped.toggled.connect(lambda _on: self._update())
        session.opened.connect(self._opened)
        session.decided.connect(self._decided)
        session.carried_changed.connect(self._carried)
        session.reels_changed.connect(self._carried)
        session.media_changed.connect(self._carried)
        session.playhead_changed.connect(lambda _frame: self._look())
        session.tasks.busy.connect(self._busy)
        self._update()

    def _lay_out(self) -> None:
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        split = QSplitter(Qt.Orientation.Horizontal)
        split.setChildrenCollapsible(False)
        whole.addWidget(split, 1)
        left, right = QWidget(), QWidget()
        split.addWidget(left)
        split.addWidget(right)
        box = QVBoxLayout(left)
        box.setContentsMargins(16, 8, 8, 8)
        box.addWidget(self.tree, 1)
        beside = QVBoxLayout(right)
        beside.setContentsMargins(8, 8, 16, 8)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        beside.addWidget(scroll, 3)
        scroll.setWidget(self.options)
        beside.addWidget(self.preview, 2)
        split.setSizes([720, 420])
        right.setMinimumWidth(320)
        below = QVBoxLayout()
        below.setContentsMargins(16, 4, 16, 12)
        below.setSpacing(6)
        below.addWidget(heading("Where it is made"))
        row = QHBoxLayout()
        row.addWidget(self.folder, 3)
        choose = QPushButton("Choose…")
        choose.clicked.connect(self.choose)
        row.addWidget(choose)
        row.addWidget(dim("called"))
        row.addWidget(self.name, 2)
        row.addWidget(self.zipped)
        below.addLayout(row)
        below.addWidget(self.plan)
        said = QHBoxLayout()
        said.addWidget(self.state, 1)
        for button in (self.pause, self.rehearse, self.check, self.copy_path, self.show_folder):
            said.addWidget(button)
        below.addLayout(said)
        whole.addLayout(below)

    # ---- what is decided

    @property
    def values(self) -> dict[str, str]:
        """How the package is wanted, in words."""
        job, destination = self.session.job, self.session.destination
        return values_of(job.now.package, destination) if job is not None and destination is not None else {}

    @property
    def place(self) -> Path | None:
        """Where the package will stand; None where that is not said."""
        folder, name = self.folder.text().strip(), self.name.text().strip()
        if not folder or not name or safe_name(name) != name:
            return None
        return Path(folder).expanduser() / (f"{name}.zip" if self.zipped.isChecked() else name)

    def _set(self, name: str, value: str) -> None:
        job, destination = self.session.job, self.session.destination
        if job is None or destination is None:
            return
        own = {key: one for key, one in job.now.package.items() if key != name}
        if proposed(destination).get(name) != value:
            own[name] = value
        self.session.decide(package=own)

    def _bake(self) -> None:
        job, destination = self.session.job, self.session.destination
        if job is not None and destination is not None:
            kinds = {BAKED_NAMES[one].value: Remedy.BAKE.value for one in destination.baking.proposed}
            self.session.decide(by_kind={**job.now.by_kind, **kinds})

    def choose(self) -> None:
        folder = self.folder.text()
        place = folder if Path(folder).is_dir() else near(self.session.path)
        path = ask_folder(self, "Choose the folder in which the package is made", place)
        if path is not None:
            self.folder.setText(str(path))

    # ---- what changes

    def _opened(self) -> None:
        self.stage, self.stale, self.made, self.planned = Stage.NOTHING, True, None, None
        path = self.session.path
        if path is not None and not self.folder.text():
            self.folder.setText(str(Path.home()))
        self._update()

    def _decided(self) -> None:
        destination = self.session.destination
        if destination is not None and self.session.job is not None:
            self.options.show_packages(self.session.job.packages)
            several = len(self.session.reels.going()) > 1
            self.options.show_values(self.values, bool(destination.baking.proposed), several)
            taken = self.session.taken
            if taken is not None and (not self.name.text() or self.name.property("own") == self.name.text()):
                alone = len(self.session.reels.going()) == 1
                name = safe_name(taken.sequence.name if alone else Path(str(self.session.path)).stem)
                self.name.setProperty("own", f"{name} to {safe_name(destination.name)}")
                self.name.setText(self.name.property("own"))
        self.add_up()
        self._look()

    def _carried(self) -> None:
        self.add_up()

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.session.reels.go_on()
        if self._due:
            self.add_up()
        self._look()

    def _chosen(self, group: Group) -> None:
        self.options.show_group(group)
        self._look()

    # ---- what it would be

    def _leaving(self) -> list[Leaving]:
        reels = self.session.reels
        return [
            Leaving(one.ready.document, one.ready.sequence, one.media, one.ready.renders, one.ready.tables)
            for one in (reels.all() if reels.carried else [])
            if one.ready is not None
        ]

    def add_up(self) -> None:
        """Work out what there would be, in the background, where somebody looks at it."""
        if self.stage is Stage.WRITING:
            return
        self._due = not self.isVisible()
        self.planned, self.stale, self._problem = None, True, ""
        leaving, source = self._leaving(), self.session.path
        job, destination = self.session.job, self.session.destination
        if leaving and source is not None and job is not None and destination is not None and not self._due:
            there = place_of(destination, _unpacked(self.place or Path("/package")))
            wish, given = wanted(job.now.package, destination, there), self.values
            options, choices = job.now.options, job.now.choices

            def done(found: Contents) -> None:
                self.planned = found
                self._show_plan(found)

            def work(step: Any) -> Contents:
                moment = datetime.now().astimezone()
                whole = beside(wish, given)
                return contents(leaving, destination, source, whole, options, choices, moment, step)

            self.session.tasks.start(PLANNING, work, done, self._not_planned)
        else:
            self._due = True
        self._update()

    def _not_planned(self, sentence: str) -> None:
        self._problem = sentence
        self._update()

    def _show_plan(self, found: Contents) -> None:
        self._problem = ""
        made = self.stage is Stage.WRITTEN and not self.stale
        known = {one.path: one.size or 0 for one in self._there} if made else {}
        leaves = [
            Leaf(
                one.name,
                one.kind,
                known.get(one.name, one.bytes),
                isinstance(one, Part) and one.make is not None and one.name not in known,
            )
            for one in found.parts
        ]
        self.tree.show_leaves(leaves, {Group.SUMS: "made at the end", Group.BAKED: "none"})
        whole = [f"{name}: {why}" for name, why in list(found.whole.items())[:6]]
        told = ["Whole, as they cannot be cut as they are: " + "; ".join(whole) + "."] if whole else []
        told += [f"Coded anew: {'; '.join(list(found.anew)[:6])}."] if found.anew else []
        if found.there:
            told.append(f"{counted(len(found.there), 'file')} unchanged since then, not sent again.")
        self.options.note(Group.MEDIA, " ".join(told))
        self.options.note(Group.SEQUENCE, f"A file each: {found.apart}." if found.apart else "")
        if made:
            self.tree.show_there({one.path for one in self._there}, "", True)
        self._update()

    def _look(self) -> None:
        """Show the frame at the playhead as the reference picture will have it."""
        seen = self.tree.group is Group.REFERENCE
        self.preview.setVisible(seen)
        job, destination, side = self.session.job, self.session.destination, self.session.side
        if not seen or not self.isVisible() or job is None or destination is None or side is None:
            return
        if side.seen is None:
            return
        wish, view = wanted(job.now.package, destination, "/"), side.seen
        if wish.picture is Codec.NONE:
            self.preview.show_image(None, "no reference picture goes along")
            return
        frame = max(0, min(self.session.playhead, view.sequence.duration - 1))
        made = f"{datetime.now().astimezone():%Y-%m-%d %H:%M}"

        def work() -> QImage:
            reference = Reference(
                side.document,
                view.sequence,
                view.composer.locate,
                wish.picture,
                min(wish.height, 720),
                wish.burns,
                wish.shape,
                made,
            )
            picture = reference.picture(view.composer, frame)
            height, width = picture.shape[:2]
            return QImage(picture.data, width, height, width * 3, QImage.Format.Format_RGB888).copy()

        self.session.pictures.ask("package", work, lambda image: self.preview.show_image(image))

    # ---- words

    def _update(self) -> None:
        self.plan.setText(self._plan_words())
        words, wrong = self._state_words()
        self.state.setText(words)
        self.state.setStyleSheet(f"color: {palette().left};" if wrong else "")
        self.pause.setVisible(self.stage is Stage.WRITING)
        self.pause.setText("Go on" if self._paused.is_set() else "Pause")
        there = self.stage is Stage.WRITTEN and self.made is not None and self.made.exists()
        for button in (self.show_folder, self.copy_path, self.check, self.rehearse):
            button.setVisible(there)
        self.changed.emit()

    def _plan_words(self) -> str:
        found, place = self.planned, self.place
        if self.name.text().strip() and safe_name(self.name.text().strip()) != self.name.text().strip():
            return "Not every system takes that name: choose one without the signs : ? * / \\ < > | and “."
        if found is None:
            working = self.session.tasks.working_at(PLANNING) or self.stage is Stage.WRITING
            return "Working out what goes into it …" if working else ""
        rough = any(isinstance(one, Part) and one.make is not None for one in found.parts)
        about = "about " if rough else ""
        words = f"{counted(len(found.parts), 'file')}, {about}{size_words(found.size)}"
        if place is not None:
            free = free_space(place.parent)
            words += f"; {size_words(free)} are free there" if free is not None else ""
            sizes = [(one.name, one.bytes) for one in found.parts]
            told = doubts(sizes, _unpacked(place), is_zip(place))
            if is_zip(place) and place.exists() and place != self.made:
                words += "; the zip that stands there is replaced"
            words += "".join(f". {one[:1].upper()}{one[1:]}" for one in told)
        return words + "."

    def _hindrance(self) -> str:
        """Why it cannot be made; empty where it can."""
        place, session = self.place, self.session
        if self._problem:
            return self._problem
        if session.contradiction is not None:
            return f"{session.contradiction.words}."
        for carried in session.reels.carried:
            if carried.errors:
                return f"{carried.verdict}. They are listed first in Carry-over; nothing can be written."
        if place is None:
            return "Choose a folder and a name."
        if not place.parent.is_dir():
            return f"There is no folder {place.parent}."
        if place.exists() and not is_zip(place) and (not place.is_dir() or any(place.iterdir())):
            return f"{place.name} stands there already; choose another name."
        values = self.values
        missing = missing_from(self._leaving()) if values.get("media") != "none" else []
        if missing and values.get("incomplete") != "yes":
            some = ", ".join(missing[:3]) + (" …" if len(missing) > 3 else "")
            return (
                f"{counted(len(missing), 'medium')} not found: {some}. Find them in Media, or choose "
                "“send it although media are missing” beside Media."
            )
        return ""

    def _state_words(self) -> tuple[str, bool]:
        if self.stage is Stage.WRITING:
            return self._progress_words(), False
        if self.stage is Stage.STOPPED:
            return self._kept_words("Stopped. Nothing stands there that was not there before."), False
        if self.stage is Stage.FAILED:
            return self._kept_words(self._why), True
        if self.stage is Stage.WRITTEN and not self.stale:
            many = counted(len(self._there), "file")
            return f"Made: {many}, each read back and found equal, sealed with a list of sums.", False
        if self.stage is Stage.WRITTEN:
            return "Decisions have changed since it was made.", False
        if self.session.document is None:
            return "Take in a cut first.", False
        return self._hindrance() or "Nothing made yet.", bool(self._problem)

    def _kept_words(self, words: str) -> str:
        """The same with what was verified and is kept."""
        kept = Begun(self.place).words if self.place is not None else ""
        return f"{words} {kept}: it goes on from there." if kept else words

    def _planned_again(self, found: Contents) -> None:
        """It is known what will be written: from now on bytes count."""
        if self.stage is Stage.WRITING:
            self.planned, self._begun, self._share = found, time.monotonic(), 0.0
            self._show_plan(found)

    def _progress_words(self) -> str:
        share, what = self._share, self._now
        took = time.monotonic() - self._begun
        if self._paused.is_set():
            return f"Paused at {share:.0%}."
        if self.planned is None:
            return f"Planning: {what} …"
        words = f"{share:.0%}: {what}"
        if share > 0.02 and took > 2:
            left = took / share - took
            size = self.planned.size if self.planned is not None else 0
            words += f"; {size_words(int(size * share / took))} a second, {_minutes(left)} to go"
        return words

    def _busy(self, what: str, share: float) -> None:
        if self.stage is not Stage.WRITING:
            return
        if share and not what.startswith("stopping"):
            self._share, self._now = share, what
        name = what.removeprefix("writing ")
        self.tree.show_there({one.path for one in list(self._there)}, name)
        self.state.setText(self._progress_words())

    # ---- making it

    def main_action(self) -> tuple[str, bool]:
        if self.stage is Stage.WRITING:
            return "Being made …", False
        possible = bool(self._leaving()) and not self._hindrance()
        return "Make the package", possible and not self.session.tasks.working_at("carrying over")

    def _pause(self) -> None:
        if self._paused.is_set():
            self._paused.clear()
        else:
            self._paused.set()
        self._update()

    def run_main(self) -> None:
        session, place = self.session, self.place
        leaving, source = self._leaving(), session.path
        job, destination = session.job, session.destination
        if place is None or source is None or not leaving or not self.main_action()[1]:
            return
        assert job is not None and destination is not None
        session.tasks.drop(PLANNING)
        there = place_of(destination, _unpacked(place))
        wish, given = wanted(job.now.package, destination, there), self.values
        options, choices = job.now.options, job.now.choices
        self._there, self._share, self._now, self._begun = [], 0.0, "planning", time.monotonic()
        self._paused.clear()
        self.stage, self.made, self.planned = Stage.WRITING, None, None
        self._update()

        def work(step: Any) -> tuple[Contents, list[Entry]]:
            def waiting(what: str, share: float) -> None:
                step(what, share)
                while self._paused.is_set():
                    time.sleep(0.1)
                    step(what, share)

            moment = datetime.now().astimezone()
            whole = beside(wish, given)
            found = contents(leaving, destination, source, whole, options, choices, moment, waiting)
            for carried in found.carried:
                carried.prove(str(place))
            self._making.emit(found)
            name = place.stem if is_zip(place) else place.name
            there, plan = self._there.append, found.plan
            return found, write(place, found.parts, name, moment, waiting, there, plan)

        def done(result: tuple[Contents, list[Entry]]) -> None:
            self.planned, self._there = result
            self.made, self.stage = place, Stage.WRITTEN
            # What was decided meanwhile is not in it.
            self.stale = session.job is None or session.job.now != job.now
            session.remember_package(place)
            self._show_plan(self.planned)
            self._ended(Stage.WRITTEN, "")
            session.said.emit(f"{place.name} is made, read back and sealed", False)

        def failed(sentence: str) -> None:
            self._ended(Stage.FAILED, sentence)
            session.said.emit(sentence, True)

        session.tasks.start(MAKING, work, done, failed, lambda: self._ended(Stage.STOPPED, ""))

    def _ended(self, stage: Stage, why: str) -> None:
        self.stage, self._why = stage, why
        self._paused.clear()
        if stage is not Stage.WRITTEN:
            # What it would be is worked out again: it may have been stopped before that was known.
            self.add_up()
        self._update()

    def _check(self) -> None:
        made = self.made
        if made is None:
            return

        def done(checked: list[Checked]) -> None:
            wrong = [one for one in checked if one.state is not State.EQUAL]
            if not wrong:
                words = f"{counted(len(checked), 'file')} of {made.name} are what was sealed"
            else:
                some = "; ".join(f"{one.path} is {one.state.value}" for one in wrong[:4])
                words = f"{made.name} is not what was sealed: {some}"
            self.session.said.emit(words, bool(wrong))
            self.state.setText(f"{words}.")
            self.state.setStyleSheet(f"color: {palette().left};" if wrong else "")

        self.session.tasks.start(
            CHECKING,
            lambda step: verified(made, step),
            done,
            lambda sentence: self.session.said.emit(sentence, True),
        )

    def restyle(self) -> None:
        if self.planned is not None and self.stage is not Stage.WRITING:
            self._show_plan(self.planned)
        self._update()


def _unpacked(place: Path) -> str:
    """Where the files of a package will be: a zip unpacks to a folder of its name."""
    return str(place.with_suffix("") if is_zip(place) else place)


def _minutes(seconds: float) -> str:
    if seconds < 90:
        return f"{max(1, round(seconds))} s"
    return f"{round(seconds / 60)} min"
