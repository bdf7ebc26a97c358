"""The tree that AAF and OMF share.

Lengths and starts are in edit units of the slot a segment hangs in, exact. ``kind`` is ``picture``,
``sound``, ``timecode`` or another word for what has no meaning here. Operations and parameters carry our own
words where one of the tables knows them, otherwise the id of the file.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any, BinaryIO

from wexodos.formats.spelling import Sounding
from wexodos.formats.taken import Left, Taking
from wexodos.timing import Exact, Rate

NO_MOB = ""
"""The id of nothing: where the chain of sources ends."""


def _taking() -> Any:
    """A mapping that knows what was asked for; typed as the field that holds it."""
    return Taking()


@dataclass(slots=True)
class Segment:
    """What stands in a slot. ``attributes`` are private values, ``comments`` the user's."""

    kind: str
    length: Exact
    attributes: dict[str, str | int] = field(default_factory=_taking, kw_only=True)
    comments: dict[str, str] = field(default_factory=_taking, kw_only=True)


@dataclass(slots=True)
class Filler(Segment):
    """Black or silence, or see-through on an upper picture track."""


@dataclass(slots=True)
class ScopeReference(Segment):
    """What the slot ``slot`` below shows; as an effect's input, all that is below."""

    scope: int = 0
    slot: int = 1


@dataclass(slots=True)
class SourceClip(Segment):
    """A piece of a slot of another mob; fades are (length, shape) with the shape ``linear`` or
    ``equal-power``."""

    mob: str
    slot: int
    start: Exact
    fade_in: tuple[Exact, str] | None = None
    fade_out: tuple[Exact, str] | None = None


@dataclass(slots=True)
class Sequence(Segment):
    parts: list[Segment] = field(default_factory=list)


@dataclass(slots=True)
class Point:
    """A control point; ``time`` in the parameter's scale (see ``Varying``)."""

    time: Exact
    value: float
    exact: Exact | None = None


@dataclass(slots=True)
class Varying:
    """A curve. ``unit``: the times are ``share`` of the length, or ``frames``. ``law``: linear, constant,
    other.

    ``last`` is True where 1 stands for the last frame instead of the end.
    """

    points: list[Point]
    unit: str = "share"
    law: str = "linear"
    last: bool = False


Value = float | int | str | bytes | Exact | Varying


@dataclass(slots=True)
class Operation(Segment):
    """An effect: ``op`` is our word or the file's id, ``name`` what the file calls it, ``bypass`` the input
    to use else (from 1)."""

    op: str
    inputs: list[Segment] = field(default_factory=list)
    parameters: dict[str, Value] = field(default_factory=_taking)
    name: str = ""
    bypass: int = 1


@dataclass(slots=True)
class Transition(Segment):
    cut: Exact
    effect: Operation


@dataclass(slots=True)
class NestedScope(Segment):
    """A stack of segments; the last one is what is seen."""

    slots: list[Segment] = field(default_factory=list)


@dataclass(slots=True)
class Selector(Segment):
    selected: Segment
    alternates: list[Segment] = field(default_factory=list)


@dataclass(slots=True)
class Group(Segment):
    """The same content in several forms."""

    choices: list[Segment] = field(default_factory=list)


@dataclass(slots=True)
class TimecodeSegment(Segment):
    start: int
    fps: int
    drop: bool


@dataclass(slots=True)
class MarkerEvent(Segment):
    """A marker; ``start`` in edit units of its slot, ``span`` its length, colour as ``#rrggbbaa``."""

    start: Exact
    comment: str = ""
    name: str = ""
    color: str | None = None
    span: int = 1
    slots: tuple[int, ...] = ()


@dataclass(slots=True)
class Unknown(Segment):
    """A segment nobody here understands; ``what`` is its class."""

    what: str = ""


@dataclass(slots=True)
class Slot:
    """A track of a mob; ``number`` counts within its kind from 1, 0 where nothing is said."""

    id: int
    rate: Rate
    segment: Segment
    name: str = ""
    number: int = 0
    origin: Exact = 0
    muted: bool = False


@dataclass(slots=True)
class Descriptor:
    """What a source mob describes. ``role`` is ``file``, ``tape``, ``film`` or ``import``.

    ``length`` counts units of ``rate``. ``locators`` are URLs or paths, the likeliest first. ``summary`` is
    the head of a WAVE or AIFF file where the descriptor holds one.
    """

    role: str
    what: str = ""
    rate: Rate | None = None
    length: Exact | None = None
    width: int | None = None
    height: int | None = None
    field_order: str | None = None
    pixel_aspect: Exact | None = None
    channels: int | None = None
    sample_rate: int | None = None
    bits: int | None = None
    locators: list[str] = field(default_factory=list)
    summary: bytes = b""
    alpha: bool = False
    picture: bool = False
    sound: bool = False


@dataclass(slots=True)
class Mob:
    """``kind``: ``composition``, ``master`` or ``source``; ``usage``: ``top``, ``lower``, ``sub``,
    ``adjusted``, ``template``."""

    id: str
    kind: str
    name: str = ""
    usage: str = ""
    slots: list[Slot] = field(default_factory=list)
    descriptor: Descriptor | None = None
    comments: dict[str, str] = field(default_factory=_taking)
    attributes: dict[str, str | int] = field(default_factory=_taking)

    def slot(self, number: int) -> Slot | None:
        return next((one for one in self.slots if one.id == number), None)


@dataclass(frozen=True, slots=True)
class Essence:
    """Sound inside a file: ``open`` gives its bytes; ``head`` tells ``pcm`` (bare samples), ``wave`` or
    ``aiff``."""

    mob: str
    form: str
    size: int
    open: Callable[[], BinaryIO]


@dataclass(slots=True)
class File:
    """A whole exchange file as mobs, by id; ``essence`` is the sound found in it, ``sounds`` that to be put
    into it, ``left`` what no reader of the file took."""

    mobs: dict[str, Mob] = field(default_factory=dict)
    top: list[str] = field(default_factory=list)
    notes: list[tuple[str, str, str]] = field(default_factory=list)
    essence: dict[str, Essence] = field(default_factory=dict)
    sounds: dict[str, Sounding] = field(default_factory=dict)
    version: str = ""
    left: list[Left] = field(default_factory=list)


def inside(segment: Segment) -> Iterator[Segment]:
    """The segments right inside one."""
    if isinstance(segment, Sequence):
        yield from segment.parts
    elif isinstance(segment, Operation):
        yield from segment.inputs
    elif isinstance(segment, Transition):
        yield segment.effect
    elif isinstance(segment, NestedScope):
        yield from segment.slots
    elif isinstance(segment, Selector):
        yield segment.selected
        yield from segment.alternates
    elif isinstance(segment, Group):
        yield from segment.choices


def nothing(segment: Segment, deepest: int = 20) -> bool:
    """Whether a segment holds nothing of its own: a filler, what lies below, or a row of such."""
    if isinstance(segment, Sequence):
        return deepest > 0 and bool(segment.parts) and all(nothing(one, deepest - 1) for one in segment.parts)
    return isinstance(segment, Filler | ScopeReference)
