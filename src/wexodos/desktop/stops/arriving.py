"""What came back besides a sequence file: renders and sound, each with what it is, by what that is known, and
how it lies."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from wexodos.desktop.laying import Arrived
from wexodos.desktop.session import Session
from wexodos.desktop.stops.base import ledger_page
from wexodos.desktop.theme import palette
from wexodos.desktop.widgets.facts import Facts
from wexodos.desktop.widgets.ledger import Ledger
from wexodos.desktop.widgets.ledger_data import LedgerData, Mark, build
from wexodos.desktop.widgets.tables import Column, Table
from wexodos.homecoming.home import Home
from wexodos.homecoming.words import by_words, render_words, role_words, sync_words, tracks_words
from wexodos.tidy.step import counted
from wexodos.timing import Exact, floor

_CARRIED, _ADAPTED, _LEFT, _NOTED = "carried", "adapted", "left behind", "noted"


@dataclass(frozen=True, slots=True)
class Row:
    """A file that came, or an event nothing came for."""

    start: Exact
    stop: Exact
    track: str
    thing: str
    file: str
    by: str
    words: str
    fate: str
    item_id: str = ""
    detail: str = ""


def rows_of(home: Home) -> list[Row]:
    """All that came and all that is missing: what needs a person first, then in the order of time."""
    rows = []
    for path, why, _ in home.asked:
        rows.append(Row(0, 0, "", "to be told", path.name, "", why, _LEFT))
    for refused, why in home.refused:
        event = refused.found.event
        by = ", ".join(way.value for way in refused.found.by)
        name = event.item.name or event.media.file_name
        place = event.item.start, event.item.end, event.track
        rows.append(Row(*place, name, refused.path.name, by, why, _LEFT, event.item.id))
    for event in home.missing:
        item = event.item
        name = item.name or event.media.file_name
        rows.append(
            Row(item.start, item.end, event.track, name, "", "", "nothing came for it", _LEFT, item.id)
        )
    for one in home.sounds:
        fine = one.offset == 0 and not one.found.steps and abs(one.found.drift) < 0.5
        fine = fine and not one.found.inverted
        words = sync_words(one, home.sequence)
        rows.append(
            Row(
                0,
                home.sequence.duration,
                tracks_words(one),
                role_words(one),
                one.path.name,
                by_words(one),
                words,
                _CARRIED if fine else _LEFT if one.offset is None else _ADAPTED,
                detail=f"certainty {one.found.certainty:.2f}",
            )
        )
    for laid in home.renders:
        event = laid.matched.found.event
        rows.append(
            Row(
                event.item.start,
                event.item.end,
                event.track,
                event.item.name or event.media.file_name,
                laid.matched.path.name,
                ", ".join(way.value for way in laid.matched.found.by),
                render_words(laid),
                _ADAPTED if laid.offset or laid.doubled else _CARRIED,
                event.item.id,
                "; ".join(f"{what.what.value}: {what.measured}" for what in laid.doubled),
            )
        )
    for path, why in home.others:
        rows.append(Row(0, 0, "", "not used", path.name, "", why, _NOTED))
    return rows


class Arriving(QWidget):
    """The cut over the cut with what came, a table of what came, the pictures at the playhead."""

    def __init__(self, session: Session, other: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._arrived: Arrived | None = None
        self._current: Row | None = None
        self.summary = QLabel()
        self.summary.setWordWrap(True)
        self.correct = QPushButton("Move what is off")
        self.correct.setCheckable(True)
        self.correct.setToolTip(
            "Sound that is out of sync and renders whose pictures are late are moved to where they belong; "
            "otherwise they lie as they came"
        )
        self.correct.clicked.connect(self._moved)
        another = QPushButton("Open another…")
        another.clicked.connect(other)
        head = QHBoxLayout()
        head.addWidget(self.summary, 1)
        head.addWidget(self.correct)
        head.addWidget(another)
        self.ledger = Ledger()
        self.ledger.playhead_moved.connect(session.set_playhead)
        self.ledger.item_chosen.connect(self._item_chosen)
        self.ledger.mark_chosen.connect(self._mark_chosen)
        self.table = Table(
            [
                Column("where", self._place, 112, mono=True, order=lambda row: float(row.start)),
                Column("track", lambda row: row.track, 52),
                Column("what", lambda row: row.thing, 96),
                Column("file", lambda row: row.file, 160, stretch=True),
                Column("known by", lambda row: row.by, 200, stretch=True),
                Column(
                    "how it lies",
                    lambda row: row.words,
                    230,
                    stretch=True,
                    color=lambda row: palette().fate(row.fate),
                ),
            ],
            "What came",
        )
        self.table.empty_words = "nothing came"
        self.table.chosen.connect(self.go)
        self.facts = Facts(session.pictures, "return")
        self.facts.call("before", "with it")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(ledger_page(head, self.ledger, self.table, self.facts))

    def _place(self, row: Row) -> str:
        return (
            str(self.session.side.sequence.timecode(floor(row.start)))
            if row.track and self.session.side
            else ""
        )

    def show_arrived(self, arrived: Arrived | None) -> None:
        """Show what came."""
        self._arrived, self._current = arrived, None
        if arrived is None:
            self.ledger.show_data(LedgerData())
            self.table.show_rows([])
            return
        home = arrived.home
        rows = rows_of(home)
        told = [
            counted(len(home.renders), "render") + " laid in" if home.renders else "",
            counted(len(home.sounds), "sound") if home.sounds else "",
            f"{len(home.refused)} not laid in" if home.refused else "",
            f"{len(home.missing)} missing" if home.missing else "",
            f"{len(home.asked)} to be told" if home.asked else "",
            f"{len(home.others)} not used" if home.others else "",
        ]
        self.summary.setText(f"<b>{', '.join(filter(None, told)) or 'Nothing that fits'}</b>")
        late = any(one.offset for one in home.renders) or any(one.offset for one in home.sounds)
        self.correct.setVisible(late or arrived.corrected)
        self.correct.setChecked(arrived.corrected)
        fates = {row.item_id: row.fate for row in rows if row.item_id}
        data = build(
            arrived.before.sequence,
            arrived.after.sequence,
            lambda item: fates.get(item.id, ""),
            lambda item: fates.get(item.id, ""),
            [],
            (arrived.before.document, arrived.after.document),
        )
        for number, row in enumerate(rows):
            place = data.row_of(row.track) if row.item_id else None
            if place is not None:
                data.marks.append(Mark(str(number), place, float(row.start), float(row.stop), row.fate))
        self.ledger.show_data(data)
        self.ledger.set_playhead(self.session.playhead, follow=False)
        self.table.show_rows(list(rows))
        if rows:
            self.go(rows[0])
        self.refresh()

    def _moved(self, on: bool) -> None:
        if self._arrived is not None:
            self.session.laying.take(self._arrived.paths, on)

    def go(self, row: Row) -> None:
        """Look at one."""
        self._current = row
        self.table.go_to(row)
        if row.item_id:
            self.ledger.select(row.item_id)
            if self.isVisible():
                # Its middle: at its ends there may be transitions.
                self.session.set_playhead(floor(Fraction(row.start + row.stop) / 2))
        why = f"known by {row.by}" if row.by else ""
        self.facts.show_words(f"{row.thing}", f"{row.track}   {self._place(row)}".strip(), row.words, why)
        self.facts.show_remedies(row.detail, [], "", 0)
        self.refresh()

    def _item_chosen(self, item_id: str) -> None:
        row = next((one for one in self.table.visible_rows() if one.item_id == item_id), None)
        if row is not None:
            self.go(row)

    def _mark_chosen(self, key: str) -> None:
        home = self._arrived.home if self._arrived is not None else None
        rows = rows_of(home) if home is not None else []
        if key.isdigit() and int(key) < len(rows):
            self.go(rows[int(key)])

    def playhead(self, frame: int) -> None:
        """Follow the playhead."""
        self.ledger.set_playhead(frame)
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Show the states and pictures at the playhead."""
        if self._arrived is None:
            return
        wanted = self._current.item_id if self._current is not None else ""
        sides = self._arrived.before, self._arrived.after
        self.facts.show_states(*sides, self.session.playhead, wanted, wanted, self.session.playing)

    def go_next(self, direction: int) -> None:
        """The next or the one before."""
        rows = self.table.visible_rows()
        if rows:
            place = rows.index(self._current) if self._current in rows else (-1 if direction > 0 else 0)
            self.go(rows[(place + direction) % len(rows)])
