"""The five counters: how many things have which fate; each filters the table and the ledger."""

from __future__ import annotations

from PySide6.QtCore import QSize, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from wexodos.desktop.theme import fate_icon, palette
from wexodos.report import FATE_ORDER


class Counters(QWidget):
    """Emits ``filtered(fates)``: a set of fates, or None for all."""

    filtered = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(5)
        self.buttons: dict[str, QPushButton] = {}
        for fate in FATE_ORDER:
            button = QPushButton(f"0 {fate}")
            button.setCheckable(True)
            button.setIconSize(QSize(14, 14))
            button.setStyleSheet("padding: 6px 8px;")
            button.clicked.connect(self._changed)
            self.buttons[fate] = button
            row.addWidget(button)
        self.budget = QLabel()
        self.budget.setContentsMargins(6, 0, 0, 0)
        row.addWidget(self.budget)
        row.addStretch(1)
        self.restyle()

    def restyle(self) -> None:
        for fate, button in self.buttons.items():
            button.setIcon(fate_icon(fate, palette()))

    def show_counts(self, counts: dict[str, int], minutes: float | None, closely: str = "") -> None:
        """``closely`` says how many of the carried are only so within a tolerance, and within which."""
        self.buttons["carried"].setToolTip(closely and f"{closely}. Press to list them.")
        for fate, button in self.buttons.items():
            button.setText(f"{counts.get(fate, 0)} {fate}")
            button.setAccessibleName(f"{counts.get(fate, 0)} {fate}: show only these")
        self.budget.setText("" if minutes is None else f"<b>{minutes:g} min</b> repair")
        self.budget.setToolTip(
            "About how long the repair on the other side takes, by the rates of the destination"
        )

    def toggle(self, number: int) -> None:
        """Switch the counter with this number (from 1) on or off."""
        if 1 <= number <= len(FATE_ORDER):
            button = self.buttons[FATE_ORDER[number - 1]]
            button.setChecked(not button.isChecked())
            self._changed()

    def _changed(self) -> None:
        chosen = {fate for fate, button in self.buttons.items() if button.isChecked()}
        self.filtered.emit(chosen or None)
