"""Differences that no book accounts for: faults of ours, shown as errors."""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum
from typing import Any

from wexodos.compare import Difference, marker_key
from wexodos.compare.aspects import ABOUT, Aspect, Kind
from wexodos.model import Item, Marker, Transition
from wexodos.settling.findings import Finding
from wexodos.settling.vocabulary import Fate
from wexodos.timing import Exact


class Book(StrEnum):
    """The books that are held for every carry-over; the first, what was read, balances by construction: what
    no reader takes is listed (``formats/taken.py``)."""

    CHANGE = "what was changed"
    WRITE = "what was written"


_WHY = {
    Book.CHANGE: "the adapted cut differs here, and no recorded change says so",
    Book.WRITE: "the file that was written differs here from the adapted cut",
}
_DO = "report this: it is a fault of Wexodos"


def fault(
    book: Book,
    aspect: Aspect,
    thing: Item | Transition | Marker | None,
    track: str,
    before: Any,
    after: Any,
    deviation: tuple[float, str] | None = None,
) -> Finding:
    """A difference of one aspect of one thing that a book does not account for."""
    name, item_id = "", ""
    start: Exact = 0
    stop: Exact = 0
    if isinstance(thing, Marker):
        name, item_id = thing.name or "marker", marker_key(thing.start, thing)
        start, stop = thing.start, thing.start + thing.duration
    elif thing is not None:
        name = thing.name or (thing.kind if isinstance(thing, Item) else thing.type)
        item_id, start, stop = thing.id, thing.start, thing.end
    return Finding(
        ABOUT[aspect].kind,
        f"changed: {aspect}",
        name,
        item_id,
        track,
        start,
        stop,
        Fate.LEFT,
        _WHY[book],
        _DO,
        before=_short(before),
        after=_short(after),
        deviation=deviation,
        explained=False,
        book=book.value,
    )


def of_differences(book: Book, found: Iterable[Difference]) -> list[Finding]:
    """Differences between two cuts as faults of a book."""
    return [
        Finding(
            Kind.SETTINGS if one.kind == "settings" else ABOUT[one.aspect].kind,
            f"{one.kind}: {one.what}",
            one.item,
            one.item_id,
            one.track,
            one.start,
            one.stop,
            Fate.LEFT,
            _WHY[book],
            _DO,
            before=_short(one.before),
            after=_short(one.after),
            deviation=one.deviation,
            explained=False,
            book=book.value,
        )
        for one in found
    ]


def _short(value: Any) -> Any:
    """A value of the model in words that a report can hold."""
    if value is None or isinstance(value, str | int | float | bool | list):
        return value
    return repr(value)[:300]
