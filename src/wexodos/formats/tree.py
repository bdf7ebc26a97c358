"""Elements to be written: plain objects that are made several times as fast as a parser's, and pieces that
stand in many places in the same words are made and spelled once.

What is shared is never changed: who puts something into a piece that is there already copies the way to it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Hashable, Iterator
from typing import Any

from lxml import etree

from wexodos.formats.build_xml import Element, clean, verbatim
from wexodos.formats.strangers import place_of_step
from wexodos.model import Raw

_TEXT = {"&": "&amp;", "<": "&lt;", ">": "&gt;", "\r": "&#13;"}
_ATTRIBUTE = {**_TEXT, '"': "&quot;", "\n": "&#10;", "\t": "&#9;"}
_IN_TEXT = re.compile("[&<>\r]")
_IN_ATTRIBUTE = re.compile('[&<>"\r\n\t]')


class Node:
    """An element with text or children, and the text behind it where there is any; with ``word_for_word`` its
    whole spelling, which is only named by its tag."""

    __slots__ = ("attributes", "children", "spelled", "tag", "tail", "text", "word_for_word")

    def __init__(
        self,
        tag: str,
        text: str | None = None,
        attributes: dict[str, str] | None = None,
        children: list[Node] | None = None,
        word_for_word: str | None = None,
    ) -> None:
        self.tag = tag
        self.text = text
        self.attributes = attributes
        self.children = children
        self.word_for_word = word_for_word
        self.tail: str | None = None
        self.spelled: dict[str, str] | None = None

    def __iter__(self) -> Iterator[Node]:
        return iter(self.children or ())

    def append(self, child: Node) -> None:
        if self.children is None:
            self.children = [child]
        else:
            self.children.append(child)

    def insert(self, place: int, child: Node) -> None:
        self.children = [*self]
        self.children.insert(place, child)

    def get(self, name: str) -> str | None:
        return None if self.attributes is None else self.attributes.get(name)

    def set(self, name: str, value: str) -> None:
        if self.attributes is None:
            self.attributes = {name: value}
        else:
            self.attributes[name] = value

    def drop(self, name: str) -> None:
        """Take an attribute out, where it is there."""
        if self.attributes is not None:
            self.attributes.pop(name, None)

    def findall(self, tag: str) -> list[Node]:
        return [child for child in self if child.tag == tag and child.word_for_word is None]

    def find(self, tag: str) -> Node | None:
        return next(iter(self.findall(tag)), None)

    def findtext(self, tag: str) -> str | None:
        found = self.find(tag)
        return None if found is None else found.text or ""

    def within(self) -> Iterator[Node]:
        """The element and everything that stands in it."""
        yield self
        for child in self:
            yield from child.within()

    def copy(self) -> Node:
        """The same with attributes and a list of children of its own."""
        attributes = None if self.attributes is None else dict(self.attributes)
        made = Node(self.tag, self.text, attributes, list(self), self.word_for_word)
        made.tail = self.tail
        return made


def node(tag: str, **attributes: object) -> Node:
    """An element that stands nowhere yet; attributes whose value is None are left out."""
    return Node(tag, None, {key: clean(str(value)) for key, value in attributes.items() if value is not None})


def add(parent: Node, tag: str, text: object = None, **attributes: object) -> Node:
    """Append a child; attributes whose value is None are left out."""
    if text is not None:
        text = str(text)
        if not text.isprintable():
            text = clean(text)
    child = Node(tag, text)
    if attributes:
        child.attributes = {key: clean(str(value)) for key, value in attributes.items() if value is not None}
    if parent.children is None:
        parent.children = [child]
    else:
        parent.children.append(child)
    return child


def kept(raw: Raw) -> Node | None:
    """A kept piece that is to be written word for word, spaces included; None where it is no XML any more."""
    return Node(raw.tag, word_for_word=raw.text) if verbatim(raw.text) is not None else None


def parsed(raw: Raw) -> Node | None:
    """A kept piece that is to be changed before it is written; None where it is no XML any more."""
    element = verbatim(raw.text)
    return None if element is None else _of(element)


def _of(element: Element) -> Node:
    tag: Any = element.tag
    if not isinstance(tag, str):
        # A comment or an instruction.
        return Node("", word_for_word=etree.tostring(element, encoding="unicode", with_tail=False))
    children = []
    for child in element:
        made = _of(child)
        made.tail = child.tail if child.tail and child.tail.strip() else None
        children.append(made)
    text = element.text
    if children and not (text and text.strip()):
        # Indentation, which is made anew.
        text = None
    return Node(tag, text, {str(key): str(value) for key, value in element.items()}, children)


class Pieces:
    """Pieces of one file that stand in many places in the same words."""

    def __init__(self) -> None:
        self._made: dict[Hashable, list[Node]] = {}

    def put(self, parent: Node, key: Hashable, write: Callable[[Node], None]) -> None:
        """Append to ``parent`` what ``write`` writes for ``key``, all of which must stand in the key."""
        made = self._made.get(key)
        if made is None:
            holder = Node("holder")
            write(holder)
            made = self._made[key] = shared(*holder)
        for one in made:
            parent.append(one)


def shared(*nodes: Node) -> list[Node]:
    """The same, to be spelled once for every depth they stand at."""
    for one in nodes:
        one.spelled = {}
    return list(nodes)


def put_back(
    owner: Node, raw: Raw, key_of: Callable[[Node], str], also: list[Node] | None = None, first: str = ""
) -> None:
    """Append a kept piece at its place inside ``owner``; as near to it as what was written allows. A piece
    that went out with what it stood in, word for word, is not written twice.

    ``also`` are elements that will stand in ``owner`` but do not yet; pieces of the tag ``first`` stand
    before everything else.
    """
    piece = kept(raw)
    if piece is None:
        return
    way: list[tuple[bool, int]] = []
    at = owner
    for step in raw.path.split("/") if raw.path else ():
        rows = [at.children or [], (also or []) if at is owner else []]
        whole = [child for row in rows for child in row if child.word_for_word is None]
        following = place_of_step(whole, step, key_of)
        if following is None:
            if any(raw.text in child.word_for_word for child in at if child.word_for_word is not None):
                # What it stood in went out word for word, with it.
                return
            break
        way.append(
            next(
                (row is rows[1], place)
                for row in rows
                for place, child in enumerate(row)
                if child is following
            )
        )
        at = following
    if any(child.tag == raw.tag and _alone(child) == raw.text for child in at):
        return
    at = owner
    for beside, place in way:
        row = (also if beside else at.children) or []
        # What many share stays as it is for the others.
        row[place] = row[place].copy()
        at = row[place]
    if raw.tag == first:
        at.insert(0, piece)
    else:
        at.append(piece)


def document_bytes(root: Node, doctype: str) -> bytes:
    """Serialise with declaration, document type and indentation by two spaces; text with line breaks stays as
    it is."""
    lines = [f"<?xml version='1.0' encoding='UTF-8'?>\n{doctype}"]
    _spell(root, lines, "\n", "\n")
    return "".join(lines).encode()


def _alone(node: Node) -> str:
    """A piece as it would be kept: without indentation."""
    lines: list[str] = []
    _spell(node, lines, "", "", "")
    return "".join(lines)


def _escaped(text: str) -> str:
    return _IN_TEXT.sub(lambda found: _TEXT[found[0]], text) if _IN_TEXT.search(text) else text


def _spell(node: Node, lines: list[str], lead: str, pad: str, deeper: str = "  ") -> None:
    """Add the spelling of an element behind ``lead``; what stands in it, and its end, are on lines that begin
    with ``pad``."""
    if node.spelled is not None and lead == pad:
        known = node.spelled.get(pad)
        if known is None:
            within: list[str] = []
            _spell_anew(node, within, lead, pad, deeper)
            known = node.spelled[pad] = "".join(within)
        lines.append(known)
    else:
        _spell_anew(node, lines, lead, pad, deeper)


def _spell_anew(node: Node, lines: list[str], lead: str, pad: str, deeper: str) -> None:
    if node.word_for_word is not None:
        lines.append(lead + node.word_for_word)
        return
    tag, text = node.tag, node.text
    begin = f"{lead}<{tag}"
    if node.attributes:
        for name, value in node.attributes.items():
            if _IN_ATTRIBUTE.search(value):
                value = _IN_ATTRIBUTE.sub(lambda found: _ATTRIBUTE[found[0]], value)
            begin += f' {name}="{value}"'
    children = node.children
    if not children:
        lines.append(f"{begin}/>" if text is None else f"{begin}>{_escaped(text)}</{tag}>")
        return
    lines.append(f"{begin}>{_escaped(text or '')}")
    inner = pad + deeper
    # What stands behind a text must be read again as it was: no line break after it.
    lead = "" if text else inner
    for child in children:
        if child.children is None and child.attributes is None and child.word_for_word is None:
            # By far the most: written here, as a call for each would take longer than the writing.
            said = child.text
            lines.append(
                f"{lead}<{child.tag}/>"
                if said is None
                else f"{lead}<{child.tag}>{_escaped(said)}</{child.tag}>"
            )
        else:
            _spell(child, lines, lead, inner, deeper)
        lead = inner
        if child.tail:
            lines.append(_escaped(child.tail))
            lead = ""
    lines.append(f"{lead and pad}</{tag}>")
