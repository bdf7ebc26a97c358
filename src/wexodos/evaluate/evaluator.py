"""Evaluate whole ranges of a sequence at once."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from wexodos.evaluate.curves import curve_values
from wexodos.evaluate.geometry import Raster, nest, placed
from wexodos.evaluate.results import Evaluation, PictureSpan, SoundSpan, pick
from wexodos.evaluate.times import Times, runs, source_pieces
from wexodos.model import (
    Adjustment,
    Angles,
    Curve,
    Document,
    Fade,
    Generator,
    Item,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    Sound,
    Track,
    Transition,
)
from wexodos.model.speed import NORMAL
from wexodos.timing import Exact, Rate, ceil

Floats = NDArray[np.float64]
_ONE = np.ones(1)
_PLAIN_MOTION = Motion()
_PLAIN_SOUND = Sound()
_MAX_DEPTH = 64


@dataclass(frozen=True, slots=True)
class _Dressed:
    """An item with the transitions it takes part in and its extent with them."""

    item: Item
    low: Exact
    high: Exact
    into: Transition | None
    out: Transition | None

    def stretches(self) -> Iterator[tuple[Exact, Exact, Transition | None, bool]]:
        """Yield (from, to, transition, incoming) pieces that share one transition."""
        low, high = self.low, self.high
        if self.into is not None:
            edge = min(self.into.end, high)
            yield low, edge, self.into, True
            low = edge
        end = high if self.out is None else max(low, self.out.start)
        if end > low:
            yield low, end, None, False
        if self.out is not None and high > end:
            yield end, high, self.out, False


class _Plan:
    """A track's items ready to be looked up by time."""

    __slots__ = ("dressed", "reach")

    def __init__(self, track: Track) -> None:
        ends = {transition.cut: transition for transition in track.transitions}
        self.dressed: list[_Dressed] = []
        self.reach: list[Exact] = []
        furthest: Exact = 0
        for item in track.items:
            end = item.end
            into, out = ends.get(item.start), ends.get(end)
            low = min(item.start, into.start) if into else item.start
            high = max(end, out.end) if out else end
            if item.enabled and high > low:
                self.dressed.append(_Dressed(item, low, high, into, out))
                furthest = max(furthest, high)
                self.reach.append(furthest)

    def between(self, start: Exact, stop: Exact) -> Iterator[_Dressed]:
        for dressed in self.dressed[bisect_left(self.reach, start) :]:
            if dressed.low >= stop:
                # Items stand in the order of their start, a transition lets one begin early; the next may not
                # be past.
                if dressed.item.start >= stop:
                    return
                continue
            if dressed.high > start:
                yield dressed


@dataclass(frozen=True, slots=True)
class _Around:
    """What the nests around a sequence do to it."""

    track: int = 0
    via: tuple[str, ...] = ()
    via_ids: tuple[str, ...] = ()
    mix: Floats = field(default_factory=lambda: _ONE)
    transition: str | None = None
    opacity: Floats = field(default_factory=lambda: _ONE)
    effects: tuple[str, ...] = ()
    silent: frozenset[str] = frozenset()
    gain_db: float | Floats = 0.0


