"""What could be the file of a medium: each with its picture, and the reasons for and against."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFontMetrics, QImage, QPixmap
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from wexodos.desktop.pictures import Pictures
from wexodos.desktop.theme import palette
from wexodos.desktop.widgets.facts import clear
from wexodos.media import Candidate, Row
from wexodos.media.cards import copies_among
from wexodos.media.sheet import sheet
from wexodos.timing import floor


def _likely(score: int) -> str:
    """How well a file fits, in words: from 90 on name, timecode and length agree, below 40 little does."""
    return (
        "fits in every respect"
        if score >= 90
        else "fits well"
        if score >= 60
        else "fits in part"
        if score >= 40
        else "fits hardly"
    )


class Card(QFrame):
    """One candidate. ``taken`` says that it is the file."""

    taken = Signal(str)

    def __init__(
        self, row: Row, candidate: Candidate, pictures: Pictures, number: int, copies: int = 0
    ) -> None:
        super().__init__()
        self.candidate, self.copies = candidate, copies
        self.setObjectName("card")
        chosen = row.path == candidate.path
        self.setProperty("chosen", chosen)
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 8, 10, 10)
        box.setSpacing(4)
        self.picture = QLabel()
        self.picture.setFixedHeight(108)
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.picture.setStyleSheet(f"background: {palette().ground};")
        facts = candidate.facts
        if facts.video and not facts.problem:
            box.addWidget(self.picture)
            self._ask(row, pictures, number)
        name = QLabel(candidate.path.name)
        name.setProperty("role", "head")
        name.setWordWrap(True)
        box.addWidget(name)
        folder = QLabel(
            QFontMetrics(name.font()).elidedText(
                str(candidate.path.parent), Qt.TextElideMode.ElideMiddle, 270
            )
        )
        folder.setProperty("role", "dim")
        folder.setToolTip(str(candidate.path))
        box.addWidget(folder)
        if copies:
            label = QLabel(f"=  identical to {copies} other{'s' if copies > 1 else ''} here")
            box.addWidget(label)
        for reason in sorted(candidate.reasons, key=lambda one: -one.points):
            mark = "+" if reason.points > 0 else "−" if reason.points < 0 else "·"
            label = QLabel(f"{mark}  {reason.words}")
            label.setWordWrap(True)
            if reason.points < 0:
                label.setStyleSheet(f"color: {palette().left};")
            elif not reason.points:
                label.setProperty("role", "dim")
            box.addWidget(label)
        self.sheet = QGridLayout()
        self.sheet.setHorizontalSpacing(8)
        self.sheet.setVerticalSpacing(2)
        self.sheet.setColumnStretch(1, 1)
        for place, (said, words) in enumerate(sheet(facts)):
            label, value = QLabel(said), QLabel(words)
            label.setProperty("role", "dim")
            label.setAlignment(Qt.AlignmentFlag.AlignTop)
            value.setWordWrap(True)
            self.sheet.addWidget(label, place, 0)
            self.sheet.addWidget(value, place, 1)
        box.addLayout(self.sheet)
        foot = QHBoxLayout()
        likely = QLabel(_likely(candidate.score))
        likely.setProperty("role", "dim")
        foot.addWidget(likely, 1)
        button = QPushButton("This is the file" if not chosen else "It is this file")
        button.setEnabled(not chosen)
        button.setAccessibleName(f"{candidate.path.name}: this is the file")
        button.clicked.connect(lambda: self.taken.emit(str(candidate.path)))
        foot.addWidget(button)
        box.addLayout(foot)

    def _ask(self, row: Row, pictures: Pictures, number: int) -> None:
        facts, need = self.candidate.facts, row.need
        rate = facts.frames_per_second
        middle = (
            (need.low + need.high) / Fraction(2)
            if need.low is not None and need.high is not None
            else Fraction(0)
        )
        frame = max(0, floor(rate.frames(middle))) if rate is not None else 0
        pictures.thumbnail(
            f"card-{number}",
            Path(facts.path),
            frame,
            Fraction(rate.fps) if rate is not None else None,
            facts.still,
            self._arrived,
        )

    def _arrived(self, image: QImage | None) -> None:
        try:
            if image is not None:
                self.picture.setPixmap(
                    QPixmap.fromImage(image).scaledToHeight(106, Qt.TransformationMode.SmoothTransformation)
                )
            else:
                self.picture.setText("cannot be decoded")
        except RuntimeError:
            # The card went while its picture was made.
            return


class Candidates(QWidget):
    """The chosen row with its problems and candidates. ``taken(path)``, ``choose``, ``forget``, ``colour``
    and ``compare`` ask for what is to be done."""

    taken = Signal(str)
    choose = Signal()
    forget = Signal()
    colour = Signal()
    compare = Signal()

    def __init__(self, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._pictures = pictures
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setMinimumWidth(290)
        self.title, self.state = QLabel(), QLabel()
        self.title.setProperty("role", "head")
        self.state.setProperty("role", "dim")
        for label in (self.title, self.state):
            label.setWordWrap(True)
        self._holder = QWidget()
        self._holder.setObjectName("panel")
        self._holder.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._box = QVBoxLayout(self._holder)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(8)
        scroll = QScrollArea()
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(self._holder)
        self.pick = QPushButton("Choose a file…")
        self.pick.clicked.connect(self.choose)
        self.drop = QPushButton("Forget the choice")
        self.drop.clicked.connect(self.forget)
        self.tell = QPushButton("Tell apart by a reference picture…")
        self.tell.setToolTip(
            "A picture of the whole cut: the file that shows what the cut shows there is the one"
        )
        self.tell.clicked.connect(self.compare)
        self.through = QPushButton("Colour…")
        self.through.setToolTip(
            "The colours it is in, and a look-up table or an ASC CDL to see it through here"
        )
        self.through.clicked.connect(self.colour)
        foot = QHBoxLayout()
        foot.addWidget(self.pick)
        foot.addWidget(self.drop)
        foot.addWidget(self.through)
        foot.addStretch(1)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 12, 8, 10)
        box.setSpacing(6)
        box.addWidget(self.title)
        box.addWidget(self.state)
        box.addWidget(self.tell, 0, Qt.AlignmentFlag.AlignLeft)
        box.addWidget(scroll, 1)
        box.addLayout(foot)
        self.cards: list[Card] = []
        self.show_row(None)

    def show_row(self, row: Row | None, table: str = "", space: str = "") -> None:
        """Show a row, or that none is chosen; ``table`` is the one its pictures are seen through, ``space``
        that which somebody says it is in."""
        clear(self._box)
        while self._box.count():
            self._box.takeAt(0)
        self.cards = []
        self.pick.setVisible(row is not None)
        self.drop.setVisible(row is not None and row.how == "chosen")
        self.through.setVisible(row is not None and row.need.picture)
        self.tell.setVisible(row is not None and row.asked and row.need.picture)
        if row is None:
            self.title.setText("Nothing chosen")
            self.state.setText(
                "Choose a medium in the table: what could be its file stands here, with the reasons."
            )
            return
        self.title.setText(row.media.file_name)
        told = [f"{one.status}: {one.words}" for one in row.problems]
        how = {
            "written": "found where the cut says",
            "mapped": "found on its volume here",
            "chosen": "chosen by you",
            "near": "found near the sequence file",
            "searched": "found in a chosen folder",
            "inside": "inside the sequence file",
            "original": "swapped for the camera original",
        }
        seen = [*([f"seen through {table}"] if table else []), *([f"taken for {space}"] if space else [])]
        self.state.setText("\n".join([*told, *([how[row.how]] if row.how else []), *seen]))
        copies = copies_among(row.candidates)
        for number, candidate in enumerate(row.candidates):
            card = Card(row, candidate, self._pictures, number, copies.get(candidate.path, 0))
            card.taken.connect(self.taken)
            self.cards.append(card)
            self._box.addWidget(card)
        if not row.candidates and row.path is None:
            label = QLabel(
                "Nothing like it was found. Add a folder to search, say where its volume is, or "
                "choose the file."
            )
            label.setProperty("role", "dim")
            label.setWordWrap(True)
            self._box.addWidget(label)
        self._box.addStretch(1)
