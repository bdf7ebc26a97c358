"""Frames of the demo in any order, nothing decoded before (target: under 40 ms at the median), against only
decoding what they need."""

from __future__ import annotations

import random
import statistics
import tempfile
import time
from fractions import Fraction
from pathlib import Path

from wexodos.demo.build import CUT, build, complete
from wexodos.evaluate import Evaluator
from wexodos.evaluate.layers import layers_at
from wexodos.formats import read_file
from wexodos.picture import Composer, Frames
from wexodos.sound.locate import Finder

data = Path(__file__).parent.parent / "demo" / "data"
if not complete(data):
    data = Path(tempfile.mkdtemp())
    build(data)
document = read_file(data / CUT)
cut = document.top_level[0]
draw = random.Random(1)
places = [draw.randrange(cut.duration) for _ in range(200)]
for height in (180, 360):
    evaluator, finder = Evaluator(document), Finder(data / CUT, document)
    whole, bare, steps = [], [], []
    for place in places:
        # Files and frames let go of each time: as cold as a window that has just been opened.
        composer = Composer(document, finder, Frames())
        start = time.perf_counter()
        composer.frame(cut, place, height)
        whole.append(time.perf_counter() - start)
        frames = Frames()
        start = time.perf_counter()
        for layer in layers_at(evaluator, cut, place):
            if layer.media is not None and layer.source_frame is not None:
                rate = Fraction(layer.media.rate.fps) if layer.media.rate else None
                frames.frame(
                    finder(layer.media), layer.source_frame, rate, layer.media.still or layer.item.still
                )
        bare.append(time.perf_counter() - start)
    composer = Composer(document, finder, Frames())
    for place in range(2000, 2200):
        start = time.perf_counter()
        composer.frame(cut, place, height)
        steps.append(time.perf_counter() - start)
    print(
        f"a frame {height} high, cold: {statistics.median(whole) * 1000:.1f} ms at the median, "
        f"{max(whole) * 1000:.0f} ms at most, "
        f"{sum(whole) / sum(bare):.2f} times only decoding; stepping on: "
        f"{statistics.median(steps) * 1000:.1f} ms"
    )
