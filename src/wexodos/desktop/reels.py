"""The sequences that go over together: which they are, and what becomes of each."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from wexodos.carryover import Carried, Fate, as_one, carry_over, in_order, rows
from wexodos.job import Ready, ready
from wexodos.media import Row
from wexodos.model import Sequence
from wexodos.picture.compose import Locate
from wexodos.sound.locate import Finder
from wexodos.tidy.workshop import Workshop
from wexodos.turnover.several import Leaving

if TYPE_CHECKING:
    from wexodos.desktop.session import Session

OTHERS = "the other sequences"


@dataclass(slots=True)
class Reel:
    """One sequence, as far as it is worked out. ``alone`` is its carry-over by itself, ``carried`` the same
    with the minutes that count in the whole, ``open`` how many rows of it leave work; ``problem`` says why
    there is none."""

    sequence: Sequence
    ready: Ready | None = None
    media: list[Row] = field(default_factory=list)
    alone: Carried | None = None
    carried: Carried | None = None
    open: int = 0
    problem: str = ""


class Reels:
    """The sequences of a session's job that go over together. The one that is looked at is worked out by the
    session, the others here, one after the other in the background."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._known: dict[str, Reel] = {}

    # ---- which they are

    def going(self) -> list[Sequence]:
        """The sequences that go over, in their order: those that were chosen, or the one looked at."""
        document, job, taken = self._session.document, self._session.job, self._session.taken
        if document is None or job is None or taken is None:
            return []
        known = document.sequences_by_id
        chosen = [known[one] for one in job.now.sequences if one in known]
        return in_order(chosen) if len(chosen) > 1 else [known[taken.sequence.id]]

    @property
    def several(self) -> bool:
        return len(self.going()) > 1

    def looked_for(self) -> list[Sequence]:
        """Those whose media are looked for: all that go, and the one looked at."""
        found, document, taken = self.going(), self._session.document, self._session.taken
        if document is not None and taken is not None:
            looked = document.sequences_by_id[taken.sequence.id]
            found += [looked] if looked not in found else []
        return found

    def toggle(self, sequence_id: str) -> None:
        """Have a sequence go over too, or no longer; one stays."""
        ids = [one.id for one in self.going()]
        self.choose([one for one in ids if one != sequence_id] if sequence_id in ids else [*ids, sequence_id])

    def choose(self, ids: list[str]) -> None:
        """Have these sequences go over."""
        document, job, taken = self._session.document, self._session.job, self._session.taken
        if document is None or job is None or taken is None or not ids:
            return
        order = [one.id for one in in_order(document.sequences_by_id[one] for one in ids)]
        looked = taken.sequence.id if taken.sequence.id in order else order[0]
        self._session.decide(sequences=tuple(order) if len(order) > 1 else (), sequence=looked)

    def step(self, direction: int, around: bool = False) -> None:
        """Look at the next or previous one, if there is one; ``around`` the end at the other end."""
        ids, taken = [one.id for one in self.going()], self._session.taken
        if taken is None:
            return
        place = ids.index(taken.sequence.id) + direction if taken.sequence.id in ids else 0
        if around:
            place %= len(ids)
        if 0 <= place < len(ids):
            self._session.look_at(ids[place])

    # ---- what becomes of them

    def of(self, sequence_id: str) -> Reel:
        known = self._known.get(sequence_id)
        document = self._session.document
        assert document is not None
        if known is None:
            known = self._known[sequence_id] = Reel(document.sequences_by_id[sequence_id])
        return known

    def all(self) -> list[Reel]:
        """What is known of those that go, in their order."""
        return [self.of(one.id) for one in self.going()]

    def known(self) -> list[Reel]:
        """Those that go, and the one that is looked at where that does not."""
        found, taken = self.all(), self._session.taken
        looked = self.of(taken.sequence.id) if taken is not None else None
        return [*found, looked] if looked is not None and looked not in found else found

    @property
    def waiting(self) -> int:
        """How many of those that go are not worked out yet."""
        return sum(one.alone is None and not one.problem for one in self.all())

    def leaving(self) -> list[Leaving]:
        """All that go, as they leave; nothing while one of them is missing."""
        return [
            Leaving(one.carried, one.ready.renders, self.locate(one.ready))
            for one in (self.all() if self.carried else [])
            if one.carried is not None and one.ready is not None
        ]

    @property
    def carried(self) -> list[Carried]:
        """The carry-overs of all that go; none while one of them is missing."""
        found = [one.carried for one in self.all()]
        return [one for one in found if one is not None] if None not in found else []

    def forget(self) -> None:
        """Everything has to be worked out anew."""
        self._session.tasks.drop(OTHERS)
        self._known.clear()

    def forget_carried(self) -> None:
        """The cuts stay as they are, what becomes of them does not."""
        self._session.tasks.drop(OTHERS)
        for one in self._known.values():
            one.alone = one.carried = None
            one.problem = ""

    def locate(self, made: Ready) -> Locate:
        """What finds the sound and the pictures of a cut that is ready."""
        finder = Finder(self._session.path, made.document, made.tables)
        return Workshop(made.renders, finder) if made.renders else finder

    def keep(self, sequence_id: str, carried: Carried | None, problem: str = "") -> None:
        """What became of one of them."""
        one = self.of(sequence_id)
        one.alone = one.carried = carried
        one.problem = problem
        one.open = sum(row.open for row in rows(carried.findings)) if carried is not None else 0
        going = self.all()
        alone = [one.alone for one in going if one.alone is not None]
        if len(alone) == len(going):
            for reel, weighed in zip(going, as_one(alone)):
                reel.carried = weighed

    def go_on(self) -> None:
        """Work out the next that is not yet, in the background."""
        session = self._session
        job, document, destination = session.job, session.document, session.destination
        looked = session.taken.sequence.id if session.taken is not None else ""
        if job is None or document is None or destination is None or session.tasks.working_at(OTHERS):
            return
        due = (one for one in self.all() if one.sequence.id != looked)
        reel = next((one for one in due if one.alone is None and not one.problem), None)
        if reel is None:
            return
        cut, steps, found = reel.sequence, session.steps(), session.search.rows
        originals = session.originals()
        choices, options = job.now.choices, job.now.options
        probes, scanner = session.search.probes, session.search.scanner

        def work(step: Any) -> tuple[Ready, Carried]:
            made = reel.ready or ready(document, cut, steps, found, originals, probes, scanner, step)
            step(f"carrying over {cut.name}", 0.5)
            return made, carry_over(
                made.document, made.sequence, destination, choices, step, options, self.locate(made)
            )

        def done(made: tuple[Ready, Carried]) -> None:
            reel.ready = made[0]
            self.keep(cut.id, made[1])
            next_one()

        def failed(sentence: str) -> None:
            self.keep(cut.id, None, sentence)
            session.said.emit(f"{cut.name}: {sentence}", True)
            next_one()

        def next_one() -> None:
            session.tasks.drop(OTHERS)
            session.reel_worked_out()
            self.go_on()

        session.tasks.start(OTHERS, work, done, failed, session.reels_changed.emit)
        session.reels_changed.emit()


