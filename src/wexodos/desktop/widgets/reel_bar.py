"""The sequences that go over together, as tabs under the header, with what all of them cost."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QTabBar, QWidget

from wexodos.desktop.theme import fate_icon, palette


class ReelBar(QFrame):
    """Hidden where one sequence goes alone. Emits ``chosen(id)`` when another is to be looked at."""

    chosen = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.tabs = QTabBar()
        self.tabs.setAccessibleName("Sequences that go over together")
        self.tabs.setDrawBase(False)
        self.tabs.setExpanding(False)
        self.tabs.setUsesScrollButtons(True)
        self.tabs.setElideMode(Qt.TextElideMode.ElideMiddle)
        self.tabs.currentChanged.connect(self._changed)
        self.words = QLabel()
        self.words.setProperty("role", "dim")
        self._quiet = False
        self._shown: object = None
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 0, 16, 4)
        row.setSpacing(16)
        row.addWidget(self.tabs, 1)
        row.addWidget(self.words)
        self.hide()

    def show_reels(self, reels: list[tuple[str, str, str, str]], looked_at: str, words: str) -> None:
        """``reels`` as (id, name, what it costs, the gravest fate in it or nothing); ``words`` on all."""
        shown = reels, looked_at
        self.words.setText(words)
        self.setVisible(bool(reels))
        if shown == self._shown:
            return
        self._shown = shown
        self._quiet = True
        while self.tabs.count() > len(reels):
            self.tabs.removeTab(self.tabs.count() - 1)
        for place, (key, name, cost, fate) in enumerate(reels):
            if place == self.tabs.count():
                self.tabs.addTab("")
            self.tabs.setTabText(place, f"{name}   {cost}".replace("&", "&&"))
            self.tabs.setTabData(place, key)
            self.tabs.setTabToolTip(place, f"{name}: {cost}")
            if fate:
                self.tabs.setTabIcon(place, fate_icon(fate, palette()))
            if key == looked_at:
                self.tabs.setCurrentIndex(place)
        self._quiet = False

    def restyle(self) -> None:
        """The palette changed."""
        self._shown = None

    def _changed(self, place: int) -> None:
        if not self._quiet and place >= 0:
            self.chosen.emit(self.tabs.tabData(place))
