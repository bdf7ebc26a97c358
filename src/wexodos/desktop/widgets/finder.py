"""Find anything: commands, stops, sequences, clips, findings."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget


@dataclass(frozen=True, slots=True)
class Target:
    """Something that can be found and what happens then."""

    words: str
    kind: str
    act: Callable[[], None]


class Finder(QDialog):
    """A field and a list; Return goes there, Escape closes."""

    def __init__(
        self,
        targets: list[Target],
        words: str = "",
        parent: QWidget | None = None,
        about: str = "A clip, a finding, a medium, a timecode, a command",
        also: Callable[[str], list[Target]] | None = None,
    ) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("finder")
        self.targets = targets
        self._also = also or (lambda _words: [])
        self.field = QLineEdit()
        self.field.setPlaceholderText(about)
        self.field.setAccessibleName("Find anything")
        self.list = QListWidget()
        self.list.setAccessibleName("What was found")
        self.list.itemActivated.connect(self._go)
        self.list.itemClicked.connect(self._go)
        self.field.textChanged.connect(self._search)
        box = QVBoxLayout(self)
        box.setContentsMargins(8, 8, 8, 8)
        box.addWidget(self.field)
        box.addWidget(self.list)
        self.resize(520, 360)
        self.field.setText(words)
        self._search(words)

    def _search(self, words: str) -> None:
        self.list.clear()
        wanted = words.lower().split()
        for target in (*self._also(words), *self.targets):
            text = f"{target.words} {target.kind}".lower()
            if target.kind == "place" or all(word in text for word in wanted):
                item = QListWidgetItem(f"{target.words}    {target.kind}")
                item.setData(Qt.ItemDataRole.UserRole, target)
                self.list.addItem(item)
                if self.list.count() >= 200:
                    break
        if not self.list.count():
            item = QListWidgetItem(
                f"Nothing is called “{words.strip()}”" if words.strip() else "Nothing here"
            )
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + step)))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._go(self.list.currentItem())
        else:
            super().keyPressEvent(event)

    def _go(self, item: QListWidgetItem | None) -> None:
        if item is not None and item.data(Qt.ItemDataRole.UserRole) is not None:
            target: Target = item.data(Qt.ItemDataRole.UserRole)
            self.accept()
            target.act()
