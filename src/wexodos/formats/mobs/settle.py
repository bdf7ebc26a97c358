"""Settling steps of AAF and OMF: what mobs and slots cannot say of items, tracks and speeds."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from wexodos.evaluate.geometry import Raster, fit_factor
from wexodos.formats.mobs.pairs import partners_of
from wexodos.formats.mobs.pictures import raster_of
from wexodos.model import Curve, Item, Motion, Variable, constant
from wexodos.model.speed import is_freeze, straightened
from wexodos.model.stems import STEMS, stem_of
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.leaving import drop
from wexodos.settling.speeding import rendered, replace_speed
from wexodos.settling.vocabulary import Cause, Fate


def turns(context: Context, work: Work) -> None:
    """A speed that goes forwards and backwards within one item: an offset map counts frames, which show on
    one side only."""
    for lane in work.lanes:
        for item in list(lane.items):
            # Sound is rendered as it goes.
            made = lane.kind == "audio" and rendered(context, item, work.sequence.rate)
            if isinstance(item.speed, Variable) and not is_freeze(item.speed) and not made:
                points = straightened(item.speed).points
                ways = {(b.source > a.source) - (b.source < a.source) for a, b in zip(points, points[1:])}
                if -1 in ways and len(ways) > 1:
                    replace_speed(context, work, lane, item)


def mutes(context: Context, work: Work) -> None:
    """Channels that are off where nothing can be off: they stay away, and the others are heard from where
    they were."""
    if context.destination.sound.mutes:
        return
    for lane in work.lanes:
        for item in list(lane.items):
            sound = item.sound
            if sound is None or not sound.muted:
                continue
            kept = [place for place, channel in enumerate(sound.channels) if channel not in sound.muted]
            if not kept:
                why, do = "all its channels are off", "nothing; it was not heard"
                drop(context, work, lane, item, Cause.ALL_CHANNELS_OFF, why, do, minutes=0)
                continue
            pan = sound.pan
            if len(sound.channels) == 2 and len(kept) == 1:
                pan = _beside(pan or constant(0), (-1.0, 1.0)[kept[0]])
            channels = tuple(sound.channels[place] for place in kept)
            reason = context.because(
                work,
                Cause.MUTED_STAY_AWAY,
                item,
                lane.label,
                "nothing can be off there; the channels that are off stay away",
                "nothing, unless they are wanted",
                what="channels",
                before=f"channel {sound.muted} off",
                after=f"channel {channels}",
                minutes=0,
            )
            new = replace(item, sound=replace(sound, channels=channels, muted=(), pan=pan))
            work.put(lane, item, new, reason)


def _beside(pan: Curve, side: float) -> Curve:
    """A pan as one channel of a pair had it: moved to its side, no further than there."""

    def moved(value: tuple[float, ...]) -> tuple[float, ...]:
        return (min(max(value[0] + side, -1.0), 1.0),)

    keys = tuple(replace(key, value=moved(key.value)) for key in pan.keys)
    return replace(pan, value=moved(pan.value), keys=keys)


def by_stem(context: Context, work: Work) -> None:
    """Sound tracks in the order of their stems."""
    if not context.destination.turnover.by_stem:
        return
    known = list(STEMS)

    def place(lane: Lane) -> int:
        stem = stem_of(lane.track)
        return known.index(stem) if stem in known else len(known)

    sounds = [lane for lane in work.lanes if lane.kind == "audio"]
    ordered = sorted(sounds, key=place)
    if all(one is other for one, other in zip(ordered, sounds)):
        return
    reason = context.because(
        work,
        Cause.BY_STEM,
        (0, 0),
        "A1",
        "sound tracks are ordered by their stems",
        "nothing",
        what="order",
        item_id=f"{work.sequence.id}:A",
        name="sound tracks",
        before=", ".join(one.label for one in sounds),
        after=", ".join(one.label for one in ordered),
        minutes=0,
    )
    work.reorder([lane for lane in work.lanes if lane.kind != "audio"] + ordered, reason)


def told_apart(context: Context, work: Work) -> None:
    """Two tracks of one name with the same clips, one channel of them to the left and one to the right, would
    be taken for one track of pairs: the second gets a name of its own."""
    home: Lane | None = None
    for lane in (one for one in work.lanes if one.kind == "audio"):
        if (
            home is not None
            and (home.track.name, home.track.enabled) == (lane.track.name, lane.track.enabled)
            and partners_of(_centred(home.items), home.transitions, _centred(lane.items))
        ):
            name = f"{lane.track.name} {lane.label}".strip()
            longest = context.spells.names.track_length
            if longest:
                name = f"{lane.track.name[: longest - len(lane.label) - 1]} {lane.label}".strip()
            reason = context.because(
                work,
                Cause.TRACK_WORDS,
                (0, 0),
                lane.label,
                "it would be taken for the other channel of the track before it: name and clips are alike",
                "nothing",
                item_id=f"{work.sequence.id}:{lane.label}",
                name=name,
                before=lane.track.name,
                after=name,
                minutes=0,
            )
            work.put_track(lane, replace(lane.track, name=name), reason)
        home = lane


def _centred(items: list[Item]) -> list[Item]:
    """Clips of single channels as they are written: in the middle where nothing is said."""
    return [
        replace(item, sound=replace(item.sound, pan=constant(0)))
        if item.sound is not None and item.sound.pan is None and len(item.sound.channels) == 1
        else item
        for item in items
    ]


def without_pictures(context: Context, work: Work) -> None:
    """A turnover of sound has no picture tracks at all."""
    if context.destination.pictures.carry:
        return
    lanes = [lane for lane in work.lanes if lane.kind == "video"]
    if lanes:
        reason = context.because(
            work,
            Cause.NO_PICTURE_TRACKS,
            (0, 0),
            "V1",
            "a turnover of sound has no picture tracks",
            "nothing",
            fate=Fate.LEFT,
            item_id=f"{work.sequence.id}:V",
            name="picture tracks",
            minutes=0,
        )
        for lane in lanes:
            work.take_lane(lane, reason)


def anchors(context: Context, work: Work) -> None:
    """A picture that stands by another point than its centre: moved so that it stands where it stood."""
    size = work.sequence.frame_size
    centre = Motion().anchor
    for lane in work.lanes:
        for item in list(lane.items):
            motion = item.motion
            if motion is None or motion.anchor == centre:
                continue
            moving = [name for name in ("anchor", "scale", "rotation") if getattr(motion, name).animated]
            if moving:
                reason = context.because(
                    work,
                    Cause.ANCHOR_MOVES,
                    item,
                    lane.label,
                    f"pictures turn about their centre there, and its {moving[0]} moves",
                    "place it again there",
                    what="anchor",
                    fate=Fate.LEFT,
                    before="anchored",
                    after="centred",
                )
                new = replace(motion, anchor=centre)
            else:
                reason = context.spelled(Cause.ANCHOR_CENTRED)
                new = replace(motion, anchor=centre, position=_landed(context, motion, item, size, work))
            work.put(lane, item, replace(item, motion=new), reason)


def _landed(context: Context, motion: Motion, item: Item, size: tuple[int, int], work: Work) -> Any:
    """The position at which a picture that hangs by its centre stands where it stood by its anchor."""
    aspect = float(work.sequence.pixel_aspect)
    frame = Raster(*size, aspect)
    source = raster_of(item, context.document, frame)
    k = fit_factor(motion.fit, source, frame)
    extent = np.array([source.width * source.pixel_aspect * k, source.height * k])
    arm = np.array(motion.anchor.still) * np.array(motion.scale.still) * extent
    angle = np.radians(motion.rotation.still[0])
    by = (
        -(arm[0] * np.cos(angle) - arm[1] * np.sin(angle)) / aspect,
        -(arm[0] * np.sin(angle) + arm[1] * np.cos(angle)),
    )
    old = motion.position

    def moved(value: tuple[float, ...]) -> tuple[float, ...]:
        return value[0] + by[0], value[1] + by[1]

    keys = tuple(replace(key, value=moved(key.value)) for key in old.keys)
    return replace(old, value=moved(old.value), keys=keys)
