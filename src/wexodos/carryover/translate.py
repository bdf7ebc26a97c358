"""Carry a sequence over: plan, write, read back, and hold all three books."""

from __future__ import annotations

from dataclasses import dataclass

from wexodos.carryover.destined import destined
from wexodos.carryover.library import Unsent
from wexodos.carryover.plan import Plan, plan
from wexodos.carryover.second_book import second_book
from wexodos.carryover.sounding import Locate, Made, made_for, nowhere
from wexodos.carryover.third_book import in_words_of, third_book
from wexodos.destinations import Destination
from wexodos.formats import FORMATS, ReadError, WriteError, read_bytes
from wexodos.ground import Progress, UnprovedError, quiet
from wexodos.model import Document, Sequence
from wexodos.settling.findings import Choices, Finding, counts
from wexodos.settling.options import Options
from wexodos.sound.pieces import restored
from wexodos.tidy import Render

NOTHING = Document("", "")
NO_SOUND = Made(NOTHING)


@dataclass(frozen=True, slots=True)
class Carried:
    """A finished carry-over: the bytes to be written, what was read back, and every finding.

    ``made`` is the sound that goes with it and the document that uses it; where there is any to be written
    into the file, ``data`` is the file without its samples. ``renders`` are pictures to be made beside it.
    ``read`` is what was read back as it stands in the file, ``returned`` the same in the words of what went
    in.
    """

    source: Document
    sequence: Sequence
    destination: Destination
    data: bytes
    returned: Document
    findings: tuple[Finding, ...]
    things: int
    unsent: Unsent = Unsent()
    made: Made = NO_SOUND
    read: Document = NOTHING
    renders: tuple[Render, ...] = ()

    @property
    def counts(self) -> dict[str, int]:
        return counts(self.findings, self.things)

    @property
    def errors(self) -> int:
        """How many differences no book accounts for."""
        return sum(not finding.explained for finding in self.findings)

    @property
    def unbalanced(self) -> tuple[str, ...]:
        """The books that do not balance, in words."""
        return tuple(dict.fromkeys(finding.book for finding in self.findings if not finding.explained))

    @property
    def verdict(self) -> str:
        """What the books say, in one sentence."""
        if not self.errors:
            return f"{self.things} of {self.things} things accounted for, no silent loss"
        books = " and ".join(self.unbalanced)
        many = "difference is" if self.errors == 1 else "differences are"
        return f"{self.errors} {many} explained by nothing: {books} does not balance"

    def prove(self, place: str) -> None:
        """Raises ``UnprovedError`` where a book does not balance: nothing may be left at ``place`` then."""
        if self.errors:
            raise UnprovedError(f"{self.verdict}; nothing was written", file=place)

    @property
    def minutes(self) -> float:
        """The repair budget."""
        return round(sum(finding.minutes for finding in self.findings), 1)

    @property
    def others(self) -> tuple[str, ...]:
        """The names of the sequences of the same file that are not written with this one."""
        written = {self.sequence.id, *(one.id for one in self.source.reachable(self.sequence))}
        return tuple(one.name for one in self.source.top_level if one.id not in written)

    @property
    def returned_sequence(self) -> Sequence:
        return self.returned.top_level[0]


def carry_over(
    document: Document,
    sequence: Sequence,
    destination: Destination,
    choices: Choices | None = None,
    progress: Progress = quiet,
    options: Options | None = None,
    locate: Locate = nowhere,
    folder: str = "",
) -> Carried:
    """Plan, write into memory, read back and hold the books. Raises ``WriteError`` and ``Cancelled``; writes
    no file.

    ``locate`` finds the sound of media, ``folder`` is where files that are linked to will be.
    """
    progress("planning", 0.0)
    planned: Plan = plan(document, sequence, destination, choices, options, folder)
    progress("writing", 0.2)
    destination = destined(destination, options or Options())
    kind = FORMATS[destination.format]
    sound = made_for(planned.document, planned.sequence, destination, locate, folder)
    data = kind.write(sound.document, sequence.id, destination.version, sound.plain)
    progress("reading back", 0.5)
    name = sequence.name or sequence.id
    try:
        read = read_bytes(data, f"the written {destination.format}", own=True)
    except ReadError as error:
        # Nothing that cannot be read back leaves the house.
        raise WriteError(f"{name}: what was written cannot be read back: {error.problem}") from None
    if not read.top_level:
        raise WriteError(f"{name}: what was written holds no sequence")
    adapted = planned.document
    returned = in_words_of(adapted, planned.sequence, restored(read, sound.pieces, adapted), kind.spells)
    progress("comparing", 0.7)
    errors = [
        *second_book(document, planned),
        *third_book(adapted, planned.sequence, returned, kind.spells),
    ]
    told = (*planned.findings, *sound.findings)
    progress("done", 1.0)
    keys = planned.things | {finding.key for finding in told}
    findings = tuple(
        sorted((*told, *errors), key=lambda one: (one.explained, one.start, one.track[:1] == "A", one.track))
    )
    return Carried(
        document,
        sequence,
        destination,
        data,
        returned,
        findings,
        len(keys),
        planned.unsent,
        sound,
        read,
        planned.renders,
    )
