"""What a person may want of a whole carry-over, whatever the destination."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec

from wexodos.settling.receiver import Turnover


@dataclass(frozen=True, slots=True)
class Options:
    """Choices for the whole hand-over.

    ``sizing``: take position, scale, rotation, crop and corners along; some want to redo them on the other
    side.
    ``organised``: send folders, and media that is not used in the cut.
    ``tolerance``: how far a followed curve may lie from the one it follows, as a multiple of what cannot be
    seen or heard (half a pixel, a tenth of a decibel): larger means fewer keys.
    ``markers``: put every finding as a marker into the written sequence, for the other side to step through.
    ``turnover``: settings of the destination's turnover chosen otherwise, as (name, value) in words.
    """

    sizing: bool = True
    organised: bool = False
    tolerance: float = 1.0
    markers: bool = False
    turnover: tuple[tuple[str, str], ...] = ()


def chosen(turnover: Turnover, changes: tuple[tuple[str, str], ...]) -> Turnover:
    """A turnover with settings changed, given in words. Raises ``ValueError`` that names the setting."""
    data = msgspec.to_builtins(turnover)
    for name, value in changes:
        if name not in data:
            raise ValueError(f"there is no setting {name!r}; there are {', '.join(sorted(data))}")
        kind = type(data[name])
        try:
            data[name] = _SWITCHES[value.lower()] if kind is bool else kind(value)
        except (KeyError, ValueError):
            raise ValueError(f"{name} cannot be {value!r}") from None
    try:
        return msgspec.convert(data, Turnover)
    except msgspec.ValidationError as error:
        where = str(error).rpartition("$.")[2].rstrip("`")
        raise ValueError(f"{where or 'a setting'} cannot be {data.get(where)!r}") from None


_SWITCHES = {
    "yes": True,
    "true": True,
    "on": True,
    "1": True,
    "no": False,
    "false": False,
    "off": False,
    "0": False,
}
