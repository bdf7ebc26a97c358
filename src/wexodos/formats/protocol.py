"""What an exchange format is to the rest of the house."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO

from wexodos.formats.spelling import Spelling
from wexodos.model import Document
from wexodos.settling.spells import Spells


@dataclass(frozen=True, slots=True)
class Inside:
    """How the sound inside files of a format is reached.

    ``tree`` reads the structure of a file with the sound in it; ``stream`` opens one sound by its key.
    ``holds`` tells whether a file is, byte for byte, the one without samples with samples put into it;
    ``each`` opens all sounds of such a file, one after the other. ``size`` tells beforehand
    how many bytes a file with a turnover's sound and so many clips will have, ``most`` how many there may be.
    """

    tree: Callable[[Path], Any]
    stream: Callable[[Path, str], BinaryIO]
    each: Callable[[Path, bytes], Iterator[tuple[str, BinaryIO]]]
    holds: Callable[[Path, bytes], bool]
    size: Callable[[Spelling, int], int] | None = None
    most: int = 0


@dataclass(frozen=True, slots=True)
class Format:
    """A reader and a writer behind one small surface.

    ``matches`` looks at the first bytes of a file. ``read`` raises ``ReadError``. ``write`` takes a document,
    the id of the sequence to write, a version and the spelling of the turnover, and returns the file's bytes;
    it raises ``WriteError`` for what the dialect cannot hold: what that is, carry-over has settled before.
    Formats that hold sound have ``read_path``, which leaves the sound where it is, and ``write_to``, which
    writes a new file with the sound in it block by block and returns the names of the sounds by the keys
    under which they stand there. Formats that hold several sequences have ``write_several``, which takes
    their ids. ``spells`` says what the dialect can hold at all,
    ``parts`` takes a text apart that stands for several files, ``inside`` is how sound in it is reached,
    ``settings`` are those of a turnover that make a difference to it.
    """

    id: str
    label: str
    suffix: str
    versions: tuple[str, ...]
    matches: Callable[[bytes], bool]
    read: Callable[[bytes], Document]
    write: Callable[[Document, str, str, Spelling | None], bytes]
    read_path: Callable[[Path], Document] | None = None
    write_to: Callable[[Path, Document, str, str, Spelling], dict[str, str]] | None = None
    matches_tail: Callable[[bytes], bool] | None = None
    spells: Spells = Spells()
    parts: Callable[[bytes], list[tuple[str, bytes]]] | None = None
    inside: Inside | None = None
    settings: tuple[str, ...] = ()
    write_several: Callable[[Document, tuple[str, ...], str], bytes] | None = None
