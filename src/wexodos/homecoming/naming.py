"""How rendered files are named: a scheme that is learnt from the set of their names, or said by a person, and
what a name says by it.

A scheme is a name with parts in brackets: ``KN_{number:10}_{version}``, ``KN_{number:10 from 100}``. What it
says of a number is held against the renders themselves, so that a number that counts something else is not
taken for that of an event.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import lru_cache

from wexodos.homecoming.events import Event, plain
from wexodos.tidy.shots import SchemeError

_PARTS = {
    "number": "the number of the event",
    "item": "the name of the clip",
    "source": "the name of its source",
    "id": "the id of the clip",
    "reel": "the reel",
    "track": "the track",
    "counter": "a number that counts something else",
    "version": "the version",
    "any": "anything",
}
_NUMBER, _COUNTER, _VERSION = "number", "counter", "version"
_NAMING = ("source", "item", "id")
"""Parts that are the name of an event."""
_STEPS = (1000, 100, 10, 5, 1)
"""Events are numbered in such steps."""
_FIRSTS = (100, 1000, 101, 1001, 0)
"""And begin with these, where they do not begin with one step."""
_STEP_WORDS = {10: "in tens", 100: "in hundreds", 1000: "in thousands"}
_IN_STEP = 0.8
"""So many names that hold a number and a name must mean one event by both."""
_MOST_WORDS = 12
"""Names of more words are not looked for in a name."""
_HOLE = "\0"


@dataclass(frozen=True, slots=True)
class Counting:
    """How events are numbered: in steps, and the first of them, which is one step where nothing is said."""

    step: int = 1
    begins: int | None = None

    @property
    def first(self) -> int:
        """The number of the first event."""
        return self.step if self.begins is None else self.begins

    def event(self, number: int) -> int | None:
        """Which event, from 1, a number means; None where it means none."""
        past, rest = divmod(number - self.first, self.step)
        return past + 1 if past >= 0 and not rest else None

    @property
    def text(self) -> str:
        """It as it stands in a scheme."""
        if self.begins is not None:
            return f"{{{_NUMBER}:{self.step} from {self.begins}}}"
        return f"{{{_NUMBER}:{self.step}}}" if self.step > 1 else f"{{{_NUMBER}}}"

    @property
    def words(self) -> str:
        """It in words; none for one by one from one on."""
        steps = _STEP_WORDS.get(self.step, f"in steps of {self.step}") if self.step > 1 else ""
        begin = f"from {self.begins} on" if self.begins is not None else ""
        return " ".join(filter(None, (steps, begin)))


@dataclass(frozen=True, slots=True)
class Scheme:
    """A scheme of names; of how many renders it holds how many, and whether a person said it."""

    text: str
    fits: int = 0
    of: int = 0
    said: bool = False

    @property
    def counting(self) -> Counting:
        """How events are numbered by it."""
        return next((how for part, how in _parsed(self.text) if part == _NUMBER), Counting())

    def read(self, stem: str) -> dict[str, str] | None:
        """The parts of a name, which has no suffix, by this scheme; None where it is not by it."""
        found = _pattern(self.text).fullmatch(stem)
        return found.groupdict() if found is not None else None

    def number(self, stem: str) -> int | None:
        """The number of the event that a name says; None where it says none."""
        parts = self.read(stem)
        if parts is None or _NUMBER not in parts:
            return None
        return self.counting.event(int(parts[_NUMBER]))

    def is_of(self, stem: str, event: Event) -> bool:
        """Whether a name is that of an event: all parts that name one are its own, and there is one."""
        parts = self.read(stem) or {}
        own = {"source": event.source, "item": event.item.name, "id": event.item.id, "track": event.track}
        known = {key: plain(value) == plain(own[key]) for key, value in parts.items() if key in own}
        return all(known.values()) and any(key in known for key in _NAMING)

    @property
    def words(self) -> str:
        """It in one sentence."""
        return f"{self.text}: {self.meaning}"

    @property
    def meaning(self) -> str:
        """What it says, and of how many names, in words."""
        told = []
        for part, how in _parsed(self.text):
            if part:
                told.append(", ".join(filter(None, (_PARTS[part], how.words))))
        what = " and ".join(filter(None, (", then ".join(told[:-1]), told[-1]))) if told else "nothing"
        return f"{what} – {self.fits} of {self.of} names"


def said(text: str, stems: list[str]) -> Scheme:
    """The scheme that a person says, over the names there are. Raises ``SchemeError``."""
    text = text.strip()
    pattern = _pattern(text)
    return Scheme(text, sum(pattern.fullmatch(one) is not None for one in stems), len(stems), said=True)


def _parsed(text: str) -> list[tuple[str, Counting]]:
    """The parts of a scheme in their order, each with how it counts; texts between them are parts without
    name. Raises ``SchemeError``."""
    found: list[tuple[str, Counting]] = []
    for place, one in enumerate(re.split(r"\{([^{}]*)\}", text)):
        if place % 2 == 0:
            if "{" in one or "}" in one:
                raise SchemeError("names of renders: a bracket stands alone")
            continue
        part, colon, counts = one.partition(":")
        how = re.fullmatch(r"([1-9]\d{0,4})(?: from (\d{1,8}))?", counts)
        if part not in _PARTS or (colon and (part != _NUMBER or how is None)):
            known = ", ".join(f"{{{each}}}" for each in _PARTS)
            raise SchemeError(f"names of renders: {{{one}}} stands for nothing; there are {known}")
        if part in [each for each, _ in found] and part != "any" and part != _COUNTER:
            raise SchemeError(f"names of renders: {{{part}}} stands there twice")
        begin = how.group(2) if how is not None else None
        step = int(how.group(1)) if how is not None else 1
        found.append((part, Counting(step, int(begin) if begin is not None else None)))
    if not found:
        raise SchemeError("names of renders: the scheme says nothing of an event")
    return found


@lru_cache(maxsize=64)
def _pattern(text: str) -> re.Pattern[str]:
    """What a name by a scheme looks like. Raises ``SchemeError``."""
    parts = [part for part, _ in _parsed(text)]
    made = []
    for place, one in enumerate(re.split(r"\{[^{}]*\}", text)):
        # Rooms write blanks, dashes and underscores for one another.
        made.append("[ ._-]+".join(map(re.escape, re.split(r"[ ._-]+", one))))
        if place < len(parts):
            made.append(_looks(parts[place]))
    # A later version has its number behind all.
    later = r"(?:[ ._-]+v\d{1,6})?" if _VERSION not in parts else ""
    return re.compile("".join(made) + later, re.IGNORECASE)


def _looks(part: str) -> str:
    match part:
        case "any":
            return ".*?"
        case "counter":
            return r"\d+"
        case "number":
            return r"(?P<number>\d{1,8})"
        case "version":
            return r"(?P<version>v?\d{1,6})"
        case _:
            return f"(?P<{part}>.+?)"


def learnt(there: list[Event], stems: list[str], fits: Callable[[int, Event], int]) -> Scheme | None:
    """The scheme of most names, given without suffix; None where they have none in common that says
    anything. ``fits`` says how well the render of a name (by its place) is an event's by all but its name: 0
    for not at all."""
    known = _known(there)
    shapes = [_shape(stem, known) for stem in stems]
    for view in (_whole, _head, _tail):
        groups: dict[str, list[_Row]] = defaultdict(list)
        for place, one in enumerate(map(view, shapes)):
            groups[one.text].append(_Row(place, stems[place], one))
        text, rows = max(groups.items(), key=lambda one: len(one[1]), default=("", []))
        if len(rows) < 2 or 2 * len(rows) < len(stems):
            continue
        made = _filled(text, rows, there, fits)
        if made is not None:
            return Scheme(made, len(rows), len(stems))
    return None


@dataclass(frozen=True, slots=True)
class _Shape:
    """A name with a hole for every number; ``named`` are the words in it that are the name of an event,
    ``version`` what stands behind all of it."""

    text: str
    numbers: tuple[str, ...]
    named: str
    version: str


@dataclass(frozen=True, slots=True)
class _Row:
    """The shape of a name, with the place of its render."""

    place: int
    stem: str
    shape: _Shape


def _whole(shape: _Shape) -> _Shape:
    return shape


def _head(shape: _Shape) -> _Shape:
    """A name up to its first number; what is behind may be anything."""
    before, hole, behind = shape.text.partition(_HOLE)
    between = re.match("[ ._-]*", behind)
    text = f"{before}{_HOLE}{between.group() if between is not None else ''}{{any}}"
    return replace(shape, text=text, numbers=shape.numbers[:1], named="") if hole else shape


def _tail(shape: _Shape) -> _Shape:
    """A name from its last number on; what is before may be anything."""
    before, hole, behind = shape.text.rpartition(_HOLE)
    between = re.search("[ ._-]*$", before)
    text = f"{{any}}{between.group() if between is not None else ''}{_HOLE}{behind}"
    return replace(shape, text=text, numbers=shape.numbers[-1:], named="") if hole else shape


def _filled(text: str, rows: list[_Row], there: list[Event], fits: Callable[[int, Event], int]) -> str | None:
    """The scheme that a shape is, by what the numbers in its holes are; None where it says nothing of an
    event."""
    values = [[row.shape.numbers[at] for row in rows] for at in range(text.count(_HOLE))]
    varying = [at for at, each in enumerate(values) if len(set(each)) > 1]
    # The last number that is one of events.
    ways = ((at, _counting(there, rows, values[at], fits)) for at in reversed(varying))
    number, counting = next(((at, how) for at, how in ways if how is not None), (-1, Counting()))
    if number < 0 and not any(f"{{{part}}}" in text for part in _NAMING):
        return None
    for at, each in enumerate(values):
        other = f"{{{_COUNTER}}}" if at in varying else each[0]
        text = text.replace(_HOLE, counting.text if at == number else other, 1)
    return text


def _known(there: list[Event]) -> dict[str, str]:
    """What names of events are, by their words: a name without a letter is none."""
    found: dict[str, str] = {}
    for part in reversed(_NAMING):
        for event in there:
            own = {"source": event.source, "item": event.item.name, "id": event.item.id}
            words = plain(own[part])
            if re.search("[a-z]", words):
                found[words] = part
    return found


def _shape(stem: str, known: dict[str, str]) -> _Shape:
    """A name with the part that is an event's in brackets, without its version."""
    version = re.search(r"[ ._-]+v\d{1,6}$", stem, flags=re.IGNORECASE)
    rest = stem[: version.start()] if version is not None else stem
    spans = [(one.start(), one.end()) for one in re.finditer("[a-z0-9]+", rest, flags=re.IGNORECASE)]
    ways = (
        (spans[first][0], spans[last][1])
        for first in range(len(spans))
        for last in range(first, min(len(spans), first + _MOST_WORDS))
    )
    named = [(begin, end) for begin, end in ways if plain(rest[begin:end]) in known]
    numbers: list[str] = []

    def hole(found: re.Match[str]) -> str:
        numbers.append(found.group())
        return _HOLE

    def holed(text: str) -> str:
        return re.sub(r"\d+", hole, re.sub(rf"[{{}}{_HOLE}]", "", text))

    text, words = "", ""
    if named:
        begin, end = max(named, key=lambda one: one[1] - one[0])
        words = plain(rest[begin:end])
        text = f"{holed(rest[:begin])}{{{known[words]}}}"
        rest = rest[end:]
    text += holed(rest)
    return _Shape(text, tuple(numbers), words, version.group() if version is not None else "")


