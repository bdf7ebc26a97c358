"""Values of the model as plain data (texts, numbers, lists and maps) and back, exactly.

A value of a class is a map with its class under ``~``; fields that have their usual value are left out.
Fractions and infinities, which JSON cannot say, are maps too.
"""

from __future__ import annotations

import dataclasses
import functools
import itertools
import math
import types
import typing
from enum import Enum
from fractions import Fraction
from typing import Any

from wexodos.model import content, curves, items, media, raw, sequences, speed
from wexodos.timing import Rate

TAG = "~"
DEEPEST = 64
MOST = 1e12
"""A number that is not exact: where, how large or how much something is."""
MOST_EXACT = 1e15
"""An exact number: frames, samples or seconds; further parts of a second stand below a line."""
MOST_CHANNELS = 64
_CLASSES: dict[str, type] = {
    one.__name__: one
    for module in (content, curves, items, media, raw, sequences, speed)
    for one in vars(module).values()
    if isinstance(one, type) and dataclasses.is_dataclass(one)
} | {"Rate": Rate}
_FIELDS = {
    name: {field.name: field for field in dataclasses.fields(one) if field.init}
    for name, one in _CLASSES.items()
}


class PlainError(ValueError):
    """Plain data that no value of the model can be made of."""


def to_plain(value: Any, without: frozenset[str] = frozenset()) -> Any:
    """Plain data of a value; ``without`` names fields of the outermost value that are left out."""
    if isinstance(value, bool) or value is None or isinstance(value, str):
        return str(value.value) if isinstance(value, Enum) else value
    if isinstance(value, int):
        return value if -(1 << 62) < value < 1 << 62 else {TAG: "q", "v": str(value)}
    if isinstance(value, float):
        return value if math.isfinite(value) else {TAG: "f", "v": repr(value)}
    if isinstance(value, Fraction):
        return {TAG: "q", "v": str(value)}
    if isinstance(value, tuple | list):
        return [to_plain(one) for one in value]
    made: dict[str, Any] = {TAG: type(value).__name__}
    for name, field in _FIELDS[type(value).__name__].items():
        found = getattr(value, name)
        if name in without or (
            field.default is not dataclasses.MISSING
            and type(found) is type(field.default)
            and found == field.default
        ):
            continue
        made[name] = to_plain(found)
    return made


@functools.cache
def _hints(name: str) -> dict[str, Any]:
    """What the fields of a class may be."""
    return typing.get_type_hints(_CLASSES[name])


def _fits(value: Any, hint: Any) -> bool:
    """Whether a value is what a field may be: a stranger may have changed what we once wrote."""
    origin, inside = typing.get_origin(hint), typing.get_args(hint)
    if hint is Any:
        return True
    if origin in (typing.Union, types.UnionType):
        return any(_fits(value, one) for one in inside)
    if origin is typing.Literal:
        return value in inside
    if origin is tuple:
        if not isinstance(value, tuple):
            return False
        if len(inside) == 2 and inside[1] is Ellipsis:
            return all(_fits(one, inside[0]) for one in value)
        return len(value) == len(inside) and all(map(_fits, value, inside))
    if hint is float:
        if isinstance(value, bool) or not isinstance(value, int | float):
            return False
        return abs(value) <= MOST or math.isinf(value)
    if hint is int:
        return isinstance(value, int) and not isinstance(value, bool) and abs(value) <= MOST_EXACT
    if hint is Fraction:
        return isinstance(value, Fraction) and abs(value) <= MOST_EXACT
    return isinstance(value, hint if isinstance(hint, type) else origin or object)


@functools.cache
def _parts(name: str) -> dict[str, int]:
    """The curves of a class with the number of parts of their values."""
    usual = {
        key: len(field.default.value)
        for key, field in _FIELDS[name].items()
        if isinstance(field.default, curves.Curve)
    }
    return {**usual, "pan": 1} if name == "Sound" else usual


def _even(values: dict[str, Any]) -> None:
    """Raise ``PlainError`` where the keys of a curve have values of another number of parts than the curve
    itself, or do not follow each other."""
    count, keys = len(values["value"]), values.get("keys", ())
    if not count or any(len(key.value) != count for key in keys):
        raise PlainError("Curve: its values have different numbers of parts")
    if any(two.time <= one.time for one, two in itertools.pairwise(keys)):
        raise PlainError("Curve: its keys are out of order")


def from_plain(data: Any, depth: int = 0, **known: Any) -> Any:
    """The value of plain data; ``known`` gives fields of the outermost value. Raises ``PlainError``."""
    if depth > DEEPEST:
        raise PlainError("nested too deeply")
    if isinstance(data, list):
        return tuple(from_plain(one, depth + 1) for one in data)
    if not isinstance(data, dict):
        return data
    name = data.get(TAG)
    try:
        if name == "q":
            value = Fraction(str(data["v"])[:400])
            return value.numerator if value.denominator == 1 else value
        if name == "f":
            return float(data["v"])
        fields = _FIELDS[str(name)]
        values = {key: from_plain(value, depth + 1) for key, value in data.items() if key in fields}
        if name == "Key" and "ease" in values:
            values["ease"] = curves.Ease(values["ease"])
        hints = _hints(str(name))
        for key, value in values.items():
            if not _fits(value, hints[key]):
                raise PlainError(f"{name}: {key} is of another kind")
        if name == "Curve":
            _even(values)
        for key, default in _parts(str(name)).items():
            one = values.get(key)
            if one is not None and len(one.value) != default:
                raise PlainError(f"{name}: {key} has another number of parts")
        channels = values.get("channels", ()) if name == "Sound" else ()
        if not all(1 <= one <= MOST_CHANNELS for one in channels) or len(set(channels)) < len(channels):
            raise PlainError(f"channels are counted from 1 to {MOST_CHANNELS}, each once")
        if "id" in values and not values["id"]:
            raise PlainError(f"{name}: its id is empty")
        return _CLASSES[str(name)](**{**values, **known})
    except (KeyError, TypeError, ValueError, ZeroDivisionError, OverflowError) as error:
        raise PlainError(f"{name}: {error}") from None
