"""What all stops share."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QAbstractItemView, QLabel, QLayout, QSplitter, QVBoxLayout, QWidget

from wexodos.desktop.session import Session
from wexodos.desktop.widgets.facts import Facts
from wexodos.desktop.widgets.ledger import Ledger


class Stop(QWidget):
    """A working screen. ``changed`` tells the shell that its badge or main button may differ."""

    name = ""
    changed = Signal()
    asked_for = Signal(str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session

    def with_waves(self, ledger: Ledger) -> None:
        """Let a ledger show the waveforms of the job, as they come."""
        ledger.peaks = self.session.search.peaks
        self.session.waves_changed.connect(ledger.refresh)

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

    def dropped(self, paths: list[Path]) -> bool:
        """Take what was dropped on this screen; False leaves it to the window."""
        return False

    def view(self) -> dict[str, Any]:
        """How this screen is looked at, to be brought back by a restart."""
        ledger = getattr(self, "ledger", None)
        return {"zoom": ledger.view()} if isinstance(ledger, Ledger) else {}

    def show_view(self, view: dict[str, Any]) -> None:
        """Look at it as before."""
        ledger, zoom = getattr(self, "ledger", None), view.get("zoom")
        if isinstance(ledger, Ledger) and isinstance(zoom, list):
            ledger.show_view(zoom)

    def look_up(self, words: str) -> bool:
        """Go to the first thing that matches; False where nothing does."""
        return False


def ledger_page(head: QLayout, ledger: QWidget, table: QAbstractItemView, facts: Facts) -> QSplitter:
    """The page that Carry-over and Return share: a head, the ledger over its table, the facts at the
    right."""
    facts.setMinimumWidth(270)
    # From the outside in: what is put into what stands is dressed once.
    across, split = QSplitter(Qt.Orientation.Horizontal), QSplitter(Qt.Orientation.Vertical)
    for one in (across, split):
        one.setChildrenCollapsible(False)
    left = QWidget()
    across.addWidget(left)
    across.addWidget(facts)
    box = QVBoxLayout(left)
    box.setContentsMargins(12, 8, 6, 8)
    box.setSpacing(8)
    box.addLayout(head)
    box.addWidget(split, 1)
    split.addWidget(ledger)
    split.addWidget(table)
    split.setSizes([450, 200])
    split.setStretchFactor(0, 3)
    split.setStretchFactor(1, 2)
    across.setSizes([880, 300])
    across.setStretchFactor(0, 3)
    across.setStretchFactor(1, 1)
    return across


def heading(words: str) -> QLabel:
    label = QLabel(words)
    label.setProperty("role", "head")
    return label


def dim(words: str) -> QLabel:
    label = QLabel(words)
    label.setProperty("role", "dim")
    label.setWordWrap(True)
    return label
