"""The three sections of a log: heading, columns, data."""

from __future__ import annotations

import re
from dataclasses import dataclass

from wexodos.formats.errors import ReadError, WriteError
from wexodos.formats.paths import is_still_name
from wexodos.model import Document, Media, Note
from wexodos.timing import Rate, Timecode, TimecodeError

MOST_ROWS = 200_000
LINE = "\r\n"
_CODE = re.compile(r"\d{1,2}:\d{2}:\d{2}[:;.]\d{2,3}")


@dataclass(frozen=True, slots=True)
class Row:
    """A clip of a log: frames of ``rate`` from timecode zero, the end exclusive."""

    name: str
    reel: str
    start: int
    end: int
    rate: Rate
    drop: bool
    video: bool
    channels: int
    file: str


def matches(head: bytes) -> bool:
    return head.removeprefix(b"\xef\xbb\xbf").lstrip()[:7].lower() == b"heading"


def refused(*_: object) -> bytes:
    """A log holds no cut."""
    raise WriteError("a clip log cannot hold a sequence")


def read(data: bytes) -> Document:
    """The clips of a log as media, without any sequence. Raises ``ReadError``."""
    notes: list[Note] = []
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("latin-1")
        notes.append(Note("warning", "text", "", "its letters are not UTF-8; they are read as Latin-1"))
    section = ""
    heading: dict[str, str] = {}
    columns: list[str] = []
    media: list[Media] = []
    rows = re.split(r"\r\n|\r|\n", text)
    if len(rows) > MOST_ROWS:
        raise ReadError("the log has too many rows")
    for number, line in enumerate(rows, 1):
        plain = line.strip().lower()
        if plain in ("heading", "column", "data"):
            section = plain
            continue
        if not plain:
            continue
        cells = [cell.strip() for cell in line.split("\t")]
        if section == "heading":
            # One exporter writes all keys and values on one line, by turns.
            heading.update(zip((cell.upper() for cell in cells[::2]), cells[1::2]))
        elif section == "column" and not columns:
            columns = cells
            while columns and not columns[-1]:
                columns.pop()
        elif section == "data":
            made = _media(dict(zip(columns, cells)), heading, len(media) + 1)
            if made is None:
                notes.append(
                    Note(
                        "warning", "row", f"row {number}", "this row has no start and end that could be read"
                    )
                )
            else:
                media.append(made)
    if not columns:
        raise ReadError("the log says no columns")
    return Document("ale", "", (), tuple(media), tuple(notes[:500]))


_KNOWN = {
    "name",
    "tape",
    "camroll",
    "reel #",
    "labroll",
    "soundroll",
    "start",
    "end",
    "duration",
    "tracks",
    "source file",
    "source path",
    "filename",
    "fps",
    "image size",
    "audio sr",
    "audio bit depth",
}


def _media(row: dict[str, str], heading: dict[str, str], number: int) -> Media | None:
    told = {key.lower(): value for key, value in row.items() if value}
    try:
        rate = Rate.parse(told.get("fps") or heading.get("FPS") or "25")
    except ValueError:
        rate = Rate(25)
    try:
        start, end = (Timecode.parse(told[key], rate, None) for key in ("start", "end"))
    except (KeyError, TimecodeError):
        return None
    file = (
        told.get("source path")
        or told.get("source file")
        or told.get("filename")
        or told.get("unc path")
        or ""
    )
    stem = file.replace("\\", "/").rsplit("/", 1)[-1]
    reel = (
        told.get("tape")
        or told.get("camroll")
        or told.get("reel #")
        or told.get("labroll")
        or told.get("soundroll")
        or ""
    )
    size = re.match(r"(\d{2,5})\s*x\s*(\d{2,5})", told.get("image size", ""))
    tracks = told.get("tracks", "V").upper()
    samples = re.sub(r"\D", "", told.get("audio sr", ""))
    return Media(
        f"m-{number}",
        told.get("name", "") or stem or f"clip {number}",
        file or None,
        reel or None,
        start.frames,
        start.drop_frame,
        max(0, end.frames - start.frames),
        rate,
        int(size.group(1)) if size else None,
        int(size.group(2)) if size else None,
        channels=len(re.findall(r"A\d*", tracks)) or None,
        sample_rate=int(samples) if samples and int(samples) >= 8000 else None,
        video="V" in tracks,
        audio="A" in tracks,
        still=is_still_name(stem),
        metadata=tuple((key, value) for key, value in row.items() if value and key.lower() not in _KNOWN),
    )


def written(rows: list[Row], height: int | None, sample_rate: int | None) -> bytes:
    """A log of rows; the heading says the rate of the first."""
    rate = rows[0].rate if rows else Rate(25)
    shape = {1080: "1080", 720: "720"}.get(height or 0, "CUSTOM")
    lines = [
        "Heading",
        "FIELD_DELIM\tTABS",
        f"VIDEO_FORMAT\t{shape}",
        f"AUDIO_FORMAT\t{(sample_rate or 48000) // 1000}khz",
        f"FPS\t{rate.label()}",
        "",
        "Column",
    ]
    lines.append("\t".join(("Name", "Tape", "Tracks", "Start", "End", "Duration", "Source File", "FPS")))
    lines += ["", "Data"]
    for row in rows:
        tracks = ("V" if row.video else "") + "".join(f"A{number}" for number in range(1, row.channels + 1))
        cells = (
            row.name,
            row.reel,
            tracks,
            str(Timecode(row.start, row.rate, row.drop)),
            str(Timecode(row.end, row.rate, row.drop)),
            str(Timecode(row.end - row.start, row.rate, False)),
            row.file,
            row.rate.label(),
        )
        lines.append("\t".join(" ".join(cell.split()) for cell in cells))
    return (LINE.join(lines) + LINE).encode("utf-8")
