"""Folders, and media that no clip uses: sent on request, named otherwise (N5, N26)."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

from wexodos.carryover.context import Context
from wexodos.model import Angles, Document, Folder, Media, MediaUse, Sequence


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


_OURS = ("mediaSource", "embedded", "time reference")
"""What readers note about media for the house itself."""
_WITHOUT_FOLDERS = ("aaf", "omf", "edl")
_REFERENCES = re.compile(r'\bref="([^"]*)"')


@dataclass(frozen=True, slots=True)
class Unsent:
    """What stands around the cut in the file and does not go with it: no part of the sequence, so no finding,
    but said."""

    media: tuple[str, ...] = ()
    folders: tuple[str, ...] = ()
    elements: tuple[str, ...] = ()


def organised(context: Context, sequence: Sequence, document: Document) -> tuple[Document, Unsent]:
    """The document with or without its folders and unused media, as was asked for, and what stays behind."""
    kept, spare = folders(document), unused(document, sequence)
    if context.destination.keeps_everything:
        gone = set() if context.options.organised else {media.id for media in spare}
        left = tuple(media for media in document.media if media.id not in gone)
        whole = replace(document, media=left, folders=document.folders if context.options.organised else ())
        if context.options.organised:
            return whole, Unsent()
        return whole, Unsent(tuple(one.file_name for one in spare), tuple(one.path for one in kept))
    foreign = tuple(
        raw.tag
        for raw in document.raw
        if not raw.tag.startswith("effect:") and raw.dialect != context.destination.format
    )
    sent = (
        document.media if context.options.organised else [one for one in document.media if one not in spare]
    )
    foreign += tuple(
        f"{raw.tag} of {one.file_name}"
        for one in sent
        for raw in one.raw
        if raw.dialect != context.destination.format
    )
    if context.destination.format == "xmeml":
        foreign += tuple(
            f"{key} of {one.file_name}"
            for one in sent
            for key, _ in one.metadata
            if key not in _OURS and not key.startswith("channel ") and not key.endswith("studio.reel")
        )
    if context.options.organised and context.destination.format in _WITHOUT_FOLDERS:
        # Unused media goes as clips of its own where the format has such; pictures do not go where only sound
        # does.
        silent = [
            one
            for one in spare
            if context.destination.format == "edl" or not (context.destination.pictures.carry or one.audio)
        ]
        rest = tuple(replace(media, folder=None) for media in document.media if media not in silent)
        return replace(document, folders=(), media=rest), Unsent(
            tuple(media.file_name for media in silent), tuple(folder.path for folder in kept), foreign
        )
    if context.options.organised:
        return replace(document, folders=tuple(kept)), Unsent(elements=foreign)
    gone = {media.id for media in spare}
    rest = tuple(replace(media, folder=None) for media in document.media if media.id not in gone)
    return replace(document, folders=(), media=rest), Unsent(
        tuple(media.file_name for media in spare), tuple(folder.path for folder in kept), foreign
    )
