"""Look-up tables and corrections in files of their own: which files are such, what they say of themselves,
and the medium that stands for one a cut names."""

from __future__ import annotations

import os
import re
from pathlib import Path

from wexodos.model import Effect, Media

SUFFIXES = {
    ".cube": "table",
    ".3dl": "table",
    ".cdl": "correction",
    ".cc": "correction",
    ".ccc": "correction",
}
MOST_BYTES = 64 << 20
_KEY = "table:"
_SIZE = re.compile(rb"^\s*LUT_([13])D_SIZE\s+(\d{1,6})\s*$", re.MULTILINE)


def is_table(name: str) -> bool:
    return os.path.splitext(name)[1].lower() in SUFFIXES


def table_medium(effect: Effect) -> Media | None:
    """The medium that stands for the table an effect names; None for other effects."""
    if effect.kind != "lut" or not effect.name.strip():
        return None
    written = effect.name.strip()
    flat = written.replace("\\", "/")
    return Media(f"{_KEY}{written}", flat.rpartition("/")[2], flat if "/" in flat else None, still=True)


def stands_for_table(media: Media) -> bool:
    return media.id.startswith(_KEY)


def table_form(path: Path) -> str:
    """What kind of table a file holds, in words, with its points where it says how many. Raises ``OSError``,
    and ``ValueError`` where it holds none."""
    kind = SUFFIXES[path.suffix.lower()]
    with path.open("rb") as file:
        head = file.read(1 << 16)
    if kind == "correction":
        if b"<" not in head or b"Color" not in head:
            raise ValueError("no correction")
        return "ASC CDL"
    sizes = {int(found[1]): int(found[2]) for found in _SIZE.finditer(head)}
    if path.suffix.lower() == ".cube":
        if not sizes:
            raise ValueError("no table")
        parts = [f"{size}³ points" if way == 3 else f"{size} points" for way, size in sorted(sizes.items())]
        return f"table, {' and '.join(parts)}"
    if not re.search(rb"^\s*\d+\s+\d+", head, re.MULTILINE):
        raise ValueError("no table")
    return "table"


def problem_of(path: Path) -> str:
    """Why a file cannot be a table, in words; empty where it can."""
    try:
        if path.stat().st_size > MOST_BYTES:
            return "the table is too large"
        table_form(path)
    except (OSError, ValueError):
        return "the table cannot be read"
    return ""
