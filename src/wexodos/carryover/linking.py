"""Links between picture and sound of one clip, where a format has none: named once for the whole sequence."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

from wexodos.settling.context import Context, Work
from wexodos.settling.vocabulary import Cause, Fate
from wexodos.tidy.step import counted


def links(context: Context, work: Work) -> None:
    """What belongs together and cannot say so there. An item whose partners stay behind belongs to nothing
    any more."""
    if context.spells.links:
        return
    members = Counter(item.link for lane in work.lanes for item in lane.items if item.link)
    together = {link for link, count in members.items() if count > 1}
    reason = context.spelled(Cause.NO_LINKS)
    if together:
        many = counted(sum(members[link] for link in together), "clip")
        reason = context.because(
            work,
            Cause.NO_LINKS,
            (0, work.sequence.duration),
            "",
            f"links have no form there; {many} of picture and sound stand apart",
            "link them again there, by source and place",
            what="links",
            fate=Fate.LEFT,
            item_id=work.sequence.id,
            name=work.sequence.name or "sequence",
            before=counted(len(together), "link"),
            after="none",
            minutes=1,
        )
    for lane in work.lanes:
        for item in list(lane.items):
            if item.link:
                own = reason if item.link in together else context.spelled(Cause.NO_LINKS)
                work.put(lane, item, replace(item, link=None), own)
