"""Elements to be written: plain objects that are made several times as fast as a parser's, and pieces that
stand in many places in the same words are made and spelled once.

What is shared is never changed: who puts something into a piece that is there already copies the way to it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Hashable, Iterator

from wexodos.formats.build_xml import clean, verbatim
from wexodos.formats.strangers import place_of_step
from wexodos.formats.xmeml.coverage import key_of
from wexodos.model import Raw

_TEXT = {"&": "&amp;", "<": "&lt;", ">": "&gt;", "\r": "&#13;"}
_ATTRIBUTE = {**_TEXT, '"': "&quot;", "\n": "&#10;", "\t": "&#9;"}
_IN_TEXT = re.compile("[&<>\r]")
_IN_ATTRIBUTE = re.compile('[&<>"\r\n\t]')


class Node:
    """An element with text or children; with ``word_for_word`` its whole spelling, which is only named by its
    tag."""

    __slots__ = ("attributes", "children", "spelled", "tag", "text", "word_for_word")

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
        self.spelled: dict[str, str] | None = None

    def __iter__(self) -> Iterator[Node]:
        return iter(self.children or ())

    def append(self, child: Node) -> None:
        if self.children is None:
            self.children = [child]
        else:
            self.children.append(child)

    def set(self, name: str, value: str) -> None:
        self.attributes = {**(self.attributes or {}), name: value}

    def find(self, tag: str) -> Node | None:
        return next((child for child in self if child.tag == tag and child.word_for_word is None), None)

    def findtext(self, tag: str) -> str | None:
        found = self.find(tag)
        return None if found is None else found.text or ""

    def copy(self) -> Node:
        """The same with a list of children of its own."""
        return Node(self.tag, self.text, self.attributes, list(self), self.word_for_word)


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


def put_back(owner: Node, raw: Raw) -> None:
    """Append a kept piece at its place inside ``owner``; as near to it as what was written allows. A piece
    that went out with what it stood in, word for word, is not written twice."""
    piece = kept(raw)
    if piece is None:
        return
    way: list[int] = []
    at = owner
    for step in raw.path.split("/") if raw.path else ():
        whole = [child for child in at if child.word_for_word is None]
        following = place_of_step(whole, step, key_of)
        if following is None:
            if any(raw.text in child.word_for_word for child in at if child.word_for_word is not None):
                # What it stood in went out word for word, with it.
                return
            break
        way.append(next(number for number, child in enumerate(at) if child is following))
        at = following
    if any(child.tag == raw.tag and _alone(child) == raw.text for child in at):
        return
    at = owner
    for number in way:
        assert at.children is not None
        at.children[number] = at.children[number].copy()
        at = at.children[number]
    at.append(piece)


def document_bytes(root: Node, doctype: str) -> bytes:
    """Serialise with declaration, document type and indentation by two spaces; text with line breaks stays as
    it is."""
    lines = [f"<?xml version='1.0' encoding='UTF-8'?>\n{doctype}"]
    _spell(root, lines, "\n")
    return "".join(lines).encode()


def _alone(node: Node) -> str:
    """A piece as it would be kept: without indentation."""
    lines: list[str] = []
    _spell(node, lines, "", "")
    return "".join(lines)


def _escaped(text: str) -> str:
    return _IN_TEXT.sub(lambda found: _TEXT[found[0]], text) if _IN_TEXT.search(text) else text


def _spell(node: Node, lines: list[str], pad: str, deeper: str = "  ") -> None:
    """Add the spelling of an element, on a line of its own that begins with ``pad``."""
    if node.spelled is not None:
        known = node.spelled.get(pad)
        if known is None:
            within: list[str] = []
            _spell_anew(node, within, pad, deeper)
            known = node.spelled[pad] = "".join(within)
        lines.append(known)
    else:
        _spell_anew(node, lines, pad, deeper)


def _spell_anew(node: Node, lines: list[str], pad: str, deeper: str) -> None:
    if node.word_for_word is not None:
        lines.append(pad + node.word_for_word)
        return
    tag, text = node.tag, node.text
    begin = f"{pad}<{tag}"
    for name, value in (node.attributes or {}).items():
        begin += f' {name}="{_IN_ATTRIBUTE.sub(lambda found: _ATTRIBUTE[found[0]], value)}"'
    children = node.children
    if not children:
        lines.append(f"{begin}/>" if text is None else f"{begin}>{_escaped(text)}</{tag}>")
        return
    lines.append(f"{begin}>{_escaped(text or '')}")
    inner = pad + deeper
    if text:
        # Something kept stands behind a text, which must be read again as it was: no line break after it.
        _spell(children[0], lines, "", deeper)
        children = children[1:]
    for child in children:
        if child.children is None and child.attributes is None and child.word_for_word is None:
            # By far the most: written here, as a call for each would take longer than the writing.
            said = child.text
            lines.append(
                f"{inner}<{child.tag}/>"
                if said is None
                else f"{inner}<{child.tag}>{_escaped(said)}</{child.tag}>"
            )
        else:
            _spell(child, lines, inner, deeper)
    lines.append(f"{pad}</{tag}>")
