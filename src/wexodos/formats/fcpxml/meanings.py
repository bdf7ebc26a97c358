"""Kept pieces by what they refer to: a file gives its resources and styles new ids whenever it is written, so
that two pieces are the same where they mean the same, whatever the ids."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from lxml import etree

from wexodos.formats.build_xml import verbatim
from wexodos.model import Angles, Document, Generator, Item, Raw, Sequence, Title, Track
from wexodos.model.raw import EFFECT, FORMAT

_SAID_BY_THE_ITEM = ("name", "lane", "offset", "start", "duration", "enabled")


def by_meaning(document: Document) -> Document:
    """The document with what its kept pieces refer to in place of the ids that stand for it there."""
    meanings = {sequence.id: f"cut {sequence.name}" for sequence in document.sequences}
    meanings |= {media.id: f"medium {media.path or media.name}" for media in document.media}
    for raw in document.raw:
        if raw.tag.startswith(EFFECT):
            meanings[raw.tag.removeprefix(EFFECT)] = f"effect {raw.text}"
    for sequence in document.sequences:
        for item in sequence.items():
            if isinstance(item.content, Angles):
                angles = ", ".join(f"{one.id} {one.name}" for one in item.content.angles)
                meanings.setdefault(item.content.id, f"angles {angles}")
    formats = {raw.tag.removeprefix(FORMAT): raw.text for raw in document.raw if raw.tag.startswith(FORMAT)}
    turned = partial(_turned, meanings, formats)
    return replace(document, sequences=tuple(_sequence(one, turned) for one in document.sequences))


def _turned(meanings: dict[str, str], formats: dict[str, str], raw: Raw) -> Raw:
    if raw.dialect != "fcpxml" or not any(f'{word}="' in raw.text for word in ("ref", "format", "id")):
        return raw
    piece = verbatim(raw.text)
    if piece is None:
        return raw
    for element in piece.iter():
        if element.tag == "text-style" or element.tag == "text-style-def":
            # Styles go by their order.
            for name in ("id", "ref"):
                element.attrib.pop(name, "")
            continue
        for name, known in (("ref", meanings), ("format", formats)):
            said = element.get(name)
            meant = known.get(said) if said else None
            if meant is not None:
                element.set(name, meant)
    if piece.tag == "audio-role-source":
        # Whether a role is heard is said by the item.
        piece.attrib.pop("active", "")
    if piece.tag == "caption":
        for name in _SAID_BY_THE_ITEM:
            piece.attrib.pop(name, "")
        for note in piece.findall("note"):
            piece.remove(note)
    return replace(raw, text=etree.tostring(piece, encoding="unicode"))


def _sequence(sequence: Sequence, turned: partial[Raw]) -> Sequence:
    tracks = tuple(_track(track, turned) for track in sequence.tracks)
    return replace(sequence, tracks=tracks, raw=tuple(map(turned, sequence.raw)))


def _track(track: Track, turned: partial[Raw]) -> Track:
    items = tuple(_item(item, turned) if _keeps(item) else item for item in track.items)
    joins = tuple(
        replace(one, raw=tuple(map(turned, one.raw))) if one.raw else one for one in track.transitions
    )
    return replace(track, items=items, transitions=joins, raw=tuple(map(turned, track.raw)))


def _keeps(item: Item) -> bool:
    drawn = isinstance(item.content, Title | Generator) and bool(item.content.raw)
    return drawn or bool(item.raw) or any(effect.raw is not None for effect in item.effects)


def _item(item: Item, turned: partial[Raw]) -> Item:
    content = item.content
    if isinstance(content, Title | Generator):
        content = replace(content, raw=tuple(map(turned, content.raw)))
    effects = tuple(replace(one, raw=turned(one.raw)) if one.raw is not None else one for one in item.effects)
    return replace(item, content=content, effects=effects, raw=tuple(map(turned, item.raw)))