def verdict(session: Session) -> str:
    """What the books say of what goes over, in one sentence."""
    reels, carried = session.reels.carried, session.carried
    if len(reels) > 1:
        things, wrong = sum(one.things for one in reels), sum(one.errors for one in reels)
        if not wrong:
            return f"{things} of {things} things of {len(reels)} sequences accounted for, no silent loss"
        first = next(one for one in reels if one.errors)
        return f"{first.sequence.name}: {first.verdict}"
    return carried.verdict if carried is not None else ""


def told(session: Session) -> tuple[list[tuple[str, str, str, str]], str, str]:
    """What the window shows of them: each with its name, what it costs and the gravest fate in it, the one
    looked at, and all of them in words. Nothing where one goes alone."""
    reels, taken = session.reels, session.taken
    if not reels.several or taken is None:
        return [], "", ""
    rows, going = [], reels.all()
    for one in reels.known():
        cost, fate = "…", ""
        if one.problem:
            cost, fate = "cannot go", Fate.LEFT.value
        elif one.carried is not None:
            cost, counts = f"{one.carried.minutes:g} min", one.carried.counts
            fate = next((each.value for each in reversed(Fate) if counts.get(each.value)), "")
        if one not in going:
            cost = "does not go over"
        rows.append((one.sequence.id, one.sequence.name or one.sequence.id, cost, fate))
    return rows, taken.sequence.id, _together(reels)


def _together(reels: Reels) -> str:
    """What all of them cost, or how many are worked out."""
    many = len(reels.going())
    if reels.waiting:
        return f"{many - reels.waiting} of {many} worked out"
    left = sum(one.counts["left behind"] for one in reels.carried)
    minutes = round(sum(one.minutes for one in reels.carried), 1)
    return f"{many} together: {left} left behind, {minutes:g} min repair"
