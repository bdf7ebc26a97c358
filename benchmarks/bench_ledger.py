"""Painting the ledger with 50,000 items (target: under 8 ms a frame at the median)."""

from __future__ import annotations

import os
import statistics
import time

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtGui import QPainter, QPixmap
from PySide6.QtWidgets import QApplication

from wexodos.desktop.theme import install
from wexodos.desktop.widgets.ledger import Ledger
from wexodos.desktop.widgets.ledger_data import Mark, build
from wexodos.model import Item, MediaUse, Sequence, Track
from wexodos.timing import Rate

app = QApplication([])
install(app, "night")
kinds = ["video"] * 4 + ["audio"] * 6
tracks = tuple(
    Track(kind, tuple(Item(f"{n}-{k}", f"Shot {k}", k * 20 + n, 20, MediaUse("m")) for k in range(2500)))
    for n, kind in enumerate(kinds)
)
sequence = Sequence("s", "Long", Rate(25), tracks=tracks)
# 25,000 items before and the same after: 50,000 in all.
data = build(sequence, sequence, lambda item: "adapted" if int(item.id.split("-")[1]) % 9 == 0 else "")
data.marks = [Mark(str(k), k % 10, k * 180.0, k * 180.0 + 20, "adapted") for k in range(270)]
ledger = Ledger()
ledger.resize(1000, 560)
ledger.show_data(data)
target = QPixmap(1000, 560)


def paint() -> float:
    start = time.perf_counter()
    painter = QPainter(target)
    ledger.paint_all(painter)
    painter.end()
    return (time.perf_counter() - start) * 1000


for name, zoom in (
    ("the whole cut", 1.0),
    ("half a minute", 60.0),
    ("five minutes", 6.0),
    ("ten seconds", 180.0),
):
    ledger.fit()
    if zoom > 1:
        ledger.zoom(zoom, 25_000)
    paint()
    times = [paint() for _ in range(25)]
    print(f"{name}: {statistics.median(times):.1f} ms a full repaint")
times = []
for frame in range(0, 2500, 100):
    ledger.set_playhead(frame, follow=False)
    start = time.perf_counter()
    ledger.render(target)
    times.append((time.perf_counter() - start) * 1000)
print(f"a moved playhead over the kept picture: {statistics.median(times):.1f} ms")
