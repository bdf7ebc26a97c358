"""What logs and cut lists beside media say of them: the reel, where a file does not bear it itself."""

from __future__ import annotations

import os
from functools import lru_cache
from pathlib import Path

import msgspec

from wexodos.formats import FORMATS
from wexodos.ground.errors import ReadError
from wexodos.media.probe import Probed
from wexodos.media.scan import folded

_SUFFIXES = {".ale": "ale", ".edl": "edl"}
MOST_FILES, MOST_BYTES = 32, 8 << 20


def with_reel(facts: Probed) -> Probed:
    """The facts of a file with the reel that a log or cut list in its folder says, where it says none itself
    and they agree."""
    if facts.problem or facts.reel:
        return facts
    path = Path(facts.path)
    try:
        changed = os.stat(path.parent).st_mtime_ns
    except OSError:
        return facts
    told = _told(str(path.parent), changed)
    if not told:
        return facts
    reel = told.get(folded(path.name)) or told.get(folded(path.stem)) or ""
    return msgspec.structs.replace(facts, reel=reel) if reel else facts


@lru_cache(maxsize=4096)
def _told(folder: str, _changed: int) -> dict[str, str]:
    """The reels of clips by name in a folder; of those that two lists say differently none."""
    found: dict[str, set[str]] = {}
    try:
        names = sorted(name for name in os.listdir(folder) if Path(name).suffix.lower() in _SUFFIXES)
    except OSError:
        return {}
    for name in names[:MOST_FILES]:
        path = Path(folder, name)
        try:
            if not path.is_file() or path.stat().st_size > MOST_BYTES:
                continue
            document = FORMATS[_SUFFIXES[path.suffix.lower()]].read(path.read_bytes())
        except (OSError, ReadError):
            # Not ours to complain of: it is no medium.
            continue
        for media in document.media:
            if media.reel:
                for key in {folded(media.name), folded(media.file_name)}:
                    found.setdefault(key, set()).add(media.reel)
    return {name: next(iter(reels)) for name, reels in found.items() if len(reels) == 1}
