"""Steps on what changes over time: transitions, speed, motion, level."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from wexodos.carryover.context import Context, Lane, Work
from wexodos.carryover.findings import FATE_OF, Fate, Remedy
from wexodos.carryover.options import OBJECTS
from wexodos.carryover.structure import drop, note_in_place
from wexodos.evaluate.following import decibels, faded, followed, largest, spread
from wexodos.evaluate.state import SILENCE
from wexodos.formats.xmeml import stretches
from wexodos.model import (
    NORMAL,
    Adjustment,
    Constant,
    Curve,
    Generator,
    Item,
    MediaUse,
    Sound,
    Title,
    Transition,
    Variable,
)
from wexodos.model.curves import Ease, constant
from wexodos.model.items import Motion
from wexodos.model.speed import average, source_at, straightened

_WRITES = {
    "fcpxml": frozenset(
        {"dissolve", "additive", "dip", "wipe", "iris", "push", "slide", "other", "audio-equal-power"}
    )
}
"""Transitions that a writer can spell at all, where these are not all."""


TRANSITION_LOOKS = ("transition colour", "transition pattern", "transition direction", "transition edge")
"""What of a transition's looks is compared besides its kind."""


def transitions(context: Context, work: Work) -> None:
    """Transitions the destination does not know become the nearest it knows, or go."""
    takes = context.destination.transitions
    can = _WRITES.get(context.destination.format)
    for lane in work.lanes:
        known = takes.kinds if lane.kind == "video" else takes.sound
        known = [kind for kind in known if can is None or kind in can]
        for transition in list(lane.transitions):
            _foreign_settings(context, work, lane, transition)
            unknown_wipe = (
                transition.type == "wipe" and takes.wipes != "all" and transition.pattern not in takes.wipes
            )
            # One that nobody knows goes only where its own dialect is written: there it stands word for word.
            foreign = transition.type == "other" and all(
                raw.dialect != context.destination.format for raw in transition.raw
            )
            if transition.type in known and not unknown_wipe and not foreign:
                continue
            _replace_transition(context, work, lane, transition, known)


_UNDERSTOOD = (
    "color",
    "colour",
    "border",
    "softness",
    "feather",
    "direction",
    "pattern",
    "look",
    "amount",
    "ease",
)
_SPELLINGS = frozenset({"effect", "filter-video", "filter-audio"})


def _foreign_settings(context: Context, work: Work, lane: Lane, transition: Transition) -> None:
    """What a transition says beyond its kind and looks, where its own dialect is not written."""
    foreign = [raw for raw in transition.raw if raw.dialect != context.destination.format]
    own = any(raw.dialect == context.destination.format for raw in transition.raw)
    lost = [
        f"{one.name} {one.value}".strip()
        for one in transition.parameters
        if not own and not any(word in one.name.lower() for word in _UNDERSTOOD)
    ]
    lost += [raw.tag for raw in foreign if raw.tag not in _SPELLINGS]
    if lost:
        context.find(
            work,
            "transition",
            "settings",
            transition,
            lane.label,
            Fate.LEFT,
            "its other settings belong to the other dialect",
            "set them again there",
            before=", ".join(lost)[:300],
        )


def _replace_transition(
    context: Context, work: Work, lane: Lane, transition: Transition, known: list[str]
) -> None:
    nearest = "dissolve" if lane.kind == "video" else next(iter(known), "")
    options = (Remedy.ADAPT, Remedy.LEAVE) if nearest in known else (Remedy.LEAVE,)
    remedy = context.decide("transition", transition.type, transition.id, *options)
    neighbours = tuple(item.id for item in lane.items if transition.cut in (item.start, item.end))
    name = _WORDS.get(transition.type, transition.type)
    if transition.type == "wipe" and transition.pattern is not None:
        name = f"{name} (SMPTE {transition.pattern})"
    place = lane.transitions.index(transition)
    if remedy is Remedy.ADAPT:
        word = "law" if lane.kind == "audio" else nearest
        lane.transitions[place] = replace(
            transition,
            type=nearest,
            name=_NAMES.get(nearest, nearest),
            color=None,
            pattern=None,
            direction=None,
            softness=None,
            border=None,
            border_color=None,
            parameters=(),
            raw=(),
        )
        after = f"an {_WORDS[nearest]}" if lane.kind == "audio" else f"a {nearest} of the same length"
        context.remedied(
            work,
            "transition",
            transition.type,
            transition,
            lane.label,
            remedy,
            options,
            f"no {name} there; becomes {after}",
            "put the original one back there" if word != "law" else "nothing, or set its law again",
            ("transition", *TRANSITION_LOOKS),
            also=neighbours,
            before=name,
            after=nearest,
            minutes=0.0 if lane.kind == "audio" else None,
        )
        return
    lane.transitions.pop(place)
    context.remedied(
        work,
        "transition",
        transition.type,
        transition,
        lane.label,
        remedy,
        options,
        f"no {name} there; the cut stays where it is",
        "put a transition back there",
        ("transition", "mix", "extent"),
        also=neighbours,
        before=name,
        after="cut",
    )


