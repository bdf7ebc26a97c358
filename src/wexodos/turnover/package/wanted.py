"""What goes into a package, and how it is wanted."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path

from wexodos.media import Row
from wexodos.model import Document, Sequence
from wexodos.tidy import Render
from wexodos.timing import Exact
from wexodos.turnover.package.burnt import Burn
from wexodos.turnover.package.guide import Mix
from wexodos.turnover.package.hashlist import Entry
from wexodos.turnover.package.movie import Codec
from wexodos.turnover.trim.recorded import Anew


@dataclass(frozen=True, slots=True)
class Leaving:
    """A sequence that goes into a package: its document with the media found and tidied, those media, what
    has to be rendered for it and where the tables lie it is seen through."""

    document: Document
    sequence: Sequence
    rows: list[Row]
    renders: list[Render] = field(default_factory=list)
    tables: dict[str, Path] = field(default_factory=dict)


class Way(StrEnum):
    """What of the media comes along: their files as they are, only what is used of them, or a list."""

    WHOLE = "whole"
    TRIMMED = "trimmed"
    NONE = "none"


@dataclass(frozen=True, slots=True)
class Wanted:
    """How a package is wanted: ``there`` is where it will stand on the other machine, ``media`` which of
    their files come along, with ``handles`` in seconds where they are trimmed (None: as the destination has
    it), ``mix`` in which form the guide mix does, ``picture`` how the reference picture is coded, ``height``
    pixels high with ``burns`` in it and the edges of another ``shape``, ``papers`` whether papers come along;
    ``contact`` whom to ask; ``one_file`` whether several sequences go in one file where the format can hold
    them; ``since`` is what they have of an earlier package, by the path in it: media that are unchanged since
    do not go again; as what is coded ``anew`` that cannot be cut as it is; ``shots`` is the scheme by which
    every shot goes as a file of its own ("" where the sequences go), ``slate`` whether each has a slate."""

    there: str
    media: Way = Way.WHOLE
    handles: Exact | None = None
    mix: Mix = Mix.NONE
    picture: Codec = Codec.NONE
    height: int = 540
    burns: tuple[Burn, ...] = ()
    shape: float = 0.0
    papers: bool = True
    contact: str = ""
    since: Mapping[str, Entry] = field(default_factory=dict)
    one_file: bool = True
    anew: Anew = Anew.NONE
    shots: str = ""
    slate: bool = True
