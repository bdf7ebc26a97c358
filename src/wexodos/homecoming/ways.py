"""The ways in which a render can take the place of its event, by what of the clip is in its picture."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction
from pathlib import Path

from wexodos.ground.names import fresh
from wexodos.homecoming.renders import Matched
from wexodos.media import Probed
from wexodos.model import Constant, Curve, Item, Key, Media, MediaUse, Motion, Sequence, constant
from wexodos.model.speed import NORMAL
from wexodos.timing import exact, floor


class What(StrEnum):
    """What would act twice."""

    MOTION = "motion"
    SPEED = "speed"
    FILTER = "filter"
    COLOUR = "colour"
    BLEND = "blend"
    FADE = "fade"


@dataclass(frozen=True, slots=True)
class Way:
    """A way in which a render may take the place of an event."""

    item: Item
    off: frozenset[What]


def ways(one: Matched, medium: Media, sequence: Sequence) -> list[Way]:
    """The ways in which a render can take the place of its event: with its speed and sizing, or without."""
    found, event = one.found, one.found.event
    item = replace(event.item, content=MediaUse(medium.id), still=False)
    length = Fraction(one.facts.length or 0)
    spare = length - Fraction(sequence.rate.seconds(item.duration))
    middle = max(0, exact(floor(spare / 2 * sequence.rate.fps) / Fraction(sequence.rate.fps)))
    speeds: list[tuple[Item, frozenset[What]]] = []
    if item.speed == NORMAL and not event.item.still:
        speeds.append((replace(item, source_in=found.head), frozenset()))
    else:
        frozen = isinstance(item.speed, Constant) and not item.speed.rate
        if found.by_source and not (frozen and spare >= 0):
            speeds.append((replace(item, source_in=found.head), frozenset()))
        if spare >= 0:
            made = replace(item, source_in=middle if found.by_source else found.head, speed=NORMAL)
            retimed = item.speed != NORMAL
            speeds.append((made, frozenset({What.SPEED}) if retimed else frozenset()))
        shown = Fraction(sequence.rate.seconds(item.duration)) * _pace(item)
        if not found.by_source and shown:
            # It may as well be of the source, with as much before as behind.
            begin = exact(floor((length - shown) / 2 * sequence.rate.fps) / Fraction(sequence.rate.fps))
            if begin > middle:
                speeds.append((replace(item, source_in=begin), frozenset()))
        if not speeds:
            speeds.append((replace(item, source_in=found.head), frozenset()))
    found_ways = []
    for one_speed, off in speeds:
        motion = one_speed.motion or Motion()
        kept = resized(motion, event.media, medium)
        found_ways.append(Way(replace(one_speed, motion=kept), off))
        neutral = replace(
            Motion(fit="none" if (medium.width, medium.height) == sequence.frame_size else "fit"),
            opacity=motion.opacity,
        )
        if neutral != kept:
            found_ways.append(Way(replace(one_speed, motion=neutral), off | {What.MOTION}))
    return found_ways


def _pace(item: Item) -> Fraction:
    """How much of its source an item shows in a second, forwards; nought where that is no one number."""
    speed = item.speed
    return max(Fraction(0), Fraction(speed.rate)) if isinstance(speed, Constant) else Fraction(0)


def resized(motion: Motion, before: Media, after: Media) -> Motion:
    """The sizing of a medium for one of another size: what is seen stays as large."""
    if motion.fit != "none" or not before.width or not before.height or not after.width or not after.height:
        return motion
    across, down = before.width / after.width, before.height / after.height
    if (across, down) == (1, 1):
        return motion
    curve = motion.scale

    def times(value: tuple[float, ...]) -> tuple[float, ...]:
        return value[0] * across, value[1] * down

    if not curve.keys:
        return replace(motion, scale=constant(*times(curve.value)))
    keys = tuple(Key(key.time, times(key.value), key.ease) for key in curve.keys)
    return replace(motion, scale=Curve(times(curve.value), keys, curve.domain))


def medium_of(facts: Probed, ids: set[str]) -> Media:
    """The medium that a render is, under an id that is not among ``ids`` and is from now on."""
    path = Path(facts.path)
    rate = facts.frames_per_second
    return Media(
        fresh("render", ids),
        path.name,
        str(path.resolve()),
        facts.reel or None,
        facts.start,
        facts.drop_frame,
        floor(rate.frames(facts.length or 0)) if rate is not None else None,
        rate,
        facts.width or None,
        facts.height or None,
        Fraction(facts.pixel_aspect) if facts.pixel_aspect not in ("", "1") else 1,
        facts.field_order or "progressive",
        video=True,
        alpha="straight" if facts.alpha else None,
    )
