"""Write markers (13)."""

from __future__ import annotations

from wexodos.formats.fcpxml.lexical import time_of
from wexodos.formats.tree import Node, node
from wexodos.model import Marker
from wexodos.timing import Exact, Rate, exact


def marker_element(marker: Marker, local: Exact, rate: Rate) -> Node:
    """Spell a marker at ``local`` seconds; a point lasts one frame."""
    tag = "chapter-marker" if marker.kind == "chapter" else "marker"
    element = node(
        tag,
        start=time_of(exact(local)),
        duration=time_of(rate.seconds(marker.duration or 1)),
        value=marker.name,
        note=marker.comment or None,
    )
    if tag == "chapter-marker":
        element.set("posterOffset", "0s")
    elif marker.done is not None:
        element.set("completed", "1" if marker.done else "0")
    return element
