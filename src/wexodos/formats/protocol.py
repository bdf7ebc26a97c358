"""What an exchange format is to the rest of the house."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from wexodos.model import Document


@dataclass(frozen=True, slots=True)
class Format:
    """A reader and a writer behind one small surface.

    ``matches`` looks at the first bytes of a file. ``read`` raises ``ReadError``. ``write`` takes a document, the id of the
    sequence to write and a version, and returns the file's bytes; it raises ``WriteError`` for what the dialect cannot hold:
    what that is, carry-over has settled before.
    """

    id: str
    label: str
    suffix: str
    versions: tuple[str, ...]
    matches: Callable[[bytes], bool]
    read: Callable[[bytes], Document]
    write: Callable[[Document, str, str], bytes]
