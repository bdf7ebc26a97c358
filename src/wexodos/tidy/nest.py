"""One nested sequence taken apart: what is inside as items of the cut around it.

Everything is worked out by evaluation: which frame of the nest is on at which frame of the cut, where each
picture inside lands. What is inside gets curves that give the same at every frame. What cannot be said of
single clips keeps the nest as it is, named.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from wexodos.evaluate import Evaluator
from wexodos.evaluate.evaluator import frame_raster, media_raster, stems_of
from wexodos.evaluate.geometry import Raster, fit_factor, nest, placed
from wexodos.evaluate.prints import differing, prints
from wexodos.evaluate.times import Times, source_pieces
from wexodos.evaluate.trimming import trimmed
from wexodos.ground.errors import WexodosError
from wexodos.model import (
    NORMAL,
    Adjustment,
    Angles,
    Constant,
    Document,
    Item,
    Marker,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    SpeedPoint,
    Title,
    Track,
    Transition,
    Variable,
)
from wexodos.model.speed import Speed, source_at
from wexodos.tidy.fitting import Sampled, curve_through, level_through, sampled
from wexodos.tidy.step import counted, put, reach
from wexodos.timing import Exact, ceil, exact, floor

Floats = NDArray[np.float64]
_PLAIN = Motion()


class KeptNest(WexodosError):
    """A nest that stays, with the reason."""


@dataclass(slots=True)
class Inside:
    """What came out of a nest, by the level of its tracks. ``markers_lost`` counts those of its clips that
    have no place any more."""

    items: list[list[Item]] = field(default_factory=list)
    joins: list[list[Transition]] = field(default_factory=list)
    names: list[Track] = field(default_factory=list)
    cropped: bool = False
    markers_lost: int = 0


def taken_apart(
    document: Document,
    sequence: Sequence,
    track: Track,
    item: Item,
    ids: set[str],
    below: Iterable[Track] = (),
) -> Inside:
    """What is inside a nest on ``track`` as items of ``sequence`` with ids that are not among ``ids``.

    ``below`` are the picture tracks under it: blends and adjustments inside would act on what is seen there.
    Raises ``KeptNest``.
    """
    assert isinstance(item.content, NestedUse)
    nested = document.sequences_by_id.get(item.content.sequence)
    if nested is None:
        raise KeptNest("its definition is missing")
    if nested.id == sequence.id or sequence.id in {one.id for one in document.reachable(nested)}:
        raise KeptNest("it holds itself")
    _refuse(document, nested, track, item, _anything(below, item))
    inner_frames, low = _frames_inside(sequence, nested, item)
    inside = Inside()
    taken = set(ids)
    for inner_track in nested.tracks:
        if inner_track.kind != track.kind or not inner_track.items:
            continue
        silent = {one.lower() for one in item.content.silent}
        clips: list[Item] = []
        for inner in inner_track.items:
            if track.kind == "audio" and silent & stems_of(inner, inner_track):
                continue
            own = ""
            for run in _runs(inner_frames, inner):
                clip = _clip(document, sequence, nested, item, inner, low + run[0], low + run[1], inside)
                own = _numbered(own, taken) if own else _fresh(inner.id, item.id, taken)
                on = inner.enabled and inner_track.enabled and item.enabled
                clips.append(
                    replace(
                        clip,
                        id=own,
                        enabled=on,
                        link=f"{inner.link}@{item.link}" if inner.link and item.link else inner.link,
                    )
                )
        joins = _joins(sequence, nested, track, item, inner_track, clips)
        if clips:
            inside.items.append(clips)
            inside.joins.append(joins)
            inside.names.append(inner_track)
    _check(document, sequence, track, item, inside)
    return inside


def _fresh(key: str, use: str, taken: set[str]) -> str:
    """The id an item had inside; where that is in use already, with the id of the nest's use."""
    return _numbered(key if key not in taken else f"{key}@{use}", taken, True)


def _numbered(key: str, taken: set[str], bare: bool = False) -> str:
    """An id with a number behind it, unless it may stay ``bare`` and nobody has it."""
    base = key.rpartition("@")[0] if key.rpartition("@")[2].isdigit() and "@" in key else key
    made, number = (key, 2) if bare else (f"{base}@2", 3)
    while made in taken:
        made, number = f"{base}@{number}", number + 1
    taken.add(made)
    return made


