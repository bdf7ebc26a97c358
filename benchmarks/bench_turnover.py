"""A sound turnover of 2,000 clips on 24 tracks with 1 GB of sound inside: speed against copying the same
bytes on the same disk (target: at least a third), memory while writing (target: under 300 MB with twelve
recordings).

Clips bear the names of their recordings, as they do when they are cut in; for AAF also with a name for each
clip (``+``), which makes a master mob for each; and with a recording for each clip (``*``), so that 2,000
sounds stand inside."""

from __future__ import annotations

import gc
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import soundfile

from wexodos.carryover import Options
from wexodos.destinations import find_destination
from wexodos.model import Document, Item, Media, MediaUse, Sequence, Sound, Track
from wexodos.timing import Rate
from wexodos.turnover.run import prepared
from wexodos.turnover.write import write_package

RATE, PAL = 48_000, Rate(25)
FILES, SECONDS, CLIPS, TRACKS = 12, 600, 2_000, 24


def recording(folder: Path, name: str, number: int, frames: int) -> Media:
    """A mono recording that lies there."""
    return Media(
        f"m{number}",
        name,
        str(folder / name),
        f"S{number}",
        0,
        False,
        frames,
        PAL,
        channels=1,
        sample_rate=RATE,
        bit_depth=24,
        audio=True,
    )


def each(folder: Path) -> Document:
    """Clips of a recording each, dealt out to the tracks."""
    frames = FILES * SECONDS * 25 // CLIPS
    media = tuple(recording(folder, f"each {n}.wav", n, frames) for n in range(CLIPS))
    rows: list[list[Item]] = [[] for _ in range(TRACKS)]
    for number in range(CLIPS):
        row = rows[number % TRACKS]
        start = row[-1].end + 10 if row else 0
        row.append(
            Item(f"i{number}", f"Clip {number}", start, frames, MediaUse(f"m{number}"), sound=Sound((1,)))
        )
    tracks = tuple(Track("audio", tuple(row), name=f"Night {n + 1}") for n, row in enumerate(rows))
    sequence = Sequence("s", "Kiln Night sound", PAL, 90_000, sample_rate=RATE, tracks=tracks)
    return Document("xmeml", "5", (sequence,), media)


def cut(folder: Path, own_names: bool) -> Document:
    """Clips that use all of twelve recordings, dealt out to the tracks."""
    media = tuple(recording(folder, f"night {n}.wav", n, SECONDS * 25) for n in range(FILES))
    tracks: list[list[Item]] = [[] for _ in range(TRACKS)]
    per_file = CLIPS // FILES
    length = SECONDS * 25 // per_file
    for number in range(CLIPS):
        file, place = number % FILES, number // FILES
        track = tracks[number % TRACKS]
        start = track[-1].end + 10 if track else 0
        source = min(place, per_file - 1) * length
        track.append(
            Item(
                f"i{number}",
                f"Clip {number}" if own_names else f"Night {file}",
                start,
                length,
                MediaUse(f"m{file}"),
                PAL.seconds(source),
                sound=Sound((1,)),
            )
        )
    made = tuple(Track("audio", tuple(items), name=f"Night {n + 1}") for n, items in enumerate(tracks))
    return Document(
        "xmeml", "5", (Sequence("s", "Kiln Night sound", PAL, 90_000, sample_rate=RATE, tracks=made),), media
    )


def run(folder: Path, name: str) -> None:
    """Write one turnover; print seconds, bytes and the peak of memory beyond what was there before."""
    # As the command line does.
    gc.set_threshold(100_000, 50, 100)
    document = each(folder) if name.endswith("*") else cut(folder, name.endswith("+"))
    destination = find_destination(name.rstrip("+*"))
    path = folder / f"out-{name.rstrip('+*')}.{destination.format}"
    start = time.perf_counter()
    made = prepared(
        document, document.sequences[0], destination, folder / "x", path, Options(), lambda *_: None
    )
    planned = time.perf_counter()
    write_package(made[0].parts, folder, None, lambda *_: None)
    done = time.perf_counter()
    peak = (
        next(
            int(line.split()[1])
            for line in Path("/proc/self/status").read_text().splitlines()
            if line.startswith("VmHWM")
        )
        / 1024
    )
    print(f"{planned - start:.2f} {done - planned:.2f} {path.stat().st_size} {peak:.0f}")


def copied(folder: Path) -> float:
    """Seconds to copy the recordings, flushed to the disk."""
    start = time.perf_counter()
    for number in range(FILES):
        with (
            (folder / f"night {number}.wav").open("rb") as source,
            (folder / f"copy {number}.wav").open("wb") as target,
        ):
            shutil.copyfileobj(source, target, 1 << 20)
            target.flush()
            os.fsync(target.fileno())
    took = time.perf_counter() - start
    for number in range(FILES):
        (folder / f"copy {number}.wav").unlink()
    return took


if len(sys.argv) == 3:
    run(Path(sys.argv[1]), sys.argv[2])
else:
    with tempfile.TemporaryDirectory(dir=os.environ.get("WEXODOS_BENCH_DIR")) as place:
        folder = Path(place)
        noise = np.random.default_rng(1).integers(-(1 << 22), 1 << 22, RATE * SECONDS, dtype=np.int32) << 8
        for number in range(FILES):
            soundfile.write(
                folder / f"night {number}.wav", np.roll(noise, number * 1000), RATE, subtype="PCM_24"
            )
        total = sum(path.stat().st_size for path in folder.iterdir())
        part = RATE * FILES * SECONDS // CLIPS
        for number in range(CLIPS):
            start = number * 977 % (len(noise) - part)
            soundfile.write(
                folder / f"each {number}.wav", noise[start : start + part], RATE, subtype="PCM_24"
            )
        for name in (
            "mixing-aaf-embedded",
            "mixing-aaf-embedded+",
            "mixing-aaf-embedded*",
            "mixing-omf",
            "mixing-omf*",
            "mixing-aaf-linked",
        ):
            ratios, rows = [], []
            for _ in range(3):
                bare = copied(folder)
                told = subprocess.run(
                    [sys.executable, __file__, str(folder), name], capture_output=True, text=True, check=True
                ).stdout.split()
                planned, wrote, size, peak = (float(one) for one in told)
                ratios.append(bare / wrote)
                rows.append((bare, planned, wrote, size, peak))
                for left in folder.glob("out-*"):
                    shutil.rmtree(left) if left.is_dir() else left.unlink()
            bare, planned, wrote, size, peak = (statistics.median(column) for column in zip(*rows))
            print(
                f"{name}: {CLIPS} clips, {total / 1e9:.2f} GB; copied in {bare:.1f} s; planned, "
                "written without sound and compared in "
                f"{planned:.1f} s; written and read back in {wrote:.1f} s: "
                f"{statistics.median(ratios):.2f} of the speed of copying; "
                f"peak memory {peak:.0f} MB"
            )
