"""What comes home: 2,000 renders matched by names and timecode, and the sync of a mix of two hours.

Targets: 30 s; 20 s and 500 MB of memory.
"""

from __future__ import annotations

import resource
import tempfile
import time
from pathlib import Path

import numpy as np
import soundfile

from wexodos.homecoming.renders import matching
from wexodos.media import Probed
from wexodos.model import Document, Item, Media, MediaUse, Motion, Sequence, Track
from wexodos.sound.signals import FileSignal
from wexodos.sound.sync import measured
from wexodos.timing import Rate

EVENTS, MINUTES, RATE = 2_000, 120, 48_000
PAL = Rate(25)


def renders() -> str:
    """A cut of 2,000 clips from 200 takes; each render has eight frames of handles and a timecode."""
    dice = np.random.default_rng(3)
    media = [
        Media(
            f"m{n}",
            f"A{n // 8:03d}C{n % 8:03d}.mov",
            start=90_000 + 5_000 * n,
            duration=5_000,
            rate=PAL,
            video=True,
        )
        for n in range(200)
    ]
    items, files, start = [], [], 0
    for number in range(EVENTS):
        take, length = media[int(dice.integers(200))], int(dice.integers(20, 120))
        source = int(dice.integers(10, 4_800))
        items.append(
            Item(
                f"i{number}",
                f"Shot {number}",
                start,
                length,
                MediaUse(take.id),
                PAL.seconds(source),
                motion=Motion(),
            )
        )
        at = (take.start or 0) + source - 8
        name = f"{Path(take.name).stem}_{number + 1:05d}.mov"
        files.append(Probed(name, 1, number, video=True, seconds=f"{length + 16}/25", rate="25/1", start=at))
        start += length
    cut = Sequence("s", "Kiln Night", PAL, tracks=(Track("video", tuple(items)),))
    document = Document("otio", "1", (cut,), tuple(media))
    begin = time.perf_counter()
    found = matching(document, cut, files)
    taken = time.perf_counter() - begin
    right = sum(one.facts.path.endswith(f"_{one.found.event.number:05d}.mov") for one in found.matched)
    return f"{EVENTS} renders: {right} of them right, {len(found.asked)} asked, in {taken:.1f} s"


def sync(folder: Path) -> str:
    """Two hours of bursts of noise, ridden and 4,157 samples late."""
    dice = np.random.default_rng(1)
    paths = folder / "guide.wav", folder / "mix.wav"
    with (
        soundfile.SoundFile(paths[0], "w", RATE, 2, "PCM_24") as guide,
        soundfile.SoundFile(paths[1], "w", RATE, 2, "PCM_24") as mix,
    ):
        mix.write(np.zeros((4_157, 2)))
        for _ in range(MINUTES):
            sound, at = 0.002 * dice.standard_normal(60 * RATE), 0
            while at < len(sound) - RATE:
                length = int(dice.integers(RATE // 20, RATE))
                sound[at : at + length] += 0.1 * dice.standard_normal(length) * np.hanning(length)
                at += length + int(dice.integers(0, RATE // 2))
            guide.write(np.stack([sound, sound], axis=1))
            ridden = sound * (0.5 + 0.5 * np.abs(np.sin(np.arange(len(sound)) / 300_000)))
            mix.write(np.stack([ridden, ridden], axis=1))
    begin = time.perf_counter()
    found = measured(FileSignal(paths[0], RATE), FileSignal(paths[1], RATE))
    taken = time.perf_counter() - begin
    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss >> 10
    return f"sync of {MINUTES} minutes: {found.offset:.2f} samples (4157), in {taken:.1f} s, {most} MB"


print(renders(), flush=True)
with tempfile.TemporaryDirectory() as place:
    print(sync(Path(place)), flush=True)
