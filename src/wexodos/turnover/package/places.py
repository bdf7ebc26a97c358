"""Where each file of the media stands in a package, and how it is named from outside."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from types import MappingProxyType

from wexodos.footage.numbered import numbered
from wexodos.ground.names import joined, safe_name
from wexodos.media import Row
from wexodos.media.search import spelled
from wexodos.model import Document, Media
from wexodos.sound.locate import Finder
from wexodos.turnover.trim.cut import Cut
from wexodos.turnover.trim.files import FilesCut
from wexodos.turnover.trim.plan import AnyCut, Trim

FOLDER = "Media"


@dataclass(frozen=True, slots=True)
class Placed:
    """A file of a medium and its path in the package; of a ``cut`` only that stretch of it."""

    source: Path
    name: str
    cut: Cut | None = None


@dataclass(frozen=True, slots=True)
class _Held:
    """The folder wanted in the package, the files a medium lies in, what it is called there, and the pattern
    of its names where they are numbered."""

    folder: str
    files: list[Path]
    named: str
    pattern: str = ""


@dataclass(slots=True)
class Places:
    """What goes along: for each medium, by its id, the files it lies in, and the path its cut names then, in
    the package as well; ``found`` is where it is here."""

    files: dict[str, list[Placed]] = field(default_factory=dict)
    named: dict[str, str] = field(default_factory=dict)
    found: dict[str, Path] = field(default_factory=dict)
    _taken: dict[tuple[str, str], tuple[Path, AnyCut | None]] = field(default_factory=dict)

    def of(self, media: Iterable[str]) -> list[Placed]:
        """The files of media, each once, in their order."""
        kept: dict[str, Placed] = {}
        for key in media:
            for one in self.files.get(key, ()):
                kept.setdefault(one.name, one)
        return list(kept.values())

    def give(self, key: str, path: Path, held: _Held, cut: AnyCut | None = None) -> None:
        """Give the files of a medium, or a stretch of one, their place. Two of one name – also where a system
        takes no notice of case – stand in folders called after those they come from; so do two sequences
        whose numbers would count on from one to the other."""
        alone = None if isinstance(cut, FilesCut) else cut
        names = [_portable(one.name) for one in held.files] if alone is None else [held.named]
        wanted = {name.casefold(): (one, cut) for one, name in zip(held.files, names)}
        if held.pattern:
            wanted[held.pattern.casefold()] = held.files[0], cut
        number, inside = 1, held.folder
        while any(self._taken.get((inside, name), one) != one for name, one in wanted.items()):
            parent = safe_name(held.files[0].parent.name)
            inside = f"{held.folder}/{parent}" if number == 1 else f"{held.folder}/{parent} {number}"
            number += 1
        self._taken |= {(inside, name): one for name, one in wanted.items()}
        self.files[key] = [Placed(one, f"{inside}/{name}", alone) for one, name in zip(held.files, names)]
        self.named[key] = f"{inside}/{held.named}"
        self.found[key] = path


def places_of(rows: Iterable[Row], trims: Mapping[str, list[Trim]] = MappingProxyType({})) -> Places:
    """Give every file that was found a place, and the stretches of those that are trimmed."""
    made = Places()
    for row in rows:
        if row.path is None or row.how == "inside":
            continue
        cuts = trims.get(row.media.id)
        if cuts is None:
            made.give(row.media.id, row.path, _held(row))
            continue
        for trim in cuts:
            cut = trim.cut
            if isinstance(cut, FilesCut):
                folder = f"{FOLDER}/{safe_name(cut.files[0].parent.name)}"
                held = _Held(folder, list(cut.files), cut.name, cut.pattern)
            else:
                named = Path(row.path.name).with_suffix(cut.suffix).name
                held = _Held(FOLDER, [row.path], _portable(named))
            made.give(trim.media.id, row.path, held, cut)
    return made


def _held(row: Row) -> _Held:
    """A numbered sequence has a folder of its own and its pattern for a name."""
    path = row.path
    assert path is not None
    frames = numbered(path)
    if frames is not None:
        files = frames.files()
        named = Path(spelled(path, row.media.path)).name
        return _Held(f"{FOLDER}/{safe_name(files[0].parent.name)}", files, named, frames.pattern.words)
    parts = row.facts.parts if row.facts is not None else ()
    return _Held(FOLDER, [path.with_name(name) for name in parts] or [path], _portable(path.name))


def _portable(name: str) -> str:
    """A file name that every system takes; its suffix stays."""
    stem, suffix = Path(name).stem, Path(name).suffix
    return safe_name(stem) + suffix


def moved(document: Document, places: Places, there: str) -> Document:
    """The document with its media in a package that will be at ``there`` on the other machine."""

    def placed(media: Media) -> Media:
        name = places.named.get(media.id)
        if name is None:
            return media
        return replace(media, path=joined(there, name), proxy_path=None)

    return replace(document, media=tuple(map(placed, document.media)))


class Here(Finder):
    """Finds media where they are here, whatever the cut says of where they will be."""

    def __init__(self, source: Path, document: Document, places: Places, tables: dict[str, Path]) -> None:
        super().__init__(source, document, tables)
        self._places = places.found

    def __call__(self, media: Media) -> Path | None:
        return self._places.get(media.id) or super().__call__(media)
