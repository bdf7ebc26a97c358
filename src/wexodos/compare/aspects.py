"""What of a thing can change: one name for each aspect of the model, and what a change of it is reported
as."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Kind(StrEnum):
    """What a finding is about, as reports and the command line name it."""

    CLIP = "clip"
    TRANSITION = "transition"
    SPEED = "speed"
    MOTION = "motion"
    OPACITY = "opacity"
    TITLE = "title"
    GENERATOR = "generator"
    FILTER = "filter"
    COLOUR = "colour"
    LEVEL = "level"
    PAN = "pan"
    FADE = "fade"
    CHANNELS = "channels"
    MUTE = "mute"
    MARKER = "marker"
    NESTED = "nested"
    ANGLES = "angles"
    TRACK = "track"
    MEDIA = "media"
    SETTINGS = "settings"
    METADATA = "metadata"


class Aspect(StrEnum):
    """One aspect of an item, transition, marker, track, medium or sequence; the value is its name in
    reports."""

    # An item as a whole
    PRESENCE = "item"
    TRACK = "track"
    RECORD_START = "record start"
    RECORD_END = "record end"
    SOURCE_IN = "source in"
    SPEED = "speed"
    STILL = "still"
    ENABLED = "enabled"
    NAME = "name"
    LABEL = "label"
    NOTE = "note"
    METADATA = "metadata"
    LINK = "link"
    DROP_FRAME = "drop frame"
    UNREAD = "unread elements"
    # What it shows
    CONTENT = "kind"
    MEDIA = "media"
    NEST = "nested sequence"
    SILENT = "stems off"
    ANGLE = "angle"
    ANGLES = "angles"
    WORDS = "words"
    STYLE = "style"
    WORDS_PLACE = "place of the words"
    ROLL = "roll"
    ROLLING = "movement of the words"
    BAR = "bar"
    TEMPLATE = "template"
    TITLE_SETTINGS = "title settings"
    GENERATOR = "generator"
    GENERATOR_SETTINGS = "generator settings"
    SPELLING = "spelling of its own dialect"
    # How it is seen
    FIT = "fit"
    POSITION = "position"
    SCALE = "scale"
    SIZE = "size"
    ROTATION = "rotation"
    ANCHOR = "anchor"
    CROP = "crop"
    CORNERS = "corners"
    OPACITY = "opacity"
    BLEND = "blend mode"
    ALPHA = "alpha"
    FILTERS = "filters"
    FILTER_SETTINGS = "filter settings"
    EXTENT = "extent"
    MIX = "mix"
    SOURCE_FRAMES = "source frames"
    # How it is heard
    CHANNELS = "channels"
    LEVEL = "level"
    PAN = "pan"
    FADE_IN = "fade in"
    FADE_OUT = "fade out"
    MUTE = "mute"
    ROLES = "roles"
    SOURCE_SAMPLES = "source samples"
    # Transitions
    TRANSITION = "transition"
    TRANSITION_LENGTH = "transition length"
    TRANSITION_NAME = "transition name"
    TRANSITION_COLOUR = "transition colour"
    TRANSITION_PATTERN = "transition pattern"
    TRANSITION_DIRECTION = "transition direction"
    TRANSITION_EDGE = "transition edge"
    TRANSITION_SETTINGS = "transition settings"
    # Markers
    MARKER = "marker"
    MARKER_COLOUR = "marker colour"
    MARKER_LENGTH = "marker length"
    MARKER_KIND = "marker kind"
    # Tracks
    TRACK_ORDER = "tracks"
    TRACK_NAME = "track name"
    TRACK_ENABLED = "track enabled"
    TRACK_LOCKED = "track locked"
    STEM = "stem"
    OUTPUT = "output"
    PICTURE_TRACKS = "picture tracks"
    SOUND_TRACKS = "sound tracks"
    # The sequence
    RATE = "rate"
    START = "start timecode"
    FRAME_SIZE = "frame size"
    PIXEL_ASPECT = "pixel aspect"
    FIELD_ORDER = "field order"
    SAMPLE_RATE = "sample rate"
    BIT_DEPTH = "bit depth"
    AUDIO_LAYOUT = "channels of the sequence"
    MARKED = "marked range"
    LENGTH = "length"
    FOLDER = "folder"
    # Media
    UNUSED_MEDIA = "unused media"
    MEDIA_PATH = "media path"
    MEDIA_START = "media start"
    MEDIA_FACTS = "media facts"
    REEL = "reel"


@dataclass(frozen=True, slots=True)
class About:
    """What a difference in an aspect is reported as: its kind of finding, and the unit of its deviation."""

    kind: Kind
    unit: str = ""


_KINDS: dict[Kind, tuple[Aspect, ...]] = {
    Kind.SPEED: (Aspect.SPEED, Aspect.SOURCE_FRAMES, Aspect.SOURCE_SAMPLES),
    Kind.MOTION: (
        Aspect.FIT,
        Aspect.POSITION,
        Aspect.SCALE,
        Aspect.SIZE,
        Aspect.ROTATION,
        Aspect.ANCHOR,
        Aspect.CROP,
        Aspect.CORNERS,
    ),
    Kind.OPACITY: (Aspect.OPACITY, Aspect.BLEND),
    Kind.TITLE: (
        Aspect.WORDS,
        Aspect.STYLE,
        Aspect.WORDS_PLACE,
        Aspect.ROLL,
        Aspect.ROLLING,
        Aspect.BAR,
        Aspect.TEMPLATE,
        Aspect.TITLE_SETTINGS,
    ),
    Kind.GENERATOR: (Aspect.GENERATOR, Aspect.GENERATOR_SETTINGS),
    Kind.FILTER: (Aspect.FILTERS, Aspect.FILTER_SETTINGS),
    Kind.LEVEL: (Aspect.LEVEL,),
    Kind.PAN: (Aspect.PAN,),
    Kind.FADE: (Aspect.FADE_IN, Aspect.FADE_OUT),
    Kind.CHANNELS: (Aspect.CHANNELS,),
    Kind.MUTE: (Aspect.MUTE, Aspect.SILENT),
    Kind.TRANSITION: (
        Aspect.MIX,
        Aspect.TRANSITION,
        Aspect.TRANSITION_LENGTH,
        Aspect.TRANSITION_NAME,
        Aspect.TRANSITION_COLOUR,
        Aspect.TRANSITION_PATTERN,
        Aspect.TRANSITION_DIRECTION,
        Aspect.TRANSITION_EDGE,
        Aspect.TRANSITION_SETTINGS,
    ),
    Kind.MARKER: (Aspect.MARKER, Aspect.MARKER_COLOUR, Aspect.MARKER_LENGTH, Aspect.MARKER_KIND),
    Kind.NESTED: (Aspect.NEST,),
    Kind.ANGLES: (Aspect.ANGLE, Aspect.ANGLES),
    Kind.TRACK: (
        Aspect.TRACK,
        Aspect.TRACK_ORDER,
        Aspect.TRACK_NAME,
        Aspect.TRACK_ENABLED,
        Aspect.TRACK_LOCKED,
        Aspect.STEM,
        Aspect.OUTPUT,
        Aspect.PICTURE_TRACKS,
        Aspect.SOUND_TRACKS,
        Aspect.ROLES,
    ),
    Kind.MEDIA: (
        Aspect.MEDIA,
        Aspect.ALPHA,
        Aspect.UNUSED_MEDIA,
        Aspect.MEDIA_PATH,
        Aspect.MEDIA_START,
        Aspect.MEDIA_FACTS,
        Aspect.REEL,
    ),
    Kind.METADATA: (Aspect.NAME, Aspect.LABEL, Aspect.NOTE, Aspect.METADATA, Aspect.UNREAD, Aspect.FOLDER),
    Kind.SETTINGS: (
        Aspect.RATE,
        Aspect.START,
        Aspect.FRAME_SIZE,
        Aspect.PIXEL_ASPECT,
        Aspect.FIELD_ORDER,
        Aspect.SAMPLE_RATE,
        Aspect.BIT_DEPTH,
        Aspect.AUDIO_LAYOUT,
        Aspect.MARKED,
        Aspect.LENGTH,
    ),
}
_UNITS = {
    Aspect.POSITION: "px",
    Aspect.SIZE: "px",
    Aspect.SCALE: "×",
    Aspect.ROTATION: "°",
    Aspect.ANCHOR: "of the source",
    Aspect.CROP: "of the source",
    Aspect.CORNERS: "of the source",
    Aspect.LEVEL: "dB",
    Aspect.FADE_IN: "dB",
    Aspect.FADE_OUT: "dB",
    Aspect.SOURCE_FRAMES: "fr",
    Aspect.SOURCE_SAMPLES: "samples",
    Aspect.EXTENT: "fr",
    Aspect.RECORD_START: "fr",
    Aspect.RECORD_END: "fr",
}
ABOUT: dict[Aspect, About] = {aspect: About(Kind.CLIP, _UNITS.get(aspect, "")) for aspect in Aspect} | {
    aspect: About(kind, _UNITS.get(aspect, "")) for kind, aspects in _KINDS.items() for aspect in aspects
}
"""Every aspect with what it is reported as; what is named nowhere else is a matter of the clip itself."""


def of_kind(*kinds: Kind) -> frozenset[Aspect]:
    """The aspects that are reported as one of some kinds."""
    return frozenset(aspect for aspect, about in ABOUT.items() if about.kind in kinds)
