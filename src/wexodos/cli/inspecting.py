"""What ``inspect`` says: the document as JSON."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from wexodos.evaluate.evaluator import source_rate
from wexodos.model import (
    Angles,
    Constant,
    Document,
    Generator,
    Item,
    Marker,
    Media,
    MediaUse,
    NestedUse,
    Sequence,
    Shadow,
    Speed,
    Title,
    Track,
    Transition,
)
from wexodos.model.speed import NORMAL, source_at
from wexodos.report.rows import time_value
from wexodos.timing import Exact, Rate, Timecode, absolute, ceil, exact, floor, floor_guarded


def document_data(document: Document, file: str) -> dict[str, Any]:
    """The whole document in the shape of ``inspect --json``."""
    media = document.media_by_id
    sequences = document.sequences_by_id
    users = _users(document)
    return {
        "file": file,
        "format": document.format,
        "version": document.version,
        "sequences": [sequence_data(one, media, sequences) for one in document.sequences if not one.is_angle],
        "media": [media_data(one, users.get(one.id)) for one in document.media],
        "notes": [
            {"level": n.level, "code": n.code, "where": n.where, "text": n.text} for n in document.notes
        ],
    }


def sequence_data(
    sequence: Sequence, media: dict[str, Media], sequences: dict[str, Sequence]
) -> dict[str, Any]:
    numbers = {"video": 0, "audio": 0}
    tracks = []
    for track in sequence.tracks:
        numbers[track.kind] += 1
        tracks.append(_track(track, numbers[track.kind], sequence, media, sequences))
    return {
        "id": sequence.id,
        "name": sequence.name,
        "top_level": sequence.top_level,
        "rate": str(sequence.rate),
        "drop_frame": sequence.drop_frame,
        "start": str(sequence.timecode(0)),
        "duration": sequence.duration,
        "width": sequence.width,
        "height": sequence.height,
        "pixel_aspect": _ratio(sequence.pixel_aspect),
        "field_order": sequence.field_order,
        "sample_rate": sequence.sample_rate,
        "bit_depth": sequence.bit_depth,
        "marked": list(sequence.marked) if sequence.marked is not None else None,
        "tracks": tracks,
        "markers": [_marker(one, 0) for one in sequence.markers],
    }


def _ratio(value: Exact) -> str:
    return f"{value.numerator}/{value.denominator}"


def _track(
    track: Track, index: int, sequence: Sequence, media: dict[str, Media], sequences: dict[str, Sequence]
) -> dict[str, Any]:
    things: list[tuple[Exact, int, dict[str, Any]]] = [
        (item.start, 0, item_data(item, track, sequence, media, sequences)) for item in track.items
    ]
    things += [(one.start, 1, _transition(one)) for one in track.transitions]
    things.sort(key=lambda thing: thing[:2])
    return {
        "kind": track.kind,
        "index": index,
        "name": track.name,
        "enabled": track.enabled,
        "locked": track.locked,
        "stem": track.stem,
        "items": [thing for _, _, thing in things],
    }


def _transition(one: Transition) -> dict[str, Any]:
    return {
        "kind": "transition",
        "id": one.id,
        "name": one.name,
        "type": one.type,
        "start": time_value(one.start),
        "duration": time_value(one.duration),
        "cut": time_value(one.cut),
        "color": one.color,
        "pattern": one.pattern,
        "direction": one.direction,
        "softness": one.softness,
        "border": one.border,
        "border_color": one.border_color,
    }


def _marker(one: Marker, base: Exact) -> dict[str, Any]:
    return {
        "name": one.name,
        "comment": one.comment,
        "start": time_value(base + one.start),
        "duration": time_value(one.duration),
        "color": one.color,
        "kind": one.kind,
        "done": one.done,
    }


def item_data(
    item: Item, track: Track, sequence: Sequence, media: dict[str, Media], sequences: dict[str, Sequence]
) -> dict[str, Any]:
    """One item in the shape of ``inspect --json``."""
    content = item.content
    used: Media | None = None
    rate = sequence.rate
    offset: Exact = 0
    if isinstance(content, MediaUse):
        used = media.get(content.media)
        rate = source_rate(used, sequence)
    elif isinstance(content, NestedUse) and content.sequence in sequences:
        rate = sequences[content.sequence].rate
    elif isinstance(content, Angles):
        angle = content.angle(content.video if track.kind == "video" else content.audio)
        if angle is not None:
            used, offset = media.get(angle.media or ""), angle.offset
            rate = source_rate(used, sequence)
    played = isinstance(content, MediaUse | NestedUse | Angles)
    source_in, source_length = _source(item, rate, sequence.rate, offset) if played else (None, None)
    label = None
    if source_in is not None and used is not None and not item.still:
        drop = sequence.drop_frame if item.drop_frame is None else item.drop_frame
        code = used.timecode(floor(source_in), drop)
        label = str(code) if code is not None else None
    data: dict[str, Any] = {
        "kind": item.kind,
        "id": item.id,
        "name": item.name,
        "start": time_value(item.start),
        "duration": time_value(item.duration),
        "source_start": label,
        "source_in": time_value(source_in),
        "source_duration": time_value(source_length),
        "media": used.id if used is not None else None,
        "enabled": item.enabled,
        "speed": speed_data(item.speed, rate),
        "effects": [
            {
                "kind": "colour" if one.kind in ("primaries", "lut") else "filter",
                "name": one.name,
                "enabled": one.enabled,
                "parameters": {p.name: p.value for p in one.parameters},
                "keyframes": sum(p.keys for p in one.parameters),
            }
            for one in item.effects
        ],
        "curves": _curves(item),
        "blend": item.blend,
        "alpha": item.alpha,
        "text": _text(content),
        "markers": [_marker(one, item.start) for one in item.markers],
        "channels": list(item.sound.channels) if item.sound is not None else None,
        "link": item.link,
    }
    if item.sound is not None and item.sound.muted:
        data["muted"] = list(item.sound.muted)
    if isinstance(content, NestedUse):
        data["sequence"] = content.sequence
    elif isinstance(content, Angles):
        data["angles"] = [
            {"id": one.id, "name": one.name, "media": one.media, "sequence": one.sequence}
            for one in content.angles
        ]
        data["video_angle"], data["audio_angle"] = content.video, content.audio
    elif isinstance(content, Generator):
        data["generator"] = content.kind
        data["parameters"] = {
            **({"color": content.color} if content.color else {}),
            **dict(content.parameters),
        }
    return data


def _source(item: Item, rate: Rate, record_rate: Rate, offset: Exact) -> tuple[Exact, Exact]:
    """Source in and length in frames of ``rate``. With a speed change the in is the whole frame shown
    first."""
    if item.still:
        return 0, item.duration
    first, direction = source_at(item.speed, item.source_in, 0, record_rate)
    last, _ = source_at(item.speed, item.source_in, item.duration, record_rate)
    begin = rate.frames(first + offset)
    length = absolute(exact(rate.frames(last - first)))
    if item.speed is NORMAL:
        return begin, length
    if direction < 0:
        return ceil(begin - Fraction(1, 1000)) - 1, length
    return floor_guarded(begin), length


def speed_data(speed: Speed, rate: Rate) -> dict[str, Any]:
    """A speed change; points as frames from the item's start against source frames."""
    if isinstance(speed, Constant):
        return {"kind": "constant", "rate": _ratio(speed.rate), "points": []}
    points = [
        {
            "time": time_value(p.time),
            "source": time_value(rate.frames(p.source)),
            "interpolation": "smooth" if p.smooth else "linear",
        }
        for p in speed.points
    ]
    return {"kind": "variable", "rate": None, "points": points}


