"""Items on a track, transitions between them, and what hangs on them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, fields, replace
from operator import attrgetter
from typing import Any

from wexodos.model.content import Adjustment, Angles, Content, Generator, MediaUse, NestedUse, Title
from wexodos.model.curves import Curve, constant
from wexodos.model.raw import Parameter, Raw
from wexodos.model.speed import NORMAL, Speed, is_freeze
from wexodos.model.wipes import wipe_direction
from wexodos.timing import Exact, Span

__all__ = ["Effect", "Fade", "Item", "Marker", "Motion", "Sound", "Transition", "with_curves"]


@dataclass(frozen=True, slots=True)
class Motion:
    """Where the picture stands in the frame; units in the package's docstring.

    ``fit``: ``"fit"`` whole picture inside the frame, ``"fill"`` covers the frame, ``"none"`` one source
    pixel is one frame pixel.
    """

    fit: str = "none"
    position: Curve = constant(0, 0)
    scale: Curve = constant(1, 1)
    rotation: Curve = constant(0)
    anchor: Curve = constant(0, 0)
    crop: Curve = constant(0, 0, 0, 0)
    corners: Curve = constant(0, 0, 0, 0, 0, 0, 0, 0)
    opacity: Curve = constant(1)

    @property
    def curves(self) -> dict[str, Curve]:
        return {
            "position": self.position,
            "scale": self.scale,
            "rotation": self.rotation,
            "anchor": self.anchor,
            "crop": self.crop,
            "corners": self.corners,
            "opacity": self.opacity,
        }


@dataclass(frozen=True, slots=True)
class Fade:
    """A fade of sound over ``duration`` frames; ``shape`` is ``linear`` (in gain), ``equal-power``,
    ``ease-in`` …"""

    duration: Exact
    shape: str = "linear"


@dataclass(frozen=True, slots=True)
class Sound:
    """What is done to sound. ``channels`` are source channels from 1; ``muted`` those of them that are
    switched off."""

    channels: tuple[int, ...] = ()
    level: Curve = constant(0)
    pan: Curve | None = None
    fade_in: Fade | None = None
    fade_out: Fade | None = None
    muted: tuple[int, ...] = ()
    roles: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Effect:
    """A filter with its settings; ``raw`` is its whole spelling in the dialect it came from.

    ``kind`` is ``filter`` for one that only its own dialect knows, otherwise one of ours, whose ``settings``
    are then in our units: ``blur`` (``radius`` in pixels of the frame), ``desaturate`` (``amount`` 0 to 1),
    ``brightness-contrast`` (``brightness`` and ``contrast`` -1 to 1), ``tint`` (``amount`` 0 to 1, ``color``
    as red, green, blue 0 to 1), ``primaries`` (``slope``, ``offset``, ``power`` for red, green and blue,
    ``saturation``; ASC CDL), ``lut`` (none; its name says which).
    """

    name: str
    kind: str = "filter"
    enabled: bool = True
    parameters: tuple[Parameter, ...] = ()
    raw: Raw | None = None
    settings: tuple[tuple[str, Curve], ...] = ()


@dataclass(frozen=True, slots=True)
class Marker:
    """A note in time: frames from the sequence's first frame, or from the item's start on an item.

    ``duration`` 0 is a point. ``done`` is None for plain markers, otherwise whether a task is finished.
    """

    start: Exact
    duration: Exact = 0
    name: str = ""
    comment: str = ""
    color: str | None = None
    kind: str = "marker"
    done: bool | None = None


@dataclass(frozen=True, slots=True)
class Item:
    """A clip, nested sequence, title … on a track, with its extent as if there were no transition.

    ``source_in`` is the source boundary in seconds at the item's first frame. Items with the same ``link``
    belong together. ``motion`` is None for sound, ``sound`` None for picture.
    """

    id: str
    name: str
    start: Exact
    duration: Exact
    content: Content
    source_in: Exact = 0
    speed: Speed = NORMAL
    enabled: bool = True
    motion: Motion | None = None
    sound: Sound | None = None
    blend: str = "normal"
    alpha: str | None = None
    effects: tuple[Effect, ...] = ()
    markers: tuple[Marker, ...] = ()
    link: str | None = None
    drop_frame: bool | None = None
    note: str = ""
    label: str | None = None
    metadata: tuple[tuple[str, str], ...] = ()
    raw: tuple[Raw, ...] = field(default=(), repr=False)
    still: bool = False

    def but(self, **values: Any) -> Item:
        """The item with other values; in less than half the time of a general replacement, for what is done
        to every item of a long cut. Raises ``KeyError`` for what an item does not have."""
        every = [*_every(self)]
        for name, value in values.items():
            every[_PLACES[name]] = value
        return Item(*every)

    @property
    def end(self) -> Exact:
        return self.start + self.duration

    @property
    def span(self) -> Span:
        return Span(self.start, self.start + self.duration)

    @property
    def kind(self) -> str:
        """The item kind as the command line names it."""
        content = self.content
        if isinstance(content, MediaUse):
            if self.still:
                return "still"
            return "freeze" if self.speed is not NORMAL and is_freeze(self.speed) else "clip"
        return _KINDS[type(content)]


_NAMES = [one.name for one in fields(Item)]
_PLACES = {name: place for place, name in enumerate(_NAMES)}
_every = attrgetter(*_NAMES)
_KINDS: dict[type, str] = {
    NestedUse: "nested",
    Angles: "multicam",
    Title: "title",
    Generator: "generator",
    Adjustment: "adjustment",
}


@dataclass(frozen=True, slots=True)
class Transition:
    """A transition on a track. ``start`` and ``duration`` are its full extent, ``cut`` the cut it sits on.

    ``type`` is one of the command line's transition types; ``pattern`` a SMPTE wipe number; ``name`` the
    format's own. ``softness`` and ``border`` (its width) are percent, as the formats spell them.
    """

    id: str
    name: str
    type: str
    start: Exact
    duration: Exact
    cut: Exact
    color: str | None = None
    pattern: int | None = None
    direction: str | None = None
    softness: float | None = None
    border: float | None = None
    border_color: str | None = None
    parameters: tuple[Parameter, ...] = ()
    raw: tuple[Raw, ...] = field(default=(), repr=False)

    @property
    def end(self) -> Exact:
        return self.start + self.duration

    @property
    def span(self) -> Span:
        return Span(self.start, self.start + self.duration)

    @property
    def way(self) -> str | None:
        """The way it goes: a wipe of which only the pattern is said goes the pattern's own way."""
        wipes = self.type in ("wipe", "iris")
        return self.direction or (wipe_direction(self.pattern, False) if wipes else None)


def with_curves(item: Item, turn: Callable[[Curve], Curve]) -> Item:
    """The item with everything in it that moves turned into something else; itself where nothing changes."""
    motion, sound, effects = item.motion, item.sound, item.effects
    if motion is not None:
        turned = {name: turn(curve) for name, curve in motion.curves.items()}
        before = motion.curves
        changed: dict[str, Any] = {name: new for name, new in turned.items() if new is not before[name]}
        if changed:
            motion = replace(motion, **changed)
    if sound is not None:
        level, pan = turn(sound.level), turn(sound.pan) if sound.pan is not None else None
        if level is not sound.level or pan is not sound.pan:
            sound = replace(sound, level=level, pan=pan)
    settings = [tuple((name, turn(curve)) for name, curve in one.settings) for one in effects]
    if any(
        new is not old for one, row in zip(effects, settings) for (_, old), (_, new) in zip(one.settings, row)
    ):
        effects = tuple(replace(one, settings=row) for one, row in zip(effects, settings))
    if motion is item.motion and sound is item.sound and effects is item.effects:
        return item
    return replace(item, motion=motion, sound=sound, effects=effects)
