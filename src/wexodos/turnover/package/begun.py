"""What was whole of a package that was stopped: it stays beside the package's place, and making it again
goes on from there. Each file is held against its sum again when it is taken."""

from __future__ import annotations

import contextlib
import json
import os
from dataclasses import dataclass
from datetime import datetime
from itertools import takewhile
from pathlib import Path
from typing import Any

from wexodos.ground import remains
from wexodos.ground.names import size_words
from wexodos.turnover.package.hashlist import Entry

WORTH = 32 << 20
"""Bytes: less is made again sooner than anybody asks what that folder is."""
_SUFFIX = ".begun"
_JOURNAL = "begun.json"
_ZIP = "begun.zip"


@dataclass(frozen=True, slots=True)
class Kept:
    """A file that is whole, ``key`` says of what it was made; ``told`` is what its maker has to say of
    it, in plain values."""

    entry: Entry
    key: str
    told: Any = None


class Begun:
    """What is kept of a package that shall stand at ``target``; nothing where there is none or it cannot be
    read."""

    def __init__(self, target: Path) -> None:
        whole = target.absolute()
        self.folder = whole.with_name(f".{whole.name}{_SUFFIX}")
        self._held = {one.entry.path: one for one in _read(self.folder / _JOURNAL)}

    @property
    def count(self) -> int:
        return len(self._held)

    @property
    def size(self) -> int:
        """Bytes."""
        return sum(one.entry.size or 0 for one in self._held.values())

    @property
    def words(self) -> str:
        """What is kept, in words; empty where nothing is."""
        if not self._held:
            return ""
        files = "1 file" if self.count == 1 else f"{self.count} files"
        stay = "is" if self.count == 1 else "are"
        return f"{files} of it ({size_words(self.size)}) {stay} kept in {self.folder}"

    def has(self, name: str, key: str) -> bool:
        """Whether a file is kept that was made of that."""
        held = self._held.get(name)
        return held is not None and held.key == key

    def take(self, name: str, key: str, made: Path) -> Kept | None:
        """Move a file that is kept to where it would be made; None where it is not, or no longer what it
        was."""
        held, there = self._held.get(name), self.folder / name
        if held is None or held.key != key or there.is_symlink():
            return None
        with contextlib.suppress(OSError):
            if there.is_file() and there.stat().st_size == held.entry.size:
                os.replace(there, made)
                return held
        return None

    def first(self, named: list[tuple[str, str]]) -> int:
        """How many of the files of a zip, each with its name and of what it is made, are the first ones of
        the zip that is kept."""
        held = [(path, one.key) for path, one in self._held.items()]
        return sum(1 for _ in takewhile(lambda pair: pair[0] == pair[1], zip(named, held)))

    def take_zip(self, made: Path) -> list[Kept]:
        """Move a zip that is kept to where it would be made; what it holds, in its order. Nothing where there
        is none."""
        there = self.folder / _ZIP
        with contextlib.suppress(OSError):
            if there.is_file() and not there.is_symlink():
                os.replace(there, made)
                return list(self._held.values())
        return []

    def keep_zip(self, made: Path, whole: list[Kept]) -> None:
        """Keep a zip that holds these files; nothing where that is not worth it."""
        if sum(one.entry.size or 0 for one in whole) < WORTH:
            return
        self._write(whole)
        os.replace(made, self.folder / _ZIP)

    def keep(self, stage: Path, whole: list[Kept]) -> None:
        """Keep these files of a stage, by their names in it, beside what is kept already; nothing where that
        is not worth it or there is no room for a word on it."""
        left = [one for path, one in self._held.items() if (self.folder / path).is_file()]
        if sum(one.entry.size or 0 for one in (*left, *whole)) < WORTH:
            return
        with contextlib.suppress(OSError):
            # First of all: on a full disk there may be no room for it, and without it nothing is of use.
            self._write(list({one.entry.path: one for one in (*left, *whole)}.values()))
            for one in whole:
                place = self.folder / one.entry.path
                place.parent.mkdir(parents=True, exist_ok=True)
                os.replace(stage / one.entry.path, place)

    def _write(self, held: list[Kept]) -> None:
        """Write down what is kept."""
        remains.kept(self.folder)
        self.folder.mkdir(exist_ok=True)
        journal = self.folder / _JOURNAL
        scratch = journal.with_suffix(".new")
        scratch.write_text(json.dumps([_plain(one) for one in held]), encoding="utf-8")
        os.replace(scratch, journal)

    def remove(self) -> None:
        """Let go of all that is kept."""
        remains.removed(self.folder)
        remains.dropped(self.folder)
        self._held = {}


def _plain(one: Kept) -> dict[str, Any]:
    entry = one.entry
    changed = entry.changed.isoformat() if entry.changed is not None else None
    return {
        "path": entry.path,
        "size": entry.size,
        "kind": entry.kind,
        "digest": entry.digest,
        "changed": changed,
        "key": one.key,
        "told": one.told,
    }


def _read(journal: Path) -> list[Kept]:
    try:
        if journal.stat().st_size > 64 << 20:
            return []
        found = []
        for one in json.loads(journal.read_text(encoding="utf-8")):
            changed = datetime.fromisoformat(one["changed"]) if one["changed"] else None
            entry = Entry(str(one["path"]), int(one["size"]), str(one["kind"]), str(one["digest"]), changed)
            found.append(Kept(entry, str(one["key"]), one["told"]))
        return found
    except (OSError, ValueError, TypeError, KeyError, RecursionError):
        return []