def _curves(item: Item) -> dict[str, int]:
    found = {}
    if item.motion is not None:
        found = {name: len(curve.keys) for name, curve in item.motion.curves.items() if curve.keys}
    if item.sound is not None:
        if item.sound.level.keys:
            found["level"] = len(item.sound.level.keys)
        if item.sound.pan is not None and item.sound.pan.keys:
            found["pan"] = len(item.sound.pan.keys)
    return found


def _text(content: object) -> dict[str, Any] | None:
    if not isinstance(content, Title):
        return None
    return {
        "words": content.words,
        "runs": [
            {
                "text": run.text,
                "font": run.font,
                "size": run.size,
                "bold": run.bold,
                "italic": run.italic,
                "color": run.color,
                "align": run.align,
                "underline": run.underline,
                "tracking": run.tracking,
                "leading": run.leading,
                "outline_color": run.outline_color,
                "outline_width": run.outline_width,
                "shadow": _shadow(run.shadow),
            }
            for run in content.runs
        ],
        "position": list(content.origin),
        "roll": content.roll.direction if content.roll is not None else None,
        "bar": content.bar,
    }


def _shadow(shadow: Shadow | None) -> dict[str, Any] | None:
    if shadow is None:
        return None
    return {"color": shadow.color, "distance": shadow.distance, "angle": shadow.angle, "blur": shadow.blur}


def _users(document: Document) -> dict[str, tuple[Sequence, Item]]:
    """The first item that uses each medium, with its sequence."""
    found: dict[str, tuple[Sequence, Item]] = {}
    for sequence in document.sequences:
        for item in sequence.items():
            if isinstance(item.content, MediaUse):
                found.setdefault(item.content.media, (sequence, item))
    return found


def media_data(media: Media, user: tuple[Sequence, Item] | None) -> dict[str, Any]:
    """One medium; its start is labelled as it says itself, else as the item that uses it, else as the
    sequence."""
    drop = bool(media.drop_frame)
    rate = media.rate
    if user is not None:
        sequence, item = user
        rate = rate or sequence.rate
        if media.drop_frame is None:
            drop = sequence.drop_frame if item.drop_frame is None else item.drop_frame
    start = str(Timecode(media.start, rate, drop)) if media.start is not None and rate is not None else None
    return {
        "id": media.id,
        "name": media.file_name,
        "path": media.path,
        "reel": media.reel,
        "start": start,
        "duration": time_value(media.duration),
        "rate": str(media.rate) if media.rate is not None else None,
        "width": media.width,
        "height": media.height,
        "pixel_aspect": _ratio(media.pixel_aspect),
        "channels": media.channels,
        "sample_rate": media.sample_rate,
        "bit_depth": media.bit_depth,
        "video": media.video,
        "audio": media.audio,
        "still": media.still,
    }
