"""A contact sheet: of each event the original and what came for it side by side, to be looked through with
the arrow keys."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPen
from PySide6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from wexodos.desktop.pictures import Pair
from wexodos.desktop.theme import mono, palette, text

_Index = QModelIndex | QPersistentModelIndex
HEIGHT = 70
"""How many pixels high a picture of it is."""
_EDGE, _LINE = 8, 18


@dataclass(frozen=True, slots=True)
class Cell:
    """An event on the sheet: where it stands, what it is, what became of it and in which fate's colour;
    ``thing`` is what stands behind it."""

    frame: int
    place: str
    name: str
    words: str
    fate: str
    thing: Any


Wish = Callable[[int, int, Callable[[Pair], None]], None]
"""Has the pair of a cell, by its number, made at a frame, and gives it back."""


class _Cells(QAbstractListModel):
    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.cells: list[Cell] = []

    def rowCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.cells)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid() or role not in (
            Qt.ItemDataRole.DisplayRole,
            Qt.ItemDataRole.ToolTipRole,
            Qt.ItemDataRole.AccessibleTextRole,
        ):
            return None
        cell = self.cells[index.row()]
        return f"{cell.place} {cell.name}: {cell.words}"


class _Drawn(QStyledItemDelegate):
    def __init__(self, sheet: ContactSheet) -> None:
        super().__init__(sheet)
        self.sheet = sheet

    def sizeHint(self, _option: QStyleOptionViewItem, _index: _Index) -> QSize:
        return self.sheet.cell_size

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: _Index) -> None:
        cell, colours = self.sheet.cells[index.row()], palette()
        area: QRect = option.rect.adjusted(3, 3, -3, -3)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.save()
        painter.fillRect(area, QColor(colours.raised if chosen else colours.panel))
        if chosen:
            painter.setPen(QPen(QColor(colours.accent), 2))
            painter.drawRect(area.adjusted(1, 1, -1, -1))
        width = (area.width() - 3 * _EDGE) // 2
        pair = self.sheet.pictures.get(index.row())
        for number, image in enumerate((pair.before, pair.after) if pair is not None else (None, None)):
            box = QRect(area.x() + _EDGE + number * (width + _EDGE), area.y() + _EDGE, width, HEIGHT)
            painter.fillRect(box, QColor(colours.ground))
            if image is not None:
                _fitted(painter, box, image)
        if pair is None:
            self.sheet.want(index.row())
        line = QRect(area.x() + _EDGE, area.y() + HEIGHT + _EDGE + 4, area.width() - 2 * _EDGE, _LINE)
        painter.setFont(mono(11))
        painter.setPen(QColor(colours.dim))
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, cell.place)
        taken = painter.fontMetrics().horizontalAdvance(cell.place) + _EDGE
        painter.setFont(text(12))
        painter.setPen(QColor(colours.text))
        _elided(painter, line.adjusted(taken, 0, 0, 0), cell.name)
        painter.setPen(QColor(colours.fate(cell.fate)))
        _elided(painter, line.translated(0, _LINE), cell.words)
        painter.restore()


def _fitted(painter: QPainter, box: QRect, image: QImage) -> None:
    size = image.size().scaled(box.size(), Qt.AspectRatioMode.KeepAspectRatio)
    there = QRect(0, 0, size.width(), size.height())
    there.moveCenter(box.center())
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.drawImage(there, image)


def _elided(painter: QPainter, box: QRect, words: str) -> None:
    short = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, box.width())
    painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, short)


class ContactSheet(QListView):
    """Emits ``chosen`` with what stands behind the cell that is looked at."""

    chosen = Signal(object)
    own_keys = frozenset((Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down))

    def __init__(self, wish: Wish, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._wish, self._shape, self._round = wish, 16 / 9, 0
        self.pictures: dict[int, Pair] = {}
        self._wanted: set[int] = set()
        self._model = _Cells(self)
        self.setModel(self._model)
        self.setItemDelegate(_Drawn(self))
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setMovement(QListView.Movement.Static)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setUniformItemSizes(True)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setAccessibleName("Contact sheet")

    @property
    def cells(self) -> list[Cell]:
        return self._model.cells

    @property
    def cell_size(self) -> QSize:
        """How large a cell is with two pictures of the frame's shape."""
        width = round(HEIGHT * min(self._shape, 2.4))
        return QSize(2 * width + 3 * _EDGE + 6, HEIGHT + 2 * _EDGE + 2 * _LINE + 10)

    def show_cells(self, cells: list[Cell], shape: float) -> None:
        """Show other cells; ``shape`` is the frame's width against its height."""
        self._model.beginResetModel()
        self._model.cells, self._shape = cells, shape
        self.pictures, self._wanted = {}, set()
        self._round += 1
        self._model.endResetModel()

    def go_to(self, thing: Any) -> None:
        """Look at the cell of a thing."""
        for row, cell in enumerate(self.cells):
            if cell.thing is thing:
                index = self._model.index(row)
                if self.currentIndex() != index:
                    self.setCurrentIndex(index)
                return

    def want(self, row: int) -> None:
        """Have the pictures of a cell made, once."""
        if row in self._wanted:
            return
        self._wanted.add(row)
        now = self._round

        def made(pair: Pair) -> None:
            if now == self._round:
                self.pictures[row] = pair
                self.update(self._model.index(row))

        self._wish(row, self.cells[row].frame, made)

    def currentChanged(self, current: _Index, previous: _Index) -> None:
        super().currentChanged(current, previous)
        if current.isValid() and current.row() < len(self.cells):
            self.chosen.emit(self.cells[current.row()].thing)
