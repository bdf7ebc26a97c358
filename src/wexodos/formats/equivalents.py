"""Filters that both XML dialects have: what they are called and which settings they have.

Each dialect's package holds the units of its own settings; here stands only what is the same in both: the
words by which a filter and its settings are known, and what leaves the picture as it is. A filter whose
settings are not all known counts as unknown, so that nothing of it is lost on the way.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from wexodos.model.curves import Vector


@dataclass(frozen=True, slots=True)
class Setting:
    """One setting of a known filter: the words it is called by, how many numbers it has, and its neutral
    value."""

    name: str
    words: frozenset[str]
    neutral: Vector
    unit: str


@dataclass(frozen=True, slots=True)
class Known:
    """A filter both dialects know: its kind in the model, the name it is written with, its settings."""

    kind: str
    name: str
    pattern: re.Pattern[str]
    settings: tuple[Setting, ...]

    def setting(self, label: str) -> Setting | None:
        words = label.strip().lower()
        return next((one for one in self.settings if words in one.words), None)


def _setting(name: str, neutral: Vector, unit: str, *words: str) -> Setting:
    return Setting(name, frozenset({name, *words}), neutral, unit)


KNOWN: tuple[Known, ...] = (
    Known(
        "blur",
        "Gaussian Blur",
        re.compile(r"^(gaussian )?blur$"),
        (_setting("radius", (0.0,), "px", "amount"),),
    ),
    Known("desaturate", "Desaturate", re.compile(r"^desaturate$"), (_setting("amount", (0.0,), "share"),)),
    Known(
        "brightness-contrast",
        "Brightness and Contrast",
        re.compile(r"^brightness (and|&) contrast( \(bezier\))?$"),
        (_setting("brightness", (0.0,), "share"), _setting("contrast", (0.0,), "share")),
    ),
    Known(
        "tint",
        "Tint",
        re.compile(r"^tint$"),
        (_setting("amount", (1.0,), "share"), _setting("color", (1.0, 1.0, 1.0), "colour", "colour")),
    ),
)
BY_KIND: dict[str, Known] = {one.kind: one for one in KNOWN}


def known_filter(name: str) -> Known | None:
    """The filter a name means; None for one that only its own dialect knows."""
    words = " ".join(name.lower().split())
    return next((one for one in KNOWN if one.pattern.match(words)), None)


def share_of(value: float, largest: float | None) -> float:
    """A setting between 0 and 1, however it is spelled: of the largest value it may take where that is said,
    otherwise in percent where it is beyond 1 (unsure: exporters differ)."""
    if largest is not None and largest > 0:
        return value / largest
    return value / 100.0 if abs(value) > 1.0 else value
