"""What causes promise of the rest, measured: nothing seen or heard otherwise, or no further than the finding
states."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache
from typing import Any

import numpy as np

from wexodos.carryover.faults import Book, fault, of_differences
from wexodos.carryover.plan import Adapted, Plan
from wexodos.compare.aspects import Aspect
from wexodos.compare.frames import evaluated
from wexodos.evaluate import curve_values
from wexodos.evaluate.hearing import furthest, gain_at, heard_at, law
from wexodos.evaluate.tolerances import (
    DECIBELS,
    DEGREES,
    FOLLOWED_DECIBELS,
    FRACTION,
    PIXELS,
    QUIET,
    SECONDS,
    SETTING,
    SHARE,
)
from wexodos.model import Curve, Document, Item, Sequence, Sound, Track, Transition
from wexodos.model.speed import source_at
from wexodos.settling.changes import Change, Entry, Reason, Thing
from wexodos.settling.context import settings
from wexodos.settling.findings import Finding
from wexodos.settling.vocabulary import Cause, Promise

_SILENT = frozenset(
    {
        Aspect.ALPHA,
        Aspect.SPELLING,
        Aspect.METADATA,
        Aspect.DROP_FRAME,
        Aspect.MARKER,
        Aspect.STEM,
        Aspect.ROLES,
        Aspect.TRACK_NAME,
        Aspect.OUTPUT,
        Aspect.PIXEL_ASPECT,
        Aspect.SAMPLE_RATE,
        Aspect.LENGTH,
        Aspect.TRANSITION_EDGE,
        Aspect.TRANSITION_PATTERN,
        Aspect.TRANSITION_SETTINGS,
    }
)
"""Aspects that nothing seen or heard hangs on."""
_HEARD = frozenset({Aspect.LEVEL, Aspect.FADE_IN, Aspect.FADE_OUT})
_CURVES: dict[Aspect, tuple[str, float]] = {
    Aspect.POSITION: ("position", PIXELS),
    Aspect.SCALE: ("scale", FRACTION),
    Aspect.ROTATION: ("rotation", DEGREES),
    Aspect.ANCHOR: ("anchor", FRACTION),
    Aspect.CROP: ("crop", FRACTION),
    Aspect.CORNERS: ("corners", FRACTION),
    Aspect.OPACITY: ("opacity", SHARE),
}
_UNIT = 1.0 / 500.0
"""A quarter of a frame at the finest rates: how far a place may move to fall on an edit unit unsaid, in
frames."""


def broken(document: Document, plan: Plan, adapted: Adapted) -> Iterator[Finding]:
    """Every change that does more than its cause promises."""
    grouped: dict[int, list[Entry]] = {}
    for entry in adapted.entries:
        if entry.reason.rule.promise is not Promise.NAMED:
            grouped.setdefault(id(entry.reason), []).append(entry)
    for entries in grouped.values():
        reason = entries[0].reason
        if reason.cause is Cause.TRANSITION_IS_FADE:
            yield from _fade(entries)
        elif len(entries) == 1 and entries[0].before is not None and entries[0].after is not None:
            yield from _one(document, plan, adapted, entries[0])
        elif any(entry.thing in (Thing.ITEM, Thing.TRANSITION) for entry in entries):
            yield from _together(document, plan, adapted, entries)


def _one(document: Document, plan: Plan, adapted: Adapted, entry: Entry) -> Iterator[Finding]:
    """A change of one thing: by formula where one will do, else evaluated."""
    changes = [change for change in entry.changes() if change.aspect not in _SILENT]
    if not changes:
        return
    before, after, reason = entry.before, entry.after, entry.reason
    if isinstance(before, Item):
        if before.sound is not None and all(change.aspect in _HEARD for change in changes):
            gap = furthest(before.sound, after.sound or Sound(), float(after.duration))
            if gap > _allowed(reason, DECIBELS / 2):
                yield _broken(changes[0], before, entry, gap, "dB")
            return
        if reason.rule.promise is Promise.CLOSE:
            yield from _close(changes, before, after, entry, adapted.before)
            return
        if [change.aspect for change in changes] == [Aspect.SOURCE_IN] and reason.cause is Cause.SPELLED:
            gap = abs(float(after.source_in - before.source_in))
            if gap > SECONDS and gap > float(adapted.before.rate.seconds(1)) / 1000:
                yield _broken(changes[0], before, entry, gap, "s")
            return
    if isinstance(before, Transition) and reason.cause is Cause.SPELLED:
        gap = max(abs(float(one - other)) for one, other in zip(_ends(before), _ends(after)))
        if gap > _UNIT:
            yield _broken(changes[0], before, entry, gap, "fr")
        return
    yield from _together(document, plan, adapted, [entry])


def _ends(one: Transition) -> tuple[Any, ...]:
    return one.start, one.end, one.cut


def _allowed(reason: Reason, least: float) -> float:
    """How far a value may go: as far as the finding states, or as far as nobody sees or hears."""
    if reason.rule.promise is Promise.CLOSE and reason.deviation is not None:
        return reason.deviation[0] + least
    return least


def _broken(change: Change, item: Any, entry: Entry, gap: float, unit: str) -> Finding:
    stated = entry.reason.deviation
    told = f"at most {stated[0]} {stated[1]}" if stated is not None else "the same"
    return fault(
        Book.CHANGE, change.aspect, item, entry.label, told, f"{gap:.4g} {unit}", (round(gap, 4), unit)
    )


def _close(
    changes: list[Change], before: Item, after: Item, entry: Entry, sequence: Sequence
) -> Iterator[Finding]:
    """Curves and speeds that follow others: no further away than the finding states."""
    length = float(before.duration)
    for change in changes:
        if change.aspect in _CURVES and before.motion is not None and after.motion is not None:
            name, least = _CURVES[change.aspect]
            gap = _apart(getattr(before.motion, name), getattr(after.motion, name), length)
        elif change.aspect is Aspect.SPEED:
            least, gap = 1.0, _sources_apart(before, after, sequence)
        elif change.aspect is Aspect.FILTER_SETTINGS:
            least, gap = SETTING, _settings_apart(before, after, length)
        else:
            continue
        if gap > _allowed(entry.reason, least):
            yield _broken(
                change, before, entry, gap, entry.reason.deviation[1] if entry.reason.deviation else ""
            )


@lru_cache(maxsize=4096)
def _apart(one: Curve, other: Curve, length: float) -> float:
    """The largest distance of two curves at the frames of an item of ``length`` frames."""
    times = np.arange(int(np.ceil(length)) + 1, dtype=np.float64)
    return float(np.abs(curve_values(one, times) - curve_values(other, times)).max())


def _settings_apart(mine: Item, theirs: Item, length: float) -> float:
    worst = 0.0
    for one, other in zip(mine.effects, theirs.effects):
        told = dict(other.settings)
        for name, curve in one.settings:
            worst = max(worst, _apart(curve, told[name], length) if name in told else float("inf"))
    return worst


def _sources_apart(before: Item, after: Item, sequence: Sequence) -> float:
    """The largest distance of two straight speeds, at either end of the item, in frames of the sequence."""
    rate, gaps = sequence.rate, []
    for at in (0, before.duration):
        one, _ = source_at(before.speed, before.source_in, at, rate)
        other, _ = source_at(after.speed, after.source_in, at, rate)
        gaps.append(abs(float(rate.frames(one - other))))
    return max(gaps)


def _fade(entries: list[Entry]) -> Iterator[Finding]:
    """A transition of sound from or to nothing that became a fade: as loud everywhere."""
    joins = [entry.before for entry in entries if entry.thing is Thing.TRANSITION]
    for entry in entries:
        if entry.thing is not Thing.ITEM or len(joins) != 1:
            continue
        before, after, join = entry.before, entry.after, joins[0]
        if before.sound is None or after.sound is None:
            continue
        length = float(after.duration)
        times = heard_at(length, before.sound, after.sound)
        if join.cut == before.start:
            # What lies before the cut of a transition from nothing is not there to be heard of this item.
            own = float(join.end - join.cut)
            share = np.clip(times / own, 0.0, 1.0) if own else np.ones_like(times)
        else:
            own = float(join.cut - join.start)
            share = np.clip((length - times) / own, 0.0, 1.0) if own else np.ones_like(times)
        one = gain_at(before.sound, length, times) + law(share, join.type)
        other = gain_at(after.sound, length, times)
        gap = float(np.abs(np.maximum(one, QUIET) - np.maximum(other, QUIET)).max())
        if gap > FOLLOWED_DECIBELS:
            change = Change(Aspect.LEVEL, before.id, None, None)
            yield _broken(change, before, entry, gap, "dB")


def _together(document: Document, plan: Plan, adapted: Adapted, entries: list[Entry]) -> Iterator[Finding]:
    """Several things changed for one reason: what they show and play before and after, frame by frame."""
    before, after = (_small(adapted, entries, which) for which in ("before", "after"))
    ids = {entry.before.id: entry.after.id for entry in entries if _item(entry.before) and _item(entry.after)}
    found = [
        one
        for one in evaluated(document, before, document, after, ids, set())
        if one.deviation is None or one.deviation[0] > _allowed(entries[0].reason, 0.0)
    ]
    yield from of_differences(Book.CHANGE, found)


def _item(value: Any) -> bool:
    return isinstance(value, Item)


def _small(adapted: Adapted, entries: list[Entry], which: str) -> Sequence:
    """A sequence of nothing but the things of some entries, as they were or as they are."""
    switches = {label: track.enabled for label, track in adapted.before.labelled_tracks()}
    tracks = []
    for label in dict.fromkeys(entry.label or entry.into for entry in entries):
        mine = [getattr(entry, which) for entry in entries if (entry.label or entry.into) == label]
        items = sorted((one for one in mine if isinstance(one, Item)), key=lambda one: one.start)
        joins = sorted((one for one in mine if isinstance(one, Transition)), key=lambda one: one.start)
        kind = "audio" if label[:1] == "A" else "video"
        tracks.append(Track(kind, tuple(items), tuple(joins), enabled=switches.get(label, True)))
    made = settings(adapted.before)
    return Sequence(
        made.id,
        made.name,
        made.rate,
        made.start,
        made.drop_frame,
        made.width,
        made.height,
        made.pixel_aspect,
        sample_rate=made.sample_rate,
        tracks=tuple(tracks),
    )
