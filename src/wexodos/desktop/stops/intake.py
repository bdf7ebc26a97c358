"""Intake: take a file in, see which sequences it holds and the facts that matter before anything else."""

from __future__ import annotations

from collections import Counter
from datetime import date
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFontMetrics
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from wexodos.desktop.asking import ask_file, ask_folder, near
from wexodos.desktop.session import Session
from wexodos.desktop.stops.base import Stop, dim, heading
from wexodos.desktop.theme import palette
from wexodos.desktop.widgets.facts import clear
from wexodos.desktop.widgets.ledger import Ledger
from wexodos.desktop.widgets.ledger_data import LedgerData, build
from wexodos.desktop.widgets.tables import Column, Table
from wexodos.formats import FORMATS
from wexodos.job import JobError, forget, recent
from wexodos.model import NORMAL, Constant, Document, NestedUse, Note, Sequence, Variable
from wexodos.timing import Timecode


class IntakeStop(Stop):
    """Asks for files through ``open_asked(path)``; the window decides what to do with folders and zips."""

    name = "Intake"
    open_asked = Signal(object)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        self.stack = QStackedWidget()
        self.stack.addWidget(self._empty())
        self.stack.addWidget(self._full())
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.stack)
        session.opened.connect(self._show)
        session.playhead_changed.connect(lambda frame: self.ledger.set_playhead(frame))

    # ---- nothing open yet

    def _empty(self) -> QWidget:
        page = QWidget()
        box = QVBoxLayout(page)
        box.setContentsMargins(48, 40, 48, 40)
        box.setSpacing(10)
        box.addStretch(2)
        drop = QFrame()
        drop.setObjectName("drop")
        drop.setStyleSheet(f"QFrame#drop {{ border: 1px dashed {palette().dim}; border-radius: 8px; }}")
        self.drop_frame = drop
        inside = QVBoxLayout(drop)
        inside.setContentsMargins(32, 32, 32, 32)
        inside.setSpacing(10)
        title = QLabel("Drop a sequence file, a folder or a zip here")
        title.setProperty("role", "title")
        inside.addWidget(title, 0, Qt.AlignmentFlag.AlignHCenter)
        about = dim(
            "Track XML, Lane XML, AAF, OMF, cut lists (.edl), .otio and clip logs (.ale) can be taken in. "
            "The file itself is never changed."
        )
        about.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        inside.addWidget(about)
        row = QHBoxLayout()
        choose = QPushButton("Choose a file…")
        choose.clicked.connect(self.choose)
        folder = QPushButton("Choose a folder…")
        folder.clicked.connect(self.choose_folder)
        demo = QPushButton("Open the demo “Kiln Night”")
        demo.clicked.connect(lambda: self.asked_for.emit("demo"))
        row.addStretch(1)
        row.addWidget(choose)
        row.addWidget(folder)
        row.addWidget(demo)
        row.addStretch(1)
        inside.addLayout(row)
        many = QPushButton("Carry a whole folder of old files over…")
        many.setProperty("flat", True)
        many.clicked.connect(lambda: self.asked_for.emit("folder"))
        inside.addWidget(many, 0, Qt.AlignmentFlag.AlignHCenter)
        box.addWidget(drop)
        self.recent_head = heading("Recent jobs")
        box.addSpacing(16)
        box.addWidget(self.recent_head)
        self.recent_box = QGridLayout()
        self.recent_box.setHorizontalSpacing(16)
        self.recent_box.setVerticalSpacing(2)
        box.addLayout(self.recent_box)
        box.addStretch(3)
        self.show_recent()
        return page

    def show_recent(self) -> None:
        """List the jobs used last."""
        clear(self.recent_box)
        jobs = recent(6)
        self.recent_head.setVisible(bool(jobs))
        known = {one.id: one.name for one in self.session.destinations}
        for place, (path, job) in enumerate(jobs):
            source = Path(job.source)
            open_ = QPushButton(source.name)
            open_.setProperty("flat", True)
            open_.setToolTip(str(source))
            open_.clicked.connect(lambda _on=False, one=path: self.open_asked.emit(one))
            folder = QLabel()
            folder.setProperty("role", "dim")
            folder.setToolTip(str(source.parent))
            folder.setText(
                QFontMetrics(folder.font()).elidedText(str(source.parent), Qt.TextElideMode.ElideLeft, 380)
            )
            gone = QPushButton("Forget")
            gone.setProperty("flat", True)
            gone.setToolTip("Take this job off the list, with what was decided in it. The cut stays.")
            gone.setAccessibleName(f"Forget the job of {source}")
            gone.clicked.connect(lambda _on=False, one=path: self.forget(one))
            to = dim(f"to {known.get(job.now.destination, job.now.destination) or 'no destination yet'}")
            for column, widget in enumerate((open_, folder, to, dim(day_of(path)), gone)):
                self.recent_box.addWidget(widget, place, column)
        self.recent_box.setColumnStretch(1, 1)

    def forget(self, path: Path) -> None:
        """Take a job off the list."""
        try:
            forget(path)
        except JobError as error:
            self.session.said.emit(str(error), True)
        self.show_recent()

    # ---- a file is open

    def _full(self) -> QWidget:
        page = QWidget()
        self.sequences = Table(
            [
                Column(
                    "goes",
                    lambda _row: "",
                    46,
                    tick=lambda row: self._goes(row[0].id),
                    order=lambda row: not self._goes(row[0].id),
                ),
                # Its name is seen in a narrow window too; what is nested in what gives way.
                Column("sequence", lambda row: row[0].name or row[0].id, 190),
                Column(
                    "length", lambda row: _length(row[0]), 112, mono=True, order=lambda row: row[0].duration
                ),
                Column(
                    "rate",
                    lambda row: f"{row[0].rate.label()} fps{' drop' if row[0].drop_frame else ''}",
                    92,
                    mono=True,
                ),
                Column(
                    "frame size", lambda row: f"{row[0].width or '?'}×{row[0].height or '?'}", 84, mono=True
                ),
                Column("starts at", lambda row: str(row[0].timecode(0)), 112, mono=True),
                Column("nested in", lambda row: row[1], 120, stretch=True),
            ],
            "Sequences in the file",
        )
        self.sequences.chosen.connect(lambda row: self.session.look_at(row[0].id))
        self.sequences.ticked.connect(lambda row: self.session.reels.toggle(row[0].id))
        self.going = QLabel()
        self.going.setProperty("role", "dim")
        self.every = QPushButton("All")
        self.every.setToolTip("Have every sequence that is not nested in another go over")
        self.every.clicked.connect(self._every)
        self.only = QPushButton("Only this one")
        self.only.setToolTip("Have only the sequence that is looked at go over")
        self.only.clicked.connect(self._only)
        self.session.decided.connect(self._decided)
        self.ledger = Ledger()
        self.with_waves(self.ledger)
        self.ledger.playhead_moved.connect(self.session.set_playhead)
        self.ledger.item_chosen.connect(self.session.select)
        self.notes = Table(
            [
                Column("note", lambda note: note.text, 420, stretch=True),
                Column("place", lambda note: note.where, 210),
                Column(
                    "level",
                    lambda note: note.level,
                    80,
                    color=lambda note: (
                        palette().left
                        if note.level == "error"
                        else palette().adapted
                        if note.level == "warning"
                        else None
                    ),
                ),
            ],
            "Notes of the reader",
        )
        self.notes.empty_words = "nothing: every element was understood"
        self.notes.chosen.connect(self._go_to_note)
        self.facts_box = QWidget()
        self.facts_box.setObjectName("panel")
        self.facts_box.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.facts = QGridLayout(self.facts_box)
        self.facts.setContentsMargins(12, 12, 12, 12)
        self.facts.setVerticalSpacing(4)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setWidget(self.facts_box)
        scroll.setMinimumWidth(270)
        left = QSplitter(Qt.Orientation.Vertical)
        left.setChildrenCollapsible(False)
        parts = (
            ("Sequences in this file", self.sequences),
            ("The cut", self.ledger),
            ("What the reader noticed", self.notes),
        )
        for title, widget in parts:
            part = QWidget()
            box = QVBoxLayout(part)
            box.setContentsMargins(12, 8, 12, 4)
            box.setSpacing(4)
            head = QHBoxLayout()
            head.addWidget(heading(title))
            head.addStretch(1)
            if widget is self.sequences:
                for one in (self.going, self.every, self.only):
                    head.addWidget(one)
            box.addLayout(head)
            box.addWidget(widget, 1)
            left.addWidget(part)
        left.setSizes([210, 350, 100])
        across = QSplitter(Qt.Orientation.Horizontal)
        across.setChildrenCollapsible(False)
        across.addWidget(left)
        across.addWidget(scroll)
        across.setSizes([860, 320])
        across.setStretchFactor(0, 1)
        box = QVBoxLayout(page)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(across)
        return page

    def _show(self) -> None:
        document, side = self.session.document, self.session.taken
        self.stack.setCurrentIndex(1 if document is not None else 0)
        if document is None:
            return
        homes = _homes(document)
        rows = [
            (one, homes.get(one.id, "" if one.top_level else "nothing"))
            for one in document.sequences
            if not one.is_angle
        ]
        self.sequences.show_rows(rows)
        self.notes.show_rows(list(document.notes))
        if side is None:
            self.ledger.show_data(LedgerData())
            self._facts([("Sequences", "none: the file holds only media")], [])
        else:
            self.sequences.go_to(
                next(row for row in self.sequences.model_rows.rows if row[0].id == side.sequence.id)
            )
            self.ledger.show_data(build(side.sequence, None, sources=(side.document, None)))
            self._facts(
                [*_file_facts(self.session.path), *plain_facts(document, side.sequence)],
                troubles(side.sequence),
            )
        self.changed.emit()

    # ---- which sequences go over

    def _goes(self, sequence_id: str) -> bool:
        return any(one.id == sequence_id for one in self.session.reels.going())

    def _every(self) -> None:
        document = self.session.document
        if document is not None:
            self.session.reels.choose([one.id for one in document.top_level])

    def _only(self) -> None:
        taken = self.session.taken
        if taken is not None:
            self.session.reels.choose([taken.sequence.id])

    def _decided(self) -> None:
        document, reels = self.session.document, self.session.reels
        tops = document.top_level if document is not None else ()
        going = reels.going()
        self.going.setText(f"{len(going)} go over together" if reels.several else "")
        self.every.setVisible(len(tops) > 1)
        self.every.setEnabled({one.id for one in going} != {one.id for one in tops})
        self.only.setVisible(len(tops) > 1)
        self.only.setEnabled(reels.several)
        self.sequences.viewport().update()

    def _facts(self, plain: list[tuple[str, str]], trouble: list[tuple[str, int]]) -> None:
        clear(self.facts)
        row = 0
        self.facts.addWidget(heading("Facts"), row, 0, 1, 2)
        for name, value in plain:
            row += 1
            self.facts.addWidget(dim(name), row, 0)
            label = QLabel(value)
            label.setWordWrap(True)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            self.facts.addWidget(label, row, 1)
        if trouble:
            row += 1
            self.facts.setRowMinimumHeight(row, 10)
            row += 1
            self.facts.addWidget(heading("Known to be troublesome"), row, 0, 1, 2)
            for name, count in trouble:
                row += 1
                self.facts.addWidget(dim(name), row, 0)
                self.facts.addWidget(QLabel(str(count)), row, 1)
        self.facts.setRowStretch(row + 1, 1)
        self.facts.setColumnStretch(1, 1)

    def _go_to_note(self, note: Note) -> None:
        side = self.session.taken
        if side is None:
            return
        for item in side.sequence.items():
            if item.id in note.where.split("/") or (item.name and item.name in note.where.split("/")):
                self.session.set_playhead(int(item.start))
                self.session.select(item.id)
                self.ledger.select(item.id)
                return

    # ---- taking files

    def choose(self) -> None:
        path = ask_file(self, "Take in a sequence file or a zip", self.session.path)
        if path is not None:
            self.open_asked.emit(path)

    def choose_folder(self) -> None:
        """Ask for a folder; the sequence files in it are offered."""
        path = ask_folder(self, "Take in a folder", near(self.session.path))
        if path is not None:
            self.open_asked.emit(path)

    def main_action(self) -> tuple[str, bool]:
        return ("Make it ready", True) if self.session.side is not None else ("Choose a file…", True)

    def run_main(self) -> None:
        if self.session.side is not None:
            self.asked_for.emit("Tidy")
        else:
            self.choose()

    def open_count(self) -> tuple[int, bool, bool]:
        document = self.session.document
        if document is None:
            return 0, False, False
        warnings = sum(note.level != "info" for note in document.notes)
        return warnings, any(note.level == "error" for note in document.notes), not warnings

    def restyle(self) -> None:
        self.drop_frame.setStyleSheet(
            f"QFrame#drop {{ border: 1px dashed {palette().dim}; border-radius: 8px; }}"
        )
        self.ledger.refresh()


