"""A cut as an .otio file.

What the format has words for stands in its own words: tracks, clips, gaps, transitions, speeds, markers,
media and their ranges. Everything else, and every exact number, stands beside it as metadata under
``wexodos``.
"""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from typing import Any

import opentimelineio as otio
from opentimelineio import opentime, schema

from wexodos.formats.numbering import pattern_of
from wexodos.formats.paths import locator_of
from wexodos.model import (
    Angles,
    Constant,
    Document,
    Fade,
    Generator,
    Item,
    Marker,
    Media,
    MediaUse,
    NestedUse,
    Sequence,
    Title,
    Track,
    Transition,
)
from wexodos.model.plain import to_plain
from wexodos.model.speed import is_freeze
from wexodos.timing import Exact, Rate

OURS = "wexodos"
COLORS = {
    "RED": "#ff0000ff",
    "PINK": "#ff80c0ff",
    "ORANGE": "#ff8000ff",
    "YELLOW": "#ffff00ff",
    "GREEN": "#00ff00ff",
    "CYAN": "#00ffffff",
    "BLUE": "#0000ffff",
    "PURPLE": "#8000ffff",
    "MAGENTA": "#ff00ffff",
    "BLACK": "#000000ff",
    "WHITE": "#ffffffff",
}
NAMES = {"dissolve": "SMPTE_Dissolve"}


def write(document: Document, sequence_id: str, version: str, how: object = None) -> bytes:
    """The bytes of an .otio file that holds one sequence and all that it uses."""
    return _text(_timelines(document, (sequence_id,))[0])


def write_several(document: Document, sequence_ids: tuple[str, ...], version: str) -> bytes:
    """The same of several sequences: a collection of timelines, in their order."""
    held = schema.SerializableCollection("sequences")
    for one in _timelines(document, sequence_ids):
        held.append(one)
    return _text(held)


def _timelines(document: Document, sequence_ids: tuple[str, ...]) -> list[Any]:
    """A timeline for each sequence; what belongs to the whole stands with the first one."""
    maker, made = _Maker(document), []
    for key in sequence_ids:
        sequence = document.sequences_by_id[key]
        timeline = schema.Timeline(sequence.name)
        timeline.global_start_time = opentime.RationalTime(sequence.start, _rate(sequence.rate))
        timeline.tracks = maker.stack(sequence)
        timeline.metadata[OURS] = {
            "format": document.format,
            "version": document.version,
            "sequence": maker.facts(sequence),
        }
        made.append(timeline)
    used = set(maker.media)
    of_all = made[0].metadata[OURS]
    of_all["media"] = [_facts(media) for media in document.media if media.id not in used]
    of_all["folders"] = [to_plain(folder) for folder in document.folders]
    of_all["raw"] = [to_plain(raw) for raw in document.raw]
    return made


def _text(held: Any) -> bytes:
    return str(otio.adapters.write_to_string(held, "otio_json")).encode("utf-8")


def _rate(rate: Rate) -> float:
    return rate.numerator / rate.denominator


def time_of(frames: Exact, rate: Rate) -> Any:
    return opentime.RationalTime(float(Fraction(frames)), _rate(rate))


def range_of(start: Exact, duration: Exact, rate: Rate) -> Any:
    return opentime.TimeRange(time_of(start, rate), time_of(duration, rate))


