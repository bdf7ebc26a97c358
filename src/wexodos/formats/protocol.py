"""What an exchange format is to the rest of the house."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from wexodos.formats.spelling import Spelling
from wexodos.model import Document
from wexodos.settling.spells import Spells


@dataclass(frozen=True, slots=True)
class Format:
    """A reader and a writer behind one small surface.

    ``matches`` looks at the first bytes of a file. ``read`` raises ``ReadError``. ``write`` takes a document,
    the id of the sequence to write, a version and the spelling of the turnover, and returns the file's bytes;
    it raises ``WriteError`` for what the dialect cannot hold: what that is, carry-over has settled before.
    Formats that hold sound have ``read_path``, which leaves the sound where it is, and ``write_to``, which
    writes a new file with the sound in it block by block.
    """

    id: str
    label: str
    suffix: str
    versions: tuple[str, ...]
    matches: Callable[[bytes], bool]
    read: Callable[[bytes], Document]
    write: Callable[[Document, str, str, Spelling | None], bytes]
    read_path: Callable[[Path], Document] | None = None
    write_to: Callable[[Path, Document, str, str, Spelling], None] | None = None
    matches_tail: Callable[[bytes], bool] | None = None
    spells: Spells = Spells()
    parts: Callable[[bytes], list[tuple[str, bytes]]] | None = None
