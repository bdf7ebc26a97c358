"""Write markers (13)."""

from __future__ import annotations

from lxml import etree

from wexodos.formats.build_xml import Element, clean
from wexodos.formats.fcpxml.lexical import time_of
from wexodos.model import Marker
from wexodos.timing import Exact, Rate, exact


def marker_element(marker: Marker, local: Exact, rate: Rate) -> Element:
    """Spell a marker at ``local`` seconds; a point lasts one frame."""
    tag = "chapter-marker" if marker.kind == "chapter" else "marker"
    element = etree.Element(
        tag, start=time_of(exact(local)), duration=time_of(rate.seconds(marker.duration or 1))
    )
    element.set("value", clean(marker.name))
    if marker.comment:
        element.set("note", clean(marker.comment))
    if tag == "chapter-marker":
        element.set("posterOffset", "0s")
    elif marker.done is not None:
        element.set("completed", "1" if marker.done else "0")
    return element