def day_of(path: Path) -> str:
    """The day a job was worked on last, as people say it."""
    try:
        day = date.fromtimestamp(path.stat().st_mtime)
    except (OSError, ValueError, OverflowError):
        return ""
    ago = (date.today() - day).days
    if ago in (0, 1):
        return ("today", "yesterday")[ago]
    return f"{day:%A}" if 1 < ago < 7 else f"{day.day} {day:%B %Y}"


def _file_facts(path: Path | None) -> list[tuple[str, str]]:
    """Where the file stands; of one that came in a zip, which."""
    return [("File", path.name), ("Folder", str(path.parent))] if path is not None else []


def _counting(sequence: Sequence) -> str:
    """How its timecode is counted, where that can be one or the other."""
    if sequence.drop_frame:
        return "drop frame"
    whole = float(sequence.rate.fps).is_integer()
    return "every frame" if whole else "non-drop frame"


def _length(sequence: Sequence) -> str:
    return str(Timecode(sequence.duration, sequence.rate, sequence.drop_frame))


def _homes(document: Document) -> dict[str, str]:
    """For every nested sequence the names of those it is used in."""
    found: dict[str, list[str]] = {}
    for sequence in document.sequences:
        for item in sequence.items():
            if isinstance(item.content, NestedUse):
                homes = found.setdefault(item.content.sequence, [])
                if sequence.name not in homes:
                    homes.append(sequence.name)
    return {key: ", ".join(names) for key, names in found.items()}


