"""What a cut needs of each medium, and where in the cut."""

from __future__ import annotations

from dataclasses import dataclass, field

from wexodos.footage.tables import table_medium
from wexodos.model import Angles, Document, Item, Media, MediaUse, Sequence
from wexodos.sound.piece import stretch
from wexodos.timing import Exact, exact


@dataclass(frozen=True, slots=True)
class Use:
    """One item that uses a medium: its track, its record start in its own sequence, its name and id."""

    sequence: str
    track: str
    start: Exact
    item_id: str
    name: str


@dataclass(slots=True)
class Need:
    """A medium with the stretch of it that is used, in seconds from its first frame, and its uses.
    ``picture`` and ``sound`` say which of it; ``channels`` those that are heard."""

    media: Media
    low: Exact | None = None
    high: Exact | None = None
    picture: bool = False
    sound: bool = False
    channels: set[int] = field(default_factory=set)
    uses: list[Use] = field(default_factory=list)


def needs(document: Document, sequence: Sequence) -> list[Need]:
    """The media that a sequence and the nests in it use, in the order of their first use; entries without a
    file are left out."""
    found: dict[str, Need] = {}
    known = document.media_by_id
    for one in (sequence, *reversed(document.reachable(sequence))):
        for label, track in one.labelled_tracks():
            joins = {join.cut: join for join in track.transitions}
            for item in track.items:
                for media_id, offset in media_of(item, track.kind):
                    media = known.get(media_id)
                    if media is None or media.synthetic:
                        continue
                    need = found.setdefault(media_id, Need(media))
                    need.uses.append(Use(one.id, label, item.start, item.id, item.name))
                    if track.kind == "video":
                        need.picture = True
                    else:
                        need.sound = True
                        need.channels |= set(item.sound.channels) if item.sound is not None else {1}
                    if not (media.still or item.still):
                        low, high = stretch(item, one.rate, joins)
                        high = max(high, exact(low + one.rate.seconds(1)))
                        need.low = low + offset if need.low is None else min(need.low, low + offset)
                        need.high = high + offset if need.high is None else max(need.high, high + offset)
                for table in filter(None, map(table_medium, item.effects)):
                    need = found.setdefault(table.id, Need(table))
                    need.uses.append(Use(one.id, label, item.start, item.id, item.name))
    order = {
        use.item_id: number for number, use in enumerate(use for need in found.values() for use in need.uses)
    }
    end = sequence.duration
    return sorted(
        found.values(),
        key=lambda need: (
            min((use.start for use in need.uses if use.sequence == sequence.id), default=end),
            order[need.uses[0].item_id],
        ),
    )


def needs_of(document: Document, sequences: list[Sequence]) -> list[Need]:
    """The media that any of several sequences uses, in the order of their first use."""
    found: dict[str, Need] = {}
    for sequence in sequences:
        for need in needs(document, sequence):
            known = found.setdefault(need.media.id, need)
            if known is not need:
                found[need.media.id] = both(known, need)
    return list(found.values())


def both(one: Need, other: Need) -> Need:
    """What two sequences need of one medium; uses within a nest that both hold count once."""
    return Need(
        one.media,
        min((low for low in (one.low, other.low) if low is not None), default=None),
        max((high for high in (one.high, other.high) if high is not None), default=None),
        one.picture or other.picture,
        one.sound or other.sound,
        one.channels | other.channels,
        list(dict.fromkeys([*one.uses, *other.uses])),
    )


def media_of(item: Item, kind: str) -> list[tuple[str, Exact]]:
    """The medium an item shows or plays and what is added to its source time: at most one."""
    if isinstance(item.content, MediaUse):
        return [(item.content.media, 0)]
    if isinstance(item.content, Angles):
        used = item.content.angle(item.content.video if kind == "video" else item.content.audio)
        return [(used.media, used.offset)] if used is not None and used.media else []
    return []
