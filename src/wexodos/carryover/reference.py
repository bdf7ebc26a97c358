"""The reference picture of a sound turnover: one file, linked, along the whole cut."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av

from wexodos.carryover.context import Context, Lane, Work
from wexodos.carryover.findings import Fate
from wexodos.carryover.structure import TRACKS
from wexodos.model import Item, Media, MediaUse, Motion, Track
from wexodos.timing import Rate, exact

MEDIUM = "reference-picture"


def reference(context: Context, work: Work) -> Lane | None:
    """A picture track with the reference picture from the cut's first frame on; None where none is wanted or
    it cannot be read."""
    wanted = context.destination.turnover.reference
    if not wanted or context.destination.format != "aaf":
        return None
    path = Path(wanted).expanduser()
    length = work.sequence.duration
    try:
        with av.open(str(path)) as container:
            stream = container.streams.video[0]
            rate = Rate.of(exact(Fraction(stream.average_rate or stream.guessed_rate or 25)))
            seconds = Fraction(container.duration or 0, 1_000_000)
            frames = stream.frames or int(rate.frames(exact(seconds)))
            media = Media(
                MEDIUM,
                path.name,
                str(path.resolve()),
                None,
                0,
                False,
                frames,
                rate,
                stream.width,
                stream.height,
                video=True,
            )
    except (av.error.FFmpegError, OSError, IndexError, ValueError):
        context.find(
            work,
            "media",
            "reference picture",
            (0, length),
            "V1",
            Fate.LEFT,
            f"{path} cannot be read as a picture",
            "choose another reference picture",
            item_id=MEDIUM,
            name=path.name,
            minutes=0,
        )
        return None
    if all(one.id != MEDIUM for one in context.document.media):
        context.document = replace(context.document, media=(*context.document.media, media))
    shown = min(length, int(work.sequence.rate.frames(rate.seconds(frames))))
    item = Item(MEDIUM, path.name, 0, max(1, shown), MediaUse(MEDIUM), motion=Motion(fit="fit"))
    context.find(
        work,
        "track",
        "reference picture",
        (0, length),
        "V1",
        Fate.ADAPTED,
        "a reference picture is linked along the cut",
        "nothing",
        ("added",),
        item_id=MEDIUM,
        name=path.name,
        minutes=0,
        everywhere=TRACKS,
    )
    return Lane("V1", "video", [item], [], Track("video"))