def plain_facts(document: Document, sequence: Sequence) -> list[tuple[str, str]]:
    """The facts of N1 as (name, value)."""
    last = sequence.timecode(sequence.duration)
    pictures, sounds = (
        sum(len(track.items) for track in tracks) for tracks in (sequence.video_tracks, sequence.audio_tracks)
    )
    return [
        ("Format", f"{FORMATS[document.format].label} {document.version}"),
        ("Frame size", f"{sequence.width or '?'} × {sequence.height or '?'}"),
        ("Pixel aspect", f"{float(sequence.pixel_aspect):g}"),
        ("Fields", sequence.field_order),
        ("Rate", f"{sequence.rate.label()} fps"),
        ("Counting", _counting(sequence)),
        ("Starts at", str(sequence.timecode(0))),
        ("Ends at", str(last)),
        ("Length", _length(sequence)),
        *(
            [("In, out", f"{sequence.timecode(marked[0])}, {sequence.timecode(marked[1])}")]
            if (marked := sequence.marked)
            else []
        ),
        ("Sample rate", f"{sequence.sample_rate} Hz" if sequence.sample_rate else "not said"),
        ("Bit depth", f"{sequence.bit_depth} bit" if sequence.bit_depth else "not said"),
        ("Tracks", f"{len(sequence.video_tracks)} picture, {len(sequence.audio_tracks)} sound"),
        ("Clips", f"{pictures} picture, {sounds} sound"),
        ("Media", f"{len(document.media)} files named"),
        *_inside(document),
    ]