def _anything(tracks: Iterable[Track], item: Item) -> bool:
    """Whether anything is seen on tracks while an item is."""
    return any(
        one.enabled and one.start < item.end and item.start < one.end
        for track in tracks
        if track.enabled
        for one in track.items
    )


def _refuse(document: Document, nested: Sequence, track: Track, item: Item, over: bool) -> None:
    """Raise ``KeptNest`` where single clips cannot say what the nest does."""
    if track.kind == "audio":
        if (
            item.sound is not None
            and item.sound.pan is not None
            and any(one != 0 for one in item.sound.pan.still)
        ):
            raise KeptNest("it is panned as a whole")
        if item.speed != NORMAL and any(
            one.sound is not None and (one.sound.level.animated or one.sound.fade_in or one.sound.fade_out)
            for one in nested.items()
        ):
            raise KeptNest("levels move inside it while its speed is changed")
        return
    if item.effects:
        raise KeptNest("it is filtered as a whole")
    if item.blend != "normal":
        raise KeptNest("it is blended as a whole")
    motion = item.motion or _PLAIN
    if motion.corners.animated or any(motion.corners.still):
        raise KeptNest("its corners are pulled as a whole")
    mixed = (
        motion.opacity.animated
        or motion.opacity.still[0] != 1
        or any(one.cut in (item.start, item.end) for one in track.transitions)
    )
    if mixed and _piled(document, nested):
        raise KeptNest("its layers lie over one another and are mixed as a whole")
    if over and any(isinstance(one.content, Adjustment) for one in nested.items()):
        raise KeptNest("an adjustment item in it would act on what lies below the nest")
    if over and any(one.blend != "normal" for one in nested.items()):
        raise KeptNest("pictures in it are blended with one another only")


def _piled(document: Document, nested: Sequence) -> bool:
    """Whether more than one picture of a nest is on at any time."""
    spans = sorted((span.start, span.stop) for span in Evaluator(document).range(nested).picture)
    return any(b[0] < a[1] for a, b in zip(spans, spans[1:]))


def _frames_inside(sequence: Sequence, nested: Sequence, item: Item) -> tuple[NDArray[np.int64], int]:
    """The nest's frame that is on at each frame of the cut it is seen in, shape (n,), and the first of these
    frames."""
    # Transitions reach into the handles of the clip that stands at the cut; they need no frames of their own.
    low, high = floor(item.start), ceil(item.end)
    pieces = source_pieces(
        item.speed,
        item.source_in,
        item.start,
        Times.frames(low, max(high, low + 1)),
        sequence.rate,
        nested.rate.fps,
    )
    return np.concatenate([boundaries.shown(direction) for _, _, boundaries, direction in pieces]), low


def _runs(frames: NDArray[np.int64], inner: Item) -> list[tuple[int, int]]:
    """Where an item inside is on, as runs of indices of ``frames``; without its transitions, which reach
    further."""
    low, high = ceil(inner.start), ceil(inner.end)
    inside = np.concatenate(([False], (frames >= low) & (frames < high), [False]))
    edges = np.flatnonzero(np.diff(inside.astype(np.int8)))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist()))


def _clip(
    document: Document,
    sequence: Sequence,
    nested: Sequence,
    item: Item,
    inner: Item,
    start: int,
    stop: int,
    inside: Inside,
) -> Item:
    """An item inside a nest as an item of the cut from ``start`` to ``stop``."""
    if item.speed == NORMAL and nested.rate == sequence.rate:
        shift = item.start - nested.rate.frames(item.source_in)
        if inner.sound is not None:
            # Sound need not lie on frames: the exact place of its beginning and its end.
            low, high = max(inner.start, item.start - shift), min(inner.end, item.end - shift)
            plain = trimmed(inner, low, high, nested.rate, 1e-6)
            return _louder(replace(plain, start=exact(low + shift)), item)
        plain = trimmed(inner, exact(start - shift), exact(stop - shift), nested.rate, 1e-6)
        plain = replace(plain, start=start, duration=stop - start)
    else:
        begin, end = _heard(sequence, nested, item, inner, start, stop)
        plain = replace(
            inner,
            speed=_speed(sequence, nested, item, inner, begin),
            start=begin,
            duration=exact(end - begin),
            markers=_markers(sequence, nested, item, inner, start, stop),
            source_in=_source(sequence, nested, item, inner, begin),
        )
        inside.markers_lost += len(inner.markers) - len(plain.markers)
    if (
        isinstance(inner.content, Title)
        and inner.content.roll is not None
        and plain.duration != inner.duration
    ):
        raise KeptNest("a rolling title in it would roll at another pace")
    if inner.sound is not None:
        return _louder(plain, item)
    return _placed_as(document, sequence, nested, item, inner, plain, inside)


