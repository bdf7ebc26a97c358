"""Which field of the model is which aspect, and what differs between two values of one thing: exactly, field
by field.

A field of the model stands here or has its place in ``APART``; a test holds that, so that nothing added to
the model goes unseen by the books.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, fields
from operator import attrgetter
from typing import Any, TypeAlias

from wexodos.compare.aspects import Aspect
from wexodos.model import (
    Adjustment,
    Angles,
    Generator,
    Item,
    Marker,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    Sound,
    Title,
    Track,
    Transition,
)

Thing: TypeAlias = Item | Transition | Marker | Track | Sequence | Media


@dataclass(frozen=True, slots=True)
class Changed:
    """One aspect of a thing that differs, with both values as they stand in the model."""

    aspect: Aspect
    before: Any
    after: Any


FIELDS: dict[type, dict[str, Aspect]] = {
    Item: {
        "name": Aspect.NAME,
        "start": Aspect.RECORD_START,
        "source_in": Aspect.SOURCE_IN,
        "speed": Aspect.SPEED,
        "enabled": Aspect.ENABLED,
        "blend": Aspect.BLEND,
        "alpha": Aspect.ALPHA,
        "markers": Aspect.MARKER,
        "link": Aspect.LINK,
        "drop_frame": Aspect.DROP_FRAME,
        "note": Aspect.NOTE,
        "label": Aspect.LABEL,
        "metadata": Aspect.METADATA,
        "raw": Aspect.UNREAD,
        "still": Aspect.STILL,
    },
    Motion: {
        "fit": Aspect.FIT,
        "position": Aspect.POSITION,
        "scale": Aspect.SCALE,
        "rotation": Aspect.ROTATION,
        "anchor": Aspect.ANCHOR,
        "crop": Aspect.CROP,
        "corners": Aspect.CORNERS,
        "opacity": Aspect.OPACITY,
    },
    Sound: {
        "channels": Aspect.CHANNELS,
        "level": Aspect.LEVEL,
        "pan": Aspect.PAN,
        "fade_in": Aspect.FADE_IN,
        "fade_out": Aspect.FADE_OUT,
        "muted": Aspect.MUTE,
        "roles": Aspect.ROLES,
    },
    MediaUse: {"media": Aspect.MEDIA, "stream": Aspect.MEDIA},
    NestedUse: {"sequence": Aspect.NEST, "silent": Aspect.SILENT},
    Angles: {
        "angles": Aspect.ANGLES,
        "video": Aspect.ANGLE,
        "audio": Aspect.ANGLE,
        "name": Aspect.ANGLES,
        "id": Aspect.ANGLES,
    },
    Title: {
        "origin": Aspect.WORDS_PLACE,
        "roll": Aspect.ROLL,
        "bar": Aspect.BAR,
        "template": Aspect.TEMPLATE,
        "words_known": Aspect.WORDS,
        "parameters": Aspect.TITLE_SETTINGS,
        "raw": Aspect.SPELLING,
    },
    Generator: {
        "kind": Aspect.GENERATOR,
        "name": Aspect.GENERATOR,
        "color": Aspect.GENERATOR,
        "parameters": Aspect.GENERATOR_SETTINGS,
        "raw": Aspect.SPELLING,
    },
    Adjustment: {},
    Transition: {
        "name": Aspect.TRANSITION_NAME,
        "type": Aspect.TRANSITION,
        "start": Aspect.TRANSITION_LENGTH,
        "duration": Aspect.TRANSITION_LENGTH,
        "cut": Aspect.TRANSITION_LENGTH,
        "color": Aspect.TRANSITION_COLOUR,
        "pattern": Aspect.TRANSITION_PATTERN,
        "direction": Aspect.TRANSITION_DIRECTION,
        "softness": Aspect.TRANSITION_EDGE,
        "border": Aspect.TRANSITION_EDGE,
        "border_color": Aspect.TRANSITION_EDGE,
        "parameters": Aspect.TRANSITION_SETTINGS,
        "raw": Aspect.TRANSITION_SETTINGS,
    },
    Marker: {
        "start": Aspect.MARKER,
        "duration": Aspect.MARKER_LENGTH,
        "name": Aspect.MARKER,
        "comment": Aspect.MARKER,
        "color": Aspect.MARKER_COLOUR,
        "kind": Aspect.MARKER_KIND,
        "done": Aspect.MARKER_KIND,
    },
    Track: {
        "kind": Aspect.TRACK_ORDER,
        "name": Aspect.TRACK_NAME,
        "enabled": Aspect.TRACK_ENABLED,
        "locked": Aspect.TRACK_LOCKED,
        "stem": Aspect.STEM,
        "raw": Aspect.UNREAD,
        "output": Aspect.OUTPUT,
    },
    Sequence: {
        "name": Aspect.NAME,
        "rate": Aspect.RATE,
        "start": Aspect.START,
        "drop_frame": Aspect.START,
        "width": Aspect.FRAME_SIZE,
        "height": Aspect.FRAME_SIZE,
        "pixel_aspect": Aspect.PIXEL_ASPECT,
        "field_order": Aspect.FIELD_ORDER,
        "sample_rate": Aspect.SAMPLE_RATE,
        "bit_depth": Aspect.BIT_DEPTH,
        "audio_layout": Aspect.AUDIO_LAYOUT,
        "stated_duration": Aspect.LENGTH,
        "note": Aspect.NOTE,
        "folder": Aspect.FOLDER,
        "metadata": Aspect.METADATA,
        "raw": Aspect.UNREAD,
        "marked": Aspect.MARKED,
    },
    Media: {
        "name": Aspect.MEDIA,
        "path": Aspect.MEDIA_PATH,
        "reel": Aspect.REEL,
        "start": Aspect.MEDIA_START,
        "drop_frame": Aspect.MEDIA_START,
        "duration": Aspect.MEDIA_FACTS,
        "rate": Aspect.MEDIA_FACTS,
        "width": Aspect.MEDIA_FACTS,
        "height": Aspect.MEDIA_FACTS,
        "pixel_aspect": Aspect.PIXEL_ASPECT,
        "field_order": Aspect.MEDIA_FACTS,
        "channels": Aspect.MEDIA_FACTS,
        "sample_rate": Aspect.MEDIA_FACTS,
        "bit_depth": Aspect.MEDIA_FACTS,
        "video": Aspect.MEDIA_FACTS,
        "audio": Aspect.MEDIA_FACTS,
        "still": Aspect.MEDIA_FACTS,
        "synthetic": Aspect.MEDIA_FACTS,
        "alpha": Aspect.MEDIA_FACTS,
        "uid": Aspect.MEDIA_FACTS,
        "proxy_path": Aspect.MEDIA_PATH,
        "folder": Aspect.FOLDER,
        "metadata": Aspect.METADATA,
        "raw": Aspect.UNREAD,
    },
}
APART: dict[type, dict[str, str]] = {
    Item: {
        "id": "the thing itself: another id is another thing",
        "duration": "told by the record end",
        "content": "field by field, by what is shown",
        "motion": "field by field",
        "sound": "field by field",
        "effects": "as filters, and as their settings where the filters are the same",
    },
    Title: {"runs": "as words, and as style where the words are the same"},
    Transition: {"id": "the thing itself"},
    Track: {"items": "things of their own", "transitions": "things of their own"},
    Media: {
        "id": "the thing itself",
        "embedded": "where its sound is taken from here; what is written has its own place for it",
    },
    Sequence: {
        "id": "the thing itself",
        "tracks": "things of their own",
        "markers": "things of their own",
        "top_level": "how the document uses it",
    },
}
"""Fields that are compared otherwise, and how."""

_LOOKS: dict[type, tuple[tuple[Aspect, ...], Callable[[Any], Any]]] = {
    one: (tuple(aspects.values()), attrgetter(*aspects)) for one, aspects in FIELDS.items() if aspects
}
"""What to get of a value to compare it; more than one thing each, of one a getter makes no row."""
_NO_MOTION, _NO_SOUND = Motion(), Sound()


def changed(before: Thing, after: Thing) -> list[Changed]:
    """Every aspect in which two values of one thing differ; none where they are equal."""
    if before is after:
        return []
    found = _fields(before, after)
    if isinstance(before, Item) and isinstance(after, Item):
        found += _item(before, after)
    return found


def _fields(before: Any, after: Any) -> list[Changed]:
    found: dict[Aspect, Changed] = {}
    if type(before) not in _LOOKS:
        return []
    aspects, values = _LOOKS[type(before)]
    for aspect, one, other in zip(aspects, values(before), values(after)):
        if one is not other and one != other and aspect not in found:
            found[aspect] = Changed(aspect, one, other)
    return list(found.values())


def _item(before: Item, after: Item) -> list[Changed]:
    found = []
    if before.end != after.end:
        found.append(Changed(Aspect.RECORD_END, before.end, after.end))
    if before.content is not after.content and before.content != after.content:
        found += _content(before, after)
    if before.motion is not after.motion:
        found += _fields(before.motion or _NO_MOTION, after.motion or _NO_MOTION)
    if before.sound is not after.sound:
        found += _fields(before.sound or _NO_SOUND, after.sound or _NO_SOUND)
    filters = [one.effects for one in (before, after)]
    if filters[0] is not filters[1] and filters[0] != filters[1]:
        aspect = Aspect.FILTER_SETTINGS if _filters(before) == _filters(after) else Aspect.FILTERS
        found.append(Changed(aspect, *filters))
    return found


def _filters(item: Item) -> list[tuple[str, str, bool]]:
    return [(effect.kind, effect.name, effect.enabled) for effect in item.effects]


def _content(before: Item, after: Item) -> list[Changed]:
    one, other = before.content, after.content
    if type(one) is not type(other):
        return [Changed(Aspect.CONTENT, before.kind, after.kind)]
    found = _fields(one, other)
    if isinstance(one, Title) and isinstance(other, Title) and one.runs != other.runs:
        same = one.words == other.words
        found.append(Changed(Aspect.STYLE if same else Aspect.WORDS, one.runs, other.runs))
    return found


def field_names() -> dict[type, set[str]]:
    """The fields of every class of the model that the books tell apart."""
    return {one: {field.name for field in fields(one) if field.init} for one in FIELDS}
