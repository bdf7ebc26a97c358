"""Values of the model in a few words, for tables and reports."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from wexodos.model import (
    Angles,
    Constant,
    Curve,
    Effect,
    Fade,
    Marker,
    Parameter,
    Raw,
    Roll,
    TextRun,
    Variable,
)
from wexodos.timing import format_exact

MOST = 200
"""Letters of a value at the most: a report tells what changed, the file holds the whole."""


def in_words(value: Any) -> str | int | float | bool | None:
    """Any value of the model as a report names it."""
    if value is None or isinstance(value, bool | int):
        return value
    words = _words(value)
    return words if len(words) <= MOST else words[: MOST - 1] + "…"


def _words(value: Any) -> str:
    if isinstance(value, str):
        return value
    if isinstance(value, float):
        return f"{value:g}"
    if isinstance(value, Fraction):
        return format_exact(value)
    if isinstance(value, Curve):
        return f"{len(value.keys)} keyframes" if value.keys else " ".join(f"{one:g}" for one in value.value)
    if isinstance(value, Constant):
        return f"{float(value.rate) * 100:g} %"
    if isinstance(value, Variable):
        return f"ramp of {len(value.points)} points"
    if isinstance(value, Fade):
        return f"{value.shape}, {format_exact(value.duration)} frames"
    if isinstance(value, Effect | Marker | Angles):
        return value.name
    if isinstance(value, Raw):
        return value.tag
    if isinstance(value, Parameter):
        return f"{value.name} {value.value}"
    if isinstance(value, TextRun):
        return value.text.strip() or "space"
    if isinstance(value, Roll):
        return value.direction
    if isinstance(value, tuple | list):
        return ", ".join(_words(one) for one in value)
    return str(value)
