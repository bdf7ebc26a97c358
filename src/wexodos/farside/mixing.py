"""A mixing room: it mixes the sound of a cut and sends it back as broadcast WAVE."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import soxr
from numpy.typing import NDArray

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.evaluate import Evaluator
from wexodos.farside.habits import Done, Habit
from wexodos.formats import FORMATS
from wexodos.ground import Progress, write_file
from wexodos.ground.names import safe_name
from wexodos.model import Document, Item, Media, MediaUse, Sequence, Sound, Track
from wexodos.model.stems import STEMS, stem_of
from wexodos.sound.convert import packed
from wexodos.sound.heads import wave_head
from wexodos.sound.mixing import RATE, mixed
from wexodos.timing import exact, floor

_BITS = 24
_FRAMES = 250
_PULL = Fraction(1001, 1000)
_LINE = 6
_LEADER = 10 * RATE
_POP = 8 * RATE
"""Samples of a leader, and where in it the pop is."""
_STEP = 0.7
"""How far in the sound it follows another cut, and by how many frames at the most."""
_FRAMES_MORE = 40
_SESSIONS = ("mixing-lane-xml", "mixing-aaf-linked")
Samples = NDArray[np.float32]


def mix(
    document: Document,
    sequence: Sequence,
    locate: Callable[[Media], Path | None],
    habits: set[Habit],
    seed: int,
    folder: Path,
    there: Path,
    progress: Progress,
) -> Done:
    """Mix a cut into a folder that will be ``there``: one file, or one for each stem or track. Raises
    ``WriteError``."""
    dice = random.Random(seed)
    done = Done()
    late = dice.randint(-RATE, RATE) if Habit.LATE in habits else 0
    each = int(sequence.rate.seconds(1) * RATE)
    # Drawn by dice of their own: what a seed says of the rest stays.
    more = random.Random(f"step {seed}").randint(1, _FRAMES_MORE) * each if Habit.STEP in habits else 0
    name = safe_name(sequence.name)
    parts: list[tuple[str, str, Sequence]] = [("", f"{name} final mix", sequence)]
    if Habit.TRACKS in habits:
        parts = [
            (f"track {label}", f"{name} {label} {safe_name(track.name)}".strip(), _alone(sequence, track))
            for label, track in sequence.labelled_tracks()
            if track.kind == "audio" and track.items
        ] or parts
    elif Habit.STEMS in habits:
        stems = dict.fromkeys(stem_of(track) for track in sequence.audio_tracks if track.items)
        parts = [
            (stem, f"{name} {stem}", _only(sequence, stem)) for stem in stems if stem is not None
        ] or parts
    lengths: list[Fraction] = []
    for number, (stem, stem_name, cut) in enumerate(parts):
        share = number / len(parts)
        within = tuple(cut if one.id == cut.id else one for one in document.sequences)
        sound = _heard(replace(document, sequences=within), cut, locate, progress, share)
        place = int(sequence.duration * _STEP)
        begun = floor(sequence.rate.seconds(place) * RATE)
        if more:
            silence = np.zeros((more, 2), np.float32)
            sound = np.concatenate([sound[:begun], silence, sound[begun:]])
        sound, rate = _worked(sound, habits, dice, late)
        begins = Fraction(sequence.rate.seconds(sequence.start))
        if Habit.WRONG_START in habits:
            begins += 3600
        file = f"{stem_name}.wav"
        reference = floor(begins * rate)
        head = wave_head(len(sound), rate, _BITS, reference, stem_name, channels=2)
        data = b"".join(packed([sound.astype(np.float64).ravel()], _BITS, False))
        write_file(folder / file, head + data)
        lengths.append(Fraction(len(sound), rate))
        done.files.append(file)
        done.add("", file, "role", stem or "mix")
        # How many samples of its own the sound is later than the cut's at the beginning of the file.
        scale = Fraction(rate, RATE) * (_PULL if Habit.PULL in habits else 1)
        lead = _LEADER if Habit.LEADER in habits else 0
        done.add("", file, "offset_samples", round((late + lead) * scale))
        done.add("", file, "sample_rate", rate)
        if Habit.PULL in habits:
            done.add("", file, "drift_ppm", 1000)
        if more:
            done.add("", file, "step_samples", round(more * scale))
            done.add("", file, "step_frame", place)
        if Habit.INVERTED in habits:
            done.add("", file, "inverted", "yes")
        if Habit.WRONG_START in habits:
            done.add("", file, "time reference", "an hour late")
    if Habit.WITH_SEQUENCE in habits:
        sounds = [
            (stem or "mix", there / file, seconds)
            for (stem, _, _), file, seconds in zip(parts, done.files, lengths, strict=True)
        ]
        file, data = _session(sequence, sounds, Habit.WRONG_START in habits, seed)
        write_file(folder / file, data)
        done.files.append(file)
    return done


def _session(
    sequence: Sequence, sounds: list[tuple[str, Path, Fraction]], an_hour_late: bool, seed: int
) -> tuple[str, bytes]:
    """The room's own sequence with its files on tracks, in Lane XML or linked AAF as the seed has it: the
    name of the file, and what is in it."""
    media, tracks = [], []
    for number, (name, path, seconds) in enumerate(sounds, 1):
        count = floor(sequence.rate.frames(exact(seconds)))
        media.append(
            Media(
                f"mixed-{number}",
                path.name,
                str(path),
                duration=count,
                rate=sequence.rate,
                channels=2,
                sample_rate=RATE,
                audio=True,
            )
        )
        item = Item(
            f"on-{number}",
            path.stem,
            0,
            count,
            MediaUse(f"mixed-{number}"),
            sound=Sound(channels=(1, 2)),
        )
        tracks.append(Track("audio", (item,), name=name, stem=name if name in STEMS else None))
    late = floor(sequence.rate.frames(3600)) if an_hour_late else 0
    session = replace(
        sequence,
        id="session",
        start=sequence.start + late,
        tracks=tuple(tracks),
        markers=(),
        sample_rate=RATE,
    )
    there = find_destination(_SESSIONS[seed % len(_SESSIONS)])
    made = carry_over(Document("otio", "1", (session,), tuple(media)), session, there)
    return f"{safe_name(sequence.name)} mix session{FORMATS[there.format].suffix}", made.data


def _alone(sequence: Sequence, only: Track) -> Sequence:
    tracks = tuple(
        track if track.kind != "audio" or track is only else replace(track, enabled=False)
        for track in sequence.tracks
    )
    return replace(sequence, tracks=tracks)


def _only(sequence: Sequence, stem: str) -> Sequence:
    tracks = tuple(
        track if track.kind != "audio" or stem_of(track) == stem else replace(track, enabled=False)
        for track in sequence.tracks
    )
    return replace(sequence, tracks=tracks)


def _heard(
    document: Document,
    sequence: Sequence,
    locate: Callable[[Media], Path | None],
    progress: Progress,
    share: float,
) -> Samples:
    evaluator, parts = Evaluator(document), []
    length = floor(sequence.duration)
    for first in range(0, length, _FRAMES):
        progress("mixing", share)
        parts.append(mixed(evaluator, sequence, first, min(_FRAMES, length - first), locate, RATE))
    return np.concatenate(parts) if parts else np.zeros((0, 2), np.float32)


def _worked(sound: Samples, habits: set[Habit], dice: random.Random, late: int) -> tuple[Samples, int]:
    """The sound as it leaves the room, and its rate."""
    time = np.arange(len(sound), dtype=np.float32) / RATE
    if Habit.LEVELS_RIDDEN in habits:
        slow, fast = dice.uniform(5, 9), dice.uniform(1.3, 2.1)
        sound = sound * (10 ** ((4 * np.sin(time / slow) + 2 * np.sin(time / fast)) / 20))[:, None]
    if Habit.LINE_REPLACED in habits and len(sound) > 3 * _LINE * RATE:
        at = len(sound) // 2
        other = np.random.default_rng(dice.randrange(1 << 30)).standard_normal((_LINE * RATE, 1))
        sound = sound.copy()
        sound[at : at + _LINE * RATE] = 0.1 * other * np.abs(np.sin(np.arange(_LINE * RATE) / 9000))[:, None]
    if Habit.REVERB in habits:
        tail = np.zeros_like(sound)
        for delay, gain in ((1801, 0.3), (3203, 0.2), (5407, 0.12)):
            tail[delay:] += gain * sound[: len(sound) - delay]
        sound = sound + tail
    sound = np.asarray(sound, np.float32)
    if late > 0:
        sound = np.concatenate([np.zeros((late, 2), np.float32), sound])
    elif late < 0:
        sound = sound[-late:]
    if Habit.LEADER in habits:
        lead = np.zeros((_LEADER, 2), np.float32)
        lead[_POP : _POP + RATE // 25] = (
            0.1 * np.sin(np.arange(RATE // 25) * 2 * np.pi * 1000 / RATE)[:, None]
        )
        sound = np.concatenate([lead, sound])
    if Habit.INVERTED in habits:
        sound = -sound
    if Habit.PULL in habits:
        sound = soxr.resample(sound, RATE * 1000, RATE * 1001, "VHQ")
    rate = RATE
    if Habit.RATE_44100 in habits:
        rate = 44_100
        sound = soxr.resample(sound, RATE, rate, "VHQ")
    return np.clip(sound, -1, 1), rate
