"""A movie held against the cut: the cut over the movie, a table of what is otherwise, both pictures."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from wexodos.desktop.screening import Screened
from wexodos.desktop.session import Session
from wexodos.desktop.stops.base import ledger_page
from wexodos.desktop.theme import palette
from wexodos.desktop.widgets.facts import Facts
from wexodos.desktop.widgets.ledger import Ledger
from wexodos.desktop.widgets.ledger_data import LedgerData, Mark, build
from wexodos.desktop.widgets.tables import Column, Table
from wexodos.screening.align import By
from wexodos.screening.rows import Row, What
from wexodos.screening.words import lies_words, sound_words
from wexodos.tidy.step import counted

_FATE = {What.MISSING: "left behind", What.BLACK: "left behind", What.ADDED: "baked"}
"""Rows borrow the fates' shapes: what is gone is gone, what came is new, the rest is changed."""


def fate_of(row: Row) -> str:
    """The fate whose shape a row is drawn with."""
    return _FATE.get(row.what, "adapted")


def _colour(row: Row) -> str:
    return palette().fate(fate_of(row))


class ScreenedPage(QWidget):
    """What was found in a movie, row by row."""

    def __init__(self, session: Session, close: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._screened: Screened | None = None
        self._current: Row | None = None
        self.summary = QLabel()
        self.summary.setWordWrap(True)
        done = QPushButton("Close")
        done.setToolTip("Back to where something else can be opened")
        done.clicked.connect(close)
        head = QHBoxLayout()
        head.addWidget(self.summary, 1)
        head.addWidget(done)
        self.ledger = Ledger()
        self.ledger.playhead_moved.connect(session.set_playhead)
        self.ledger.item_chosen.connect(self._item_chosen)
        self.ledger.mark_chosen.connect(self._mark_chosen)
        self.table = Table(
            [
                Column("from", self._first, 112, mono=True, order=lambda row: row.first),
                Column("track", lambda row: row.track, 48),
                Column("thing", lambda row: row.item or "the whole", 112),
                Column("what", lambda row: row.what.value, 80, color=_colour),
                Column("in the movie", lambda row: row.value, 260, stretch=True),
                Column("in the cut", lambda row: row.expected, 160, stretch=True),
                Column(
                    "sure", lambda row: f"{row.certainty * 100:.0f} %", 64, mono=True, right=True,
                    order=lambda row: row.certainty,
                ),
            ],
            "What is otherwise in the movie",
        )  # fmt: skip
        self.table.empty_words = "the movie is as the cut has it"
        self.table.chosen.connect(self.go)
        self.facts = Facts(session.pictures, "return")
        self.facts.call("the cut", "the movie")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(ledger_page(head, self.ledger, self.table, self.facts))

    def _first(self, row: Row) -> str:
        return self._code(row.first)

    def _code(self, frame: int) -> str:
        return str(self._screened.cut.sequence.timecode(frame)) if self._screened is not None else ""

    def show_screened(self, screened: Screened | None) -> None:
        """Show what was found."""
        if screened is self._screened and screened is not None:
            return
        self._screened, self._current = screened, None
        if screened is None:
            self.ledger.show_data(LedgerData())
            self.table.show_rows([])
            return
        found, cut = screened.checked, screened.cut.sequence
        words = counted(len(found.rows), "row") if found.rows else "as the cut has it"
        by = "its timecode" if found.aligned.by is By.TIMECODE else "its pictures"
        told = [
            f"<b>{screened.path.name}</b>: {words}",
            f"{found.frames} of {cut.duration} frames compared",
            f"{lies_words(found.aligned)}, by {by}",
            *([sound_words(found.sound, cut)] if found.sound is not None else []),
            *([f"not found: {', '.join(found.missing[:3])}"] if found.missing else []),
            *([f"not drawn here: {', '.join(found.undrawn[:3])}"] if found.undrawn else []),
        ]
        self.summary.setText(" · ".join(told))
        fates = {row.item_id: fate_of(row) for row in found.rows if row.item_id}
        data = build(
            cut,
            screened.movie.sequence,
            lambda item: fates.get(item.id, ""),
            lambda _item: "",
            [],
            (screened.cut.document, screened.movie.document),
        )
        for number, row in enumerate(found.rows):
            place = data.row_of(row.track or "V1")
            if place is not None and row.item_id:
                data.marks.append(Mark(str(number), place, float(row.first), float(row.until), fate_of(row)))
        self.ledger.show_data(data)
        self.ledger.set_playhead(self.session.playhead, follow=False)
        self.table.show_rows(list(found.rows))
        if found.rows:
            self.go(found.rows[0])
        else:
            self.facts.show_words("The movie is as the cut has it", "", "", "")
            self.facts.show_remedies("", [], "", 0)
            self.refresh()

    def go(self, row: Row) -> None:
        """Look at one: at its middle."""
        self._current = row
        self.table.go_to(row)
        if row.item_id:
            self.ledger.select(row.item_id)
        if self.isVisible():
            self.session.set_playhead((row.first + row.until) // 2)
        self.facts.show_words(
            f"{row.item or 'The whole'} · {row.what.value}",
            f"{row.track}   {self._code(row.first)} – {self._code(row.until)}".strip(),
            row.value,
            f"It should be: {row.expected}.",
        )
        self.facts.show_remedies("", [], "", 0)
        self.refresh()

    def _item_chosen(self, item_id: str) -> None:
        row = next((one for one in self.table.visible_rows() if one.item_id == item_id), None)
        if row is not None:
            self.go(row)

    def _mark_chosen(self, key: str) -> None:
        rows = self._screened.checked.rows if self._screened is not None else []
        if key.isdigit() and int(key) < len(rows):
            self.go(rows[int(key)])

    def playhead(self, frame: int) -> None:
        """Follow the playhead."""
        self.ledger.set_playhead(frame)
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Show the pictures of both at the playhead."""
        if self._screened is None:
            return
        wanted = self._current.item_id if self._current is not None else ""
        sides = self._screened.cut, self._screened.movie
        self.facts.show_states(*sides, self.session.playhead, wanted, "", self.session.playing)

    def go_next(self, direction: int) -> None:
        """The next row or the one before."""
        rows = self.table.visible_rows()
        if rows:
            place = rows.index(self._current) if self._current in rows else (-1 if direction > 0 else 0)
            self.go(rows[(place + direction) % len(rows)])
