"""Pieces that are rendered at the speed of the only clip that plays them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction

from wexodos.model import Constant, Item, Media, Variable
from wexodos.sound.decode import Facts
from wexodos.sound.piece import Piece, Ramp, stamp_for, stem_of, stretch
from wexodos.timing import Exact, Rate, ceil, exact, floor


@dataclass(frozen=True, slots=True)
class Played:
    """A clip at a speed of its own, in frames of ``own``: its medium with what is known of its sound and its
    length in seconds, and the transitions around it by their cuts."""

    item: Item
    media: Media
    told: Facts | None
    length: Exact | None
    joins: Mapping[Exact, object]
    own: Rate

    @property
    def reach(self) -> tuple[Exact, Exact]:
        """What of the clip is heard, in frames from its start: itself and its part of the transitions."""
        item = self.item
        before, after = self.joins.get(item.start), self.joins.get(item.end)
        low = min(0, getattr(before, "start", item.start) - item.start)
        return low, max(item.duration, getattr(after, "end", item.end) - item.start)


def rendered(clip: Played, rate: int, handles: Exact, key: str) -> tuple[Piece, Exact]:
    """A piece at ``rate`` samples a second under ``key``, and how many seconds of it lie before its clip."""
    if isinstance(clip.item.speed, Variable):
        return _ramped(clip, rate, key)
    return _paced(clip, clip.item.speed, rate, handles, key)


def _paced(clip: Played, speed: Constant, rate: int, handles: Exact, key: str) -> tuple[Piece, Exact]:
    item, own, length, pace = clip.item, clip.own, clip.length, speed.rate
    low, high = clip.reach

    def room(time: Exact, back: bool) -> Exact:
        """Seconds of the cut for which there is more of the source before or behind a time of the item."""
        place = exact(item.source_in + pace * own.seconds(time))
        to_first = back == (pace > 0)
        if to_first:
            return max(0, exact(Fraction(place) / abs(Fraction(pace))))
        return handles if length is None else max(0, exact(Fraction(length - place) / abs(Fraction(pace))))

    period = _period(rate, own)
    lead = own.frames(min(handles, room(low, True))) - low
    lead = (
        floor(exact(Fraction(lead) / period)) * period
        if lead >= period
        else ceil(exact(Fraction(lead) / period)) * period
    )
    tail = own.frames(min(handles, room(high, False))) + high
    start = exact(item.source_in - pace * own.seconds(lead))
    return _piece(clip, rate, key, start, exact(lead + tail), pace, None), own.seconds(lead)


def _ramped(clip: Played, rate: int, key: str) -> tuple[Piece, Exact]:
    """One whose speed changes. It has no handles but what its transitions need: nobody says how a ramp would
    go on."""
    assert isinstance(clip.item.speed, Variable)
    low, high = clip.reach
    period = _period(rate, clip.own)
    lead = ceil(exact(Fraction(-low) / period)) * period
    ramp = Ramp(clip.item.speed, clip.own, clip.own.seconds(lead))
    start, _ = stretch(clip.item, clip.own, clip.joins)
    return _piece(clip, rate, key, start, exact(lead + high), 1, ramp), ramp.lead


def _period(rate: int, own: Rate) -> int:
    """Every so many frames one begins right on a sample."""
    return Fraction(rate * own.denominator, own.numerator).denominator


def _piece(
    clip: Played, rate: int, key: str, start: Exact, frames: Exact, pace: Exact, ramp: Ramp | None
) -> Piece:
    """A piece of so many ``frames`` of the cut."""
    sound = clip.item.sound
    return Piece(
        key,
        f"{stem_of(clip.media)}-speed-{int(key.rsplit('#', 1)[-1]):03d}",
        clip.media.id,
        start,
        max(1, ceil(clip.own.seconds(frames) * rate)),
        rate,
        tuple(sorted((sound.channels if sound else ()) or (1,))),
        clip.told,
        None,
        pace,
        stamp_for(clip.told, [clip.item]),
        ramp,
    )
