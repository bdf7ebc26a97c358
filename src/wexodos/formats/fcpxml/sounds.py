"""Channels, roles and switches of sound (4, 9, 12, 14)."""

from __future__ import annotations

from dataclasses import dataclass

from wexodos.evaluate.geometry import Raster
from wexodos.formats.fcpxml.adjusts import LocalTime
from wexodos.formats.fcpxml.lexical import Element, numbers, switch
from wexodos.formats.fcpxml.resources import Asset, Resources, frame_attribute
from wexodos.formats.fcpxml.story import Leaf
from wexodos.formats.fcpxml.units import SILENCE_DB
from wexodos.model import Angles, Content, Curve, Ease, Key
from wexodos.timing import Exact, Rate


@dataclass(slots=True)
class Source:
    """What a leaf plays: content, its media where it has one, and seconds to add to the leaf's local time."""

    content: Content
    asset: Asset | None
    shift: Exact
    picture: bool
    sound: bool
    raster: Raster | None = None
    heard: tuple[str, ...] = ()


def silent_roles(parts: list[Element]) -> tuple[str, ...]:
    """The roles that are switched off among the parts of a nest or of a synchronised clip (4, 12)."""
    return tuple(
        role_of(part.get("role") or "")
        for part in parts
        if not switch(part.get("active")) or not switch(part.get("enabled"))
    )


def off_in_sync(leaf: Leaf, roles: tuple[str, ...]) -> bool:
    """Whether a sound inside a synchronised clip is off: its part of the clip says which roles are (12)."""
    top = leaf.element
    for around in leaf.element.iterancestors():
        if around is leaf.owner:
            break
        top = around
    part = "connected" if (top.get("lane") or "0").strip() not in ("0", "") else "storyline"
    off: set[str] = set()
    for source in leaf.owner.findall("sync-source"):
        if source.get("sourceID") == part:
            off.update(role.lower() for role in silent_roles(source.findall("audio-role-source")))
    return any(role.lower() in off or role.partition(".")[0].lower() in off for role in roles)


def apart(components: list[Element]) -> bool:
    """Whether a clip's components are treated on their own, beyond being on or off."""
    if len({role_of(one.get("role") or "") for one in components}) > 1:
        return True
    return any(len(one) for one in components)


def muted_stretches(component: Element, level: Curve, time: LocalTime, rate: Rate) -> Curve:
    """Stretches of silence in a component as level keys that hold; only where the level itself stands still
    (4)."""
    stretches = []
    for mute in component.findall("mute"):
        start = frame_attribute(mute, "start", rate, "mute")
        length = frame_attribute(mute, "duration", rate, "mute")
        begin = 0 if start is None else start - time.at_start
        stretches.append((begin, time.duration if length is None else begin + length))
    if not stretches or level.keys:
        return level
    still = level.value
    keys = [Key(0, still, Ease.HOLD)]
    for begin, end in sorted(stretches):
        keys += [Key(begin, (SILENCE_DB,), Ease.HOLD), Key(end, still, Ease.HOLD)]
    unique = {key.time: key for key in keys}
    return Curve(still, tuple(unique[at] for at in sorted(unique)))


def channels_of(
    leaves: list[Leaf], source: Source, resources: Resources
) -> tuple[tuple[int, ...], tuple[int, ...], tuple[str, ...]]:
    """Source channels, those switched off, and the roles of a sound (9, 14)."""
    owner = leaves[0].owner
    roles: list[str] = []
    channels: list[int] = []
    muted: list[int] = []
    for leaf in leaves:
        if leaf.element.tag == "audio":
            channels += [int(one) for one in numbers(leaf.element.get("srcCh")) if one >= 1]
            roles += [leaf.element.get("role") or ""]
    for component in owner.findall("audio-channel-source"):
        own = [int(one) for one in numbers(component.get("srcCh")) if one >= 1]
        channels += [one for one in own if one not in channels]
        if not switch(component.get("active")) or not switch(component.get("enabled")):
            muted += own
        roles += [component.get("role") or ""]
    if not channels:
        asset = source.asset
        if isinstance(source.content, Angles):
            angle = source.content.angle(source.content.audio)
            asset = resources.assets.get(angle.media or "") if angle is not None else None
        count = asset.channels if asset is not None else 2
        channels = list(range(1, max(1, count) + 1))
    roles = [leaves[0].owner.get("audioRole") or leaves[0].element.get("audioRole") or "", *roles]
    return (
        tuple(dict.fromkeys(channels)),
        tuple(muted),
        tuple(dict.fromkeys(role_of(role) for role in roles if role)),
    )


def role_of(text: str) -> str:
    """A role without a default sub-role: ``dialogue.dialogue-1`` is ``dialogue`` (14)."""
    main, _, sub = text.strip().partition(".")
    return main if not sub or sub.lower() == f"{main.lower()}-1" else f"{main}.{sub}"
