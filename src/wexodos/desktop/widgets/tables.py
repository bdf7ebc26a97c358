"""Tables that sort, filter, resize and copy as text."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from PySide6.QtCore import (
    QAbstractTableModel,
    QModelIndex,
    QPersistentModelIndex,
    QSortFilterProxyModel,
    Qt,
    Signal,
)
from PySide6.QtGui import (
    QColor,
    QGuiApplication,
    QIcon,
    QKeyEvent,
    QKeySequence,
    QPainter,
    QPaintEvent,
    QShortcut,
)
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QMenu, QTableView, QTreeView, QWidget

from wexodos.desktop.theme import mono

_Index = QModelIndex | QPersistentModelIndex


@dataclass(frozen=True, slots=True)
class Column:
    """A column: its head, the text of a row, and how it looks. ``order`` gives the value it is sorted by;
    figures stand at the ``right``, under their head. ``tick`` says whether a row is ticked, None where it
    cannot be. One that is not ``shown`` is so only where somebody wants it."""

    head: str
    text: Callable[[Any], str]
    width: int
    mono: bool = False
    color: Callable[[Any], str | None] | None = None
    icon: Callable[[Any], QIcon | None] | None = None
    order: Callable[[Any], Any] | None = None
    stretch: bool = False
    right: bool = False
    tick: Callable[[Any], bool | None] | None = None
    shown: bool = True


def column_data(column: Column, row: Any, role: int) -> Any:
    """What a column says of a row to Qt."""
    if role in (
        Qt.ItemDataRole.DisplayRole,
        Qt.ItemDataRole.ToolTipRole,
        Qt.ItemDataRole.AccessibleTextRole,
    ):
        return column.text(row)
    if role == Qt.ItemDataRole.CheckStateRole and column.tick is not None:
        ticked = column.tick(row)
        return None if ticked is None else Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked
    if role == Qt.ItemDataRole.FontRole and column.mono:
        return mono(12)
    if role == Qt.ItemDataRole.ForegroundRole and column.color is not None:
        color = column.color(row)
        return QColor(color) if color else None
    if role == Qt.ItemDataRole.DecorationRole and column.icon is not None:
        return column.icon(row)
    if role == Qt.ItemDataRole.TextAlignmentRole:
        return alignment(column)
    if role == Qt.ItemDataRole.UserRole:
        return column.order(row) if column.order is not None else column.text(row)
    return None


def alignment(column: Column) -> Qt.AlignmentFlag:
    """Where a column's cells and its head stand."""
    side = Qt.AlignmentFlag.AlignRight if column.right else Qt.AlignmentFlag.AlignLeft
    return side | Qt.AlignmentFlag.AlignVCenter


def head_data(columns: list[Column], section: int, orientation: Qt.Orientation, role: int) -> Any:
    """What the head of a column says to Qt."""
    if orientation != Qt.Orientation.Horizontal or not 0 <= section < len(columns):
        return None
    if role == Qt.ItemDataRole.DisplayRole:
        return columns[section].head
    return alignment(columns[section]) if role == Qt.ItemDataRole.TextAlignmentRole else None


def say_empty(view: QAbstractItemView, words: str) -> None:
    """Write in the middle of a view why it is empty."""
    painter = QPainter(view.viewport())
    painter.setPen(view.palette().placeholderText().color())
    painter.drawText(view.viewport().rect(), Qt.AlignmentFlag.AlignCenter, words)


def copied(columns: list[Column], things: list[Any]) -> None:
    """Put rows on the clipboard as text with tabs."""
    lines = ["\t".join(column.head for column in columns)]
    lines += ["\t".join(column.text(thing) for column in columns) for thing in things]
    QGuiApplication.clipboard().setText("\n".join(lines))


def laid_out(
    view: QTableView | QTreeView,
    head: QHeaderView,
    columns: list[Column],
    name: str,
    copy: Callable[[], None],
) -> None:
    """Lay a table out: whole rows are chosen, a head sorts, columns have their widths, Ctrl+C copies."""
    view.setAccessibleName(name)
    view.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    view.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
    view.setSortingEnabled(True)
    view.sortByColumn(-1, Qt.SortOrder.AscendingOrder)
    view.setTextElideMode(Qt.TextElideMode.ElideMiddle)
    view.setTabKeyNavigation(False)
    head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    head.setHighlightSections(False)
    for place, column in enumerate(columns):
        view.setColumnWidth(place, column.width)
        view.setColumnHidden(place, not column.shown)
        if column.stretch:
            head.setSectionResizeMode(place, QHeaderView.ResizeMode.Stretch)
    if not all(column.shown for column in columns):
        head.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        head.customContextMenuRequested.connect(
            lambda at: column_menu(head, columns).popup(head.mapToGlobal(at))
        )
    keys = QShortcut(QKeySequence(QKeySequence.StandardKey.Copy), view)
    keys.setContext(Qt.ShortcutContext.WidgetShortcut)
    keys.activated.connect(copy)


