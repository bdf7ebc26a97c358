"""A hand-over by the shot: every shot as a sequence of its own, and the list of them."""

from __future__ import annotations

from dataclasses import dataclass, replace

from wexodos.ground.names import table_bytes
from wexodos.model import MediaUse
from wexodos.report.cover import ShotLine
from wexodos.tidy.shots import Shot, apart, source_code
from wexodos.timing import Exact
from wexodos.turnover.package.wanted import Leaving


@dataclass(frozen=True, slots=True)
class ByShot:
    """A sequence that leaves by the shot: what leaves for each, and the shots in the same order."""

    of: Leaving
    leaving: list[Leaving]
    shots: list[Shot]


def by_shot(one: Leaving, scheme: str, handles: Exact, slate: bool) -> ByShot:
    """Take a sequence apart, with ``handles`` in seconds. Raises ``SchemeError``."""
    frames = one.sequence.rate.frames(handles)
    found = list(apart(one.document, one.sequence, scheme, frames, slate))
    leaving = []
    for shot in found:
        there = {media.id for media in shot.document.media}
        renders = [each for each in one.renders if each.media.id in there]
        leaving.append(
            replace(
                one,
                document=shot.document,
                sequence=shot.sequence,
                rows=[row for row in one.rows if row.media.id in there],
                renders=[*renders, *([shot.slate] if shot.slate is not None else [])],
            )
        )
    return ByShot(one, leaving, found)


def shot_lines(one: ByShot) -> list[ShotLine]:
    """The shots as they stand on a cover sheet."""
    cut = one.of.sequence
    return [
        (
            shot.of.name,
            shot.of.item.name or shot.of.item.kind,
            str(cut.timecode(shot.of.first)),
            str(cut.timecode(shot.of.until)),
            str(shot.of.until - shot.of.first),
            f"{shot.head} + {shot.tail}",
        )
        for shot in one.shots
    ]


def shot_list(one: ByShot, files: list[str]) -> bytes:
    """The shots as a table: name, file, where in the cut, its source, its frames and handles."""
    head = (
        "Shot", "File", "Track", "Clip", "In", "Out", "Frames", "Head", "Tail", "Source", "Reel", "Source in",
    )  # fmt: skip
    lines = []
    for shot, file in zip(one.shots, files):
        item, cut = shot.of.item, one.of.sequence
        content = item.content
        media = one.of.document.media_by_id.get(content.media) if isinstance(content, MediaUse) else None
        code = source_code(media, cut, shot.of) if media is not None else None
        lines.append(
            (
                shot.of.name,
                file,
                shot.of.track,
                item.name or item.kind,
                str(cut.timecode(shot.of.first)),
                str(cut.timecode(shot.of.until)),
                shot.of.until - shot.of.first,
                shot.head,
                shot.tail,
                media.file_name if media is not None else "",
                (media.reel or "") if media is not None else "",
                str(code) if code is not None else "",
            )
        )
    return table_bytes([head, *lines])