def _inside(document: Document) -> list[tuple[str, str]]:
    """What only some formats have: sound inside the file, reels, media that nobody says where they are."""
    facts = []
    embedded = sum(media.embedded is not None for media in document.media)
    if embedded:
        facts.append(("Sound inside", f"{embedded} of the media stand in the file itself"))
    reels = sorted({media.reel for media in document.media if media.reel})
    if reels:
        shown = ", ".join(reels[:4]) + (f" and {len(reels) - 4} more" if len(reels) > 4 else "")
        facts.append(("Reels", shown))
    placeless = sum(not media.path and not media.synthetic for media in document.media) - embedded
    if placeless > 0:
        facts.append(("Without a path", f"{placeless} media"))
    return facts


def troubles(sequence: Sequence) -> list[tuple[str, int]]:
    """How many there are of each thing known to be troublesome."""
    found: Counter[str] = Counter()
    for track in sequence.tracks:
        for one in track.transitions:
            if one.type not in ("dissolve", "audio-equal-power", "audio-linear"):
                found["Transitions other than dissolves"] += 1
        for item in track.items:
            names = {
                "title": "Titles",
                "generator": "Generators",
                "nested": "Nested sequences",
                "multicam": "Multi-angle clips",
                "adjustment": "Adjustment items",
                "freeze": "Freezes",
                "still": "Stills",
            }
            if item.kind in names:
                found[names[item.kind]] += 1
            if isinstance(item.speed, Variable):
                found["Speed ramps"] += 1
            elif item.speed is not NORMAL and isinstance(item.speed, Constant) and item.speed.rate != 0:
                found["Reverse" if item.speed.rate < 0 else "Speed changes"] += 1
            if not item.enabled:
                found["Disabled clips"] += 1
            if item.effects:
                found["Filters"] += len(item.effects)
            if item.motion is not None and any(curve.animated for curve in item.motion.curves.values()):
                found["Moves with keyframes"] += 1
            if item.blend != "normal":
                found["Blend modes"] += 1
            if item.sound is not None and item.sound.muted:
                found["Muted channels"] += 1
        if not track.items:
            found["Empty tracks"] += 1
    return sorted(found.items(), key=lambda pair: -pair[1])