def _heard(
    sequence: Sequence, nested: Sequence, item: Item, inner: Item, start: int, stop: int
) -> tuple[Exact, Exact]:
    """Where an item inside begins and ends in the cut: pictures on the frames they are seen at, sound at its
    exact places, as far as the nest runs forward at one speed."""
    speed = item.speed
    if inner.sound is None or not isinstance(speed, Constant) or speed.rate <= 0:
        return start, stop

    def at(frame: Exact) -> Exact:
        away = exact((nested.rate.seconds(frame) - item.source_in) / Fraction(speed.rate))
        return exact(item.start + sequence.rate.frames(away))

    return max(item.start, at(inner.start)), min(item.end, at(inner.end))


def _markers(
    sequence: Sequence, nested: Sequence, item: Item, inner: Item, start: int, stop: int
) -> tuple[Marker, ...]:
    """The markers of an item inside a retimed nest at the frames of the cut they are seen at; only one
    forward speed has such."""
    if not isinstance(item.speed, Constant) or item.speed.rate <= 0:
        return ()
    factor = Fraction(item.speed.rate) * Fraction(nested.rate.fps) / Fraction(sequence.rate.fps)
    seconds, _ = source_at(item.speed, item.source_in, start - item.start, sequence.rate)
    begin = nested.rate.frames(seconds) - inner.start
    moved = (
        replace(one, start=ceil((one.start - begin) / factor), duration=ceil(one.duration / factor))
        for one in inner.markers
    )
    return tuple(one for one in moved if 0 <= one.start < stop - start)


def _source(sequence: Sequence, nested: Sequence, item: Item, inner: Item, at: Exact) -> Exact:
    if isinstance(inner.content, Title) or inner.still:
        return inner.source_in
    seconds, _ = source_at(item.speed, item.source_in, at - item.start, sequence.rate)
    return source_at(
        inner.speed, inner.source_in, exact(nested.rate.frames(seconds) - inner.start), nested.rate
    )[0]


def _speed(sequence: Sequence, nested: Sequence, item: Item, inner: Item, start: Exact) -> Speed:
    """The speed of both together, from ``start`` on."""
    if isinstance(item.speed, Constant) and isinstance(inner.speed, Constant):
        both = exact(Fraction(item.speed.rate) * Fraction(inner.speed.rate))
        return NORMAL if both == 1 else Constant(both)
    if isinstance(item.speed, Variable) and isinstance(inner.speed, Constant):
        points = tuple(
            SpeedPoint(
                exact(point.time + item.start - start),
                source_at(
                    inner.speed,
                    inner.source_in,
                    exact(nested.rate.frames(point.source) - inner.start),
                    nested.rate,
                )[0],
                point.into,
                point.out,
            )
            for point in item.speed.points
        )
        return Variable(points)
    if isinstance(item.speed, Constant) and isinstance(inner.speed, Variable) and item.speed.rate > 0:
        factor = Fraction(item.speed.rate) * Fraction(nested.rate.fps) / Fraction(sequence.rate.fps)
        seconds, _ = source_at(item.speed, item.source_in, start - item.start, sequence.rate)
        begin = nested.rate.frames(seconds) - inner.start
        return Variable(
            tuple(
                SpeedPoint(
                    exact((point.time - begin) / factor),
                    point.source,
                    exact(point.into / factor),
                    exact(point.out / factor),
                )
                for point in inner.speed.points
            )
        )
    raise KeptNest("its speed and a speed inside it both change")


