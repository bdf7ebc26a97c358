"""Turnovers that would be too large: refused with the sizes, or split so that the parts stay in sync with
each other."""

from __future__ import annotations

from dataclasses import replace

from wexodos.carryover import Carried
from wexodos.formats import FORMATS, WriteError
from wexodos.formats.omf.constants import MOST_BYTES
from wexodos.model import Item, MediaUse, Sequence, Track
from wexodos.timing import Exact, exact

ROOM = MOST_BYTES - (32 << 20)
"""What the parts of a split turnover are filled to: a little below the limit."""


def track_sizes(carried: Carried) -> dict[str, int]:
    """Bytes of sound by track, for tracks in order; what several tracks share counts for the first."""
    sounds = carried.made.plain.sounds
    counted: set[str] = set()
    found: dict[str, int] = {}
    sequence = carried.made.document.sequences_by_id[carried.sequence.id]
    for label, track in sequence.labelled_tracks():
        if track.kind == "audio":
            own = {item.content.media for item in track.items if isinstance(item.content, MediaUse)} - counted
            counted |= own
            found[label] = sum(one.size for key in own for one in sounds.get(key, {}).values())
    return found


def refuse_too_large(carried: Carried) -> None:
    """Raise ``WriteError`` for a file that would pass what its format can hold, before anything is written:
    its size by track, and what to do."""
    kind = FORMATS[carried.destination.format]
    reached = kind.inside
    if reached is None or reached.size is None or carried.destination.turnover.sound != "embedded":
        return
    clips = sum(len(track.items) for track in carried.sequence.audio_tracks)
    size = reached.size(carried.made.plain, clips)
    if size <= reached.most:
        return
    sequence = carried.made.document.sequences_by_id[carried.sequence.id]
    names = {label: track.name for label, track in sequence.labelled_tracks()}
    told = ", ".join(
        f"{label} {names[label]}".strip() + f" {amount >> 20} MiB"
        for label, amount in track_sizes(carried).items()
    )
    raise WriteError(
        f"{carried.sequence.name}: the OMF would be {size >> 20} MiB and none can be larger than 2048 "
        f"MiB ({told}); "
        "split it: --set split=tracks or --set split=reels"
    )


def groups_of_tracks(sizes: dict[str, int], room: int = ROOM) -> list[list[str]]:
    """Neighbouring tracks together as far as they fit; a track that is too large alone stays alone."""
    groups: list[list[str]] = []
    filled = 0
    for label, size in sizes.items():
        if groups and filled + size <= room:
            groups[-1].append(label)
            filled += size
        else:
            groups.append([label])
            filled = size
    return groups


def with_tracks(sequence: Sequence, labels: list[str]) -> Sequence:
    """The sequence with these sound tracks only, each on its own place: the parts lie over each other as
    before."""
    kept = dict(sequence.labelled_tracks())
    tracks = tuple(track for label, track in kept.items() if track.kind == "video" or label in labels)
    return replace(
        sequence,
        name=f"{sequence.name} {labels[0]}-{labels[-1]}"
        if len(labels) > 1
        else f"{sequence.name} {labels[0]}",
        tracks=tracks,
        stated_duration=sequence.duration,
    )


def reels(sequence: Sequence, count: int) -> list[tuple[Exact, Exact]]:
    """Divide a sequence into ``count`` stretches of about one length, each at a place where no sound item is
    cut; where there is none, at the nearest whole frame."""
    total = sequence.duration
    edges: list[Exact] = [0]
    for number in range(1, count):
        wanted = exact(total * number, count)
        places = {
            edge
            for track in sequence.audio_tracks
            for item in track.items
            for edge in (item.start, item.end)
            if isinstance(edge, int) and edges[-1] < edge < total and not _inside(sequence, edge)
        }
        edges.append(
            min(places, key=lambda edge: abs(float(edge - wanted)))
            if places
            else max(int(edges[-1]) + 1, int(wanted))
        )
    return list(zip(edges, [*edges[1:], total]))


def _inside(sequence: Sequence, place: Exact) -> bool:
    return any(
        item.start < place < item.end for track in sequence.audio_tracks for item in track.items
    ) or any(one.start < place < one.end for track in sequence.audio_tracks for one in track.transitions)


def with_reel(sequence: Sequence, start: Exact, end: Exact, number: int) -> Sequence:
    """The sequence with only the sound that begins in a stretch; everything stays at its place, so the reels
    line up."""

    def kept(track: Track) -> Track:
        if track.kind == "video":
            return track
        items: tuple[Item, ...] = tuple(item for item in track.items if start <= item.start < end)
        cuts = {edge for item in items for edge in (item.start, item.end)}
        return replace(
            track, items=items, transitions=tuple(one for one in track.transitions if one.cut in cuts)
        )

    return replace(
        sequence,
        name=f"{sequence.name} reel {number}",
        tracks=tuple(map(kept, sequence.tracks)),
        stated_duration=sequence.duration,
    )
