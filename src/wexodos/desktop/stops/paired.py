"""Two sequences that are a pair, row by row; one corrected, both saved as one."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QPushButton, QWidget

from wexodos.compare.pairing import Apart, PairRow
from wexodos.desktop.asking import ask_target
from wexodos.desktop.pairing import Paired
from wexodos.desktop.session import Session
from wexodos.desktop.stops.held import HeldPage
from wexodos.desktop.theme import palette
from wexodos.desktop.widgets.tables import Column
from wexodos.formats import FORMATS
from wexodos.ground.names import safe_name
from wexodos.tidy.step import counted
from wexodos.timing import ceil, floor

_KINDS = ";;".join(
    f"{FORMATS[key].label} (*{FORMATS[key].suffix})" for key in ("xmeml", "fcpxml", "aaf", "otio")
)


class PairedPage(HeldPage):
    """What is otherwise in the right one of a pair."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        self._paired: Paired | None = None
        self.correct = QPushButton("Correct the right one")
        self.correct.setToolTip("Its cuts, sources, speeds, lengths and places follow the left one")
        self.save_right = QPushButton("Save the right one…")
        self.save_both = QPushButton("Save both as one…")
        self.save_both.setToolTip("Both nested in one sequence, in time, under one layer of markers")
        done = QPushButton("Close")
        done.setToolTip("Back to where something else can be opened")
        columns = [
            Column("at", lambda row: self.code(floor(row.at)), 112, mono=True, order=lambda row: row.at),
            Column("track", lambda row: row.track, 48),
            Column("thing", self._name, 140),
            Column("what", lambda row: row.what.value, 80, color=lambda row: palette().fate(self.fate(row))),
            Column("left", lambda row: row.left, 220, stretch=True),
            Column("right", lambda row: row.right, 220, stretch=True),
        ]
        buttons = [self.correct, self.save_right, self.save_both, done]
        super().__init__(session, columns, "What is otherwise", ("left", "right"), buttons, parent)
        self.table.empty_words = "they are a pair"
        self.correct.clicked.connect(self._correct)
        self.save_right.clicked.connect(lambda: self._save("right"))
        self.save_both.clicked.connect(lambda: self._save("both"))
        done.clicked.connect(session.pairing.drop)

    @staticmethod
    def _name(row: PairRow) -> str:
        item = row.left_item or row.right_item
        return (item.name or item.kind) if item is not None else "the whole"

    def place(self, row: PairRow) -> tuple[int, int]:
        first = max(0, floor(row.at))
        if row.what is Apart.CUT:
            return first, first + 1
        item = row.left_item or row.right_item
        return first, first + max(1, ceil(item.duration)) if item is not None else first + 1

    def items(self, row: PairRow) -> tuple[str, str]:
        return tuple(item.id if item is not None else "" for item in (row.left_item, row.right_item))  # type: ignore[return-value]

    def track(self, row: PairRow) -> str:
        return row.track or "V1"

    def fate(self, row: PairRow) -> str:
        return "left behind" if row.what is Apart.MISSING else "adapted"

    def words(self, row: PairRow) -> tuple[str, str, str, str]:
        return (
            f"{self._name(row)} · {row.what.value}",
            f"{row.track}   {self.code(floor(row.at))}".strip(),
            f"Left: {row.left}. Right: {row.right}.",
            "",
        )

    def show_paired(self, paired: Paired | None) -> None:
        """Show what is otherwise, or what is left of it."""
        if paired is self._paired and paired is not None:
            return
        self._paired = paired
        if paired is None:
            self.show_nothing()
            return
        rows, corrected = paired.pair.rows, paired.corrected
        words = counted(len(rows), "row") if rows else "a pair"
        if corrected:
            done = counted(corrected, "row")
            words = f"{done} corrected, {len(rows)} left" if rows else f"{done} corrected, now a pair"
        later = paired.pair.offset
        told = [
            f"<b>{paired.left.sequence.name}</b> and <b>{paired.name}</b>: {words}",
            *([f"the right one stands {float(later):+g} frames later"] if later else []),
        ]
        self.summary.setText(" · ".join(told))
        self.correct.setText("As it was" if corrected else "Correct the right one")
        self.correct.setEnabled(bool(rows or corrected))
        self.save_right.setEnabled(bool(corrected))
        self.show_rows((paired.left, paired.shown), rows, "They are a pair")

    def _correct(self) -> None:
        if self._paired is not None:
            self.session.pairing.correct(not self._paired.corrected)

    def _save(self, what: str) -> None:
        found = self._paired
        if found is None:
            return
        name = found.name if what == "right" else f"{found.left.sequence.name} + {found.name}"
        own = FORMATS.get(found.document.format)
        suffix = own.suffix if own is not None and own.suffix in _KINDS else ".xml"
        words = " corrected" if what == "right" else ""
        place = found.path.with_name(f"{safe_name(f'{name}{words}')}{suffix}")
        target = ask_target(
            self, "Save the right one" if what == "right" else "Save both as one", place, _KINDS
        )
        if target is not None:
            self.session.pairing.save(target, what == "both", lambda files: self._saved(target, files))

    def _saved(self, target: Path, files: int) -> None:
        more = f", with {counted(files - 1, 'file')} beside it" if files > 1 else ""
        self.session.said.emit(f"{target} is saved{more}; read back and compared", False)
