"""Sound that came as a sequence file with the tracks of a mix, and the files that they play."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from wexodos.carryover import came_back
from wexodos.formats import ReadError, read_file
from wexodos.ground.names import fresh, safe_name
from wexodos.media import Probed
from wexodos.model import Document, Media, MediaUse, Sequence, Track
from wexodos.sound.locate import Finder
from wexodos.sound.piece import stem_of, stem_within

RATE = 48_000
"""Sound is held against sound at this rate."""


@dataclass(frozen=True, slots=True)
class Within:
    """Sound of a sequence that came: one track of it, or all of them where ``track`` is None. ``sequence``
    has only that switched on."""

    document: Document
    sequence: Sequence
    track: Track | None
    locate: Callable[[Media], Path | None]


def sounds_within(
    path: Path, left: Sequence, sounds: list[Probed], nested: bool, tells: Callable[[str], bool]
) -> tuple[list[tuple[Probed, Within]], set[str]]:
    """The tracks of a sequence file that play sounds that came along, or all of them as one where they are to
    be ``nested``, each with what it is as a file would be; and the paths of the sounds they play. ``tells``
    knows names that say what something is of the cut. Raises ``ReadError`` where it cannot be read, or where
    nothing of it can be laid in, with the reason."""
    back = read_file(path)
    came = came_back(back, left.name)
    if came is None:
        raise ReadError("there is no sequence in it", "", str(path))
    there = {Path(one.path).name.casefold(): one for one in sounds}
    beside, media = Finder(path, back), back.media_by_id

    def locate(one: Media) -> Path | None:
        known = there.get(one.file_name.casefold())
        return Path(known.path) if known is not None else beside(one)

    def plays(track: Track) -> set[str]:
        """The paths of what came along and is played by a track."""
        used = [media.get(item.content.media) for item in track.items if isinstance(item.content, MediaUse)]
        names = [one.file_name.casefold() for one in used if one is not None]
        return {there[name].path for name in names if name in there}

    def in_it(track: Track) -> bool:
        """Whether a track plays sound that stands in the sequence file itself."""
        used = (media.get(item.content.media) for item in track.items if isinstance(item.content, MediaUse))
        return any(one is not None and one.embedded is not None for one in used)

    sounding = [(label, track) for label, track in came.labelled_tracks() if track.kind == "audio"]
    tracks = [(label, track, plays(track)) for label, track in sounding]
    tracks = [(label, track, paths) for label, track, paths in tracks if paths or in_it(track)]
    if not tracks:
        raise ReadError("none of its tracks plays a sound that came with it", "", str(path))
    if any(not isinstance(item.content, MediaUse) for _, track, _ in tracks for item in track.items):
        raise ReadError("its tracks hold more than files of sound; the files are laid in", "", str(path))
    if came.rate != left.rate:
        words = f"its tracks are at {came.rate.fps} frames a second, the cut is at {left.rate.fps}"
        raise ReadError(f"{words}: they have no frames in common", "", str(path))
    played = set().union(*(each for _, _, each in tracks))
    taken: set[str] = set()
    found = []
    for label, track, _ in tracks[:1] if nested else tracks:
        mine = [one for _, one, _ in tracks] if nested else [track]
        only = replace(
            came,
            tracks=tuple(
                replace(one, enabled=one.enabled and any(one is each for each in mine))
                for one in came.tracks
                if one.kind == "audio"
            ),
            stated_duration=came.duration,
        )
        within = replace(back, sequences=tuple(only if one.id == only.id else one for one in back.sequences))
        name = came.name if nested else _name(label, track, plays(track), tells)
        status = path.stat()
        facts = Probed(
            str(path / fresh(safe_name(name), taken)),
            status.st_size,
            status.st_mtime_ns,
            audio=True,
            seconds=str(Fraction(came.rate.seconds(came.duration))),
            channels=2,
            sample_rate=RATE,
        )
        found.append((facts, Within(within, only, None if nested else track, locate)))
    return found, played


def has_sound_in_it(document: Document) -> bool:
    """Whether sound stands in a file itself, so that its tracks could be laid in without any other."""
    return any(one.embedded is not None for one in document.media)


def is_session(path: Path, left: Document, sequence: Sequence) -> bool:
    """Whether a sequence file is by itself the tracks of a mix: no picture, and most of what it plays stands
    in it and is no medium of the cut that left. One that cannot be read is none."""
    try:
        back = read_file(path)
    except ReadError:
        return False
    came, own = came_back(back, sequence.name), {one.file_name.casefold() for one in left.media}
    own |= {Path(one).stem for one in own} | {stem_of(one).casefold() for one in left.media}
    if came is None or any(track.kind == "video" and track.items for track in came.tracks):
        return False
    new = rest = Fraction(0)
    for item in came.items():
        medium = back.media_by_id.get(item.content.media) if isinstance(item.content, MediaUse) else None
        inside = medium.file_name if medium is not None and medium.embedded is not None else ""
        if inside and own.isdisjoint((inside.casefold(), stem_within(inside).casefold())):
            new += Fraction(item.duration)
        else:
            rest += Fraction(item.duration)
    return new > rest


def _name(label: str, track: Track, plays: set[str], tells: Callable[[str], bool]) -> str:
    """What a track is called: by its name, its stem or the one file it plays, the first of these that tells
    what it is; its number says nothing of that."""
    names = [track.name, track.stem or "", *(Path(one).stem for one in plays if len(plays) == 1)]
    names = [one for one in names if one] or [f"track {label[1:]}"]
    return next((one for one in names if tells(one)), names[0])
