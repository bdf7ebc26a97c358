"""Every element of Track XML and what becomes of it: ``elements.table``, from which ``docs/formats/xmeml.md``
is made too."""

from __future__ import annotations

from typing import Any, Protocol

from wexodos.formats.coverage import children, known_tags, load
from wexodos.formats.xmeml.lexical import Texts, text_of

ROWS = load("xmeml")
KNOWN = known_tags(ROWS)
OWNERS = frozenset(
    {
        "xmeml",
        "project",
        "bin",
        "children",
        "sequence",
        "track",
        "clipitem",
        "generatoritem",
        "transitionitem",
        "file",
    }
)
ITEM_IGNORED = children(ROWS, "clipitem", "i")
TRACK_KNOWN = children(ROWS, "track", "rwi")
SEQUENCE_KNOWN = children(ROWS, "sequence", "rwi")


class Parts(Texts, Protocol):
    """An element with its tag and its children."""

    tag: Any

    def find(self, path: str, /) -> Texts | None: ...


def key_of(element: Parts) -> str:
    """What tells filters and parameters apart: the id of the effect, the id or name of the parameter."""
    if element.tag == "filter":
        return text_of(element.find("effect"), "effectid").lower()
    if element.tag == "parameter":
        return text_of(element, "parameterid") or text_of(element, "name")
    return ""
