"""The words of carry-over: what becomes of a thing, what can be chosen for it, why it happened, what the
cause may touch."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum, StrEnum

from wexodos.compare.aspects import Aspect, Kind

__all__ = ["FATE_OF", "MINUTES", "RULES", "Cause", "Fate", "Kind", "Promise", "Remedy", "Rule"]


class Fate(StrEnum):
    """What becomes of a thing on its way over."""

    CARRIED = "carried"
    ADAPTED = "adapted"
    BAKED = "baked"
    NOTED = "noted"
    LEFT = "left behind"


class Remedy(StrEnum):
    """What can be chosen for a finding."""

    ADAPT = "adapt"
    NOTE = "note"
    LEAVE = "leave"
    BAKE = "bake"


FATE_OF = {
    Remedy.ADAPT: Fate.ADAPTED,
    Remedy.NOTE: Fate.NOTED,
    Remedy.LEAVE: Fate.LEFT,
    Remedy.BAKE: Fate.BAKED,
}
REMEDY_OF = {fate: remedy for remedy, fate in FATE_OF.items()}
BAKED_NAMES = {
    "titles": Kind.TITLE,
    "nests": Kind.NESTED,
    "generators": Kind.GENERATOR,
    "speeds": Kind.SPEED,
    "filters": Kind.FILTER,
    "colour": Kind.COLOUR,
    "blends": Kind.OPACITY,
}
"""What a render can stand in for, as destinations and people name it."""
BAKED_KINDS = frozenset(BAKED_NAMES.values())
ONE_BY_ONE = frozenset({Kind.FILTER, Kind.COLOUR, Kind.OPACITY})
"""What is done to the picture of an item: of these some can be rendered and some not."""
BLEND_MODE = "blend mode"
"""What of an item's opacity can be rendered, with all that lies below it."""

MINUTES: dict[Kind, tuple[float, float]] = {
    Kind.CLIP: (1, 5),
    Kind.TRANSITION: (2, 3),
    Kind.SPEED: (4, 6),
    Kind.MOTION: (1, 5),
    Kind.OPACITY: (1, 2),
    Kind.TITLE: (3, 8),
    Kind.GENERATOR: (1, 2),
    Kind.FILTER: (2, 6),
    Kind.COLOUR: (3, 8),
    Kind.LEVEL: (0, 3),
    Kind.PAN: (0, 1),
    Kind.FADE: (0, 1),
    Kind.CHANNELS: (1, 2),
    Kind.MUTE: (0, 1),
    Kind.MARKER: (0, 0.5),
    Kind.NESTED: (2, 10),
    Kind.ANGLES: (1, 3),
    Kind.TRACK: (0, 0.5),
    Kind.MEDIA: (0, 1),
    Kind.SETTINGS: (1, 5),
    Kind.METADATA: (0, 0),
}
"""Repair budget: minutes for one thing of a kind, (adapted, noted or left behind). A destination may say
otherwise."""


class Promise(Enum):
    """What a cause says of picture and sound besides what it names; the second book measures it.

    ``SAME``: nothing that is seen or heard changes. ``CLOSE``: it stays within the deviation that the finding
    states. ``NAMED``: what changes is what the finding names, nothing is promised of it.
    """

    SAME = "same"
    CLOSE = "close"
    NAMED = "named"


