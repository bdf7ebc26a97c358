"""The reference picture of a sound turnover: one file, linked, along the whole cut."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av

from wexodos.model import Item, Media, MediaUse, Motion, Track
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.vocabulary import Cause, Fate, Kind
from wexodos.timing import Rate, exact

MEDIUM = "reference-picture"


def reference(context: Context, work: Work) -> None:
    """A picture track with the reference picture from the cut's first frame on, where one is wanted and can
    be linked."""
    wanted = context.destination.turnover.reference
    if not wanted or not context.spells.reference or context.destination.pictures.carry or work.prefix:
        return
    path = Path(wanted).expanduser()
    length = work.sequence.duration
    try:
        media = _probed(path)
    except (av.error.FFmpegError, OSError, IndexError, ValueError):
        context.because(
            work,
            Cause.REFERENCE,
            (0, length),
            "V1",
            f"{path} cannot be read as a picture",
            "choose another reference picture",
            what="reference picture",
            kind=Kind.MEDIA,
            fate=Fate.LEFT,
            item_id=MEDIUM,
            name=path.name,
            minutes=0,
            always=True,
        )
        return
    reason = context.because(
        work,
        Cause.REFERENCE,
        (0, length),
        "V1",
        "a reference picture is linked along the cut",
        "nothing",
        what="reference picture",
        item_id=MEDIUM,
        name=path.name,
        minutes=0,
    )
    if all(one.id != MEDIUM for one in context.document.media):
        context.add_media(media, reason)
    rate = media.rate or work.sequence.rate
    shown = min(length, int(work.sequence.rate.frames(rate.seconds(media.duration or 0))))
    item = Item(MEDIUM, path.name, 0, max(1, shown), MediaUse(MEDIUM), motion=Motion(fit="fit"))
    work.add(work.lay_lane(0, Lane("V1", "video", [], [], Track("video")), reason), [item], reason)


def _probed(path: Path) -> Media:
    """The medium of a picture file. Raises what opening it raises."""
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        rate = Rate.of(exact(Fraction(stream.average_rate or stream.guessed_rate or 25)))
        seconds = Fraction(container.duration or 0, 1_000_000)
        frames = stream.frames or int(rate.frames(exact(seconds)))
        return Media(
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
