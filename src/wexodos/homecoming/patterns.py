"""What rooms are known to do to a cut without anybody's wish, told by its differences."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from wexodos.compare import Difference
from wexodos.compare.aspects import Aspect

_FILTERS = "filters left out"
_TITLES = "titles left out"


def pattern_of(row: Difference) -> str:
    """The known pattern a difference is one of, in words; empty where it is none."""
    match row.kind, row.aspect:
        case "gone", _ if row.what == "title":
            return _TITLES
        case "changed" | "retitled", Aspect.CONTENT if (row.before, row.after) == ("title", "generator"):
            return "titles are black"
        case "changed", Aspect.TRANSITION if row.after == "dissolve":
            return f"{row.before}s became dissolves"
        case "changed", Aspect.SPEED if row.before == _STANDS and row.after != _STANDS:
            return "freezes lost, their time kept"
        case "changed", Aspect.FILTERS if row.before and not row.after:
            return _FILTERS
    return ""


_STANDS = "0 %"
"""How a speed that stands still is told."""


def counted_patterns(rows: Iterable[Difference]) -> dict[str, int]:
    """How often each known pattern is among differences, the most frequent first."""
    return dict(Counter(filter(None, map(pattern_of, rows))).most_common())
