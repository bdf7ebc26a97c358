"""Turnover: what goes into the package, where it goes, and the verified result."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import (
    QCheckBox,
    QDoubleSpinBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from wexodos.carryover import Carried
from wexodos.carryover.sounding import nowhere
from wexodos.desktop.session import Session
from wexodos.desktop.stops.base import Stop, dim, heading
from wexodos.desktop.theme import palette
from wexodos.desktop.widgets.tables import Column, Table
from wexodos.desktop.widgets.turnover_options import TurnoverOptions
from wexodos.formats import FORMATS
from wexodos.ground.names import safe_name, size_words
from wexodos.settling.options import chosen
from wexodos.tidy.renders import placed
from wexodos.turnover import Part, Written, free_space, parts_of, write_package
from wexodos.turnover.run import prepared, rendered
from wexodos.turnover.sounds import media_folder
from wexodos.turnover.write import report_parts

_REPORTS = (
    (".html", "as a page (.html)", True),
    (".json", "for programs (.json)", True),
    (".csv", "as a table (.csv)", False),
    (".pdf", "for print (.pdf)", False),
)


class TurnoverStop(Stop):
    """Writes the sequence file and the reports into a chosen folder."""

    name = "Turnover"

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        self.written: list[Written] = []
        self._parts: list[Part] = []
        self._due = True
        self.stale = True
        self.folder = QLineEdit()
        self.folder.setPlaceholderText("Choose a folder for the package")
        self.folder.setAccessibleName("Folder for the package")
        self.folder.textChanged.connect(self._update)
        choose = QPushButton("Choose…")
        choose.clicked.connect(self.choose)
        self.checks: dict[str, QCheckBox] = {}
        self.parts = Table(
            [
                Column("file", lambda part: part.name, 360, stretch=True),
                Column("what", lambda part: part.what, 240),
                Column(
                    "size", lambda part: size_words(part.bytes), 110, mono=True, order=lambda part: part.bytes
                ),
            ],
            "What goes into the package",
        )
        self.result = Table(
            [
                Column("written and read back", lambda one: str(one.path), 360, stretch=True),
                Column("size", lambda one: size_words(one.size), 110, mono=True, order=lambda one: one.size),
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
        self.show_folder = QPushButton("Show the folder")
        self.show_folder.clicked.connect(
            lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(self.folder.text()))
        )
        left = QWidget()
        box = QVBoxLayout(left)
        box.setContentsMargins(16, 12, 12, 12)
        box.setSpacing(8)
        box.addWidget(heading("What goes into the package"))
        box.addWidget(self.parts, 1)
        box.addLayout(self._sequence_options())
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
        split.setSizes([380, 260])
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(split)
        session.opened.connect(self._opened)
        session.carried_changed.connect(self._carried)
        self._update()

    def _sequence_options(self) -> QHBoxLayout:
        """Choices for the whole hand-over; each is a decision of the job and can be undone."""
        row = QHBoxLayout()
        row.addWidget(dim("Sequence"))
        self.options: dict[str, QCheckBox] = {}
        for name, words, about in (
            (
                "sizing",
                "with sizing",
                "Position, scale, rotation and crop of clips; without it they arrive as fitted there",
            ),
            ("organised", "folders and unused media", "Also what no clip of the cut uses"),
            ("markers", "findings as markers", "The other side can step from one to the next"),
        ):
            check = QCheckBox(words)
            check.setToolTip(about)
            check.clicked.connect(lambda on, one=name: self.session.decide(**{one: bool(on)}))
            self.options[name] = check
            row.addWidget(check)
        self.tolerance = QDoubleSpinBox()
        self.tolerance.setRange(0.1, 100.0)
        self.tolerance.setSingleStep(0.5)
        self.tolerance.setDecimals(1)
        self.tolerance.setSuffix(" ×")
        self.tolerance.setKeyboardTracking(False)
        self.tolerance.setAccessibleName("Tolerance of followed curves")
        self.tolerance.setToolTip(
            "How far followed keyframes may lie off: 1 is half a pixel or a tenth of a dB; more means "
            "fewer keys"
        )
        self.tolerance.valueChanged.connect(lambda value: self.session.decide(tolerance=value))
        row.addWidget(dim("keyframe tolerance"))
        row.addWidget(self.tolerance)
        row.addStretch(1)
        self.session.decided.connect(self._decided)
        return row

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
        for name, check in self.options.items():
            check.setChecked(bool(getattr(job.now, name)))
        was = self.tolerance.blockSignals(True)
        self.tolerance.setValue(job.now.tolerance)
        self.tolerance.blockSignals(was)

    def _opened(self) -> None:
        self.written, self.stale = [], True
        self.result.show_rows([])
        if self.session.path is not None and not self.folder.text():
            self.folder.setText(str(Path.home()))
        self._parts = []
        self._update()

    def _carried(self) -> None:
        self.stale = True
        self._add_up()

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        if self._due:
            self._add_up()

    def choose(self) -> None:
        path = QFileDialog.getExistingDirectory(self, "Choose a folder for the package", self.folder.text())
        if path:
            self.folder.setText(path)

    @property
    def reports(self) -> tuple[str, ...]:
        """The suffixes of the reports that are wanted."""
        return tuple(suffix for suffix, check in self.checks.items() if check.isChecked())

    def _add_up(self) -> None:
        """Work out what would be written now, in the background, where somebody looks at it."""
        self._due = not self.isVisible()
        carried, path, reports = self.session.carried, self.session.path, self.reports
        if carried is None or path is None:
            self._parts, self._due = [], True
        elif not self._due:
            renders, finder = self.session.renders, self.session.finder or nowhere

            def done(parts: list[Part]) -> None:
                self._parts = parts
                self._update()

            def work(step: Any) -> list[Part]:
                step("adding up the package", 0.0)
                folder = Path(media_folder(safe_name(carried.sequence.name)))
                _, files = placed(carried.source, carried.sequence, renders, folder)
                return [*parts_of(carried, str(path), reports), *rendered(carried, files, finder)]

            self.session.tasks.start(
                "adding up the package", work, done, lambda sentence: self.session.said.emit(sentence, True)
            )
        self._update()

    def _update(self) -> None:
        parts = self._parts
        self.parts.show_rows(parts)
        total = sum(part.bytes for part in parts)
        place = Path(self.folder.text()) if self.folder.text() else None
        free = free_space(place) if place is not None else None
        about = "about " if any(part.what == "rendered" for part in parts) else ""
        words = f"{len(parts)} files, {about}{size_words(total)}"
        if free is not None:
            words += f"; {size_words(free)} are free there"
        if place is not None and not place.is_dir():
            words += "; there is no such folder"
        over = [part.name for part in parts if place is not None and (place / part.name).exists()]
        if over and (self.stale or not self.written):
            words += f"; {len(over)} of them stand there already and are replaced: {', '.join(over)}"
        self.plan.setText(words)
        carried = self.session.carried
        if self.written and self.stale:
            self.state.setText("Decisions have changed since this was written; write it again.")
        elif self.written:
            how = " and ".join(sorted({one.proof for one in self.written}))
            self.state.setText(f"Written, read back and found equal, {how}.")
        elif carried is not None and carried.errors:
            self.state.setText(
                f"{carried.verdict}. They are listed first in Carry-over; nothing can be written."
            )
        else:
            self.state.setText("Nothing written yet.")
        self.state.setStyleSheet(
            f"color: {palette().left};" if carried is not None and carried.errors else ""
        )
        self.show_folder.setVisible(bool(self.written))
        self.changed.emit()

    def main_action(self) -> tuple[str, bool]:
        place = self.folder.text()
        return "Write into the folder", bool(
            self.session.carried is not None and place and Path(place).is_dir()
        )

    def run_main(self) -> None:
        folder, source, reports = Path(self.folder.text()), self.session.path, self.reports
        carried = self.session.carried

        def done(written: list[Written]) -> None:
            self.written, self.stale = written, carried is not self.session.carried
            self.result.show_rows(written)
            self._update()
            self.session.said.emit(f"{len(written)} files written into {folder} and read back", False)

        def failed(sentence: str) -> None:
            self._update()
            self.state.setText(sentence)
            self.state.setStyleSheet(f"color: {palette().left};")
            self.session.said.emit(sentence, True)

        def work(step: Any) -> list[Written]:
            if carried is None or source is None:
                return []
            carried.prove(str(folder))
            if not (carried.made.pieces or self.session.renders):
                return write_package(parts_of(carried, str(source), reports), folder, source, step)
            # Files that are linked to say where they will be, so such a turnover is made for its folder.
            return self._write_sound(carried, folder, source, reports, step)

        self.session.tasks.start("writing", work, done, failed)

    def _write_sound(
        self, carried: Carried, folder: Path, source: Path, reports: tuple[str, ...], step: Any
    ) -> list[Written]:
        session = self.session
        assert session.job is not None and session.destination is not None
        path = folder / f"{safe_name(carried.sequence.name)}{FORMATS[carried.destination.format].suffix}"
        files: list[Part] = []
        for turned in prepared(
            carried.source,
            carried.sequence,
            session.destination,
            source,
            path,
            session.job.now.options,
            step,
            session.job.now.choices,
            session.renders,
        ):
            turned.carried.prove(str(folder))
            files += [
                *turned.parts,
                *report_parts(turned.carried, str(source), turned.path.stem, turned.parts, reports),
            ]
        return write_package(files, folder, source, step)

    def open_count(self) -> tuple[int, bool, bool]:
        return 0, False, bool(self.written) and not self.stale
