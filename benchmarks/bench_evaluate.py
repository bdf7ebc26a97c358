"""Evaluating an hour of ten tracks at every frame (target: under a second)."""

from __future__ import annotations

import statistics
import time

from wexodos.evaluate import Evaluator
from wexodos.model import (
    Document,
    Item,
    Media,
    MediaUse,
    Motion,
    Sequence,
    Sound,
    Track,
    Transition,
    constant,
    curve,
)
from wexodos.timing import Rate

RATE, HOUR, SHOT = Rate(25), 90_000, 100
media = Media(
    "m",
    "A.mov",
    rate=RATE,
    duration=100_000,
    width=1280,
    height=720,
    sample_rate=48000,
    video=True,
    audio=True,
)
plain = Motion("fit", scale=constant(0.8, 0.8))
moving = Motion("fit", position=curve([(0, (0.0, 0.0)), (90, (200.0, 50.0))]))


def track(kind: str) -> Track:
    items, joins = [], []
    for n in range(HOUR // SHOT):
        motion = (moving if n % 5 == 0 else plain) if kind == "video" else None
        level = curve([(0, -60.0), (10, 0.0)]) if n % 3 == 0 else constant(-6)
        items.append(
            Item(
                f"i{n}",
                "shot",
                n * SHOT,
                SHOT,
                MediaUse("m"),
                n % 300,
                motion=motion,
                sound=Sound((1, 2), level) if kind == "audio" else None,
            )
        )
        if n and n % 4 == 0:
            joins.append(Transition(f"t{n}", "", "dissolve", n * SHOT - 12, 24, n * SHOT))
    return Track(kind, tuple(items), tuple(joins))


sequence = Sequence(
    "s",
    "Hour",
    RATE,
    width=1920,
    height=1080,
    sample_rate=48000,
    tracks=tuple(track(kind) for kind in ["video"] * 4 + ["audio"] * 6),
)
document = Document("xmeml", "5", (sequence,), (media,))
times = []
for _ in range(7):
    start = time.perf_counter()
    found = Evaluator(document).range(sequence)
    times.append(time.perf_counter() - start)
print(
    f"an hour of 10 tracks, {sum(len(one.items) for one in sequence.tracks)} items, "
    f"{len(found.picture) + len(found.sound)} spans: "
    f"{statistics.median(times) * 1000:.0f} ms, {3600 / statistics.median(times):.0f} times real time"
)
