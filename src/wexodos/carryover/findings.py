"""Findings: what does not carry over as it was, why, and what to do."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

from wexodos.timing import Exact


class Fate(StrEnum):
    """What becomes of a thing on its way over."""

    CARRIED = "carried"
    ADAPTED = "adapted"
    BAKED = "baked"
    NOTED = "noted"
    LEFT = "left behind"


class Remedy(StrEnum):
    """What can be chosen for a finding."""

    ADAPT = "adapt"
    NOTE = "note"
    LEAVE = "leave"


FATE_OF = {Remedy.ADAPT: Fate.ADAPTED, Remedy.NOTE: Fate.NOTED, Remedy.LEAVE: Fate.LEFT}

MINUTES: dict[str, tuple[float, float]] = {
    "clip": (1, 5),
    "transition": (2, 3),
    "speed": (4, 6),
    "motion": (1, 5),
    "opacity": (1, 2),
    "title": (3, 8),
    "generator": (1, 2),
    "filter": (2, 6),
    "colour": (3, 8),
    "level": (0, 3),
    "pan": (0, 1),
    "fade": (0, 1),
    "channels": (1, 2),
    "mute": (0, 1),
    "marker": (0, 0.5),
    "nested": (2, 10),
    "angles": (1, 3),
    "track": (0, 0.5),
    "media": (0, 1),
    "settings": (1, 5),
    "metadata": (0, 0),
}
"""Repair budget: minutes for one thing of a kind, (adapted, noted or left behind). A destination may say
otherwise."""


@dataclass(frozen=True, slots=True)
class Finding:
    """One line of the carry-over report.

    ``start`` and ``stop`` in frames of the sequence. ``covers`` names the differences this finding explains
    on the item ``item_id`` and on the items of ``also``; ``everywhere`` names those it explains on any item,
    each with the letter of the medium before it (``V:track``): tracks that are numbered anew, nothing else.
    """

    kind: str
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
    explained: bool = True
    covers: frozenset[str] = frozenset()
    also: frozenset[str] = frozenset()
    everywhere: frozenset[str] = frozenset()

    @property
    def key(self) -> str:
        """Stays the same from plan to plan, so that a choice made for a finding finds it again."""
        return f"{self.kind}|{self.what}|{self.item_id}"


@dataclass(frozen=True, slots=True)
class Choices:
    """What a person decided: by finding, otherwise by kind of thing (``transition|wipe``), otherwise the
    default."""

    by_key: Mapping[str, Remedy] = field(default_factory=dict)
    by_what: Mapping[str, Remedy] = field(default_factory=dict)

    def pick(self, key: str, kind: str, what: str, options: tuple[Remedy, ...]) -> Remedy:
        """The chosen remedy; the first option where nothing possible was chosen."""
        for wanted in (self.by_key.get(key), self.by_what.get(f"{kind}|{what}"), self.by_what.get(kind)):
            if wanted is not None and wanted in options:
                return wanted
        return options[0]


def counts(findings: Iterable[Finding], things: int) -> dict[str, int]:
    """Count things by fate; ``things`` is how many there are in all."""
    found = {fate.value: 0 for fate in Fate}
    for finding in findings:
        if finding.explained:
            found[finding.fate.value] += 1
    found[Fate.CARRIED.value] = max(0, things - sum(found.values()))
    return found
