"""Movies held against a cut: how fast, against real time and against only decoding the movie; and how well
scenes are found in made movies.

Targets: a movie of 640 × 360 at four times real time, 600 MB of memory; precision and recall of scenes 0.98.
"""

from __future__ import annotations

import resource
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))

import cv2
import numpy as np
from tests.screening.scenes import scenes

from wexodos.cli.rehearsing import _taken_in
from wexodos.demo.build import CUT, build
from wexodos.ground import quiet
from wexodos.screening.check import check_picture
from wexodos.screening.film import Film
from wexodos.screening.scene_cuts import HIGH, WIDE, How, changes_of
from wexodos.turnover.package.movie import Codec, Reference

DAYS = 40


def checked(folder: Path) -> str:
    """The reference picture of the demo held against the demo."""
    build(folder, quiet)
    document, cut, locate = _taken_in(folder / CUT, None, quiet)
    movie = folder / "reference.mov"
    Reference(document, cut, locate, Codec.H264, 360).write(movie, quiet)
    begun = time.perf_counter()
    for _ in Film.of(movie).pictures(160, 90):
        pass
    decoded = time.perf_counter() - begun
    begun = time.perf_counter()
    rows = check_picture(document, cut, locate, movie).rows
    took = time.perf_counter() - begun
    real = float(cut.rate.seconds(cut.duration))
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    return (
        f"check-picture: {real / took:.1f} times real time (aim 4), "
        f"{took / decoded:.1f} times decoding the movie, "
        f"{len(rows)} rows, {memory:.0f} MB (aim 600)"
    )


def found() -> str:
    """Precision and recall over made days of scenes."""
    right = missed = false = 0
    for seed in range(DAYS):
        day = scenes(seed)
        small = (
            cv2.resize(
                np.asarray(np.clip(one, 0, 1) * 255, np.uint8), (WIDE, HIGH), interpolation=cv2.INTER_AREA
            )
            for one in day.pictures
        )
        left = changes_of(enumerate(small))
        for frame, kind, length in day.changes:
            near = 0 if kind == "cut" else max(3, length // 3)
            hits = [
                one
                for one in left
                if abs(one.frame - frame) <= near and (one.how is How.CUT) == (kind == "cut")
            ]
            right, missed = right + bool(hits), missed + (not hits)
            left = [one for one in left if one is not (hits or [None])[0]]
        false += len(left)
    every = right + missed
    exact, whole = right / (right + false), right / every
    return f"scene-cuts: precision {exact:.3f}, recall {whole:.3f} of {every} (aim 0.98)"


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        print(checked(Path(folder)))
    print(found())
