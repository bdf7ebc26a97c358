"""Looking through folders for media files: fast again the second time, as only folders that changed are read
anew."""

from __future__ import annotations

import contextlib
import os
import time
import unicodedata
from collections import defaultdict
from collections.abc import Iterable
from pathlib import Path

import msgspec
import platformdirs

from wexodos.footage.tables import SUFFIXES as TABLES
from wexodos.formats.numbering import PICTURE_SUFFIXES, frame_of, pattern_of, patterns_in
from wexodos.formats.paths import STILL_SUFFIXES
from wexodos.ground import Progress, write_file
from wexodos.ground.errors import WriteError

SUFFIXES = (
    STILL_SUFFIXES
    | PICTURE_SUFFIXES
    | frozenset(TABLES)
    | {
        ".mov",
        ".mp4",
        ".m4v",
        ".mxf",
        ".mkv",
        ".avi",
        ".mpg",
        ".mpeg",
        ".m2t",
        ".m2ts",
        ".mts",
        ".ts",
        ".webm",
        ".wmv",
        ".dv",
        ".3gp",
        ".r3d",
        ".braw",
        ".ari",
        ".arx",
        ".dng",
        ".wav",
        ".bwf",
        ".rf64",
        ".w64",
        ".aif",
        ".aiff",
        ".aifc",
        ".flac",
        ".mp3",
        ".m4a",
        ".aac",
        ".ogg",
        ".opus",
        ".caf",
    }
)
"""What a media file's name may end in."""
_LONG = 24
"""Files of a sequence that are looked into one by one too where no name helps; photographs are numbered as
well."""
DEEPEST, MOST = 64, 2_000_000
_SETTLED = 3_000_000_000
"""Nanoseconds: a folder that changed a moment ago may change again without another time, so it is not kept
yet."""


class Folder(msgspec.Struct, array_like=True):
    """What stood in a folder when it was read: its own time, the media files and the folders in it, the
    numbered sequences among the files by the pattern of their names, with how many files each has, and links
    to folders."""

    changed: int
    files: list[str]
    folders: list[str]
    runs: dict[str, int]
    links: list[str]


class Index:
    """Files found, and numbered sequences of them, to be looked up by name. ``count`` says how many there are
    to be looked into where no name helps: of a long sequence one, not its files."""

    def __init__(self) -> None:
        # Texts: most of the files are never asked for, and a path takes longer to make than a folder to read.
        self._names: dict[str, list[str]] = defaultdict(list)
        self._bare: dict[str, list[str]] = defaultdict(list)
        self._lone: list[str] = []

    @property
    def count(self) -> int:
        return len(self._lone)

    def add(self, folder: str, held: Folder) -> None:
        """Take what stands in a folder."""
        long = {
            pattern.head
            for words, count in held.runs.items()
            if count > _LONG and (pattern := pattern_of(words)) is not None
        }
        for name in held.files:
            path = os.path.join(folder, name)
            self._names[folded(name)].append(path)
            self._bare[bare(name)].append(path)
            frame = frame_of(name) if long else None
            if frame is None or frame[0].head not in long:
                self._lone.append(path)
        for words in held.runs:
            path = os.path.join(folder, words)
            self._names[folded(plain_name(words))].append(path)
            self._bare[bare(words)].append(path)
            self._lone.append(path)

    def named(self, name: str) -> list[Path]:
        """Files of this name, whatever its case; sequences, however the place of their number is written."""
        return [Path(one) for one in self._names.get(folded(plain_name(name)), ())]

    def like(self, name: str) -> list[Path]:
        """Files whose name is the same but for its case, its suffix and a number or word of a copy at its
        end."""
        return [Path(one) for one in self._bare.get(bare(name), ())]

    def all(self) -> Iterable[Path]:
        yield from map(Path, self._lone)


def folded(name: str) -> str:
    """A name without regard to its case and to how its accents are spelled: systems differ in whether an ü is
    one sign or two."""
    return name.lower() if name.isascii() else unicodedata.normalize("NFC", name).lower()


def plain_name(name: str) -> str:
    """The name of a numbered sequence with its number's place written in one way; other names as they are."""
    pattern = pattern_of(name)
    return pattern.words if pattern else name


