"""Return: what came back, held against what left."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum
from fractions import Fraction
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from wexodos.compare import Difference
from wexodos.desktop.asking import MOVIES, ask_file, ask_files, ask_folder, ask_target, near
from wexodos.desktop.session import Session
from wexodos.desktop.sides import Side
from wexodos.desktop.stops.arrived_rows import open_ones
from wexodos.desktop.stops.arriving import Arriving
from wexodos.desktop.stops.base import Stop, dim, ledger_page
from wexodos.desktop.stops.held import HeldPage
from wexodos.desktop.stops.paired import PairedPage
from wexodos.desktop.stops.screened import ScreenedPage
from wexodos.desktop.theme import palette
from wexodos.desktop.widgets.facts import Facts
from wexodos.desktop.widgets.ledger import Ledger
from wexodos.desktop.widgets.ledger_data import LedgerData, Mark, build
from wexodos.desktop.widgets.tables import Column, Table
from wexodos.formats import FORMATS
from wexodos.formats.opening import is_many
from wexodos.ground.names import safe_name
from wexodos.homecoming.patterns import pattern_of
from wexodos.homecoming.refusing import is_wanted, key_of
from wexodos.homecoming.wanted import Holds
from wexodos.homecoming.within import has_sound_in_it
from wexodos.job import Homecoming
from wexodos.report.rows import plain
from wexodos.tidy.step import counted
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


_MEDIA = frozenset({".mov", ".mp4", ".mxf", ".wav", ".aif", ".aiff", ".mkv", ".m4a", ".flac", ".avi"})
"""By these a dropped file is laid in, not compared."""


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


class ReturnStop(Stop):
    """The cut over what returned in the ledger, a table of differences, the facts of one at the
    playhead. What was lost on the way over is listed by itself, put back or not."""

    name = "Return"

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        self._current: Difference | None = None
        self._group = Group.CHANGED
        self._chosen = False
        self._sides: tuple[Side, Side] | None = None
        self.stack = QStackedWidget()
        # First of all: what is put into what stands is dressed once.
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.stack)
        empty = QWidget()
        box = QVBoxLayout(empty)
        box.addStretch(1)
        title = QLabel("Nothing has come back yet")
        title.setProperty("role", "title")
        box.addWidget(title, 0, Qt.AlignmentFlag.AlignHCenter)
        about = dim(
            "Open the sequence file that came back from the other side. It is held against the cut "
            "that was sent, frame by frame; what the other side could not hold is put back."
        )
        about.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        box.addWidget(about)
        button = QPushButton("Open a returned file…")
        button.clicked.connect(self.choose)
        box.addWidget(button, 0, Qt.AlignmentFlag.AlignHCenter)
        box.addSpacing(18)
        more = dim(
            "Or take in a folder of rendered clips, a mix, stems: each file is matched to its place, "
            "measured, and laid in; what it takes the place of stays.\n"
            "Or have a movie that was made of the cut held against it, every frame;\n"
            "or a sequence that is a pair with it: the other eye, another language."
        )
        more.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        box.addWidget(more)
        pair = QHBoxLayout()
        pair.addStretch(1)
        for words, ask in (
            ("Lay in a folder…", self.choose_folder),
            ("Lay in files…", self.choose_files),
            ("Check a movie…", self.choose_movie),
            ("Check a pair…", self.choose_pair),
            ("Rehearse at the far side…", lambda: self.asked_for.emit("rehearse")),
        ):
            one = QPushButton(words)
            one.clicked.connect(ask)
            pair.addWidget(one)
        pair.addStretch(1)
        box.addLayout(pair)
        box.addStretch(2)
        self.stack.addWidget(empty)
        self.stack.addWidget(self._full())
        self.arriving = Arriving(session, self.start_again, self._ways())
        self.with_waves(self.arriving.ledger)
        self.stack.addWidget(self.arriving)
        self.screened = ScreenedPage(session, session.screening.drop)
        self.with_waves(self.screened.ledger)
        self.stack.addWidget(self.screened)
        self.paired = PairedPage(session)
        self.with_waves(self.paired.ledger)
        self.stack.addWidget(self.paired)
        session.returned_changed.connect(self._show)
        session.opened.connect(self._show)
        session.playhead_changed.connect(self._playhead)

    def _full(self) -> QWidget:
        self.summary = QLabel()
        self.summary.setWordWrap(True)
        other = QPushButton("Open another…")
        other.clicked.connect(self.choose)
        self.as_tracks = QPushButton("Lay in its tracks")
        self.as_tracks.setToolTip("It is the tracks of a mix with their sound in it, and no edited cut")
        self.as_tracks.clicked.connect(self._lay_in_tracks)
        self.ledger = Ledger()
        self.with_waves(self.ledger)
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
        self.table.chosen.connect(self._go)
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
        row.addWidget(other)
        return ledger_page(head, self.ledger, self.table, self.facts)

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

    def choose(self) -> None:
        if self.session.job is None:
            self.session.said.emit("Take a cut in first; what came back is held against it.", True)
            return
        path = ask_file(self, "Open what came back", self.session.path)
        if path is not None:
            self.open(path)

    def choose_folder(self) -> None:
        """Ask for a folder with what came back."""
        self._asked(lambda: [ask_folder(self, "The folder that came back", near(self.session.path))])

    def choose_files(self) -> None:
        """Ask for files that came back."""
        self._asked(lambda: list(ask_files(self, "What came back", self.session.path)))

    def choose_movie(self) -> None:
        """Ask for a movie that was made of the cut, and hold it against it."""
        if self.session.job is None:
            self.session.said.emit("Take a cut in first; a movie is held against it.", True)
            return
        path = ask_file(self, "The movie that was made of the cut", self.session.path, MOVIES)
        if path is not None:
            self.session.pairing.drop()
            self.session.screening.check(path)

    def choose_pair(self) -> None:
        """Ask for the file of a sequence that is a pair with the cut, and hold it against it."""
        if self.session.job is None:
            self.session.said.emit("Take a cut in first; its pair is held against it.", True)
            return
        path = ask_file(self, "The sequence that is a pair with the cut", self.session.path)
        if path is not None:
            self.session.screening.drop()
            self.session.pairing.hold(path)

    def _asked(self, ask: Callable[[], list[Path | None]]) -> None:
        if self.session.job is None:
            self.session.said.emit("Take a cut in first; what came back is laid into it.", True)
            return
        paths = [path for path in ask() if path is not None]
        if paths:
            self.session.laying.take(paths)

    def _ways(self) -> QMenu:
        """What else can be laid in, and where."""
        menu = QMenu(self)
        menu.addAction("A folder that came later…", self.choose_folder)
        menu.addAction("Files that came later…", self.choose_files)
        menu.addSeparator()
        menu.addAction("Check a movie…", self.choose_movie)
        menu.addAction("Check a pair…", self.choose_pair)
        menu.addAction("Rehearse at the far side…", lambda: self.asked_for.emit("rehearse"))
        menu.addSeparator()
        menu.addAction("Into a later version of the cut…", self.choose_version)
        menu.addAction("Into the cut that left", lambda: self._into(""))
        menu.addSeparator()
        nested = menu.addAction("Keep tracks that came in a sequence nested")
        nested.setCheckable(True)
        nested.triggered.connect(lambda on: self.session.laying.decide(nested=on))
        menu.aboutToShow.connect(lambda: nested.setChecked(self.session.laying.wanted.nested))
        return menu

    def choose_version(self) -> None:
        """Ask for a later version of the cut, into which what came goes."""
        path = ask_file(self, "The later version of the cut", self.session.path)
        if path is not None:
            self._into(str(path.resolve()))

    def _into(self, path: str) -> None:
        self.session.laying.decide(into=path, into_sequence="")

    def start_again(self) -> None:
        """Back to where something else can be opened."""
        self.session.decide(home=Homecoming())
        self.session.laying.follow()
        self._show()

    def open(self, path: Path) -> None:
        """Hold a file against the cut that was sent."""
        self.session.laying.drop()
        self._group, self._chosen = Group.CHANGED, False
        self.session.decide(returned=str(path.resolve()), refused=(), home=Homecoming())

    def _lay_in_tracks(self) -> None:
        """What was taken for an edited cut is the tracks of a mix."""
        returned = self.session.home.returned
        if returned is not None:
            self.session.laying.take([returned.path], Holds.TRACKS)

    def dropped(self, paths: list[Path]) -> bool:
        """What is dropped here came back, once a cut is taken in."""
        if self.session.job is None or any(path.suffix == ".wexo" for path in paths):
            return False
        if len(paths) > 1 or paths[0].is_dir() or paths[0].suffix.lower() in _MEDIA:
            self.session.laying.take(paths)
            return True
        if is_many(paths[0]):
            return False
        self.open(paths[0])
        return True

    def bring_back(self) -> None:
        """Ask where the cut should go once what was lost is back in it."""
        side, returned = self.session.side, self.session.home.returned
        if side is None or returned is None:
            return
        target = self.session.home.home_destination()
        suffix = FORMATS[target.format].suffix
        path = ask_target(
            self,
            "Save the cut that came home",
            returned.path.with_name(f"{safe_name(side.sequence.name)} home{suffix}"),
            f"{FORMATS[target.format].label} (*{suffix})",
        )
        if path is not None:
            self.write_home(path)

    def write_home(self, path: Path) -> None:
        """Put everything back and write the cut, in the background."""

        def done(count: int) -> None:
            words = f"{path} is saved with {counted(count, 'thing')} put back; read back and compared"
            self.session.said.emit(words, False)

        self.session.home.bring_home(path, done)

    def save_arrived(self) -> None:
        """Ask where the cut with what came should go, and write it."""
        side, source = self.session.side, self.session.path
        if side is None or source is None:
            return
        kind = FORMATS[self.session.home.home_destination().format]
        name = f"{safe_name(side.sequence.name)} home{kind.suffix}"
        path = ask_target(
            self, "Save the cut that came home", source.with_name(name), f"{kind.label} (*{kind.suffix})"
        )
        if path is not None:
            words = f"{path} is saved with what came laid in; read back and compared"
            self.session.laying.save(path, lambda: self.session.said.emit(words, False))

    @property
    def _held(self) -> HeldPage | None:
        """The page of what is held against the cut, where something is."""
        if self.session.pairing.paired is not None:
            return self.paired
        return self.screened if self.session.screening.screened is not None else None

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

    def _show(self) -> None:
        returned, side = self.session.home.returned, self.session.side
        arrived = self.session.laying.arrived
        screened, paired = self.session.screening.screened, self.session.pairing.paired
        page = 1 if returned is not None and side is not None else 0
        self.as_tracks.setVisible(returned is not None and has_sound_in_it(returned.side.document))
        page = 2 if arrived is not None else page
        page = 3 if screened is not None else page
        self.stack.setCurrentIndex(4 if paired is not None else page)
        self.screened.show_screened(screened)
        self.paired.show_paired(paired)
        self.arriving.show_arrived(arrived)
        if arrived is not None or self._held is not None:
            self.changed.emit()
            return
        if returned is None or side is None:
            self.ledger.show_data(LedgerData())
            self.changed.emit()
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
        self.changed.emit()

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
            self._go(next((one for one in found if key_of(one) == kept), usual))
        else:
            self.facts.show_words(self.table.empty_words.capitalize(), "", "", "")
            self.facts.show_remedies("", [], "", 0)
            self._refresh()

    def _go(self, difference: Difference) -> None:
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
        self._refresh()

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
        self._refresh(wanted)

    def _mark_chosen(self, key: str) -> None:
        found = self._lists()[self._group]
        if key.isdigit() and int(key) < len(found):
            self._go(found[int(key)])

    def _playhead(self, frame: int) -> None:
        self.arriving.playhead(frame)
        for held in (self.screened, self.paired):
            held.playhead(frame)
        self.ledger.set_playhead(frame)
        if self.isVisible():
            self._refresh()

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self.arriving.refresh()
        self.screened.refresh()
        self.paired.refresh()
        self._refresh()

    def _refresh(self, item_id: str = "") -> None:
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

    def go_next(self, direction: int) -> None:
        if (held := self._held) is not None:
            held.go_next(direction)
            return
        if self.session.laying.arrived is not None:
            self.arriving.go_next(direction)
            return
        rows = self.table.visible_rows()
        if rows:
            place = rows.index(self._current) if self._current in rows else (-1 if direction > 0 else 0)
            self._go(rows[(place + direction) % len(rows)])

    def look_up(self, words: str) -> bool:
        wanted = words.lower()
        for row in self.table.visible_rows():
            if wanted in f"{row.item} {row.kind} {row.what}".lower():
                self._go(row)
                return True
        return False

    def main_action(self) -> tuple[str, bool]:
        if self.session.pairing.paired is not None:
            return "Check another pair…", True
        if self.session.screening.screened is not None:
            return "Check another movie…", True
        if self.session.laying.arrived is not None:
            return "Save the cut that came home…", bool(self.session.laying.arrived.home.laid)
        if self.session.home.returned is not None:
            return "Save the cut that came home…", True
        return "Open a returned file…", self.session.job is not None

    def run_main(self) -> None:
        if self.session.pairing.paired is not None:
            self.choose_pair()
            return
        if self.session.screening.screened is not None:
            self.choose_movie()
            return
        if self.session.laying.arrived is not None:
            self.save_arrived()
        elif self.session.home.returned is not None:
            self.bring_back()
        else:
            self.choose()

    def open_count(self) -> tuple[int, bool, bool]:
        returned, arrived = self.session.home.returned, self.session.laying.arrived
        if (held := self._held) is not None:
            return len(held.rows), bool(held.rows), not held.rows
        if arrived is not None:
            count = open_ones(arrived.home, arrived.corrected)
            return count, bool(count), not count
        if returned is None:
            return 0, False, False
        count = len(returned.differences)
        return count, any(one.kind == "gone" for one in returned.differences), not count

    def restyle(self) -> None:
        self.ledger.refresh()
        self.arriving.ledger.refresh()
        self.screened.ledger.refresh()
        self.paired.ledger.refresh()
        self._refresh()