def column_menu(head: QHeaderView, columns: list[Column]) -> QMenu:
    """A menu that shows and hides the columns of a table."""
    menu = QMenu(head)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    for place, column in enumerate(columns):
        if column.stretch:
            continue
        action = menu.addAction(column.head)
        action.setCheckable(True)
        action.setChecked(not head.isSectionHidden(place))
        action.toggled.connect(lambda on, place=place: head.setSectionHidden(place, not on))
    return menu


class Rows(QAbstractTableModel):
    """Rows of anything, shown through columns."""

    ticked = Signal(object)

    def __init__(self, columns: list[Column]) -> None:
        super().__init__()
        self.columns = columns
        self.rows: list[Any] = []

    def show(self, rows: list[Any]) -> None:
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def rowCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.columns)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        return head_data(self.columns, section, orientation, role)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid() or index.row() >= len(self.rows):
            return None
        column, row = self.columns[index.column()], self.rows[index.row()]
        return column_data(column, row, role)

    def flags(self, index: _Index) -> Qt.ItemFlag:
        found = super().flags(index)
        column = self.columns[index.column()] if index.isValid() else None
        if column is not None and column.tick is not None and column.tick(self.rows[index.row()]) is not None:
            found |= Qt.ItemFlag.ItemIsUserCheckable
        return found

    def setData(self, index: _Index, _value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        """A tick was set or taken away; whoever shows the rows decides what becomes of it."""
        if role != Qt.ItemDataRole.CheckStateRole:
            return False
        self.ticked.emit(self.rows[index.row()])
        return True


class _Filter(QSortFilterProxyModel):
    def __init__(self, model: Rows) -> None:
        super().__init__()
        self.setSourceModel(model)
        self.setSortRole(Qt.ItemDataRole.UserRole)
        self.keep: Callable[[Any], bool] | None = None

    def filterAcceptsRow(self, row: int, parent: _Index) -> bool:
        model = self.sourceModel()
        assert isinstance(model, Rows)
        return self.keep is None or self.keep(model.rows[row])


class Table(QTableView):
    """Emits ``chosen(row)`` when the current row changes by hand or key, ``ticked(row)`` when its tick is
    clicked, or the space bar pressed on it."""

    chosen = Signal(object)
    ticked = Signal(object)

    def __init__(self, columns: list[Column], name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.model_rows = Rows(columns)
        self.proxy = _Filter(self.model_rows)
        self.model_rows.ticked.connect(self.ticked)
        self.setModel(self.proxy)
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(25)
        laid_out(self, self.horizontalHeader(), columns, name, self.copy)
        self._quiet = False
        self.empty_words = "nothing here"
        # Its space bar is for the tick, see ``Keyboard``.
        self.setProperty("ticks", any(column.tick is not None for column in columns))
        self.selectionModel().currentRowChanged.connect(self._current)

    def paintEvent(self, event: QPaintEvent) -> None:
        """An empty table says why it is empty."""
        super().paintEvent(event)
        if self.proxy.rowCount() == 0:
            say_empty(self, "nothing here with this filter" if self.model_rows.rows else self.empty_words)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """The space bar ticks the row one is in, whichever column that is."""
        row = self.current_row()
        if event.key() == Qt.Key.Key_Space and self.property("ticks") and row is not None:
            self.ticked.emit(row)
        else:
            super().keyPressEvent(event)

    def call(self, heads: dict[int, str]) -> None:
        """Give columns other heads."""
        for place, head in heads.items():
            self.model_rows.columns[place] = replace(self.model_rows.columns[place], head=head)
        self.model_rows.headerDataChanged.emit(Qt.Orientation.Horizontal, 0, len(self.model_rows.columns) - 1)

    def show_rows(self, rows: list[Any]) -> None:
        self._quiet = True
        self.model_rows.show(rows)
        self._quiet = False

    def filter_rows(self, keep: Callable[[Any], bool] | None) -> None:
        self.proxy.keep = keep
        self._quiet = True
        self.proxy.invalidate()
        self._quiet = False

    def visible_rows(self) -> list[Any]:
        """The rows in the order they are shown."""
        return [
            self.model_rows.rows[self.proxy.mapToSource(self.proxy.index(row, 0)).row()]
            for row in range(self.proxy.rowCount())
        ]

    def current_row(self) -> Any:
        index = self.proxy.mapToSource(self.currentIndex())
        return self.model_rows.rows[index.row()] if index.isValid() else None

    def go_to(self, row: Any) -> None:
        """Make a row the current one without telling anybody."""
        for place in range(self.proxy.rowCount()):
            if self.model_rows.rows[self.proxy.mapToSource(self.proxy.index(place, 0)).row()] is row:
                self._quiet = True
                self.setCurrentIndex(self.proxy.index(place, 0))
                self.scrollTo(self.proxy.index(place, 0))
                self._quiet = False
                return

    def _current(self, now: QModelIndex, _before: QModelIndex) -> None:
        if now.isValid() and not self._quiet:
            self.chosen.emit(self.model_rows.rows[self.proxy.mapToSource(now).row()])

    def copy(self) -> None:
        """Copy the chosen rows as text with tabs."""
        rows = sorted({index.row() for index in self.selectedIndexes()})
        copied(
            self.model_rows.columns,
            [self.model_rows.rows[self.proxy.mapToSource(self.proxy.index(row, 0)).row()] for row in rows],
        )