class _Maker:
    def __init__(self, document: Document) -> None:
        self.document = document
        self.media: dict[str, Any] = {}
        self.inside: list[str] = []
        self.cut_angles: set[str] = set()

    def facts(self, sequence: Sequence) -> Any:
        return to_plain(sequence, frozenset({"tracks", "markers"}))

    def stack(self, sequence: Sequence) -> Any:
        """The tracks of a sequence, pictures from the bottom up, then sound."""
        made = schema.Stack(sequence.name or "tracks")
        for track in sequence.tracks:
            made.append(self.track(track, sequence))
        for marker in sequence.markers:
            made.markers.append(_marker(marker, sequence.rate))
        return made

    def track(self, track: Track, sequence: Sequence) -> Any:
        kind = schema.TrackKind.Video if track.kind == "video" else schema.TrackKind.Audio
        made = schema.Track(track.name, kind=kind)
        made.enabled = track.enabled
        made.metadata[OURS] = {"track": to_plain(track, frozenset({"items", "transitions"}))}
        joins = {one.cut: one for one in track.transitions}
        cursor: Exact = 0
        last: Transition | None = None
        for item in track.items:
            if item.start > cursor:
                made.append(_gap(item.start - cursor, sequence.rate))
                last = None
            into = joins.get(item.start)
            if into is not None and into is not last:
                made.append(_transition(into, sequence.rate))
            elif into is None and item.sound is not None and item.sound.fade_in is not None:
                if len(made) and isinstance(made[-1], schema.Transition):
                    # Two transitions never stand side by side.
                    made.append(_gap(0, sequence.rate))
                made.append(_fade(item.sound.fade_in, sequence.rate, into=True))
            made.append(self.item(item, sequence))
            cursor, last = item.end, joins.get(item.end)
            if last is not None:
                made.append(_transition(last, sequence.rate))
            elif item.sound is not None and item.sound.fade_out is not None:
                made.append(_fade(item.sound.fade_out, sequence.rate, into=False))
        return made

    def item(self, item: Item, sequence: Sequence) -> Any:
        content = item.content
        if (
            isinstance(content, NestedUse)
            and content.sequence in self.document.sequences_by_id
            and content.sequence not in self.inside
        ):
            nested = self.document.sequences_by_id[content.sequence]
            made = self.nest(nested)
            made.name = item.name
            made.source_range = range_of(
                nested.rate.frames(item.source_in),
                nested.rate.frames(sequence.rate.seconds(item.duration)),
                nested.rate,
            )
        else:
            made = schema.Clip(item.name)
            made.media_reference = self.reference(item, sequence)
            media = self.document.media_by_id.get(content.media) if isinstance(content, MediaUse) else None
            rate = media.rate if media is not None and media.rate is not None else sequence.rate
            first = (media.start or 0) if media is not None and media.rate is not None else 0
            made.source_range = range_of(
                first + rate.frames(item.source_in), rate.frames(sequence.rate.seconds(item.duration)), rate
            )
            made.metadata[OURS] = {}
        made.enabled = item.enabled
        made.metadata[OURS]["item"] = to_plain(item, frozenset({"markers"}))
        if isinstance(content, Angles):
            # All angles stand in the metadata of the item; their media have to be told too.
            made.metadata[OURS]["media"] = [
                _facts(self._told(angle.media))
                for angle in content.angles
                if angle.media in self.document.media_by_id
            ]
            made.metadata[OURS]["angles"] = list(self.angles(content))
        for effect in item.effects:
            made.effects.append(schema.Effect(effect.name, effect.kind))
        if is_freeze(item.speed):
            made.effects.append(schema.FreezeFrame())
        elif isinstance(item.speed, Constant) and item.speed.rate != 1:
            made.effects.append(schema.LinearTimeWarp("speed", float(Fraction(item.speed.rate))))
        elif not isinstance(item.speed, Constant):
            made.effects.append(schema.TimeEffect("speed ramp", "speed ramp"))
        for marker in item.markers:
            made.markers.append(_marker(marker, sequence.rate))
        return made

    def nest(self, nested: Sequence) -> Any:
        """A sequence that stands inside another one."""
        self.inside.append(nested.id)
        made = self.stack(nested)
        self.inside.pop()
        made.metadata[OURS] = {"sequence": self.facts(nested), "markers": len(nested.markers)}
        return made

    def angles(self, content: Angles) -> Iterator[Any]:
        """The angles that are cut themselves, each at its first use."""
        for angle in content.angles:
            nested = self.document.sequences_by_id.get(angle.sequence or "")
            if nested is not None and nested.id not in self.cut_angles:
                self.cut_angles.add(nested.id)
                yield self.nest(nested)

    def _told(self, media_id: str | None) -> Media:
        media = self.document.media_by_id[media_id or ""]
        self.media[media.id] = media
        return media

    def reference(self, item: Item, sequence: Sequence) -> Any:
        content = item.content
        if isinstance(content, MediaUse) and content.media in self.document.media_by_id:
            media = self._told(content.media)
            made = _reference(media, media.rate or sequence.rate)
            made.name = media.name
            if media.duration is not None and not isinstance(made, schema.ImageSequenceReference):
                rate = media.rate or sequence.rate
                made.available_range = range_of(
                    (media.start or 0) if media.rate is not None else 0, media.duration, rate
                )
            made.metadata[OURS] = {"media": _facts(media)}
            return made
        if isinstance(content, Generator):
            return schema.GeneratorReference(
                content.name or content.kind, content.kind, None, dict(content.parameters)
            )
        if isinstance(content, Title):
            return schema.GeneratorReference(item.name or "title", "title", None, {"words": content.words})
        return schema.MissingReference()


def _facts(media: Media) -> Any:
    """A medium, without where its sound stands in the file it was taken in as: that is here, not there."""
    return to_plain(media, frozenset({"embedded"}))


def _reference(media: Media, rate: Rate) -> Any:
    """Where a medium's file is; the files of a numbered sequence."""
    if not media.path:
        return schema.MissingReference()
    folder, slash, name = media.path.replace("\\", "/").rpartition("/")
    pattern = pattern_of(name)
    if pattern is None or pattern.low is None:
        return schema.ExternalReference(locator_of(media.path))
    made = schema.ImageSequenceReference(
        locator_of(folder) + slash,
        pattern.head,
        pattern.tail,
        pattern.low,
        1,
        float(rate.fps),
        pattern.digits,
    )
    # Where its last file is stands nowhere else.
    made.available_range = range_of(media.start or 0, (pattern.high or pattern.low) - pattern.low + 1, rate)
    return made


def _gap(frames: Exact, rate: Rate) -> Any:
    return schema.Gap(source_range=range_of(0, frames, rate))


def _transition(one: Transition, rate: Rate) -> Any:
    made = schema.Transition(
        one.name,
        NAMES.get(one.type, "Custom_Transition"),
        time_of(one.cut - one.start, rate),
        time_of(one.end - one.cut, rate),
    )
    made.metadata[OURS] = {"transition": to_plain(one)}
    return made


def _fade(fade: Fade, rate: Rate, into: bool) -> Any:
    """A fade as others know it: a transition from or to nothing. The item says it too, exactly."""
    length, none = time_of(fade.duration, rate), time_of(0, rate)
    made = schema.Transition(
        "Fade in" if into else "Fade out",
        "Custom_Transition",
        none if into else length,
        length if into else none,
    )
    made.metadata[OURS] = {"fade": "in" if into else "out"}
    return made


def _marker(one: Marker, rate: Rate) -> Any:
    color = ""
    if one.color:
        mine = [int(one.color[place : place + 2], 16) for place in (1, 3, 5)]
        color = min(
            COLORS,
            key=lambda name: sum(
                (a - int(COLORS[name][place : place + 2], 16)) ** 2 for a, place in zip(mine, (1, 3, 5))
            ),
        )
    made = schema.Marker(one.name, range_of(one.start, one.duration, rate), color or schema.MarkerColor.RED)
    made.comment = one.comment
    made.metadata[OURS] = {"marker": to_plain(one)}
    return made
