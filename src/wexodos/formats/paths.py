"""Media paths as URLs and back. The forms that occur stand in ``docs/formats``."""

from __future__ import annotations

import re
from urllib.parse import quote, unquote_to_bytes

from wexodos.formats.numbering import pattern_of

_SCHEME = re.compile(r"^([A-Za-z][A-Za-z0-9+.\-]+):")
_DRIVE = re.compile(r"^/?([A-Za-z]):(?=[/\\]|$)")


def path_of(url: str) -> str:
    """Return the path a media URL names: percent-decoded once, drive and server forms recognised.

    A place that begins with ``./`` is as seen from the file, and a URL too (see ``locator_of``). Other text
    that is no URL, or whose escapes are not UTF-8, is returned as it stands.
    """
    url = url.strip()
    rest = url[5:]
    if url.startswith("./"):
        rest = url
    elif not url.lower().startswith("file:"):
        return url
    host = ""
    if rest.startswith("//"):
        host, slash, tail = rest[2:].partition("/")
        rest = slash + tail
    try:
        path = unquote_to_bytes(rest).decode("utf-8")
    except UnicodeDecodeError:
        path = rest
    if host and host.lower() != "localhost":
        return f"//{host}{path}"
    if path.startswith("//"):
        return path
    drive = _DRIVE.match(path)
    return path[1:] if drive and path.startswith("/") else path


def is_placed(path: str) -> bool:
    """Whether a path says its place from the root, from a drive or by an address; all others are told from
    where the file stands that names them."""
    return path.startswith(("/", "\\\\")) or bool(_SCHEME.match(path) or _DRIVE.match(path))


def url_of(path: str, host: str = "", safe: str = "-._~/!$'()*,;=@") -> str:
    """Return ``file://HOST/…`` for a path, percent-encoded as UTF-8. Text with another scheme is returned as
    it stands."""
    plain = path.replace("\\", "/") if re.match(r"^(\\\\|[A-Za-z]:\\)", path) else path
    if _SCHEME.match(plain) and not _DRIVE.match(plain):
        return plain
    if plain.startswith("//"):
        server, _, rest = plain[2:].partition("/")
        return f"file://{server}/{quote(rest, safe=safe)}"
    if _DRIVE.match(plain) or not plain.startswith("/"):
        plain = "/" + plain
    return f"file://{host}{quote(plain, safe=safe)}"


def locator_of(place: str) -> str:
    """A place as a locator: one that begins with ``./`` is as seen from the file that holds it."""
    return quote(place, safe="-._~/!$'()*,;=@") if place.startswith("./") else url_of(place)


STILL_SUFFIXES = frozenset(
    {
        ".png",
        ".jpg",
        ".jpeg",
        ".tif",
        ".tiff",
        ".tga",
        ".bmp",
        ".gif",
        ".psd",
        ".webp",
        ".heic",
        ".jp2",
        ".svg",
        ".ai",
        ".pdf",
        ".pct",
        ".pict",
    }
)


def is_still_name(name: str) -> bool:
    """Whether a file's name says that it is one picture, not a numbered sequence of them."""
    dot = name.rfind(".")
    return dot >= 0 and pattern_of(name) is None and name[dot:].lower() in STILL_SUFFIXES
