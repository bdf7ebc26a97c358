"""What a media file says of itself, kept by path, size and time so that no file is opened twice for it."""

from __future__ import annotations

import contextlib
import os
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
import soundfile
from PIL import Image

from wexodos.footage.source import frame_rate
from wexodos.formats.paths import is_still_name
from wexodos.ground import refuse_special
from wexodos.ground.errors import ReadError
from wexodos.sound.decode import SoundError
from wexodos.sound.heads import missing, read_head
from wexodos.timing import Exact, Rate, Timecode, TimecodeError, exact
from wexodos.timing.rates import snap

_INTEGERS = {"PCM_16": 16, "PCM_S8": 8, "PCM_U8": 8, "PCM_24": 24, "PCM_32": 32}
VERSION = 2


class Probed(msgspec.Struct, frozen=True, omit_defaults=True):
    """The facts of a file. ``seconds`` and ``rate`` are exact fractions as text, ``start`` counts frames of
    ``rate`` (samples of ``sample_rate`` for pure sound) from timecode zero. ``problem`` says why a file
    cannot be used; the rest is empty then."""

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
    form: str = ""
    problem: str = ""

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
    """Open a file and read its facts; what is wrong with it stands in ``problem``. Raises nothing."""
    try:
        info = path.stat()
    except OSError as error:
        return Probed(str(path), 0, 0, problem=f"cannot be opened: {(error.strerror or str(error)).lower()}")
    base: dict[str, Any] = {"path": str(path), "size": info.st_size, "changed": info.st_mtime_ns}
    try:
        refuse_special(path)
        if is_still_name(path.name):
            return Probed(**base, **_still(path))
        return Probed(**base, **(_sound(path) or _movie(path)))
    except ReadError as error:
        return Probed(**base, problem=error.problem)
    except (
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


def _whole_sound(path: Path) -> None:
    """Raise ``ValueError`` where a sound file promises more samples than it holds: it was cut off, it is not
    shorter."""
    with path.open("rb") as raw:
        if missing(raw, os.fstat(raw.fileno()).st_size):
            raise ValueError("cut off")
    with soundfile.SoundFile(str(path)) as file:
        if file.frames > 0 and file.seekable():
            try:
                file.seek(file.frames - 1)
                last = len(file.read(1))
            except (soundfile.LibsndfileError, RuntimeError):
                last = 0
            if last != 1:
                raise ValueError("cut off")


def _still(path: Path) -> dict[str, Any]:
    with Image.open(path) as image:
        bands = {"1": 1, "I;16": 16, "I": 32, "F": 32}.get(image.mode, 8)
        found = {
            "video": True,
            "still": True,
            "width": image.width,
            "height": image.height,
            "bits": bands,
            "form": (image.format or "").lower(),
        }
        # A file that is cut off says its size all the same.
        image.load()
    return found


def _sound(path: Path) -> dict[str, Any] | None:
    """The facts of a sound file that libsndfile knows; None for everything else."""
    try:
        with soundfile.SoundFile(str(path)) as file:
            found: dict[str, Any] = {
                "audio": True,
                "seconds": str(Fraction(file.frames, file.samplerate)),
                "channels": file.channels,
                "sample_rate": file.samplerate,
                "sample_bits": _INTEGERS.get(file.subtype, 0),
                "form": file.format.lower(),
            }
    except (soundfile.LibsndfileError, RuntimeError, OSError):
        return None
    _whole_sound(path)
    with contextlib.suppress(SoundError, OSError, ArithmeticError), path.open("rb") as raw:
        origin = read_head(raw, os.fstat(raw.fileno()).st_size).origin
        if origin is not None:
            found["start"] = int(origin)
    return found


def _movie(path: Path) -> dict[str, Any]:
    with av.open(str(path)) as container:
        found: dict[str, Any] = {"form": container.format.name.split(",")[0]}
        tags = {**container.metadata}
        length: Fraction | None = None
        stream: Any
        # Streams whose coding nobody knows have no codec: they are none for us.
        for stream in [one for one in container.streams if one.codec_context is not None]:
            tags = {**stream.metadata, **tags}
            base = Fraction(stream.time_base or 1)
            own = Fraction(stream.duration) * base if stream.duration else None
            if stream.type == "video" and "video" not in found:
                codec = stream.codec_context
                rate = frame_rate(stream)
                aspect = Fraction(stream.sample_aspect_ratio or 1) or Fraction(1)
                length = Fraction(stream.frames) / rate if stream.frames else own
                found |= {
                    "video": True,
                    "width": codec.width,
                    "height": codec.height,
                    "rate": str(Rate.of(snap(rate))),
                    "pixel_aspect": str(aspect),
                    "bits": max((part.bits for part in codec.format.components), default=8)
                    if codec.format
                    else 8,
                }
            elif stream.type == "audio" and "audio" not in found:
                found |= {
                    "audio": True,
                    "channels": stream.codec_context.channels,
                    "sample_rate": stream.codec_context.sample_rate,
                    "sample_bits": _bits(stream.codec_context),
                }
                length = length or own
                if not found["channels"] or not found["sample_rate"]:
                    raise ValueError("a sound without channels")
            _whole(stream, path)
        if "video" not in found and "audio" not in found:
            raise ValueError("neither picture nor sound")
        length = length or (Fraction(container.duration, 1_000_000) if container.duration else None)
        if length is not None:
            found["seconds"] = str(length)
        found["reel"] = tags.get("reel_name", "") or tags.get("reel", "")
        label = tags.get("timecode", "")
        if label and "rate" in found:
            with contextlib.suppress(TimecodeError):
                code = Timecode.parse(label, Rate.parse(found["rate"]))
                found |= {"start": code.frames, "drop_frame": code.drop_frame}
    return found


def _bits(codec: Any) -> int:
    name = str(codec.name)
    if name.startswith("pcm_"):
        return next((bits for bits in (16, 24, 32) if str(bits) in name), 0)
    return 0


def _whole(stream: Any, path: Path) -> None:
    """Raise ``ValueError`` where the file's own index reaches beyond its end: it was cut off."""
    entries = getattr(stream, "index_entries", None)
    count = len(entries) if entries is not None else 0
    if entries is not None and count:
        last = max(entries[place].pos + entries[place].size for place in {0, count // 2, count - 1})
        if last > path.stat().st_size:
            raise ValueError("cut off")


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
            info = path.stat()
        except OSError:
            return probe(path)
        key = str(path)
        with self._lock:
            known = self._known.get(key) or self._stored(key)
        if known is not None and (known.size, known.changed) == (info.st_size, info.st_mtime_ns):
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
