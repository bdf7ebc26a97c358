"""The pull list: what of which source a cut needs, with handles, each stretch once."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

from wexodos.formats.ale import Row, written
from wexodos.ground.names import table_bytes
from wexodos.media.needs import media_of
from wexodos.model import Document, Media, Sequence
from wexodos.sound.piece import stretch
from wexodos.timing import Exact, Rate, Timecode, ceil, exact, floor


@dataclass(frozen=True, slots=True)
class Pull:
    """A stretch of a medium: frames of its rate from timecode zero, the end exclusive; how many clips it
    serves."""

    media: Media
    rate: Rate
    start: int
    end: int
    drop: bool
    clips: int


def pulls(document: Document, sequence: Sequence, handles: Exact) -> list[Pull]:
    """All stretches of source that a sequence and its nests need, with ``handles`` seconds on either side as
    far as the media go; stretches that overlap or touch are one."""
    spans: dict[str, list[tuple[Exact, Exact, Sequence]]] = defaultdict(list)
    for one in (sequence, *document.reachable(sequence)):
        for track in one.tracks:
            joins = {join.cut: join for join in track.transitions}
            for item in track.items:
                if item.enabled and track.enabled:
                    for media_id, offset in media_of(item, track.kind):
                        low, high = stretch(item, one.rate, joins)
                        # A frozen frame is one that has to be there.
                        high = max(high, exact(low + one.rate.seconds(1)))
                        spans[media_id].append((exact(low + offset), exact(high + offset), one))
    found = []
    known = document.media_by_id
    for media_id, uses in spans.items():
        media = known.get(media_id)
        if media is None or media.synthetic:
            continue
        rate = media.rate or uses[0][2].rate
        whole = media.duration if media.duration is not None and not media.still else None
        drop = media.drop_frame if media.drop_frame is not None else uses[0][2].drop_frame
        zero = media.start or 0
        if media.still:
            found.append(Pull(media, rate, zero, zero + 1, bool(drop), len(uses)))
            continue
        frames = sorted(
            (max(0, floor(rate.frames(low - handles))), ceil(rate.frames(high + handles)))
            for low, high, _ in uses
        )
        rows: list[list[int]] = []
        for low_frame, high_frame in frames:
            high_frame = min(high_frame, floor(whole)) if whole is not None else high_frame
            if rows and low_frame <= rows[-1][1]:
                rows[-1][1] = max(rows[-1][1], high_frame)
                rows[-1][2] += 1
            else:
                rows.append([low_frame, high_frame, 1])
        found += [
            Pull(media, rate, zero + low_frame, zero + high_frame, bool(drop), count)
            for low_frame, high_frame, count in rows
        ]
    return sorted(found, key=lambda one: (one.media.reel or "", one.media.file_name, one.start))


def as_csv(rows: list[Pull]) -> bytes:
    """The list as a table: source, reel, in, out, length, clips, path."""
    lines = [
        (
            one.media.file_name,
            one.media.reel or "",
            Timecode(one.start, one.rate, one.drop),
            Timecode(one.end, one.rate, one.drop),
            one.end - one.start,
            one.rate.label(),
            one.clips,
            one.media.path or "",
        )
        for one in rows
    ]
    return table_bytes([("Source", "Reel", "In", "Out", "Frames", "Rate", "Clips", "Path"), *lines])


def as_ale(rows: list[Pull], sequence: Sequence) -> bytes:
    """The list as a clip log."""
    made = [
        Row(
            one.media.name,
            one.media.reel or "",
            one.start,
            one.end,
            one.rate,
            one.drop,
            one.media.video or one.media.still,
            one.media.channels or 0,
            one.media.path or one.media.file_name,
        )
        for one in rows
    ]
    return written(made, sequence.height, sequence.sample_rate)
