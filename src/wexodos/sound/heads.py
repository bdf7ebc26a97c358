"""Heads of broadcast WAVE and AIFF-C files, and reading them again."""

from __future__ import annotations

import struct
from dataclasses import dataclass
from typing import BinaryIO

from wexodos.sound.errors import SoundError
from wexodos.sound.stamps import Stamp, ixml_of

ORIGINATOR = "Wexodos"


def wave_head(
    frames: int,
    rate: int,
    bits: int,
    origin: int | None,
    description: str,
    stamp: Stamp | None = None,
    channels: int = 1,
    taken: tuple[int, ...] = (),
) -> bytes:
    """The head of a broadcast WAVE file up to its samples (EBU Tech 3285, version 1).

    ``origin`` is the time reference: samples since midnight of the first sample. What a recorder said of
    itself (``stamp``) goes along, with the names of the channels that were ``taken``; without it nothing is
    said of a date.
    """
    size = frames * channels * bits // 8
    told = stamp or Stamp(rate)
    reference = max(0, origin or 0)
    body = (
        _field(told.description or description, 256)
        + _field(told.originator or ORIGINATOR, 32)
        + _field(told.number, 32)
        + _field(told.date, 10)
        + _field(told.time, 8)
        + struct.pack("<QH", reference, 1)
        + b"\0" * 64
        + b"\0" * 190
    )
    chunks = b"bext" + struct.pack("<I", len(body)) + body
    chunks += b"fmt " + struct.pack(
        "<IHHIIHH", 16, 1, channels, rate, rate * channels * bits // 8, channels * bits // 8, bits
    )
    words = ixml_of(told, taken or tuple(range(1, channels + 1)))
    if words:
        chunks += b"iXML" + struct.pack("<I", len(words)) + words + b"\0" * (len(words) & 1)
    # Samples at an even place that players can map into memory: 16-aligned.
    filler = -(12 + len(chunks) + 8) % 16
    if filler:
        filler = filler - 8 if filler >= 8 else filler + 8
        chunks += b"JUNK" + struct.pack("<I", filler) + b"\0" * filler
    total = 4 + len(chunks) + 8 + size + (size & 1)
    if total >= 1 << 32:
        raise SoundError("a WAVE file cannot hold more than 4 GiB")
    return b"RIFF" + struct.pack("<I", total) + b"WAVE" + chunks + b"data" + struct.pack("<I", size)


def _field(text: str, size: int) -> bytes:
    """A text of fixed size; letters that are cut in two go as a whole."""
    return text.encode("utf-8")[:size].decode("utf-8", "ignore").encode("utf-8").ljust(size, b"\0")


def aiff_head(frames: int, rate: int, bits: int) -> bytes:
    """The head of a mono AIFF-C file without compression, up to its samples."""
    size = frames * bits // 8
    name = b"\x0enot compressed\0"
    common = struct.pack(">hIh", 1, frames, bits) + _extended(rate) + b"NONE" + name
    chunks = b"FVER" + struct.pack(">II", 4, 0xA2805140)
    chunks += b"COMM" + struct.pack(">I", len(common)) + common + (b"\0" if len(common) & 1 else b"")
    chunks += b"SSND" + struct.pack(">III", size + 8, 0, 0)
    return b"FORM" + struct.pack(">I", 4 + len(chunks) + size + (size & 1)) + b"AIFC" + chunks


def _extended(rate: int) -> bytes:
    """A whole number as an 80-bit float."""
    exponent = rate.bit_length() - 1
    return struct.pack(">HQ", 16383 + exponent, rate << (63 - exponent))


@dataclass(frozen=True, slots=True)
class Head:
    """What a sound file says of itself: where its samples are and how they are written."""

    offset: int
    size: int
    channels: int
    rate: int
    bits: int
    big: bool
    origin: int | None


