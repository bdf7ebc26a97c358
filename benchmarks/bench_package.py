"""A package against plain copying, and the reference picture against only decoding and encoding its frames.

Targets: 0.7 of the speed of ``cp`` of the same bytes, both written through to the disk, 0.4 where stretches
are cut out of movies; half the speed of decoding and encoding; less than 500 MB of memory.
"""

from __future__ import annotations

import contextlib
import io
import resource
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from wexodos.carryover import carry_over
from wexodos.cli.commands import main
from wexodos.demo.build import CUT, build
from wexodos.destinations import find_destination
from wexodos.formats import read_file
from wexodos.ground import quiet
from wexodos.model import Document, Item, Media, MediaUse, Motion, Sequence, Track
from wexodos.timing import Rate
from wexodos.turnover.package.copying import copy_of
from wexodos.turnover.package.make import write
from wexodos.turnover.package.movie import Codec, Reference

FILES, SIZE = 40, 25 << 20
FRAMES, HEIGHT = 600, 360
LONG = 1200


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
    shares = []
    for _ in range(3):
        whole = seconds(lambda: made.write(folder / "reference.mov", quiet))
        shares.append(seconds(lambda: again(folder / "reference.mov", folder / "again.mov")) / whole)
    share = statistics.median(shares)
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


def trimming(folder: Path) -> str:
    """A package of stretches of one long movie: read, planned, tried, cut and read back."""
    source = folder / "long.mov"
    long(source)
    pal = Rate(25)
    media = Media("m", source.name, str(source), None, 0, False, LONG, pal, 1920, 1080, video=True)
    uses = range(30, LONG - 150, 150)
    items = tuple(
        Item(f"i{place}", "Kiln", place * 100, 100, MediaUse("m"), pal.seconds(at), motion=Motion())
        for place, at in enumerate(uses)
    )
    tracks = (Track("video", items),)
    cut = Sequence("s", "Kiln Night", pal, width=1920, height=1080, tracks=tracks)
    document = Document("xmeml", "5", (cut,), (media,))
    sent = carry_over(document, cut, find_destination("editing-track-xml"))
    (folder / "cut.xml").write_bytes(sent.data)
    target = folder / "trimmed"
    arguments = ["package", str(folder / "cut.xml"), "--to", "editing-track-xml", "--out", str(target)]
    arguments += ["--media", "trimmed", "--handles", "0.2", "--mix", "none", "--no-papers", "--json"]

    def work() -> None:
        with contextlib.redirect_stdout(io.StringIO()):
            assert main(arguments) == 0
        subprocess.run(["sync", "-f", target], check=True)

    rounds = []
    for _ in range(3):
        taken = seconds(work)
        size = sum(one.stat().st_size for one in target.rglob("*.mov")) >> 20
        rounds.append((plain(target, folder / "copy"), taken))
        shutil.rmtree(target)
    base, taken = (statistics.median(one) for one in zip(*rounds))
    return f"stretches of a movie, {size} MiB in {len(uses)} files: {base / taken:.2f} of the speed of cp"


def long(path: Path) -> None:
    """A movie of frames that stand for themselves, the same few over and over."""
    noise = np.random.default_rng(1)
    with av.open(str(path), "w") as out:
        stream = out.add_stream("prores_ks", rate=25)
        stream.width, stream.height, stream.pix_fmt = 1920, 1080, "yuv422p10le"
        packets = []
        for number in range(12):
            picture = noise.integers(0, 90, (1080, 1920, 3), np.uint8)
            frame = av.VideoFrame.from_ndarray(picture, format="rgb24")
            frame = frame.reformat(format="yuv422p10le")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            packets += stream.encode(frame)
        packets += stream.encode(None)
        held = [bytes(one) for one in packets]
        for number in range(LONG):
            packet = av.Packet(held[number % len(held)])
            packet.stream, packet.time_base = stream, Fraction(1, 25)
            packet.pts = packet.dts = number
            packet.duration, packet.is_keyframe = 1, True
            out.mux(packet)


def memory(folder: Path) -> str:
    """The largest memory of a process that makes all that can be in a package of the demo."""
    target = folder / "all"
    arguments = [str(Path(sys.executable).with_name("wexodos")), "package", str(folder / "demo" / CUT)]
    arguments += ["--to", "finishing-aaf", "--out", str(target), "--bake", "all", "--reference", "h264"]
    subprocess.run(arguments, check=True, stdout=subprocess.DEVNULL)
    most = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss >> 10
    return f"everything of the demo: {most} MB of memory at the most"


with tempfile.TemporaryDirectory() as place:
    print(copying(Path(place)), flush=True)
    print(trimming(Path(place)), flush=True)
    print(reference(Path(place)), flush=True)
    print(memory(Path(place)), flush=True)
