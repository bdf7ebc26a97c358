"""What all stops share."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel, QWidget

from wexodos.desktop.session import Session


class Stop(QWidget):
    """A working screen. ``changed`` tells the shell that its badge or main button may differ."""

    name = ""
    changed = Signal()
    asked_for = Signal(str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session

    def main_action(self) -> tuple[str, bool]:
        """The words of the one main button and whether it can be pressed."""
        return "", False

    def run_main(self) -> None:
        """What the main button does."""

    def open_count(self) -> tuple[int, bool, bool]:
        """(how much is open here, whether any of it is grave, whether the stop is done)."""
        return 0, False, False

    def restyle(self) -> None:
        """The palette changed."""

    def go_next(self, direction: int) -> None:
        """To the next or previous finding or difference."""

    def toggle_fate(self, number: int) -> None:
        """Filter by the fate with this number."""

    def find(self, words: str) -> bool:
        """Go to the first thing that matches; False where nothing does."""
        return False


def heading(words: str) -> QLabel:
    label = QLabel(words)
    label.setProperty("role", "head")
    return label


def dim(words: str) -> QLabel:
    label = QLabel(words)
    label.setProperty("role", "dim")
    label.setWordWrap(True)
    return label