class Evaluator:
    """Evaluates the sequences of one document; keeps look-ups, so use one for many questions.

    Circles of nested sequences are cut where they close, deeper nests than 64 are not entered.
    """

    def __init__(self, document: Document) -> None:
        self._media = document.media_by_id
        self._sequences = document.sequences_by_id
        self._plans: dict[int, _Plan] = {}
        self._still: dict[tuple[int, Raster, Raster], tuple[Floats, ...]] = {}
        # The ids of tracks and motions are keys, so they must live as long as this does.
        self._document = document

    def range(self, sequence: Sequence, start: int = 0, stop: int | None = None) -> Evaluation:
        """Evaluate the frames ``[start, stop)``; ``stop`` None means to the end."""
        stop = sequence.duration if stop is None else stop
        times = Times.frames(start, max(start, stop))
        return Evaluation(
            start,
            stop,
            tuple(self._pictures(sequence, start, times, _Around(), (sequence.id,))),
            tuple(self._sounds(sequence, start, times, _Around(), (sequence.id,))),
        )

    def at(self, sequence: Sequence, frame: int) -> Evaluation:
        """Evaluate the instant at which ``frame`` begins."""
        return self.range(sequence, frame, frame + 1)

    def _plan(self, track: Track) -> _Plan:
        plan = self._plans.get(id(track))
        if plan is None:
            plan = self._plans[id(track)] = _Plan(track)
        return plan

    def _active(
        self, track: Track, first: int, times: Times
    ) -> Iterator[tuple[Item, int, int, Times, Floats, Transition | None]]:
        """Yield (item, from frame, to frame, times, mix, transition); frames are those of the evaluated
        sequence."""
        if not len(times) or not track.enabled:
            return
        num, den = times.numerators, times.denominator
        steady = den == 1 and len(times) == int(num[-1]) - int(num[0]) + 1
        low, high = int(num.min()) // den, -(-int(num.max()) // den) + 1
        for dressed in self._plan(track).between(low, high):
            for begin, end, transition, incoming in dressed.stretches():
                if steady:
                    a, b = max(ceil(begin) - low, 0), min(ceil(end) - low, len(times))
                    found = [(a, b)] if b > a else []
                else:
                    found = runs(times.inside(begin, end))
                for a, b in found:
                    part = times.part(a, b)
                    mix = _ONE
                    if transition is not None:
                        share = (part.floats() - float(transition.start)) / float(transition.duration)
                        mix = np.minimum(np.maximum(share, 0.0), 1.0)
                        mix = mix if incoming else 1.0 - mix
                    yield dressed.item, first + a, first + b, part, mix, transition

    def _pictures(
        self, sequence: Sequence, first: int, times: Times, around: _Around, path: tuple[str, ...]
    ) -> list[PictureSpan]:
        layers: list[PictureSpan] = []
        frame = frame_raster(sequence)
        for number, track in enumerate(sequence.video_tracks, 1):
            outer = around.track or number
            for item, start, stop, part, mix, transition in self._active(track, first, times):
                own = around_part(around, start - first, stop - first)
                effects = tuple(effect.name for effect in item.effects if effect.enabled)
                if isinstance(item.content, Adjustment):
                    layers = _adjusted(layers, start, stop, effects)
                    continue
                inside = replace(
                    own,
                    track=outer,
                    mix=own.mix * mix,
                    transition=transition.type if transition else own.transition,
                    effects=effects + own.effects,
                )
                layers.extend(self._layer(sequence, frame, item, start, stop, part, inside, path))
        return layers

    def _layer(
        self,
        sequence: Sequence,
        frame: Raster,
        item: Item,
        start: int,
        stop: int,
        times: Times,
        around: _Around,
        path: tuple[str, ...],
    ) -> Iterator[PictureSpan]:
        motion = item.motion or _PLAIN_MOTION
        media, nested_id, angle, offset = self._source(item, "video")
        nested = self._sequences.get(nested_id) if nested_id else None
        source = frame_raster(nested) if nested else media_raster(media, frame)
        center, size, rotation, crop, corners, opacity = self._stand(motion, item, times, source, frame)
        if around.opacity is not _ONE:
            opacity = opacity * around.opacity
        if nested is not None:
            if nested.id in path or len(path) > _MAX_DEPTH:
                return
            inside = replace(
                around,
                via=(*around.via, item.name),
                via_ids=(*around.via_ids, item.id),
                opacity=opacity,
            )
            for a, b, boundaries, direction in source_pieces(
                item.speed, item.source_in + offset, item.start, times, sequence.rate, nested.rate.fps
            ):
                shown = Times(boundaries.shown(direction), 1)
                for span in self._pictures(
                    nested, start + a, shown, around_part(inside, a, b), (*path, nested.id)
                ):
                    lo, hi = span.start - start, span.stop - start
                    at, extent = nest(
                        span.center,
                        span.size,
                        source,
                        pick(center, lo, hi),
                        pick(size, lo, hi),
                        pick(rotation, lo, hi),
                        frame.pixel_aspect,
                    )
                    pulled = span.corners + pick(corners, lo, hi) if corners.any() else span.corners
                    yield replace(
                        span,
                        center=at,
                        size=extent,
                        rotation=span.rotation + pick(rotation[:, 0], lo, hi),
                        corners=pulled,
                    )
            return
        yield PictureSpan(
            around.track,
            item,
            start,
            stop,
            around.via,
            around.via_ids,
            media,
            angle,
            _source_frames(item, media, times, sequence, offset),
            around.mix,
            around.transition,
            center,
            size,
            rotation[:, 0],
            crop,
            corners,
            opacity,
            around.effects,
            sequence.drop_frame if item.drop_frame is None else item.drop_frame,
        )

    def _stand(
        self, motion: Motion, item: Item, times: Times, source: Raster, frame: Raster
    ) -> tuple[Floats, ...]:
        """Return (center, size, rotation, crop, corners, opacity); what never moves is worked out once for
        all items that share it."""
        key = (id(motion), source, frame)
        known = self._still.get(key)
        if known is not None:
            return known
        moving = any(curve.animated for curve in motion.curves.values())
        local = _local(item, times) if moving else _ONE
        rotation = curve_values(motion.rotation, local)
        center, size = placed(
            source,
            frame,
            motion.fit,
            curve_values(motion.position, local),
            curve_values(motion.scale, local),
            rotation,
            curve_values(motion.anchor, local),
        )
        opacity = np.minimum(np.maximum(curve_values(motion.opacity, local)[:, 0], 0.0), 1.0)
        found = (
            center,
            size,
            rotation,
            curve_values(motion.crop, local),
            curve_values(motion.corners, local),
            opacity,
        )
        if not moving:
            self._still[key] = found
        return found

    def _sounds(
        self, sequence: Sequence, first: int, times: Times, around: _Around, path: tuple[str, ...]
    ) -> Iterator[SoundSpan]:
        for number, track in enumerate(sequence.audio_tracks, 1):
            outer = around.track or number
            for item, start, stop, part, mix, transition in self._active(track, first, times):
                if around.silent and stems_of(item, track) & around.silent:
                    continue
                own = around_part(around, start - first, stop - first)
                inside = replace(
                    own,
                    track=outer,
                    mix=own.mix * mix,
                    transition=transition.type if transition else own.transition,
                    gain_db=own.gain_db + _gain(item, part),
                )
                yield from self._heard(sequence, item, start, stop, part, inside, path)

    def _heard(
        self,
        sequence: Sequence,
        item: Item,
        start: int,
        stop: int,
        times: Times,
        around: _Around,
        path: tuple[str, ...],
    ) -> Iterator[SoundSpan]:
        sound = item.sound or _PLAIN_SOUND
        media, nested_id, angle, offset = self._source(item, "audio")
        nested = self._sequences.get(nested_id) if nested_id else None
        if nested is not None:
            if nested.id in path or len(path) > _MAX_DEPTH:
                return
            inside = replace(around, via=(*around.via, item.name), via_ids=(*around.via_ids, item.id))
            if isinstance(item.content, NestedUse) and item.content.silent:
                inside = replace(
                    inside, silent=around.silent | {name.lower() for name in item.content.silent}
                )
            for a, b, inner, _ in source_pieces(
                item.speed, item.source_in + offset, item.start, times, sequence.rate, nested.rate.fps
            ):
                yield from self._sounds(
                    nested, start + a, inner, around_part(inside, a, b), (*path, nested.id)
                )
            return
        samples = _source_samples(item, media, times, sequence, offset)
        channels = sound.channels or (1,)
        pair = len(channels) == 2
        pan = curve_values(sound.pan, _local(item, times))[:, 0] if sound.pan is not None else None
        for place, channel in enumerate(channels):
            if channel in sound.muted:
                continue
            side = (-1.0, 1.0)[place] if pair else 0.0
            panned = np.array([side]) if pan is None else np.minimum(np.maximum(pan + side, -1.0), 1.0)
            yield SoundSpan(
                around.track,
                item,
                start,
                stop,
                around.via,
                around.via_ids,
                media,
                angle,
                channel,
                samples,
                np.atleast_1d(np.asarray(around.gain_db, dtype=np.float64)),
                panned,
                around.mix,
                around.transition,
            )

    def _source(self, item: Item, kind: str) -> tuple[Media | None, str | None, str | None, Exact]:
        """Return (media, nested sequence id, angle name, offset in seconds) that the item plays."""
        content = item.content
        if isinstance(content, MediaUse):
            return self._media.get(content.media), None, None, 0
        if isinstance(content, NestedUse):
            return None, content.sequence, None, 0
        if isinstance(content, Angles):
            angle = content.angle(content.video if kind == "video" else content.audio)
            if angle is not None:
                return self._media.get(angle.media or ""), angle.sequence, angle.name, angle.offset
        return None, None, None, 0


