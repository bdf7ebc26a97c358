"""Sequences that were carried over one by one, together in one file where the format can hold several."""

from __future__ import annotations

from collections.abc import Sequence as Several
from dataclasses import replace

from wexodos.carryover.third_book import in_words_of, third_book
from wexodos.carryover.translate import Carried
from wexodos.formats import FORMATS, ReadError, WriteError, read_bytes
from wexodos.ground import UnprovedError
from wexodos.ground.errors import WexodosError
from wexodos.model import Document, Folder, Media, Raw, Sequence


class NotJoint(WexodosError):
    """Why each has a file of its own: half a sentence."""


def joint(carried: Several[Carried]) -> bytes:
    """One file of several sequences, in their order, read back: the third book is held for each of them.
    Raises ``NotJoint``, ``UnprovedError`` and ``WriteError``."""
    destination = carried[0].destination
    kind = FORMATS[destination.format]
    if kind.write_several is None:
        raise NotJoint(f"{kind.label} is written with one sequence a file")
    if any(one.made.pieces for one in carried):
        raise NotJoint("each has sound of its own")
    document = _together(carried)
    data = kind.write_several(document, tuple(one.sequence.id for one in carried), destination.version)
    try:
        read = read_bytes(data, f"the written {destination.format}", own=True)
    except ReadError as error:
        raise WriteError(f"what was written in one file cannot be read back: {error.problem}") from None
    if len(read.top_level) != len(carried):
        raise UnprovedError(f"{len(carried)} sequences were written, {len(read.top_level)} are there")
    for one, back in zip(carried, read.top_level):
        adapted = one.made.document
        alone = replace(read, sequences=(back, *read.reachable(back)))
        returned = in_words_of(adapted, one.sequence, alone, kind.spells)
        if found := third_book(adapted, one.sequence, returned, kind.spells):
            # An error of ours, not a property of the cut.
            raise UnprovedError(f"{one.sequence.name} in one file with the others: {found[0].what}")
    return data


def _together(carried: Several[Carried]) -> Document:
    """The documents as one. Raises ``NotJoint`` where two say different things of one sequence or medium."""
    sequences: dict[str, Sequence] = {}
    media: dict[str, Media] = {}
    folders: dict[str, Folder] = {}
    raw: dict[Raw, None] = {}
    for one in carried:
        made = one.made.document
        own = made.sequences_by_id[one.sequence.id]
        for each in (*made.reachable(own), own):
            if sequences.setdefault(each.id, each) != each:
                raise NotJoint(f"{each.name} is in two of them and becomes two different things")
        for medium in made.media:
            if media.setdefault(medium.id, medium) != medium:
                raise NotJoint(f"{medium.file_name} is in two of them and becomes two different things")
        for folder in made.folders:
            folders.setdefault(folder.path, folder)
        raw |= dict.fromkeys(made.raw)
    first = carried[0].made.document
    return replace(
        first,
        sequences=tuple(sequences.values()),
        media=tuple(media.values()),
        folders=tuple(folders.values()),
        raw=tuple(raw),
    )
