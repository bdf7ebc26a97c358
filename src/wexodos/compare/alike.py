"""Which items show and play the same without being evaluated: everything that says so is equal.

A whole is the same if all its parts are. So only items of which some part differs have to be evaluated frame
by frame; of 10,000 clips that came home as they left there are none.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import TypeAlias, TypeVar

from wexodos.compare.match import Placed
from wexodos.evaluate import Raster
from wexodos.evaluate.evaluator import media_raster
from wexodos.evaluate.geometry import fit_factor
from wexodos.evaluate.tolerances import SENSES, Precision
from wexodos.model import (
    Adjustment,
    Angles,
    Curve,
    Document,
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

_STILL, _SILENT = Motion(), Sound()
_Part = TypeVar("_Part", Motion, Sound)


Pair: TypeAlias = tuple[str, str]


@dataclass(frozen=True, slots=True)
class _Near:
    """How far values of curves may lie apart to count as equal without a look: a tenth of what makes a
    difference, or less."""

    motion: tuple[tuple[str, float], ...]
    level: float
    pan: float

    @classmethod
    def of(cls, within: Precision) -> _Near:
        part, share = within.fraction / 500, within.share / 20
        return cls(
            (
                ("position", within.pixels / 10),
                ("scale", part),
                ("rotation", within.degrees / 10),
                ("anchor", part),
                ("crop", part),
                ("corners", part),
                ("opacity", share),
            ),
            level=within.decibels / 100,
            pan=share,
        )


@dataclass(slots=True)
class Doubtful:
    """The items of the two cuts themselves that have to be evaluated, by id; ``all`` where everything has to
    be.

    A nest is doubtful where anything inside it is: ``spoiled`` holds pairs of nested sequences with something
    doubtful inside, ``uses`` by such a pair where it is used: in which pair of sequences (None for the cuts
    themselves), by which items.
    """

    first: set[str] = field(default_factory=set)
    second: set[str] = field(default_factory=set)
    spoiled: set[Pair] = field(default_factory=set)
    uses: dict[Pair, set[tuple[Pair | None, str, str]]] = field(default_factory=dict)
    all: bool = False

    def add(self, inside: Pair | None, one: str, other: str) -> None:
        """Two items that have to be evaluated, ``inside`` a pair of nested sequences or in the cuts
        themselves."""
        if inside is not None:
            self.spoiled.add(inside)
        else:
            self.first.add(one)
            self.second.add(other)

    def use(self, nest: str, other_nest: str, inside: Pair | None, one: str, other: str) -> None:
        """Two items that use two nested sequences."""
        self.uses.setdefault((nest, other_nest), set()).add((inside, one, other))

    def settle(self) -> None:
        """Carry doubt from the insides of nests to where they are used."""
        waiting = list(self.spoiled)
        while waiting:
            for inside, one, other in self.uses.pop(waiting.pop(), set()):
                self.add(inside, one, other)
                if inside is not None and inside in self.uses:
                    waiting.append(inside)


def around(a: Sequence, b: Sequence) -> bool:
    """Whether two sequences lay out what stands in them alike, apart from their items."""
    return (
        a.frame_size == b.frame_size
        and a.pixel_aspect == b.pixel_aspect
        and (a.sample_rate or 48000) == (b.sample_rate or 48000)
        and a.rate == b.rate
        and not any(isinstance(item.content, Adjustment) for one in (a, b) for item in one.items())
    )


class Alike:
    """Tells for pairs of items of two documents whether they are surely the same."""

    def __init__(self, a: Document, b: Document, within: Precision = SENSES) -> None:
        self.a, self.b = a.media_by_id, b.media_by_id
        self.near = _Near.of(within)
        self._media: dict[tuple[str, str], bool] = {}
        self._curves: dict[tuple[int, int], bool] = {}

    def joins(self, sequence: Sequence) -> dict[str, dict[object, Transition]]:
        """The transitions of a sequence by the label of their track and the cut they sit on."""
        return {
            label: {one.cut: one for one in track.transitions} for label, track in sequence.labelled_tracks()
        }

    def same(
        self,
        one: Placed,
        other: Placed,
        joins_a: dict[str, dict[object, Transition]],
        joins_b: dict[str, dict[object, Transition]],
        frame: Raster,
    ) -> bool:
        """Whether two items that belong together show and play the same at every frame of ``frame``, the
        insides of nests apart."""
        x, y = one.item, other.item
        return (
            x.start == y.start
            and x.duration == y.duration
            and x.enabled == y.enabled
            and x.still == y.still
            and x.blend == y.blend
            and (x.still or x.source_in == y.source_in)
            and x.speed == y.speed
            and self._motions(x, y, frame)
            and self._once(_sounds, x.sound or _SILENT, y.sound or _SILENT)
            and (
                x.effects is y.effects
                or [effect.name for effect in x.effects if effect.enabled]
                == [effect.name for effect in y.effects if effect.enabled]
            )
            and self._contents(x, y)
            and _dressed(joins_a[one.track], x, joins_b[other.track], y)
        )

    def _once(self, same: Callable[[_Part, _Part, _Near], bool], one: _Part, other: _Part) -> bool:
        """Whether two parts are the same; many items of one document share theirs."""
        key = id(one), id(other)
        known = self._curves.get(key)
        if known is None:
            known = self._curves[key] = same(one, other, self.near)
        return known

    def _motions(self, x: Item, y: Item, frame: Raster) -> bool:
        """Whether both stand at the same place; a size may be said by the fit of one and the scale of the
        other."""
        one, other = x.motion or _STILL, y.motion or _STILL
        if one is other:
            return True
        if one.fit == other.fit:
            return self._once(_motions, one, other)
        if not isinstance(x.content, MediaUse) or not isinstance(y.content, MediaUse):
            return False
        mine = fit_factor(one.fit, media_raster(self.a.get(x.content.media), frame), frame)
        theirs = fit_factor(other.fit, media_raster(self.b.get(y.content.media), frame), frame)
        return _motions(one, _scaled(other, theirs / mine), self.near)

    def _contents(self, x: Item, y: Item) -> bool:
        before, after = x.content, y.content
        if type(before) is not type(after):
            return False
        if isinstance(before, MediaUse) and isinstance(after, MediaUse):
            return self._same_media(before.media, after.media)
        if isinstance(before, NestedUse) and isinstance(after, NestedUse):
            return before.silent == after.silent
        if isinstance(before, Angles) and isinstance(after, Angles):
            uses = [
                (content.angle(content.video), content.angle(content.audio)) for content in (before, after)
            ]
            pairs = list(zip(*uses))
            return all(
                mine is not None
                and theirs is not None
                and mine.offset == theirs.offset
                and mine.name == theirs.name
                and mine.media is not None
                and theirs.media is not None
                and self._same_media(mine.media, theirs.media)
                for mine, theirs in pairs
            )
        return True

    def _same_media(self, one: str, other: str) -> bool:
        key = one, other
        known = self._media.get(key)
        if known is None:
            x, y = self.a.get(one), self.b.get(other)
            known = self._media[key] = x is not None and y is not None and _facts(x) == _facts(y)
        return known


def _facts(media: Media) -> tuple[object, ...]:
    """What of a medium decides what is seen and heard of it."""
    return (
        media.file_name.lower(),
        media.width,
        media.height,
        media.pixel_aspect,
        media.rate,
        media.duration,
        media.sample_rate,
        media.still,
    )


def _near(one: Curve, other: Curve, limit: float) -> bool:
    if one is other:
        return True
    if not one.animated and not other.animated:
        return len(one.still) == len(other.still) and all(
            x == y or abs(x - y) <= limit for x, y in zip(one.still, other.still)
        )
    return (
        one.domain == other.domain
        and len(one.keys) == len(other.keys)
        and all(
            mine.time == theirs.time
            and mine.ease is theirs.ease
            and all(x == y or abs(x - y) <= limit for x, y in zip(mine.value, theirs.value))
            for mine, theirs in zip(one.keys, other.keys)
        )
    )


def _scaled(other: Motion, ratio: float) -> Motion:
    """A motion with another scale."""
    if ratio != 1.0:
        scale = replace(
            other.scale,
            value=tuple(part * ratio for part in other.scale.value),
            keys=tuple(
                replace(key, value=tuple(part * ratio for part in key.value)) for key in other.scale.keys
            ),
        )
        return replace(other, scale=scale)
    return other


def _motions(one: Motion, other: Motion, near: _Near) -> bool:
    """Whether all curves are the same."""
    return all(_near(getattr(one, name), getattr(other, name), limit) for name, limit in near.motion)


def _sounds(one: Sound, other: Sound, near: _Near) -> bool:
    if one is other:
        return True
    pans = one.pan, other.pan
    return (
        one.channels == other.channels
        and sorted(one.muted) == sorted(other.muted)
        and one.fade_in == other.fade_in
        and one.fade_out == other.fade_out
        and _near(one.level, other.level, near.level)
        and (
            pans == (None, None)
            or (pans[0] is not None and pans[1] is not None and _near(pans[0], pans[1], near.pan))
        )
    )


def _dressed(a: dict[object, Transition], x: Item, b: dict[object, Transition], y: Item) -> bool:
    """Whether both items stand between the same transitions."""
    if not a and not b:
        return True
    for one, other in ((a.get(x.start), b.get(y.start)), (a.get(x.end), b.get(y.end))):
        if one is None and other is None:
            continue
        if one is None or other is None:
            return False
        if (one.start, one.duration, one.type) != (other.start, other.duration, other.type):
            return False
    return True


def only(sequence: Sequence, wanted: set[str]) -> Sequence:
    """The sequence with nothing but the items of these ids on its tracks, as long as it was."""
    tracks = tuple(_only(track, wanted) for track in sequence.tracks)
    return replace(sequence, tracks=tracks, stated_duration=sequence.duration)


def _only(track: Track, wanted: set[str]) -> Track:
    items = tuple(item for item in track.items if item.id in wanted)
    return replace(track, items=items, transitions=track.transitions if items else ())
