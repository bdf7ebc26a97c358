"""A line under the header that says what is wrong with the whole job, with the way out."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QWidget

from wexodos.desktop.theme import palette


class Notice(QFrame):
    """Hidden where there is nothing to say."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("notice")
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.buttons: list[QPushButton] = []
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(16, 6, 12, 6)
        self._row.setSpacing(8)
        self._row.addWidget(self.words, 1)
        self._told: tuple[str, tuple[str, ...]] = ("", ())
        self.hide()

    def tell(self, words: str, ways: list[tuple[str, Callable[[], None]]]) -> None:
        """Say something with a button for each way out; nothing where there are no words."""
        told = (words, tuple(label for label, _ in ways))
        if told == self._told:
            return
        self._told = told
        for button in self.buttons:
            self._row.removeWidget(button)
            button.hide()
            button.deleteLater()
        self.buttons = []
        self.words.setText(words)
        for label, act in ways:
            button = QPushButton(label)
            button.clicked.connect(lambda _on=False, one=act: one())
            self._row.addWidget(button)
            self.buttons.append(button)
        self.restyle()
        self.setVisible(bool(words))

    def restyle(self) -> None:
        colors = palette()
        self.setStyleSheet(
            f"QFrame#notice {{ background: {colors.raised}; border-left: 4px solid {colors.left}; }}"
        )
