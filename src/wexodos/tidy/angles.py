"""Multi-angle clips: only the angle that is seen and the sound that is heard."""

from __future__ import annotations

from dataclasses import replace

from wexodos.model import Angle, Angles, Document, Item, MediaUse, NestedUse, Sequence
from wexodos.tidy.step import Line, Outcome, Values, counted, line_of, put
from wexodos.timing import exact


def angle_in_use(item: Item, kind: str) -> Angle | None:
    """The angle a multi-angle clip shows (``video``) or plays; None where it is none or the angle has nothing
    behind it."""
    content = item.content
    if not isinstance(content, Angles):
        return None
    used = content.angle(content.video if kind == "video" else content.audio)
    return None if used is None or (used.media is None and used.sequence is None) else used


def reduced(item: Item, used: Angle) -> Item:
    """A multi-angle clip as a clip of one angle."""
    content = MediaUse(used.media) if used.media is not None else NestedUse(used.sequence or "")
    return replace(item, content=content, source_in=exact(item.source_in + used.offset))


def reduce_angles(document: Document, sequence: Sequence, _values: Values) -> Outcome:
    """Every multi-angle clip becomes a plain clip of the angle in use."""
    lines: list[Line] = []
    tracks = []
    for label, track in sequence.labelled_tracks():
        items = []
        for item in track.items:
            used = angle_in_use(item, track.kind)
            if not isinstance(item.content, Angles):
                items.append(item)
            elif used is None:
                items.append(item)
                lines.append(line_of(item, label, "stays", "none of its angles can be found", grave=True))
            else:
                items.append(reduced(item, used))
                others = len(item.content.angles) - 1
                lines.append(
                    line_of(
                        item, label, f"keeps the angle {used.name}", f"{counted(others, 'angle')} left out"
                    )
                )
        tracks.append(replace(track, items=tuple(items)))
    if not lines:
        return Outcome(document, sequence, "there are no multi-angle clips")
    made = replace(sequence, tracks=tuple(tracks))
    count = sum(not line.grave for line in lines)
    return Outcome(
        put(document, made),
        made,
        f"{counted(count, 'multi-angle clip')} {'keeps' if count == 1 else 'keep'} only the angle in use",
        lines,
    )
