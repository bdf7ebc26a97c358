"""Something held against the cut: both in the ledger, a table of what is otherwise, both pictures."""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from wexodos.desktop.session import Session
from wexodos.desktop.sides import Side
from wexodos.desktop.stops.base import ledger_page
from wexodos.desktop.widgets.facts import Facts
from wexodos.desktop.widgets.ledger import Ledger
from wexodos.desktop.widgets.ledger_data import LedgerData, Mark, build
from wexodos.desktop.widgets.tables import Column, Table


class HeldPage(QWidget):
    """Rows of what is otherwise, walked through one by one; what a row is, its subclasses say."""

    def __init__(
        self,
        session: Session,
        columns: list[Column],
        title: str,
        sides: tuple[str, str],
        buttons: list[QPushButton],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.rows: list[Any] = []
        self.sides: tuple[Side, Side] | None = None
        self._current: Any = None
        self.summary = QLabel()
        self.summary.setWordWrap(True)
        head = QHBoxLayout()
        head.addWidget(self.summary, 1)
        for one in buttons:
            head.addWidget(one)
        self.ledger = Ledger()
        self.ledger.playhead_moved.connect(session.set_playhead)
        self.ledger.item_chosen.connect(self._item_chosen)
        self.ledger.mark_chosen.connect(self._mark_chosen)
        self.table = Table(columns, title)
        self.table.chosen.connect(self.go)
        self.facts = Facts(session.pictures, "return")
        self.facts.call(*sides)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(ledger_page(head, self.ledger, self.table, self.facts))

    # ---- what a row is

    def place(self, row: Any) -> tuple[int, int]:
        """The frames of the cut it is about."""
        raise NotImplementedError

    def items(self, row: Any) -> tuple[str, str]:
        """The ids of its items in the cut and in what is held against it; empty where there is none."""
        raise NotImplementedError

    def track(self, row: Any) -> str:
        """The track it is on; V1 where it is about the whole."""
        raise NotImplementedError

    def fate(self, row: Any) -> str:
        """The fate whose shape it is drawn with."""
        raise NotImplementedError

    def words(self, row: Any) -> tuple[str, str, str, str]:
        """What it is, where, what is otherwise, what is to be."""
        raise NotImplementedError

    # ---- showing

    def code(self, frame: int) -> str:
        """A frame of the cut as its timecode."""
        return str(self.sides[0].sequence.timecode(frame)) if self.sides is not None else ""

    def show_nothing(self) -> None:
        """Forget what was shown."""
        self.sides, self.rows, self._current = None, [], None
        self.ledger.show_data(LedgerData())
        self.table.show_rows([])

    def show_rows(self, sides: tuple[Side, Side], rows: list[Any], right: str) -> None:
        """Show rows of two that are held against each other; ``right`` is said where there are none."""
        self.sides, self.rows, self._current = sides, rows, None
        fates = {item: self.fate(row) for row in rows for item in self.items(row) if item}
        data = build(
            sides[0].sequence,
            sides[1].sequence,
            lambda item: fates.get(item.id, ""),
            lambda _item: "",
            [],
            (sides[0].document, sides[1].document),
        )
        for number, row in enumerate(rows):
            place = data.row_of(self.track(row))
            if place is not None and any(self.items(row)):
                first, until = self.place(row)
                data.marks.append(Mark(str(number), place, float(first), float(until), self.fate(row)))
        self.ledger.show_data(data)
        self.ledger.set_playhead(self.session.playhead, follow=False)
        self.table.show_rows(list(rows))
        if rows:
            self.go(rows[0])
        else:
            self.facts.show_words(right, "", "", "")
            self.facts.show_remedies("", [], "", 0)
            self.refresh()

    def go(self, row: Any) -> None:
        """Look at one: at its middle."""
        self._current = row
        self.table.go_to(row)
        wanted = next((one for one in self.items(row) if one), "")
        self.ledger.select(wanted, self.track(row))
        if self.isVisible():
            self.session.set_playhead(sum(self.place(row)) // 2)
        self.facts.show_words(*self.words(row))
        self.facts.show_remedies("", [], "", 0)
        self.refresh()

    def _item_chosen(self, item_id: str) -> None:
        row = next((one for one in self.table.visible_rows() if item_id in self.items(one)), None)
        if row is not None:
            self.go(row)

    def _mark_chosen(self, key: str) -> None:
        if key.isdigit() and int(key) < len(self.rows):
            self.go(self.rows[int(key)])

    def playhead(self, frame: int) -> None:
        """Follow the playhead."""
        self.ledger.set_playhead(frame)
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Show the pictures of both at the playhead."""
        if self.sides is None:
            return
        wanted = self.items(self._current) if self._current is not None else ("", "")
        self.facts.show_states(*self.sides, self.session.playhead, *wanted, self.session.playing)

    def go_next(self, direction: int) -> None:
        """The next row or the one before."""
        rows = self.table.visible_rows()
        if rows:
            place = rows.index(self._current) if self._current in rows else (-1 if direction > 0 else 0)
            self.go(rows[(place + direction) % len(rows)])
