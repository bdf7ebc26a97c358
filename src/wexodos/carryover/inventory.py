"""Everything in a sequence that could be lost, counted one by one."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator

from wexodos.compare import marker_key
from wexodos.model import NORMAL, Document, Generator, Item, NestedUse, Raw, Sequence, Title
from wexodos.model.items import Motion
from wexodos.settling.leaving import kind_of
from wexodos.settling.speeding import kind_of_speed

_NEUTRAL = Motion()


def numbered(names: list[str]) -> list[str]:
    """Tell equal names apart: ``blur``, ``blur (2)`` …"""
    seen: dict[str, int] = {}
    found = []
    for name in names:
        seen[name] = seen.get(name, 0) + 1
        found.append(name if seen[name] == 1 else f"{name} ({seen[name]})")
    return found


MANY = 16
"""So many pieces of one name that nobody knows are things of their own on an item; more of them are one."""


def pieces(raws: Iterable[Raw]) -> list[tuple[str, tuple[Raw, ...]]]:
    """Pieces that nobody knows, each under a name that tells it apart; where one name comes again and again,
    all of it under that name."""
    groups: dict[str, list[Raw]] = {}
    for raw in raws:
        groups.setdefault(raw.tag, []).append(raw)
    found: list[tuple[str, tuple[Raw, ...]]] = []
    for tag, group in groups.items():
        if len(group) > MANY:
            found.append((tag, tuple(group)))
        else:
            found += [(name, (raw,)) for name, raw in zip(numbered([tag] * len(group)), group)]
    return found


def without(raws: tuple[Raw, ...], gone: tuple[Raw, ...]) -> tuple[Raw, ...]:
    """Pieces without some of them, the very same values."""
    known = set(map(id, gone))
    return tuple(one for one in raws if id(one) not in known)


def things(document: Document, sequence: Sequence) -> set[str]:
    """Return the keys (``kind|what|item id``) of all things in a sequence and the sequences nested in it."""
    found = {"settings|sequence|"}
    for one in (sequence, *document.reachable(sequence)):
        found.update(_in_sequence(one))
    return found


def _in_sequence(sequence: Sequence) -> Iterator[str]:
    for label, track in sequence.labelled_tracks():
        yield f"track|track|{sequence.id}:{label}"
        for name, _ in pieces(track.raw):
            yield f"metadata|{name}|track:{label}"
        for transition in track.transitions:
            yield f"transition|{transition.type}|{transition.id}"
        for item in track.items:
            yield from of_item(item)
    for name, _ in pieces(sequence.raw):
        yield f"metadata|{name}|"
    if sequence.marked is not None:
        yield "metadata|marked range|"
    if any(count > 1 for count in Counter(item.link for item in sequence.items() if item.link).values()):
        yield f"metadata|links|{sequence.id}"
    marks = [marker_key(marker.start, marker) for marker in sequence.markers]
    for item in sequence.items():
        marks += [marker_key(item.start + marker.start, marker) for marker in item.markers]
    for name in numbered(marks):
        yield f"marker|marker|{name}"


def of_item(item: Item) -> Iterator[str]:
    """Yield the keys of one item's things."""
    yield f"{kind_of(item)}|{item.kind}|{item.id}"
    if item.speed is not NORMAL:
        yield f"speed|{kind_of_speed(item)}|{item.id}"
    if item.motion is not None:
        for name, curve in item.motion.curves.items():
            if curve.keys or curve.value != _NEUTRAL.curves[name].value:
                yield f"{'opacity' if name == 'opacity' else 'motion'}|{name}|{item.id}"
    if item.blend != "normal":
        yield f"opacity|blend mode|{item.id}"
    for name in numbered([effect.name for effect in item.effects]):
        yield f"filter|{name}|{item.id}"
    if item.alpha and item.alpha != "none" and not isinstance(item.content, Title | Generator | NestedUse):
        yield f"media|alpha|{item.id}"
    if item.sound is not None:
        yield from _of_sound(item)
    if item.label:
        yield f"metadata|label|{item.id}"
    if item.metadata:
        yield f"metadata|metadata|{item.id}"
    if item.note:
        yield f"metadata|note|{item.id}"
    for name, _ in pieces(item.raw):
        yield f"metadata|{name}|{item.id}"


def _of_sound(item: Item) -> Iterator[str]:
    sound = item.sound
    assert sound is not None
    if sound.level.keys or sound.level.value != (0.0,):
        yield f"level|level|{item.id}"
    if sound.pan is not None:
        yield f"pan|pan|{item.id}"
    if sound.fade_in is not None or sound.fade_out is not None:
        yield f"fade|fades|{item.id}"
    if sound.muted:
        yield f"mute|channels|{item.id}"
