"""Which typeface draws which letters: the named one where this system has it, else a shipped one, and for
letters it does not have the first of the system that does."""

from __future__ import annotations

import contextlib
import os
import unicodedata
from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from io import BytesIO
from pathlib import Path

import msgspec
import platformdirs
from fontTools.ttLib import TTFont, TTLibError
from PIL import ImageFont

from wexodos.ground import write_file
from wexodos.ground.errors import WriteError

_SUFFIXES = (".ttf", ".otf", ".ttc", ".otc")
MOST_FONTS, MOST_BYTES = 5000, 128 << 20
_GENERIC = frozenset(("", "sans", "sans-serif", "serif", "mono", "monospace"))
_WIDE_NAMES = {
    "mono": ("IBMPlexMono_400Regular.ttf", "IBMPlexMono_500Medium.ttf"),
    "plain": ("BarlowSemiCondensed_400Regular.ttf", "BarlowSemiCondensed_600SemiBold.ttf"),
}
_SHIPPED = frozenset(("barlow semi condensed", "barlow", "ibm plex mono"))


class Known(msgspec.Struct, frozen=True, array_like=True):
    """A typeface of this system: its file and place in it, its family and style in small letters, and the
    letters it has as starts and ends (exclusive) of stretches."""

    path: str
    number: int
    family: str
    style: str
    starts: list[int]
    ends: list[int]

    def has(self, code: int) -> bool:
        place = bisect_right(self.starts, code) - 1
        return place >= 0 and code < self.ends[place]


@dataclass(frozen=True, slots=True)
class Face:
    """A typeface that letters are drawn with: a file of this system, or a shipped one."""

    name: str
    path: str = ""
    number: int = 0

    def at(self, pixels: int) -> ImageFont.FreeTypeFont:
        return _opened(self, max(1, pixels))


@dataclass(frozen=True, slots=True)
class Piece:
    """Letters that one typeface draws; None where no typeface of this system has them."""

    text: str
    face: Face | None


def pieces(text: str, name: str | None, bold: bool) -> list[Piece]:
    """A text in pieces by what draws them, from left to right as they are seen."""
    first = face_of(name, bold)
    has = _letters(first)
    made: list[tuple[Face | None, list[str]]] = []
    for letter in text:
        face: Face | None = first
        if not _blank(letter) and ord(letter) not in has:
            face = _other(ord(letter), bold)
        elif made and made[-1][0] is not None and (letter.isspace() or unicodedata.combining(letter)):
            # Blanks and marks go with what they stand behind.
            face = made[-1][0]
        if made and made[-1][0] == face:
            made[-1][1].append(letter)
        else:
            made.append((face, [letter]))
    found = [Piece("".join(letters), face) for face, letters in made]
    return found[::-1] if right_to_left(text) else found


def right_to_left(text: str) -> bool:
    """Whether a text is read from the right: as its first letter with a direction is (UAX 9, P2 and P3)."""
    for letter in text:
        way = unicodedata.bidirectional(letter)
        if way in ("L", "R", "AL"):
            return way != "L"
    return False


def joined(text: str) -> bool:
    """Whether letters change with their neighbours, so that they cannot be drawn one by one."""
    return any(
        unicodedata.combining(one)
        or unicodedata.bidirectional(one) in ("R", "AL")
        or 0x0900 <= ord(one) <= 0x0FFF
        or 0x1000 <= ord(one) <= 0x109F
        or 0x1780 <= ord(one) <= 0x18AF
        for one in text
    )


def stands_in(name: str | None) -> str:
    """The typeface that stands in for one that this system does not have; empty where it has it, or where
    none is named."""
    words = (name or "").strip()
    if words.lower() in _GENERIC or words.lower() in _SHIPPED or _named(words.lower(), False) is not None:
        return ""
    return face_of(name, False).name


@lru_cache(maxsize=256)
def face_of(name: str | None, bold: bool) -> Face:
    """The typeface for a name: that of the system, else the shipped one that is nearest."""
    words = (name or "").strip().lower()
    if words not in _GENERIC and words not in _SHIPPED:
        found = _named(words, bold)
        if found is not None:
            return Face(found.family, found.path, found.number)
    plain = "mono" if "mono" in words or "courier" in words or "console" in words else "plain"
    return Face("IBM Plex Mono" if plain == "mono" else "Barlow Semi Condensed", _WIDE_NAMES[plain][bold], -1)


def _blank(letter: str) -> bool:
    return letter.isspace() or unicodedata.category(letter) in ("Cc", "Cf")


