"""The description of a receiver. Every field stands in ``docs/destinations.md`` with its meaning."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec
from msgspec import Meta


class Part(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A table of a destination file; unknown keys are mistakes."""


class Pictures(Part, frozen=True):
    carry: bool = True
    tracks: Annotated[int, Meta(ge=0)] = 0
    disabled: bool = True
    blends: list[str] | Literal["all"] = "all"
    alpha: bool = True


class Transitions(Part, frozen=True):
    kinds: list[str] = msgspec.field(default_factory=lambda: ["dissolve"])
    wipes: list[int] | Literal["all"] = "all"
    sound: list[str] = msgspec.field(default_factory=lambda: ["audio-equal-power"])


class Speed(Part, frozen=True):
    constant: bool = True
    reverse: bool = True
    freeze: bool = True
    variable: bool = True
    rounded: bool = True


class Titles(Part, frozen=True):
    carry: bool = True
    styles: bool = True
    roll: bool = False
    bar: bool = False
    outline: bool = True
    shadow: bool = True
    underline: bool = True


class Generators(Part, frozen=True):
    kinds: list[str] = msgspec.field(default_factory=lambda: ["colour", "black"])


class Filters(Part, frozen=True):
    carry: bool = False
    known: list[Literal["blur", "desaturate", "brightness-contrast", "tint", "primaries"]] = msgspec.field(
        default_factory=list
    )


class Nests(Part, frozen=True):
    carry: bool = True
    angles: bool = False
    stems_off: bool = False


class MotionPart(Part, frozen=True):
    position: bool = True
    scale: bool = True
    uneven_scale: bool = True
    rotation: bool = True
    anchor: bool = True
    crop: bool = True
    moving_crop: bool = True
    corners: bool = True
    opacity: bool = True


class Keyframes(Part, frozen=True):
    interpolations: list[str] = msgspec.field(default_factory=lambda: ["linear"])
    whole_frames: bool = True


class SoundPart(Part, frozen=True):
    carry: bool = True
    tracks: Annotated[int, Meta(ge=0)] = 0
    level: bool = True
    pan: bool = True
    fades: bool = True
    mutes: bool = True
    between_frames: bool = True
    disabled_tracks: bool = True


class Markers(Part, frozen=True):
    carry: bool = True
    on_sequence: bool = True
    on_items: bool = True
    colors: bool = True
    kinds: bool = True


class TracksPart(Part, frozen=True):
    names: bool = True
    empty: bool = True
    labels: bool = True
    locks: bool = True
    outputs: bool = True
    notes: bool = True
    metadata: bool = True


class Turnover(Part, frozen=True):
    """How a hand-over is spelled and what is made for it; a person may choose otherwise for one hand-over.

    ``sound``: link to the media as they are (``source``), or make sound for it: ``linked`` files beside it or
    ``embedded`` in it. ``sample_rate`` 0 is the highest that the used media have; ``handles`` are seconds on
    either side.
    """

    sound: Literal["source", "linked", "embedded"] = "source"
    form: Literal["pcm", "wave", "aiff"] = "wave"
    edit_rate: Literal["samples", "frames"] = "frames"
    bits: Literal[16, 24] = 24
    sample_rate: Annotated[int, Meta(ge=0, le=384_000)] = 0
    handles: Annotated[float, Meta(ge=0, le=3600)] = 2.0
    fades: Literal["transitions", "clips", "levels"] = "transitions"
    levels: bool = True
    pans: bool = True
    by_stem: bool = False
    reference: str = ""
    container: Literal[1, 2] = 2
    split: Literal["no", "tracks", "reels"] = "no"
    long_reels: bool = False
    most_events: Annotated[int, Meta(ge=1, le=999_999)] = 999


class Rates(Part, frozen=True):
    allowed: list[str] = msgspec.field(default_factory=list)


class Baking(Part, frozen=True):
    proposed: list[Literal["titles", "nests", "generators", "speeds", "filters", "colour", "blends"]] = (
        msgspec.field(default_factory=list)
    )


class Destination(Part, frozen=True):
    """A receiver: what it takes and which format and version is written for it."""

    id: Annotated[str, Meta(pattern=r"^[a-z0-9][a-z0-9\-]{1,60}$")]
    name: Annotated[str, Meta(min_length=1, max_length=60)]
    format: str
    version: str
    for_: Literal["editing", "grading", "finishing", "compositing", "mixing", "archive"] = msgspec.field(
        name="for"
    )
    summary: str = ""
    pictures: Pictures = Pictures()
    transitions: Transitions = Transitions()
    speed: Speed = Speed()
    titles: Titles = Titles()
    generators: Generators = Generators()
    filters: Filters = Filters()
    nests: Nests = Nests()
    motion: MotionPart = MotionPart()
    keyframes: Keyframes = Keyframes()
    sound: SoundPart = SoundPart()
    markers: Markers = Markers()
    tracks: TracksPart = TracksPart()
    rates: Rates = Rates()
    turnover: Turnover = Turnover()
    baking: Baking = Baking()
    minutes: dict[str, Annotated[float, Meta(ge=0)]] = msgspec.field(default_factory=dict)
    builtin: bool = False