def bare(name: str) -> str:
    """A file name without its suffix, without what a copy adds to it, in small letters.

    >>> bare("A003C012 copy 2.MOV"), bare("A003C012_1.mxf"), bare("A003C012 (1).mov")
    ('a003c012', 'a003c012', 'a003c012')
    """
    pattern = pattern_of(name)
    words = folded((pattern.head if pattern else name.rpartition(".")[0]) or name).strip()
    if pattern:
        words = words.rstrip(" _-.") or words
    while True:
        cut = words
        if words.endswith(")") and "(" in words and words[words.rindex("(") + 1 : -1].isdigit():
            cut = words[: words.rindex("(")]
        else:
            head = words.rstrip("0123456789")
            # A number of one or two digits after a mark; longer ones belong to the name.
            if head != words and len(words) - len(head) <= 2 and head and head[-1] in " _-.":
                cut = head[:-1]
            for word in (" copy", "-copy", "_copy", "_proxy", "-proxy", " proxy"):
                cut = cut.removesuffix(word)
        cut = cut.rstrip(" _-.")
        if cut == words or not cut:
            return words
        words = cut


class Scanner:
    """Reads folder trees. What was read is kept in a file, folder by folder with its time."""

    def __init__(self, file: Path | None = None) -> None:
        self._file = file or Path(platformdirs.user_cache_dir("wexodos")) / "folders-3.msgpack"
        self._known: dict[str, Folder] = {}
        with contextlib.suppress(OSError, msgspec.MsgspecError):
            self._known = msgspec.msgpack.decode(self._file.read_bytes(), type=dict[str, Folder])

    def scan(self, roots: Iterable[Path], progress: Progress = lambda _what, _share: None) -> Index:
        """All media files in and below some folders. ``progress`` may raise to stop. Folders that cannot be
        read are passed over.

        Links to folders are followed after everything else, and no folder is read twice: they may lead round
        in a circle.
        """
        return self._walk([(str(root), 0) for root in dict.fromkeys(roots)], progress)

    def scan_near(self, roots: list[Path], progress: Progress = lambda _what, _share: None) -> Index:
        """The first folder with all below it (to a depth of 6), of each further one what stands in it and in
        its own folders."""
        stack = [(str(root), DEEPEST - (6 if number == 0 else 1)) for number, root in enumerate(roots)]
        # The last is walked first, and what was walked is not walked again: the first must come first.
        return self._walk(stack[::-1], progress)

    def _walk(self, stack: list[tuple[str, int]], progress: Progress) -> Index:
        index, new, seen = Index(), 0, set[tuple[int, int]]()
        later: list[tuple[str, int]] = []
        while (stack or later) and index.count < MOST:
            folder, depth = stack.pop() if stack else later.pop(0)
            try:
                told = os.stat(folder)
            except OSError:
                continue
            if (told.st_dev, told.st_ino) in seen:
                continue
            seen.add((told.st_dev, told.st_ino))
            changed = told.st_mtime_ns
            held = self._known.get(folder)
            if held is None or held.changed != changed:
                held = _read(folder, changed)
                if held is None:
                    continue
                if time.time_ns() - changed > _SETTLED:
                    self._known[folder] = held
                    new += 1
            index.add(folder, held)
            if depth < DEEPEST:
                stack += [(os.path.join(folder, name), depth + 1) for name in held.folders]
                later += [
                    (os.path.join(folder, name), depth + 1) for name in held.links if _bounded(folder, name)
                ]
            if len(seen) % 64 == 1:
                progress(f"looking through folders: {index.count} files in {len(seen)} folders", 0.5)
        if new:
            self._keep()
        return index

    def _keep(self) -> None:
        with contextlib.suppress(OSError, WriteError):
            self._file.parent.mkdir(parents=True, exist_ok=True)
            write_file(self._file, msgspec.msgpack.encode(self._known), kept=False)


def _read(folder: str, changed: int) -> Folder | None:
    files, folders, links = [], [], []
    try:
        with os.scandir(folder) as entries:
            for entry in entries:
                with contextlib.suppress(OSError):
                    if entry.is_dir(follow_symlinks=False):
                        folders.append(entry.name)
                    elif entry.is_symlink() and entry.is_dir():
                        links.append(entry.name)
                    elif (
                        os.path.splitext(entry.name)[1].lower() in SUFFIXES
                        and not entry.name.startswith(".")
                        and entry.is_file()
                    ):
                        # Only files: to open a pipe would be to wait for somebody to write into it.
                        files.append(entry.name)
    except OSError:
        return None
    runs = {pattern.words: count for pattern, count in patterns_in(files).items()}
    return Folder(changed, sorted(files), sorted(folders, reverse=True), runs, sorted(links))


def _bounded(folder: str, name: str) -> bool:
    """Whether a link leads to a folder of somebody's, not to a whole disk or all that everybody has."""
    return len(Path(os.path.realpath(os.path.join(folder, name))).parts) > 2
