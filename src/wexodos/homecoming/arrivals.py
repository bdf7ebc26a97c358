"""What arrived: sequence files, sound, pictures, and what is none of these."""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path

from wexodos.footage.numbered import numbered
from wexodos.formats import ReadError
from wexodos.formats.numbering import frame_of, is_picture, patterns_in
from wexodos.formats.registry import format_at
from wexodos.ground import Progress, quiet
from wexodos.ground.files import is_plain, reason
from wexodos.media import Probed, Probes

MOST_FILES, MOST_DEPTH = 200_000, 12
_OURS = {"ascmhl", "papers"}
"""Folders of a package whose files are for people, or about the others."""


@dataclass(slots=True)
class Arrivals:
    """The files that came, each once, in the order of their names. ``others`` are those that are none of the
    kinds that are used, with the reason in words; ``session``: what is to be heard stands in a sequence file
    itself."""

    sequences: list[Path] = field(default_factory=list)
    sounds: list[Probed] = field(default_factory=list)
    pictures: list[Probed] = field(default_factory=list)
    others: list[tuple[Path, str]] = field(default_factory=list)
    session: bool = False

    @property
    def sounding(self) -> bool:
        """Whether there is sound to be laid in."""
        return bool(self.sounds) or self.session


def arrived(paths: Iterable[Path], probes: Probes, progress: Progress = quiet) -> Arrivals:
    """Look at everything in files and folders. Raises ``ReadError`` where one is not there, or holds too
    much."""
    found = Arrivals()
    files = _numbered(_files(paths))
    for number, path in enumerate(files):
        progress(f"looking at {path.name}", number / len(files))
        try:
            kind = format_at(path)
        except (ReadError, OSError):
            kind = None
        if kind is not None:
            found.sequences.append(path)
            continue
        facts = probes.of(path)
        if facts.problem:
            found.others.append((path, facts.problem))
        elif facts.gaps:
            found.others.append((path, f"of its pictures {facts.gaps} are not there"))
        elif facts.video and not facts.still:
            found.pictures.append(facts)
        elif facts.audio:
            found.sounds.append(facts)
        else:
            found.others.append((path, "it is no sound, no movie and no sequence file"))
    return found


def _numbered(files: list[Path]) -> list[Path]:
    """The same with one path, by the pattern of their names, for the pictures of a render; pictures of which
    most numbers between are not there are stills with a number."""
    folders: dict[Path, list[str]] = defaultdict(list)
    for path in files:
        if is_picture(path.name):
            folders[path.parent].append(path.name)
    heads: dict[tuple[Path, str, str], Path] = {}
    for folder, names in folders.items():
        for pattern, count in patterns_in(names).items():
            lying = numbered(folder / pattern.words)
            if lying is not None and 2 * count > lying.count:
                heads[folder, pattern.head, pattern.tail] = folder / pattern.words
    made: dict[Path, None] = {}
    for path in files:
        one = frame_of(path.name)
        key = (path.parent, one[0].head, one[0].tail) if one is not None else None
        made[heads.get(key, path) if key is not None else path] = None
    return list(made)


def _files(paths: Iterable[Path]) -> list[Path]:
    found: dict[Path, None] = {}
    for path in paths:
        if path.is_dir():
            for folder, below, names in os.walk(path):
                depth = len(Path(folder).relative_to(path).parts)
                below[:] = sorted(
                    name
                    for name in below
                    if depth < MOST_DEPTH and not name.startswith(".") and name.casefold() not in _OURS
                )
                for name in sorted(names):
                    one = Path(folder, name)
                    if not name.startswith(".") and is_plain(one):
                        found[one] = None
                if len(found) > MOST_FILES:
                    raise ReadError(f"there are more than {MOST_FILES} files in it", "", str(path))
            continue
        try:
            path.stat()
        except OSError as error:
            raise ReadError(f"cannot be opened: {reason(error)}", "", str(path)) from None
        if is_plain(path):
            found[path] = None
    return list(found)
