"""Carry-over: what will become of every thing, measured on the file that was written."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QSize
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QHBoxLayout, QMenu, QVBoxLayout, QWidget

from wexodos.carryover import Finding, Row, rows, thing_of
from wexodos.desktop.session import Session
from wexodos.desktop.stops.base import Stop, ledger_page
from wexodos.desktop.theme import fate_icon, palette
from wexodos.desktop.widgets.counters import Counters
from wexodos.desktop.widgets.facts import Facts, layer_of
from wexodos.desktop.widgets.ledger import Ledger
from wexodos.desktop.widgets.ledger_data import LedgerData, Mark, build
from wexodos.desktop.widgets.opening import OpeningTable
from wexodos.desktop.widgets.tables import Column
from wexodos.evaluate import state_at
from wexodos.model import Item
from wexodos.settling.vocabulary import Kind
from wexodos.timing import floor

_GRAVITY = {"": 0, "carried": 0, "adapted": 1, "baked": 2, "noted": 3, "left behind": 4}


class CarryStop(Stop):
    """The central screen."""

    name = "Carry-over"

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        self.counters = Counters()
        self.counters.filtered.connect(self._filter)
        self.ledger = Ledger()
        self.with_waves(self.ledger)
        self.ledger.playhead_moved.connect(session.set_playhead)
        self.ledger.item_chosen.connect(self._item_chosen)
        self.ledger.mark_chosen.connect(self._mark_chosen)
        self.table = OpeningTable(
            [
                Column(
                    "where",
                    lambda f: str(self._timecode(f.start)),
                    132,
                    mono=True,
                    order=lambda f: float(f.start),
                ),
                Column("track", _track, 60),
                Column("thing", _thing, 158),
                Column(
                    "fate",
                    _fate,
                    98,
                    icon=lambda f: fate_icon(f.fate.value, palette()),
                    color=lambda f: palette().left if not f.explained else palette().fate(f.fate.value),
                ),
                Column("why", _why, 260, stretch=True, color=lambda _f: palette().dim),
                Column(
                    "remedy",
                    lambda f: (f.remedy.value + (" ▾" if len(f.remedies) > 1 else "")) if f.remedy else "",
                    70,
                ),
                Column(
                    "min", lambda f: f"{f.minutes:g}", 40, mono=True, order=lambda f: f.minutes, right=True
                ),
            ],
            "Findings",
        )
        self.table.empty_words = "everything is carried over as it was"
        self._filter(None)
        self.table.setIconSize(QSize(13, 13))
        self.table.chosen.connect(self._finding_chosen)
        self.table.clicked.connect(self._clicked)
        self.facts = Facts(session.pictures, "carry")
        self.facts.remedy_asked.connect(self._remedy)
        self._current: Finding | Row | None = None
        self._rows: tuple[Row, ...] = ()
        self._shown = False
        # From which end the findings of the next sequence are entered.
        self._coming = 0
        row = QHBoxLayout()
        row.addWidget(self.counters)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(ledger_page(row, self.ledger, self.table, self.facts))
        session.opened.connect(self._opened)
        session.carried_changed.connect(self._show)
        session.playhead_changed.connect(self._playhead)
        session.selection_changed.connect(lambda _id: self._refresh_facts())

    def _timecode(self, frame: object) -> object:
        side = self.session.side
        return side.sequence.timecode(floor(frame)) if side is not None else ""  # type: ignore[arg-type]

    def _opened(self) -> None:
        self._current, self._shown, self._rows = None, False, ()
        side = self.session.side
        self.ledger.show_data(build(side.sequence, None) if side is not None else LedgerData())
        self.ledger.fit()
        self.table.show_rows([])
        self.facts.show_words("", "", "", "")
        self.facts.show_remedies("", [], "", 0)

    def _show(self) -> None:
        carried, side = self.session.carried, self.session.side
        self._rows = rows(carried.findings) if carried is not None else ()
        if carried is None or side is None:
            self.table.show_rows([])
            self.counters.show_counts({}, None)
            self.changed.emit()
            return
        worst: dict[str, str] = {}
        for finding in carried.findings:
            if _GRAVITY[finding.fate.value] > _GRAVITY[worst.get(finding.item_id, "")]:
                worst[finding.item_id] = finding.fate.value

        def fate(item: Item) -> str:
            return worst.get(item.id, "carried")

        after = carried.returned_sequence
        stands = {item.id: label for label, track in after.labelled_tracks() for item in track.items}
        partners = [
            (label, stands[item.id], float(item.start))
            for label, track in side.sequence.labelled_tracks()
            for item in track.items
            if stands.get(item.id, label) != label
        ]
        data = build(side.sequence, after, fate, fate, partners, (side.document, carried.returned))
        for finding in carried.findings:
            row = data.row_of(finding.track)
            if row is not None and not finding.closely:
                data.marks.append(
                    Mark(finding.key, row, float(finding.start), float(finding.stop), finding.fate.value)
                )
        self.ledger.show_data(data)
        self.ledger.set_playhead(self.session.playhead, follow=False)
        self.table.show_rows([(row, row.findings) if row.many > 1 else (row.first, ()) for row in self._rows])
        self.counters.show_counts(carried.counts, carried.minutes, _closely(self._rows))
        self._current = self._again(self._current)
        shown, coming, self._coming = self.table.visible_rows(), self._coming, 0
        if self._current is None and coming and shown:
            self.go(shown[0 if coming > 0 else -1])
        open_findings = [one for one in carried.findings if not one.closely]
        if self._current is None and open_findings:
            self._current = max(
                open_findings, key=lambda one: (not one.explained, one.minutes, len(one.remedies) > 1)
            )
            if self.isVisible():
                self.go(self._current)
        elif self._current is not None:
            self.table.go_to(self._current)
        self._explain()
        self._refresh_facts()
        self.changed.emit()

    def _again(self, thing: Finding | Row | None) -> Finding | Row | None:
        """The same finding in the plan that is shown now, or the row it is gathered in now."""
        key = _finding(thing).key if thing is not None else ""
        for row in self._rows:
            for one in row.findings:
                if one.key == key:
                    return row if isinstance(thing, Row) and row.many > 1 else one
        return None

    # ---- going places

    def go(self, thing: Finding | Row) -> None:
        """Go to a finding, or to the first of a row: table, ledger, playhead and facts."""
        self._current = thing
        self.table.go_to(thing)
        finding = _finding(thing)
        wanted = self._item_of(finding)
        self.ledger.select(wanted, finding.track)
        self.session.set_playhead(self._seen_at(finding, wanted))
        self.session.select(wanted)
        self._explain()
        self._refresh_facts()

    def _seen_at(self, finding: Finding, item_id: str) -> int:
        """A frame at which a finding can be seen: in the middle of it, or else where its clip is on screen;
        its first frame where that is nowhere."""
        side = self.session.side
        first, last = floor(finding.start), max(floor(finding.start), floor(finding.stop) - 1)
        if side is None or not item_id or finding.kind is Kind.MARKER:
            return first
        tries = (first + last) // 2, first + (last - first) // 4, first + (last - first) * 3 // 4, first
        for frame in dict.fromkeys(tries):
            if layer_of(state_at(side.evaluator, side.sequence, frame), item_id) is not None:
                return frame
        return tries[0]

    def _item_of(self, finding: Finding) -> str:
        """The item a finding is about: its own, or for a transition one of its neighbours."""
        side = self.session.side
        if side is None:
            return finding.item_id
        beside = [
            item.id
            for track in side.sequence.tracks
            for join in track.transitions
            if join.id == finding.item_id
            for item in sorted(track.items, key=lambda one, at=join.cut: one.start != at)  # type: ignore[misc]
            if join.cut in (item.start, item.end)
        ]
        known = {item.id for item in side.sequence.items()}
        asked = (finding.item_id, *sorted(finding.touched), *beside)
        return next((one for one in asked if one in known), finding.item_id)

    def _finding_chosen(self, thing: Finding | Row) -> None:
        self.go(thing)

    def _mark_chosen(self, key: str) -> None:
        carried = self.session.carried
        found = (
            next((one for one in carried.findings if one.key == key), None) if carried is not None else None
        )
        if found is not None:
            self.go(found)

    def _item_chosen(self, item_id: str) -> None:
        self.session.select(item_id)
        carried = self.session.carried
        found = (
            next((one for one in carried.findings if one.item_id == item_id), None)
            if carried is not None and item_id
            else None
        )
        self._current = found
        if found is not None:
            self.table.go_to(found)
        self._explain()
        self._refresh_facts()

    def _playhead(self, frame: int) -> None:
        self.ledger.set_playhead(frame)
        if self.isVisible():
            self._refresh_facts()

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        if self._current is not None and not self._shown:
            self._shown = True
            self.go(self._current)
        self._refresh_facts()

    def go_next(self, direction: int) -> None:
        shown = self.table.visible_rows()
        now = self.table.current_row()
        place = next((place for place, one in enumerate(shown) if one is now), -1 if direction > 0 else 0)
        if not 0 <= place + direction < len(shown) and self.session.reels.several:
            # On in the next of several sequences, from its end.
            self._coming = direction
            self.session.reels.step(direction, around=True)
        elif shown:
            self.go(shown[(place + direction) % len(shown)])

    def look_up(self, words: str) -> bool:
        wanted = words.lower()
        for one in (finding for row in self._rows for finding in row.findings):
            if wanted in f"{one.item} {one.what} {one.why} {one.kind} {one.fate.value}".lower():
                self.go(one)
                return True
        return False

    # ---- what is said

    def _explain(self) -> None:
        finding, side = self._current, self.session.side
        if finding is None or side is None:
            name = self._item_name()
            self.facts.show_words(
                name or "Nothing chosen",
                "" if name else "Choose a finding below or a clip in the ledger.",
                "Carried over as it was." if name else "",
                "",
            )
            self.facts.show_remedies("", [], "", 0)
            return
        begins = self._timecode(finding.start)
        when = (
            f"first at {begins}" if isinstance(finding, Row) else f"{begins} – {self._timecode(finding.stop)}"
        )
        place = f"{_track(finding)}   {when}"
        why = _why(finding)
        self.facts.show_words(
            f"{_thing(finding)}: {_fate(finding)}",
            place.strip(),
            f"{why[:1].upper()}{why[1:]}.",
            f"There: {finding.do}." if finding.do else "",
        )
        carried = self.session.carried
        # What is chosen for a row is chosen for all that is in it.
        alike = (
            sum(one.kind == finding.kind and one.what == finding.what for one in carried.findings)
            if carried is not None and isinstance(finding, Finding)
            else 0
        )
        self.facts.show_remedies(
            finding.key,
            [one.value for one in finding.remedies],
            finding.remedy.value if finding.remedy else "",
            alike,
        )

    def _item_name(self) -> str:
        side, wanted = self.session.side, self.session.selection
        found = (
            next((item for item in side.sequence.items() if item.id == wanted), None)
            if side is not None and wanted
            else None
        )
        return found.name or found.kind if found is not None else ""

    def _refresh_facts(self) -> None:
        session = self.session
        self.facts.show_states(
            session.side,
            session.after,
            session.playhead,
            session.selection,
            session.selection,
            session.playing,
        )

    # ---- remedies

    def _clicked(self, index) -> None:  # type: ignore[no-untyped-def]
        if self.table.gathered.columns[index.column()].head != "remedy":
            return
        finding = self.table.current_row()
        if isinstance(finding, Finding | Row) and len(finding.remedies) > 1:
            self.remedy_menu(finding).exec(
                self.table.viewport().mapToGlobal(self.table.visualRect(index).bottomLeft() + QPoint(0, 2))
            )

    def remedy_menu(self, finding: Finding | Row) -> QMenu:
        """The choices for one finding and for all like it, or for all in a row."""
        menu = QMenu(self)
        for for_all in (False, True) if isinstance(finding, Finding) else (False,):
            if for_all:
                menu.addSeparator()
            for remedy in finding.remedies:
                words = f"{remedy.value} all “{finding.what}”" if for_all else remedy.value
                action = QAction(words, menu)
                action.setCheckable(not for_all)
                action.setChecked(not for_all and remedy is finding.remedy)
                action.triggered.connect(
                    lambda _on=False, one=remedy, every=for_all: self._remedy(finding.key, one.value, every)
                )
                menu.addAction(action)
        return menu

    def _remedy(self, key: str, remedy: str, for_all: bool) -> None:
        row = next((one for one in self._rows if one.many > 1 and one.key == key), None)
        if row is not None:
            self.session.choose_remedy([one.key for one in row.findings], remedy)
            return
        kind, what, _ = key.split("|", 2)
        self.session.choose_remedy([key], remedy, f"{kind}|{what}" if for_all else "")

    # ---- the shell asks

    def _filter(self, fates: set[str] | None) -> None:
        # What is carried closely is listed when it is asked for.
        self.table.filter_rows(
            (lambda row: not row.closely) if fates is None else lambda row: row.fate.value in fates
        )
        self.ledger.filter_fates(fates)

    def toggle_fate(self, number: int) -> None:
        self.counters.toggle(number)

    def main_action(self) -> tuple[str, bool]:
        return "Write turnover", self.session.carried is not None

    def run_main(self) -> None:
        self.asked_for.emit("Turnover")

    def open_count(self) -> tuple[int, bool, bool]:
        if self.session.carried is None:
            return 0, False, False
        reels = self.session.reels.all()
        open_rows = sum(one.open for one in reels)
        wrong = any(one.problem or (one.carried is not None and one.carried.errors) for one in reels)
        return open_rows, wrong, not open_rows and not self.session.reels.waiting

    def restyle(self) -> None:
        self.counters.restyle()
        self.ledger.refresh()
        self._refresh_facts()


def _finding(thing: Finding | Row) -> Finding:
    return thing.first if isinstance(thing, Row) else thing


def _thing(thing: Finding | Row) -> str:
    return thing.thing if isinstance(thing, Row) else thing_of(thing)


def _track(thing: Finding | Row) -> str:
    return thing.tracks if isinstance(thing, Row) else thing.track


def _why(thing: Finding | Row) -> str:
    far = thing.deviation
    return thing.why + (f", off by up to {far[0]:g} {far[1]}" if far else "")


def _fate(thing: Finding | Row) -> str:
    if not thing.explained:
        return "error"
    return "closely" if thing.closely else thing.fate.value


def _closely(found: tuple[Row, ...]) -> str:
    """What is carried closely, in a sentence: how many, and how far off at most."""
    close = [row for row in found if row.closely]
    far = ", ".join(
        f"{row.deviation[0]:g} {row.deviation[1]} in {row.what}" for row in close if row.deviation
    )
    return f"{sum(row.many for row in close)} of them closely, off by up to {far}" if close else ""