_WORDS = {
    "audio-linear": "equal-gain crossfade",
    "audio-equal-power": "equal-power crossfade",
    "additive": "additive dissolve",
    "dip": "dip to a colour",
    "other": "such transition",
}
_NAMES = {"dissolve": "Cross dissolve", "audio-equal-power": "Equal power", "audio-linear": "Equal gain"}


# ---- speed


def speeds(context: Context, work: Work) -> None:
    """Speed changes the destination does not know."""
    takes = context.destination.speed
    for lane in work.lanes:
        for item in list(lane.items):
            speed = item.speed
            if speed is NORMAL:
                continue
            if isinstance(speed, Variable):
                what, known = "speed ramp", takes.variable
            elif speed.rate == 0:
                what, known = "freeze", takes.freeze
            elif speed.rate < 0:
                what, known = "reverse", takes.reverse
            else:
                what, known = "speed", takes.constant
            if not known and lane.kind == "audio" and rendered(context, item):
                context.find(
                    work,
                    "speed",
                    "speed",
                    item,
                    lane.label,
                    Fate.BAKED,
                    "no speed changes there; its sound is rendered at its speed, and its pitch goes with it",
                    "stretch the original there, if its pitch is to stay",
                    ("speed",),
                    before=_speed_words(item, what),
                    after="rendered",
                    minutes=0,
                )
            elif not known:
                replace_speed(context, work, lane, item, what)
            elif isinstance(speed, Variable) and not takes.rounded and straightened(speed) is not speed:
                _straight_speed(context, work, lane, item, speed)


def rendered(context: Context, item: Item) -> bool:
    """Whether sound at another speed is rendered: where sound is made anyway, and the speed stays the same
    throughout."""
    made = context.destination.turnover.sound != "source" and context.destination.format in OBJECTS
    return (
        made
        and isinstance(item.content, MediaUse)
        and isinstance(item.speed, Constant)
        and item.speed.rate not in (0, 1)
    )


def _straight_speed(context: Context, work: Work, lane: Lane, item: Item, speed: Variable) -> None:
    """Rounded corners of a ramp as more points: the map is the same, only its points are others."""
    straight = straightened(speed)
    lane.swap(item, replace(item, speed=straight))
    context.find(
        work,
        "speed",
        "speed",
        item,
        lane.label,
        Fate.ADAPTED,
        f"speed points have straight lines between them there; {len(straight.points)} points follow "
        "the rounded ones",
        "nothing",
        ("speed",),
        before=f"{len(speed.points)} points",
        after=f"{len(straight.points)} points",
        deviation=(0.0, "fr"),
        minutes=0,
    )


def replace_speed(context: Context, work: Work, lane: Lane, item: Item, what: str) -> None:
    """A speed the destination does not know: its mean, a note, or nothing."""
    rate = work.sequence.rate
    covers: tuple[str, ...] = ("speed", "source frames", "source samples", "source in", "kind")
    first, _ = source_at(item.speed, item.source_in, 0, rate)
    mean = average(item.speed, item.duration, rate)
    can_be_constant = what == "speed ramp" and context.destination.speed.constant and mean > 0
    options = (Remedy.ADAPT, Remedy.NOTE, Remedy.LEAVE) if can_be_constant else (Remedy.NOTE, Remedy.LEAVE)
    remedy = context.decide("speed", what, item.id, *options)
    label = {
        "speed ramp": "speed ramps",
        "freeze": "freezes",
        "reverse": "reverse play",
        "speed": "speed changes",
    }[what]
    if what == "freeze" and remedy is Remedy.LEAVE:
        drop(
            context,
            work,
            lane,
            item,
            FATE_OF[remedy],
            f"no {label} there; its time stays empty",
            "freeze the frame again there",
            remedy,
            options,
        )
        return
    added: tuple[str, ...] = ()
    if remedy is Remedy.NOTE:
        added = note_in_place(work, item, _speed_words(item, what))
        covers = (*covers, "marker")
    if can_be_constant and remedy is not Remedy.LEAVE:
        new = replace(item, speed=Constant(mean), source_in=first)
        after = f"constant {float(mean) * 100:.3g} %"
    else:
        new = replace(item, speed=NORMAL, source_in=first)
        after = "normal speed from the same first frame"
    worst = _furthest(item, new, work)
    lane.swap(item, new)
    context.remedied(
        work,
        "speed",
        "speed",
        item,
        lane.label,
        remedy,
        options,
        f"no {label} there; {after}",
        "change the speed again there",
        covers,
        before=_speed_words(item, what),
        after=after,
        deviation=(worst, "fr"),
        also=added,
    )


