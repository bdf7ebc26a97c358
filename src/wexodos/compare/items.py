"""Two items that belong together: places, what they say of themselves, how they sound between frames."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from wexodos.compare.aspects import Aspect
from wexodos.compare.difference import Difference, name_of
from wexodos.compare.match import Placed
from wexodos.compare.shown import contents
from wexodos.evaluate import curve_values
from wexodos.evaluate.hearing import furthest
from wexodos.evaluate.tolerances import SENSES, Precision
from wexodos.model import (
    Constant,
    Document,
    Generator,
    Item,
    MediaUse,
    NestedUse,
    Sound,
    Title,
    Variable,
)
from wexodos.model.speed import NORMAL, even
from wexodos.timing import Exact, Rate, ceil, format_exact


def pair(
    a: Document, one: Placed, b: Document, other: Placed, rate: Rate, within: Precision = SENSES
) -> Iterator[Difference]:
    """What two items that belong together say otherwise, frames apart; ``rate`` is that of the first one's
    sequence."""
    x, y = one.item, other.item
    label = one.track

    def told(kind: str, what: str, before: Any, after: Any) -> Difference:
        return Difference(kind, what, name_of(x), x.id, one.track, x.start, x.end, before, after)

    same_length = x.duration == y.duration
    slipped = _source_moved(x, y, within)
    if x.start != y.start and same_length:
        yield told("moved", "record start", x.start, y.start)
        if slipped:
            yield told("slipped", "source in", *_source_frames(a, x, b, y))
    elif x.start != y.start or not same_length:
        if x.start != y.start:
            yield told("trimmed", "record start", x.start, y.start)
        if x.end != y.end:
            yield told("trimmed", "record end", x.end, y.end)
    elif slipped and x.speed == y.speed:
        yield told("slipped", "source in", *_source_frames(a, x, b, y))
    if one.track != other.track:
        yield told("changed", "track", one.track, other.track)
    if x.enabled != y.enabled:
        yield told("changed", "enabled", x.enabled, y.enabled)
    if x.name != y.name:
        yield told("changed", "name", x.name, y.name)
    if x.blend != y.blend:
        yield told("changed", "blend mode", x.blend, y.blend)
    if (x.alpha or "none") != (y.alpha or "none") and not isinstance(x.content, Title | Generator):
        yield told("changed", "alpha", x.alpha, y.alpha)
    if x.effects or y.effects:
        if _names(x) != _names(y):
            yield told("changed", "filters", ", ".join(_names(x)), ", ".join(_names(y)))
        else:
            yield from _filter_settings(x, y, told, within)
    if x.label != y.label:
        yield told("changed", "label", x.label, y.label)
    if x.metadata and _told(x) - _told(y):
        yield told("changed", "metadata", sorted(_told(x)), sorted(_told(y)))
    if x.note != y.note:
        yield told("changed", "note", x.note, y.note)
    if (x.raw or y.raw) and sorted(raw.tag for raw in x.raw) != sorted(raw.tag for raw in y.raw):
        yield told("changed", "unread elements", [raw.tag for raw in x.raw], [raw.tag for raw in y.raw])
    if isinstance(x.content, NestedUse):
        yield from _around_nests(x, y, told, within)
    if x.sound is not None and y.sound is not None:
        if x.sound.channels != y.sound.channels:
            yield told("changed", "channels", list(x.sound.channels), list(y.sound.channels))
        if x.sound.muted != y.sound.muted and sorted(x.sound.muted) != sorted(y.sound.muted):
            yield told("changed", "mute", list(x.sound.muted), list(y.sound.muted))
        yield from _between_frames(x, x.sound, y, y.sound, label, within)
    if not (x.speed is y.speed is NORMAL) and _speed(x, rate) != _speed(y, rate):
        yield told("changed", "speed", _speed(x, rate), _speed(y, rate))
    yield from contents(a, x, label, b, y, told, within)


def _between_frames(
    x: Item, mine: Sound, y: Item, theirs: Sound, label: str, within: Precision
) -> Iterator[Difference]:
    """Levels and fades that lie apart anywhere, between frames too."""
    if x.duration != y.duration or not (_moves(mine) or _moves(theirs)):
        return
    gap = furthest(mine, theirs, float(x.duration))
    if gap > within.decibels:
        yield Difference(
            "changed",
            Aspect.LEVEL,
            name_of(x),
            x.id,
            label,
            x.start,
            x.end,
            _curve_words(mine),
            _curve_words(theirs),
            (round(gap, 4), "dB"),
        )


def _moves(sound: Sound) -> bool:
    return sound.level.animated or sound.fade_in is not None or sound.fade_out is not None


def _curve_words(sound: Sound) -> str:
    words = [f"{len(sound.level.keys)} keyframes" if sound.level.keys else f"{sound.level.still[0]:g} dB"]
    for name, fade in (("fade in", sound.fade_in), ("fade out", sound.fade_out)):
        if fade is not None:
            words.append(f"{name} of {format_exact(fade.duration)} frames")
    return ", ".join(words)


def _told(item: Item) -> set[tuple[str, str]]:
    """What is noted about an item; a stem that stands in a comment is compared as a stem."""
    return {pair for pair in item.metadata if not pair[1].startswith("STEM: ")}


def _filter_settings(x: Item, y: Item, told: Any, within: Precision) -> Iterator[Difference]:
    """Filters that both dialects know must be set alike at every frame; 1 in 200 of a setting's reach is not
    seen."""
    if not any(effect.settings for effect in x.effects):
        return
    frames = np.arange(min(ceil(x.duration), 100_000) + 1, dtype=np.float64)
    for one, other in zip((e for e in x.effects if e.enabled), (e for e in y.effects if e.enabled)):
        if not one.settings or not other.settings:
            continue
        theirs = dict(other.settings)
        for name, curve in one.settings:
            if name not in theirs:
                yield told("changed", "filter settings", f"{one.name}: {name}", None)
                continue
            mine, that = curve_values(curve, frames), curve_values(theirs[name], frames)
            gap = float(np.abs(mine - that).max())
            if gap > within.setting * max(1.0, float(np.abs(mine).max())):
                yield told("changed", "filter settings", f"{one.name}: {name}", round(gap, 4))


def _around_nests(x: Item, y: Item, told: Any, within: Precision) -> Iterator[Difference]:
    """A nest's own crop, which no picture inside it shows, and the stems that are off in it."""
    if not isinstance(x.content, NestedUse) or not isinstance(y.content, NestedUse):
        return
    if x.content.silent != y.content.silent:
        yield told("changed", "mute", list(x.content.silent), list(y.content.silent))
    if (
        x.motion is not None
        and y.motion is not None
        and (
            x.motion.crop.keys
            or y.motion.crop.keys
            or any(
                abs(one - other) > within.fraction
                for one, other in zip(x.motion.crop.value, y.motion.crop.value)
            )
        )
    ):
        frames = np.arange(ceil(x.duration) + 1, dtype=np.float64)
        if (
            np.abs(curve_values(x.motion.crop, frames) - curve_values(y.motion.crop, frames)).max()
            > within.fraction
        ):
            yield told("changed", "crop", list(x.motion.crop.still), list(y.motion.crop.still))


