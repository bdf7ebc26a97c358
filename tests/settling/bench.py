"""A bench for single planning steps: a cut at work, and a destination with single parts changed."""

from __future__ import annotations

from fractions import Fraction as F
from typing import Any

import msgspec

from wexodos.destinations import find_destination
from wexodos.formats import FORMATS
from wexodos.model import Document, Item, Marker, Media, MediaUse, Sequence, Track, Transition
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.findings import Choices
from wexodos.timing import Rate

PAL = Rate(25)


def clip(name: str, start: int, length: int, source: object = 0, **more: object) -> Item:
    return Item(name, f"shot {name}", start, length, MediaUse("m"), F(source) / 25, **more)  # type: ignore[arg-type]


def at_work(
    *items: Item, joins: tuple[Transition, ...] = (), markers: tuple[Marker, ...] = ()
) -> tuple[Work, Lane]:
    track = Track("video", items, joins)
    sequence = Sequence("s", "Cut", PAL, tracks=(track,), markers=markers)
    lane = Lane("V1", "video", list(items), list(joins), track)
    return Work(sequence, [lane], list(markers)), lane


def context(name: str = "editing-track-xml", choices: Choices | None = None, **parts: object) -> Context:
    destination = find_destination(name)
    destination = msgspec.structs.replace(destination, **parts) if parts else destination
    document = Document("xmeml", "5", (), (Media("m", "A.mov"),))
    return Context(document, destination, FORMATS[destination.format].spells, choices or Choices())


def taking(told: Context, part: str, **values: Any) -> Context:
    """The context with a destination that takes single things otherwise."""
    changed = msgspec.structs.replace(getattr(told.destination, part), **values)
    told.destination = msgspec.structs.replace(told.destination, **{part: changed})
    return told
