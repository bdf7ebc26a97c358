"""Elements that a dialect's table does not name, wherever they stand: found, kept with their place, and put
back there (N2)."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache
from itertools import groupby
from typing import Any, Protocol, TypeVar

from lxml import etree

from wexodos.formats.build_xml import Element
from wexodos.formats.safe_xml import parse
from wexodos.model import Raw

KeyOf = Callable[[Element], str]


def unknown_tags(data: bytes, known: frozenset[str]) -> bool:
    """Whether a file names an element that the table does not: a look at its bytes, far cheaper than a walk
    over its tree."""
    if b"\x00" in data[:64]:
        # UTF-16, where no tag stands in plain bytes: walk.
        return True
    return _other_than(known).search(data) is not None


@lru_cache(maxsize=8)
def _other_than(known: frozenset[str]) -> re.Pattern[bytes]:
    """What begins an element of any other name. The names stand letter by letter as a tree: a list of them
    would be gone through for every element."""
    return re.compile(rb"<(?!(?:%s)(?![\w.\-]))[A-Za-z_\x80-\xff]" % _any_of(sorted(known)).encode())


def _any_of(words: list[str]) -> str:
    """A pattern for any of sorted words, which begins with what they begin with."""
    branches = [
        re.escape(letter) + _any_of([word[1:] for word in together])
        for letter, group in groupby(words, key=lambda word: word[:1])
        if (together := list(group)) and letter
    ]
    if not branches:
        return ""
    whole = f"(?:{'|'.join(branches)})"
    return f"{whole}?" if "" in words else whole


def parsed(data: bytes, known: frozenset[str]) -> tuple[Element, bool]:
    """Parse a document and, at the same time on another core, see whether it names an unknown element.

    Raises ``ReadError`` as ``parse`` does.
    """
    with ThreadPoolExecutor(1) as beside:
        scan = beside.submit(unknown_tags, data, known)
        root = parse(data)
        return root, scan.result()


def strangers(
    root: Element, known: frozenset[str], owners: frozenset[str], dialect: str, key_of: KeyOf
) -> dict[Element, list[Raw]]:
    """Return the outermost unknown elements by the owner they stand in, deeper than right inside it.

    An owner is the nearest element around with a tag of ``owners``; what stands right inside an owner is its
    reader's own business, so that the owner comes with an empty list.
    """
    found: dict[Element, list[Raw]] = defaultdict(list)
    inside: set[Element] = set()
    for element in root.iter(etree.Element):
        parent = element.getparent()
        if parent is None:
            continue
        if parent in inside:
            inside.add(element)
            continue
        if element.tag in known:
            continue
        inside.add(element)
        steps: list[str] = []
        around = parent
        while around.tag not in owners and around.getparent() is not None:
            steps.append(_step(around, key_of))
            above = around.getparent()
            assert above is not None
            around = above
        mine = found[around]
        if steps:
            mine.append(Raw(dialect, str(element.tag), _alone(element), "/".join(reversed(steps))))
    return found


def beyond(found: Iterable[Raw], holders: Iterable[Raw | None]) -> tuple[Raw, ...]:
    """The unknown pieces that do not already stand in something kept word for word."""
    texts = [holder.text for holder in holders if holder is not None]
    return tuple(raw for raw in found if not any(raw.text in text for text in texts))


def _step(element: Element, key_of: KeyOf) -> str:
    """One step of a place: the tag, and what tells the element from its like: a key, otherwise its number
    among them."""
    key = key_of(element)
    if key:
        return f"{element.tag}[{key}]"
    number = sum(1 for _ in element.itersiblings(str(element.tag), preceding=True))
    return f"{element.tag}#{number}" if number else str(element.tag)


def _alone(element: Element) -> str:
    return str(etree.tostring(element, encoding="unicode", with_tail=False))


class _Tagged(Protocol):
    tag: Any


Tagged = TypeVar("Tagged", bound=_Tagged)


def place_of_step(children: list[Tagged], step: str, key_of: Callable[[Tagged], str]) -> Tagged | None:
    """The child that one step of a place means; None where it is not there."""
    match = re.fullmatch(r"([\w.\-]+)(?:\[(.*)\]|#(\d+))?", step, re.DOTALL)
    if match is None:
        return None
    tag, key, number = match.groups()
    like = [one for one in children if one.tag == tag]
    if key is not None:
        return next((one for one in like if key_of(one) == key), None)
    place = int(number or 0)
    return like[place] if place < len(like) else None
