"""Parsing XML from strangers: no entities, no external anything, limits on size and depth."""

from __future__ import annotations

import re
from typing import Any

from lxml import etree

from wexodos.formats.errors import ReadError

MAX_BYTES = 768 * 1024 * 1024
_ROOT = re.compile(r"<([A-Za-z_][\w.\-:]*)")


def root_tag(head: bytes) -> str | None:
    """Return the name of the root element as far as the first bytes of a file tell, without parsing them.

    Comments, processing instructions and the document type are passed over; None where no element begins.
    """
    text = _decoded(head)
    text = re.sub(r"<!--.*?-->|<\?.*?\?>|<!DOCTYPE[^\[>]*(?:\[.*?\]\s*)?>", "", text, flags=re.DOTALL)
    if not text.lstrip("\ufeff \t\r\n").startswith("<"):
        return None
    match = _ROOT.search(text)
    return match.group(1) if match else None


def _decoded(head: bytes) -> str:
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        return head[: len(head) & ~1].decode("utf-16", "ignore")
    return head.decode("utf-8", "ignore")


def parse(data: bytes) -> etree._Element:
    """Parse a document and return its root.

    Raises ``ReadError`` for anything that is not well-formed, is deeper than 256 levels, is larger than 768
    MiB or declares entities of its own (a document type without declarations is fine).
    """
    if not data.strip():
        raise ReadError("the file is empty")
    if len(data) > MAX_BYTES:
        raise ReadError(f"the file is larger than {MAX_BYTES >> 20} MiB")
    parser = etree.XMLParser(
        resolve_entities=False,
        no_network=True,
        load_dtd=False,
        dtd_validation=False,
        remove_comments=True,
        remove_pis=True,
        huge_tree=False,
        collect_ids=False,
    )
    try:
        root = etree.fromstring(data, parser)
    except etree.XMLSyntaxError as error:
        raise ReadError(f"the XML is broken or cut short: {_plain(error)}", f"line {error.lineno}") from None
    except (ValueError, AssertionError) as error:
        raise ReadError(f"the XML cannot be read: {str(error)[:120]}") from None
    subset: Any = root.getroottree().docinfo.internalDTD
    if subset is not None and (
        subset.external_id or subset.system_url or any(True for _ in subset.iterentities())
    ):
        raise ReadError("the document type declares entities or outside files, which is refused")
    return root


def _plain(error: etree.XMLSyntaxError) -> str:
    message = (error.msg or "").split("\n")[0]
    return re.sub(r", line \d+, column \d+.*$", "", message)[:160]
