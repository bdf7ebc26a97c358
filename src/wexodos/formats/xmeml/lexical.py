"""Words and numbers of the dialect, read tolerantly."""

from __future__ import annotations

from fractions import Fraction
from functools import lru_cache
from typing import Protocol

from lxml import etree

from wexodos.formats.errors import ReadError
from wexodos.formats.limits import MOST, is_rate
from wexodos.timing import Exact, Rate, Timecode, TimecodeError, parse_exact

Element = etree._Element

_TRUE = frozenset({"true", "1", "yes"})


class Texts(Protocol):
    """Any element whose children's texts can be asked for: one that was read, or one to be written."""

    def findtext(self, path: str, /) -> str | None: ...


def text_of(parent: Texts | None, tag: str) -> str:
    """The stripped text of the first child ``tag``; empty where there is none."""
    return "" if parent is None else (parent.findtext(tag) or "").strip()


def boolean(text: str | None, default: bool) -> bool:
    text = (text or "").strip().lower()
    return text in _TRUE if text else default


def integer(text: str | None) -> int | None:
    """Parse a whole number; ``240.0`` counts as one, a fraction is rounded. None for anything else."""
    if text is None:
        return None
    try:
        return int(text)
    except ValueError:
        pass
    try:
        value = float(text)
        return round(value) if abs(value) < 1e17 else None
    except (ValueError, OverflowError):
        return None


def real(text: str | None) -> float | None:
    """Parse a number such as ``62.5``, ``100.`` or ``1e-05``; None for anything else, infinities included."""
    try:
        value = float(text) if text is not None else None
    except ValueError:
        return None
    return value if value is not None and abs(value) <= MOST else None


def decimal(text: str | None) -> Exact | None:
    """Parse a decimal exactly; None for anything else."""
    if text is None:
        return None
    try:
        return int(text)
    except ValueError:
        pass
    try:
        return parse_exact(text.strip().rstrip(".") if text.strip() != "." else text)
    except ValueError:
        value = real(text)
        return None if value is None else parse_exact(str(Fraction(value).limit_denominator(10**9)))


@lru_cache(maxsize=64)
def _rate(timebase: str, ntsc: str) -> Rate | None:
    value = decimal(timebase)
    if value is None or not is_rate(value):
        return None
    if boolean(ntsc, False):
        return Rate.of(value * Fraction(1000, 1001))
    return Rate.of(value)


def rate_of(element: Element | None, place: str) -> Rate | None:
    """Read a ``rate`` element; None where it is missing or empty.

    Raises ``ReadError`` for a rate that is zero, negative or no number.
    """
    if element is None:
        return None
    timebase = ntsc = ""
    for child in element:
        if child.tag == "timebase":
            timebase = child.text or ""
        elif child.tag == "ntsc":
            ntsc = child.text or ""
    timebase = timebase.strip()
    if not timebase:
        return None
    rate = _rate(timebase, ntsc.strip())
    if rate is None:
        raise ReadError(f"a rate of {timebase[:20]!r} frames per second is impossible", place)
    return rate


def timecode_of(
    element: Element | None, rate: Rate, place: str, relabel: bool = False
) -> tuple[int | None, bool | None]:
    """Read a ``timecode`` element: (frame count at ``rate``, drop frame or None where nothing is said).

    ``relabel`` reads the label again at ``rate`` instead of trusting the frame count: for media whose rate
    was truncated.
    """
    if element is None:
        return None, None
    label = text_of(element, "string")
    shown = text_of(element, "displayformat").upper()
    drop = shown == "DF" if shown else (";" in label if label else None)
    own = rate if relabel else (rate_of(element.find("rate"), place) or rate)
    frame = None if relabel else integer(element.findtext("frame"))
    if frame is None and label:
        try:
            frame = Timecode.parse(label, own, bool(drop)).frames
        except TimecodeError:
            return None, drop
    if frame is not None and own.nominal != rate.nominal:
        frame = round(rate.frames(own.seconds(frame)))
    return frame, drop


def color_of(element: Element, opaque: bool = False) -> str | None:
    """Read a colour of children 0..255 as ``#rrggbbaa``; None where it has none."""
    parts = []
    for tag in ("red", "green", "blue", "alpha"):
        value = real(element.findtext(tag))
        if value is None:
            if tag != "alpha":
                return None
            value = 255.0
        parts.append(min(255, max(0, round(value))))
    if opaque:
        parts[3] = 255
    return "#" + "".join(f"{part:02x}" for part in parts)
