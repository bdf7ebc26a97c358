"""Mono tracks that are one: neighbours of one name with the same clips, panned to either side or not at
all."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from wexodos.model import Curve, Item, Key, Sound, Transition
from wexodos.timing import Exact


@dataclass(slots=True)
class Mono:
    """A sound slot as a track of items of one channel each."""

    name: str
    items: list[Item]
    transitions: list[Transition]
    enabled: bool = True


def merged(tracks: list[Mono]) -> list[Mono]:
    """Bring together what one clip's channels were spread over; a track whose items all went into its
    neighbour is gone."""
    result: list[Mono] = []
    for track in tracks:
        home = result[-1] if result else None
        if home is not None and home.enabled == track.enabled and home.name == track.name:
            partners = partners_of(home.items, home.transitions, track.items)
            for place, item in zip(partners, track.items):
                home.items[place] = _joined(home.items[place], item)
            if partners:
                continue
        result.append(track)
    for track in result:
        track.items = [_settled(item) for item in track.items]
    return result


def partners_of(home: Sequence[Item], transitions: Sequence[Transition], items: Sequence[Item]) -> list[int]:
    """Of which items of its neighbour those of a track are further channels; nothing where one of them is
    none."""
    places = {_shape(item): place for place, item in enumerate(home)}
    joined = {one.cut for one in transitions}
    found = []
    for item in items:
        place = places.get(_shape(item))
        if place is None or not _fits(home[place], item, joined):
            return []
        found.append(place)
    return found


def _shape(item: Item) -> tuple[object, ...]:
    level = item.sound.level if item.sound is not None else None
    return item.start, item.duration, item.content, item.source_in, item.speed, level, item.name


def _fits(first: Item, item: Item, joined: set[Exact]) -> bool:
    """Whether an item is another channel of the first. Beside a clip of fewer channels its crossfade is a
    fade from nothing."""
    a, b = first.sound, item.sound
    if (
        a is not None
        and b is not None
        and (
            (a.fade_in != b.fade_in and first.start not in joined)
            or (a.fade_out != b.fade_out and first.end not in joined)
        )
    ):
        return False
    if a is None or b is None or not a.channels or not b.channels or b.channels[0] <= a.channels[-1]:
        return False
    if a.pan is None and b.pan is None:
        return True
    if len(a.channels) > 1 or a.pan is None or b.pan is None:
        return False
    pairs = zip(_values(a.pan), _values(b.pan))
    return (
        len(_values(a.pan)) == len(_values(b.pan))
        and all(left <= -0.999 or right >= 0.999 for left, right in pairs)
        and not all(abs(left - right) < 0.001 for left, right in zip(_values(a.pan), _values(b.pan)))
    )


def _values(curve: Curve) -> list[float]:
    return [key.value[0] for key in curve.keys] or [curve.value[0]]


def _joined(first: Item, item: Item) -> Item:
    a, b = first.sound, item.sound
    assert a is not None and b is not None
    muted = a.muted + b.muted
    if first.enabled != item.enabled:
        muted += (a if not first.enabled else b).channels
    pan = None
    if a.pan is not None and b.pan is not None:
        # The side each has by itself taken away, both say the same: what the pair was moved by.
        keys = tuple(
            Key(one.time, (one.value[0] + other.value[0],), one.ease)
            for one, other in zip(a.pan.keys, b.pan.keys)
        )
        pan = Curve((a.pan.value[0] + b.pan.value[0],), keys)
        if not keys and abs(pan.value[0]) < 1e-6:
            pan = None
    sound = replace(a, channels=a.channels + b.channels, muted=muted, pan=pan)
    return replace(first, sound=sound, enabled=first.enabled or item.enabled)


def _settled(item: Item) -> Item:
    """An explicit centre says no more than nothing."""
    sound: Sound | None = item.sound
    if (
        sound is not None
        and sound.pan is not None
        and not sound.pan.animated
        and abs(sound.pan.still[0]) < 1e-6
    ):
        return replace(item, sound=replace(sound, pan=None))
    return item
