"""An edited cut that came back, held against what left: what was changed over there, what is put back, what
did not come back."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum
from fractions import Fraction

from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from wexodos.compare import Difference
from wexodos.desktop.session import Session
from wexodos.desktop.sides import Side
from wexodos.desktop.stops.base import ledger_page
from wexodos.desktop.theme import palette
from wexodos.desktop.widgets.facts import Facts
from wexodos.desktop.widgets.ledger import Ledger
from wexodos.desktop.widgets.ledger_data import LedgerData, Mark, build
from wexodos.desktop.widgets.tables import Column, Table
from wexodos.homecoming.patterns import pattern_of
from wexodos.homecoming.refusing import is_wanted, key_of
from wexodos.homecoming.wanted import Holds
from wexodos.homecoming.within import has_sound_in_it
from wexodos.report.rows import plain
from wexodos.timing import floor

_FATE = {
    "gone": "left behind",
    "added": "baked",
    "moved": "adapted",
    "trimmed": "adapted",
    "slipped": "adapted",
    "changed": "adapted",
    "retitled": "adapted",
    "settings": "noted",
}
"""Differences borrow the fates' shapes: gone is gone, added is new, the rest is changed."""


_TAKE, _REFUSE = "take", "refuse"
_CHOICE = {_TAKE: "Take it", _REFUSE: "Refuse it"}


class Group(Enum):
    """What the table lists: what was changed over there, what comes home again, what did not come back."""

    CHANGED = "changed over there"
    LAID = "put back"
    MISSING = "did not come back"


_HEADS = {
    Group.CHANGED: ("before", "returned"),
    Group.LAID: ("came back as", "comes home as"),
    Group.MISSING: ("sent", "returned"),
}


def shown(value: object) -> str:
    """A value of a difference, short enough to read."""
    value = plain(value)
    if value is None:
        return "–"
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, list):
        return ", ".join((_within(one) or "plain") if isinstance(one, list) else shown(one) for one in value)
    return f"{value:g}" if isinstance(value, float) else str(value).replace("\n", " / ")


def _within(value: list[object]) -> str:
    """A list in a list, such as the look of a line of words, by what it says."""
    told = [one for one in value if not isinstance(one, bool) and one is not None]
    words = [_within(one) if isinstance(one, list) else shown(one) for one in told]
    return " ".join(filter(None, words))


def _thing(difference: Difference) -> str:
    """What a difference is about; the name of a transition is a dialect's word for it."""
    return "transition" if difference.what == "transition" else difference.item or "sequence"


