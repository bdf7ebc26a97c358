"""Looking through 100,000 files, the first time and again, against walking the same tree; and finding 500
missing clips in it."""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path

from wexodos.media import Probes, Rules, Scanner, find
from wexodos.model import Document, Item, Media, MediaUse, Motion, Sequence, Track
from wexodos.timing import Rate

RATE = Rate(25)
with tempfile.TemporaryDirectory() as scratch:
    root = Path(scratch) / "store"
    for folder in range(1000):
        place = root / f"card {folder // 20}" / f"day {folder}"
        place.mkdir(parents=True)
        for number in range(100):
            (place / f"K{folder:04d}C{number:03d}.wav").touch()
        # As if it had stood there for long: what changed a moment ago is read anew.
        for one in (place, place.parent, root):
            os.utime(one, (1000, 1000))

    def walk() -> int:
        return sum(len(files) for _, _, files in os.walk(root))

    start = time.perf_counter()
    assert walk() == 100_000
    bare = time.perf_counter() - start
    kept = Path(scratch) / "kept.msgpack"
    start = time.perf_counter()
    assert Scanner(kept).scan([root]).count == 100_000
    first = time.perf_counter() - start
    start = time.perf_counter()
    Scanner(kept).scan([root])
    again = time.perf_counter() - start
    print(
        f"100,000 files in 1,000 folders: {first:.2f} s the first time, {again:.2f} s again; "
        f"{first / bare:.1f} and "
        f"{again / bare:.1f} times a walk"
    )
    names = [f"K{n * 2:04d}C{n % 100:03d}.wav" for n in range(500)]
    media = tuple(Media(f"m{n}", name, f"/gone/{name}", audio=True) for n, name in enumerate(names))
    items = tuple(
        Item(f"i{n}", one.name, n * 50, 50, MediaUse(one.id), motion=Motion()) for n, one in enumerate(media)
    )
    sequence = Sequence("s", "Cut", RATE, tracks=(Track("video", items),))
    start = time.perf_counter()
    rows = find(
        Document("xmeml", "5", (sequence,), media),
        [sequence],
        Path(scratch) / "cut" / "cut.xml",
        Rules(0, (str(root),)),
        {},
        Probes(Path(scratch) / "probes.sqlite"),
        Scanner(kept),
    )
    spent = time.perf_counter() - start
    print(
        f"500 missing clips looked for among them: {spent:.2f} s, {spent / again:.1f} times the second look; "
        f"{sum(bool(row.candidates) for row in rows)} have candidates"
    )
