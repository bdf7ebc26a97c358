"""Names in plain ASCII: OMF does not say how its text is encoded."""

from __future__ import annotations

import unicodedata

_OTHERS = str.maketrans(
    {
        "–": "-",
        "—": "-",
        "‘": "'",
        "’": "'",
        "“": '"',
        "”": '"',
        "…": "...",
        "ß": "ss",
        "ø": "o",
        "Ø": "O",
        "æ": "ae",
        "Æ": "AE",
        "ł": "l",
        "Ł": "L",
        "đ": "d",
        "Đ": "D",
        "·": "-",
        "×": "x",
    }
)


def plain(text: str, most: int = 255) -> str:
    """A name that every reader shows alike: ASCII, on one line, no longer than ``most``, with single blanks
    between its words, as readers of lists take several for one. Accents go; what has no letter goes too."""
    flat = unicodedata.normalize("NFKD", text.translate(_OTHERS)).encode("ascii", "ignore").decode()
    words = "".join(one for one in flat if one.isprintable() or one.isspace()).split()
    return " ".join(words)[:most].rstrip()
