"""How a package is wanted, in the words in which a job keeps it; what a destination proposes stands where
nothing was decided."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from wexodos.destinations import Destination
from wexodos.formats import FORMATS
from wexodos.turnover.package.burnt import Burn, parsed
from wexodos.turnover.package.guide import Mix
from wexodos.turnover.package.make import is_zip
from wexodos.turnover.package.movie import Codec
from wexodos.turnover.package.verify import sealed_in
from wexodos.turnover.package.wanted import Wanted, Way
from wexodos.turnover.trim.recorded import Anew

_SEEN = {
    "reference": "h264",
    "mix": "stereo",
    "burns": "record@bottom-left\nsource@bottom-right",
}
_PROPOSED: dict[str, dict[str, str]] = {
    "mixing": {**_SEEN, "burns": "record@bottom-left\nframe@bottom-right"},
    "grading": _SEEN,
    "finishing": _SEEN,
    "compositing": _SEEN,
}
"""By what a destination is for: those who have to be in sync, or to see what was meant, get a reference."""
_PLAIN = {
    "media": "whole",
    "handles": "",
    "anew": "none",
    "mix": "none",
    "reference": "none",
    "height": "540",
    "burns": "",
    "shape": "0",
    "papers": "yes",
    "one file": "yes",
    "contact": "",
    "incomplete": "no",
    "since": "",
    "shots": "",
    "slate": "yes",
}


def proposed(destination: Destination) -> dict[str, str]:
    """What goes along to a destination where nobody says otherwise."""
    return {**_PLAIN, **_PROPOSED.get(destination.for_, {})}


def values_of(given: Mapping[str, str], destination: Destination) -> dict[str, str]:
    """All values: what was decided, otherwise what is proposed; what nobody knows is passed over."""
    plain = proposed(destination)
    return {**plain, **{name: value for name, value in given.items() if name in plain}}


def wanted(given: Mapping[str, str], destination: Destination, there: str) -> Wanted:
    """The package as it is wanted; a value that makes no sense counts as not given. What is in an earlier
    package is not looked at here (see ``beside``)."""
    values, plain = values_of(given, destination), proposed(destination)

    def number(name: str, low: float, high: float) -> float | None:
        try:
            found = float(values[name])
        except ValueError:
            return None
        return found if low <= found <= high else None

    def one_of(name: str, kinds: type[Way] | type[Mix] | type[Codec] | type[Anew]) -> str:
        return values[name] if values[name] in {one.value for one in kinds} else plain[name]

    handles = number("handles", 0, 3600)
    return Wanted(
        there,
        Way(one_of("media", Way)),
        Fraction(str(handles)) if handles is not None else None,
        Mix(one_of("mix", Mix)),
        Codec(one_of("reference", Codec)),
        int(number("height", 90, 4320) or 540),
        burns_of(values["burns"]),
        number("shape", 0.2, 8) or 0.0,
        values["papers"] != "no",
        values["contact"],
        one_file=values["one file"] != "no",
        anew=Anew(one_of("anew", Anew)),
        shots=values["shots"],
        slate=values["slate"] != "no",
    )


def place_of(destination: Destination, unpacked: str) -> str:
    """Where what is written says the package stands, which will be at ``unpacked``: as seen from the file
    where the format has a form for it, so that the package can stand anywhere."""
    return "." if FORMATS[destination.format].spells.relative_places else unpacked


def beside(wish: Wanted, given: Mapping[str, str]) -> Wanted:
    """The same with what they have of the earlier package that was chosen; where that stands the new one
    will.
    Raises ``ReadError``."""
    since = given.get("since", "")
    if not since:
        return wish
    place = Path(since)
    there = str(place.with_suffix("") if is_zip(place) else place)
    return replace(wish, since=sealed_in(place), there="." if wish.there == "." else there)


def burns_of(words: str) -> tuple[Burn, ...]:
    """Burn-ins, a line each; lines that make no sense are passed over."""
    found = []
    for line in words.splitlines():
        try:
            found.append(parsed(line))
        except ValueError:
            continue
    return tuple(found)


def words_of(burns: tuple[Burn, ...]) -> str:
    """The lines of burn-ins."""
    return "\n".join(
        f"{one.kind}{':' + one.words if one.kind == 'text' else ''}@{one.corner}" for one in burns
    )
