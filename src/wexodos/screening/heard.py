"""The sound of a movie held against the cut's own: by how much it is later than the movie's picture."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from wexodos.ground import Progress
from wexodos.media.probe import Probes
from wexodos.model import Document, Media, MediaUse, Sequence
from wexodos.screening.align import Aligned
from wexodos.screening.film import Film
from wexodos.sound.errors import SoundError
from wexodos.sound.signals import CutSignal, FileSignal
from wexodos.sound.sync import ENOUGH, Step, measured

RATE = 48_000


@dataclass(frozen=True, slots=True)
class Heard:
    """How the sound of a movie lies against its picture: so many samples of ``RATE`` later, 0 in sync;
    ``drift`` in millionths; ``steps`` where it goes another way. ``offset`` is None where the cut's sound
    is not in it, or where one of the two cannot be read: ``problem`` says why."""

    offset: int | None
    drift: float = 0.0
    certainty: float = 0.0
    steps: tuple[Step, ...] = ()
    problem: str = ""


def heard(
    document: Document,
    sequence: Sequence,
    locate: Callable[[Media], Path | None],
    film: Film,
    found: Aligned,
    progress: Progress,
) -> Heard | None:
    """Hold the sound of a movie against the cut's. None where one of the two has none."""
    if not film.facts.audio or not any(track.items for track in sequence.audio_tracks):
        return None
    try:
        other = FileSignal(film.path, RATE)
        told = measured(CutSignal(document, sequence, locate, RATE), other, progress)
    except SoundError as error:
        return Heard(None, problem=str(error))
    if told.offset is None or told.certainty < ENOUGH:
        lost = _lost(document, sequence, locate)
        problem = f"of the cut's {', '.join(lost[:3])} cannot be heard here" if lost else ""
        return Heard(None, problem=problem)
    picture = Fraction(found.pieces[0].offset) / Fraction(film.rate.fps) * RATE
    offset = round(Fraction(told.offset) - picture)
    return Heard(offset, round(told.drift, 2), round(told.certainty, 3), tuple(told.steps))


def _lost(document: Document, sequence: Sequence, locate: Callable[[Media], Path | None]) -> list[str]:
    """The names of the media of a cut's sound that are not there, or in which nothing can be heard."""
    probes, found, known = Probes(), dict[str, None](), document.media_by_id
    items = [
        item
        for one in (sequence, *document.reachable(sequence))
        for track in one.audio_tracks
        for item in track.items
    ]
    for key in dict.fromkeys(item.content.media for item in items if isinstance(item.content, MediaUse)):
        media = known.get(key)
        if media is not None and not media.synthetic:
            path = locate(media)
            if path is None or not probes.of(path).audio:
                found[media.file_name] = None
    return list(found)
