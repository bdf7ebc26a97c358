"""A stretch of a sound file of plain samples as a file of its own: WAVE, RF64 and AIFF, chunk by chunk.

What the file says of itself stays; the time of its first sample (EBU Tech 3285; in iXML as well) is that of
the stretch.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from lxml import etree

from wexodos.formats import ReadError, WriteError
from wexodos.formats.safe_xml import parse
from wexodos.ground import Progress
from wexodos.ground.files import reason
from wexodos.sound.heads import ORIGINATOR
from wexodos.turnover.trim.cut import Coded, NotCut
from wexodos.turnover.write import write_blocks

_BLOCK = 4 << 20
_TRIED = 1 << 16
"""Samples of a cut on trial."""
_MOST_CHUNKS, _MOST_BYTES = 4096, 16 << 20
_DERIVED = {b"JUNK", b"FLLR", b"PAD ", b"PEAK", b"levl", b"ds64", b"minf", b"elm1", b"regn", b"umid"}
"""Fillers, and what is worked out of the samples: the stretch has others."""
_PLACES = {b"cue ", b"smpl", b"plst", b"MARK", b"INST", b"COMT"}
"""Chunks that name places among the samples."""
_PCM, _FLOAT, _EXTENSIBLE = 1, 3, 0xFFFE
_WIDE = 0xFFFFFFFF


@dataclass(frozen=True, slots=True)
class _Chunk:
    name: bytes
    place: int
    size: int


@dataclass(frozen=True, slots=True)
class SoundCut:
    """``offset`` is where in the source its samples begin, ``block`` how many bytes one of all channels
    takes; ``begin`` is everything before the samples of the new file, ``tail`` what follows them."""

    source: Path
    first: int
    count: int
    offset: int
    block: int
    begin: bytes
    tail: bytes

    @property
    def suffix(self) -> str:
        """See ``Cut``."""
        return self.source.suffix

    @property
    def anew(self) -> str:
        """See ``Cut``."""
        return ""

    def head(self, frames: int) -> SoundCut:
        """See ``Cut``."""
        return sound_cut(self.source, self.first, self.first + min(self.count, _TRIED))

    @property
    def size(self) -> int:
        return len(self.begin) + self.count * self.block + len(self.tail)

    def write(self, path: Path, progress: Progress) -> None:
        """See ``Cut.write``."""
        try:
            with self.source.open("rb") as source:
                write_blocks(path, self._blocks(source, progress))
        except OSError as error:
            raise WriteError(f"{self.source}: cannot be read: {reason(error)}") from None

    def _blocks(self, source: IO[bytes], progress: Progress) -> Iterator[bytes]:
        yield self.begin
        source.seek(self.offset + self.first * self.block)
        whole = left = self.count * self.block
        while left:
            progress(f"cutting {self.source.name}", 1 - left / max(1, whole))
            data = source.read(min(_BLOCK, left))
            if not data:
                raise WriteError(f"{self.source}: it ends before its last sample")
            left -= len(data)
            yield data
        yield self.tail


def sound_cut(path: Path, low: int, high: int) -> SoundCut:
    """How samples ``low`` to ``high`` (exclusive) of a sound file can be had as a file of their own. Raises
    ``NotCut``."""
    try:
        with path.open("rb") as file:
            magic = file.read(12)
            if magic[:4] in (b"RIFF", b"RF64", b"BW64") and magic[8:] == b"WAVE":
                return _wave(path, file, low, high)
            if magic[:4] == b"FORM" and magic[8:] in (b"AIFF", b"AIFC"):
                return _aiff(path, file, low, high)
    except (OSError, struct.error) as error:
        raise NotCut(f"it cannot be read ({error.__class__.__name__})") from None
    raise Coded("its sound is coded, and cannot be cut to the sample without coding it anew")


def _chunks(file: IO[bytes], big: bool) -> list[_Chunk]:
    """The chunks of a file in their order. Raises ``NotCut`` where they name places in it."""
    found: list[_Chunk] = []
    end = file.seek(0, 2)
    place, wide = 12, 0
    while place + 8 <= end and len(found) < _MOST_CHUNKS:
        file.seek(place)
        name, size = struct.unpack(">4sI" if big else "<4sI", file.read(8))
        if name in _PLACES:
            raise NotCut("it holds marks that would no longer be where they were")
        if name == b"ds64":
            wide = struct.unpack_from("<Q", file.read(16), 8)[0]
        if name == b"data" and size == _WIDE:
            size = wide
        found.append(_Chunk(name, place + 8, size))
        place += 8 + size + (size & 1)
    return found


def _body(file: IO[bytes], chunk: _Chunk) -> bytes:
    if chunk.size > _MOST_BYTES:
        raise NotCut("it says more of itself than of its sound")
    file.seek(chunk.place)
    return file.read(chunk.size)


def _one(chunks: list[_Chunk], name: bytes) -> _Chunk:
    found = [one for one in chunks if one.name == name]
    if len(found) != 1:
        raise NotCut("it does not hold its samples in one piece")
    return found[0]


def _wave(path: Path, file: IO[bytes], low: int, high: int) -> SoundCut:
    chunks = _chunks(file, False)
    fmt = _body(file, _one(chunks, b"fmt "))
    tag, _, rate, _, block, _ = struct.unpack_from("<HHIIHH", fmt)
    if tag not in (_PCM, _FLOAT, _EXTENSIBLE) or not block or not rate:
        raise Coded("its sound is coded, and cannot be cut to the sample without coding it anew")
    data = _one(chunks, b"data")
    first, count = _within(low, high, data.size // block)
    before: list[bytes] = []
    after: list[bytes] = []
    if not any(one.name == b"bext" for one in chunks):
        before.append(_chunk(b"bext", _new_bext(first)))
    behind = False
    for one in chunks:
        behind = behind or one is data
        if one is data or one.name in _DERIVED:
            continue
        body = _body(file, one)
        if one.name == b"bext" and len(body) >= 346:
            reference = struct.unpack_from("<Q", body, 338)[0] + first
            body = body[:338] + struct.pack("<Q", reference) + body[346:]
        elif one.name == b"iXML":
            body = _moved(body, first, rate)
        elif one.name == b"fact" and len(body) >= 4:
            body = struct.pack("<I", min(count, _WIDE)) + body[4:]
        (after if behind else before).append(_chunk(one.name, body))
    size = count * block
    tail = b"\0" * (size & 1) + b"".join(after)
    inner = b"".join(before)
    # A chunk of 28 bytes makes room for sizes that do not fit into 32 bits (EBU Tech 3306).
    total = 4 + len(inner) + 8 + size + len(tail)
    if total < _WIDE:
        head = b"RIFF" + struct.pack("<I", total) + b"WAVE" + inner + b"data" + struct.pack("<I", size)
    else:
        sizes = struct.pack("<QQQI", total + 36, size, count, 0)
        head = b"RF64" + struct.pack("<I", _WIDE) + b"WAVE" + _chunk(b"ds64", sizes) + inner
        head += b"data" + struct.pack("<I", _WIDE)
    return SoundCut(path, first, count, data.place, block, head, tail)


def _within(low: int, high: int, there: int) -> tuple[int, int]:
    first, last = max(0, low), min(high, there)
    if first >= last:
        raise NotCut("what is used of it lies behind its end")
    return first, last - first


def _chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack("<I", len(body)) + body + b"\0" * (len(body) & 1)


def _new_bext(reference: int) -> bytes:
    body = bytes(256) + ORIGINATOR.encode().ljust(32, b"\0") + bytes(50)
    return body + struct.pack("<QH", reference, 1) + bytes(254)


def _moved(body: bytes, first: int, rate: int) -> bytes:
    """An iXML whose times are later by so many samples of the file; one that cannot be read stays."""
    try:
        root = parse(body.rstrip(b"\0 \r\n\t"))
    except ReadError:
        return body
    for parent, high, low, own in (
        ("SPEED", "TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI", "TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO", True),
        ("BEXT", "BWF_TIME_REFERENCE_HIGH", "BWF_TIME_REFERENCE_LOW", False),
    ):
        upper, lower = root.find(f"{parent}/{high}"), root.find(f"{parent}/{low}")
        counted = root.findtext(f"{parent}/TIMESTAMP_SAMPLE_RATE") if own else None
        try:
            begin = (int(upper.text or 0) << 32 if upper is not None else 0) + int(lower.text or 0)  # type: ignore[union-attr]
            per_second = int(counted) if counted else rate
        except (AttributeError, ValueError):
            continue
        begin += first * per_second // rate
        if upper is not None:
            upper.text = str(begin >> 32)
        if lower is not None:
            lower.text = str(begin & _WIDE)
    return etree.tostring(root, xml_declaration=True, encoding="UTF-8")


def _aiff(path: Path, file: IO[bytes], low: int, high: int) -> SoundCut:
    chunks = _chunks(file, True)
    common = _body(file, _one(chunks, b"COMM"))
    channels, _, bits = struct.unpack_from(">hIh", common)
    if common[18:22] not in (b"", b"NONE", b"sowt", b"twos", b"fl32", b"FL32", b"fl64", b"in24", b"in32"):
        raise Coded("its sound is coded, and cannot be cut to the sample without coding it anew")
    block = channels * (-(-bits // 8))
    data = _one(chunks, b"SSND")
    file.seek(data.place)
    skipped = struct.unpack(">I", file.read(4))[0]
    if block <= 0 or data.size < 8 + skipped:
        raise NotCut("it does not say how its samples are written")
    first, count = _within(low, high, (data.size - 8 - skipped) // block)
    inner = b""
    for one in chunks:
        if one is data or one.name in _DERIVED:
            continue
        body = _body(file, one)
        if one.name == b"COMM":
            body = body[:2] + struct.pack(">I", count) + body[6:]
        inner += one.name + struct.pack(">I", len(body)) + body + b"\0" * (len(body) & 1)
    size = count * block
    total = 4 + len(inner) + 16 + size + (size & 1)
    if total >= 1 << 32:
        raise NotCut("a file of its kind cannot hold so much")
    file.seek(8)
    head = b"FORM" + struct.pack(">I", total) + file.read(4) + inner
    head += b"SSND" + struct.pack(">III", size + 8, 0, 0)
    return SoundCut(path, first, count, data.place + 8 + skipped, block, head, b"\0" * (size & 1))
