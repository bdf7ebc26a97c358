"""Where each file of the media stands in a package, and how it is named from outside."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from pathlib import Path

from wexodos.footage.numbered import numbered
from wexodos.ground.names import safe_name
from wexodos.media import Row
from wexodos.media.search import spelled
from wexodos.model import Document, Media
from wexodos.sound.locate import Finder

FOLDER = "Media"


@dataclass(slots=True)
class Places:
    """What is copied: for each medium, by its id, the files it lies in with their paths in the package, and
    the path its cut names then, in the package as well; ``found`` is where it is here."""

    files: dict[str, list[tuple[Path, str]]] = field(default_factory=dict)
    named: dict[str, str] = field(default_factory=dict)
    found: dict[str, Path] = field(default_factory=dict)

    def of(self, media: Iterable[str]) -> list[tuple[Path, str]]:
        """The files of media, each once, in their order."""
        kept: dict[str, Path] = {}
        for key in media:
            for source, name in self.files.get(key, ()):
                kept.setdefault(name, source)
        return [(source, name) for name, source in kept.items()]


def places_of(rows: Iterable[Row]) -> Places:
    """Give every file that was found a place. Two files of one name – also where a system takes no notice of
    case – stand in folders called after those they come from."""
    made = Places()
    taken: dict[str, Path] = {}
    for row in rows:
        if row.path is None or row.how == "inside":
            continue
        folder, files, named = _files(row)
        names = [_portable(one.name) for one in files]
        number = 1
        inside = folder
        while any(taken.get(f"{inside}/{name}".casefold(), one) != one for one, name in zip(files, names)):
            parent = safe_name(files[0].parent.name)
            inside = f"{folder}/{parent}" if number == 1 else f"{folder}/{parent} {number}"
            number += 1
        for one, name in zip(files, names):
            taken[f"{inside}/{name}".casefold()] = one
        key = row.media.id
        made.files[key] = [(one, f"{inside}/{name}") for one, name in zip(files, names)]
        made.named[key] = f"{inside}/{named}"
        made.found[key] = row.path
    return made


def _files(row: Row) -> tuple[str, list[Path], str]:
    """The folder in the package, the files a medium lies in, and what it is called there: a numbered sequence
    has a folder of its own and its pattern for a name."""
    path = row.path
    assert path is not None
    frames = numbered(path)
    if frames is not None:
        files = frames.files()
        return f"{FOLDER}/{safe_name(files[0].parent.name)}", files, Path(spelled(path, row.media.path)).name
    parts = row.facts.parts if row.facts is not None else ()
    return FOLDER, [path.with_name(name) for name in parts] or [path], _portable(path.name)


def _portable(name: str) -> str:
    """A file name that every system takes; its suffix stays."""
    stem, suffix = Path(name).stem, Path(name).suffix
    return safe_name(stem) + suffix


def moved(document: Document, places: Places, there: str) -> Document:
    """The document with its media in a package that will be at ``there`` on the other machine."""
    mark = "\\" if "\\" in there else "/"

    def placed(media: Media) -> Media:
        name = places.named.get(media.id)
        if name is None:
            return media
        return replace(media, path=mark.join((there.rstrip("/\\"), *name.split("/"))), proxy_path=None)

    return replace(document, media=tuple(map(placed, document.media)))


class Here(Finder):
    """Finds media where they are here, whatever the cut says of where they will be."""

    def __init__(self, source: Path, document: Document, places: Places, tables: dict[str, Path]) -> None:
        super().__init__(source, document, tables)
        self._places = places.found

    def __call__(self, media: Media) -> Path | None:
        return self._places.get(media.id) or super().__call__(media)
