"""Findings gathered for reading: one cause, one row, with the places inside."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

from wexodos.carryover.joins import WORDS
from wexodos.settling.findings import Finding
from wexodos.settling.vocabulary import RULES, Fate, Kind, Remedy
from wexodos.timing import Exact


@dataclass(frozen=True)
class Row:
    """One row of a report: the findings of one cause, at least one, in the order of their places.

    It has what a finding has, so far as it is the same for all; ``start`` is that of the first.
    """

    findings: tuple[Finding, ...]

    @property
    def first(self) -> Finding:
        return self.findings[0]

    @property
    def many(self) -> int:
        return len(self.findings)

    @property
    def key(self) -> str:
        """Tells the rows of one plan apart."""
        return "|".join(map(str, _same(self.first)))

    @property
    def fate(self) -> Fate:
        return self.first.fate

    @property
    def explained(self) -> bool:
        return self.first.explained

    @property
    def closely(self) -> bool:
        return self.first.closely

    @property
    def start(self) -> Exact:
        return self.first.start

    @property
    def remedy(self) -> Remedy | None:
        return self.first.remedy

    @cached_property
    def remedies(self) -> tuple[Remedy, ...]:
        """What can be chosen for every one of them."""
        return tuple(
            one for one in self.first.remedies if all(one in other.remedies for other in self.findings)
        )

    @cached_property
    def minutes(self) -> float:
        return round(sum(one.minutes for one in self.findings), 1)

    @property
    def open(self) -> bool:
        """Whether anything is to be done for one of them."""
        return any(one.open for one in self.findings)

    @cached_property
    def tracks(self) -> str:
        """The tracks they stand on: one by its label, several from the first to the last."""
        labels = sorted({one.track for one in self.findings if one.track}, key=_rank)
        return labels[0] if len(labels) == 1 else "" if not labels else f"{labels[0]}…{labels[-1]}"

    @property
    def thing(self) -> str:
        """The one item and what of it, or what it is about and how often."""
        return f"{self.what} · {self.many} places" if self.many > 1 else thing_of(self.first)

    @cached_property
    def what(self) -> str:
        """What it is about, in words."""
        told = list(dict.fromkeys(map(in_words, self.findings)))
        return ", ".join(told[:3]) + (" …" if len(told) > 3 else "")

    @cached_property
    def why(self) -> str:
        """The sentence they share; what differs from one to the other stands in each."""
        told = [one.why.split("; ") for one in self.findings]
        shared = [part for part in told[0] if all(part in other for other in told)]
        return "; ".join(shared) or _FIGURES.sub("…", told[0][0])

    @cached_property
    def do(self) -> str:
        """What to do; empty where that is not the same for all."""
        told = {one.do for one in self.findings}
        return told.pop() if len(told) == 1 else ""

    @cached_property
    def deviation(self) -> tuple[float, str] | None:
        """The largest."""
        far = [one.deviation for one in self.findings if one.deviation is not None]
        return max(far) if far and len({unit for _, unit in far}) == 1 else None


def rows(findings: Iterable[Finding]) -> tuple[Row, ...]:
    """Gather findings; the rows stand in the order of their first places, what nothing explains first."""
    gathered: dict[tuple[object, ...], list[Finding]] = {}
    for one in findings:
        gathered.setdefault(_same(one), []).append(one)
    return tuple(Row(tuple(group)) for group in gathered.values())


def in_words(finding: Finding) -> str:
    """What a finding is about; kinds of transitions in our words."""
    return WORDS.get(finding.what, finding.what) if finding.kind is Kind.TRANSITION else finding.what


def thing_of(finding: Finding) -> str:
    """The item a finding is about and what of it, where the item's name does not say so already. The name of
    a transition is a dialect's word for it: ours stands instead."""
    if finding.kind is Kind.TRANSITION:
        return in_words(finding)
    item, what = finding.item, in_words(finding)
    return f"{item} · {what}" if item and what.lower() not in item.lower() else item or what


_FIGURES = re.compile(r"“[^”]*”|'[^']*'|\b\d+(?:[.,:/]\d+)*\b")


def _same(one: Finding) -> tuple[object, ...]:
    """What two findings of one row have in common."""
    rule = RULES[one.cause] if one.cause is not None else None
    about = "" if rule is not None and rule.wholesale else f"{one.kind.value}|{one.what}"
    return (
        one.explained,
        one.book,
        one.cause,
        one.fate.value,
        one.remedy,
        about,
        _FIGURES.sub("…", one.why.split("; ")[0]),
    )


def _rank(label: str) -> tuple[bool, int]:
    return label[:1] == "A", int(label[1:]) if label[1:].isdigit() else 0
