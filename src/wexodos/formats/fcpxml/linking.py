"""What belongs together in Lane XML: picture and sound of one source at one place are one clip there.

So what was linked otherwise is not any more, and what was not linked and stands so is.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable
from dataclasses import replace

from wexodos.model import Angles, Item, MediaUse, NestedUse
from wexodos.settling.changes import Reason
from wexodos.settling.context import Context, Work
from wexodos.settling.vocabulary import Cause, Fate


def by_place(items: Iterable[Item]) -> dict[str, str]:
    """The name of its group, by id, of every item that stands with sound (or picture) of the same source at
    the same place."""
    groups: dict[object, list[Item]] = defaultdict(list)
    for item in items:
        if isinstance(item.content, MediaUse | NestedUse | Angles):
            shown = (
                getattr(item.content, "media", None)
                or getattr(item.content, "sequence", None)
                or item.content
            )
            groups[shown, item.start, item.duration, item.source_in].append(item)
    return {
        item.id: group[0].id
        for group in groups.values()
        if len(group) > 1 and {item.sound is None for item in group} == {True, False}
        for item in group
    }


def links(context: Context, work: Work) -> None:
    """Links as they are read there; what is linked otherwise is named once for what comes and once for what
    goes."""
    items = [item for lane in work.lanes for item in lane.items]
    there = by_place(items)
    if _same_groups(items, there):
        return
    before, after = _members(items, {one.id: one.link for one in items if one.link}), _members(items, there)
    lost = sum(not before[one.id] <= after[one.id] for one in items)
    won = sum(not after[one.id] <= before[one.id] for one in items)
    goes, comes = _reason(context, work, lost, True), _reason(context, work, won, False)
    for lane in work.lanes:
        for item in list(lane.items):
            link = there.get(item.id)
            if link == item.link or before[item.id] == after[item.id] != frozenset():
                # Who belongs together counts, not under which name.
                continue
            reason = context.spelled(Cause.NO_LINKS)
            if not before[item.id] <= after[item.id]:
                reason = goes
            elif not after[item.id] <= before[item.id]:
                reason = comes
            work.put(lane, item, replace(item, link=link), reason)


def _same_groups(items: list[Item], there: dict[str, str]) -> bool:
    """Whether the same items belong together under either kind of name."""
    here: dict[str | None, str | None] = {}
    back: dict[str | None, str | None] = {}
    for one in items:
        mine, theirs = one.link or None, there.get(one.id)
        if here.setdefault(mine, theirs) != theirs or back.setdefault(theirs, mine) != mine:
            return False
    return here.get(None) is None and back.get(None) is None


def _members(items: list[Item], names: dict[str, str]) -> dict[str, frozenset[str]]:
    """With which others every item belongs together; nothing for one that stands alone."""
    counts = Counter(names.values())
    groups: dict[str, set[str]] = defaultdict(set)
    for key, name in names.items():
        groups[name].add(key)
    return {
        one.id: frozenset(groups[names[one.id]])
        if one.id in names and counts[names[one.id]] > 1
        else frozenset()
        for one in items
    }


def _reason(context: Context, work: Work, count: int, goes: bool) -> Reason:
    if not count:
        return context.spelled(Cause.NO_LINKS)
    return context.because(
        work,
        Cause.NO_LINKS,
        (0, work.sequence.duration),
        "",
        f"picture and sound of one source at one place are one clip there; {count} clips are "
        + ("not linked as they were" if goes else "linked that were not"),
        "link them again there, if they should move together" if goes else "nothing",
        what="links" if goes else "new links",
        fate=Fate.LEFT if goes else Fate.ADAPTED,
        item_id=work.sequence.id,
        name=work.sequence.name or "sequence",
        minutes=1 if goes else 0,
    )
