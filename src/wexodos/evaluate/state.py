"""The state of one frame as the command line gives it."""

from __future__ import annotations

from typing import Any

from wexodos.evaluate.evaluator import Evaluator
from wexodos.evaluate.results import PictureSpan, SoundSpan
from wexodos.evaluate.tolerances import SILENCE
from wexodos.model import Sequence, Title


def _number(value: float) -> float:
    """Round away what floating point added, keep six digits after the point, and no minus zero."""
    return round(float(value), 6) + 0.0


def picture_layer(span: PictureSpan, index: int = 0) -> dict[str, Any]:
    """Return the layer at the ``index``-th frame of its run."""

    def at(values: Any) -> Any:
        return values[index if len(values) > 1 else 0]

    frame = None if span.source_frame is None else int(at(span.source_frame))
    label = None
    if frame is not None and span.media is not None and not span.media.still:
        code = span.media.timecode(frame, span.drop_frame)
        label = str(code) if code is not None else None
    layer = {
        "track": span.track,
        "item": span.item.name,
        "item_id": span.item.id,
        "kind": span.item.kind,
        "media": span.media.file_name if span.media is not None else None,
        "via": list(span.via),
        "source_timecode": label,
        "source_frame": frame,
        "mix": _number(at(span.mix)),
        "transition": span.transition,
        "center": [_number(part) for part in at(span.center)],
        "size": [_number(part) for part in at(span.size)],
        "rotation": _number(at(span.rotation)),
        "crop": [_number(part) for part in at(span.crop)],
        "opacity": _number(at(span.opacity)),
        "blend": span.item.blend,
        "effects": list(span.effects),
    }
    if at(span.corners).any():
        layer["corners"] = [_number(part) for part in at(span.corners)]
    if span.angle is not None:
        layer["angle"] = span.angle
    if isinstance(span.item.content, Title):
        layer["words"] = span.item.content.words
    return layer


def sound_source(span: SoundSpan, index: int = 0) -> dict[str, Any]:
    """Return the channel at the ``index``-th frame of its run."""

    def at(values: Any) -> Any:
        return values[index if len(values) > 1 else 0]

    gain = float(at(span.gain_db))
    source = {
        "track": span.track,
        "item": span.item.name,
        "item_id": span.item.id,
        "media": span.media.file_name if span.media is not None else None,
        "via": list(span.via),
        "channel": span.channel,
        "source_sample": None if span.source_sample is None else int(at(span.source_sample)),
        "gain_db": "-inf" if gain <= SILENCE else _number(gain),
        "pan": _number(at(span.pan)),
        "mix": _number(at(span.mix)),
        "transition": span.transition,
    }
    if span.angle is not None:
        source["angle"] = span.angle
    return source


def state_at(evaluator: Evaluator, sequence: Sequence, frame: int) -> dict[str, Any]:
    """Return what is seen and heard when ``frame`` begins: ``at``, ``frame``, ``picture``, ``sound``."""
    seen = evaluator.at(sequence, frame)
    return {
        "at": str(sequence.timecode(frame)),
        "frame": frame,
        "picture": [picture_layer(span) for span in seen.picture],
        "sound": [sound_source(span) for span in seen.sound],
    }
