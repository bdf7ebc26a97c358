"""The sound made for a turnover: which pieces, what is said of them, and how they are spelled."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Literal

from wexodos.destinations import Destination
from wexodos.formats import FORMATS
from wexodos.formats.spelling import Sounding, Spelling
from wexodos.model import Document, Item, Media, MediaUse, Sequence
from wexodos.settling.context import Context, Work
from wexodos.settling.findings import Finding
from wexodos.settling.vocabulary import Cause, Fate, Kind
from wexodos.sound.making import soundings
from wexodos.sound.piece import Piece
from wexodos.sound.pieces import Pieces, pieces, sample_rate
from wexodos.sound.stamps import Stamp
from wexodos.timing import absolute, exact, floor

Locate = Callable[[Media], Path | None]


def nowhere(_: Media) -> Path | None:
    """No sound is looked for."""
    return None


def makes_sound(destination: Destination) -> bool:
    """Whether sound is made for a turnover, not linked to as it is."""
    return destination.turnover.sound != "source" and FORMATS[destination.format].spells.makes_sound


def rates(context: Context, work: Work) -> None:
    """The sample rate of the sound that is made: all of it has one."""
    if not makes_sound(context.destination):
        return
    before = work.sequence.sample_rate
    rate = sample_rate(context.document, work.sequence, context.destination.turnover.sample_rate)
    reason = context.spelled()
    if before not in (None, rate):
        reason = context.because(
            work,
            Cause.ONE_SAMPLE_RATE,
            (0, work.sequence.duration),
            "",
            f"all sound goes over at {rate} samples a second",
            "set the project there to this rate",
            what="sample rate",
            fate=Fate.BAKED,
            item_id="",
            name="sample rate",
            before=str(before),
            after=str(rate),
        )
    work.put_settings(replace(work.sequence, sample_rate=rate), reason)


@dataclass(frozen=True, slots=True)
class Made:
    """The sound of one turnover. ``how`` spells it with its samples, ``plain`` without."""

    document: Document
    pieces: dict[str, Piece] = field(default_factory=dict)
    plain: Spelling = Spelling()
    findings: tuple[Finding, ...] = ()

    def size(self) -> int:
        """Bytes of all sound that is made."""
        found = [channels for key, channels in self.plain.sounds.items() if self.pieces[key].file is not None]
        return sum(one.size for channels in found for one in channels.values())


def made_for(
    document: Document, sequence: Sequence, destination: Destination, locate: Locate, folder: str
) -> Made:
    """Cut the sound of an adapted sequence into pieces where the destination wants its own; ``folder`` is for
    linked files."""
    turnover = destination.turnover
    fades: Literal["transitions", "clips"] = "transitions" if turnover.fades == "transitions" else "clips"
    how = Spelling(
        turnover.edit_rate,
        fades,
        container=turnover.container,
        long_reels=turnover.long_reels,
        most_events=turnover.most_events,
    )
    if not makes_sound(destination):
        return Made(document, plain=how, findings=tuple(_shut_in(document, sequence, locate)))
    rate = sequence.sample_rate or 48000
    found = pieces(
        document,
        sequence,
        rate,
        exact(round(turnover.handles * 1000), 1000),
        turnover.edit_rate == "frames",
        locate,
    )
    paths = {media.id: media.path for media in document.media}
    sounds = soundings(
        found.pieces,
        turnover.bits,
        turnover.form,
        folder if turnover.sound == "linked" else None,
        False,
        paths,
    )
    return Made(
        found.document,
        found.pieces,
        replace(how, sounds=sounds),
        _findings(document, sequence, found, turnover.bits, rate),
    )


def with_samples(
    made: Made, destination: Destination, folder: str, paths: dict[str, str | None]
) -> dict[str, dict[int, Sounding]]:
    """The same sounds with what is to be written of them."""
    turnover = destination.turnover
    return soundings(
        made.pieces, turnover.bits, turnover.form, folder if turnover.sound == "linked" else None, True, paths
    )


def _shut_in(document: Document, sequence: Sequence, locate: Locate) -> Iterator[Finding]:
    """Sound that stands in the file that was taken in and does not come out of it: what is written links to
    files, and there is none."""
    told: set[str] = set()
    for label, track in sequence.labelled_tracks():
        for item in track.items:
            use = item.content
            medium = document.media_by_id.get(use.media) if isinstance(use, MediaUse) else None
            if medium is None or medium.embedded is None or medium.id in told or locate(medium) is not None:
                continue
            told.add(medium.id)
            yield Finding(
                Kind.MEDIA,
                "sound",
                medium.file_name,
                item.id,
                label,
                item.start,
                item.end,
                Fate.LEFT,
                "its sound stands in the file that was taken in and does not come out; its clips go over "
                "without it",
                "find the medium and turn over again",
                minutes=1.0,
                cause=Cause.SOUND_MADE,
            )


def _findings(
    document: Document, sequence: Sequence, found: Pieces, bits: int, rate: int
) -> tuple[Finding, ...]:
    """What happens to the sound of each medium, said once, at its first use."""
    first: dict[str, tuple[str, Item]] = {}
    for label, track in sequence.labelled_tracks():
        for item in track.items:
            if track.kind == "audio" and isinstance(item.content, MediaUse):
                known = first.get(item.content.media)
                if known is None or item.start < known[1].start:
                    first[item.content.media] = label, item
    told = {piece.media: piece.file for piece in found.pieces.values()}
    stamps = {piece.media: piece.stamp for piece in found.pieces.values()}
    result = []
    for media in document.media:
        if media.id not in first:
            continue
        label, item = first[media.id]

        def say(
            what: str,
            fate: Fate,
            why: str,
            do: str,
            minutes: float,
            before: str = "",
            after: str = "",
            deviation: tuple[float, str] | None = None,
            label: str = label,
            item: Item = item,
            media: Media = media,
        ) -> None:
            result.append(
                Finding(
                    Kind.MEDIA,
                    what,
                    media.file_name,
                    item.id,
                    label,
                    item.start,
                    item.end,
                    fate,
                    why,
                    do,
                    before=before,
                    after=after,
                    deviation=deviation,
                    minutes=minutes,
                    cause=Cause.SOUND_MADE,
                )
            )

        facts = told.get(media.id)
        for words, off, before, after in _disagreeing(media, stamps.get(media.id)):
            say(
                "time reference",
                Fate.ADAPTED,
                f"{words} and the recorder's time reference are {off} samples apart; the recorder's goes "
                "along",
                "find out which of both is right",
                1.0,
                before,
                after,
                deviation=(float(off), "samples"),
            )
        if media.id in found.missing:
            say(
                "sound",
                Fate.LEFT,
                f"{found.missing[media.id]}; its clips go over without it",
                "find the medium and turn over again",
                1.0,
            )
            continue
        if facts is not None and facts.rate != rate:
            say(
                "sample rate",
                Fate.BAKED,
                "its sound is resampled",
                "nothing",
                0.0,
                str(facts.rate),
                str(rate),
            )
        if (
            facts is not None
            and facts.bits is not None
            and (facts.bits > bits or (bits == 16 and facts.rate != rate))
        ):
            say(
                "bits",
                Fate.BAKED,
                "its sound is dithered",
                "nothing",
                0.0,
                f"{facts.bits} bits",
                f"{bits} bits",
            )
        elif facts is not None and facts.bits is None:
            say(
                "bits",
                Fate.BAKED,
                "its sound is not stored as whole numbers and is rounded",
                "nothing",
                0.0,
                "",
                f"{bits} bits",
            )
    return tuple(result)


def _disagreeing(media: Media, stamp: Stamp | None) -> Iterator[tuple[str, int, str, str]]:
    """Stamps that say another time than the recorder's time reference: which, by how many samples, and what
    both say. A timecode is no finer than a frame."""
    if stamp is None or stamp.reference is None:
        return
    own, apart = stamp.reference, stamp.apart()
    if apart:
        yield "the time in the file's iXML", abs(apart), str(own + apart), str(own)
    if media.rate is not None and media.start is not None:
        off = absolute(exact(media.rate.seconds(media.start) * stamp.rate - own))
        if off >= media.rate.seconds(1) * stamp.rate:
            yield "the timecode of the medium", floor(off), str(media.timecode(0)), str(own)
