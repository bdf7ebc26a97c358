"""A cut that can be changed for a look: what a frame of it would be without a layer, with another source
frame, at another place."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction

import cv2
import numpy as np
from numpy.typing import NDArray

from wexodos.evaluate import Evaluator
from wexodos.evaluate.layers import Layer, layers_at
from wexodos.model import (
    Angles,
    Constant,
    Curve,
    Item,
    Key,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    Track,
    constant,
)
from wexodos.model.items import with_curves
from wexodos.model.speed import source_at
from wexodos.picture.place import corners_of
from wexodos.screening.align import Aligned
from wexodos.screening.calibrate import decoded_size, floats
from wexodos.screening.cut_view import CutView
from wexodos.screening.film import Film, Reader
from wexodos.screening.measure import Colour, Floats, Lie, inner
from wexodos.screening.running import excess
from wexodos.timing import Exact, exact, floor

LOOKED = 180
"""Lines at which a fault is looked into."""
_KEPT = 48 << 20
"""Bytes of pictures of the movie that are kept."""


@dataclass(frozen=True, slots=True)
class Placed:
    """An item of the cut on its track."""

    item: Item
    track: str
    number: int


class Scene:
    """The cut and the movie side by side, for looks at single frames."""

    def __init__(self, view: CutView, film: Film, found: Aligned, burnt: NDArray[np.bool_]) -> None:
        self.view, self.found = view, found
        self._film = film
        self._reader = Reader(film)
        self.size = view.size(LOOKED)
        mask = inner(found.box.mask(found.shown, self.size), 2)
        words = cv2.resize(burnt.astype(np.uint8), self.size, interpolation=cv2.INTER_NEAREST) > 0
        self.mask: NDArray[np.bool_] = mask & ~words
        self._seen: dict[tuple[int, int], Floats | None] = {}
        self.items = [
            Placed(item, label, number)
            for number, (label, track) in enumerate(view.sequence.labelled_tracks())
            if track.kind == "video"
            for item in track.items
        ]
        self._by_id = {one.item.id: one for one in self.items}

    def close(self) -> None:
        self._reader.__exit__()

    def placed(self, item_id: str) -> Placed | None:
        return self._by_id.get(item_id)

    def theirs(self, frame: int, tall: int = LOOKED) -> Floats | None:
        """What the movie shows at a frame of the cut, in its frame; None outside the movie."""
        key = frame, tall
        if key not in self._seen:
            place = self.found.place(frame)
            size = self.view.size(tall)
            picture = None
            if 0 <= place < self._film.count:
                picture = self._reader.at(place, *decoded_size(self.found.box, size))
            if sum(one.nbytes for one in self._seen.values() if one is not None) > _KEPT:
                self._seen.clear()
            self._seen[key] = floats(self.found.box.of(picture, size)) if picture is not None else None
        return self._seen[key]

    def ours(self, sequence: Sequence, frame: int, tall: int = LOOKED) -> Floats:
        """A frame of the cut, or of a changed one."""
        return self.view.composed(sequence, frame, tall)

    def far(self, sequence: Sequence, frame: int, colours: Colour) -> float:
        """How far a frame of a (changed) cut lies from the movie's, on the whole."""
        theirs = self.theirs(frame)
        if theirs is None:
            return 0.0
        return float(excess(colours(self.ours(sequence, frame)), theirs, self.mask).mean())

    def straight(self, sequence: Sequence, frame: int, colours: Colour) -> float:
        """The mean square of what lies between a frame of a (changed) cut and the movie's."""
        theirs = self.theirs(frame)
        if theirs is None:
            return 0.0
        return float(np.square(colours(self.ours(sequence, frame)) - theirs)[self.mask].mean())

    # ---- changes

    def changed(self, sequence: Sequence, *items: Item) -> Sequence:
        """A cut with other items in place of those of their ids."""
        by_id = {one.id: one for one in items}
        tracks = tuple(
            replace(track, items=tuple(by_id.get(item.id, item) for item in track.items))
            if track.kind == "video"
            else track
            for track in sequence.tracks
        )
        return replace(sequence, tracks=tracks)

    def shown_anyway(self, sequence: Sequence, one: Placed) -> Sequence:
        """A cut with something that is switched off switched on, and its track."""
        tracks = []
        for track in sequence.tracks:
            items = tuple(
                replace(item, enabled=True) if item.id == one.item.id else item for item in track.items
            )
            if any(item.id == one.item.id for item in items):
                # The others of a track that is off stay unseen.
                others = tuple(
                    item if item.id == one.item.id or track.enabled else replace(item, enabled=False)
                    for item in items
                )
                track = replace(track, items=others, enabled=True)
            tracks.append(track)
        return replace(sequence, tracks=tuple(tracks))

    def frozen(self, item: Item, frame: int, later: int) -> Item | None:
        """An item that stands still at the picture it shows at a frame of the cut, or so many frames of its
        source later; None for what has no source frames, or none there."""
        rate = self.view.sequence.rate
        layer = self._layer(self.view.sequence, item, frame)
        if layer is None or item.still or not isinstance(item.content, MediaUse | NestedUse | Angles):
            return None
        fps = Fraction(rate.fps)
        length: Exact | None = None
        if isinstance(item.content, NestedUse):
            nest = self.view.document.sequences_by_id[item.content.sequence]
            fps, length = Fraction(nest.rate.fps), nest.duration
        elif layer.media is None or layer.media.still:
            return None
        else:
            fps = Fraction(layer.media.rate.fps) if layer.media.rate is not None else fps
            length = layer.media.duration
        seconds, way = source_at(item.speed, item.source_in, frame - item.start, rate)
        number = floor(Fraction(seconds) * fps) - (1 if way < 0 else 0) + later
        if number < 0 or (length is not None and number >= length and not isinstance(item.content, Angles)):
            return None
        # The middle of the frame, so that nothing hangs on rounding.
        begin = exact((Fraction(number) + Fraction(1, 2)) / fps)
        return replace(item, source_in=begin, speed=Constant(0))

    def source_fps(self, item: Item) -> Fraction:
        """Frames a second in which the source of an item is counted."""
        if isinstance(item.content, NestedUse):
            return Fraction(self.view.document.sequences_by_id[item.content.sequence].rate.fps)
        layer = self._layer(self.view.sequence, item, floor(item.start))
        media = layer.media if layer is not None else None
        rate = media.rate if media is not None and media.rate is not None else self.view.sequence.rate
        return Fraction(rate.fps)

    def lying(self, sequence: Sequence, item: Item, frame: int, lie: Lie) -> Item | None:
        """An item that lies as was measured, with its own way of moving; None where it is not seen."""
        motion = item.motion or Motion()
        layer = self._layer(sequence, item, frame)
        if layer is None:
            return None
        across, down = lie.scale
        larger = replace(
            motion,
            scale=_each(motion.scale, lambda value: (value[0] * across, value[1] * down)),
            rotation=_each(motion.rotation, lambda value: (value[0] + lie.turned,)),
        )
        made = replace(item, motion=larger)
        now = self._layer(self.changed(sequence, made), made, frame)
        if now is None:
            return None
        unit = self.unit()
        center = (float(layer.center[0]) * unit[0], float(layer.center[1]) * unit[1])
        by = lie.moved(center)
        wanted = (center[0] + by[0]) / unit[0], (center[1] + by[1]) / unit[1]
        shift = wanted[0] - float(now.center[0]), wanted[1] - float(now.center[1])
        position = _each(larger.position, lambda value: (value[0] + shift[0], value[1] + shift[1]))
        return replace(made, motion=replace(larger, position=position))

    def center(self, sequence: Sequence, item: Item, frame: int) -> tuple[float, float] | None:
        """Where the middle of an item lies, in pixels of a look; None where it is not seen."""
        layer = self._layer(sequence, item, frame)
        unit = self.unit()
        if layer is None:
            return None
        return float(layer.center[0]) * unit[0], float(layer.center[1]) * unit[1]

    def covered(self, sequence: Sequence, item: Item, frame: int, size: tuple[int, int]) -> NDArray[np.bool_]:
        """Where the picture of an item lies in a frame of a size; nowhere where it is not seen."""
        made = np.zeros(size[::-1], np.uint8)
        layer = self._layer(sequence, item, frame)
        if layer is not None:
            wide, tall = self.view.sequence.frame_size
            aspect = float(self.view.sequence.pixel_aspect)
            left, top, right, bottom = layer.crop
            corners = corners_of(layer.center, layer.size, float(layer.rotation), layer.corners, aspect)
            places = corners * [size[0] / wide, size[1] / tall]
            across, down = places[1] - places[0], places[3] - places[0]
            # What is cropped away is given in parts of the source, as the corners are.
            inside = [
                places[0] + x * across + y * down
                for x, y in ((left, top), (1 - right, top), (1 - right, 1 - bottom), (left, 1 - bottom))
            ]
            cv2.fillConvexPoly(made, np.round(inside).astype(np.int32), 1)
        return np.asarray(made > 0, np.bool_)

    def unit(self) -> tuple[float, float]:
        """Pixels of a look for one of the cut's frame."""
        wide, tall = self.view.sequence.frame_size
        return self.size[0] / wide, self.size[1] / tall

    def _layer(self, sequence: Sequence, item: Item, frame: int) -> Layer | None:
        # Tracks that come and go must not be mistaken for one another.
        found = layers_at(Evaluator(self.view.document), sequence, frame, item.id)
        return found[0] if found else None

    def alone(self, sequence: Sequence, item: Item) -> Sequence:
        """Nothing but one item, without its transitions."""
        return replace(
            sequence,
            tracks=(Track("video", (replace(item, enabled=True),)),),
            stated_duration=sequence.duration,
        )


def _each(curve: Curve, turn: object) -> Curve:
    """A curve with all its values turned into others."""
    assert callable(turn)
    keys = tuple(Key(key.time, turn(key.value), key.ease) for key in curve.keys)
    return Curve(turn(curve.value), keys, curve.domain) if keys else constant(*turn(curve.value))


def extended(item: Item, first: int, last: int, sequence: Sequence) -> Item | None:
    """An item that lasts from a frame to another one, what it shows in its own time; None for a ramp that
    would have to begin earlier."""
    head = item.start - first
    if head > 0:
        if not isinstance(item.speed, Constant):
            return None
        begin = exact(
            Fraction(item.source_in) - Fraction(item.speed.rate) * Fraction(sequence.rate.seconds(head))
        )
        item = with_curves(
            item, lambda curve: replace(curve, keys=tuple(replace(k, time=k.time + head) for k in curve.keys))
        )
        item = replace(item, start=first, duration=item.duration + head, source_in=begin)
    return replace(item, duration=max(item.duration, last - item.start))
