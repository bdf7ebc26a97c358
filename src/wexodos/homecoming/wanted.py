"""What came back, return by return, and what a person said of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path

from wexodos.job import Homecoming
from wexodos.model import Document, Sequence


class Holds(StrEnum):
    """What a sequence file can be said to hold: the tracks of a mix, or an edited cut."""

    TRACKS = "tracks"
    EDIT = "edit"


@dataclass(frozen=True, slots=True)
class Version:
    """A cut as it is: its document, the sequence in it, and its file."""

    document: Document
    sequence: Sequence
    source: Path


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is to come home.

    ``rounds`` are the files and folders of each return in the order in which they came: later ones take the
    place of earlier ones, event by event and stem by stem. ``sent`` is the package that was sent;
    ``corrected``: what is late is moved. ``left`` are the files a person does not want laid in, ``told`` what
    a person said a file is – the id of an item for a render; ``mix``, the key of a stem or the label of a
    track for sound; ``Holds`` for a sequence file – both by their whole path or their name alone. ``into`` is
    a later version of the cut in which it is laid instead. ``refused`` is what was changed over there and is
    not wanted, as ``refusing.is_wanted`` knows it. ``shots`` is the scheme of names by which every shot left
    by itself, where no job says it; ``names`` the one by which a person says that renders are named
    (``naming``). ``nested``: the tracks of a sequence file that came with sound stay together as one nested
    item.
    """

    rounds: tuple[tuple[Path, ...], ...]
    sent: Path | None = None
    corrected: bool = False
    left: frozenset[str] = frozenset()
    told: Mapping[str, str] = field(default_factory=dict)
    into: Version | None = None
    refused: frozenset[str] = frozenset()
    shots: str = ""
    names: str = ""
    nested: bool = False

    @staticmethod
    def of(said: Homecoming, into: Version | None, refused: tuple[str, ...] = ()) -> Wanted:
        """What is to come home as a job says it, into a later version that was read."""
        return Wanted(
            tuple(tuple(map(Path, one)) for one in said.came),
            Path(said.sent) if said.sent else None,
            said.corrected,
            frozenset(said.left),
            said.told,
            into,
            frozenset(refused),
            names=said.names,
            nested=said.nested,
        )

    def leaves_out(self, path: Path) -> bool:
        """Whether a person does not want a file."""
        return path.name in self.left or str(path.resolve()) in self.left

    def said_of(self, path: Path) -> str:
        """What a person said a file is; empty where nobody did."""
        return self.told.get(str(path.resolve())) or self.told.get(path.name, "")
