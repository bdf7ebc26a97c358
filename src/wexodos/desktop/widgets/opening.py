"""A table whose rows open and show what is gathered in them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from PySide6.QtCore import (
    QAbstractItemModel,
    QModelIndex,
    QPersistentModelIndex,
    QSortFilterProxyModel,
    Qt,
    Signal,
)
from PySide6.QtGui import QKeyEvent, QPaintEvent
from PySide6.QtWidgets import QTreeView, QWidget

from wexodos.desktop.widgets.tables import Column, column_data, copied, head_data, laid_out, say_empty

_Index = QModelIndex | QPersistentModelIndex
_TOP = 0


class Gathered(QAbstractItemModel):
    """Things and what is gathered in each, two levels deep, shown through columns."""

    def __init__(self, columns: list[Column]) -> None:
        super().__init__()
        self.columns = columns
        self.rows: list[tuple[Any, Sequence[Any]]] = []

    def show(self, rows: list[tuple[Any, Sequence[Any]]]) -> None:
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def thing(self, index: _Index) -> Any:
        """What stands at an index."""
        inside = index.internalId()
        return self.rows[index.row()][0] if inside == _TOP else self.rows[inside - 1][1][index.row()]

    def index(self, row: int, column: int, parent: _Index = QModelIndex()) -> QModelIndex:  # noqa: B008
        if not self.hasIndex(row, column, parent):
            return QModelIndex()
        return self.createIndex(row, column, parent.row() + 1 if parent.isValid() else _TOP)

    def parent(self, index: _Index) -> QModelIndex:  # type: ignore[override]
        inside = index.internalId() if index.isValid() else _TOP
        return QModelIndex() if inside == _TOP else self.createIndex(inside - 1, 0, _TOP)

    def rowCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008
        if not parent.isValid():
            return len(self.rows)
        # Only the first column of a row has anything inside.
        whole = parent.internalId() == _TOP and parent.column() == 0
        return len(self.rows[parent.row()][1]) if whole else 0

    def columnCount(self, _parent: _Index = QModelIndex()) -> int:  # noqa: B008
        return len(self.columns)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        return head_data(self.columns, section, orientation, role)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        return column_data(self.columns[index.column()], self.thing(index), role)


class _Filter(QSortFilterProxyModel):
    def __init__(self, model: Gathered) -> None:
        super().__init__()
        self.setSourceModel(model)
        self.setSortRole(Qt.ItemDataRole.UserRole)
        self.model = model
        self.keep: Callable[[Any], bool] | None = None

    def filterAcceptsRow(self, row: int, parent: _Index) -> bool:
        # What is gathered in a row goes with it.
        return self.keep is None or parent.isValid() or self.keep(self.model.rows[row][0])


class OpeningTable(QTreeView):
    """Emits ``chosen(thing)`` when the current row changes by hand or key. Enter opens and shuts a row."""

    chosen = Signal(object)

    def __init__(self, columns: list[Column], name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.gathered = Gathered(columns)
        self.proxy = _Filter(self.gathered)
        self.setModel(self.proxy)
        self.setUniformRowHeights(True)
        self.setIndentation(14)
        self.header().setStretchLastSection(False)
        laid_out(self, self.header(), columns, name, self.copy)
        self._quiet = False
        self.empty_words = "nothing here"
        self.selectionModel().currentRowChanged.connect(self._current)

    def paintEvent(self, event: QPaintEvent) -> None:
        """An empty table says why it is empty."""
        super().paintEvent(event)
        if self.proxy.rowCount() == 0:
            say_empty(self, "nothing here with this filter" if self.gathered.rows else self.empty_words)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        first = self.currentIndex().siblingAtColumn(0)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.proxy.hasChildren(first):
            self.setExpanded(first, not self.isExpanded(first))
            return
        super().keyPressEvent(event)

    def show_rows(self, rows: list[tuple[Any, Sequence[Any]]]) -> None:
        """Show things, each with what is gathered in it: nothing where it stands for itself."""
        self._quiet = True
        self.gathered.show(rows)
        self._quiet = False

    def filter_rows(self, keep: Callable[[Any], bool] | None) -> None:
        """Show only the rows that ``keep`` takes, with all that is in them."""
        self.proxy.keep = keep
        self._quiet = True
        self.proxy.invalidate()
        self._quiet = False

    def visible_rows(self) -> list[Any]:
        """The things in the order they are shown; what is in a row counts where the row is open."""
        return [self._thing(index) for index in self._shown()]

    def _shown(self) -> Iterator[QModelIndex]:
        for row in range(self.proxy.rowCount()):
            index = self.proxy.index(row, 0)
            yield index
            if self.isExpanded(index):
                yield from (self.proxy.index(place, 0, index) for place in range(self.proxy.rowCount(index)))

    def _thing(self, index: QModelIndex) -> Any:
        return self.gathered.thing(self.proxy.mapToSource(index))

    def current_row(self) -> Any:
        index = self.currentIndex()
        return self._thing(index) if index.isValid() else None

    def go_to(self, thing: Any) -> None:
        """Make a thing the current row without telling anybody; the row it is gathered in while that is
        shut."""
        for row, (whole, inside) in enumerate(self.gathered.rows):
            place = next((number for number, one in enumerate(inside) if one is thing), None)
            if whole is not thing and place is None:
                continue
            source = self.gathered.index(row, 0)
            index = self.proxy.mapFromSource(source)
            if place is not None and self.isExpanded(index):
                index = self.proxy.mapFromSource(self.gathered.index(place, 0, source))
            self._quiet = True
            self.setCurrentIndex(index)
            self.scrollTo(index)
            self._quiet = False
            return

    def _current(self, now: QModelIndex, _before: QModelIndex) -> None:
        if now.isValid() and not self._quiet:
            self.chosen.emit(self._thing(now))

    def copy(self) -> None:
        """Copy the chosen rows as text with tabs."""
        chosen = set(self.selectionModel().selectedRows(0))
        copied(self.gathered.columns, [self._thing(index) for index in self._shown() if index in chosen])
