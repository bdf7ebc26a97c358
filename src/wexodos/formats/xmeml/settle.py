"""Settling steps of Track XML: the fields it has for words about a clip, the pixel aspects it has names
for."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from typing import TypeAlias

from wexodos.formats.xmeml.write_items import WORDS, spelled_rate
from wexodos.formats.xmeml.write_parts import aspect_name
from wexodos.model import Curve, Item, MediaUse, with_curves
from wexodos.settling.changes import Reason
from wexodos.settling.context import Context, Work
from wexodos.settling.vocabulary import Cause, Fate, Kind
from wexodos.timing import Exact, exact, round_half_up

_FIELDS = {"studio.scene": "scene", "studio.shot": "shottake"}
"""The fields that scene and shot go into, by the end of the key they come under."""


def fields(context: Context, work: Work) -> None:
    """Metadata that has no field there; scene and shot go into the fields that there are."""
    for lane in work.lanes:
        for item in list(lane.items):
            moved, lost = _sorted(item.metadata)
            if moved != item.metadata:
                reason = _reason(context, work, item, lane.label, item.metadata, lost)
                work.put(lane, item, replace(item, metadata=moved), reason)
    moved, lost = _sorted(work.sequence.metadata)
    if moved != work.sequence.metadata:
        place = (0, work.sequence.duration)
        reason = _reason(context, work, place, "", work.sequence.metadata, lost)
        work.put_settings(replace(work.sequence, metadata=moved), reason)


_Words: TypeAlias = "tuple[tuple[str, str], ...]"


def _sorted(metadata: _Words) -> tuple[_Words, list[str]]:
    """What goes, under the names of the fields there, and what does not."""
    known: dict[str, str] = {}
    lost: list[str] = []
    for key, value in metadata:
        field = next((name for ending, name in _FIELDS.items() if key.endswith(ending)), key)
        if field in WORDS and field not in known:
            known[field] = value
        else:
            lost.append(f"{key}: {value}")
    return tuple(known.items()), lost


def _reason(
    context: Context, work: Work, place: Item | tuple[Exact, Exact], label: str, told: _Words, lost: list[str]
) -> Reason:
    return context.because(
        work,
        Cause.NO_FIELDS,
        place,
        label,
        "Track XML has no field for it" if lost else "it goes into the fields that Track XML has",
        "nothing",
        what="metadata",
        fate=Fate.LEFT if lost else Fate.ADAPTED,
        item_id=None if isinstance(place, Item) else "",
        name=None if isinstance(place, Item) else work.sequence.name,
        before="; ".join(lost or [key for key, _ in told])[:300],
    )


def pixel_aspects(context: Context, work: Work) -> None:
    """Media whose pixel aspect has no name are read as square there (2.3)."""
    for lane in work.lanes:
        for item in lane.items:
            use = item.content
            media = context.document.media_by_id.get(use.media) if isinstance(use, MediaUse) else None
            if media is None or has_name(media.pixel_aspect):
                continue
            reason = context.because(
                work,
                Cause.NO_PIXEL_ASPECT,
                item,
                lane.label,
                "the pixel aspect of its medium has no name there; it counts as square",
                "set it on the medium there",
                what="pixel aspect",
                kind=Kind.MEDIA,
                fate=Fate.LEFT,
                before=str(media.pixel_aspect),
                after="1",
            )
            context.put_media(media, replace(media, pixel_aspect=1), reason)


def keys_on_media(context: Context, work: Work) -> None:
    """Keyframes of items whose frames are those of their medium: ``when`` counts whole ones (7, 15)."""
    own = work.sequence.rate
    for lane in work.lanes:
        for item in list(lane.items):
            use = item.content
            media = context.document.media_by_id.get(use.media) if isinstance(use, MediaUse) else None
            dressed = any(one.cut in (item.start, item.end) for one in lane.transitions)
            rate = spelled_rate(item, media, own, dressed)
            if rate == own:
                continue
            ratio = Fraction(rate.fps) / Fraction(own.fps)
            new = with_curves(item, lambda curve, ratio=ratio: _on_units(curve, ratio))  # type: ignore[misc]
            if new is item:
                continue
            furthest = Fraction(1, 2) / ratio
            reason = context.because(
                work,
                Cause.KEYS_ON_MEDIUM,
                item,
                lane.label,
                "its keyframes are counted in whole frames of its medium there, which runs at another rate",
                "nothing, unless part of a frame shows",
                kind=Kind.LEVEL if lane.kind == "audio" else Kind.MOTION,
                what="keyframes",
                deviation=(round(_furthest(item, ratio), 3), "fr"),
                minutes=0,
                within=float(furthest),
            )
            work.put(lane, item, new, reason)


def _on_units(curve: Curve, ratio: Fraction) -> Curve:
    """The keys at the nearest whole unit, ``ratio`` of which are a frame; of two on one the later counts."""
    if all(float(key.time * ratio).is_integer() for key in curve.keys):
        return curve
    moved = {round_half_up(exact(key.time * ratio)): key for key in curve.keys}
    keys = tuple(replace(key, time=exact(unit / ratio)) for unit, key in sorted(moved.items()))
    return replace(curve, keys=keys) if len(keys) > 1 else Curve(keys[0].value, (), curve.domain)


def _furthest(item: Item, ratio: Fraction) -> float:
    """How far a key is moved, in frames."""
    found = [0.0]

    def look(curve: Curve) -> Curve:
        found.extend(
            abs(float(round_half_up(exact(key.time * ratio)) / ratio - key.time)) for key in curve.keys
        )
        return curve

    with_curves(item, look)
    return max(found)


def has_name(aspect: Exact) -> bool:
    """Whether the dialect has a name for a pixel aspect."""
    return aspect_name(aspect) is not None


_OURS = ("mediaSource", "time reference")
"""What readers note about media for the house itself."""


def goes_with_media(key: str) -> bool:
    """Whether something noted about a medium has a form there, or is for the house only."""
    return key in _OURS or key.startswith("channel ") or key.endswith("studio.reel")
