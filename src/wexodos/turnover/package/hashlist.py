"""The list of sums in a package, in the open form of the American Society of Cinematographers (ASC MHL 2.0):
a folder ``ascmhl`` with a hash list for each time the package was sealed and a chain that names them."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime

from lxml import etree

from wexodos import __version__
from wexodos.formats import ReadError
from wexodos.formats.build_xml import Element, add
from wexodos.formats.safe_xml import parse
from wexodos.turnover.package.sums import KINDS, c4

FOLDER, CHAIN = "ascmhl", "ascmhl/ascmhl_chain.xml"
IGNORED = (".DS_Store", "ascmhl", "ascmhl/", "Thumbs.db", "desktop.ini")
"""What systems put into folders by themselves is no part of a package."""
_LIST, _DIRECTORY = "urn:ASC:MHL:v2.0", "urn:ASC:MHL:DIRECTORY:v2.0"


@dataclass(frozen=True, slots=True)
class Entry:
    """A file of a package: its path in it with ``/``, its size in bytes (None where none is said), the kind
    of its sum and the sum, and when it was changed last."""

    path: str
    size: int | None
    kind: str
    digest: str
    changed: datetime | None = None


def sealed(entries: Iterable[Entry], name: str, moment: datetime) -> list[tuple[str, bytes]]:
    """The hash list of a package called ``name`` and its chain, as (path in the package, bytes)."""
    root = etree.Element("hashlist", version="2.0", nsmap={None: _LIST})  # type: ignore[dict-item]
    creator = add(root, "creatorinfo")
    add(creator, "creationdate", _date(moment))
    # Nobody outside needs to know what the machine is called.
    add(creator, "hostname", "localhost")
    add(creator, "tool", "Wexodos", version=__version__)
    process = add(root, "processinfo")
    add(process, "process", "transfer")
    ignored = add(process, "ignore")
    for pattern in IGNORED:
        add(ignored, "pattern", pattern)
    hashes = add(root, "hashes")
    for entry in sorted(entries, key=lambda one: one.path):
        one = add(hashes, "hash")
        path = add(one, "path", entry.path, size=str(entry.size or 0))
        if entry.changed is not None:
            path.set("lastmodificationdate", _date(entry.changed))
        add(one, entry.kind, entry.digest, action="original", hashdate=_date(moment))
    listed = _spelled(root)
    file = f"0001_{name}_{moment.astimezone(UTC):%Y-%m-%d_%H%M%SZ}.mhl"
    chain = etree.Element("ascmhldirectory", nsmap={None: _DIRECTORY})  # type: ignore[dict-item]
    first = add(chain, "hashlist", sequencenr="1")
    add(first, "path", file)
    add(first, "c4", c4(hashlib.sha512(listed).digest()))
    return [(f"{FOLDER}/{file}", listed), (CHAIN, _spelled(chain))]


def chained(data: bytes) -> list[tuple[str, str]]:
    """The hash lists a chain names, oldest first: (path in the package, its C4 identifier). Raises
    ``ReadError``."""
    root = parse(data)
    if _tag(root) != "ascmhldirectory":
        raise ReadError("this is no chain of hash lists", CHAIN)
    found = []
    for one in root:
        if _tag(one) == "hashlist":
            told = {_tag(child): (child.text or "").strip() for child in one}
            found.append((f"{FOLDER}/{told.get('path', '')}", told.get("c4", "")))
    return found


def listed(data: bytes, place: str) -> list[Entry]:
    """The files a hash list names, each with the best sum that is known here. Raises ``ReadError``."""
    root = parse(data)
    if _tag(root) != "hashlist":
        raise ReadError("this is no hash list", place)
    entries = []
    for one in root.iter():
        if _tag(one) != "hash":
            continue
        told = {_tag(child): child for child in one}
        path = told.get("path")
        kind = next((name for name in KINDS if name in told), None)
        if path is None or not (path.text or "").strip():
            raise ReadError("an entry names no file", place)
        name = (path.text or "").strip()
        if kind is None:
            raise ReadError(f"{name} has no sum of a kind that is known here", place)
        if name.startswith("/") or "\\" in name or ".." in name.split("/"):
            raise ReadError(f"{name} lies outside of the package", place)
        size = path.get("size", "")
        digest = (told[kind].text or "").strip()
        moment = _moment(path.get("lastmodificationdate", ""))
        entries.append(Entry(name, int(size) if size.isdigit() else None, kind, digest, moment))
    return entries


def _moment(text: str) -> datetime | None:
    """A date as the lists have it; None where none is said, or none that can be read."""
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        return None
    return found if found.tzinfo is not None else None


def _tag(element: Element) -> str:
    return etree.QName(element).localname if isinstance(element.tag, str) else ""


def _date(moment: datetime) -> str:
    return moment.astimezone(UTC).isoformat(timespec="seconds")


def _spelled(root: Element) -> bytes:
    return bytes(etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True))
