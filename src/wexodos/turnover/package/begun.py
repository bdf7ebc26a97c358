"""What was whole of a package that was stopped: it stays beside the package's place, and making it again
goes on from there. Each file is held against its sum again when it is taken."""

from __future__ import annotations

import contextlib
import json
import os
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from wexodos.ground import remains
from wexodos.ground.names import size_words
from wexodos.turnover.package.hashlist import Entry

WORTH = 32 << 20
"""Bytes: less is made again sooner than anybody asks what that folder is."""
_SUFFIX = ".begun"
_JOURNAL = "begun.json"


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

    def keep(self, stage: Path, whole: list[Kept]) -> None:
        """Keep these files of a stage, by their names in it, beside what is kept already; nothing where that
        is not worth it or there is no room for a word on it."""
        left = [one for path, one in self._held.items() if (self.folder / path).is_file()]
        if sum(one.entry.size or 0 for one in (*left, *whole)) < WORTH:
            return
        with contextlib.suppress(OSError):
            remains.kept(self.folder)
            self.folder.mkdir(exist_ok=True)
            held = {one.entry.path: one for one in (*left, *whole)}
            journal = self.folder / _JOURNAL
            scratch = journal.with_suffix(".new")
            # First of all: on a full disk there may be no room for it, and without it nothing is of use.
            scratch.write_text(json.dumps([_plain(one) for one in held.values()]), encoding="utf-8")
            os.replace(scratch, journal)
            for one in whole:
                place = self.folder / one.entry.path
                place.parent.mkdir(parents=True, exist_ok=True)
                os.replace(stage / one.entry.path, place)

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
