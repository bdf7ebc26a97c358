"""Changing the files behind a cut without changing the cut: files that begin elsewhere, and working copies
for camera originals."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path

from wexodos.ground import Progress
from wexodos.media.content import Content, working_copy
from wexodos.media.match import Candidate, decided, elsewhere, offset, weigh
from wexodos.media.needs import Need, media_of, needs
from wexodos.media.probe import Probed, Probes
from wexodos.media.scan import Scanner
from wexodos.model import Angles, Curve, Document, Item, Key, Media, Motion, Sequence, Variable, constant
from wexodos.timing import exact


@dataclass(frozen=True, slots=True)
class Unmatched:
    """A medium that was not swapped, and why not."""

    media: Media
    why: str


@dataclass(slots=True)
class Swapped:
    """The document with other files behind it. ``pairs`` are (medium as it was, file)."""

    document: Document
    pairs: list[tuple[Media, Path]] = field(default_factory=list)
    unmatched: list[Unmatched] = field(default_factory=list)


def swap(
    document: Document,
    sequence: Sequence,
    folders: list[Path],
    probes: Probes,
    scanner: Scanner,
    progress: Progress = lambda _what, _share: None,
) -> Swapped:
    """Put the camera originals found in ``folders`` behind a cut, by name and timecode; back the same way
    with the copies' folders.

    A file that the cut already uses is none to swap for. A medium whose original has another rate, does not
    hold what is used or has another shape stays, named.
    """
    index = scanner.scan(folders, progress)
    found, content = Swapped(document), Content()
    wanted = [need for need in needs(document, sequence) if not need.media.still]
    for number, need in enumerate(wanted):
        media = need.media
        progress(f"matching {media.file_name}", number / len(wanted))
        paths = [
            path
            for path in dict.fromkeys([*index.named(media.file_name), *index.like(media.file_name)])
            if str(path) != media.path
        ]
        facts = probes.many(paths)
        weighed = [weigh(need, path, facts[path]) for path in paths]
        fitting = [one for one in weighed if not _why_not(need, one.facts, sequence)]
        best = fitting[0] if len(fitting) == 1 else decided(fitting)
        if best is None and fitting and media.path:
            # What the working copy shows tells its original from others.
            best = decided(content.told(need, fitting, working_copy(media.path, Path())))
        if best is None:
            found.unmatched.append(Unmatched(media, _reason(need, weighed, fitting, sequence)))
            continue
        found.document = moved_in(_adopted(found.document, media, best), need, best.facts)
        found.pairs.append((media, best.path))
    return found


def _reason(need: Need, weighed: list[Candidate], fitting: list[Candidate], sequence: Sequence) -> str:
    if not weighed:
        return "there is no file of this name"
    if len(fitting) > 1:
        return f"{len(fitting)} files could be it: {', '.join(str(one.path) for one in fitting[:3])}"
    nearest = max(weighed, key=lambda one: one.score)
    return f"{nearest.path.name}: {_why_not(need, nearest.facts, sequence)}"


def _why_not(need: Need, facts: Probed, sequence: Sequence) -> str:
    """Why a file cannot stand in for a medium; empty where it can."""
    media = need.media
    if facts.problem:
        return f"it {facts.problem}"
    rate = facts.frames_per_second
    if need.picture and rate is not None and media.rate is not None and rate != media.rate:
        return f"another rate: {rate.label()} instead of {media.rate.label()} fps"
    if need.picture and not facts.video:
        return "there is no picture in it"
    if elsewhere(need, facts):
        return "its timecode does not cover what is used"
    there, slack = facts.length, sequence.rate.seconds(1) / 2
    if need.high is not None and there is not None and need.high + offset(need, facts) > there + slack:
        return f"it ends after {float(there):.2f} s, before what is used does"
    if need.picture and media.width and media.height and facts.width and facts.height:
        mine, theirs = (
            media.width * float(media.pixel_aspect) / media.height,
            facts.width * _aspect(facts) / facts.height,
        )
        if abs(mine - theirs) > 0.02:
            found, wanted = f"{facts.width}×{facts.height}", f"{media.width}×{media.height}"
            return f"another size: {found} is of another shape than {wanted}"
    return ""


def _aspect(facts: Probed) -> float:
    top, _, bottom = facts.pixel_aspect.partition("/")
    return float(top) / float(bottom or 1)


def _adopted(document: Document, media: Media, best: Candidate) -> Document:
    """The document with the file's own facts for a medium; pictures keep their size in the frame."""
    facts = best.facts
    new = replace(
        media,
        path=str(best.path),
        name=best.path.name,
        width=facts.width or media.width,
        height=facts.height or media.height,
        channels=facts.channels or media.channels,
        sample_rate=facts.sample_rate or media.sample_rate,
        proxy_path=media.path,
        bit_depth=facts.sample_bits or media.bit_depth,
    )
    made = replace(document, media=tuple(new if one.id == media.id else one for one in document.media))
    if not media.width or not media.height or (media.width, media.height) == (new.width, new.height):
        return made
    across, down = media.width / (new.width or 1), media.height / (new.height or 1)

    def resized(item: Item, kind: str) -> Item:
        if kind != "video" or not any(one == media.id for one, _ in media_of(item, kind)):
            return item
        motion = item.motion or Motion()
        if motion.fit != "none":
            return item
        return replace(item, motion=replace(motion, scale=_times(motion.scale, across, down)))

    return _items(made, resized)


def _times(curve: Curve, across: float, down: float) -> Curve:
    if not curve.keys:
        return constant(curve.value[0] * across, curve.value[1] * down)
    keys = tuple(Key(key.time, (key.value[0] * across, key.value[1] * down), key.ease) for key in curve.keys)
    return Curve((curve.value[0] * across, curve.value[1] * down), keys, curve.domain)


def moved_in(document: Document, need: Need, facts: Probed) -> Document:
    """The document with a medium that begins where its file does, so that the same timecode stays seen (see
    ``match.offset``)."""
    media, by, start = need.media, offset(need, facts), facts.start_seconds
    if not by or media.rate is None or start is None:
        return document
    rate, length = media.rate, facts.length
    new_start = rate.frames(start)
    if not isinstance(new_start, int):
        return document
    current = document.media_by_id[media.id]
    new = replace(
        current, start=new_start, duration=rate.frames(length) if length is not None else current.duration
    )
    made = replace(document, media=tuple(new if one.id == media.id else one for one in document.media))

    def shifted(item: Item, kind: str) -> Item:
        content = item.content
        if isinstance(content, Angles):
            # Each angle has its own way to its medium; the clip's own times belong to all of them.
            moved = tuple(
                replace(one, offset=exact(one.offset + by)) if one.media == media.id else one
                for one in content.angles
            )
            return replace(item, content=replace(content, angles=moved)) if moved != content.angles else item
        if not any(one == media.id for one, _ in media_of(item, kind)):
            return item
        speed = item.speed
        if isinstance(speed, Variable):
            speed = Variable(tuple(replace(point, source=exact(point.source + by)) for point in speed.points))
        return replace(item, source_in=exact(item.source_in + by), speed=speed)

    return _items(made, shifted)


def _items(document: Document, change: Callable[[Item, str], Item]) -> Document:
    sequences = []
    for sequence in document.sequences:
        tracks = tuple(
            replace(track, items=tuple(change(item, track.kind) for item in track.items))
            for track in sequence.tracks
        )
        sequences.append(replace(sequence, tracks=tracks))
    return replace(document, sequences=tuple(sequences))
