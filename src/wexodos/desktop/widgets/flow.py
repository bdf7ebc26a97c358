"""Widgets in a row that goes on below where it is too narrow for them."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import QLayout, QLayoutItem, QWidget


class Flow(QLayout):
    """Lays its widgets out from left to right, in as many rows as they need."""

    def __init__(self, parent: QWidget | None = None, gap: int = 6) -> None:
        super().__init__(parent)
        self._items: list[QLayoutItem] = []
        self.setContentsMargins(0, 0, 0, 0)
        self.setSpacing(gap)

    def addItem(self, item: QLayoutItem) -> None:
        self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._placed(QRect(0, 0, width, 0), False)

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._placed(rect, True)

    def sizeHint(self) -> QSize:
        """In one row."""
        sizes = [item.sizeHint() for item in self._items]
        wide = sum(one.width() for one in sizes) + self.spacing() * max(0, len(sizes) - 1)
        return QSize(wide, max((one.height() for one in sizes), default=0))

    def minimumSize(self) -> QSize:
        """As wide as the widest of them."""
        sizes = [item.minimumSize() for item in self._items]
        return QSize(
            max((one.width() for one in sizes), default=0), max((one.height() for one in sizes), default=0)
        )

    def _placed(self, rect: QRect, move: bool) -> int:
        """Put everything into its place, or only say how high that is."""
        x, y, tall = rect.x(), rect.y(), 0
        for item in self._items:
            size = item.sizeHint()
            if x > rect.x() and x + size.width() > rect.right() + 1:
                x, y, tall = rect.x(), y + tall + self.spacing(), 0
            if move:
                item.setGeometry(QRect(QPoint(x, y), size))
            x += size.width() + self.spacing()
            tall = max(tall, size.height())
        return y + tall - rect.y()
