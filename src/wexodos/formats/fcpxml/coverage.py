"""Every element and attribute of Lane XML and what becomes of it: ``elements.table``, from which
``docs/formats/fcpxml.md`` is made too."""

from __future__ import annotations

from typing import Protocol

from wexodos.formats.coverage import known_tags, load

ROWS = load("fcpxml")
KNOWN = known_tags(ROWS)
ITEMS = frozenset(
    {"asset-clip", "clip", "video", "audio", "ref-clip", "mc-clip", "sync-clip", "title", "caption", "gap"}
)
OWNERS = ITEMS | {"transition", "sequence", "asset", "fcpxml"}


GAP_KEPT = frozenset({"note", "rating", "keyword", "analysis-marker", "metadata"})
"""What may hang on a gap, which is no item: kept with the sequence."""


class Said(Protocol):
    """An element, read or to be written."""

    def get(self, key: str, /) -> str | None: ...


def key_of(element: Said) -> str:
    """What tells parameters, keys and components apart: their name, their place in time, their channel or
    role."""
    for name in ("name", "time", "key", "srcCh", "role", "kind", "angleID"):
        value = element.get(name)
        if value:
            return value
    return ""
