"""A package against plain copying, and the reference picture against only decoding and encoding its frames.

Targets: 0.7 of the speed of ``cp`` of the same bytes, both written through to the disk, and half the speed.
"""

from __future__ import annotations

import shutil
import statistics
import subprocess
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from wexodos.demo.build import CUT, build
from wexodos.formats import read_file
from wexodos.ground import quiet
from wexodos.turnover.package.make import copy_of, write
from wexodos.turnover.package.movie import Codec, Reference

FILES, SIZE = 40, 25 << 20
FRAMES, HEIGHT = 600, 360


def seconds(work: Callable[[], object]) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def plain(source: Path, target: Path) -> float:
    def work() -> None:
        subprocess.run(["cp", "-r", source, target], check=True)
        subprocess.run(["sync", "-f", target], check=True)

    taken = seconds(work)
    shutil.rmtree(target)
    return taken


def packed(source: Path, target: Path) -> float:
    files = [copy_of(path, f"Media/{path.name}") for path in sorted(source.iterdir())]
    taken = seconds(lambda: write(target, list(files), "out", datetime.now(UTC), quiet))
    shutil.rmtree(target) if target.is_dir() else target.unlink()
    return taken


def copying(folder: Path) -> str:
    source = folder / "source"
    source.mkdir()
    noise = np.random.default_rng(1).bytes(SIZE)
    for number in range(FILES):
        (source / f"{number}.mov").write_bytes(number.to_bytes(4, "big") + noise)
    rounds = [
        (plain(source, folder / "copy"), packed(source, folder / "out"), packed(source, folder / "out.zip"))
        for _ in range(3)
    ]
    base, whole, archive = (statistics.median(one) for one in zip(*rounds))
    shares = f"as a folder {base / whole:.2f}, as a zip {base / archive:.2f}"
    return f"{FILES * SIZE >> 20} MiB: {shares} of the speed of cp"


def reference(folder: Path) -> str:
    """The beginning of the demo."""
    build(folder / "demo")
    document = read_file(folder / "demo" / CUT)
    cut = document.top_level[0]
    tracks = tuple(
        replace(track, items=tuple(one for one in track.items if one.end <= FRAMES), transitions=())
        for track in cut.tracks
    )
    short = replace(cut, tracks=tracks, stated_duration=FRAMES)
    sequences = tuple(short if one.id == cut.id else one for one in document.sequences)
    document = replace(document, sequences=sequences)
    made = Reference(document, short, lambda one: Path(one.path or ""), Codec.H264, HEIGHT)
    whole = seconds(lambda: made.write(folder / "reference.mov", quiet))
    bare = seconds(lambda: again(folder / "reference.mov", folder / "again.mov"))
    share = bare / whole
    return f"reference picture, {short.duration} frames: {share:.2f} of the speed of decoding and encoding"


def again(source: Path, target: Path) -> None:
    """Decode a movie and encode its frames."""
    with av.open(str(source)) as there, av.open(str(target), "w") as out:
        stream = out.add_stream("libx264", rate=25, options={"crf": "18", "preset": "veryfast"})
        first = there.streams.video[0]
        stream.width, stream.height, stream.pix_fmt = first.width, first.height, "yuv420p"
        for number, frame in enumerate(there.decode(video=0)):
            frame.pts, frame.time_base = number, Fraction(1, 25)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))


with tempfile.TemporaryDirectory() as place:
    print(copying(Path(place)), flush=True)
    print(reference(Path(place)), flush=True)
