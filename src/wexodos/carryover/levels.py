"""Levels, fades, pans and mutes."""

from __future__ import annotations

from dataclasses import replace

from wexodos.carryover.motions import shown, straightened_keys, values_of
from wexodos.evaluate.hearing import followed_level, furthest
from wexodos.evaluate.tolerances import FOLLOWED_DECIBELS, SILENCE
from wexodos.model import Curve, Item, Sound, constant
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.fading import fades_as_levels
from wexodos.settling.vocabulary import Cause, Fate, Remedy


def sounds(context: Context, work: Work) -> None:
    """Levels, pans, fades and mutes as the destination takes them."""
    for lane in work.lanes:
        for item in list(lane.items):
            if item.sound is None:
                continue
            if not context.destination.sound.fades:
                item = fades_as_levels(context, work, lane, item)
            item = _leveled(context, work, lane, item)
            item = _panned(context, work, lane, item)
            _muted(context, work, lane, item)


def _sound(item: Item) -> Sound:
    assert item.sound is not None
    return item.sound


def _leveled(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    level = _sound(item).level
    top = context.spells.loudest
    loudest = max(value[0] for value in values_of(level))
    if not context.destination.sound.level:
        if not level.keys and level.value == (0.0,):
            return item
        reason = context.because(
            work,
            Cause.NO_LEVELS,
            item,
            lane.label,
            "no levels on the far side",
            "set the level again there",
            fate=Fate.LEFT,
            before=shown(level),
            after="0 dB",
        )
        return work.put(lane, item, replace(item, sound=replace(_sound(item), level=constant(0))), reason)
    if top is not None and loudest > top:
        reason = context.because(
            work,
            Cause.LOUDEST,
            item,
            lane.label,
            f"levels end at +{top:g} dB there",
            "raise the sound itself",
            before=f"{loudest:.1f} dB",
            after=f"{top:g} dB",
            deviation=(round(loudest - top, 2), "dB"),
        )
        keys = tuple(replace(key, value=(min(key.value[0], top),)) for key in level.keys)
        level = replace(level, value=(min(level.value[0], top),), keys=keys)
        item = work.put(lane, item, replace(item, sound=replace(_sound(item), level=level)), reason)
    return _lines(context, work, lane, item, level) if level.animated else item


def _panned(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    sound = _sound(item)
    if sound.pan is None or context.destination.sound.pan:
        return item
    reason = context.because(
        work,
        Cause.NO_PANS,
        item,
        lane.label,
        "no pans on the far side",
        "pan it again there",
        fate=Fate.LEFT,
        before=shown(sound.pan),
        after="centre",
    )
    return work.put(lane, item, replace(item, sound=replace(sound, pan=None)), reason)


def _muted(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    sound = _sound(item)
    if not sound.muted:
        return item
    takes = context.destination.sound.mutes
    if takes and context.spells.off_hides_mutes and item.enabled and set(sound.channels) <= set(sound.muted):
        reason = context.because(
            work,
            Cause.OFF_WITH_ITS_CLIP,
            item,
            lane.label,
            "a clip with all its channels off is a clip that is off there",
            "nothing, unless it is switched on again",
            what="channels",
            before=f"channel {sound.muted} off",
            after="the clip is off",
            minutes=0,
        )
        return work.put(lane, item, replace(item, enabled=False, sound=replace(sound, muted=())), reason)
    off = not item.enabled or (not lane.track.enabled and context.spells.track_off_hides_mutes)
    if takes and not (off and context.spells.off_hides_mutes):
        return item
    cause = Cause.OFF_WITH_ITS_CLIP if takes else Cause.NO_MUTES
    reason = context.because(
        work,
        cause,
        item,
        lane.label,
        "a clip that is off has all its channels off there"
        if takes
        else "single channels cannot be off there",
        "nothing, unless it is switched on again" if takes else "mute the channel there",
        what="channels",
        fate=Fate.ADAPTED if takes else Fate.LEFT,
        before=f"channel {sound.muted} off",
        after="all off" if takes else "all on",
        minutes=0 if takes else None,
    )
    return work.put(lane, item, replace(item, sound=replace(sound, muted=())), reason)


def _lines(context: Context, work: Work, lane: Lane, item: Item, level: Curve) -> Item:
    """Lines straight in gain are bent in dB and the other way round: add keys until they agree (9)."""
    takes = context.destination
    domain = context.spells.level_domain
    eased = any(key.ease.value not in takes.keyframes.interpolations for key in level.keys)
    between = takes.keyframes.whole_frames and any(not isinstance(key.time, int) for key in level.keys)
    if level.domain == domain and not eased and not between:
        return item
    length, bare = float(item.duration), Sound(level=level)

    def with_level(new: Curve) -> Item:
        return replace(item, sound=replace(_sound(item), level=new))

    flat = Curve(level.value, level.keys, domain)
    if not eased and not between and furthest(bare, Sound(level=flat), length) < FOLLOWED_DECIBELS / 2:
        return work.put(lane, item, with_level(flat), context.spelled())
    choice = context.decide(Cause.LEVELS_FOLLOWED, "level", item.id, Remedy.ADAPT, Remedy.LEAVE)
    follow = choice.remedy is Remedy.ADAPT
    limit = FOLLOWED_DECIBELS * context.options.tolerance
    new = (
        followed_level(bare, length, domain, limit, not takes.keyframes.whole_frames)
        if follow
        else _straight(level, domain)
    )
    why = f"levels run straight in {'gain' if domain == 'gain' else 'dB'} there"
    if follow:
        why += f"; {len(new.keys)} keys follow the line that {len(level.keys)} drew"
    reason = context.because(
        work,
        Cause.LEVELS_FOLLOWED if follow else Cause.LEVELS_STRAIGHT,
        item,
        lane.label,
        why,
        "nothing",
        choice=choice,
        before=shown(level),
        after=shown(new),
        deviation=(round(furthest(bare, Sound(level=new), length), 3), "dB"),
        minutes=0.0 if follow else None,
        within=limit if follow else None,
    )
    return work.put(lane, item, with_level(new), reason)


def _straight(level: Curve, domain: str) -> Curve:
    """The same keys with straight lines between them. Silence in dB has no straight line to it: -96 dB stands
    for it, as in a followed level."""
    if domain != "gain":
        keys = tuple(replace(key, value=(max(key.value[0], SILENCE),)) for key in level.keys)
        level = replace(level, keys=keys)
    return straightened_keys(level, domain)
