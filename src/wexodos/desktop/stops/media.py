"""Media: every file the cut needs, where it is, whether it is the right one."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QSplitter, QVBoxLayout, QWidget

from wexodos.desktop.asking import ask_file, ask_folder, near
from wexodos.desktop.session import Session
from wexodos.desktop.stops.base import Stop, dim
from wexodos.desktop.theme import palette
from wexodos.desktop.widgets.candidates import Candidates
from wexodos.desktop.widgets.facts import clear
from wexodos.desktop.widgets.flow import Flow
from wexodos.desktop.widgets.search_rules import SearchRules
from wexodos.desktop.widgets.tables import Column, Table, column_menu
from wexodos.footage.tables import SUFFIXES as TABLES
from wexodos.ground.names import size_words
from wexodos.media import STATUSES, Misfit, Row, Use, key_of
from wexodos.media.probe import Probed
from wexodos.media.sheet import changed_words, codec_words, colour_words, fields_words
from wexodos.model import Media
from wexodos.picture.colour import SPACES
from wexodos.timing import floor


def _color(row: Row) -> str | None:
    if row.status == "found":
        return palette().dim
    return palette().left if row.path is None or row.status in ("damaged",) else palette().adapted


def _size(row: Row) -> str:
    facts = row.facts
    if facts is not None and facts.width:
        return f"{facts.width}×{facts.height}"
    return f"{row.media.width}×{row.media.height}" if row.media.width else ""


def _rate(row: Row) -> str:
    if row.media.still:
        return "still"
    rate = (row.facts.frames_per_second if row.facts is not None else None) or (
        row.media.rate if row.need.picture else None
    )
    return rate.label() if rate is not None else ""


def _sound(row: Row) -> str:
    facts = row.facts
    rate = (facts.sample_rate if facts is not None else 0) or row.media.sample_rate
    return f"{rate / 1000:g}" if rate and row.need.sound else ""


def _bits(row: Row) -> str:
    facts = row.facts
    if row.need.sound:
        bits = (facts.sample_bits if facts is not None else 0) or row.media.bit_depth
    else:
        bits = facts.bits if facts is not None else row.media.bit_depth
    return str(bits) if bits else ""


def _used(row: Row) -> str:
    """How much of it the cut uses, from the first to the last frame of it."""
    low, high = row.need.low, row.need.high
    return _span(float(high - low)) if low is not None and high is not None else ""


def _length(row: Row) -> str:
    length = row.facts.length if row.facts is not None else None
    return _span(float(length)) if length is not None else ""


def _span(seconds: float) -> str:
    """A length as minutes and seconds."""
    minutes, rest = divmod(seconds, 60)
    return f"{int(minutes)}:{rest:04.1f}"


def _timecode(row: Row) -> str:
    if row.facts is not None and row.facts.timecode:
        return row.facts.timecode
    code = row.media.timecode(0)
    return str(code) if code is not None and not row.media.still else ""


def _said(words: Callable[[Probed], str]) -> Callable[[Row], str]:
    """What a file says, where there is one that can be read."""
    return lambda row: words(row.facts) if row.facts is not None and not row.facts.problem else ""


class MediaStop(Stop):
    """The table, the search rules as a sentence, the candidates of the chosen row, and what will not fit the
    other side."""

    name = "Media"

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        self.rules = SearchRules()
        self.rules.changed.connect(lambda rules: session.decide(rules=rules))
        self.swap = QPushButton("Swap to originals…")
        self.swap.setToolTip("Put camera originals behind the whole cut, by name and timecode; and back")
        self.swap.clicked.connect(self._swap)
        self.chips = Flow()
        self._wanted = ""
        self.table = Table(
            [
                Column(
                    "state",
                    lambda row: "choose one" if row.asked else row.status,
                    98,
                    color=_color,
                    order=lambda row: STATUSES.index(row.status),
                ),
                Column("name", lambda row: row.media.file_name, 126),
                Column(
                    "where",
                    self._where,
                    120,
                    stretch=True,
                    color=lambda row: palette().dim,
                ),
                Column("reel", lambda row: row.media.reel or "", 48),
                Column("timecode", _timecode, 108, mono=True),
                Column(
                    "used",
                    _used,
                    62,
                    mono=True,
                    right=True,
                    order=lambda row: float((row.need.high or 0) - (row.need.low or 0)),
                ),
                Column(
                    "length",
                    _length,
                    62,
                    mono=True,
                    right=True,
                    order=lambda row: float((row.facts.length if row.facts else None) or 0),
                ),
                Column("frame size", _size, 84, mono=True, right=True),
                Column("fps", _rate, 50, mono=True, right=True),
                Column("kHz", _sound, 42, mono=True, right=True),
                Column("bits", _bits, 40, mono=True, right=True),
                Column(
                    "ch",
                    lambda row: str((row.facts.channels if row.facts else 0) or row.media.channels or ""),
                    30,
                    mono=True,
                    right=True,
                ),
                Column(
                    "uses",
                    lambda row: str(len(row.need.uses)),
                    44,
                    mono=True,
                    right=True,
                    order=lambda row: len(row.need.uses),
                ),
                Column("codec", _said(codec_words), 80, shown=False),
                Column("chroma", _said(lambda facts: facts.chroma), 54, shown=False),
                Column("fields", _said(fields_words), 150, shown=False),
                Column("colour", _said(colour_words), 120, shown=False),
                Column(
                    "changed",
                    _said(changed_words),
                    122,
                    mono=True,
                    shown=False,
                    order=lambda row: row.facts.changed if row.facts is not None else 0,
                ),
                Column(
                    "on disk",
                    _said(lambda facts: size_words(facts.size)),
                    74,
                    mono=True,
                    right=True,
                    shown=False,
                    order=lambda row: row.facts.size if row.facts is not None else 0,
                ),
            ],
            "Media of the cut",
        )
        self.table.empty_words = "the cut uses no media"
        self.table.chosen.connect(self._go)
        self.misfits = Table(
            [
                Column("will not fit", lambda one: one.kind, 110, color=lambda _one: palette().adapted),
                Column("medium", lambda one: one.media, 170),
                Column("what", lambda one: one.words, 260),
                Column("what to do", lambda one: one.do, 240, stretch=True, color=lambda _one: palette().dim),
            ],
            "What will not fit the other side",
        )
        self.misfits.empty_words = "everything fits the sequence and the destination"
        self.misfits.chosen.connect(self._to_misfit)
        self.unmatched = dim("")
        self.unmatched.hide()
        self.candidates = Candidates(session.pictures)
        self.candidates.taken.connect(self.take)
        self.candidates.choose.connect(self._choose)
        self.candidates.forget.connect(lambda: self.take(""))
        self.candidates.colour.connect(self._colour)
        self.candidates.compare.connect(self.rules.choose_reference)
        self._row: Row | None = None
        self._answered = False
        self._lay_out()
        session.opened.connect(self._opened)
        session.media_changed.connect(self._show)
        session.decided.connect(self._decided)
        session.tidied_changed.connect(self._swapped)

    def _lay_out(self) -> None:
        left = QWidget()
        box = QVBoxLayout(left)
        box.setContentsMargins(12, 10, 6, 8)
        box.setSpacing(8)
        box.addWidget(self.rules)
        row = QHBoxLayout()
        row.addLayout(self.chips, 1)
        self.columns = QPushButton("Columns")
        self.columns.setToolTip("Which columns the table shows; also by a right click on its head")
        self.columns.clicked.connect(self._columns)
        row.addWidget(self.columns, 0, Qt.AlignmentFlag.AlignTop)
        row.addWidget(self.swap, 0, Qt.AlignmentFlag.AlignTop)
        box.addLayout(row)
        box.addWidget(self.unmatched)
        split = QSplitter(Qt.Orientation.Vertical)
        split.setChildrenCollapsible(False)
        split.addWidget(self.table)
        split.addWidget(self.misfits)
        split.setSizes([440, 150])
        split.setStretchFactor(0, 3)
        split.setStretchFactor(1, 1)
        box.addWidget(split, 1)
        across = QSplitter(Qt.Orientation.Horizontal)
        across.setChildrenCollapsible(False)
        across.addWidget(left)
        across.addWidget(self.candidates)
        across.setSizes([900, 290])
        across.setStretchFactor(0, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(across)

    def _columns(self) -> None:
        head = self.table.horizontalHeader()
        menu = column_menu(head, self.table.model_rows.columns)
        menu.popup(self.columns.mapToGlobal(self.columns.rect().bottomLeft()))

    # ---- what is shown

    def _where(self, row: Row) -> str:
        """The folder a file is in, from that of the sequence file where it lies below it; its name stands
        beside it."""
        if row.path is None and not row.media.path:
            return ""
        place, source = (row.path or Path(row.media.path or "")).parent, self.session.path
        if source is not None and place.is_relative_to(source.parent):
            return f"{place.relative_to(source.parent)}/".removeprefix("./") or "beside the cut"
        return str(place)

    def _opened(self) -> None:
        self._row, self._wanted = None, ""
        self.table.show_rows([])
        self.misfits.show_rows([])
        self.candidates.show_row(None)
        self._chips()
        self.changed.emit()

    def _decided(self) -> None:
        job = self.session.job
        if job is not None:
            self.rules.show_rules(job.now.rules)
            self.swap.setText("Back to the working copies" if job.now.originals else "Swap to originals…")
            self._show_misfits()

    def _show(self) -> None:
        rows = self.session.media
        key = self._row.media.id if self._row is not None else ""
        # What wants something done stands first; the rest in the order of the cut.
        self.table.show_rows(sorted(rows, key=lambda row: STATUSES.index(row.status)))
        self._show_misfits()
        self._chips()
        self._row = next((row for row in rows if row.media.id == key), None)
        if self._row is not None and self._answered and not self._row.asked:
            # One question is answered: on to the next.
            self._row = next((row for row in rows if row.asked), None) or next(
                (row for row in rows if row.problems), self._row
            )
            self._answered = False
        if self._row is None:
            self._row = next((row for row in rows if row.path is None), None)
        if self._row is not None:
            self.table.go_to(self._row)
        self._show_row()
        self.changed.emit()

    def _swapped(self) -> None:
        swapped = self.session.swapped
        words = ""
        if swapped is not None:
            words = f"{len(swapped.pairs)} media are swapped for their originals."
            if swapped.unmatched:
                words += f" {len(swapped.unmatched)} stay; they are listed below, with the reason."
        self._show_misfits()
        self.unmatched.setText(words)
        self.unmatched.setVisible(bool(words))

    def _show_misfits(self) -> None:
        """What was not swapped, and what will not fit the other side."""
        swapped = self.session.swapped
        unmatched = swapped.unmatched if swapped is not None else []
        stays = [Misfit("not swapped", one.media.file_name, one.why, "it goes as it is") for one in unmatched]
        self.misfits.show_rows([*stays, *self.session.search.misfits()])

    def _chips(self) -> None:
        """How many there are in each state; each filters the table."""
        clear(self.chips)
        counts: dict[str, int] = {}
        for row in self.session.media:
            counts[row.status] = counts.get(row.status, 0) + 1
        for status in ("found", *(one for one in STATUSES if one != "found")):
            if not counts.get(status) and status not in ("found", "missing"):
                continue
            button = QPushButton(f"{counts.get(status, 0)} {status}")
            button.setCheckable(True)
            button.setChecked(status == self._wanted)
            button.clicked.connect(lambda on, one=status: self._filter(one if on else ""))
            self.chips.addWidget(button)

    def _filter(self, status: str) -> None:
        self._wanted = status
        self.table.filter_rows((lambda row: row.status == status) if status else None)
        self._chips()

    # ---- going places

    def _go(self, row: Row) -> None:
        self._row = row
        self._show_row()
        side = self.session.side
        use = next(
            (one for one in row.need.uses if side is not None and one.sequence == side.sequence.id), None
        )
        if use is None:
            use = self._elsewhere(row)
        if use is not None:
            self.session.set_playhead(max(0, floor(use.start)))
            self.session.select(use.item_id)

    def _elsewhere(self, row: Row) -> Use | None:
        """Look at another sequence that goes over and uses a medium; where in it."""
        going = {one.id for one in self.session.reels.going()}
        use = next((one for one in row.need.uses if one.sequence in going), None)
        if use is not None:
            self.session.look_at(use.sequence)
        return use

    def _to_misfit(self, one: Misfit) -> None:
        row = next((row for row in self.session.media if row.media.file_name == one.media), None)
        if row is not None:
            self.table.go_to(row)
            self._go(row)

    # ---- deciding

    def _written(self, row: Row) -> Media:
        """A medium as the cut itself writes it: choices are remembered by that."""
        rows = self.session.search.rows
        return next((one.media for one in rows if one.media.id == row.media.id), row.media)

    def take(self, path: str) -> None:
        """The chosen row's file is this one; with an empty path nothing is chosen any more."""
        job = self.session.job
        if self._row is None or job is None:
            return
        taken = self._written(self._row)
        links = {key: value for key, value in job.now.links.items() if key != key_of(taken)}
        if path:
            links[key_of(taken)] = path
        self._answered = bool(path)
        self.session.decide(links=links)

    def _choose(self) -> None:
        if self._row is not None:
            title = f"The file of {self._row.media.file_name}"
            path = ask_file(self, title, self.session.path, "All files (*)")
            if path is not None:
                self.take(str(path))

    def _show_row(self) -> None:
        """The chosen row in the panel beside the table."""
        table, space = None, ""
        if self._row is not None:
            table, space = self.session.table_of(self._row.media), self.session.space_of(self._row.media)
        self.candidates.show_row(self._row, table.name if table is not None else "", space)

    def _colour(self) -> None:
        """Offer a table and a colour space for the chosen medium, and for all of its reel."""
        row = self._row
        if row is None:
            return
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        if self.session.table_of(row.media) is not None:
            menu.addAction("Take the table away", lambda: self.see_through(""))
        whole = [(False, "this medium")]
        if row.media.reel:
            whole.append((True, f"all of reel {row.media.reel}"))
        for reel, words in whole:
            menu.addAction(f"A table for {words}…", partial(self._ask_table, reel))
        now = self.session.space_of(row.media)
        for reel, words in whole:
            inner = menu.addMenu(f"The colours of {words}")
            for space in ("", *SPACES):
                action = inner.addAction(space or "as the file says")
                action.setCheckable(True)
                action.setChecked(space == now)
                action.triggered.connect(partial(self.take_for, space, reel))
        button = self.candidates.through
        menu.popup(button.mapToGlobal(button.rect().topLeft()))

    def _ask_table(self, whole_reel: bool) -> None:
        kinds = f"Tables (*{' *'.join(TABLES)})"
        path = ask_file(self, "A look-up table or an ASC CDL", self.session.path, kinds)
        if path is not None:
            self.see_through(str(path), whole_reel)

    def see_through(self, path: str, whole_reel: bool = False) -> None:
        """See the chosen medium, or its whole reel, through a table; with an empty path without one."""
        self._say("tables", path, whole_reel)

    def take_for(self, space: str, whole_reel: bool = False, *_on: bool) -> None:
        """Say in which colour space the chosen medium is, or its whole reel; empty where its file is to
        say."""
        self._say("colours", space, whole_reel)

    def _say(self, what: str, words: str, whole_reel: bool) -> None:
        job = self.session.job
        if self._row is None or job is None:
            return
        media = self._written(self._row)
        own = (key_of(media), f"reel:{media.reel}")
        said = {key: value for key, value in getattr(job.now, what).items() if key not in own}
        if words:
            said[own[1] if whole_reel else own[0]] = words
        self.session.decide(**{what: said})
        self._show_row()

    def _swap(self) -> None:
        job = self.session.job
        if job is None:
            return
        if job.now.originals:
            self.session.decide(originals=())
            return
        folder = ask_folder(self, "The folder with the camera originals", near(self.session.path))
        if folder is not None:
            self.swap_to(folder)

    def dropped(self, paths: list[Path]) -> bool:
        """Folders that are dropped here are searched too."""
        folders = [one for one in paths if one.is_dir() and not (one / "Info.fcpxml").is_file()]
        if not folders or len(folders) < len(paths) or self.session.job is None:
            return False
        for one in folders:
            self.rules.add_folder(str(one))
        return True

    def go_to_medium(self, media_id: str) -> None:
        """Go to a medium by its id."""
        row = next((row for row in self.session.media if row.media.id == media_id), None)
        if row is not None:
            self._filter("")
            self.table.go_to(row)
            self._go(row)

    def swap_to(self, folder: Path) -> None:
        """Put the originals of a folder behind the cut."""
        self.session.decide(originals=(str(folder),))

    # ---- the shell asks

    def go_next(self, direction: int) -> None:
        """To the next row with a problem."""
        rows = [row for row in self.table.visible_rows() if row.problems]
        if rows:
            place = rows.index(self._row) if self._row in rows else (-1 if direction > 0 else 0)
            row = rows[(place + direction) % len(rows)]
            self.table.go_to(row)
            self._go(row)

    def look_up(self, words: str) -> bool:
        wanted = words.lower()
        for row in self.table.visible_rows():
            if wanted in f"{row.media.file_name} {row.media.reel} {row.path}".lower():
                self.table.go_to(row)
                self._go(row)
                return True
        return False

    def main_action(self) -> tuple[str, bool]:
        return "See what carries over", self.session.side is not None

    def run_main(self) -> None:
        self.asked_for.emit("Carry-over")

    def open_count(self) -> tuple[int, bool, bool]:
        rows = self.session.media
        wrong = sum(row.status != "found" for row in rows)
        return wrong, any(row.path is None for row in rows), bool(rows) and not wrong

    def restyle(self) -> None:
        self._show_row()
