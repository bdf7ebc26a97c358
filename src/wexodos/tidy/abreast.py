"""Two sequences that are a pair as one hand-over: both as they are, nested, under one layer of markers."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from wexodos.compare.pairing import Pair
from wexodos.ground.names import fresh
from wexodos.model import (
    Angles,
    Content,
    Document,
    Folder,
    Item,
    Marker,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    Track,
)
from wexodos.tidy.marks import cut_markers, cuts_layer_of, with_cuts_layer, with_item
from wexodos.tidy.step import Render
from wexodos.timing import Exact, ceil, floor

LEFT, RIGHT = "Left", "Right"


def abreast(
    left_of: Document, left: Sequence, right_of: Document, right: Sequence, pair: Pair
) -> tuple[Document, Sequence, list[Render]]:
    """A document in which both sequences are nested in a new one, in time with each other, and what has to be
    rendered for it.

    One layer above them has a marker at the first and last frame of every shot of both, once where they fall
    together, and one for every row of the pair. The new sequence has the timecode of the left one.
    """
    other_of, other = _apart(left_of, right_of, right)
    shift = pair.offset
    # What of the right one lies before the left one begins has no place there.
    head = max(0, ceil(shift))
    behind = max(0, -floor(shift))
    ids = _ids(left_of) | _ids(other_of)
    one = _nest(fresh("left-eye", ids), LEFT, left, 0, left.duration, 0)
    two = _nest(
        fresh("right-eye", ids),
        RIGHT,
        other,
        behind,
        max(1, other.duration - head),
        other.rate.seconds(head),
    )
    made = replace(
        left,
        id=fresh("abreast", ids),
        name=f"{left.name} + {right.name}",
        tracks=(Track("video", (one,), name=LEFT), Track("video", (two,), name=RIGHT)),
        markers=(),
        top_level=True,
        stated_duration=None,
        raw=(),
        note="",
        metadata=(),
        marked=None,
    )
    nested = [replace(each, top_level=False) for each in (left, other)]
    rest = [
        each
        for document, own in ((left_of, left), (other_of, other))
        for each in document.sequences
        if each.id != own.id and each in document.reachable(own)
    ]
    document = replace(
        left_of,
        sequences=(made, *nested, *rest),
        media=(*left_of.media, *other_of.media),
        notes=(*left_of.notes, *other_of.notes),
        folders=_folders([*left_of.folders, *other_of.folders]),
        raw=(),
    )
    document, made, renders = with_cuts_layer(document, made)
    _, layer = cuts_layer_of(document, made)
    marked = replace(layer, markers=tuple(_markers(left, other, shift, pair)))
    made = with_item(made, marked)
    sequences = tuple(made if each.id == made.id else each for each in document.sequences)
    return replace(document, sequences=sequences), made, renders


def _markers(left: Sequence, right: Sequence, shift: Exact, pair: Pair) -> list[Marker]:
    ours = cut_markers(left)
    theirs = [replace(one, start=one.start - shift) for one in cut_markers(right)]
    # An in where the other has an in, an out where it has an out, is one.
    there = {(one.start, one.name.rpartition(" ")[2]) for one in ours}
    alone = [
        replace(one, name=f"{RIGHT}: {one.name}")
        for one in theirs
        if one.start >= 0 and (one.start, one.name.rpartition(" ")[2]) not in there
    ]
    rows = [
        Marker(max(0, floor(row.at)), 0, f"{row.what.value} {row.track}".strip(), f"{row.left} | {row.right}")
        for row in pair.rows
    ]
    return sorted([*ours, *alone, *rows], key=lambda one: one.start)


def _nest(key: str, name: str, sequence: Sequence, start: int, length: int, source: Exact) -> Item:
    return Item(
        key, f"{name}: {sequence.name}", start, length, NestedUse(sequence.id), source, motion=Motion()
    )


def _folders(folders: Iterable[Folder]) -> tuple[Folder, ...]:
    found: dict[str, Folder] = {}
    for one in folders:
        there = found.get(one.path)
        found[one.path] = one if there is None else replace(one, members=(*there.members, *one.members))
    return tuple(found.values())


# ---- ids that are not those of the other document


def _ids(document: Document) -> set[str]:
    found = {one.id for one in document.media}
    for sequence in document.sequences:
        found.add(sequence.id)
        found.update(item.id for item in sequence.items())
        found.update(one.id for track in sequence.tracks for one in track.transitions)
    return found


def _apart(one: Document, other: Document, sequence: Sequence) -> tuple[Document, Sequence]:
    """The second document with ids, and links, that are none of the first one's."""
    taken = _ids(one)
    new = {key: fresh(f"{key}-right", taken) if key in taken else key for key in sorted(_ids(other))}
    links = {item.link for each in one.sequences for item in each.items() if item.link}

    def content(now: Content) -> Content:
        if isinstance(now, MediaUse):
            return replace(now, media=new.get(now.media, now.media))
        if isinstance(now, NestedUse):
            return replace(now, sequence=new.get(now.sequence, now.sequence))
        if isinstance(now, Angles):
            angles = tuple(
                replace(
                    angle,
                    media=new.get(angle.media, angle.media) if angle.media else angle.media,
                    sequence=new.get(angle.sequence, angle.sequence) if angle.sequence else angle.sequence,
                )
                for angle in now.angles
            )
            return replace(now, angles=angles)
        return now

    def track(now: Track) -> Track:
        items = tuple(
            replace(
                item,
                id=new[item.id],
                content=content(item.content),
                link=f"{item.link}-right" if item.link in links else item.link,
            )
            for item in now.items
        )
        joins = tuple(replace(one, id=new[one.id]) for one in now.transitions)
        return replace(now, items=items, transitions=joins)

    sequences = tuple(
        replace(each, id=new[each.id], tracks=tuple(map(track, each.tracks))) for each in other.sequences
    )
    media: tuple[Media, ...] = tuple(replace(each, id=new[each.id]) for each in other.media)
    folders = tuple(
        replace(each, members=tuple(new.get(key, key) for key in each.members)) for each in other.folders
    )
    made = replace(other, sequences=sequences, media=media, folders=folders)
    return made, made.sequences_by_id[new[sequence.id]]
