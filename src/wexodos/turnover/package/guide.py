"""The guide mix: the sound of a cut as it stands, as broadcast WAVE files that say where they begin."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from enum import StrEnum
from itertools import chain
from pathlib import Path

import numpy as np

from wexodos.evaluate import Evaluator
from wexodos.formats import WriteError
from wexodos.ground import Progress
from wexodos.ground.names import safe_name
from wexodos.model import Document, Sequence, Track
from wexodos.model.stems import stem_of
from wexodos.picture.compose import Locate
from wexodos.sound.convert import packed
from wexodos.sound.errors import SoundError
from wexodos.sound.heads import wave_head
from wexodos.sound.mixing import RATE, mixed
from wexodos.timing import floor
from wexodos.turnover.write import Part, PartKind, write_blocks

FOLDER = "Guide mix"
BITS = 24
_FRAMES = 250
"""So many frames are mixed at a time."""


class Mix(StrEnum):
    """In which form the guide mix goes along."""

    NONE = "none"
    STEREO = "stereo"
    MONO = "mono"
    STEMS = "stems"


@dataclass(frozen=True, slots=True)
class _Guide:
    """What is mixed into one file."""

    document: Document
    sequence: Sequence
    locate: Locate
    channels: int
    words: str

    @property
    def rate(self) -> int:
        return self.sequence.sample_rate or RATE

    @property
    def samples(self) -> int:
        """As long as the picture, to the sample."""
        return floor(self.sequence.rate.seconds(self.sequence.duration) * self.rate)

    def head(self) -> bytes:
        begins = floor(self.sequence.rate.seconds(self.sequence.start) * self.rate)
        return wave_head(self.samples, self.rate, BITS, begins, self.words, channels=self.channels)

    def blocks(self, progress: Progress) -> Iterator[bytes]:
        evaluator, length = Evaluator(self.document), self.sequence.duration
        for first in range(0, length, _FRAMES):
            progress(f"mixing {self.sequence.name}", first / length)
            count = min(_FRAMES, length - first)
            sound = mixed(evaluator, self.sequence, first, count, self.locate, self.rate).astype(np.float64)
            if self.channels == 1:
                # What stands in the middle is 3 dB down on either side, and is as loud as before in one.
                sound = np.clip(sound.sum(axis=1) / np.sqrt(2), -1, 1)
            yield from packed([sound.ravel()], BITS, False)


def guide_parts(document: Document, sequence: Sequence, locate: Locate, mix: Mix) -> list[Part]:
    """The files of a guide mix; none where the cut has no sound. Raises ``WriteError`` where one would be
    larger than a WAVE file can be."""
    if mix is Mix.NONE or not any(track.items for track in sequence.audio_tracks) or not sequence.duration:
        return []
    name = safe_name(sequence.name)
    if mix is not Mix.STEMS:
        channels = 1 if mix is Mix.MONO else 2
        return [_part(_Guide(document, sequence, locate, channels, sequence.name), f"{name} guide mix")]
    stems = dict.fromkeys(_stem(track) for track in sequence.audio_tracks if track.items)
    parts = []
    for stem in stems:
        tracks = tuple(
            track if track.kind != "audio" or _stem(track) == stem else replace(track, enabled=False)
            for track in sequence.tracks
        )
        alone = replace(sequence, tracks=tracks)
        within = tuple(alone if one.id == sequence.id else one for one in document.sequences)
        guide = _Guide(replace(document, sequences=within), alone, locate, 2, f"{sequence.name}: {stem}")
        parts.append(_part(guide, f"{name} {safe_name(stem)}"))
    return parts


def _stem(track: Track) -> str:
    return stem_of(track) or "other"


def _part(guide: _Guide, name: str) -> Part:
    try:
        size = len(guide.head()) + guide.samples * guide.channels * BITS // 8
    except SoundError as error:
        raise WriteError(f"{name}: {error}; choose a mono mix, or leave the guide mix away") from None
    return Part(f"{FOLDER}/{name}.wav", "guide mix", b"", _maker(guide), size, kind=PartKind.MIX)


def _maker(guide: _Guide) -> Callable[[Path, Progress], None]:
    def make(path: Path, progress: Progress) -> None:
        odd = guide.samples * guide.channels * BITS // 8 % 2
        write_blocks(path, chain((guide.head(),), guide.blocks(progress), (b"\0" * odd,)))

    return make
