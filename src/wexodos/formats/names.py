"""Transitions by their names. Both XML dialects name them in words, so the words are sorted out in one
place."""

from __future__ import annotations

import re

_BRACKETS = re.compile(r"\([^)]*\)")
_COLORS = {"white": "#ffffffff", "black": "#000000ff"}


def transition_type(name: str) -> str | None:
    """Return the type a picture transition's name tells, longer names first; None where no word is known."""
    words = _BRACKETS.sub(" ", name).lower()
    if "additive" in words and "non-additive" not in words:
        return "additive"
    if re.search(r"\bdip\b|fade to colou?r|fade in fade out", words):
        return "dip"
    for word, kind in (
        ("wipe", "wipe"),
        ("iris", "iris"),
        ("push", "push"),
        ("slide", "slide"),
        ("split", "slide"),
        ("dissolve", "dissolve"),
    ):
        if word in words:
            return kind
    return None


def color_in_name(name: str) -> str:
    """The colour a dip's name tells; black where it tells none."""
    return next((value for word, value in _COLORS.items() if word in name.lower()), "#000000ff")


def sound_transition_type(name: str) -> str:
    """Return ``audio-linear`` or ``audio-equal-power`` for a sound transition's name or id."""
    words = name.lower()
    linear = "0db" in words.replace(" ", "") and "3db" not in words.replace(" ", "")
    return "audio-linear" if linear or "constant gain" in words or "linear" in words else "audio-equal-power"


_PATTERNS = (("clock", 201), ("edge", 1), ("band", 1), ("center", 101), ("centre", 101), ("iris", 119))


def wipe_pattern(name: str) -> int | None:
    """The SMPTE number that a wipe's name tells; None where it tells none."""
    return next((pattern for word, pattern in _PATTERNS if word in name.lower()), None)
