"""What a reader did not understand, kept word for word."""

from __future__ import annotations

from dataclasses import dataclass

EFFECT, FORMAT = "effect:", "format:"
"""What the tag of a piece begins with that only tells what other pieces refer to; its id follows."""


@dataclass(frozen=True, slots=True)
class Raw:
    """An unread piece of a file: the dialect it is written in, its tag, its text exactly as it stood.

    ``path`` is its place inside what it hangs on; empty for right inside it.
    """

    dialect: str
    tag: str
    text: str
    path: str = ""

    @property
    def is_resource(self) -> bool:
        """Whether it only tells what other pieces refer to."""
        return self.tag.startswith((EFFECT, FORMAT))


@dataclass(frozen=True, slots=True)
class Parameter:
    """A setting of an effect, title or generator as the file spells it; ``keys`` counts its keyframes."""

    name: str
    value: str
    keys: int = 0