def read_head(file: BinaryIO, limit: int) -> Head:
    """Find the samples of a RIFF or FORM file by its own magic; ``limit`` is how many bytes there are. Raises
    ``SoundError``."""
    file.seek(0)
    magic = file.read(12)
    if magic[:4] == b"RIFF" and magic[8:] == b"WAVE":
        return _wave(file, limit)
    if magic[:4] == b"FORM" and magic[8:] in (b"AIFF", b"AIFC"):
        return _aiff(file, limit)
    raise SoundError("this is neither WAVE nor AIFF")


def _wave(file: BinaryIO, limit: int) -> Head:
    place, fmt, origin = 12, None, None
    while place + 8 <= limit:
        file.seek(place)
        name, size = struct.unpack("<4sI", file.read(8).ljust(8, b"\0"))
        if name == b"data":
            if fmt is None or not fmt[4] or fmt[5] not in (8, 16, 24, 32):
                raise SoundError("the WAVE does not say how its samples are written")
            return Head(place + 8, min(size, limit - place - 8), fmt[1], fmt[2], fmt[5], False, origin)
        if name == b"fmt " and size >= 16:
            fmt = struct.unpack("<HHIIHH", file.read(16))
        elif name == b"bext" and size >= 346:
            origin = struct.unpack_from("<Q", file.read(346), 338)[0]
        place += 8 + size + (size & 1)
    raise SoundError("the WAVE holds no samples")


def _aiff(file: BinaryIO, limit: int) -> Head:
    place, common = 12, b""
    found: tuple[int, int] | None = None
    while place + 8 <= limit:
        file.seek(place)
        name, size = struct.unpack(">4sI", file.read(8).ljust(8, b"\0"))
        if name == b"COMM":
            common = file.read(min(size, 64))
        elif name == b"SSND":
            skip = struct.unpack(">I", file.read(4).ljust(4, b"\0"))[0]
            found = (place + 16 + skip, min(size - 8 - skip, limit - place - 16 - skip))
        if common and found:
            break
        place += 8 + size + (size & 1)
    if found is None or len(common) < 18:
        raise SoundError("the AIFF holds no samples")
    channels, _, bits = struct.unpack_from(">hIh", common)
    exponent, mantissa = struct.unpack_from(">HQ", common, 8)
    shift = 63 - (exponent - 16383)
    rate = mantissa >> shift if 0 <= shift < 64 else 0
    if rate <= 0 or bits not in (8, 16, 24, 32):
        raise SoundError("the AIFF does not say how its samples are written")
    return Head(found[0], max(0, found[1]), channels, rate, bits, common[18:22] != b"sowt", None)


_STREAMED = 0xFFFFFFFF
"""The size that is written where nobody knows it yet; RF64 gives the true one in a chunk of its own (EBU Tech
3306)."""


def missing(file: BinaryIO, limit: int) -> int:
    """How many bytes of its samples the head of a RIFF, RF64 or FORM file promises beyond its ``limit``
    bytes: it was cut off. Nought for files of other kinds."""
    file.seek(0)
    magic = file.read(12)
    if magic[:4] == b"riff":
        return _missing_wide(file, limit)
    big = magic[:4] == b"FORM" and magic[8:] in (b"AIFF", b"AIFC")
    if not big and not (magic[:4] in (b"RIFF", b"RF64", b"BW64") and magic[8:] == b"WAVE"):
        return 0
    place, true = 12, 0
    while place + 8 <= limit:
        file.seek(place)
        name, size = struct.unpack(">4sI" if big else "<4sI", file.read(8).ljust(8, b"\0"))
        if name == b"ds64":
            true = struct.unpack_from("<Q", file.read(16).ljust(16, b"\0"), 8)[0]
        if name in (b"data", b"SSND"):
            if size == _STREAMED:
                size = true
            return max(0, place + 8 + int(size) - limit)
        place += 8 + size + (size & 1)
    return 0


def _missing_wide(file: BinaryIO, limit: int) -> int:
    """The same of the 64-bit form whose chunks have names of 16 bytes and begin at places of eight."""
    place = 40
    while place + 24 <= limit:
        file.seek(place)
        name, size = struct.unpack("<16sQ", file.read(24))
        if name[:4] == b"data":
            return max(0, place + int(size) - limit)
        place += max(24, size + (-size & 7))
    return 0
