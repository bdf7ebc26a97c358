"""HD and UHD material in the picture pair, both sides at its size: played, scrubbed, jumped in and stepped
back, against only decoding it (targets: 40 ms a pair when played, 1.2 times the processor time of decoding;
following the pointer within 100 ms at the median)."""

from __future__ import annotations

import random
import statistics
import tempfile
import time
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from wexodos.model import Document, Item, Media, MediaUse, Motion, Sequence, Track
from wexodos.picture import Composer, Frames
from wexodos.timing import Rate

PAL, COUNT = Rate(25), 200
HD, UHD = (1920, 1080), (3840, 2160)
KINDS = {
    "HD, groups of 15": ("libx264", "yuv420p", HD, {"x264-params": "keyint=15:bframes=2", "b": "20000000"}),
    "HD, groups of 50": ("libx264", "yuv420p", HD, {"x264-params": "keyint=50:bframes=2", "b": "20000000"}),
    "HD, every frame by itself": ("prores_ks", "yuv422p10le", HD, {"profile": "2"}),
    "UHD, groups of 15": ("libx264", "yuv420p", UHD, {"x264-params": "keyint=15:bframes=2", "b": "50000000"}),
}


def made(path: Path, codec: str, form: str, size: tuple[int, int], options: dict[str, str]) -> None:
    """Blocks that move over noise that changes."""
    draw = np.random.default_rng(1)
    wide, tall = size
    blocks = (draw.random((tall // 8, wide // 8, 3)) * 127).astype(np.uint8).repeat(8, 0).repeat(8, 1)
    noise = draw.integers(0, 24, (tall, wide, 3), dtype=np.uint8)
    with av.open(str(path), "w") as file:
        stream = file.add_stream(codec, rate=25, options={"preset": "veryfast", **options})
        stream.width, stream.height, stream.pix_fmt = wide, tall, form
        for number in range(COUNT):
            data = np.roll(blocks, number * 5, 1) + np.roll(noise, number * 37, 0)
            frame = av.VideoFrame.from_ndarray(data, format="rgb24").reformat(format=form)
            frame.pts, frame.time_base = number, Fraction(1, 25)
            file.mux(stream.encode(frame))
        file.mux(stream.encode(None))


def run(path: Path, size: tuple[int, int], height: int) -> str:
    media = Media("m", path.name, str(path), None, 0, False, COUNT, PAL, *size, video=True)
    item = Item("i", "Kiln", 0, COUNT, MediaUse("m"), motion=Motion())
    cut = Sequence("s", "Kiln Night", PAL, width=size[0], height=size[1], tracks=(Track("video", (item,)),))
    document = Document("xmeml", "5", (cut,), (media,))

    def pair() -> tuple[Composer, Composer]:
        frames = Frames()
        return Composer(document, lambda _: path, frames), Composer(document, lambda _: path, frames)

    def shown(sides: tuple[Composer, Composer], frame: int) -> float:
        start = time.perf_counter()
        for side in sides:
            side.eight_bits(cut, frame, height)
        return time.perf_counter() - start

    sides = pair()
    shown(sides, 0)
    before = time.process_time()
    played = [shown(sides, frame) for frame in range(1, COUNT)]
    busy = time.process_time() - before
    with av.open(str(path)) as file:
        file.streams.video[0].thread_type = "AUTO"
        before = time.process_time()
        for _ in zip(range(COUNT - 1), file.decode(video=0)):
            pass
        bare = time.process_time() - before
    # The pointer is drawn over the clip there and back, three and seven frames from one picture to the next.
    drawn = []
    for step in (3, 7, -3, -7):
        sides = pair()
        shown(sides, 0)
        places = range(0, COUNT, step) if step > 0 else range(COUNT - 1, -1, step)
        drawn.append(statistics.median([shown(sides, frame) for frame in places]))
    sides, draw = pair(), random.Random(2)
    shown(sides, 0)
    jumps = [shown(sides, draw.randrange(COUNT)) for _ in range(40)]
    shown(sides, 90)
    back = [shown(sides, frame) for frame in range(89, 60, -1)]
    near, far, near_back, far_back = (round(one * 1000) for one in drawn)
    jump, longest = round(statistics.median(jumps) * 1000), round(max(jumps) * 1000)
    return (
        f"{height} high: played {statistics.mean(played) * 1000:.0f} ms a pair, {busy / bare:.2f} times the "
        f"processor time of decoding; following the pointer {near} and {far} ms on, {near_back} and "
        f"{far_back} ms back; a jump {jump} ms at the median, {longest} at most; a step back "
        f"{statistics.median(back) * 1000:.1f} ms"
    )


with tempfile.TemporaryDirectory() as place:
    for name, (codec, form, size, options) in KINDS.items():
        path = Path(place) / f"{name}.mov"
        made(path, codec, form, size, options)
        for height in (270, 360):
            print(f"{name}, {run(path, size, height)}", flush=True)
        path.unlink()
