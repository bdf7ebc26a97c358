"""Reading a file of 10,000 clips against a bare parse of the same bytes by lxml (target: at most 4 times)."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable

from big_files import lane_xml, track_xml
from lxml import etree

from wexodos.formats import read_bytes


def timed(work: Callable[[], object]) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


for name, data in (("xmeml", track_xml(10_000)), ("fcpxml", lane_xml(10_000))):
    read_bytes(data)
    # In turn, so that a machine whose speed drifts does not favour either.
    pairs = [
        (timed(lambda data=data: etree.fromstring(data)), timed(lambda data=data: read_bytes(data)))
        for _ in range(11)
    ]
    bare, ours = (statistics.median(column) * 1000 for column in zip(*pairs))
    ratio = statistics.median(read / parse for parse, read in pairs)
    print(
        f"{name}: {len(data) / 1e6:.1f} MB, bare parse {bare:.0f} ms, read {ours:.0f} ms, ratio {ratio:.1f}"
    )
