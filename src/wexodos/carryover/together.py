"""Several sequences of one file that go over together: in which order, and with one repair budget."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import replace

from wexodos.carryover.translate import Carried
from wexodos.carryover.weighing import weighed_after
from wexodos.model import Document, Sequence


def in_order(sequences: Iterable[Sequence]) -> list[Sequence]:
    """Sequences as the reels of a film follow one another: by their names, figures counted as numbers, so
    that R10 comes after R2; those of one name by where their timecode begins."""
    return sorted(sequences, key=lambda one: (_natural(one.name), one.start))


def came_back(document: Document, name: str) -> Sequence | None:
    """The sequence of a returned file that is held against the one of that name: its namesake, or else the
    first."""
    top = document.top_level or document.sequences
    return next((one for one in top if one.name == name), next(iter(top), None))


def _natural(name: str) -> list[tuple[int, str]]:
    """A name as something to sort by: words as they are without regard to case, figures as numbers, the
    shorter of which is the smaller."""
    parts = re.findall(r"[0-9]+|[^0-9]+", name.casefold())
    figures = [one.lstrip("0") if one[0] in "0123456789" else None for one in parts]
    return [(len(one), one) if one is not None else (1 << 30, part) for one, part in zip(figures, parts)]


def as_one(several: Iterable[Carried]) -> list[Carried]:
    """Carry-overs of one hand-over with one repair budget: what has been found out for one sequence is a
    moment's work in the next. Those in which that changes nothing are the same objects."""
    done: set[object] = set()
    found = []
    for one in several:
        findings = weighed_after(one.findings, done)
        found.append(one if findings == one.findings else replace(one, findings=findings))
    return found
