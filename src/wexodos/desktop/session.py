"""The open job as the window sees it: documents, decisions, results, playhead and selection."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import Any

import msgspec
from PySide6.QtCore import QObject, QTimer, Signal

from wexodos.carryover import Carried, Choices, carry_over
from wexodos.carryover.sounding import nowhere
from wexodos.desktop.home import Home
from wexodos.desktop.laying import Laying
from wexodos.desktop.pairing import Pairing
from wexodos.desktop.pictures import Pictures
from wexodos.desktop.reels import OTHERS, Reels
from wexodos.desktop.screening import Screening
from wexodos.desktop.search import Search
from wexodos.desktop.sides import Side
from wexodos.desktop.tasks import Tasks
from wexodos.destinations import Destination, load_all
from wexodos.formats import read_file
from wexodos.job import (
    Contradiction,
    Job,
    JobError,
    JobLock,
    Ready,
    contradiction,
    job_path,
    load,
    ready,
    save,
)
from wexodos.media import Row, Swapped, key_of, of_all
from wexodos.model import Document, Media
from wexodos.picture.compose import Locate
from wexodos.sound.locate import Finder
from wexodos.tidy import Chosen, Did, Recipe, Render, Tidied, tidy
from wexodos.tidy.recipes import complete
from wexodos.tidy.workshop import Workshop


class Session(QObject):
    """Holds everything the stops show. Every decision goes through ``decide`` and can be undone."""

    opened = Signal()
    carried_changed = Signal()
    returned_changed = Signal()
    reels_changed = Signal()
    lock_changed = Signal()
    decided = Signal()
    tidied_changed = Signal()
    previewed_changed = Signal()
    media_changed = Signal()
    waves_changed = Signal()
    said = Signal(str, bool)
    playhead_changed = Signal(int)
    selection_changed = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.tasks = Tasks(self)
        self.path: Path | None = None
        self.document: Document | None = None
        self.job: Job | None = None
        self.job_file: Path | None = None
        # The cut as it was taken in, and as it is carried over: with its media found and tidied.
        self.taken: Side | None = None
        self.side: Side | None = None
        self.tidied: Tidied | None = None
        self.previewed: list[Did] = []
        self.renders: list[Render] = []
        self._previewed_for: Side | None = None
        self.swapped: Swapped | None = None
        self.ready: Ready | None = None
        # The media of the cut that leaves, and what contradicts itself: every stop reads them here.
        self.media: list[Row] = []
        self.contradiction: Contradiction | None = None
        self.recipes: list[Recipe] = []
        self.search = Search(self)
        self.reels = Reels(self)
        self.carried: Carried | None = None
        self.after: Side | None = None
        self.home = Home(self)
        self.laying = Laying(self)
        self.screening = Screening(self)
        self.pairing = Pairing(self)
        self.destinations, self.problems = load_all()
        self.finder: Locate | None = None
        self._found: Finder | None = None
        self.pictures = Pictures(self)
        self.tasks.others.append(self.pictures)
        self.playhead = 0
        self.playing = False
        self.selection = ""
        self.saved_at = ""
        self._saving = QTimer(self)
        self._saving.setSingleShot(True)
        self._saving.setInterval(400)
        self._saving.timeout.connect(self.save)
        self.lock: JobLock | None = None
        self._asking = QTimer(self)
        self._asking.setInterval(500)
        self._asking.timeout.connect(self._look_at_lock)
        self._asking.start()

    # ---- taking in

    def open(self, path: Path) -> None:
        """Read a file in the background; on failure what is open stays open."""
        path = path.absolute()
        if path.suffix == ".wexo":
            try:
                job = load(path)
            except JobError as error:
                self.said.emit(str(error), True)
                return
            self._read(Path(job.source), job, path)
            return
        kept = job_path(path)
        known: Job | None = None
        if kept.exists():
            try:
                known = load(kept)
            except JobError as error:
                self.said.emit(f"{error}; a new job is begun", True)
        self._read(path, known, kept)

    def _proposed(self, document: Document) -> str:
        """Where a cut goes as long as nothing is said: to editing, in another format."""
        editing = [one for one in self.destinations if one.for_ == "editing"]
        return next((one for one in editing if one.format != document.format), self.destinations[0]).id

    def _read(self, path: Path, job: Job | None, job_file: Path, names: tuple[str, ...] = ()) -> None:
        """Read a file in the background; ``names`` are those of the sequences that go over together."""

        def done(document: Document) -> None:
            self.side = self.taken = None
            self.path, self.document, self.job_file = path, document, job_file
            self.finder = self._found = Finder(path, document)
            self.search.rows, self.tidied, self.renders, self.swapped = [], None, [], None
            self.reels.forget()
            self.media, self.ready, self.contradiction = [], None, None
            self._lock(job_file)
            self.search.peaks.clear()
            self.carried = self.after = self.home.returned = None
            self.laying.drop()
            self.screening.drop()
            self.pairing.drop()
            found = job or Job(str(path.resolve()))
            if not found.now.destination:
                found = found.with_destination(self._proposed(document))
            ids = tuple(one.id for one in document.top_level if one.name in names)
            if len(ids) > 1:
                found = msgspec.structs.replace(
                    found, now=msgspec.structs.replace(found.now, sequence=ids[0], sequences=ids)
                )
            self.job = found
            self.playhead, self.selection = 0, ""
            self._side()
            self.opened.emit()
            self.decided.emit()
            self.keep()
            gone = [name for name in names if name not in {one.name for one in document.top_level}]
            if gone:
                self.said.emit(f"{path.name} has no sequence named {', '.join(gone)}", True)
            else:
                self.said.emit(f"Read {path.name}", False)
            self.prepare()
            self.search.look()

        def read(step: Any) -> Document:
            step(f"reading {path.name}", 0.1)
            return read_file(path)

        self.tasks.start(
            "reading",
            read,
            done,
            lambda sentence: self.said.emit(sentence, True),
        )

    def _side(self) -> None:
        self.side = self.taken = self.ready = None
        if self.document is None or self.job is None:
            return
        wanted = self.job.now.sequence
        chosen = self.document.sequences_by_id.get(wanted)
        if chosen is None:
            chosen = next(iter(self.document.top_level or self.document.sequences), None)
        if chosen is not None:
            self.side = self.taken = Side(self.document, chosen)

    # ---- deciding

    @property
    def destination(self) -> Destination | None:
        if self.job is None:
            return None
        wanted = self.job.now.destination
        return next((one for one in self.destinations if one.id == wanted), self.destinations[0])

    def decide(self, **changes: Any) -> None:
        """Make a decision: sequence, destination, remedies, returned file."""
        if self.job is not None:
            self._take(self.job.decide(**changes))

    def choose_remedy(self, keys: list[str], remedy: str, kind: str = "") -> None:
        """Choose a remedy for findings, or with ``kind`` (``transition|wipe``) for all like them."""
        if self.job is None:
            return
        now = self.job.now
        if kind:
            others = {k: v for k, v in now.by_finding.items() if not k.startswith(f"{kind}|")}
            self.decide(by_kind={**now.by_kind, kind: remedy}, by_finding=others)
        else:
            self.decide(by_finding={**now.by_finding, **dict.fromkeys(keys, remedy)})

    def undo(self) -> None:
        if self.job is not None:
            self._take(self.job.undo())

    def redo(self) -> None:
        if self.job is not None:
            self._take(self.job.redo())

    def _take(self, job: Job) -> None:
        if job is self.job or self.job is None:
            return
        before = self.job.now
        only_looks = msgspec.structs.replace(before, sequence=job.now.sequence) == job.now
        if self.looking and not only_looks:
            self.said.emit("This job is open in another window; take it over to change it here.", True)
            self.decided.emit()
            return
        self.job = job
        now, looked_for = job.now, self.search.sequences
        other_cut = before.sequence != now.sequence and not self.looks_at(now.sequence)
        if other_cut:
            self._side()
            self.opened.emit()
        self.decided.emit()
        self.keep()
        if msgspec.structs.replace(before, package=now.package, home=now.home, refused=now.refused) == now:
            # What goes along with the cut, or came back to it, changes nothing in it.
            if before.refused != now.refused:
                self.home.compare()
            self.laying.follow()
            return
        if (before.links, before.rules) != (now.links, now.rules) or self.reels.looked_for() != looked_for:
            self.search.look()
        if (before.tidy, before.originals) != (now.tidy, now.originals):
            self.prepare(before.returned != now.returned or other_cut)
        elif msgspec.structs.replace(before, sequence=now.sequence, sequences=now.sequences) != now:
            self.reels.forget_carried()
            self._show_looked(before.returned != now.returned or other_cut)
        else:
            self._show_looked(other_cut)

    def look_at(self, sequence_id: str) -> None:
        """Look at another sequence: at one of several that go over together, or it goes over itself."""
        if self.job is not None and self.reels.several:
            self._take(self.job.look_at(sequence_id))
        else:
            self.decide(sequence=sequence_id)

    def looks_at(self, sequence_id: str) -> bool:
        """Whether this is the sequence that is looked at."""
        return self.taken is not None and self.taken.sequence.id == sequence_id

    def _show_looked(self, compare_again: bool) -> None:
        """Show the sequence that is looked at, as far as it is worked out; work out the rest."""
        if self.taken is None:
            return
        reel = self.reels.of(self.taken.sequence.id)
        if reel.ready is None:
            self._prepare(compare_again)
            return
        if self.ready is not reel.ready:
            self._made(reel.ready)
        self._agree()
        if reel.carried is None:
            self.tasks.drop(OTHERS)
            self._refresh(compare_again)
        else:
            self._carried(reel.carried, compare_again)
            self.reels.go_on()

    def open_version(self, path: Path) -> None:
        """Take in the next version of the cut: what was decided about this one holds for it."""
        if self.job is None:
            self.open(path)
        else:
            names = tuple(one.name for one in self.reels.going()) if self.reels.several else ()
            self._read(path, self.job.next_version(str(path.resolve())), job_path(path), names)

    def remember_package(self, path: Path) -> None:
        """A package of the job was made: nothing that could be undone."""
        if self.job is not None and not self.looking:
            self.job = self.job.made(str(path))
            self.keep()

    def keep(self) -> None:
        """Save the job in a moment."""
        self._saving.start()

    def save(self) -> None:
        """Save the job now."""
        if self.job is None or self.job_file is None or self.looking:
            return
        try:
            save(self.job, self.job_file)
            self.saved_at = datetime.now().strftime("%H:%M")
            self.said.emit("", False)
        except JobError as error:
            self.said.emit(str(error), True)

    def close(self) -> None:
        """Save what was decided and give the job up."""
        self._saving.stop()
        self.save()
        if self.lock is not None:
            self.lock.release()

    # ---- making ready

    def steps(self) -> tuple[Chosen, ...]:
        return self.job.now.steps if self.job is not None else ()

    def originals(self) -> tuple[Path, ...]:
        """The folders whose files go behind the cut."""
        return tuple(Path(one) for one in self.job.now.originals) if self.job is not None else ()

    def prepare(self, compare_again: bool = True) -> None:
        """Put the media that were found behind the cut and tidy it, in the background; then carry it over.
        The other sequences that go over follow."""
        self.reels.forget()
        self._prepare(compare_again)

    def _prepare(self, compare_again: bool) -> None:
        taken, job, document = self.taken, self.job, self.document
        if taken is None or job is None or document is None:
            return
        rows, originals = self.search.rows, self.originals()
        steps = self.steps()
        cut = document.sequences_by_id[taken.sequence.id]

        def done(made: Ready) -> None:
            self.reels.of(cut.id).ready = made
            if self.looks_at(cut.id):
                self._made(made)
                self._refresh(compare_again)

        def work(step: Any) -> Ready:
            return ready(document, cut, steps, rows, originals, self.search.probes, self.search.scanner, step)

        self.tasks.start("tidying", work, done, lambda sentence: self.said.emit(sentence, True))

    def _made(self, made: Ready) -> None:
        """A cut is ready: it is the one that is looked at."""
        self.taken = Side(made.taken, made.cut)
        plain = made.document is self.document and made.sequence is made.cut
        self.side = self.taken if made.document is made.taken else Side(made.document, made.sequence)
        self.tidied, self.renders, self.swapped = made.tidied, made.renders, made.swapped
        self.ready = made
        finder = self._found if plain and self._found is not None else Finder(self.path, made.document)
        finder.tables = made.tables
        self.finder = Workshop(made.renders, finder) if made.renders else finder
        for one, renders in ((self.taken, []), (self.side, made.renders)):
            one.seen = self.pictures.seen(
                one.document, one.sequence, finder, renders, self.table_of, self.space_of
            )
        self.look_again()
        self.tidied_changed.emit()
        self.set_playhead(self.playhead)

    def look_again(self) -> None:
        """Work out the state that all stops read: the media of the cuts that leave, and what contradicts
        itself."""
        job = self.job
        if self.ready is None or job is None:
            return
        for reel in self.reels.known():
            if reel.ready is not None:
                reel.media = reel.ready.media(self.search.rows, self.search.probes, job.seen)
        self.media = of_all([reel.media for reel in self.reels.known()])
        self._agree()

    def _agree(self) -> None:
        """Work out whether the decisions agree; another destination needs no other media."""
        destination = self.destination
        if self.ready is None or destination is None:
            return
        self.contradiction = None
        for reel in self.reels.known():
            made = reel.ready
            if made is None:
                continue
            found = contradiction(
                made.cut, made.sequence, destination, self.destinations, self.recipes, self.steps()
            )
            if found is not None and self.contradiction is None:
                words = f"{made.cut.name}: {found.words}" if self.reels.several else found.words
                self.contradiction = replace(found, words=words)
        self.media_changed.emit()

    # ---- one window at a time

    @property
    def looking(self) -> bool:
        """Whether another window works on this job, so that this one only looks."""
        return self.lock is not None and not self.lock.held

    def _lock(self, job_file: Path) -> None:
        if self.lock is not None:
            self.lock.release()
        self.lock = JobLock(job_file)
        self.lock.take()
        self.lock_changed.emit()

    def take_over(self) -> None:
        """Ask the other window for the job; it saves and looks from then on."""
        if self.lock is not None and not self.lock.take():
            self.lock.ask()
            self.said.emit("The other window is asked for the job.", False)
        else:
            self._taken_over()

    def _taken_over(self) -> None:
        """The job is ours: what the other window decided last holds."""
        if self.job_file is not None and self.job is not None and self.job_file.exists():
            try:
                newest = load(self.job_file)
            except JobError as error:
                self.said.emit(str(error), True)
            else:
                if newest != self.job:
                    self._take(newest)
        self.lock_changed.emit()
        self.said.emit("The job is yours: what is decided here is saved.", False)

    def _look_at_lock(self) -> None:
        if self.lock is None:
            return
        if self.lock.asked():
            self._saving.stop()
            self.save()
            self.lock.release()
            self.lock_changed.emit()
            self.said.emit("Another window took this job over; here it is only looked at.", True)
        elif self.looking and self.lock.wanted and self.lock.take():
            self._taken_over()

    def preview(self) -> None:
        """Work out what every step would do, those switched off too, in the background."""
        taken = self.taken
        if taken is None:
            return
        steps = complete(self.steps())
        if [did.chosen for did in self.previewed] == list(steps) and self._previewed_for is taken:
            return

        def done(found: Tidied) -> None:
            self.previewed, self._previewed_for = found.steps, taken
            self.previewed_changed.emit()

        self.tasks.start(
            "trying the steps",
            lambda step: tidy(taken.document, taken.sequence, steps, step),
            done,
            lambda sentence: self.said.emit(sentence, True),
        )

    # ---- results

    def refresh(self, compare_again: bool = True) -> None:
        """Carry over and compare again in the background."""
        self.reels.forget_carried()
        self._refresh(compare_again)

    def _refresh(self, compare_again: bool) -> None:
        side, destination, job = self.side, self.destination, self.job
        if side is None or destination is None or job is None:
            return
        choices: Choices = job.now.choices
        options, finder = job.now.options, self.finder
        key = self.taken.sequence.id if self.taken is not None else ""

        def done(carried: Carried) -> None:
            self.reels.keep(key, carried)
            if self.looks_at(key):
                self._carried(self.reels.of(key).carried or carried, compare_again)
            self.reels.go_on()

        def failed(sentence: str) -> None:
            self.reels.keep(key, None, sentence)
            if self.looks_at(key):
                self.carried = self.after = None
                self.carried_changed.emit()
            self.said.emit(sentence, True)
            self.reels.go_on()

        def work(step: Any) -> Carried:
            return carry_over(
                side.document, side.sequence, destination, choices, step, options, finder or nowhere
            )

        self.tasks.start("carrying over", work, done, failed)

    def table_of(self, media: Media) -> Path | None:
        """The look-up table through which a medium is seen, as somebody chose it for it or for its reel."""
        path = self._said_of(media, self.job.now.tables) if self.job is not None else ""
        return Path(path) if path else None

    def space_of(self, media: Media) -> str:
        """The colour space somebody said a medium or its reel is in; empty where its file is to say."""
        return self._said_of(media, self.job.now.colours) if self.job is not None else ""

    def _said_of(self, media: Media, wanted: dict[str, str]) -> str:
        if not wanted:
            return ""
        known = next(
            (row.media for row in self.search.rows if media.path in (str(row.path), row.media.path)), media
        )
        return wanted.get(key_of(known)) or (wanted.get(f"reel:{known.reel}", "") if known.reel else "")

    def _carried(self, carried: Carried, compare_again: bool) -> None:
        """A carry-over is the one that is looked at."""
        self.carried = carried
        if compare_again or (self.job is not None and self.job.now.returned):
            self.home.compare()
        self.laying.follow()
        finder = Finder(self.path, carried.returned, self.ready.tables if self.ready is not None else None)
        renders = [*self.renders, *carried.renders]
        seen = self.pictures.seen(
            carried.returned, carried.returned_sequence, finder, renders, self.table_of, self.space_of
        )
        self.after = Side(carried.returned, carried.returned_sequence, seen)
        self.carried_changed.emit()

    def reel_worked_out(self) -> None:
        """One more of several sequences is worked out: what all of them share may have changed."""
        self.look_again()
        weighed = self.reels.of(self.taken.sequence.id).carried if self.taken is not None else None
        if weighed is not None and weighed is not self.carried:
            # What costs time in another sequence too is found out only once.
            self._carried(weighed, False)
        self.reels_changed.emit()

    # ---- where one looks

    def set_playhead(self, frame: int) -> None:
        if self.side is None:
            return
        frame = max(0, min(frame, max(0, self.side.sequence.duration - 1)))
        if frame != self.playhead:
            self.playhead = frame
            self.playhead_changed.emit(frame)

    def select(self, item_id: str) -> None:
        if item_id != self.selection:
            self.selection = item_id
            self.selection_changed.emit(item_id)
