"""Motion: properties, easings and uneven scale that the destination does not know; sizing left out on
request."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from wexodos.evaluate.following import followed, largest, spread
from wexodos.model import Adjustment, Curve, Generator, Item, Title
from wexodos.model.curves import Ease
from wexodos.model.items import Motion
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.vocabulary import Cause, Fate, Kind, Remedy

_FOLLOWED: dict[str, tuple[float, str]] = {
    "position": (0.5, "px"),
    "scale": (0.0005, "×"),
    "rotation": (0.05, "°"),
    "anchor": (0.0005, "of the source"),
    "crop": (0.001, "of the source"),
    "corners": (0.001, "of the source"),
    "opacity": (0.004, ""),
}
"""How far a followed curve may lie from the one it follows, and the unit: half a pixel, or what moves no edge
of a picture of 1000 pixels by more, or one step of eight bits."""
_NEUTRAL = Motion()


def kind_of_motion(name: str) -> Kind:
    return Kind.OPACITY if name == "opacity" else Kind.MOTION


def sizing(context: Context, work: Work) -> None:
    """Leave position, size and cropping of clips out where a person wants to redo them on the other side
    (N20)."""
    if context.options.sizing:
        return
    for lane in work.lanes:
        for item in list(lane.items):
            if item.motion is None or isinstance(item.content, Title | Generator | Adjustment):
                continue
            bare = Motion(fit=item.motion.fit, opacity=item.motion.opacity)
            reason = context.because(
                work,
                Cause.SIZING,
                item,
                lane.label,
                "sizing was left out on request",
                "size it there",
                what="sizing",
                fate=Fate.LEFT,
                before="sized",
                after="as fitted",
            )
            work.put(lane, item, replace(item, motion=bare), reason)


def motion(context: Context, work: Work) -> None:
    """Motion that the destination does not know, curve by curve."""
    for lane in work.lanes:
        for item in list(lane.items):
            if item.motion is None:
                continue
            for name, curve in item.motion.curves.items():
                if curve != _NEUTRAL.curves[name]:
                    item = _curve(context, work, lane, item, name, curve)


def _with(item: Item, name: str, curve: Curve) -> Item:
    assert item.motion is not None
    change: dict[str, Any] = {name: curve}
    return replace(item, motion=replace(item.motion, **change))


def _curve(context: Context, work: Work, lane: Lane, item: Item, name: str, curve: Curve) -> Item:
    """The item with one property of its motion as the destination takes it."""
    takes = context.destination.motion
    kind = kind_of_motion(name)
    if not getattr(takes, name):
        reason = context.because(
            work,
            Cause.NO_SUCH_MOTION,
            item,
            lane.label,
            f"no {name} on the far side",
            "set it again there",
            what=name,
            kind=kind,
            fate=Fate.LEFT,
            before=shown(curve),
            after="none",
        )
        return work.put(lane, item, _with(item, name, _NEUTRAL.curves[name]), reason)
    assert item.motion is not None
    if name == "scale" and _uneven(curve) and not _spelled_uneven(context, item.motion):
        new = Curve(
            (abs(curve.value[-1]),) * 2,
            tuple(replace(key, value=(abs(key.value[-1]),) * 2) for key in curve.keys),
        )
        reason = context.because(
            work,
            Cause.SCALES_TOGETHER,
            item,
            lane.label,
            "width and height scale together there; the height counts",
            "stretch it again there",
            what=name,
            before=shown(curve),
            after=shown(new),
            deviation=(round(_uneven(curve) * work.sequence.frame_size[0], 1), "px"),
        )
        item, curve = work.put(lane, item, _with(item, name, new), reason), new
    elif name == "crop" and len(curve.keys) > 1 and not takes.moving_crop:
        new = Curve(curve.still)
        reason = context.because(
            work,
            Cause.CROP_STANDS,
            item,
            lane.label,
            "a crop stands still there; the first value is used",
            "move the crop again there",
            what=name,
            before=shown(curve),
            after=shown(new),
        )
        item, curve = work.put(lane, item, _with(item, name, new), reason), new
    return _keys(context, work, lane, item, name, curve) if curve.keys else item


def _spelled_uneven(context: Context, moved: Motion) -> bool:
    """Whether width and height scaled apart, or a mirrored picture, can be said."""
    if not context.destination.motion.uneven_scale:
        return False
    by_corners = context.spells.uneven_by_corners
    return by_corners is None or (context.destination.motion.corners and by_corners(moved))


def alpha_of(color: str) -> float:
    """How far a colour ``#rrggbbaa`` covers what lies below, 0 to 1."""
    return int(color[7:9] or "ff", 16) / 255.0


def values_of(curve: Curve) -> list[tuple[float, ...]]:
    """All values a curve names: of its keys, or the only one."""
    return [key.value for key in curve.keys] or [curve.value]


def _uneven(curve: Curve) -> float:
    """How far width and height are scaled apart; a mirrored picture counts by what it would be unmirrored."""
    return max(
        max(abs(value[0] - abs(value[-1])), abs(value[-1] - abs(value[-1]))) for value in values_of(curve)
    )


def shown(curve: Curve) -> str:
    """A curve in a word."""
    if curve.keys:
        return f"{len(curve.keys)} keyframes"
    return " ".join(f"{value:g}" for value in curve.value)


def straightened_keys(curve: Curve, domain: str = "plain") -> Curve:
    """The same keys on whole frames with straight lines between them."""
    keys = tuple(replace(key, time=round(key.time), ease=Ease.LINEAR) for key in curve.keys)
    return Curve(curve.value, keys, domain)


def _keys(context: Context, work: Work, lane: Lane, item: Item, name: str, curve: Curve) -> Item:
    """Keep a curve whose easings are known; follow it with straight lines otherwise, or leave them out."""
    takes = context.destination.keyframes
    eased = any(key.ease.value not in takes.interpolations for key in curve.keys)
    between = takes.whole_frames and any(not isinstance(key.time, int) for key in curve.keys)
    if not (eased or between) or len(curve.keys) < 2:
        return item
    kind = kind_of_motion(name)
    choice = context.decide(Cause.KEYS_FOLLOWED, name, item.id, Remedy.ADAPT, Remedy.LEAVE, kind=kind)
    limit, unit = _FOLLOWED[name]
    limit *= context.options.tolerance
    follow = choice.remedy is Remedy.ADAPT
    length = float(item.duration)
    new = followed(curve, length, "plain", spread, limit) if follow else straightened_keys(curve)
    why = "keyframe eases become straight lines" if eased else "keyframes stand on whole frames there"
    do = "ease the keys again there, if it shows"
    if follow:
        why = f"{why}; {len(new.keys)} keys follow the curve that {len(curve.keys)} drew"
        do = "nothing; smooth the keys there if they are to be changed"
    reason = context.because(
        work,
        Cause.KEYS_FOLLOWED if follow else Cause.KEYS_STRAIGHT,
        item,
        lane.label,
        why,
        do,
        choice=choice,
        before=shown(curve),
        after=shown(new),
        deviation=(round(largest(curve, new, length, spread), 3), unit),
        minutes=0.0 if follow else None,
        within=limit if follow else None,
    )
    return work.put(lane, item, _with(item, name, new), reason)
