"""Exact numbers: an ``int`` where the value is whole, otherwise a ``Fraction``.

Whole numbers are by far the most frequent case and an ``int`` is many times cheaper than a ``Fraction``; both
mix freely in Python's arithmetic, so the two together are our one exact number type.
"""

from fractions import Fraction
from typing import TypeAlias

Exact: TypeAlias = int | Fraction

GUARD = Fraction(1, 1000)
"""Added before flooring a source position, in frames: absorbs positions that another program rounded just
below a frame."""


def exact(numerator: Exact, denominator: Exact = 1) -> Exact:
    """Return ``numerator / denominator`` as an ``int`` if it is whole, otherwise as a reduced ``Fraction``.

    Raises ``ZeroDivisionError`` for a zero denominator.
    """
    if isinstance(numerator, int) and isinstance(denominator, int):
        if denominator == 1:
            return numerator
        whole, rest = divmod(numerator, denominator)
        return whole if not rest else Fraction(numerator, denominator)
    if denominator != 1:
        numerator = Fraction(numerator) / denominator
    return numerator.numerator if numerator.denominator == 1 else numerator


def absolute(value: Exact) -> Exact:
    return -value if value < 0 else value


def floor(value: Exact) -> int:
    return value if isinstance(value, int) else value.numerator // value.denominator


def ceil(value: Exact) -> int:
    return value if isinstance(value, int) else -(-value.numerator // value.denominator)


def floor_guarded(value: Exact) -> int:
    """Return the frame shown at a source position, forgiving a thousandth of a frame (see ``GUARD``)."""
    return value if type(value) is int else floor(value + GUARD)


def round_half_up(value: Exact) -> int:
    """Round to the nearest whole number, halves away from minus infinity (1/2 → 1, -1/2 → 0)."""
    return value if type(value) is int else floor(value + Fraction(1, 2))


def format_exact(value: Exact) -> str:
    """Return ``"12"`` or ``"1201/2"``."""
    value = exact(value)
    return str(value) if isinstance(value, int) else f"{value.numerator}/{value.denominator}"


def parse_exact(text: str) -> Exact:
    """Parse ``"12"``, ``"1201/2"`` or ``"3.25"`` exactly. Raises ``ValueError``."""
    text = text.strip()
    try:
        return int(text)
    except ValueError:
        pass
    if len(text) > 64 or "e" in text.lower():
        raise ValueError(f"not an exact number: {text[:40]!r}")
    try:
        return exact(Fraction(text))
    except ZeroDivisionError:
        raise ValueError(f"zero denominator: {text!r}") from None
