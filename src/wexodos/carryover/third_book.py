"""The third book: the file that was written is read back and must be the adapted cut.

There is no list of excuses. What a format cannot say of itself is undone by rules first: pieces of sound
stand for the media they were cut from, formats without ids get those of what was written, a list's media are
the known ones.
"""

from __future__ import annotations

from dataclasses import replace

from wexodos.carryover.faults import Book, of_differences
from wexodos.carryover.library import unused
from wexodos.compare import Difference, compare, match_items
from wexodos.compare.aspects import Aspect
from wexodos.model import Document, Sequence
from wexodos.settling.findings import Finding
from wexodos.settling.spells import Spells


def third_book(adapted: Document, sequence: Sequence, returned: Document, spells: Spells) -> list[Finding]:
    """What of the file that was read back is not the adapted cut. Empty: the book balances."""
    if spells.by_meaning is not None:
        adapted, returned = spells.by_meaning(adapted), spells.by_meaning(returned)
    back = returned.top_level[0]
    found = compare(
        adapted,
        adapted.sequences_by_id[sequence.id],
        returned,
        back,
        ids=not spells.ids,
        whole=True,
        within=spells.precision,
        dialect=None if spells.keeps_everything else returned.format,
    )
    there = {media.file_name.lower() for media in returned.media}
    found += [
        Difference(
            "gone", Aspect.UNUSED_MEDIA, media.file_name, f"media:{media.id}", "", 0, 0, media.file_name, None
        )
        for media in unused(adapted, sequence)
        if media.file_name.lower() not in there
    ]
    paths = {folder.path for folder in returned.folders}
    found += [
        Difference("gone", Aspect.FOLDER, folder.path, f"folder:{folder.path}", "", 0, 0, folder.path, None)
        for folder in adapted.folders
        if folder.path not in paths
    ]
    return of_differences(Book.WRITE, found)


def in_words_of(adapted: Document, sequence: Sequence, read: Document, spells: Spells) -> Document:
    """What was read back in the words of what was written: what its format cannot say of itself is undone."""
    returned = spells.recognised(read, adapted) if spells.recognised is not None else read
    return returned if spells.ids else _relabelled(adapted, sequence, returned)


def _relabelled(adapted: Document, sequence: Sequence, returned: Document) -> Document:
    """Give what was read back the ids of what was to be written: formats without ids of items hand out new
    ones."""
    back = returned.top_level[0]
    pairs = match_items(adapted, sequence, returned, back).pairs
    ids = {other.item.id: one.item.id for one, other in pairs}
    joins = {
        (track.kind, one.cut): one.id for track in reversed(sequence.tracks) for one in track.transitions
    }
    tracks = tuple(
        replace(
            track,
            items=tuple(replace(item, id=ids.get(item.id, f"new-{item.id}")) for item in track.items),
            transitions=tuple(
                replace(one, id=joins.get((track.kind, one.cut), f"new-{one.id}"))
                for one in track.transitions
            ),
        )
        for track in back.tracks
    )
    whole = replace(back, tracks=tracks)
    return replace(
        returned, sequences=tuple(whole if one.id == back.id else one for one in returned.sequences)
    )