class EditedPage(QWidget):
    """The cut over what returned in the ledger, a table of differences, the facts of one at the
    playhead. What was lost on the way over is listed by itself, put back or not."""

    def __init__(self, session: Session, other: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._current: Difference | None = None
        self._group = Group.CHANGED
        self._chosen = False
        self._sides: tuple[Side, Side] | None = None
        self.summary = QLabel()
        self.summary.setWordWrap(True)
        another = QPushButton("Open another…")
        another.clicked.connect(other)
        self.as_tracks = QPushButton("Lay in its tracks")
        self.as_tracks.setToolTip("It is the tracks of a mix with their sound in it, and no edited cut")
        self.as_tracks.clicked.connect(self._lay_in_tracks)
        self.ledger = Ledger()
        self.ledger.playhead_moved.connect(self.session.set_playhead)
        self.ledger.item_chosen.connect(self._item_chosen)
        self.ledger.mark_chosen.connect(self._mark_chosen)
        self.table = Table(
            [
                Column(
                    "where", lambda d: str(self._timecode(d)), 112, mono=True, order=lambda d: float(d.start)
                ),
                Column("track", lambda d: d.track, 48),
                Column("thing", _thing, 140),
                Column(
                    "difference",
                    lambda d: f"{d.kind}: {d.what}",
                    160,
                    color=lambda d: palette().fate(_FATE[d.kind]),
                ),
                Column("goes home", self._goes_home, 96),
                Column("before", lambda d: self._value(d, d.before), 160, stretch=True),
                Column("returned", lambda d: self._value(d, d.after), 160, stretch=True),
                Column(
                    "largest",
                    lambda d: f"{d.deviation[0]:g} {d.deviation[1]}" if d.deviation else "",
                    86,
                    mono=True,
                    right=True,
                    order=lambda d: d.deviation[0] if d.deviation else 0.0,
                ),
            ],
            "Differences",
        )
        self.table.empty_words = "no differences"
        self.table.chosen.connect(self.go)
        self.facts = Facts(self.session.pictures, "return")
        self.facts.call("before", "returned")
        self.facts.remedy_asked.connect(self._decided)
        head, row = QVBoxLayout(), QHBoxLayout()
        head.addWidget(self.summary)
        head.addLayout(row)
        self.groups: dict[Group, QPushButton] = {}
        for group, about in (
            (Group.CHANGED, "What somebody did to the cut over there"),
            (
                Group.LAID,
                "Titles, filters, angles and all else the other side could not hold, where nobody touched it",
            ),
            (Group.MISSING, "Clips that were sent and are not in what came back"),
        ):
            button = QPushButton()
            button.setCheckable(True)
            button.setToolTip(about)
            button.clicked.connect(lambda _on=False, one=group: self.show_group(one))
            self.groups[group] = button
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(self.as_tracks)
        row.addWidget(another)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(ledger_page(head, self.ledger, self.table, self.facts))

    def _timecode(self, difference: Difference) -> object:
        side = self.session.side
        return side.sequence.timecode(floor(difference.start)) if side is not None else ""

    def _value(self, difference: Difference, value: object) -> str:
        """A value as a practitioner says it: places as timecode, figures with their unit."""
        side = self.session.side
        number = isinstance(value, int | float | Fraction) and not isinstance(value, bool)
        if number and side is not None and difference.what in ("record start", "record end"):
            return str(side.sequence.timecode(floor(value)))  # type: ignore[arg-type]
        if number and difference.what in ("source in", "source frames"):
            return f"frame {shown(value)}"
        words = shown(value)
        unit = difference.deviation[1] if difference.deviation is not None else ""
        if difference.what == "level":
            unit = "dB"
        figure = number or (isinstance(value, list | tuple) and bool(value))
        return f"{words} {unit}" if figure and unit and not words.endswith(unit) else words

    def _lay_in_tracks(self) -> None:
        """What was taken for an edited cut is the tracks of a mix."""
        returned = self.session.home.returned
        if returned is not None:
            self.session.laying.take([returned.path], Holds.TRACKS)

    def _lists(self) -> dict[Group, list[Difference]]:
        """The differences of each group."""
        returned = self.session.home.returned
        if returned is None:
            return {group: [] for group in Group}
        gone = [
            Difference("gone", one.what, one.item, "", one.track, one.start, one.stop, one.item, None)
            for one in returned.home.missing
        ]
        return {Group.CHANGED: returned.differences, Group.LAID: returned.laid, Group.MISSING: gone}

    def afresh(self) -> None:
        """Another file is looked at: what is listed follows what there is."""
        self._group, self._chosen = Group.CHANGED, False

    def show_returned(self) -> None:
        """Show what came back now; nothing where nothing did."""
        returned, side = self.session.home.returned, self.session.side
        self.as_tracks.setVisible(returned is not None and has_sound_in_it(returned.side.document))
        if returned is None or side is None:
            self.ledger.show_data(LedgerData())
            return
        lists = self._lists()
        if not self._chosen:
            # What somebody did first; where nobody did anything what comes home.
            self._group = Group.CHANGED if lists[Group.CHANGED] or not lists[Group.LAID] else Group.LAID
        for group, button in self.groups.items():
            button.setText(f"{len(lists[group])} {group.value}")
            button.setChecked(group is self._group)
        self.summary.setText(f"<b>{returned.path.name}</b> against <b>{side.sequence.name}</b>")
        self._show_group()

    def show_group(self, group: Group) -> None:
        """List one of the groups."""
        self._group, self._chosen = group, True
        for one, button in self.groups.items():
            button.setChecked(one is group)
        self._show_group()

    def _show_group(self) -> None:
        returned, side = self.session.home.returned, self.session.side
        if returned is None or side is None:
            return
        found = self._lists()[self._group]
        fates = {one.item_id: _FATE[one.kind] for one in found}
        back = {other: one for one, other in returned.partners.items()}
        laid = self._group is Group.LAID
        first, second = (returned.side, returned.home_side) if laid else (side, returned.side)
        data = build(
            first.sequence,
            second.sequence,
            lambda item: fates.get(item.id, ""),
            lambda item: fates.get(item.id if laid else back.get(item.id, item.id), ""),
            [] if laid else returned.threads,
            (first.document, second.document),
        )
        for number, one in enumerate(found):
            row = data.row_of(one.track)
            if row is not None:
                data.marks.append(Mark(str(number), row, float(one.start), float(one.stop), _FATE[one.kind]))
        self.ledger.show_data(data)
        self.ledger.set_playhead(self.session.playhead, follow=False)
        before, after = _HEADS[self._group]
        self.table.call({5: before, 6: after})
        self.facts.call(before, after)
        self.table.empty_words = {
            Group.CHANGED: "nobody changed anything over there",
            Group.LAID: "nothing was lost on the way over that has to be put back",
            Group.MISSING: "everything that was sent came back",
        }[self._group]
        self.table.show_rows(list(found))
        self._sides = (first, second)
        kept = key_of(self._current) if self._current is not None else ""
        self._current = None
        if found:
            usual = next((one for one in found if one.kind != "settings"), found[0])
            self.go(next((one for one in found if key_of(one) == kept), usual))
        else:
            self.facts.show_words(self.table.empty_words.capitalize(), "", "", "")
            self.facts.show_remedies("", [], "", 0)
            self.refresh()

    def go(self, difference: Difference) -> None:
        """Look at one."""
        self._current = difference
        self.table.go_to(difference)
        self.ledger.select(difference.item_id, difference.track)
        if self.isVisible() or self.session.playhead == 0:
            self.session.set_playhead(floor(difference.start))
        place = f"{difference.track}   {self._timecode(difference)}"
        far = (
            f" (off by up to {difference.deviation[0]:g} {difference.deviation[1]})"
            if difference.deviation
            else ""
        )
        self.facts.show_words(
            f"{_thing(difference)} · {difference.kind}",
            place.strip(),
            f"{difference.what}: {self._value(difference, difference.before)} → "
            f"{self._value(difference, difference.after)}{far}",
            self._stuck(difference),
        )
        self._show_choice(difference)
        self.refresh()

    def _goes_home(self, difference: Difference) -> str:
        """Whether a change comes home, or is taken back."""
        returned = self.session.home.returned
        if returned is None or self._group is not Group.CHANGED:
            return ""
        return "as it was" if key_of(difference) in returned.undone else "changed"

    def _stuck(self, difference: Difference) -> str:
        """Why a change that was refused comes home all the same."""
        returned = self.session.home.returned
        why = returned.stuck.get(key_of(difference), "") if returned is not None else ""
        return f"It cannot be refused: {why}." if why else ""

    def _show_choice(self, difference: Difference) -> None:
        """Let a change be taken or refused, and all of its kind."""
        if self._group is not Group.CHANGED or self.session.job is None:
            self.facts.show_remedies("", [], "", 0)
            return
        now = _REFUSE if is_wanted(difference, frozenset(self.session.job.now.refused)) else _TAKE
        alike = len(self._alike(difference))
        self.facts.show_remedies(key_of(difference), [_TAKE, _REFUSE], now, alike, _CHOICE)

    def _alike(self, difference: Difference) -> list[Difference]:
        """The changes of the same known pattern; of one that is none those of its kind that are none."""
        mine = difference.kind, pattern_of(difference)
        found = self._lists()[Group.CHANGED]
        return [one for one in found if (one.kind, pattern_of(one)) == mine]

    def _decided(self, key: str, choice: str, for_all: bool) -> None:
        """A change was taken or refused, or all of its kind."""
        if self.session.job is None:
            return
        current = self._current if for_all else None
        keys = {key_of(one) for one in self._alike(current)} if current is not None else {key}
        rest = [one for one in self.session.job.now.refused if one not in keys]
        self.session.decide(refused=(*rest, *sorted(keys)) if choice == _REFUSE else tuple(rest))

    def _item_chosen(self, item_id: str) -> None:
        returned = self.session.home.returned
        if returned is None:
            return
        back = {other: one for one, other in returned.partners.items()}
        wanted = item_id if item_id in returned.partners else back.get(item_id, item_id)
        found = next((one for one in self._lists()[self._group] if one.item_id == wanted), None)
        if found is not None:
            self._current = found
            self.table.go_to(found)
        self.session.select(wanted)
        self.refresh(wanted)

    def _mark_chosen(self, key: str) -> None:
        found = self._lists()[self._group]
        if key.isdigit() and int(key) < len(found):
            self.go(found[int(key)])

    def refresh(self, item_id: str = "") -> None:
        """Show both states again, of the item at hand or of another."""
        session, returned = self.session, self.session.home.returned
        if returned is None or self._sides is None:
            return
        wanted = item_id or (self._current.item_id if self._current is not None else "")
        self.facts.show_states(
            *self._sides,
            session.playhead,
            wanted,
            wanted if self._group is Group.LAID else returned.partners.get(wanted, ""),
            session.playing,
        )

    def playhead(self, frame: int) -> None:
        """The playhead moved."""
        self.ledger.set_playhead(frame)
        if self.isVisible():
            self.refresh()

    def go_next(self, direction: int) -> None:
        """To the next or previous difference."""
        rows = self.table.visible_rows()
        if rows:
            place = rows.index(self._current) if self._current in rows else (-1 if direction > 0 else 0)
            self.go(rows[(place + direction) % len(rows)])

    def look_up(self, words: str) -> bool:
        """Go to the first row with these words; False where there is none."""
        wanted = words.lower()
        for row in self.table.visible_rows():
            if wanted in f"{row.item} {row.kind} {row.what}".lower():
                self.go(row)
                return True
        return False
