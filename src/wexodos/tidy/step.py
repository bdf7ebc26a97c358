"""What a step of Tidy is: a pure function on a sequence, and what it says about itself."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace

from wexodos.ground.errors import WexodosError
from wexodos.model import Document, Item, Media, Sequence, Track, Transition
from wexodos.timing import Exact, Timecode, TimecodeError, ceil, floor

Values = Mapping[str, str]
"""The options of a step by name, in words."""


class TidyError(WexodosError):
    """A step that cannot be done with these options: one plain sentence."""


@dataclass(frozen=True, slots=True)
class Option:
    """One option of a step. ``kind``: ``choice`` (one of ``choices``), ``choices`` (any of them, with
    commas), ``yes`` (yes or no), ``seconds``, ``time`` (a timecode of the sequence or +FRAME) or ``text``.
    ``choices`` are (value, words)."""

    name: str
    label: str
    kind: str
    default: str
    choices: tuple[tuple[str, str], ...] = ()
    about: str = ""


@dataclass(frozen=True, slots=True)
class Line:
    """One thing a step did, or could not do (``grave``), with its place in the sequence as it was before the
    step."""

    start: Exact
    stop: Exact
    track: str
    item: str
    item_id: str
    what: str
    why: str = ""
    grave: bool = False


@dataclass(frozen=True, slots=True)
class Render:
    """A medium that the cut uses from now on and that has to be made: ``frames`` of an item as a movie, a
    ``slate``, a ``flat`` colour or a ``tone``. For frames, ``item`` of ``sequence`` in ``document`` is shown
    from frame ``first`` on, before it is moved and after the first ``filters`` of its filters; where
    ``below`` says so, as it stands, with all that lies below it."""

    kind: str
    media: Media
    count: int = 1
    document: Document | None = None
    sequence: Sequence | None = None
    item: str = ""
    first: int = 0
    words: tuple[str, ...] = ()
    filters: int = 0
    below: bool = False


@dataclass(slots=True)
class Touched:
    """The frames, in those of the sequence before, whose picture or sound a step says it changes."""

    picture: list[tuple[Exact, Exact]] = field(default_factory=list)
    sound: list[tuple[Exact, Exact]] = field(default_factory=list)

    def item(self, kind: str, start: Exact, stop: Exact) -> None:
        (self.picture if kind == "video" else self.sound).append((start, stop))


@dataclass(slots=True)
class Outcome:
    """What a step made of a sequence. ``effect`` says it in one line; frame n of before is n + ``shift``
    now."""

    document: Document
    sequence: Sequence
    effect: str
    lines: list[Line] = field(default_factory=list)
    renders: list[Render] = field(default_factory=list)
    touched: Touched = field(default_factory=Touched)
    shift: int = 0

    @property
    def nothing(self) -> bool:
        return not self.lines and not self.shift and not self.renders


@dataclass(frozen=True, slots=True)
class Step:
    """A step: ``run(document, sequence, values)`` gives an outcome. Raises ``TidyError`` for options that
    make no sense."""

    id: str
    name: str
    about: str
    run: Callable[[Document, Sequence, Values], Outcome]
    options: tuple[Option, ...] = ()

    def values(self, given: Values) -> dict[str, str]:
        """All options, those not given at their defaults. Raises ``TidyError`` for one that there is not, or
        is none of its choices."""
        known = {one.name: one for one in self.options}
        for name, value in given.items():
            if name not in known:
                raise TidyError(
                    f"{self.name}: there is no option {name!r}; there are {', '.join(known) or 'none'}"
                )
            option = known[name]
            allowed = [choice for choice, _ in option.choices] if option.kind != "yes" else ["yes", "no"]
            chosen = words_of(value) if option.kind == "choices" else [value]
            wrong = [one for one in chosen if allowed and one not in allowed]
            if wrong:
                raise TidyError(
                    f"{self.name}: {option.label or name} cannot be {wrong[0]!r}; choose from "
                    f"{', '.join(allowed)}"
                )
        return {one.name: given.get(one.name, one.default) for one in self.options}


def words_of(value: str) -> list[str]:
    """The words of a list with commas."""
    return [one.strip() for one in value.split(",") if one.strip()]


def put(document: Document, sequence: Sequence) -> Document:
    """The document with ``sequence`` in the place of the one with its id."""
    return replace(
        document, sequences=tuple(sequence if one.id == sequence.id else one for one in document.sequences)
    )


def with_media(document: Document, media: Iterable[Media]) -> Document:
    return replace(document, media=(*document.media, *media))


def seconds(value: str, sequence: Sequence, what: str) -> int:
    """An option in seconds as whole frames. Raises ``TidyError``."""
    try:
        found = float(value)
    except ValueError:
        raise TidyError(f"{what}: {value!r} is no number of seconds") from None
    if not 0 <= found <= 3600:
        raise TidyError(f"{what}: {value!r} must be between 0 and 3600 seconds")
    return round(found * float(sequence.rate.fps))


def frame_at(value: str, sequence: Sequence, what: str) -> int:
    """A place given as a timecode of the sequence or as +FRAME. Raises ``TidyError``."""
    words = value.strip()
    if words.startswith("+") and words[1:].isdigit() and len(words) < 12:
        return int(words[1:])
    try:
        return (
            Timecode.parse(words, sequence.rate, sequence.drop_frame if ";" not in words else None).frames
            - sequence.start
        )
    except TimecodeError as error:
        raise TidyError(f"{what}: {error}") from None


def counted(count: int, word: str, many: str = "") -> str:
    return f"{count} {word if count == 1 else many or word + 's'}"


def joins_left(track: Track, items: list[Item]) -> tuple[tuple[Transition, ...], tuple[Transition, ...]]:
    """The transitions of a track that still have an item at their cut, and those that have none."""
    edges = {edge for one in items for edge in (one.start, one.end)}
    kept = tuple(one for one in track.transitions if one.cut in edges)
    return kept, tuple(one for one in track.transitions if one.cut not in edges)


def reach(track: Track, item: Item) -> tuple[int, int]:
    """The whole frames an item is seen in, its transitions included."""
    low = min([one.start for one in track.transitions if one.cut == item.start], default=item.start)
    high = max([one.end for one in track.transitions if one.cut == item.end], default=item.end)
    return floor(min(low, item.start)), ceil(max(high, item.end))


def line_of(item: Item, label: str, what: str, why: str = "", grave: bool = False) -> Line:
    return Line(item.start, item.end, label, item.name or item.kind, item.id, what, why, grave)