class Cause(StrEnum):
    """Why the plan changes something. The value is the name under which decisions are kept."""

    # Spelling: no finding, nothing that anybody sees or hears
    SPELLED = "spelled otherwise"
    # Items that do not go
    NO_PICTURE_OR_SOUND = "picture or sound is not taken"
    TRACK_LIMIT = "track limit"
    DISABLED = "disabled clips"
    BEFORE_THE_START = "before the first frame"
    MEDIUM_UNKNOWN = "unknown medium"
    NO_GENERATOR = "generator"
    NO_ADJUSTMENT = "adjustment"
    NO_TITLE = "title"
    NO_FREEZE = "freeze left out"
    NO_ANGLE = "angle not found"
    NEST_STAYS = "nest cannot be unfolded"
    HOLLOW_NEST = "nothing inside goes"
    ALL_CHANNELS_OFF = "all channels off"
    NOTHING_TO_JOIN = "nothing to join"
    # Items that go otherwise
    OVERLAP = "overlap"
    CUT_AT_THE_START = "cut at the first frame"
    UNFOLDED = "nest unfolded"
    ONE_ANGLE = "one angle"
    STEMS_ON = "stems cannot be off"
    BETWEEN_FRAMES = "between frames"
    SOURCE_BETWEEN_FRAMES = "source between frames"
    SOURCE_BEYOND_CODES = "source beyond timecodes"
    BETWEEN_UNITS = "between edit units"
    SOURCE_BETWEEN_UNITS = "source between edit units"
    FADE_BETWEEN_UNITS = "fade between edit units"
    KEYS_OUTSIDE = "keyframes outside"
    KEYS_ON_MEDIUM = "keyframes on frames of the medium"
    REFERENCE = "reference picture"
    # Transitions
    NO_SUCH_TRANSITION = "no such transition"
    TRANSITION_SETTINGS = "transition settings"
    TRANSITION_BETWEEN_FRAMES = "transition between frames"
    TRANSITION_BEFORE_SOURCE = "transition before the source"
    TRANSITION_IS_FADE = "transition as fade"
    BORDER_COLOUR = "border colour"
    ON_THE_EDIT = "transition on the edit"
    TRANSITION_LOOKS = "looks of a listed transition"
    # Speed
    NO_SUCH_SPEED = "no such speed"
    SPEED_POINTS = "rounded speed points"
    SPEED_DECIMALS = "speed in decimals"
    SPEED_RENDERED = "speed rendered"
    # Motion
    NO_SUCH_MOTION = "no such motion"
    SCALES_TOGETHER = "width and height together"
    CROP_STANDS = "crop stands still"
    KEYS_FOLLOWED = "keys followed"
    KEYS_STRAIGHT = "keys straight"
    SIZING = "sizing left out"
    ANCHOR_CENTRED = "anchor centred"
    ANCHOR_MOVES = "moving anchor"
    WHOLE_IN_FRAME = "whole in the frame"
    # Looks
    NO_BLEND = "blend mode"
    NO_ALPHA = "alpha"
    NO_FILTER = "filter"
    FILTER_FOLLOWED = "filter keys followed"
    FILTER_OFF = "filter switched off"
    ONE_COLOUR_DECISION = "one colour decision"
    COLOUR_DECISION_STANDS = "colour decision stands still"
    BAKED = "baked"
    BAKED_WITH_BELOW = "baked with what lies below"
    SEEN_AS_RENDER = "seen as a render"
    # Words
    TITLE_STANDS = "moving words stand"
    NO_BAR = "bar behind words"
    BAR_APART = "bar as an item"
    TITLE_TEMPLATE = "title template"
    TITLE_STYLE = "style of words"
    GENERATOR_SETTINGS = "generator settings"
    SEE_THROUGH = "see-through colour"
    # Sound
    FADES_AS_LEVELS = "fades as levels"
    NO_LEVELS = "no levels"
    LOUDEST = "loudest level"
    LEVELS_FOLLOWED = "levels followed"
    LEVELS_STRAIGHT = "levels straight"
    NO_PANS = "no pans"
    NO_MUTES = "no mutes"
    OFF_WITH_ITS_CLIP = "off with its clip"
    MUTED_STAY_AWAY = "muted channels stay away"
    NEST_CHANNELS = "channels of a nest"
    # Names and notes
    UNNAMED = "clips must have names"
    PLAIN_NAMES = "plain names"
    NO_LABELS = "labels"
    NO_FIELDS = "metadata"
    NO_NOTES = "notes"
    NOT_UNDERSTOOD = "not understood"
    # Tracks
    TRACK_WORDS = "what a track says"
    BY_STEM = "by stem"
    NO_PICTURE_TRACKS = "no picture tracks"
    EMPTY_TRACK = "empty track"
    # Markers
    NO_MARKERS = "no markers"
    MARKER_ON_SEQUENCE = "marker on the sequence"
    MARKER_OUTSIDE = "marker outside"
    MARKER_WORDS = "what a marker says"
    REPORT_MARKERS = "findings as markers"
    # Settings, media
    ONE_SAMPLE_RATE = "one sample rate"
    NO_RANGE = "marked range"
    NO_LINKS = "links"
    NO_PIXEL_ASPECT = "pixel aspect"
    NO_SETTING = "setting"
    PROJECT_RATE = "rate of the project"
    REELS = "reels"
    SOUND_MADE = "sound made"
    BEFORE_THE_MEDIUM = "before the first frame of the medium"
    PAST_THE_MEDIUM = "past the end of the medium"
    SIZE_ASSUMED = "size assumed"
    START_UNKNOWN = "source timecode not known"


