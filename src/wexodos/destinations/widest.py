"""How much of a destination its format can spell at all: nobody can take what no file of theirs can say.

The shipped destinations of a format say it together. What a destination of the user's leaves out it has from
the one that keeps most; what it asks for beyond all of them is a mistake in it.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import TypeAlias

import msgspec

from wexodos.settling.receiver import Destination

Tables: TypeAlias = "dict[str, dict[str, object]]"

_OWN = frozenset({"turnover", "rates", "minutes"})
"""Tables that say what is wanted, not what can be said."""
_ORDER = ("editing", "archive", "finishing", "grading", "mixing")


def widest(known: list[Destination], format_id: str) -> Destination | None:
    """The shipped destination of a format that keeps most of a cut; None where the format is not written."""
    return min(
        (one for one in known if one.builtin and one.format == format_id),
        key=lambda one: _ORDER.index(one.for_) if one.for_ in _ORDER else len(_ORDER),
        default=None,
    )


def completed(data: dict[str, object], known: list[Destination]) -> dict[str, object]:
    """What a file of the user's says, with all that it leaves out from the widest of its format."""
    base = widest(known, str(data.get("format")))
    if base is None:
        return data
    whole = dict(data)
    for table, values in _tables(base).items():
        said = data.get(table, {})
        if isinstance(said, dict):
            # Every one that the format has, not every one that there is.
            taken = {
                key: values[key] if value == "all" else value for key, value in said.items() if key in values
            }
            whole[table] = {**values, **said, **taken}
    return whole


def beyond(data: dict[str, object], known: list[Destination]) -> Iterator[tuple[str, str, str]]:
    """Table, key and value of everything that no shipped destination of the format takes."""
    others = [_tables(one) for one in known if one.builtin and one.format == data.get("format")]
    for table, values in data.items():
        if table in _OWN or not isinstance(values, dict):
            continue
        for key, value in values.items():
            there = [one[table][key] for one in others if key in one.get(table, {})]
            if value is True and there and not any(there):
                yield table, key, "true"
            elif isinstance(value, list) and there and "all" not in there:
                some = {part for one in there if isinstance(one, list) for part in one}
                yield from ((table, key, repr(part)) for part in value if part not in some)


def _tables(one: Destination) -> Tables:
    whole = msgspec.to_builtins(one)
    return {
        table: values for table, values in whole.items() if isinstance(values, dict) and table != "minutes"
    }
