"""Loading destination files; a mistake names the file and the line."""

from __future__ import annotations

import re
import tomllib
from functools import lru_cache
from importlib import resources
from pathlib import Path

import msgspec
import platformdirs

from wexodos.destinations.widest import beyond, completed, widest
from wexodos.formats import FORMATS
from wexodos.ground import read_text
from wexodos.ground.errors import ReadError, WexodosError
from wexodos.settling.receiver import Destination


class DestinationError(WexodosError):
    """A destination file that cannot be used: one plain sentence with file and line."""


def user_folder() -> Path:
    """Where the user's own destinations live."""
    return Path(platformdirs.user_config_dir("wexodos")) / "destinations"


def load_file(path: Path) -> Destination:
    """Load one destination, completed from the shipped ones. Raises ``DestinationError``."""
    try:
        text = read_text(path)
    except ReadError as error:
        raise DestinationError(str(error)) from None
    return parse(text, str(path), shipped())


def parse(text: str, name: str, beside: list[Destination] | None = None) -> Destination:
    """Parse the text of a destination file: a shipped one, or one of the user's ``beside`` those.

    Raises ``DestinationError`` with file and line.
    """
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        line = re.search(r"line (\d+)", str(error))
        what = re.sub(r" \(at .*\)$", "", str(error))
        raise DestinationError(
            f"{name}, line {line.group(1) if line else '?'}: {what[:1].lower()}{what[1:]}"
        ) from None
    data["builtin"] = beside is None
    try:
        found = msgspec.convert(data, Destination)
    except msgspec.ValidationError as error:
        raise DestinationError(f"{name}, line {_line_of(text, str(error))}: {_plain(str(error))}") from None
    kind = FORMATS.get(found.format)
    if kind is None or not kind.versions:
        line_number = _line_of(text, "`$.format`")
        known = ", ".join(key for key, one in FORMATS.items() if one.versions)
        raise DestinationError(
            f"{name}, line {line_number}: format {found.format!r} cannot be written; use one of {known}"
        )
    written = kind.versions
    if found.version not in written:
        line_number = _line_of(text, "`$.version`")
        raise DestinationError(
            f"{name}, line {line_number}: version {found.version!r} of {found.format} cannot be written; "
            f"use one of {', '.join(written)}"
        )
    if beside is None:
        return found
    for table, key, value in beyond(data, beside):
        raise DestinationError(
            f"{name}, line {_line_of(text, f'`$.{table}.{key}`')}: {key} = {value} in {table}: {kind.label} "
            "has no form for it"
        )
    return msgspec.convert(completed(data, beside), Destination)


def _plain(message: str) -> str:
    message = re.sub(
        r" - at `\$(.*)`$",
        lambda match: f" in {match.group(1).lstrip('.')}" if match.group(1) else "",
        message,
    )
    return (
        message.replace("Object contains unknown field", "unknown field")
        .replace("Object missing required field", "missing field")
        .replace("`", "'")
    )


def _line_of(text: str, message: str) -> int:
    """The line a message is about: that of its last named key, inside its table."""
    path = re.search(r"at `\$\.?([^`]*)`", message) or re.search(r"`\$\.([^`]*)`", message)
    keys = (
        [key for key in re.split(r"[.\[\]]+", path.group(1)) if key and not key.isdigit() and key != "..."]
        if path
        else []
    )
    unknown = re.search(r"unknown field `([^`]*)`", message)
    if unknown:
        keys.append(unknown.group(1))
    table, key = (keys[0], keys[-1]) if len(keys) > 1 else ("", keys[-1] if keys else "")
    inside = ""
    for number, line in enumerate(text.splitlines(), 1):
        header = re.match(r"\s*\[+\s*([^\]]+?)\s*\]+", line)
        if header:
            inside = header.group(1)
            if not table and inside == key:
                return number
        elif key and inside == table and re.match(rf"\s*[\"']?{re.escape(key)}[\"']?\s*=", line):
            return number
    return 1


@lru_cache(maxsize=1)
def shipped() -> list[Destination]:
    """The destinations that come with us, by file name."""
    folder = resources.files("wexodos.destinations") / "shipped"
    entries = sorted(folder.iterdir(), key=lambda one: one.name)
    return [
        parse(entry.read_text(encoding="utf-8"), entry.name)
        for entry in entries
        if entry.name.endswith(".toml")
    ]


def load_all(folder: Path | None = None) -> tuple[list[Destination], list[str]]:
    """Return all destinations, shipped first, and one sentence for every file that could not be used.

    ``folder`` replaces the user's folder. A destination of the user's with the id of a shipped one takes its
    place.
    """
    found = {one.id: one for one in shipped()}
    problems: list[str] = []
    place = user_folder() if folder is None else folder
    for path in sorted(place.glob("*.toml")) if place.is_dir() else []:
        try:
            one = load_file(path)
            found[one.id] = one
        except DestinationError as error:
            problems.append(str(error))
    return list(found.values()), problems


def find_destination(name: str, folder: Path | None = None) -> Destination:
    """Find a destination by its id, or load it from a path that ends in ``.toml``. Raises
    ``DestinationError``."""
    if name.endswith(".toml"):
        return load_file(Path(name))
    known, problems = load_all(folder)
    for one in known:
        if one.id == name:
            return one
    trouble = next((problem for problem in problems if name in problem), "")
    raise DestinationError(
        trouble or f"there is no destination {name!r}; known are {', '.join(one.id for one in known)}"
    )


def keeper(format_id: str) -> Destination | None:
    """The destination of a format that keeps most of a cut: to write it again as what it was; None where the
    format is not written."""
    return widest(shipped(), format_id)
