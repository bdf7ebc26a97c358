"""Findings: what does not carry over as it was, why, and what to do. Made from recorded changes."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from wexodos.settling.changes import Change, Reason
from wexodos.settling.vocabulary import Cause, Fate, Kind, Remedy
from wexodos.timing import Exact

_OF_THE_WHOLE = frozenset({Kind.SETTINGS, Kind.TRACK})


@dataclass(frozen=True, slots=True)
class Finding:
    """One line of the carry-over report.

    ``start`` and ``stop`` in frames of the sequence. ``changes`` are the recorded changes it was made from; a
    finding without any tells something that changes nothing in the cut: what is rendered, what to set there.
    ``explained`` is False for a difference that no book accounts for; ``book`` names the book that found it.
    ``within`` is the limit that a deviation was held to on purpose; ``closely``: it stayed within, leaves no
    work and counts as carried.
    """

    kind: Kind
    what: str
    item: str
    item_id: str
    track: str
    start: Exact
    stop: Exact
    fate: Fate
    why: str
    do: str
    remedy: Remedy | None = None
    remedies: tuple[Remedy, ...] = ()
    before: Any = None
    after: Any = None
    deviation: tuple[float, str] | None = None
    minutes: float = 0.0
    within: float | None = None
    cause: Cause | None = None
    changes: tuple[Change, ...] = ()
    explained: bool = True
    book: str = ""
    closely: bool = False

    @property
    def open(self) -> bool:
        """Whether somebody has something to do for it at its place. What is said of the whole hand-over has
        no place."""
        return not self.explained or (self.minutes > 0 and self.kind not in _OF_THE_WHOLE)

    @property
    def key(self) -> str:
        """Stays the same from plan to plan, so that a choice made for a finding finds it again."""
        return key_of(self.kind, self.what, self.item_id)

    @property
    def touched(self) -> frozenset[str]:
        """The ids of all things that its changes touch, its own item first among equals."""
        return frozenset({self.item_id, *(one.thing for one in self.changes)})


def key_of(kind: str, what: str, item_id: str) -> str:
    """The one key of a thing: under it decisions are kept, things counted and findings found again."""
    return f"{kind}|{what}|{item_id}"


def finding_of(reason: Reason) -> Finding:
    """The finding of a reason."""
    return Finding(
        reason.kind,
        reason.what,
        reason.item,
        reason.item_id,
        reason.track,
        reason.start,
        reason.stop,
        reason.fate,
        reason.why,
        reason.do,
        reason.remedy,
        reason.remedies,
        reason.before,
        reason.after,
        reason.deviation,
        reason.minutes,
        reason.within,
        reason.cause,
        tuple(reason.changes),
    )


@dataclass(frozen=True, slots=True)
class Choices:
    """What a person decided: by finding, otherwise by kind of thing (``transition|wipe``), otherwise the
    default."""

    by_key: Mapping[str, Remedy] = field(default_factory=dict)
    by_what: Mapping[str, Remedy] = field(default_factory=dict)

    def pick(self, kind: str, what: str, item_id: str, options: tuple[Remedy, ...]) -> Remedy:
        """The chosen remedy; the first option where nothing possible was chosen."""
        for wanted in self._decided(kind, what, item_id):
            if wanted is not None and wanted in options:
                return wanted
        return options[0]

    def left(self, kind: str, what: str, item_id: str) -> bool:
        """Whether a thing was left behind on purpose: that was decided, and not only the default."""
        decided = (one for one in self._decided(kind, what, item_id) if one is not None)
        return next(decided, None) is Remedy.LEAVE

    def _decided(self, kind: str, what: str, item_id: str) -> tuple[Remedy | None, ...]:
        return (
            self.by_key.get(key_of(kind, what, item_id)),
            self.by_what.get(f"{kind}|{what}"),
            self.by_what.get(kind),
        )


def counts(findings: Iterable[Finding], things: int) -> dict[str, int]:
    """Count things by fate; ``things`` is how many there are in all."""
    found = {fate.value: 0 for fate in Fate}
    for finding in findings:
        if finding.explained and finding.fate is not Fate.CARRIED:
            found[finding.fate.value] += 1
    found[Fate.CARRIED.value] = max(0, things - sum(found.values()))
    return found
