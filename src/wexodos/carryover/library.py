"""Folders, and media that no clip uses: sent on request, named otherwise (N5, N26)."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace

from wexodos.model import Angles, Document, Folder, Media, MediaUse, Sequence
from wexodos.settling.context import Context


def unused(document: Document, sequence: Sequence) -> list[Media]:
    """The media that neither the sequence nor anything nested in it uses, in the order of the file."""
    used: set[str] = set()
    for one in (sequence, *document.reachable(sequence)):
        for item in one.items():
            if isinstance(item.content, MediaUse):
                used.add(item.content.media)
            elif isinstance(item.content, Angles):
                used.update(angle.media for angle in item.content.angles if angle.media)
            for raw in item.raw:
                if raw.tag == "audition":
                    used.update(_REFERENCES.findall(raw.text))
    return [media for media in document.media if media.id not in used and not media.synthetic]


def needed(adapted: Document, original: Document, whole: Sequence) -> Document:
    """The adapted document without media that only stood in what does not go; what was unused before is
    another matter."""
    spare = {media.id for media in unused(original, whole)}
    gone = {media.id for media in unused(adapted, adapted.sequences_by_id[whole.id])} - spare
    return replace(adapted, media=tuple(media for media in adapted.media if media.id not in gone))


def folders(document: Document) -> list[Folder]:
    """The folders that put media in order; one around the cut alone does not."""
    known = document.media_by_id
    return [folder for folder in document.folders if any(member in known for member in folder.members)]


_REFERENCES = re.compile(r'\bref="([^"]*)"')


@dataclass(frozen=True, slots=True)
class Unsent:
    """What stands around the cut in the file and does not go with it: no part of the sequence, so no finding,
    but said."""

    media: tuple[str, ...] = ()
    folders: tuple[str, ...] = ()
    elements: tuple[str, ...] = ()


def organised(
    context: Context, original: Document, sequence: Sequence, document: Document
) -> tuple[Document, Unsent]:
    """The adapted document with or without its folders and unused media, as was asked for, and what stays
    behind. What is unused is so in the ``original``."""
    asked, spells = context.options.organised, context.spells
    ordered, spare = folders(document), unused(original, sequence)
    pictures = context.destination.pictures.carry
    stays = {
        media.id
        for media in spare
        if not asked or (spells.unused_media is not None and not spells.unused_media(media, pictures))
    }
    in_order = asked and spells.folders
    sent = tuple(
        media if in_order or media.folder is None else replace(media, folder=None)
        for media in document.media
        if media.id not in stays
    )
    kept: tuple[Folder, ...] = ()
    if in_order:
        kept = document.folders if spells.keeps_everything else tuple(ordered)
    unsent = Unsent(
        tuple(media.file_name for media in spare if media.id in stays),
        () if in_order else tuple(folder.path for folder in ordered),
        () if spells.keeps_everything else tuple(_foreign(context, document, sent)),
    )
    return replace(document, folders=kept, media=sent), unsent


def _foreign(context: Context, document: Document, sent: tuple[Media, ...]) -> Iterator[str]:
    """Pieces of the file around the cut that belong to another dialect."""
    pieces = context.foreign(document.raw) if context.spells.keeps_unread else document.raw
    for raw in pieces:
        if not raw.is_resource:
            yield raw.tag
    for media in sent:
        for raw in context.foreign(media.raw):
            yield f"{raw.tag} of {media.file_name}"
    goes = context.spells.media_fields
    if goes is not None:
        for media in sent:
            for key, _ in media.metadata:
                if not goes(key):
                    yield f"{key} of {media.file_name}"