def _louder(plain: Item, item: Item) -> Item:
    """The clip with the nest's level on top of its own."""
    outer = item.sound
    if outer is None or plain.sound is None:
        return plain
    steady = not outer.level.animated and outer.fade_in is None and outer.fade_out is None
    if steady and outer.level.still[0] == 0:
        return plain
    level, fade_in, fade_out = level_through(plain, item)
    return replace(plain, sound=replace(plain.sound, level=level, fade_in=fade_in, fade_out=fade_out))


def _raster_of(document: Document, nested: Sequence, inner: Item) -> Raster:
    """The raster of an item's source, as evaluation takes it."""
    frame = frame_raster(nested)
    content = inner.content
    if isinstance(content, NestedUse):
        deeper = document.sequences_by_id.get(content.sequence)
        return frame_raster(deeper) if deeper is not None else frame
    media = None
    if isinstance(content, MediaUse):
        media = document.media_by_id.get(content.media)
    elif isinstance(content, Angles):
        used = content.angle(content.video)
        media = document.media_by_id.get(used.media or "") if used is not None else None
    return media_raster(media, frame)


def _placed_as(
    document: Document,
    sequence: Sequence,
    nested: Sequence,
    item: Item,
    inner: Item,
    plain: Item,
    inside: Inside,
) -> Item:
    """The clip with the nest's place, size, rotation and opacity on top of its own."""
    outer_motion, inner_motion = item.motion or _PLAIN, inner.motion or _PLAIN
    frame, box, source = frame_raster(sequence), frame_raster(nested), _raster_of(document, nested, inner)
    same = frame == box and item.speed == NORMAL and replace(outer_motion, fit="none") == _PLAIN
    if same and not _spills(inner_motion, source, box):
        return plain
    start, stop = int(plain.start), int(plain.end)
    times = np.arange(start, stop, dtype=np.float64)
    outer = sampled(outer_motion, times - float(item.start))
    pieces = source_pieces(
        item.speed, item.source_in, item.start, Times.frames(start, stop), sequence.rate, nested.rate.fps
    )
    shown = np.concatenate([boundaries.shown(direction) for _, _, boundaries, direction in pieces])
    local = shown.astype(np.float64) - float(inner.start)
    own = sampled(inner_motion, local)
    center_in, size_in = placed(
        source, box, inner_motion.fit, own.position, own.scale, own.rotation, own.anchor
    )
    center_out, size_out = placed(
        box, frame, outer_motion.fit, outer.position, outer.scale, outer.rotation, outer.anchor
    )
    center, size = nest(center_in, size_in, box, center_out, size_out, outer.rotation, frame.pixel_aspect)
    rotation = outer.rotation[:, 0] + own.rotation[:, 0]
    stretched = (
        np.abs(
            size_out[:, 0] / box.width * box.pixel_aspect - size_out[:, 1] / box.height * frame.pixel_aspect
        ).max()
        > 1e-6
    )
    if stretched and np.abs(own.rotation % 180).max() > 1e-6 and frame.pixel_aspect == box.pixel_aspect:
        raise KeptNest("it is stretched and holds a rotated picture")
    crop = _kept_crop(own, center_in, size_in, box, outer.crop)
    if np.abs(crop - own.crop).max() > 1e-9:
        if np.abs(own.rotation).max() > 1e-9 or np.abs(own.corners).max() > 1e-9:
            raise KeptNest("a rotated picture inside it is cut off at its edge")
        inside.cropped = True
    fit = inner_motion.fit if box == frame else "none"
    factor = fit_factor(fit, source, frame)
    base = np.array(
        [source.width * source.pixel_aspect * factor / frame.pixel_aspect, source.height * factor]
    )
    position = center - np.array([frame.width / 2, frame.height / 2])
    at = times - start
    keys = [
        float(key.time) - float(plain.start) + float(item.start)
        for curve in outer_motion.curves.values()
        for key in curve.keys
    ]
    if item.speed == NORMAL:
        by = float(inner.start) + float(item.start) - float(nested.rate.frames(item.source_in)) - start
        keys += [float(key.time) + by for curve in inner_motion.curves.values() for key in curve.keys]
    motion = Motion(
        fit,
        curve_through(at, position, keys, 0.004),
        curve_through(at, size / base, keys, 0.004 / max(1.0, float(base.max()))),
        curve_through(at, rotation[:, None], keys, 4e-4),
        corners=curve_through(at, own.corners, keys, 4e-5),
        crop=curve_through(at, crop, keys, 4e-5),
        opacity=curve_through(at, outer.opacity * own.opacity, keys, 4e-5),
    )
    return replace(plain, motion=motion)


