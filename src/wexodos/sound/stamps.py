"""What a recorder wrote about itself into a broadcast WAVE: the ``bext`` chunk (EBU Tech 3285) and iXML."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path
from typing import BinaryIO

from lxml import etree

from wexodos.formats.build_xml import clean
from wexodos.formats.errors import ReadError
from wexodos.formats.safe_xml import parse

MOST_CHUNKS, MOST_BYTES, MOST_WORDS = 4096, 1 << 20, 256
_TEXTS = ("PROJECT", "SCENE", "TAKE", "TAPE", "NOTE")
_STAMP = "TIMESTAMP_SAMPLES_SINCE_MIDNIGHT"


@dataclass(frozen=True, slots=True)
class Stamp:
    """``reference``: samples since midnight of the first sample, at ``rate``; ``second`` the same as the iXML
    says it, with its rate. ``words``: project, scene, take, tape and note under their iXML names. ``tracks``:
    the recorder's number and name of each channel, in the order of the channels."""

    rate: int
    reference: int | None = None
    description: str = ""
    originator: str = ""
    number: str = ""
    date: str = ""
    time: str = ""
    second: tuple[int, int] | None = None
    words: tuple[tuple[str, str], ...] = ()
    tracks: tuple[tuple[int, str], ...] = ()

    def track(self, channel: int) -> tuple[int, str]:
        """The recorder's number and name of a channel, counted from 1."""
        return self.tracks[channel - 1] if 0 < channel <= len(self.tracks) else (channel, "")

    def apart(self) -> int:
        """Samples between the two stamps of the file; 0 where there is one, or none."""
        if self.second is None or self.reference is None:
            return 0
        samples, rate = self.second
        return samples * self.rate // rate - self.reference


def stamp_of(path: Path) -> Stamp | None:
    """What stands in a file; None where it is no WAVE or says nothing of itself."""
    try:
        told = path.stat()
    except OSError:
        return None
    return _stamp(str(path), told.st_size, told.st_mtime_ns)


@lru_cache(maxsize=4096)
def _stamp(path: str, size: int, changed: int) -> Stamp | None:
    try:
        with open(path, "rb") as file:
            chunks = dict(_chunks(file, size))
    except OSError:
        return None
    fmt, bext, ixml = (chunks.get(name, b"") for name in (b"fmt ", b"bext", b"iXML"))
    if len(fmt) < 8 or not (bext or ixml):
        return None
    rate = struct.unpack_from("<I", fmt, 4)[0]
    return with_ixml(with_bext(Stamp(rate), bext), ixml) if rate else None


def _chunks(file: BinaryIO, size: int) -> Iterator[tuple[bytes, bytes]]:
    """The small chunks of a RIFF or RF64 file; what is longer is stepped over."""
    head = file.read(12)
    if head[:4] not in (b"RIFF", b"RF64", b"BW64") or head[8:12] != b"WAVE":
        return
    place, large = 12, 0
    for _ in range(MOST_CHUNKS):
        file.seek(place)
        start = file.read(8)
        if len(start) < 8 or place >= size:
            return
        name, length = struct.unpack("<4sI", start)
        if name in (b"fmt ", b"bext", b"iXML", b"ds64"):
            body = file.read(min(length, MOST_BYTES))
            if name == b"ds64" and len(body) >= 16:
                large = struct.unpack_from("<Q", body, 8)[0]
            yield name, body
        if name == b"data" and length == 0xFFFFFFFF:
            length = large
        place += 8 + length + (length & 1)


def with_bext(stamp: Stamp, body: bytes) -> Stamp:
    """The stamp with what a ``bext`` chunk says."""
    if len(body) < 346:
        return stamp
    reference = struct.unpack_from("<Q", body, 338)[0]
    return Stamp(
        stamp.rate,
        reference if reference < 1 << 48 else None,
        _text(body[:256]),
        _text(body[256:288]),
        _text(body[288:320]),
        _text(body[320:330]),
        _text(body[330:338]),
    )


def with_ixml(stamp: Stamp, body: bytes) -> Stamp:
    """The stamp with what an iXML chunk says; one that cannot be read says nothing."""
    try:
        root = parse(body.rstrip(b"\0 \r\n\t"))
    except ReadError:
        return stamp
    words = tuple((name, text) for name in _TEXTS if (text := (root.findtext(name) or "").strip()))
    tracks: dict[int, tuple[int, str]] = {}
    for place, one in enumerate(root.findall("TRACK_LIST/TRACK")[:MOST_WORDS], 1):
        channel = _whole(one.findtext("INTERLEAVE_INDEX")) or place
        tracks[channel] = (
            _whole(one.findtext("CHANNEL_INDEX")) or channel,
            (one.findtext("NAME") or "").strip(),
        )
    high, low, rate = (
        _whole(root.findtext(f"SPEED/{name}"))
        for name in (f"{_STAMP}_HI", f"{_STAMP}_LO", "TIMESTAMP_SAMPLE_RATE")
    )
    second = None if low is None or not rate else (((high or 0) << 32) + low, rate)
    last = min(max(tracks, default=0), MOST_WORDS)
    return replace(
        stamp,
        second=second,
        words=tuple((name, text[:MOST_WORDS]) for name, text in words),
        tracks=tuple(tracks.get(channel, (channel, "")) for channel in range(1, last + 1)),
    )


def ixml_of(stamp: Stamp, channels: tuple[int, ...]) -> bytes:
    """The iXML of a file that holds these channels of a recording; empty where nothing is to be said."""
    named = [stamp.track(channel) for channel in channels]
    if not stamp.words and not any(name for _, name in named):
        return b""
    root = etree.Element("BWFXML")
    etree.SubElement(root, "IXML_VERSION").text = "1.61"
    for word, text in stamp.words:
        etree.SubElement(root, word).text = clean(text)
    rows = etree.SubElement(root, "TRACK_LIST")
    etree.SubElement(rows, "TRACK_COUNT").text = str(len(channels))
    for place, (number, name) in enumerate(named, 1):
        row = etree.SubElement(rows, "TRACK")
        etree.SubElement(row, "CHANNEL_INDEX").text = str(number)
        etree.SubElement(row, "INTERLEAVE_INDEX").text = str(place)
        etree.SubElement(row, "NAME").text = clean(name)
    return etree.tostring(root, xml_declaration=True, encoding="UTF-8")


def _text(body: bytes) -> str:
    body = body.partition(b"\0")[0]
    try:
        return body.decode("utf-8").strip()
    except UnicodeDecodeError:
        return body.decode("cp1252", "replace").strip()


def _whole(text: str | None) -> int | None:
    text = (text or "").strip()
    return int(text) if text.isascii() and text.isdigit() and len(text) < 12 else None
