"""A movie held against the cut, row by row."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QPushButton, QWidget

from wexodos.desktop.screening import Screened
from wexodos.desktop.session import Session
from wexodos.desktop.stops.held import HeldPage
from wexodos.desktop.theme import palette
from wexodos.desktop.widgets.tables import Column
from wexodos.screening.align import By
from wexodos.screening.rows import Row, What
from wexodos.screening.words import lies_words, sound_words
from wexodos.tidy.step import counted

_FATE = {What.MISSING: "left behind", What.BLACK: "left behind", What.ADDED: "baked"}
"""Rows borrow the fates' shapes: what is gone is gone, what came is new, the rest is changed."""


class ScreenedPage(HeldPage):
    """What was found in a movie."""

    def __init__(self, session: Session, close: Callable[[], None], parent: QWidget | None = None) -> None:
        self._screened: Screened | None = None
        done = QPushButton("Close")
        done.setToolTip("Back to where something else can be opened")
        done.clicked.connect(close)
        columns = [
            Column("from", lambda row: self.code(row.first), 112, mono=True, order=lambda row: row.first),
            Column("track", lambda row: row.track, 48),
            Column("thing", lambda row: row.item or "the whole", 112),
            Column("what", lambda row: row.what.value, 80, color=lambda row: palette().fate(self.fate(row))),
            Column("in the movie", lambda row: row.value, 260, stretch=True),
            Column("in the cut", lambda row: row.expected, 160, stretch=True),
            Column(
                "sure", lambda row: f"{row.certainty * 100:.0f} %", 64, mono=True, right=True,
                order=lambda row: row.certainty,
            ),
        ]  # fmt: skip
        title, sides = "What is otherwise in the movie", ("the cut", "the movie")
        super().__init__(session, columns, title, sides, [done], parent)
        self.table.empty_words = "the movie is as the cut has it"

    def place(self, row: Row) -> tuple[int, int]:
        return row.first, row.until

    def items(self, row: Row) -> tuple[str, str]:
        return row.item_id, ""

    def track(self, row: Row) -> str:
        return row.track or "V1"

    def fate(self, row: Row) -> str:
        return _FATE.get(row.what, "adapted")

    def words(self, row: Row) -> tuple[str, str, str, str]:
        return (
            f"{row.item or 'The whole'} · {row.what.value}",
            f"{row.track}   {self.code(row.first)} – {self.code(row.until)}".strip(),
            row.value,
            f"It should be: {row.expected}.",
        )

    def show_screened(self, screened: Screened | None) -> None:
        """Show what was found."""
        if screened is self._screened and screened is not None:
            return
        self._screened = screened
        if screened is None:
            self.show_nothing()
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
        self.show_rows((screened.cut, screened.movie), found.rows, "The movie is as the cut has it")