def _spills(motion: Motion, source: Raster, box: Raster) -> bool:
    """Whether a picture may reach beyond the frame of its nest."""
    if replace(motion, fit="none", opacity=_PLAIN.opacity) != _PLAIN:
        return True
    factor = fit_factor(motion.fit, source, box)
    return (
        source.width * source.pixel_aspect * factor > box.width * box.pixel_aspect + 1e-6
        or source.height * factor > box.height + 1e-6
    )


def _kept_crop(own: Sampled, center: Floats, size: Floats, box: Raster, outer_crop: Floats) -> Floats:
    """The part of a picture that is seen through the frame of its nest, as a crop of the picture; shape (n,
    4)."""
    low = np.stack([outer_crop[:, 0] * box.width, outer_crop[:, 1] * box.height], axis=-1)
    high = np.stack([(1 - outer_crop[:, 2]) * box.width, (1 - outer_crop[:, 3]) * box.height], axis=-1)
    extent = np.maximum(np.abs(size), 1e-9)
    corner = center - extent / 2
    before, after = (low - corner) / extent, 1 - (high - corner) / extent
    flipped = size < 0
    first, last = np.where(flipped, after, before), np.where(flipped, before, after)
    limits = np.concatenate([first, last], axis=1)
    return np.asarray(
        np.maximum(np.broadcast_to(own.crop, limits.shape), np.clip(limits, 0.0, 1.0)), np.float64
    )


def _joins(
    sequence: Sequence, nested: Sequence, track: Track, item: Item, inner_track: Track, clips: list[Item]
) -> list[Transition]:
    """The transitions inside that are seen whole. Raises ``KeptNest`` for one that the nest cuts off or whose
    speed is changed."""
    first = nested.rate.frames(item.source_in)
    found = []
    for join in inner_track.transitions:
        if item.speed != NORMAL or nested.rate != sequence.rate:
            raise KeptNest("there are transitions inside it and its speed or rate is another")
        if join.end <= first or join.start >= first + item.duration:
            continue
        if join.start < first or join.end > first + item.duration:
            raise KeptNest("it begins or ends within a transition of its own")
        shift = item.start - first
        found.append(replace(join, start=exact(join.start + shift), cut=exact(join.cut + shift)))
    for join in track.transitions:
        if join.cut in (item.start, item.end):
            at = [clip for clip in clips if clip.start == join.cut or clip.end == join.cut]
            if not at:
                raise KeptNest("a transition leads into or out of it and no single clip stands at that cut")
            if inner_track is not next(one for one in nested.tracks if one.kind == track.kind and one.items):
                raise KeptNest("a transition leads into or out of it and it has several tracks")
    return found


def _check(document: Document, sequence: Sequence, track: Track, item: Item, inside: Inside) -> None:
    """Hold what came out of a nest against the nest, frame by frame. Raises ``KeptNest`` where it is not the
    same."""
    low, high = reach(track, item)
    low = max(0, low)
    joins = tuple(one for one in track.transitions if one.cut in (item.start, item.end))
    alone = replace(track, items=(item,), transitions=joins, enabled=True)
    before = replace(sequence, tracks=(alone,), stated_duration=high, markers=())
    levels = tuple(
        replace(
            track, items=tuple(clips), transitions=(*within, *(joins if number == 0 else ())), enabled=True
        )
        for number, (clips, within) in enumerate(zip(inside.items, inside.joins))
    )
    after = replace(before, tracks=levels)
    if not item.enabled:
        return
    # A crop at the nest's edge comes to stand on the clips; all else is the same without it.
    crops = not inside.cropped
    one = prints(Evaluator(put(document, before)), before, low, high, crops)
    two = prints(Evaluator(put(document, after)), after, low, high, crops)
    wrong = differing(one.sound, two.sound) if track.kind == "audio" else differing(one.picture, two.picture)
    if wrong:
        place = sequence.timecode(low + wrong[0][0])
        raise KeptNest(
            f"single clips would not show the same from {place} on, for "
            f"{counted(wrong[0][1] - wrong[0][0], 'frame')}"
        )
