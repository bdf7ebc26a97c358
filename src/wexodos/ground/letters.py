"""Names and notes without what is no letter.

Control characters, marks that turn the direction of writing, halves of characters and code points that stand
for nothing cannot be spelled in most exchange formats, and where they can, they hide what a name is. What
joins letters (as in Persian or in pictograms) stays.
"""

from __future__ import annotations

import re

LONGEST_NAME, LONGEST_WORDS = 1000, 4000
"""Letters of a name, and of a note or comment."""
_NO_LETTER = re.compile(
    "[\\x00-\\x08\\x0b\\x0c\\x0e-\\x1f\\x7f-\\x9f\\u200e\\u200f\\u202a-\\u202e\\u2066-\\u2069\\ud800-\\udfff\\ufdd0-\\ufdef"
    "\\ufeff\\ufffe\\uffff]"
)


def name_of(text: str) -> str:
    """A name on one line without what is no letter, no longer than ``LONGEST_NAME``."""
    if text.isprintable() and len(text) <= LONGEST_NAME and text == text.strip():
        return text
    return _NO_LETTER.sub("", re.sub(r"[\t\r\n\x85\u2028\u2029]+", " ", text)).strip()[:LONGEST_NAME].rstrip()


def words_of(text: str) -> str:
    """A note or comment without what is no letter, lines ended alike, no longer than ``LONGEST_WORDS``."""
    if text.isprintable() and len(text) <= LONGEST_WORDS and text == text.strip():
        return text
    lines = re.sub(r"\r\n?|[\x85\u2028\u2029]", "\n", text)
    return _NO_LETTER.sub("", lines).strip()[:LONGEST_WORDS].rstrip()