def _source_frames(a: Document, x: Item, b: Document, y: Item) -> tuple[Exact, Exact]:
    """Both source ins in frames of the medium's rate; in seconds where nothing has a rate."""
    found = []
    for document, item in ((a, x), (b, y)):
        media = document.media_by_id.get(item.content.media) if isinstance(item.content, MediaUse) else None
        rate = media.rate if media is not None else None
        if rate is None and document.sequences:
            rate = document.sequences[0].rate
        found.append(rate.frames(item.source_in) if rate is not None else item.source_in)
    return found[0], found[1]


def _source_moved(x: Item, y: Item, within: Precision) -> bool:
    """Whether the source in differs by more than is forgiven."""
    if x.still or isinstance(x.content, Title | Generator):
        return False
    return x.source_in != y.source_in and abs(float(x.source_in - y.source_in)) > within.seconds


def _speed(item: Item, rate: Rate) -> str:
    """A speed in words, rounded so that the decimals of a dialect do not count. A ramp whose points lie on
    one line is a speed like any other."""
    if item.still or isinstance(item.content, Title | Generator):
        return "100 %"
    speed = item.speed
    if isinstance(speed, Variable):
        speed = even(speed, rate) or speed
    return (
        f"{float(speed.rate) * 100:.3f}".rstrip("0").rstrip(".") + " %"
        if isinstance(speed, Constant)
        else "ramp"
    )


def _names(item: Item) -> list[str]:
    found = [effect.name for effect in item.effects if effect.enabled]
    # Pictures are filtered in order; what is done to sound has a fixed one.
    return found if item.sound is None else sorted(found)
