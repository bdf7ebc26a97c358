"""Small helpers for writing XML."""

from __future__ import annotations

import re

from lxml import etree

Element = etree._Element
_FORBIDDEN = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")


def clean(text: str) -> str:
    """Take out what XML cannot hold."""
    # Nearly all texts are plain letters and numbers: asking that is quicker than looking for what is not.
    return text if text.isprintable() else _FORBIDDEN.sub("", text)


_sub_element = etree.SubElement


def add(parent: Element, tag: str, text: object = None, **attributes: object) -> Element:
    """Append a child; attributes whose value is None are left out."""
    said = {key: clean(str(value)) for key, value in attributes.items() if value is not None}
    child = _sub_element(parent, tag, said)
    if text is not None:
        text = str(text)
        child.text = text if text.isprintable() else clean(text)
    return child


def verbatim(text: str) -> Element | None:
    """Parse a kept piece again so that it can be put back; None where that fails."""
    try:
        return etree.fromstring(text, etree.XMLParser(resolve_entities=False, no_network=True))
    except etree.XMLSyntaxError:
        return None
