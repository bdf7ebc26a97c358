"""The sound of a movie held against the cut's own: by how much it is later than the movie's picture."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from wexodos.ground import Progress
from wexodos.model import Document, Media, Sequence
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
    is not in it."""

    offset: int | None
    drift: float = 0.0
    certainty: float = 0.0
    steps: tuple[Step, ...] = ()


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
    except SoundError:
        return None
    if told.offset is None or told.certainty < ENOUGH:
        return Heard(None)
    picture = Fraction(found.pieces[0].offset) / Fraction(film.rate.fps) * RATE
    offset = round(Fraction(told.offset) - picture)
    return Heard(offset, round(told.drift, 2), round(told.certainty, 3), tuple(told.steps))
