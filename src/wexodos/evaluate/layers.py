"""What is seen at one instant as a tree: the layers of a sequence, those of nests inside them, and what they
pass over into.

``Evaluator.range`` lists all layers flat, which is what a comparison needs. A picture of the frame needs the
tree: a nest is drawn as a whole before it is moved, mixed or filtered.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from wexodos.evaluate.evaluator import Evaluator, _source_frames, frame_raster, media_raster
from wexodos.evaluate.geometry import Floats, Raster
from wexodos.evaluate.times import Times, source_pieces
from wexodos.model import Adjustment, Item, Media, Motion, Sequence, Transition

_DEEPEST = 16
_PLAIN = Motion()


@dataclass(frozen=True, slots=True)
class Layer:
    """One picture layer at one instant.

    ``center`` and ``size`` (two numbers each) are pixels of ``frame``, the raster of the sequence it stands
    in; ``source`` is its own raster. ``crop`` has four numbers, ``corners`` eight. ``join`` is the transition
    it takes part in, ``mix`` its share of it, ``incoming`` whether it comes in. ``inside`` holds the layers
    of a nest, None for anything else. ``elapsed`` counts frames of the sequence from the item's start.
    ``source_frame`` is None where nothing is read from media. ``track`` counts from 1.
    """

    item: Item
    track: int
    media: Media | None
    angle: str | None
    source_frame: int | None
    source: Raster
    frame: Raster
    center: Floats
    size: Floats
    rotation: float
    crop: Floats
    corners: Floats
    opacity: float
    mix: float
    join: Transition | None
    incoming: bool
    elapsed: float
    sequence: Sequence
    inside: tuple[Layer, ...] | None = None


def layers_at(
    evaluator: Evaluator, sequence: Sequence, frame: int, only: str | None = None
) -> tuple[Layer, ...]:
    """Return the layers of ``frame`` from the bottom up, both of a transition, the outgoing first. ``only``
    names one item."""
    return _layers(evaluator, sequence, Times.frames(frame, frame + 1), (sequence.id,), only)


def _layers(
    evaluator: Evaluator, sequence: Sequence, times: Times, path: tuple[str, ...], only: str | None = None
) -> tuple[Layer, ...]:
    found: list[Layer] = []
    raster = frame_raster(sequence)
    for number, track in enumerate(sequence.video_tracks, 1):
        for item, _start, _stop, part, mix, join in evaluator._active(track, 0, times):
            if only is not None and item.id != only:
                continue
            made = _layer(evaluator, sequence, raster, item, part, path)
            if made is not None:
                incoming = join is not None and item.start >= join.cut
                found.append(replace(made, track=number, mix=float(mix[0]), join=join, incoming=incoming))
    return tuple(found)


def _layer(
    evaluator: Evaluator, sequence: Sequence, raster: Raster, item: Item, times: Times, path: tuple[str, ...]
) -> Layer | None:
    media, nested_id, angle, offset = evaluator._source(item, "video")
    nested = evaluator._sequences.get(nested_id) if nested_id else None
    source = frame_raster(nested) if nested is not None else media_raster(media, raster)
    center, size, rotation, crop, corners, opacity = evaluator._stand(
        item.motion or _PLAIN, item, times, source, raster
    )
    shown = (
        None if isinstance(item.content, Adjustment) else _source_frames(item, media, times, sequence, offset)
    )
    inside: tuple[Layer, ...] | None = None
    if nested is not None:
        if nested.id in path or len(path) > _DEEPEST:
            return None
        inside = ()
        for _a, _b, boundaries, direction in source_pieces(
            item.speed, item.source_in + offset, item.start, times, sequence.rate, nested.rate.fps
        ):
            inside = _layers(evaluator, nested, Times(boundaries.shown(direction), 1), (*path, nested.id))
    return Layer(
        item,
        0,
        media,
        angle,
        None if shown is None or nested is not None else int(shown[0]),
        source,
        raster,
        center[0],
        size[0],
        float(np.ravel(rotation)[0]),
        crop[0],
        corners[0],
        float(opacity[0]),
        1.0,
        None,
        False,
        float(times.floats()[0]) - float(item.start),
        sequence,
        inside,
    )