def around_part(around: _Around, start: int, stop: int) -> _Around:
    """The same surroundings over a part of the frames."""
    if len(around.mix) == 1 and len(around.opacity) == 1 and np.size(around.gain_db) == 1:
        return around
    gain = around.gain_db
    return replace(
        around,
        mix=pick(around.mix, start, stop),
        opacity=pick(around.opacity, start, stop),
        gain_db=gain if isinstance(gain, float) else pick(gain, start, stop),
    )


def _adjusted(
    layers: list[PictureSpan], start: int, stop: int, effects: tuple[str, ...]
) -> list[PictureSpan]:
    """Add an adjustment item's effects to the layers below it within its reach."""
    result: list[PictureSpan] = []
    for span in layers:
        low, high = max(span.start, start), min(span.stop, stop)
        if low >= high or not effects:
            result.append(span)
            continue
        if span.start < low:
            result.append(span.part(span.start, low))
        result.append(replace(span.part(low, high), effects=span.effects + effects))
        if high < span.stop:
            result.append(span.part(high, span.stop))
    return result


def stems_of(item: Item, track: Track) -> set[str]:
    """The names under which an item's sound can be switched off from outside: its roles and their main
    roles."""
    roles = (
        item.sound.roles
        if item.sound is not None and item.sound.roles
        else ((track.role,) if track.role else ())
    )
    return {name.lower() for role in roles for name in (role, role.partition(".")[0])}


