"""What is wrong with the file of a medium, and what will not fit the other side."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from wexodos.destinations import Destination
from wexodos.footage.tables import stands_for_table
from wexodos.media.match import elsewhere, offset
from wexodos.media.needs import Need
from wexodos.media.probe import Probed
from wexodos.model import Media, Sequence
from wexodos.sound.spans import names_after
from wexodos.timing import Exact, exact

STATUSES = (
    "missing",
    "offline",
    "damaged",
    "with gaps",
    "wrong length",
    "wrong rate",
    "wrong size",
    "wrong channels",
    "changed",
    "found",
)
"""The words for the state of a medium, the gravest first."""
GONE = ("missing", "offline")


@dataclass(frozen=True, slots=True)
class Problem:
    """One thing that is wrong, by its word and in a sentence."""

    status: str
    words: str


def stated_seconds(media: Media, sequence: Sequence) -> Exact | None:
    """How long the cut says a medium is, in seconds."""
    if media.duration is None or media.still:
        return None
    return exact((media.rate or sequence.rate).seconds(media.duration))


def problems(
    need: Need,
    facts: Probed | None,
    asked: int,
    sequence: Sequence,
    before: str | None = None,
    other: bool = False,
) -> tuple[Problem, ...]:
    """Everything that is wrong with a medium, the gravest first. So many files are ``asked`` about: a person
    has to say. ``before`` is the size and time its file had when it was found; ``other`` says that the file
    is not the one the cut names and may begin elsewhere.
    """
    media = need.media
    if facts is None:
        if asked:
            words = (
                f"{asked} files could be it: choose one"
                if asked > 1
                else "one file could be it: say whether it is"
            )
            return (Problem("missing", words),)
        if not media.path and not stands_for_table(media):
            return (Problem("offline", "the cut names no file for it"),)
        return (Problem("missing", f"{media.path or media.name} is not there"),)
    if facts.problem:
        return (Problem("damaged", f"the file {facts.problem}"),)
    found = _lengths(need, facts, sequence, other)
    if facts.gaps:
        found.append(Problem("with gaps", f"of its files these are missing: {facts.gaps}"))
    rate = facts.frames_per_second
    if (
        media.rate is not None
        and rate is not None
        and need.picture
        and not media.still
        and rate != media.rate
    ):
        found.append(Problem("wrong rate", f"{rate.label()} fps there, {media.rate.label()} in the cut"))
    if need.sound and media.sample_rate and facts.sample_rate and media.sample_rate != facts.sample_rate:
        found.append(Problem("wrong rate", f"{facts.sample_rate} Hz there, {media.sample_rate} in the cut"))
    if need.picture and media.width and media.height and facts.width and not same_size(media, facts):
        found.append(
            Problem(
                "wrong size", f"{facts.width}×{facts.height} there, {media.width}×{media.height} in the cut"
            )
        )
    if need.picture and not facts.video:
        found.append(Problem("wrong channels", "there is no picture in it"))
    most = max(need.channels, default=0)
    if need.sound and facts.channels < most:
        found.append(
            Problem("wrong channels", f"{facts.channels} sound channels there, channel {most} is used")
        )
    elif need.sound and media.channels and facts.channels != media.channels:
        found.append(
            Problem("wrong channels", f"{facts.channels} sound channels there, {media.channels} in the cut")
        )
    if before is not None and before != stamp(facts):
        found.append(Problem("changed", "the file is another than when it was found first"))
    return tuple(sorted(found, key=lambda one: STATUSES.index(one.status)))


def same_size(media: Media, facts: Probed) -> bool:
    """Whether a file has the size the cut says; of a turned one both that of its frames and that which is
    seen are right."""
    stated = media.width, media.height
    seen = facts.width, facts.height
    return stated == seen or (facts.turned in (90, 270) and stated == seen[::-1])


def _lengths(need: Need, facts: Probed, sequence: Sequence, other: bool) -> list[Problem]:
    media, there = need.media, facts.length
    if there is None or media.still:
        return []
    if other and elsewhere(need, facts):
        return [Problem("wrong length", "its timecode does not cover what is used")]
    by = offset(need, facts) if other else 0
    high = need.high + by if need.high is not None else None
    slack = exact(sequence.rate.seconds(1)) / 2
    if high is not None and high > there + slack:
        words = f"{float(there):.2f} s there, used up to {float(high):.2f} s{_next_part(facts)}"
        return [Problem("wrong length", words)]
    stated = stated_seconds(media, sequence)
    if stated is not None and not by and there + max(slack, stated / 1000) < stated:
        return [
            Problem(
                "wrong length",
                f"{float(there):.2f} s there, {float(stated):.2f} s in the cut; all that is used is there"
                f"{_next_part(facts)}",
            )
        ]
    return []


def _next_part(facts: Probed) -> str:
    """Words for the part of a recording in several files that is missing; empty where it is not one."""
    last = facts.parts[-1] if facts.parts else Path(facts.path).name
    following = names_after(last)
    if len(facts.parts) > 1:
        # It counts on as it did so far.
        ways = zip(names_after(facts.parts[-2]), following)
        following = [then for now, then in ways if now == last] or following
    if not following:
        return ""
    beyond = names_after(following[0])
    if not facts.parts and not (beyond and Path(facts.path).with_name(beyond[0]).exists()):
        return ""
    return f"; its next part {following[0]} is not there"


def stamp(facts: Probed) -> str:
    """What a file is known by: its size and time."""
    return f"{facts.size}:{facts.changed}"


@dataclass(frozen=True, slots=True)
class Misfit:
    """Something that the other side will have to resize, resample or convert, with what it costs and what to
    do."""

    kind: str
    media: str
    words: str
    do: str


def _fields(media: Media, there: str, wanted: str) -> Misfit:
    if wanted == "progressive":
        words, do = "in a progressive sequence", "it is deinterlaced there, or shows combs where it moves"
    else:
        words, do = (
            f"in a sequence of {wanted} field first",
            "it judders there: move it by a line",
        )
    return Misfit("field order", media.file_name, f"{there} field first {words}", do)


def misfits(
    checked: list[tuple[Need, Probed | None]], sequence: Sequence, destination: Destination | None
) -> list[Misfit]:
    """Where media do not fit the sequence, or sound what the destination is given; of what the destination
    takes. Facts of files count before those in the cut."""
    found: list[Misfit] = []
    wide, tall = sequence.frame_size
    sound_rate = (
        destination.turnover.sample_rate
        if destination is not None and destination.turnover.sound != "source"
        else 0
    )
    target = sound_rate or sequence.sample_rate or 0
    seen = destination is None or destination.pictures.carry
    heard = destination is None or destination.sound.carry
    for need, facts in checked:
        media = need.media
        there = facts if facts is not None and not facts.problem else None
        if need.picture and seen:
            size = (
                (there.width, there.height)
                if there is not None and there.width
                else (media.width or 0, media.height or 0)
            )
            if all(size) and size != (wide, tall):
                shape = (
                    abs(
                        size[0] * float(media.pixel_aspect) / size[1]
                        - wide * float(sequence.pixel_aspect) / tall
                    )
                    > 0.01
                )
                found.append(
                    Misfit(
                        "frame size",
                        media.file_name,
                        f"{size[0]}×{size[1]} in a sequence of {wide}×{tall}",
                        "check how it is fitted there: it has another shape"
                        if shape
                        else "it is resized there",
                    )
                )
            rate = (there.frames_per_second if there is not None else None) or media.rate
            if rate is not None and not media.still and rate != sequence.rate:
                found.append(
                    Misfit(
                        "rate",
                        media.file_name,
                        f"{rate.label()} fps in a sequence of {sequence.rate.label()}",
                        "frames are repeated or left out there; convert it first where motion matters",
                    )
                )
            fields = (there.field_order if there is not None else "") or media.field_order
            if not media.still and fields in ("upper", "lower") and fields != sequence.field_order:
                found.append(_fields(media, fields, sequence.field_order))
            aspect = there.pixel_aspect if there is not None else str(media.pixel_aspect)
            if aspect != str(sequence.pixel_aspect) and aspect != "0":
                found.append(
                    Misfit(
                        "pixel aspect",
                        media.file_name,
                        f"pixels of {aspect} in a sequence of {sequence.pixel_aspect}",
                        "it arrives stretched where that is not read: compare its shape there",
                    )
                )
        if need.sound and heard:
            own = (there.sample_rate if there is not None else 0) or media.sample_rate or 0
            if own and target and own != target:
                found.append(
                    Misfit(
                        "sample rate",
                        media.file_name,
                        f"{own} Hz where {target} Hz are wanted",
                        "it is resampled",
                    )
                )
            bits = (there.sample_bits if there is not None else 0) or media.bit_depth or 0
            if (
                destination is not None
                and destination.turnover.sound != "source"
                and bits > destination.turnover.bits
            ):
                found.append(
                    Misfit(
                        "bit depth",
                        media.file_name,
                        f"{bits} bits where {destination.turnover.bits} are written",
                        "it is dithered; choose 24 bits to keep it",
                    )
                )
    return found
