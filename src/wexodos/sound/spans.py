"""Recordings that go on in another file: cameras and recorders begin a new one when a file is full.

The next part is a file beside the first whose name counts on by one in one of its numbers, and whose
timecode begins where the first ends. Either alone says nothing: recordings are numbered too, and their
timecode may run on from one to the next; so a part is only looked for where a cut needs more than a file
holds.
"""

from __future__ import annotations

import os
import re
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from pathlib import Path

import av
import soundfile

from wexodos.ground.errors import WexodosError
from wexodos.sound.heads import read_head
from wexodos.timing import Rate, Timecode, TimecodeError
from wexodos.timing.rates import snap

MOST_PARTS = 500
_LONG = 5
"""Digits of a number from which on its first two may count for themselves."""
_RUNS = re.compile(r"\d+")


@dataclass(frozen=True, slots=True)
class Stretch:
    """Where a file begins and how long it is, in seconds; ``sign`` is what its parts have in common,
    ``slack`` how exactly its timecode counts."""

    start: Fraction
    length: Fraction
    slack: Fraction
    sign: tuple[object, ...]

    @property
    def end(self) -> Fraction:
        return self.start + self.length


def names_after(name: str) -> list[str]:
    """Names that count on by one in one of their numbers, that nearest the end first; then in the first two
    digits of a long one, where some cameras count the parts of a recording.

    >>> names_after("A003C012_001.mov")
    ['A003C012_002.mov', 'A003C013_001.mov', 'A004C012_001.mov']
    >>> names_after("K010012.mp4")
    ['K010013.mp4', 'K020012.mp4']
    """
    stem, dot, suffix = name.rpartition(".")
    runs = [one.span() for one in reversed(list(_RUNS.finditer(stem if dot else "")))]
    within = [(begin, begin + 2) for begin, end in runs if end - begin >= _LONG]
    found = []
    for begin, end in (*runs, *within):
        number = f"{int(stem[begin:end]) + 1:0{end - begin}d}"
        if end - begin <= 8 and len(number) == end - begin:
            found.append(f"{stem[:begin]}{number}{stem[end:]}{dot}{suffix}")
    return found


def next_part(path: Path) -> Path | None:
    """The file a recording goes on in; None where there is none."""
    own = stretch_of(path)
    if own is None:
        return None
    for name in names_after(path.name):
        place = path.with_name(name)
        other = stretch_of(place)
        if other is not None and other.sign == own.sign and abs(other.start - own.end) <= own.slack:
            return place
    return None


def parts_of(path: Path, seconds: Fraction) -> list[tuple[Path, Fraction]]:
    """The files that a recording of so many seconds lies in, with the length of each: the first, and those it
    goes on in as far as it is needed and they are there."""
    found: list[tuple[Path, Fraction]] = []
    following: Path | None = path
    while following is not None and len(found) < MOST_PARTS:
        own = stretch_of(following)
        if own is None:
            break
        found.append((following, own.length))
        seconds -= own.length
        following = next_part(following) if seconds > 0 else None
    return found


def stretch_of(path: Path) -> Stretch | None:
    """Where a file begins and how long it is; None where it is not there, cannot be read or does not say."""
    try:
        told = os.stat(path)
    except (OSError, ValueError):
        return None
    return _stretch(str(path), told.st_size, told.st_mtime_ns)


@lru_cache(maxsize=8192)
def _stretch(path: str, size: int, _changed: int) -> Stretch | None:
    try:
        with soundfile.SoundFile(path) as sound, open(path, "rb") as raw:
            rate = sound.samplerate
            origin = read_head(raw, size).origin
            if origin is None:
                return None
            start, length = Fraction(origin, rate), Fraction(sound.frames, rate)
            return Stretch(start, length, Fraction(1, 1000), ("sound", rate, sound.channels, sound.subtype))
    except (soundfile.LibsndfileError, RuntimeError, OSError, WexodosError):
        pass
    try:
        with av.open(path) as container:
            if not container.streams.video or container.streams.video[0].codec_context is None:
                return None
            stream = container.streams.video[0]
            if not stream.average_rate:
                return None
            counted = Rate.of(snap(Fraction(stream.average_rate)))
            tags = [container.metadata, *(one.metadata for one in container.streams)]
            label = next((one["timecode"] for one in tags if one.get("timecode")), "")
            begins = Timecode.parse(label, counted).frames
            fps = Fraction(counted.fps)
            length = (
                Fraction(stream.frames) / fps
                if stream.frames
                else Fraction(stream.duration or 0) * Fraction(stream.time_base or 0)
            )
            codec = stream.codec_context
            sign = ("picture", codec.name, codec.width, codec.height, fps)
            return Stretch(Fraction(begins) / fps, length, 1 / fps, sign) if length else None
    except (av.error.FFmpegError, OSError, ValueError, TimecodeError, ArithmeticError):
        return None