BAKED_FOR = frozenset(
    {
        Cause.TITLE_TEMPLATE,
        Cause.TITLE_STYLE,
        Cause.GENERATOR_SETTINGS,
        Cause.SPEED_DECIMALS,
        Cause.UNFOLDED,
        Cause.NEST_STAYS,
        Cause.NO_BLEND,
    }
)
"""Causes that leave nothing to choose but to render the thing instead."""


@dataclass(frozen=True, slots=True)
class Rule:
    """What a cause is about, which aspects it may touch, and what it promises of the rest. ``wholesale``: it
    befalls everything of a sort alike and is told once, whatever it befalls."""

    kind: Kind
    touches: frozenset[Aspect]
    promise: Promise = Promise.NAMED
    wholesale: bool = False


_GOES = (Aspect.PRESENCE, Aspect.MARKER)
_PLACES = (Aspect.RECORD_START, Aspect.RECORD_END, Aspect.SOURCE_IN)
_LOOKS = (
    Aspect.TRANSITION_COLOUR,
    Aspect.TRANSITION_PATTERN,
    Aspect.TRANSITION_DIRECTION,
    Aspect.TRANSITION_EDGE,
    Aspect.TRANSITION_SETTINGS,
    Aspect.TRANSITION_NAME,
)
_SIZING = (
    Aspect.POSITION,
    Aspect.SCALE,
    Aspect.ROTATION,
    Aspect.ANCHOR,
    Aspect.CROP,
    Aspect.CORNERS,
)


_RENDERED = (
    Aspect.CONTENT,
    Aspect.MEDIA,
    Aspect.PRESENCE,
    Aspect.SOURCE_IN,
    Aspect.SPEED,
    Aspect.ALPHA,
    Aspect.NOTE,
    Aspect.STILL,
    Aspect.FILTERS,
)


def _rule(kind: Kind, *touches: Aspect, promise: Promise = Promise.NAMED, wholesale: bool = False) -> Rule:
    return Rule(kind, frozenset(touches), promise, wholesale)


