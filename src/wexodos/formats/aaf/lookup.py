"""Properties of the library's objects found by a table instead of by walking through all definitions of a
class each time."""

from __future__ import annotations

import threading
from typing import Any

from aaf2.core import AAFObject

_local = threading.local()


def fresh() -> None:
    """Begin a new file: numbers of properties that are no part of the specification differ from file to
    file."""
    _local.numbers = {}


def found(thing: Any, name: str) -> Any:
    """The property of an object under a name; None where the object does not have it."""
    numbers: dict[tuple[Any, str], int | None] = _local.numbers
    kind: Any = type(thing)
    key = (str(thing.class_id) if kind is AAFObject else kind, name)
    if key not in numbers:
        numbers[key] = next(
            (one.pid for one in thing.classdef.all_propertydefs() if one.property_name == name), None
        )
    number = numbers[key]
    return None if number is None else thing.property_entries.get(number)
