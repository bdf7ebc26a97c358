"""Carry a sequence over: plan, write, read back, account."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from wexodos.carryover.account import differences, unexplained
from wexodos.carryover.findings import Choices, Fate, Finding, counts
from wexodos.carryover.library import Unsent
from wexodos.carryover.lists import known_media
from wexodos.carryover.options import Options
from wexodos.carryover.plan import Plan, plan
from wexodos.carryover.sounding import Locate, Made, made_for, nowhere
from wexodos.compare import match_items
from wexodos.destinations import Destination
from wexodos.formats import FORMATS, ReadError, WriteError, read_bytes
from wexodos.model import Document, Sequence
from wexodos.sound.pieces import restored

Progress = Callable[[str, float], None]
"""Called with what is being done and how far it is, 0 to 1. May raise ``Cancelled``."""


NOTHING = Document("", "")
NO_SOUND = Made(NOTHING)


class Cancelled(Exception):
    """A person stopped the work."""


def quiet(_what: str, _share: float) -> None:
    """No progress."""


@dataclass(frozen=True, slots=True)
class Carried:
    """A finished carry-over: the bytes to be written, what was read back, and every finding.

    ``made`` is the sound that goes with it and the document that uses it; where there is any to be written
    into the file, ``data`` is the file without its samples. ``read`` is what was read back as it stands in
    the file, ``returned`` the same in the words of what went in.
    """

    source: Document
    sequence: Sequence
    destination: Destination
    data: bytes
    returned: Document
    findings: tuple[Finding, ...]
    things: int
    unsent: Unsent = Unsent()
    made: Made = NO_SOUND
    read: Document = NOTHING

    @property
    def counts(self) -> dict[str, int]:
        return counts(self.findings, self.things)

    @property
    def errors(self) -> int:
        """How many differences no finding explains."""
        return sum(not finding.explained for finding in self.findings)

    @property
    def minutes(self) -> float:
        """The repair budget."""
        return sum(finding.minutes for finding in self.findings)

    @property
    def others(self) -> tuple[str, ...]:
        """The names of the sequences of the same file that are not written with this one."""
        written = {self.sequence.id, *(one.id for one in self.source.reachable(self.sequence))}
        return tuple(one.name for one in self.source.top_level if one.id not in written)

    @property
    def returned_sequence(self) -> Sequence:
        return self.returned.top_level[0]


def carry_over(
    document: Document,
    sequence: Sequence,
    destination: Destination,
    choices: Choices | None = None,
    progress: Progress = quiet,
    options: Options | None = None,
    locate: Locate = nowhere,
    folder: str = "media",
) -> Carried:
    """Plan, write into memory, read back and account. Raises ``WriteError`` and ``Cancelled``; writes no
    file.

    ``locate`` finds the sound of media, ``folder`` is where files that are linked to will be.
    """
    progress("planning", 0.0)
    made: Plan = plan(document, sequence, destination, choices, options)
    progress("writing", 0.2)
    destination = (options or Options()).applied(destination)
    sound = made_for(made.document, made.sequence, destination, locate, folder)
    data = FORMATS[destination.format].write(sound.document, sequence.id, destination.version, sound.plain)
    progress("reading back", 0.5)
    try:
        returned = read_bytes(data, f"the written {destination.format}")
    except ReadError as error:
        # Nothing that cannot be read back leaves the house.
        raise WriteError(
            f"{sequence.name or sequence.id}: what was written cannot be read back: {error.problem}"
        ) from None
    if not returned.top_level:
        raise WriteError(f"{sequence.name or sequence.id}: what was written holds no sequence")
    read = returned
    returned = restored(returned, sound.pieces, made.document)
    if destination.format == "edl":
        returned = known_media(returned, made.document)
    if destination.format not in _KEEP_IDS:
        returned = relabelled(made.document, made.sequence, returned)
    progress("comparing", 0.7)
    found = [
        one
        for one in differences(
            document, sequence, returned, made.document, destination.format not in _KEEP_IDS
        )
        if not (one.kind == "added" and one.item_id in made.own_markers)
    ]
    told = (*made.findings, *sound.findings)
    errors = unexplained(told, found, document)
    progress("done", 1.0)
    keys = made.things | {finding.key for finding in told}
    findings = tuple(
        sorted((*told, *errors), key=lambda one: (one.explained, one.start, one.track[:1] == "A", one.track))
    )
    return Carried(
        document, sequence, destination, data, returned, findings, len(keys), made.unsent, sound, read
    )


_KEEP_IDS = ("xmeml", "fcpxml", "otio")


def relabelled(adapted: Document, sequence: Sequence, returned: Document) -> Document:
    """Give what was read back the ids of what was to be written: formats without ids of items hand out new
    ones."""
    back = returned.top_level[0]
    ids = {other.item.id: one.item.id for one, other in match_items(adapted, sequence, returned, back).pairs}
    joins = {
        (track.kind, one.cut): one.id for track in reversed(sequence.tracks) for one in track.transitions
    }
    tracks = tuple(
        replace(
            track,
            items=tuple(replace(item, id=ids.get(item.id, f"new-{item.id}")) for item in track.items),
            transitions=tuple(
                replace(one, id=joins.get((track.kind, one.cut), f"new-{one.id}"))
                for one in track.transitions
            ),
        )
        for track in back.tracks
    )
    whole = replace(back, tracks=tracks)
    return replace(
        returned, sequences=tuple(whole if one.id == back.id else one for one in returned.sequences)
    )


def write_file(path: Path, data: bytes) -> None:
    """Write beside the target and move into place; nothing is left where that fails. Raises
    ``WriteError``."""
    temporary: str | None = None
    try:
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, 0o666 & ~_umask())
        os.replace(temporary, path)
    except OSError as error:
        if temporary is not None:
            with contextlib.suppress(OSError):
                os.unlink(temporary)
        raise WriteError(f"{path}: cannot be written: {(error.strerror or str(error)).lower()}") from None


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


__all__ = ["Cancelled", "Carried", "Fate", "Progress", "carry_over", "quiet", "write_file"]
