"""What findings weigh: which of them count as carried, and how long it takes to mend the others."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from wexodos.compare.aspects import Aspect
from wexodos.settling.findings import Choices, Finding
from wexodos.settling.vocabulary import Fate, Kind, Remedy

AGAIN = 0.1
"""Minutes for each further place at which the very same is done again: chosen together, or pasted."""

_ONE_BY_ONE = frozenset({Kind.CLIP, Kind.TITLE, Kind.NESTED, Kind.ANGLES})
"""What has to be cut in at every place, however alike the places are."""


def weighed(findings: Iterable[Finding], unseen: frozenset[str], choices: Choices) -> tuple[Finding, ...]:
    """Findings with their fate and minutes as they count in the whole.

    What is followed within the tolerance that was chosen and leaves no work is carried, closely. The repair
    budget takes each piece of work once: the same loss of the same value at a further place is a moment's
    work, and what nobody sees or hears (``unseen``, by id), or what was left behind on purpose, is none.
    """
    done: set[tuple[object, ...]] = set()
    found = []
    for one in findings:
        if _closely(one):
            found.append(replace(one, fate=Fate.CARRIED, closely=True))
            continue
        minutes = one.minutes
        if one.item_id in unseen or _on_purpose(one, choices):
            minutes = 0.0
        elif minutes > AGAIN and (work := _work(one)) is not None:
            minutes = AGAIN if work in done else minutes
            done.add(work)
        found.append(one if minutes == one.minutes else replace(one, minutes=minutes))
    return tuple(found)


def weighed_after(findings: Iterable[Finding], done: set[object]) -> tuple[Finding, ...]:
    """Weighed findings of one sequence of several that go over together: what has to be done in those before
    it (``done``, which grows) is a moment's work here."""
    found, new = [], set()
    for one in findings:
        if one.minutes > AGAIN and (work := _work(one)) is not None:
            new.add(work)
            if work in done:
                one = replace(one, minutes=AGAIN)
        found.append(one)
    done |= new
    return tuple(found)


def _closely(one: Finding) -> bool:
    if one.fate is not Fate.ADAPTED or one.minutes or one.deviation is None or one.within is None:
        return False
    return one.deviation[0] <= one.within


def _on_purpose(one: Finding, choices: Choices) -> bool:
    return one.remedy is Remedy.LEAVE and choices.left(one.kind, one.what, one.item_id)


def _work(one: Finding) -> tuple[object, ...] | None:
    """What has to be done for a finding, the same for two at which the same has to be done; None where every
    place is a work of its own."""
    if one.kind in _ONE_BY_ONE and any(change.aspect is Aspect.PRESENCE for change in one.changes):
        return None
    values = tuple((change.aspect, repr(change.before)) for change in one.changes)
    return one.cause, one.kind, one.what, one.fate, values or repr(one.before)
