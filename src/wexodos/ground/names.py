"""Names of files that every system takes, sizes as people say them, and words that are safe to show."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Iterable, Sequence

_RESERVED = re.compile(r"(con|prn|aux|nul|conin\$|conout\$|com[0-9¹²³]|lpt[0-9¹²³])(?=\.|$)", re.IGNORECASE)
"""Names of devices on other systems, with any suffix (Microsoft Learn, "Naming Files, Paths, and
Namespaces")."""
_MOST = 120


def safe_name(name: str) -> str:
    """A file name, without a suffix, that every system takes: at most 120 letters and 200 bytes."""
    plain = re.sub(r'[\x00-\x1f\x7f-\x9f<>:"/\\|?*\ud800-\udfff]+', "-", name).strip(" .-") or "sequence"
    plain = plain[:_MOST]
    while len(plain.encode("utf-8")) > 200:
        plain = plain[:-1]
    plain = plain.strip(" .-") or "sequence"
    return unreserved(plain)


def fresh(key: str, taken: set[str]) -> str:
    """A key that is not taken yet: itself, otherwise with a number behind it; it is taken then."""
    name, number = key, 2
    while name in taken:
        name, number = f"{key}-{number}", number + 1
    taken.add(name)
    return name


def unreserved(name: str) -> str:
    """A name that is no device's elsewhere."""
    device = _RESERVED.match(name)
    return f"{name[: device.end()]}-{name[device.end() :]}" if device is not None else name


def joined(folder: str, name: str) -> str:
    """A path in a folder of this system or another: with the marks the folder's path has."""
    mark = "\\" if "\\" in folder else "/"
    return mark.join((folder.rstrip("/\\"), *name.split("/")))


def last(path: str) -> str:
    """The last name in a path of this system or another."""
    return path.rstrip("/\\").replace("\\", "/").rpartition("/")[2]


def size_words(count: int) -> str:
    """A size as people say it."""
    if count < 1024:
        return f"{count} byte" if count == 1 else f"{count} bytes"
    size = float(count)
    for unit in ("KiB", "MiB", "GiB", "TiB"):
        size /= 1024
        if size < 1024 or unit == "TiB":
            return f"{size:.1f} {unit}"
    raise AssertionError


_PICTURES = {code: 0x2400 + code for code in range(32)} | {127: 0x2421}
"""Control characters by their pictures (Unicode, Control Pictures)."""
_MARKS = dict.fromkeys(
    (*range(0x80, 0xA0), *range(0x2028, 0x202F), *range(0x2066, 0x206A), 0x200E, 0x200F), 0xFFFD
)
"""Further controls, and marks that turn the direction of what follows."""
_SHOWN = {**_PICTURES, **_MARKS, **dict.fromkeys(range(0xD800, 0xE000), 0xFFFD)}
_SHOWN_LINES = {code: picture for code, picture in _SHOWN.items() if code not in (9, 10)}


def visible(words: str, lines: bool = False) -> str:
    """Words with every control character made visible: a name must not steer a terminal or turn a line
    round. With ``lines`` line ends and tabs stay."""
    if words.isascii() and words.isprintable():
        return words
    return words.translate(_SHOWN_LINES if lines else _SHOWN)


def guarded(cell: object) -> object:
    """A cell of a table that no spreadsheet takes for a formula (OWASP, CSV injection): with an apostrophe
    before it where it begins like one and is no number."""
    if not isinstance(cell, str) or not cell:
        return cell
    text = visible(cell, True)
    if text[0] in "=+-@\t\n\r＝＋－＠" and not _NUMBER.fullmatch(text):
        return f"'{text}"
    return text


_NUMBER = re.compile(r"-?\d+([.,]\d+)?")


def table_bytes(rows: Iterable[Sequence[object]], mark: bool = False) -> bytes:
    """Rows as a table of comma-separated values in UTF-8, every cell guarded; with ``mark`` the byte order
    mark stands before it."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    for row in rows:
        writer.writerow([guarded(cell) for cell in row])
    # Halves of characters, as in names that are no UTF-8, were made visible by the guard.
    return (("\ufeff" if mark else "") + out.getvalue()).encode("utf-8", "replace")


_UNSAFE = re.compile("[\x7f-\x9f\u200e\u200f\u2028-\u202e\u2066-\u2069\ud800-\udfff]")


def json_text(data: object) -> str:
    """JSON in which whatever would steer a terminal, or is no character at all, is spelled with an
    escape."""
    text = json.dumps(data, ensure_ascii=False, indent=1)
    return _UNSAFE.sub(lambda found: f"\\u{ord(found.group()):04x}", text)