def frame_raster(sequence: Sequence) -> Raster:
    width, height = sequence.frame_size
    return Raster(width, height, float(sequence.pixel_aspect))


def media_raster(media: Media | None, frame: Raster) -> Raster:
    """The medium's size; the sequence's where it is not known, and for titles and generators."""
    if media is None or not media.width or not media.height:
        return frame
    return Raster(media.width, media.height, float(media.pixel_aspect))


def _local(item: Item, times: Times) -> Floats:
    return times.floats() - float(item.start)


def _clamped(shown: NDArray[np.int64], item: Item, count: int | None) -> NDArray[np.int64]:
    """Hold the first and last frame of a retimed medium; numbers outside an unretimed one are kept as they
    are."""
    if item.speed is NORMAL or not count or count < 1:
        return shown
    return np.clip(shown, 0, count - 1)


def source_rate(media: Media | None, sequence: Sequence) -> Rate:
    """The rate in which source frames are counted: the medium's, or the sequence's where it has none."""
    return media.rate if media is not None and media.rate is not None else sequence.rate


def _source_frames(
    item: Item, media: Media | None, times: Times, sequence: Sequence, offset: Exact
) -> NDArray[np.int64] | None:
    if isinstance(item.content, Generator) or (
        media is None and not isinstance(item.content, MediaUse | Angles)
    ):
        return None
    if item.still or (media is not None and media.still):
        return np.zeros(1, dtype=np.int64)
    rate = source_rate(media, sequence)
    pieces = [
        boundaries.shown(direction)
        for _, _, boundaries, direction in source_pieces(
            item.speed, item.source_in + offset, item.start, times, sequence.rate, rate.fps
        )
    ]
    count = int(media.duration) if media is not None and media.duration is not None else None
    return _clamped(pieces[0] if len(pieces) == 1 else np.concatenate(pieces), item, count)


def _source_samples(
    item: Item, media: Media | None, times: Times, sequence: Sequence, offset: Exact
) -> NDArray[np.int64] | None:
    if not isinstance(item.content, MediaUse | Angles):
        return None
    rate = (media.sample_rate if media is not None else None) or sequence.sample_rate or 48000
    pieces = [
        boundaries.shown(direction)
        for _, _, boundaries, direction in source_pieces(
            item.speed, item.source_in + offset, item.start, times, sequence.rate, rate
        )
    ]
    count = None
    if media is not None and media.duration is not None:
        count = ceil(source_rate(media, sequence).seconds(media.duration) * rate)
    return _clamped(pieces[0] if len(pieces) == 1 else np.concatenate(pieces), item, count)


def _gain(item: Item, times: Times) -> float | Floats:
    """Level and fades of an item in dB; a float where nothing moves."""
    sound = item.sound or _PLAIN_SOUND
    level: Curve = sound.level
    if not level.animated and sound.fade_in is None and sound.fade_out is None:
        return level.still[0]
    local = _local(item, times)
    gain = curve_values(level, local)[:, 0] if level.animated else np.full(len(times), level.still[0])
    if sound.fade_in is not None:
        gain = gain + fade_gain(sound.fade_in, local)
    if sound.fade_out is not None:
        gain = gain + fade_gain(sound.fade_out, float(item.duration) - local)
    return gain


def fade_gain(fade: Fade, elapsed: Floats) -> Floats:
    """Gain in dB after ``elapsed`` frames of a fade in: u for ``linear``, sin(πu/2) for the others (equal
    power)."""
    if fade.duration <= 0:
        return np.zeros_like(elapsed)
    u = np.clip(elapsed / float(fade.duration), 0.0, 1.0)
    with np.errstate(divide="ignore"):
        return 20.0 * np.log10(u if fade.shape == "linear" else np.sin(u * np.pi / 2))
