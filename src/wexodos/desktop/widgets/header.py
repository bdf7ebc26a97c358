"""The header: which cut, where it is going, finding things, and the one main button."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFontMetrics, QIcon
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from wexodos.desktop.theme import glyph_icon, palette


class Place(QWidget):
    """Two lines that can be clicked: a title and what matters about it. Long text is cut in the middle."""

    clicked = Signal()

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.button = QPushButton(self)
        self.button.setProperty("flat", True)
        self.button.setStyleSheet("font-size: 17px; font-weight: 600; padding: 0 4px;")
        self.button.setAccessibleName(name)
        self.button.setCursor(Qt.CursorShape.PointingHandCursor)
        self.button.clicked.connect(self.clicked)
        self.below = QLabel(self)
        self.below.setProperty("role", "dim")
        self.below.setContentsMargins(5, 0, 0, 0)
        self._words = ("", "")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 4)
        box.setSpacing(0)
        box.addWidget(self.button, 0, Qt.AlignmentFlag.AlignLeft)
        box.addWidget(self.below)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def show_words(self, title: str, below: str) -> None:
        self._words = (title, below)
        self._fit()

    def _fit(self) -> None:
        title, below = self._words
        room = max(40, self.width() - 16)
        self.button.setText(
            QFontMetrics(self.button.font()).elidedText(title, Qt.TextElideMode.ElideMiddle, room)
        )
        self.below.setText(
            QFontMetrics(self.below.font()).elidedText(below, Qt.TextElideMode.ElideRight, room)
        )
        self.setToolTip(f"{title}\n{below}")

    def resizeEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().resizeEvent(event)
        self._fit()


class Header(QWidget):
    """Always there. ``main`` is the one raised button of the screen."""

    find_asked = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(54)
        self.cut = Place("The cut; click to change it")
        self.destination = Place("The destination; click to change it")
        self.arrow = QLabel()
        self.finding = QLineEdit()
        self.finding.setPlaceholderText("Find (Ctrl+K)")
        self.finding.setAccessibleName("Find in cut, report and commands")
        self.finding.setFixedWidth(150)
        self.finding.returnPressed.connect(lambda: self.find_asked.emit(self.finding.text()))
        self.main = QPushButton()
        self.main.setProperty("main", True)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 0, 12, 0)
        row.setSpacing(12)
        row.addWidget(self.cut, 5)
        row.addWidget(self.arrow)
        row.addWidget(self.destination, 5)
        row.addWidget(self.finding)
        row.addWidget(self.main)
        self.restyle()

    def restyle(self) -> None:
        self.arrow.setPixmap(glyph_icon("arrow", palette().accent, 26).pixmap(26, 26))

    def set_main(self, words: str, enabled: bool, icon: QIcon | None = None) -> None:
        self.main.setText(words)
        self.main.setEnabled(enabled)
        self.main.setVisible(bool(words))
        self.main.setIcon(icon or QIcon())
