"""Settling steps of Track XML: the fields it has for words about a clip, the pixel aspects it has names
for."""

from __future__ import annotations

from dataclasses import replace

from wexodos.formats.xmeml.write_items import WORDS
from wexodos.formats.xmeml.write_parts import aspect_name
from wexodos.model import Item, MediaUse
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.vocabulary import Cause, Fate, Kind
from wexodos.timing import Exact

_FIELDS = {"studio.scene": "scene", "studio.shot": "shottake"}
"""The fields that scene and shot go into, by the end of the key they come under."""


def fields(context: Context, work: Work) -> None:
    """Metadata that has no field there; scene and shot go into the fields that there are."""
    for lane in work.lanes:
        for item in list(lane.items):
            if item.metadata:
                _fields(context, work, lane, item)


def _fields(context: Context, work: Work, lane: Lane, item: Item) -> None:
    known: dict[str, str] = {}
    lost: list[str] = []
    for key, value in item.metadata:
        field = next((name for ending, name in _FIELDS.items() if key.endswith(ending)), key)
        if field in WORDS and field not in known:
            known[field] = value
        else:
            lost.append(f"{key}: {value}")
    moved = tuple(known.items())
    if moved == item.metadata:
        return
    reason = context.because(
        work,
        Cause.NO_FIELDS,
        item,
        lane.label,
        "Track XML has no field for it" if lost else "it goes into the fields that Track XML has",
        "nothing",
        what="metadata",
        fate=Fate.LEFT if lost else Fate.ADAPTED,
        before="; ".join(lost or [key for key, _ in item.metadata])[:300],
    )
    work.put(lane, item, replace(item, metadata=moved), reason)


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


def has_name(aspect: Exact) -> bool:
    """Whether the dialect has a name for a pixel aspect."""
    return aspect_name(aspect) is not None


_OURS = ("mediaSource", "embedded", "time reference")
"""What readers note about media for the house itself."""


def goes_with_media(key: str) -> bool:
    """Whether something noted about a medium has a form there, or is for the house only."""
    return key in _OURS or key.startswith("channel ") or key.endswith("studio.reel")
