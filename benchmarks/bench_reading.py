"""Reading a file of 10,000 clips against a bare parse of the same bytes by lxml (target: at most 4 times)."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable

from big_files import lane_xml, track_xml
from lxml import etree

from wexodos.formats import read_bytes


def median(work: Callable[[], object], runs: int = 7) -> float:
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return statistics.median(times)


for name, data in (("xmeml", track_xml(10_000)), ("fcpxml", lane_xml(10_000))):
    read_bytes(data)
    bare, ours = median(lambda data=data: etree.fromstring(data)), median(lambda data=data: read_bytes(data))
    print(f"{name}: {len(data) / 1e6:.1f} MB, bare parse {bare * 1000:.0f} ms, read {ours * 1000:.0f} ms, ratio {ours / bare:.1f}")
