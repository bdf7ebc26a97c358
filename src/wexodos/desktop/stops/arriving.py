"""What came back besides a sequence file: renders and sound, each with what it is, by what that is known, and
how it lies."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction

import numpy as np
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from wexodos.desktop.laying import Arrived
from wexodos.desktop.pictures import Pair, compose
from wexodos.desktop.session import Session
from wexodos.desktop.sides import Side
from wexodos.desktop.stops.arrived_rows import Row, renders_words, rows_of, sounds_words
from wexodos.desktop.stops.base import ledger_page
from wexodos.desktop.theme import palette
from wexodos.desktop.widgets.contact_sheet import HEIGHT, Cell, ContactSheet
from wexodos.desktop.widgets.facts import Facts
from wexodos.desktop.widgets.ledger import Ledger
from wexodos.desktop.widgets.ledger_data import LedgerData, Mark, build
from wexodos.desktop.widgets.names_line import NamesLine
from wexodos.desktop.widgets.sync_view import Sounding, SyncView, Waves, columns
from wexodos.desktop.widgets.tables import Column, Table
from wexodos.homecoming.mixes import Returned
from wexodos.homecoming.outcome import Kind
from wexodos.homecoming.wanted import Holds
from wexodos.homecoming.within import RATE
from wexodos.homecoming.words import moved_words, sync_words
from wexodos.model import MediaUse, Track
from wexodos.sound.signals import CutSignal, Signal
from wexodos.tidy.step import counted
from wexodos.timing import floor

_IN, _OUT = "lay", "leave"
_DECIDED = {_IN: "Lay it in", _OUT: "Leave it out"}


class Arriving(QWidget):
    """The cut over the cut with what came, a table of what came, the pictures at the playhead."""

    def __init__(
        self, session: Session, other: Callable[[], None], ways: QMenu, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self._arrived: Arrived | None = None
        self._current: Row | None = None
        self._look = 0
        self._waved: Returned | None = None
        self.summary = QLabel()
        self.summary.setWordWrap(True)
        self.correct = QPushButton("Move what is off")
        self.correct.setCheckable(True)
        self.correct.setToolTip(
            "Sound that is out of sync and renders whose pictures are late are moved to where they belong; "
            "otherwise they lie as they came"
        )
        self.correct.clicked.connect(self._moved)
        more = QPushButton("Lay in…")
        more.setToolTip("What came later takes the place of what came before; or another version of the cut")
        more.setMenu(ways)
        another = QPushButton("Open another…")
        another.clicked.connect(other)
        self.views = QStackedWidget()
        self.ledger = Ledger()
        self.sheet = ContactSheet(self._wish)
        self.waves = SyncView()
        self.sheet.chosen.connect(self.go)
        self.looks = QButtonGroup(self)
        self.names = NamesLine(session.laying.decide)
        self.version = QComboBox()
        self.version.setAccessibleName("The sequence of the later version it goes into")
        self.version.activated.connect(self._version_chosen)
        head, row, first = QVBoxLayout(), QHBoxLayout(), QHBoxLayout()
        first.addWidget(self.summary, 1)
        first.addWidget(self.version)
        head.addLayout(first)
        head.addWidget(self.names)
        head.addLayout(row)
        for number, (words, about, view) in enumerate(
            (
                ("Ledger", "The cut over the cut with what came", self.ledger),
                ("Contact sheet", "Every event, the original beside what came for it", self.sheet),
                ("Waveforms", "The cut's sound over the sound that came, at the playhead", self.waves),
            )
        ):
            self.views.addWidget(view)
            button = QPushButton(words)
            button.setCheckable(True)
            button.setToolTip(about)
            self.looks.addButton(button, number)
            row.addWidget(button)
        self.looks.idClicked.connect(self.look_at)
        row.addStretch(1)
        for each in (self.correct, more, another):
            row.addWidget(each)
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
        self.facts.remedy_asked.connect(self._decided)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(ledger_page(head, self.views, self.table, self.facts))

    def _place(self, row: Row) -> str:
        return (
            str(self.session.side.sequence.timecode(floor(row.start)))
            if row.track and self.session.side
            else ""
        )

    def show_arrived(self, arrived: Arrived | None) -> None:
        """Show what came."""
        kept = self._current.file if self._current is not None else ""
        self._arrived, self._current = arrived, None
        if arrived is None:
            self.ledger.show_data(LedgerData())
            self.table.show_rows([])
            return
        home = arrived.home
        self._waved = None
        rows = rows_of(home)
        told = [
            "a movie of the whole" if home.whole else "",
            renders_words(home),
            sounds_words(home),
            f"{len(home.refused)} not laid in" if home.refused else "",
            f"{len(home.missing)} missing" if home.missing else "",
            f"{len(home.asked)} to be told" if home.asked else "",
            f"{len(home.others)} not used" if home.others else "",
        ]
        into = f" · into {arrived.into}" if arrived.into else ""
        later = f" · {counted(arrived.returns, 'return')}" if arrived.returns > 1 else ""
        words = ", ".join(filter(None, told)) or "nothing that fits"
        words = words[:1].upper() + words[1:]
        self.summary.setText(f"<b>{words}</b>{later}{into}")
        self.names.show_scheme(home.scheme, home.kind is Kind.GRADE)
        self.version.setVisible(len(arrived.sequences) > 1)
        self.version.clear()
        self.version.addItems(arrived.sequences)
        self.version.setCurrentText(home.left.sequence.name)
        late = any(one.offset for one in home.renders) or any(one.offset for one in home.whole)
        late = late or any(one.offset or one.pace != 1 or one.found.steps for one in home.sounds)
        self.correct.setVisible(late or arrived.home.corrected)
        self.correct.setChecked(arrived.home.corrected)
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
        events = sorted(
            (row for row in rows if row.item_id and row.track[:1] == "V"), key=lambda one: one.start
        )
        frame = arrived.before.sequence
        shape = (frame.width or 1920) / (frame.height or 1080) * float(frame.pixel_aspect)
        self.sheet.show_cells([self._cell(row) for row in events], shape)
        self.looks.button(1).setVisible(bool(events))
        self.looks.button(2).setVisible(any(row.sound for row in rows))
        look = self.looks.button(self._look)
        self.look_at(self._look if look is not None and not look.isHidden() else 0)
        if rows:
            self.go(next((row for row in rows if row.file == kept and kept), rows[0]))
        self.refresh()

    def look_at(self, number: int) -> None:
        """Show the ledger, the contact sheet or the waveforms above the table."""
        self._look = number
        self.looks.button(number).setChecked(True)
        self.views.setCurrentIndex(number)
        self._show_waves()

    def _cell(self, row: Row) -> Cell:
        middle = floor(Fraction(row.start + row.stop) / 2)
        return Cell(middle, self._place(row), row.thing, row.words, row.fate, row)

    def _wish(self, number: int, frame: int, done: Callable[[Pair], None]) -> None:
        """Have the two pictures of a cell made."""
        arrived = self._arrived
        if arrived is None:
            return
        before, after = arrived.before.seen, arrived.after.seen
        self.session.pictures.ask(
            f"sheet {number}", lambda: compose(before, after, frame, HEIGHT, False), done
        )

    def _show_waves(self) -> None:
        """Show the waveforms of the sound that is looked at, the first one where none is."""
        row = self._current
        if self._look != 2 or self._arrived is None:
            return
        sound = row.sound if row is not None and row.sound is not None else None
        sound = sound or next(iter(self._arrived.home.sounds), None)
        if sound is not self._waved:
            self._waved = sound
            self.waves.show_sounding(self._sounding(sound) if sound is not None else None)
        self._place_waves()

    def _place_waves(self) -> None:
        side = self._arrived.before.sequence if self._arrived is not None else None
        if side is not None:
            at = self.session.playhead
            self.waves.set_place(float(side.rate.seconds(at)), str(side.timecode(at)))

    def _sounding(self, one: Returned) -> Sounding:
        """What the waveforms show of a sound, as it lies in the cut."""
        rate = one.facts.sample_rate or RATE
        arrived = self._arrived
        corrected = arrived is not None and arrived.home.corrected
        moved = (one.offset or 0) if corrected else 0
        begins = (one.place - moved) / rate
        late = ((one.offset or 0) - moved) / rate if arrived is not None and not arrived.into else 0.0
        pace = float(one.pace) if corrected else 1.0
        reference, lying = one.reference, None
        apart = corrected and one.within is None and bool(one.found.steps)
        if arrived is not None and (arrived.into or apart):
            # Cut along what was changed since, or where it follows another cut: as both lie there.
            reference, lying = _lying(arrived, one)

        def waves(first: float, span: float, done: Callable[[Waves], None]) -> None:
            def work() -> Waves:
                count, start = round(span * RATE), round(first * RATE)
                # A second of the cut takes as much of it as it is played faster.
                place, long = round(first * RATE * pace) - round(begins * RATE), round(count * pace)
                came = lying.read(start, count) if lying is not None else one.signal.read(place, long)
                cut = reference.read(start, count) if reference is not None else np.zeros(count)
                return Waves(columns(cut), columns(came))

            self.session.pictures.ask("waves", work, done)

        assert arrived is not None
        done = moved_words(one) if corrected else ""
        words = done or sync_words(one, arrived.home.sequence)
        return Sounding(one.path.name, late, words, waves)

    def _version_chosen(self) -> None:
        self.session.laying.decide(into_sequence=self.version.currentText())

    def _decided(self, _key: str, remedy: str, _all: bool) -> None:
        """Something was decided of the file that is looked at."""
        row = self._current
        if row is None or row.path is None:
            return
        if remedy == Holds.EDIT:
            # It is said of the file that the track stands in.
            self.session.laying.tell(row.path.parent, remedy)
        elif remedy not in _DECIDED:
            self.session.laying.tell(row.path, remedy)
        else:
            self.session.laying.leave(row.path, remedy == _OUT)

    def _moved(self, on: bool) -> None:
        if self._arrived is not None:
            self.session.laying.decide(corrected=on)

    def go(self, row: Row) -> None:
        """Look at one."""
        self._current = row
        self.table.go_to(row)
        if row.item_id:
            self.ledger.select(row.item_id)
            if self.isVisible():
                # Its middle: at its ends there may be transitions.
                self.session.set_playhead(floor(Fraction(row.start + row.stop) / 2))
        why = "; ".join(filter(None, (f"known by {row.by}" if row.by else "", row.detail)))
        self.facts.show_words(f"{row.thing}", f"{row.track}   {self._place(row)}".strip(), row.words, why)
        if row.path is None:
            self.facts.show_remedies("", [], "", 0)
        elif not row.told:
            self.facts.show_remedies(row.file, [key for key, _ in row.choices], "", 0, dict(row.choices))
        else:
            now = _OUT if row.out else _IN
            self.facts.show_remedies(row.file, [_IN, _OUT], now, 0, _DECIDED, dict(row.choices))
        self.sheet.go_to(row)
        self._show_waves()
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
            self._place_waves()
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


def _lying(arrived: Arrived, one: Returned) -> tuple[Signal, Signal]:
    """What the later version lets hear where a sound went, and the sound as it lies there."""
    before, after = arrived.before, arrived.after
    own = {medium.id for medium in after.document.media if medium.path == str(one.path.resolve())}

    def is_it(track: Track) -> bool:
        return any(isinstance(item.content, MediaUse) and item.content.media in own for item in track.items)

    def signal(side: Side, here: Callable[[str, Track], bool]) -> Signal:
        tracks = tuple(
            replace(track, enabled=here(label, track)) if track.kind == "audio" else track
            for label, track in side.sequence.labelled_tracks()
        )
        only = replace(side.sequence, tracks=tracks)
        others = tuple(only if each.id == only.id else each for each in side.document.sequences)
        assert side.seen is not None
        return CutSignal(replace(side.document, sequences=others), only, side.seen.composer.locate, RATE)

    cut = signal(before, lambda label, track: track.enabled and label in one.tracks)
    return cut, signal(after, lambda _label, track: is_it(track))