def _counting(
    there: list[Event], rows: list[_Row], values: list[str], fits: Callable[[int, Event], int]
) -> Counting | None:
    """How the numbers of some names count events; None where they do not, or where nobody can say."""
    if any(len(one) > 8 for one in values):
        return None
    numbers = [int(one) for one in values]
    # Two of one number are versions, or it counts something else.
    versions = {(number, row.shape.version.casefold()) for number, row in zip(numbers, rows)}
    if len(versions) < len(numbers) or len(set(numbers)) < 2:
        return None
    best = _fitting(there, rows, numbers, fits, [Counting(step) for step in _STEPS])
    if best:
        # As many in a row by chance are whole tens, or each of them one: that nobody can tell apart.
        return best[0] if len(best) == 1 or Counting() not in best else None
    others = [Counting(step, first) for step in _STEPS for first in _FIRSTS if first != step]
    best = _fitting(there, rows, numbers, fits, others, all_fit=True)
    return best[0] if len(best) == 1 else None


def _fitting(
    there: list[Event],
    rows: list[_Row],
    numbers: list[int],
    fits: Callable[[int, Event], int],
    ways: list[Counting],
    all_fit: bool = False,
) -> list[Counting]:
    """The ways of counting by which renders with such numbers are their events best: half of them at least,
    or all."""
    ranked = []
    for how in ways:
        places = [how.event(one) for one in numbers]
        meant = [there[one - 1] for one in places if one is not None and one <= len(there)]
        if len(meant) < len(numbers):
            continue
        named = [
            row.shape.named in map(plain, event.names) for row, event in zip(rows, meant) if row.shape.named
        ]
        fit = [fits(row.place, event) for row, event in zip(rows, meant)]
        if sum(named) >= _IN_STEP * len(named) and (
            all(fit) if all_fit else 2 * sum(one > 0 for one in fit) >= len(fit)
        ):
            ranked.append((sum(fit), how))
    return [how for fit, how in ranked if fit == max(one for one, _ in ranked)]
