"""What a media file says of itself, kept by path, size and time so that no file is opened twice for it."""

from __future__ import annotations

import contextlib
import sqlite3
import threading
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import msgspec
import platformdirs
from PIL import Image

from wexodos.footage.numbered import Numbered, numbered
from wexodos.footage.source import PictureError
from wexodos.footage.tables import MOST_BYTES as TABLE_BYTES
from wexodos.footage.tables import is_table, table_form
from wexodos.formats.numbering import is_picture
from wexodos.formats.paths import is_still_name
from wexodos.ground import refuse_special
from wexodos.ground.errors import ReadError
from wexodos.media.facts import movie_found, sequence_found, sound_found, still_found
from wexodos.timing import Exact, Rate, Timecode, exact

VERSION = 4


class Probed(msgspec.Struct, frozen=True, omit_defaults=True):
    """The facts of a file, or of a numbered sequence of files. ``seconds`` and ``rate`` are exact fractions
    as text, ``start`` counts frames of ``rate`` (samples of ``sample_rate`` for pure sound) from timecode
    zero. Width and height are those that are seen: where a picture is ``turned`` (degrees clockwise) that was
    done. ``frames``, ``first``, ``last`` and ``gaps`` (in words) are of sequences. Words are empty where
    nothing is said. ``parts`` are the names of the files a recording lies in where it is more than one.
    ``problem`` says why a file cannot be used; the rest is empty then."""

    path: str
    size: int
    changed: int
    video: bool = False
    audio: bool = False
    still: bool = False
    seconds: str = ""
    rate: str = ""
    width: int = 0
    height: int = 0
    pixel_aspect: str = "1"
    bits: int = 0
    start: int | None = None
    drop_frame: bool | None = None
    reel: str = ""
    channels: int = 0
    sample_rate: int = 0
    sample_bits: int = 0
    sample_float: bool = False
    streams: int = 0
    layout: str = ""
    channel_names: tuple[str, ...] = ()
    sound_codec: str = ""
    form: str = ""
    codec: str = ""
    profile: str = ""
    chroma: str = ""
    alpha: bool = False
    floating: bool = False
    field_order: str = ""
    primaries: str = ""
    transfer: str = ""
    matrix: str = ""
    range: str = ""
    turned: int = 0
    frames: int = 0
    first: int | None = None
    last: int | None = None
    gaps: str = ""
    parts: tuple[str, ...] = ()
    problem: str = ""

    def at(self, rate: Rate | None) -> Probed:
        """The same; a sequence whose files say no rate goes at this one."""
        if not self.frames or self.rate or rate is None:
            return self
        return msgspec.structs.replace(
            self, rate=str(rate), seconds=str(Fraction(self.frames) / Fraction(rate.fps))
        )

    @property
    def length(self) -> Exact | None:
        """The length in seconds; None for a picture file."""
        return exact(Fraction(self.seconds)) if self.seconds else None

    @property
    def frames_per_second(self) -> Rate | None:
        return Rate.parse(self.rate) if self.rate else None

    @property
    def start_seconds(self) -> Exact | None:
        """Where the file begins, in seconds from timecode zero; None where it does not say."""
        if self.start is None:
            return None
        rate = self.frames_per_second
        if rate is not None:
            return rate.seconds(self.start)
        return exact(self.start, self.sample_rate) if self.sample_rate else None

    @property
    def timecode(self) -> str:
        """The start timecode as a label; empty where there is none."""
        rate = self.frames_per_second
        return (
            str(Timecode(self.start, rate, bool(self.drop_frame)))
            if self.start is not None and rate is not None
            else ""
        )


def probe(path: Path) -> Probed:
    """Open a file, or the files of a numbered sequence, and read their facts; what is wrong with it stands in
    ``problem``. Raises nothing."""
    try:
        frames = numbered(path)
        size, changed = identity_of(path, frames)
    except OSError as error:
        return Probed(str(path), 0, 0, problem=f"cannot be opened: {(error.strerror or str(error)).lower()}")
    base: dict[str, Any] = {"path": str(path), "size": size, "changed": changed}
    try:
        if frames is not None:
            return Probed(**base, **sequence_found(frames))
        refuse_special(path)
        if is_table(path.name):
            if size > TABLE_BYTES:
                return Probed(**base, problem="is too large for a table")
            return Probed(**base, form=table_form(path))
        if is_still_name(path.name) or is_picture(path.name):
            return Probed(**base, **still_found(path))
        return Probed(**base, **(sound_found(path) or movie_found(path)))
    except ReadError as error:
        return Probed(**base, problem=error.problem)
    except (
        PictureError,
        av.error.FFmpegError,
        OSError,
        ValueError,
        SyntaxError,
        Image.DecompressionBombError,
        ArithmeticError,
        MemoryError,
    ) as error:
        return Probed(
            **base, problem=f"cannot be read ({type(error).__name__}); it may be cut off or damaged"
        )


def identity_of(path: Path, frames: Numbered | None) -> tuple[int, int]:
    """Bytes and the time of the last change of a file, or of all files of a sequence. Raises ``OSError``."""
    if frames is None:
        info = path.stat()
        return info.st_size, info.st_mtime_ns
    told = [one.stat() for one in frames.files()]
    return sum(one.st_size for one in told), max(one.st_mtime_ns for one in told)


class Probes:
    """Remembers what was probed, in a file that outlives the program; works without where that cannot be
    written."""

    def __init__(self, file: Path | None = None) -> None:
        self._file = file or Path(platformdirs.user_cache_dir("wexodos")) / f"probes-{VERSION}.sqlite"
        self._lock = threading.Lock()
        self._known: dict[str, Probed] = {}
        self._base: sqlite3.Connection | None = None
        for again in (False, True):
            try:
                self._file.parent.mkdir(parents=True, exist_ok=True)
                if again:
                    self._file.unlink(missing_ok=True)
                base = sqlite3.connect(self._file, check_same_thread=False, timeout=5)
                base.execute(
                    "CREATE TABLE IF NOT EXISTS probes (path TEXT PRIMARY KEY, size INTEGER, changed "
                    "INTEGER, facts BLOB)"
                )
                self._base = base
                return
            except (sqlite3.Error, OSError):
                continue

    def of(self, path: Path) -> Probed:
        """The facts of a file, from memory where its size and time are those it had."""
        try:
            stamp = identity_of(path, numbered(path))
        except OSError:
            return probe(path)
        key = str(path)
        with self._lock:
            known = self._known.get(key) or self._stored(key)
        if known is not None and (known.size, known.changed) == stamp:
            self._known[key] = known
            return known
        found = probe(path)
        with self._lock:
            self._known[key] = found
            if self._base is not None:
                with contextlib.suppress(sqlite3.Error):
                    self._base.execute(
                        "INSERT OR REPLACE INTO probes VALUES (?, ?, ?, ?)",
                        (key, found.size, found.changed, msgspec.msgpack.encode(found)),
                    )
                    self._base.commit()
        return found

    def many(self, paths: Iterable[Path]) -> dict[Path, Probed]:
        """The facts of several files, four at a time."""
        wanted = list(dict.fromkeys(paths))
        with ThreadPoolExecutor(4) as pool:
            return dict(zip(wanted, pool.map(self.of, wanted)))

    def _stored(self, key: str) -> Probed | None:
        if self._base is None:
            return None
        try:
            row = self._base.execute("SELECT facts FROM probes WHERE path = ?", (key,)).fetchone()
            return msgspec.msgpack.decode(row[0], type=Probed) if row else None
        except (sqlite3.Error, msgspec.MsgspecError):
            return None
