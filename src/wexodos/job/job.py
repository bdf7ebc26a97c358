"""What a person decided, and how it came about."""

from __future__ import annotations

from typing import Any

import msgspec

from wexodos.carryover import Choices, Options, Remedy
from wexodos.media import Rules
from wexodos.settling.options import chosen
from wexodos.settling.receiver import Turnover
from wexodos.tidy.recipes import MOST_STEPS, Chosen, Recipe, RecipeError, check

MAX_HISTORY = 500


class Homecoming(msgspec.Struct, frozen=True, omit_defaults=True):
    """What came back besides a sequence file, and what was decided of it: the paths of each return in their
    order (``came``), the package that was sent, whether what is late is moved, files that are not laid in,
    what a person said a file is, the later version of the cut it goes into and the name of its sequence
    there, how renders are named, and whether tracks of sound that came in a sequence stay nested
    (``homecoming.Wanted``)."""

    came: tuple[tuple[str, ...], ...] = ()
    sent: str = ""
    corrected: bool = False
    left: tuple[str, ...] = ()
    told: dict[str, str] = msgspec.field(default_factory=dict)
    into: str = ""
    into_sequence: str = ""
    names: str = ""
    nested: bool = False

    def and_then(self, paths: tuple[str, ...]) -> Homecoming:
        """The same with a later return; one of the same files and folders is looked at again."""
        others = tuple(one for one in self.came if one != paths)
        return msgspec.structs.replace(self, came=(*others, paths)[-MOST_RETURNS:])


MOST_RETURNS = 50


class Decisions(msgspec.Struct, frozen=True, omit_defaults=True):
    """Everything a person decides about a job. ``by_finding`` and ``by_kind`` hold remedies (``adapt``,
    ``note``, ``leave``); ``turnover`` the settings of each destination's turnover that were chosen otherwise,
    in words; ``sequences`` those that go over together where there are several, ``sequence`` the one that is
    looked at; ``tidy`` the steps in their order; ``links`` the files chosen for media, by what the cut writes
    for them; ``originals`` folders whose files go behind the cut; ``tables`` look-up tables through which
    media are seen, by ``key_of`` or ``reel:`` and a reel, ``colours`` the spaces they are in, likewise;
    ``package`` how the package is wanted, in words (``turnover/package/wish``); ``home`` what came back
    besides a sequence file, ``refused`` what was changed in that and is not wanted
    (``homecoming.refusing``)."""

    sequence: str = ""
    sequences: tuple[str, ...] = ()
    destination: str = ""
    by_finding: dict[str, str] = msgspec.field(default_factory=dict)
    by_kind: dict[str, str] = msgspec.field(default_factory=dict)
    returned: str = ""
    refused: tuple[str, ...] = ()
    sizing: bool = True
    organised: bool = False
    tolerance: float = 1.0
    markers: bool = False
    turnover: dict[str, dict[str, str]] = msgspec.field(default_factory=dict)
    tidy: tuple[Chosen, ...] = ()
    links: dict[str, str] = msgspec.field(default_factory=dict)
    rules: Rules = Rules()
    originals: tuple[str, ...] = ()
    tables: dict[str, str] = msgspec.field(default_factory=dict)
    colours: dict[str, str] = msgspec.field(default_factory=dict)
    package: dict[str, str] = msgspec.field(default_factory=dict)
    home: Homecoming = Homecoming()

    @property
    def steps(self) -> tuple[Chosen, ...]:
        """The steps of Tidy; those there are not, or whose options make no sense, are passed over."""
        found = []
        for one in self.tidy[:MOST_STEPS]:
            try:
                check(Recipe("", "", (one,)))
            except RecipeError:
                continue
            found.append(one)
        return tuple(found)

    @property
    def options(self) -> Options:
        """The choices for the whole hand-over; a tolerance that makes no sense counts as the usual one."""
        tolerance = self.tolerance if 0.1 <= self.tolerance <= 100 else 1.0
        return Options(
            self.sizing, self.organised, tolerance, self.markers, tuple(sorted(self.settings.items()))
        )

    @property
    def settings(self) -> dict[str, str]:
        """The settings of the turnover chosen otherwise for the destination at hand; what makes no sense is
        passed over."""
        found = {}
        for name, value in self.turnover.get(self.destination, {}).items():
            try:
                chosen(Turnover(), ((name, value),))
            except ValueError:
                continue
            found[name] = value
        return found

    @property
    def choices(self) -> Choices:
        """The remedies as carry-over takes them; words it does not know are passed over."""
        known = {remedy.value: remedy for remedy in Remedy}
        return Choices(
            {key: known[value] for key, value in self.by_finding.items() if value in known},
            {key: known[value] for key, value in self.by_kind.items() if value in known},
        )


MOST_PACKAGES = 20


class Job(msgspec.Struct, frozen=True, omit_defaults=True):
    """A job as a value: a decision makes a new one, undo is a list of old decisions.

    ``seen`` is the size and time of each media file when it was found first, by its path; ``packages`` where
    packages of it were made, the newest first.
    """

    source: str
    now: Decisions = Decisions()
    past: tuple[Decisions, ...] = ()
    future: tuple[Decisions, ...] = ()
    version: int = 1
    seen: dict[str, str] = msgspec.field(default_factory=dict)
    packages: tuple[str, ...] = ()

    def made(self, package: str) -> Job:
        """The job that remembers a package of it."""
        others = tuple(one for one in self.packages if one != package)
        return msgspec.structs.replace(self, packages=(package, *others)[:MOST_PACKAGES])

    def next_version(self, source: str) -> Job:
        """A job for the next version of the cut: everything that was decided holds, but for what hangs on
        single findings, on one sequence's id or on what came back."""
        now = msgspec.structs.replace(
            self.now, sequence="", sequences=(), by_finding={}, returned="", refused=(), home=Homecoming()
        )
        return Job(source, now, seen=self.seen, packages=self.packages)

    def saw(self, stamps: dict[str, str]) -> Job:
        """The job that remembers files found for the first time; the same where all were known."""
        new = {path: stamp for path, stamp in stamps.items() if path not in self.seen}
        return msgspec.structs.replace(self, seen={**self.seen, **new}) if new else self

    def decide(self, **changes: Any) -> Job:
        """Return the job after a decision; what was undone before is gone then. The same job where nothing
        changes."""
        now = msgspec.structs.replace(self.now, **changes)
        if now == self.now:
            return self
        return msgspec.structs.replace(self, now=now, past=(*self.past, self.now)[-MAX_HISTORY:], future=())

    def with_destination(self, destination: str) -> Job:
        """The job with a destination wherever it has none: one that is proposed is no decision, and nothing
        to undo."""

        def given(one: Decisions) -> Decisions:
            return one if one.destination else msgspec.structs.replace(one, destination=destination)

        past, future = (tuple(map(given, rows)) for rows in (self.past, self.future))
        return msgspec.structs.replace(self, now=given(self.now), past=past, future=future)

    def look_at(self, sequence: str) -> Job:
        """The job with another of its sequences looked at: that is no decision, and nothing to undo."""
        return msgspec.structs.replace(self, now=msgspec.structs.replace(self.now, sequence=sequence))

    def undo(self) -> Job:
        if not self.past:
            return self
        return msgspec.structs.replace(
            self, now=self.past[-1], past=self.past[:-1], future=(self.now, *self.future)
        )

    def redo(self) -> Job:
        if not self.future:
            return self
        return msgspec.structs.replace(
            self, now=self.future[0], past=(*self.past, self.now), future=self.future[1:]
        )
