"""A change list: how what was made for an earlier version of a cut is cut to the later one."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from typing import Any

from wexodos.compare.changes import Change, Versions
from wexodos.compare.pieces import How
from wexodos.formats import FORMATS
from wexodos.ground.names import table_bytes
from wexodos.model import Document, Item, Media, MediaUse, Motion, Sequence, Track
from wexodos.report.rows import time_value
from wexodos.timing import Exact, absolute, floor

_SAME = (How.SAME, How.PART)


@dataclass(frozen=True, slots=True)
class Kept:
    """A stretch of the later version, in its frames, that stands ``shift`` frames later than in the earlier
    one."""

    first: Exact
    last: Exact
    shift: Exact


def kept(found: Versions, kind: str) -> list[Kept]:
    """What of the earlier version the later one still shows (``kind`` V) or lets hear (A), in the order of
    the later one, each stretch with the shift most tracks have there; where nothing is the same there is
    none."""
    parts = [one for one in found.pieces if one.how in _SAME and one.new.track[0] == kind]
    steps: dict[Exact, list[tuple[Exact, int]]] = defaultdict(list)
    for one in parts:
        steps[one.new_from].append((one.shift, 1))
        steps[one.new_until].append((one.shift, -1))
    rows: list[Kept] = []
    votes: dict[Exact, int] = defaultdict(int)
    places = sorted(steps)
    for first, last in zip(places, places[1:]):
        for shift, more in steps[first]:
            votes[shift] += more
        most = max(votes.values(), default=0)
        if most <= 0:
            continue
        before = rows[-1].shift if rows else None
        shift = before if before is not None and votes[before] == most else _first(votes, most)
        if rows and rows[-1].last == first and rows[-1].shift == shift:
            rows[-1] = Kept(rows[-1].first, last, shift)
        else:
            rows.append(Kept(first, last, shift))
    return rows


def _first(votes: dict[Exact, int], most: int) -> Exact:
    return min((shift for shift, count in votes.items() if count == most), key=absolute)


def as_list(found: Versions, old: Sequence, new: Sequence) -> bytes:
    """A cut list whose one source is the earlier version: what was made for that, cut by this list, fits the
    later one; what is new is left empty. Raises ``WriteError``."""
    source = Media(
        "old",
        f"{old.name}.mov",
        None,
        "OLDCUT",
        old.start,
        old.drop_frame,
        floor(old.duration),
        old.rate,
        old.width,
        old.height,
        video=True,
    )
    items = tuple(
        Item(
            f"{number}",
            old.name,
            one.first,
            one.last - one.first,
            MediaUse("old"),
            old.rate.seconds(one.first - one.shift),
            motion=Motion(),
        )
        for number, one in enumerate(kept(found, "V"), 1)
    )
    cut = Sequence(
        "changes",
        f"{new.name} changes",
        new.rate,
        start=new.start,
        drop_frame=new.drop_frame,
        width=new.width,
        height=new.height,
        tracks=(Track("video", items),),
    )
    return FORMATS["edl"].write(Document("edl", "CMX3600", (cut,), (source,)), "changes", "CMX3600", None)


def as_table(changes: tuple[Change, ...], old: Sequence, new: Sequence) -> bytes:
    """The changes as a table, times in timecode; the ends are the first frame behind."""
    rows = [["what", "old from", "old until", "new from", "new until", "shift in frames", "items"]]
    for one in changes:
        places = [old.timecode(floor(at)) for at in (one.old_from, one.old_until)]
        places += [new.timecode(floor(at)) for at in (one.new_from, one.new_until)]
        items = ", ".join(f"{each.track} {each.item.name or each.item.kind}" for each in one.items)
        rows.append([one.what.value, *map(str, places), f"{float(one.shift):g}", items])
    return table_bytes(rows)


def data_of(changes: tuple[Change, ...]) -> list[dict[str, Any]]:
    """The changes for programs, in frames."""
    return [
        {
            "what": one.what.value,
            "old_from": time_value(one.old_from),
            "old_until": time_value(one.old_until),
            "new_from": time_value(one.new_from),
            "new_until": time_value(one.new_until),
            "items": [
                {"item_id": each.item.id, "item": each.item.name or each.item.kind, "track": each.track}
                for each in one.items
            ],
        }
        for one in changes
    ]