@lru_cache(maxsize=256)
def _opened(face: Face, pixels: int) -> ImageFont.FreeTypeFont:
    if face.number < 0:
        data = (resources.files("wexodos.fonts") / face.path).read_bytes()
        return ImageFont.truetype(BytesIO(data), pixels)
    return ImageFont.truetype(face.path, pixels, index=face.number)


@lru_cache(maxsize=64)
def _letters(face: Face) -> frozenset[int]:
    try:
        if face.number < 0:
            data = BytesIO((resources.files("wexodos.fonts") / face.path).read_bytes())
            with TTFont(data, lazy=True) as font:
                return frozenset(font.getBestCmap() or ())
        with TTFont(face.path, fontNumber=face.number, lazy=True) as font:
            return frozenset(font.getBestCmap() or ())
    except (OSError, TTLibError, ValueError, KeyError, AssertionError):
        return frozenset()


@lru_cache(maxsize=4096)
def _other(code: int, bold: bool) -> Face | None:
    """The first typeface of the system that has a letter, a bold one where that is wanted and there is
    one."""
    having = [one for one in system_faces() if one.has(code)]
    having.sort(key=lambda one: _unlike(one, bold))
    return Face(having[0].family, having[0].path, having[0].number) if having else None


def _named(words: str, bold: bool) -> Known | None:
    if not words:
        return None
    alike = [one for one in system_faces() if words in (one.family, f"{one.family} {one.style}")]
    alike.sort(key=lambda one: _unlike(one, bold))
    return alike[0] if alike else None


def _unlike(one: Known, bold: bool) -> tuple[bool, bool]:
    """How little a typeface is what is wanted: an upright one of that weight."""
    return ("bold" in one.style) != bold, "italic" in one.style or "oblique" in one.style


# ---- what this system has


def folders() -> list[Path]:
    """Where typefaces lie by custom (XDG base directories)."""
    data = [os.environ.get("XDG_DATA_HOME") or str(Path.home() / ".local" / "share")]
    data += (os.environ.get("XDG_DATA_DIRS") or "/usr/local/share:/usr/share").split(":")
    return [Path(one) / "fonts" for one in data if one] + [Path.home() / ".fonts"]


@lru_cache(maxsize=1)
def system_faces() -> tuple[Known, ...]:
    """The typefaces of this system in the order of their files; what was read is kept."""
    file = Path(platformdirs.user_cache_dir("wexodos")) / "faces-1.msgpack"
    kept: dict[str, tuple[int, list[Known]]] = {}
    with contextlib.suppress(OSError, msgspec.MsgspecError):
        kept = msgspec.msgpack.decode(file.read_bytes(), type=dict[str, tuple[int, list[Known]]])
    found: dict[str, tuple[int, list[Known]]] = {}
    for path in _files():
        with contextlib.suppress(OSError):
            changed = path.stat().st_mtime_ns
            known = kept.get(str(path))
            found[str(path)] = known if known is not None and known[0] == changed else (changed, _read(path))
    if found != kept:
        with contextlib.suppress(OSError, WriteError):
            file.parent.mkdir(parents=True, exist_ok=True)
            write_file(file, msgspec.msgpack.encode(found), kept=False)
    return tuple(one for _, faces in found.values() for one in faces)


def _files() -> Iterator[Path]:
    count = 0
    for folder in dict.fromkeys(folders()):
        for place, inner, names in os.walk(folder):
            inner.sort()
            for name in sorted(names):
                if name.lower().endswith(_SUFFIXES) and count < MOST_FONTS:
                    count += 1
                    yield Path(place, name)


def _read(path: Path) -> list[Known]:
    """The typefaces in a file; none where it cannot be read."""
    found: list[Known] = []
    try:
        if not path.is_file() or path.stat().st_size > MOST_BYTES:
            return []
        with open(path, "rb") as file:
            count = int.from_bytes(file.read(12)[8:12], "big") if _collection(path) else 1
        for number in range(min(count, 32)):
            with TTFont(str(path), fontNumber=number, lazy=True) as font:
                names = font["name"]
                family = str(names.getBestFamilyName() or "").lower()
                style = str(names.getBestSubFamilyName() or "").lower()
                starts, ends = _stretches(sorted(font.getBestCmap() or ()))
            if starts:
                found.append(Known(str(path), number, family, style, starts, ends))
    except Exception:
        # Whatever is wrong with a typeface, it is just none.
        return found
    return found


def _collection(path: Path) -> bool:
    with open(path, "rb") as file:
        return file.read(4) == b"ttcf"


def _stretches(codes: list[int]) -> tuple[list[int], list[int]]:
    starts: list[int] = []
    ends: list[int] = []
    for code in codes:
        if ends and ends[-1] == code:
            ends[-1] = code + 1
        else:
            starts.append(code)
            ends.append(code + 1)
    return starts, ends
