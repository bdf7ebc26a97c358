"""All formats, and how a file finds its own: by what stands in it, never by its suffix."""

from __future__ import annotations

import contextlib
import os
from dataclasses import replace
from pathlib import Path

from wexodos.formats import aaf, ale, edl, fcpxml, omf, otio, xmeml
from wexodos.formats.errors import ReadError
from wexodos.formats.paths import is_placed
from wexodos.formats.placed import at_their_places
from wexodos.formats.possible import refuse_impossible, with_possible_values
from wexodos.formats.protocol import Format
from wexodos.formats.safe_xml import MAX_BYTES, root_tag
from wexodos.formats.sense import with_sense
from wexodos.formats.signs import with_letters
from wexodos.ground import read_whole, refuse_special
from wexodos.ground.files import reason
from wexodos.model import Document

FORMATS: dict[str, Format] = {
    one.id: one
    for one in (xmeml.FORMAT, fcpxml.FORMAT, aaf.FORMAT, omf.FORMAT, otio.FORMAT, ale.FORMAT, edl.FORMAT)
}
_HEAD = 65536
_TAIL = 1 << 20
MAX_HOURS = 100
"""Longer sequences are taken for damage: evaluating them at every frame would need more memory than there
is."""


def format_of(head: bytes, tail: bytes = b"") -> Format | None:
    """Return the format of a file that begins with ``head`` and ends with ``tail``; None where no format
    knows it."""
    found = next((one for one in FORMATS.values() if one.matches(head)), None)
    return found or next(
        (one for one in FORMATS.values() if one.matches_tail is not None and one.matches_tail(tail)), None
    )


def format_at(path: Path) -> Format | None:
    """Return the format of a file, by what stands at its beginning and its end. Raises ``OSError``."""
    with path.open("rb") as file:
        head = file.read(_HEAD)
        file.seek(max(0, file.seek(0, os.SEEK_END) - _TAIL))
        return format_of(head, file.read(_TAIL))


def read_bytes(data: bytes, name: str = "", own: bool = False) -> Document:
    """Read a sequence file from memory. Raises ``ReadError`` that names the file, what is wrong and where.

    ``own``: it was just written from a cut and will be held against it, so that nobody needs to be told what
    makes no sense in it.
    """
    try:
        found = format_of(data[:_HEAD], data[-_TAIL:])
        if found is None:
            raise ReadError(_what_else(data[:_HEAD]))
        read = _possible(found.read(data))
        return read if own else with_sense(read)
    except ReadError as error:
        raise ReadError(error.problem, error.place, name) from None
    except RecursionError:
        raise ReadError("things are nested too deeply", "", name) from None
    except MemoryError:
        raise ReadError("there is not enough memory to read it", "", name) from None


def _possible(document: Document) -> Document:
    """A document with nothing in it that cannot be. Raises ``ReadError`` where that would be another cut."""
    refuse_impossible(document)
    for sequence in document.sequences:
        if sequence.rate.seconds(sequence.duration) > MAX_HOURS * 3600:
            raise ReadError(
                f"the sequence would last more than {MAX_HOURS} hours", sequence.name or sequence.id
            )
    return with_letters(at_their_places(with_possible_values(document)))


def read_file(path: str | os.PathLike[str]) -> Document:
    """Read a sequence file. Raises ``ReadError`` also where the path cannot be read at all."""
    place = Path(path)
    with contextlib.suppress(OSError, ValueError):
        inner = place / "Info.fcpxml"
        if inner.is_file():
            return read_file(inner)
    refuse_special(place)
    try:
        found = format_at(place)
    except OSError as error:
        raise ReadError(f"cannot be opened: {reason(error)}", "", str(path)) from None
    if found is not None and found.read_path is not None:
        return _anchored(_from_place(found, place), place)
    return _anchored(read_bytes(read_whole(place, MAX_BYTES), str(path)), place)


def _anchored(document: Document, place: Path) -> Document:
    """The document with the paths of its media from the root: those that are told from where the file stands
    mean another place as soon as they stand elsewhere. What stands in it says in which file."""
    whole_place = os.path.abspath(place)
    folder = os.path.dirname(whole_place)

    def whole(path: str | None) -> str | None:
        if not path or is_placed(path):
            return path
        return os.path.normpath(os.path.join(folder, path))

    media = tuple(
        one if whole(one.path) == one.path else replace(one, path=whole(one.path)) for one in document.media
    )
    media = tuple(
        replace(one, embedded=replace(one.embedded, file=whole_place, format=document.format))
        if one.embedded is not None
        else one
        for one in media
    )
    return document if media == document.media else replace(document, media=media)


def _from_place(found: Format, place: Path) -> Document:
    """Read a file that may hold gigabytes of sound, which stay where they are."""
    assert found.read_path is not None
    try:
        return with_sense(_possible(found.read_path(place)))
    except ReadError as error:
        raise ReadError(error.problem, error.place, str(place)) from None
    except RecursionError:
        raise ReadError("things are nested too deeply", "", str(place)) from None
    except MemoryError:
        raise ReadError("there is not enough memory to read it", "", str(place)) from None


def _what_else(head: bytes) -> str:
    if not head.strip(b"\x00 \t\r\n\xef\xbb\xbf"):
        return "the file is empty"
    tag = root_tag(head)
    if tag is not None:
        return f"this is XML of another kind; its root element is {tag[:40]!r}"
    known = "Track XML, Lane XML, AAF, OMF, .otio, cut list, clip log"
    return f"this is no sequence file that Wexodos reads ({known})"