RULES: dict[Cause, Rule] = {
    Cause.SPELLED: _rule(
        Kind.CLIP,
        Aspect.LEVEL,
        Aspect.ALPHA,
        Aspect.SOURCE_IN,
        Aspect.FADE_IN,
        Aspect.FADE_OUT,
        Aspect.TRANSITION_LENGTH,
        Aspect.OUTPUT,
        Aspect.STEM,
        Aspect.TRACK_NAME,
        Aspect.PIXEL_ASPECT,
        Aspect.SAMPLE_RATE,
        Aspect.LENGTH,
        Aspect.FILTERS,
        Aspect.FILTER_SETTINGS,
        Aspect.FIT,
        Aspect.MUTE,
        Aspect.SPELLING,
        Aspect.TRANSITION_EDGE,
        Aspect.TRANSITION_PATTERN,
        Aspect.METADATA,
        Aspect.DROP_FRAME,
        Aspect.MEDIA_FACTS,
        Aspect.FRAME_SIZE,
        Aspect.TRANSITION_DIRECTION,
        promise=Promise.SAME,
    ),
    Cause.NO_PICTURE_OR_SOUND: _rule(Kind.CLIP, *_GOES, wholesale=True),
    Cause.TRACK_LIMIT: _rule(Kind.CLIP, *_GOES, wholesale=True),
    Cause.DISABLED: _rule(Kind.CLIP, *_GOES, wholesale=True),
    Cause.BEFORE_THE_START: _rule(Kind.CLIP, *_GOES, wholesale=True),
    Cause.MEDIUM_UNKNOWN: _rule(Kind.CLIP, *_GOES),
    Cause.NO_GENERATOR: _rule(Kind.GENERATOR, *_GOES),
    Cause.NO_ADJUSTMENT: _rule(Kind.FILTER, *_GOES),
    Cause.NO_TITLE: _rule(Kind.TITLE, *_GOES),
    Cause.NO_FREEZE: _rule(Kind.SPEED, *_GOES),
    Cause.NO_ANGLE: _rule(Kind.ANGLES, *_GOES),
    Cause.NEST_STAYS: _rule(Kind.NESTED, *_GOES),
    Cause.SEEN_AS_RENDER: _rule(Kind.NESTED, *_GOES, Aspect.TRACK_ORDER),
    Cause.HOLLOW_NEST: _rule(Kind.NESTED, *_GOES),
    Cause.ALL_CHANNELS_OFF: _rule(Kind.CLIP, *_GOES),
    Cause.NOTHING_TO_JOIN: _rule(Kind.TRANSITION, Aspect.PRESENCE, wholesale=True),
    Cause.OVERLAP: _rule(Kind.TRACK, Aspect.TRACK, Aspect.TRACK_ORDER),
    Cause.CUT_AT_THE_START: _rule(
        Kind.CLIP,
        *_PLACES,
        Aspect.SPEED,
        Aspect.MARKER,
        Aspect.LEVEL,
        Aspect.PAN,
        Aspect.FADE_IN,
        Aspect.FADE_OUT,
        *_SIZING,
        Aspect.OPACITY,
        Aspect.FILTER_SETTINGS,
    ),
    Cause.UNFOLDED: _rule(Kind.NESTED, *_GOES, Aspect.TRACK_ORDER),
    Cause.ONE_ANGLE: _rule(Kind.ANGLES, Aspect.CONTENT, Aspect.SOURCE_IN, Aspect.CHANNELS),
    Cause.STEMS_ON: _rule(Kind.MUTE, Aspect.SILENT),
    Cause.BETWEEN_FRAMES: _rule(Kind.CLIP, *_PLACES),
    Cause.SOURCE_BETWEEN_FRAMES: _rule(Kind.CLIP, Aspect.SOURCE_IN),
    Cause.SOURCE_BEYOND_CODES: _rule(Kind.CLIP, Aspect.SOURCE_IN),
    Cause.BETWEEN_UNITS: _rule(Kind.CLIP, *_PLACES),
    Cause.SOURCE_BETWEEN_UNITS: _rule(Kind.CLIP, Aspect.SOURCE_IN),
    Cause.FADE_BETWEEN_UNITS: _rule(Kind.FADE, Aspect.FADE_IN, Aspect.FADE_OUT, promise=Promise.CLOSE),
    Cause.KEYS_OUTSIDE: _rule(
        Kind.MOTION,
        *_SIZING,
        Aspect.OPACITY,
        Aspect.LEVEL,
        Aspect.PAN,
        Aspect.SPEED,
        Aspect.SOURCE_IN,
        Aspect.FILTER_SETTINGS,
        promise=Promise.SAME,
        wholesale=True,
    ),
    Cause.KEYS_ON_MEDIUM: _rule(
        Kind.MOTION, *_SIZING, Aspect.OPACITY, Aspect.LEVEL, Aspect.PAN, Aspect.FILTER_SETTINGS
    ),
    Cause.REFERENCE: _rule(Kind.TRACK, Aspect.PRESENCE, Aspect.TRACK_ORDER, Aspect.MEDIA),
    Cause.NO_SUCH_TRANSITION: _rule(Kind.TRANSITION, Aspect.PRESENCE, Aspect.TRANSITION, *_LOOKS),
    Cause.TRANSITION_SETTINGS: _rule(Kind.TRANSITION, Aspect.TRANSITION_SETTINGS),
    Cause.TRANSITION_BETWEEN_FRAMES: _rule(Kind.TRANSITION, Aspect.TRANSITION_LENGTH),
    Cause.TRANSITION_BEFORE_SOURCE: _rule(Kind.TRANSITION, Aspect.TRANSITION_LENGTH, Aspect.PRESENCE),
    Cause.TRANSITION_IS_FADE: _rule(
        Kind.TRANSITION, Aspect.PRESENCE, Aspect.FADE_IN, Aspect.FADE_OUT, promise=Promise.SAME
    ),
    Cause.BORDER_COLOUR: _rule(Kind.TRANSITION, Aspect.TRANSITION_EDGE),
    Cause.ON_THE_EDIT: _rule(
        Kind.TRANSITION,
        Aspect.TRANSITION_LENGTH,
        Aspect.TRANSITION_EDGE,
        Aspect.TRANSITION_PATTERN,
        Aspect.MARKER,
        *_PLACES,
        promise=Promise.SAME,
    ),
    Cause.TRANSITION_LOOKS: _rule(
        Kind.TRANSITION,
        Aspect.PRESENCE,
        Aspect.TRANSITION_LENGTH,
        Aspect.TRANSITION_EDGE,
        Aspect.TRANSITION_PATTERN,
    ),
    Cause.NO_SUCH_SPEED: _rule(Kind.SPEED, Aspect.SPEED, Aspect.SOURCE_IN, Aspect.MARKER),
    Cause.SPEED_POINTS: _rule(Kind.SPEED, Aspect.SPEED, promise=Promise.SAME),
    Cause.SPEED_DECIMALS: _rule(Kind.SPEED, Aspect.SPEED, promise=Promise.CLOSE),
    Cause.SPEED_RENDERED: _rule(Kind.SPEED),
    Cause.NO_SUCH_MOTION: _rule(Kind.MOTION, *_SIZING, Aspect.OPACITY),
    Cause.SCALES_TOGETHER: _rule(Kind.MOTION, Aspect.SCALE),
    Cause.CROP_STANDS: _rule(Kind.MOTION, Aspect.CROP),
    Cause.KEYS_FOLLOWED: _rule(Kind.MOTION, *_SIZING, Aspect.OPACITY, promise=Promise.CLOSE),
    Cause.KEYS_STRAIGHT: _rule(Kind.MOTION, *_SIZING, Aspect.OPACITY),
    Cause.SIZING: _rule(Kind.MOTION, *_SIZING),
    Cause.ANCHOR_CENTRED: _rule(Kind.MOTION, Aspect.ANCHOR, Aspect.POSITION, promise=Promise.SAME),
    Cause.ANCHOR_MOVES: _rule(Kind.MOTION, Aspect.ANCHOR),
    Cause.WHOLE_IN_FRAME: _rule(Kind.MOTION, Aspect.FIT),
    Cause.NO_BLEND: _rule(Kind.OPACITY, Aspect.BLEND),
    Cause.NO_ALPHA: _rule(Kind.MEDIA, Aspect.ALPHA),
    Cause.NO_FILTER: _rule(Kind.FILTER, Aspect.FILTERS, Aspect.MARKER),
    Cause.FILTER_FOLLOWED: _rule(Kind.FILTER, Aspect.FILTER_SETTINGS, promise=Promise.CLOSE),
    Cause.FILTER_OFF: _rule(Kind.FILTER, Aspect.FILTERS),
    Cause.ONE_COLOUR_DECISION: _rule(Kind.COLOUR, Aspect.FILTERS),
    Cause.COLOUR_DECISION_STANDS: _rule(Kind.COLOUR, Aspect.FILTERS, Aspect.FILTER_SETTINGS),
    Cause.BAKED: _rule(Kind.CLIP, *_RENDERED),
    Cause.BAKED_WITH_BELOW: _rule(Kind.CLIP, *_RENDERED, *_SIZING, Aspect.OPACITY, Aspect.BLEND, Aspect.FIT),
    Cause.TITLE_STANDS: _rule(Kind.TITLE, Aspect.ROLL, Aspect.SPELLING),
    Cause.NO_BAR: _rule(Kind.TITLE, Aspect.BAR, Aspect.SPELLING),
    Cause.BAR_APART: _rule(Kind.TITLE, Aspect.BAR, Aspect.SPELLING, Aspect.PRESENCE, Aspect.TRACK_ORDER),
    Cause.TITLE_TEMPLATE: _rule(Kind.TITLE, Aspect.TEMPLATE, Aspect.TITLE_SETTINGS, Aspect.SPELLING),
    Cause.TITLE_STYLE: _rule(Kind.TITLE, Aspect.STYLE, Aspect.WORDS_PLACE),
    Cause.GENERATOR_SETTINGS: _rule(Kind.GENERATOR, Aspect.GENERATOR_SETTINGS, Aspect.SPELLING),
    Cause.SEE_THROUGH: _rule(Kind.GENERATOR, Aspect.GENERATOR, Aspect.OPACITY),
    Cause.FADES_AS_LEVELS: _rule(
        Kind.FADE, Aspect.LEVEL, Aspect.FADE_IN, Aspect.FADE_OUT, promise=Promise.CLOSE
    ),
    Cause.NO_LEVELS: _rule(Kind.LEVEL, Aspect.LEVEL),
    Cause.LOUDEST: _rule(Kind.LEVEL, Aspect.LEVEL, promise=Promise.CLOSE),
    Cause.LEVELS_FOLLOWED: _rule(Kind.LEVEL, Aspect.LEVEL, promise=Promise.CLOSE),
    Cause.LEVELS_STRAIGHT: _rule(Kind.LEVEL, Aspect.LEVEL, promise=Promise.CLOSE),
    Cause.NO_PANS: _rule(Kind.PAN, Aspect.PAN),
    Cause.NO_MUTES: _rule(Kind.MUTE, Aspect.MUTE),
    Cause.OFF_WITH_ITS_CLIP: _rule(Kind.MUTE, Aspect.MUTE, Aspect.ENABLED, promise=Promise.SAME),
    Cause.MUTED_STAY_AWAY: _rule(Kind.MUTE, Aspect.MUTE, Aspect.CHANNELS, Aspect.PAN, promise=Promise.SAME),
    Cause.NEST_CHANNELS: _rule(Kind.CHANNELS, Aspect.CHANNELS, Aspect.MUTE),
    Cause.UNNAMED: _rule(Kind.METADATA, Aspect.NAME),
    Cause.PLAIN_NAMES: _rule(Kind.METADATA, Aspect.NAME),
    Cause.NO_LABELS: _rule(Kind.METADATA, Aspect.LABEL),
    Cause.NO_FIELDS: _rule(Kind.METADATA, Aspect.METADATA, wholesale=True),
    Cause.NO_NOTES: _rule(Kind.METADATA, Aspect.NOTE),
    Cause.NOT_UNDERSTOOD: _rule(Kind.METADATA, Aspect.UNREAD, wholesale=True),
    Cause.TRACK_WORDS: _rule(
        Kind.TRACK,
        Aspect.TRACK_NAME,
        Aspect.STEM,
        Aspect.TRACK_LOCKED,
        Aspect.TRACK_ENABLED,
        Aspect.OUTPUT,
        Aspect.ENABLED,
        Aspect.ROLES,
    ),
    Cause.BY_STEM: _rule(Kind.TRACK, Aspect.TRACK_ORDER),
    Cause.NO_PICTURE_TRACKS: _rule(Kind.TRACK, Aspect.TRACK_ORDER),
    Cause.EMPTY_TRACK: _rule(Kind.TRACK, Aspect.TRACK_ORDER),
    Cause.NO_MARKERS: _rule(Kind.MARKER, Aspect.PRESENCE, Aspect.MARKER),
    Cause.MARKER_ON_SEQUENCE: _rule(Kind.MARKER, Aspect.PRESENCE, Aspect.MARKER),
    Cause.MARKER_OUTSIDE: _rule(Kind.MARKER, Aspect.PRESENCE, Aspect.MARKER),
    Cause.MARKER_WORDS: _rule(
        Kind.MARKER, Aspect.MARKER, Aspect.MARKER_COLOUR, Aspect.MARKER_KIND, Aspect.MARKER_LENGTH
    ),
    Cause.REPORT_MARKERS: _rule(Kind.MARKER, Aspect.MARKER),
    Cause.ONE_SAMPLE_RATE: _rule(Kind.SETTINGS, Aspect.SAMPLE_RATE),
    Cause.NO_RANGE: _rule(Kind.METADATA, Aspect.MARKED),
    Cause.NO_LINKS: _rule(Kind.METADATA, Aspect.LINK),
    Cause.NO_PIXEL_ASPECT: _rule(Kind.SETTINGS, Aspect.PIXEL_ASPECT),
    Cause.NO_SETTING: _rule(
        Kind.SETTINGS,
        Aspect.PIXEL_ASPECT,
        Aspect.FIELD_ORDER,
        Aspect.NAME,
        Aspect.FRAME_SIZE,
        Aspect.BIT_DEPTH,
        Aspect.AUDIO_LAYOUT,
        Aspect.NOTE,
        Aspect.FOLDER,
        Aspect.METADATA,
    ),
    Cause.PROJECT_RATE: _rule(Kind.SETTINGS),
    Cause.REELS: _rule(Kind.MEDIA, Aspect.REEL),
    Cause.SOUND_MADE: _rule(Kind.MEDIA),
    Cause.BEFORE_THE_MEDIUM: _rule(Kind.CLIP, Aspect.SOURCE_IN, Aspect.SPEED),
    Cause.PAST_THE_MEDIUM: _rule(Kind.MEDIA, Aspect.MEDIA_FACTS),
    Cause.SIZE_ASSUMED: _rule(Kind.MEDIA, Aspect.MEDIA_FACTS, wholesale=True),
    Cause.START_UNKNOWN: _rule(Kind.MEDIA),
}
"""One row for every cause; a test holds that none is missing and that each touches what its step changes."""
