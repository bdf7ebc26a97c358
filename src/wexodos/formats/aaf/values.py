"""Properties of the library's objects and the values in them, taken so that damage is written down and the
reading goes on."""

from __future__ import annotations

import contextlib
from fractions import Fraction
from typing import Any

from wexodos.formats.aaf import lookup
from wexodos.formats.errors import ReadError
from wexodos.formats.limits import is_rate
from wexodos.formats.mobs import tree
from wexodos.timing import Exact, Rate, exact

MOST_OBJECTS = 3_000_000
_END_LABELS = ("060c2b34",)


def value_of(thing: Any, name: str, rest: Any = None) -> Any:
    """A property's value; ``rest`` where it is missing, or damaged, which is written down."""
    try:
        found = lookup.found(thing, name)
        value = found.value if found is not None else None
        return rest if value is None else value
    except (RecursionError, MemoryError):
        raise
    except Exception:
        if thing is not None:
            lookup.damaged(thing, name)
        return rest


def members(thing: Any, name: str) -> list[Any]:
    """The objects of a vector or set; those that cannot be read are left out, which is written down."""
    try:
        found = lookup.found(thing, name)
        if found is None:
            return []
        made, walk = [], iter(found.values() if hasattr(found, "values") else found)
        while True:
            try:
                made.append(next(walk))
            except StopIteration:
                return made
            except (RecursionError, MemoryError):
                raise
            except Exception:
                lookup.damaged(thing, name)
                return made
            if len(made) > MOST_OBJECTS:
                raise ReadError("it holds too many objects")
    except (ReadError, RecursionError, MemoryError):
        raise
    except Exception:
        if thing is not None:
            lookup.damaged(thing, name)
        return []


def mob_key(value: Any) -> str:
    """32 hexadecimal digits for ids of ours, else all 64; empty for the end of the chain."""
    try:
        data = bytes(value.bytes_le)
    except Exception:
        return tree.NO_MOB
    text = data.hex()
    if not any(data) or (text.startswith(_END_LABELS) and not any(data[-8:])):
        return tree.NO_MOB
    return text


def count_of(thing: Any, name: str) -> Exact:
    """A length, start or origin in edit units; 0 where it is missing, or damaged, which is written down."""
    value = value_of(thing, name)
    number = exact_of(value)
    if number is None and value is not None:
        lookup.damaged(thing, name)
    return number or 0


def text_of(value: Any) -> str:
    return "" if value is None else str(value).partition("\x00")[0]


def bytes_of(value: Any) -> bytes:
    """Raw bytes, which the library gives as a list of numbers."""
    try:
        return bytes(value)
    except (TypeError, ValueError):
        return b""


def ascii_of(value: Any) -> str:
    if isinstance(value, str):
        return value.split("\x00", 1)[0]
    with contextlib.suppress(TypeError, ValueError):
        return bytes(value).split(b"\x00", 1)[0].decode("ascii", "replace")
    return ""


def exact_of(value: Any) -> Exact | None:
    try:
        if isinstance(value, bool):
            return int(value)
        if isinstance(value, float):
            return exact(Fraction(value))
        if isinstance(value, int):
            return value
        numerator, denominator = int(value.numerator), int(value.denominator)
        return exact(numerator, denominator) if denominator else None
    except Exception:
        return None


def plain_of(value: Any) -> tree.Value | None:
    if isinstance(value, str):
        return text_of(value)
    number = exact_of(value)
    if number is not None:
        return number
    return None


def as_rate(value: Any) -> Rate | None:
    found = exact_of(value)
    return Rate.of(found) if found is not None and is_rate(found) else None
