"""Times, numbers and names of the dialect (2)."""

from __future__ import annotations

import re
from functools import lru_cache

from lxml import etree

from wexodos.formats.limits import LOUDEST, MOST
from wexodos.timing import Exact, Rate, exact, parse_exact

Element = etree._Element


class BadTime(ValueError):
    """Text that is no time."""


@lru_cache(maxsize=20_000)
def seconds(text: str) -> Exact:
    """Parse a time such as ``"1001/30000s"``, ``"12s"``, ``"3.5s"`` exactly, in seconds. Raises
    ``BadTime``."""
    return _seconds(text)


def _seconds(text: str) -> Exact:
    body = text.strip().removesuffix("s")
    over, slash, under = body.partition("/")
    try:
        if slash:
            return exact(int(over), int(under))
        return parse_exact(over)
    except (ValueError, ZeroDivisionError):
        raise BadTime(f"{text[:40]!r} is no time") from None


@lru_cache(maxsize=20_000)
def frames(text: str, rate: Rate) -> Exact:
    """Parse a time exactly, in frames of ``rate``. Raises ``BadTime``."""
    return rate.frames(_seconds(text))


def time_of(value: Exact) -> str:
    """Spell seconds as the dialect does: ``"12s"``, ``"1001/30000s"``."""
    return f"{value}s" if isinstance(value, int) else f"{value.numerator}/{value.denominator}s"


@lru_cache(maxsize=20_000)
def numbers(text: str | None) -> tuple[float, ...]:
    """Numbers separated by blanks or commas; empty for anything else."""
    if not text:
        return ()
    try:
        found = tuple([float(part) for part in text.replace(",", " ").split()])
    except ValueError:
        return ()
    return found if all(abs(value) <= MOST for value in found) else ()


def decibels(text: str | None) -> float | None:
    """Parse ``"-6dB"`` (the unit may be missing); -96 dB and below is silence, None what is no level."""
    body = (text or "").strip().lower().removesuffix("db").strip()
    try:
        value = float(body)
    except ValueError:
        return float("-inf") if body in ("-inf", "-∞") else None
    return float("-inf") if value <= -96.0 else value if value <= LOUDEST else None


def switch(text: str | None, default: bool = True) -> bool:
    return default if text is None else text.strip() not in ("0", "false", "no")


def labelled(text: str | None) -> str:
    """The label of an enumeration value ``"4 (Multiply)"``; the text itself where it has none."""
    match = re.fullmatch(r"\s*-?\d+\s*\((.*)\)\s*", text or "")
    return match.group(1) if match else (text or "").strip()


_RATES = {
    "2398": (24000, 1001),
    "2997": (30000, 1001),
    "5994": (60000, 1001),
    "4795": (48000, 1001),
    "11988": (120000, 1001),
}
_NAMED = re.compile(r"FFVideoFormat(?:(\d+)x)?(?:DV)?(\d+)(p|i)(\d+)$")
_WIDTHS = {1080: 1920, 720: 1280, 2160: 3840}


def named_format(name: str) -> tuple[int | None, int | None, Rate | None, str]:
    """Read a format name: (width, height, rate, field order). Unknown parts are None (2.2)."""
    match = _NAMED.match(name)
    if not match:
        return None, None, None, "progressive"
    width, height, scan, rate = match.groups()
    found = Rate(*_RATES[rate]) if rate in _RATES else Rate(int(rate)) if int(rate) else None
    if scan == "i" and found is not None and found.nominal >= 50:
        found = Rate.of(exact(found.numerator, found.denominator * 2))
    tall = int(height)
    return int(width) if width else _WIDTHS.get(tall), tall, found, "progressive" if scan == "p" else "upper"


def color_of(text: str | None) -> str | None:
    """Read ``"r g b"`` or ``"r g b a"`` of 0..1 as ``#rrggbbaa``."""
    parts = numbers(text)
    if len(parts) not in (3, 4):
        return None
    parts = (*parts, 1.0)[:4]
    return "#" + "".join(f"{min(255, max(0, round(part * 255))):02x}" for part in parts)