def _furthest(before: Item, after: Item, work: Work) -> float:
    """The largest distance in source frames (of the sequence's rate) between two versions of an item."""
    rate = work.sequence.rate
    steps = range(0, max(1, int(before.duration)), max(1, int(before.duration) // 200))
    gaps = [
        abs(
            float(
                rate.frames(
                    source_at(before.speed, before.source_in, step, rate)[0]
                    - source_at(after.speed, after.source_in, step, rate)[0]
                )
            )
        )
        for step in steps
    ]
    return round(max(gaps), 1)


def _speed_words(item: Item, what: str) -> str:
    speed = item.speed
    if isinstance(speed, Variable):
        points = ", ".join(
            f"+{float(point.time):g} fr: {float(point.source):.3f} s" for point in speed.points[:12]
        )
        return f"{what}: {points}"
    return f"{what}: {float(speed.rate) * 100:g} %"


# ---- motion


_MOTION: dict[str, tuple[float, str, tuple[str, ...]]] = {
    "position": (0.5, "px", ("position",)),
    "scale": (0.0005, "×", ("size", "position")),
    "rotation": (0.05, "°", ("rotation", "position")),
    "anchor": (0.0005, "of the source", ("position",)),
    "crop": (0.001, "of the source", ("crop",)),
    "corners": (0.001, "of the source", ("corners",)),
    "opacity": (0.004, "", ("opacity",)),
}
_NEUTRAL = Motion()
LOUDEST = 12.0
"""The highest level, in dB, that Lane XML can spell."""


def motion(context: Context, work: Work) -> None:
    """Motion: properties, easings and uneven scale that the destination does not know."""
    for lane in work.lanes:
        for place, item in enumerate(lane.items):
            if item.motion is not None:
                lane.items[place] = _moved(context, work, lane, item, item.motion)


def _moved(context: Context, work: Work, lane: Lane, item: Item, moved: Motion) -> Item:
    takes = context.destination.motion
    changes: dict[str, Any] = {}
    for name, curve in moved.curves.items():
        if curve == _NEUTRAL.curves[name]:
            continue
        kind = "opacity" if name == "opacity" else "motion"
        covers = _MOTION[name][2]
        if not getattr(takes, name):
            context.find(
                work,
                kind,
                name,
                item,
                lane.label,
                Fate.LEFT,
                f"no {name} on the far side",
                "set it again there",
                covers,
                before=_shown(curve),
                after="none",
            )
            changes[name] = _NEUTRAL.curves[name]
            continue
        new = curve
        if name == "scale" and _uneven(curve) and not _spelled_uneven(context, moved):
            new = Curve(
                (abs(curve.value[-1]),) * 2,
                tuple(replace(key, value=(abs(key.value[-1]),) * 2) for key in curve.keys),
            )
            context.find(
                work,
                kind,
                name,
                item,
                lane.label,
                Fate.ADAPTED,
                "width and height scale together there; the height counts",
                "stretch it again there",
                covers,
                before=_shown(curve),
                after=_shown(new),
                deviation=(round(_uneven(curve) * work.sequence.frame_size[0], 1), "px"),
            )
        elif name == "crop" and curve.animated and not takes.moving_crop:
            new = Curve(curve.still)
            context.find(
                work,
                kind,
                name,
                item,
                lane.label,
                Fate.ADAPTED,
                "a crop stands still there; the first value is used",
                "move the crop again there",
                covers,
                before=_shown(curve),
                after=_shown(new),
            )
        if new.keys:
            new = _keys(context, work, lane, item, name, kind, new)
        changes[name] = new
    return replace(item, motion=replace(moved, **changes)) if changes else item


def _spelled_uneven(context: Context, moved: Motion) -> bool:
    """Whether width and height scaled apart, or a mirrored picture, can be said: Track XML says it by its
    corners (8.1)."""
    if not context.destination.motion.uneven_scale:
        return False
    return context.destination.format != "xmeml" or (context.destination.motion.corners and stretches(moved))


def sizing(context: Context, work: Work) -> None:
    """Leave position, size and cropping of clips out where a person wants to redo them on the other side
    (N20)."""
    if context.options.sizing:
        return
    for lane in work.lanes:
        for place, item in enumerate(lane.items):
            if item.motion is None or isinstance(item.content, Title | Generator | Adjustment):
                continue
            bare = Motion(fit=item.motion.fit, opacity=item.motion.opacity)
            if bare != item.motion:
                context.find(
                    work,
                    "motion",
                    "sizing",
                    item,
                    lane.label,
                    Fate.LEFT,
                    "sizing was left out on request",
                    "size it there",
                    ("position", "size", "rotation", "crop", "corners"),
                    before="sized",
                    after="as fitted",
                )
                lane.items[place] = replace(item, motion=bare)


def _values(curve: Curve) -> list[tuple[float, ...]]:
    return [key.value for key in curve.keys] or [curve.value]


def _uneven(curve: Curve) -> float:
    """How far width and height are scaled apart; a mirrored picture counts by what it would be unmirrored."""
    return max(
        max(abs(value[0] - abs(value[-1])), abs(value[-1] - abs(value[-1]))) for value in _values(curve)
    )


def _shown(curve: Curve) -> str:
    if curve.keys:
        return f"{len(curve.keys)} keyframes"
    return " ".join(f"{value:g}" for value in curve.value)


def _keys(context: Context, work: Work, lane: Lane, item: Item, name: str, kind: str, curve: Curve) -> Curve:
    """Keep a curve whose easings are known; follow it with straight lines otherwise, or leave them out."""
    takes = context.destination.keyframes
    eased = any(key.ease.value not in takes.interpolations for key in curve.keys)
    between = takes.whole_frames and any(not isinstance(key.time, int) for key in curve.keys)
    if not (eased or between) or len(curve.keys) < 2:
        return curve
    options = (Remedy.ADAPT, Remedy.LEAVE)
    remedy = context.decide(kind, name, item.id, *options)
    tolerance, unit, covers = _MOTION[name]
    straight = Curve(
        curve.value, tuple(replace(key, time=round(key.time), ease=Ease.LINEAR) for key in curve.keys)
    )
    tolerance *= context.options.tolerance
    new = (
        followed(curve, float(item.duration), "plain", spread, tolerance)
        if remedy is Remedy.ADAPT
        else straight
    )
    why = "keyframe eases become straight lines" if eased else "keyframes stand on whole frames there"
    do = "ease the keys again there, if it shows"
    if remedy is Remedy.ADAPT:
        why = f"{why}; {len(new.keys)} keys follow the curve that {len(curve.keys)} drew"
        do = "nothing; smooth the keys there if they are to be changed"
    far = round(largest(curve, new, float(item.duration), spread), 3)
    context.remedied(
        work,
        kind,
        name,
        item,
        lane.label,
        remedy,
        options,
        why,
        do,
        covers,
        before=_shown(curve),
        after=_shown(new),
        deviation=(far, unit),
        minutes=0.0 if remedy is Remedy.ADAPT else None,
    )
    return new


# ---- sound


def sounds(context: Context, work: Work) -> None:
    """Levels, pans, fades and mutes."""
    for lane in work.lanes:
        for place, item in enumerate(lane.items):
            if item.sound is not None:
                lane.items[place] = replace(item, sound=_sound(context, work, lane, item, item.sound))


def _sound(context: Context, work: Work, lane: Lane, item: Item, sound: Sound) -> Sound:
    takes = context.destination.sound
    if not takes.fades:
        sound = fades_as_levels(context, work, lane, item, sound)
    level = sound.level
    if (level.keys or level.value != (0.0,)) and not takes.level:
        context.find(
            work,
            "level",
            "level",
            item,
            lane.label,
            Fate.LEFT,
            "no levels on the far side",
            "set the level again there",
            ("level",),
            before=_shown(level),
            after="0 dB",
        )
        sound = replace(sound, level=constant(0))
    elif context.destination.format == "fcpxml" and max(value[0] for value in _values(level)) > LOUDEST:
        new = replace(
            level,
            value=(min(level.value[0], LOUDEST),),
            keys=tuple(replace(key, value=(min(key.value[0], LOUDEST),)) for key in level.keys),
        )
        loudest = max(value[0] for value in _values(level))
        context.find(
            work,
            "level",
            "level",
            item,
            lane.label,
            Fate.ADAPTED,
            f"levels end at +{LOUDEST:g} dB there",
            "raise the sound itself",
            ("level",),
            before=f"{loudest:.1f} dB",
            after=f"{LOUDEST:g} dB",
            deviation=(round(loudest - LOUDEST, 2), "dB"),
        )
        sound = replace(sound, level=replace(new, domain="plain"))
    elif level.animated:
        sound = replace(sound, level=_level(context, work, lane, item, level))
    if sound.pan is not None and not takes.pan:
        context.find(
            work,
            "pan",
            "pan",
            item,
            lane.label,
            Fate.LEFT,
            "no pans on the far side",
            "pan it again there",
            ("pan",),
            before=_shown(sound.pan),
            after="centre",
        )
        sound = replace(sound, pan=None)
    off = not item.enabled or (not lane.track.enabled and context.destination.format in OBJECTS)
    if sound.muted and takes.mutes and off and context.destination.format in ("xmeml", *OBJECTS):
        context.find(
            work,
            "mute",
            "channels",
            item,
            lane.label,
            Fate.ADAPTED,
            "a clip that is off has all its channels off there",
            "nothing, unless it is switched on again",
            ("mute",),
            before=f"channel {sound.muted} off",
            after="all off",
            minutes=0,
        )
        sound = replace(sound, muted=())
    if sound.muted and not takes.mutes:
        context.find(
            work,
            "mute",
            "channels",
            item,
            lane.label,
            Fate.LEFT,
            "single channels cannot be off there",
            "mute the channel there",
            ("mute", "extent"),
            before=f"channel {sound.muted} off",
            after="all on",
        )
        sound = replace(sound, muted=())
    return sound


def fades_as_levels(context: Context, work: Work, lane: Lane, item: Item, sound: Sound) -> Sound:
    """Fades as level keys where the dialect has no fades (9)."""
    if sound.fade_in is None and sound.fade_out is None:
        return sound
    whole, new = faded(
        sound,
        float(item.duration),
        context.destination.sound.level_domain.replace("dB", "plain"),
        0.09 * context.options.tolerance,
    )
    context.find(
        work,
        "fade",
        "fades",
        item,
        lane.label,
        Fate.ADAPTED,
        "fades become level keyframes there",
        "nothing, or fade again there",
        ("level",),
        before="fades",
        after=_shown(new),
        deviation=(round(largest(whole, new, float(item.duration), decibels), 3), "dB"),
    )
    return replace(sound, level=new, fade_in=None, fade_out=None)


def _level(context: Context, work: Work, lane: Lane, item: Item, level: Curve) -> Curve:
    """Lines straight in gain are bent in dB and the other way round: add keys until they agree (9)."""
    takes = context.destination
    domain = "gain" if takes.sound.level_domain == "gain" else "plain"
    eased = any(key.ease.value not in takes.keyframes.interpolations for key in level.keys)
    between = takes.keyframes.whole_frames and any(not isinstance(key.time, int) for key in level.keys)
    if level.domain == domain and not eased and not between:
        return level
    flat = Curve(level.value, level.keys, domain)
    if not eased and not between and largest(level, flat, float(item.duration), decibels) < 0.05:
        return flat
    options = (Remedy.ADAPT, Remedy.LEAVE)
    remedy = context.decide("level", "level", item.id, *options)
    straight = Curve(
        level.value, tuple(replace(key, time=round(key.time), ease=Ease.LINEAR) for key in level.keys), domain
    )
    new = straight
    if remedy is Remedy.ADAPT:
        new = followed(
            level, float(item.duration), domain, decibels, 0.09 * context.options.tolerance, SILENCE
        )
    scale = "gain" if domain == "gain" else "dB"
    why = f"levels run straight in {scale} there"
    if remedy is Remedy.ADAPT:
        why += f"; {len(new.keys)} keys follow the line that {len(level.keys)} drew"
    context.remedied(
        work,
        "level",
        "level",
        item,
        lane.label,
        remedy,
        options,
        why,
        "nothing",
        ("level",),
        before=_shown(level),
        after=_shown(new),
        deviation=(round(largest(level, new, float(item.duration), decibels), 3), "dB"),
        minutes=0.0 if remedy is Remedy.ADAPT else None,
    )
    return new
