"""Translating 10,000 clips to the other dialect against a bare parse of the same bytes (target: at most 10
times), and the memory that reading takes against the file's size (target: under 12 times).

Translating is all of it: plan, write, read back, compare frame by frame.
"""

from __future__ import annotations

import statistics
import subprocess
import sys
import time
from pathlib import Path

from big_files import lane_xml, track_xml
from lxml import etree

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.formats import read_bytes

MAKERS = {"xmeml": (track_xml, "editing-lane-xml"), "fcpxml": (lane_xml, "editing-track-xml")}


def memory(dialect: str) -> None:
    """Print the growth of the largest memory while reading, as a multiple of the file's size."""
    data = MAKERS[dialect][0](10_000)
    before = largest()
    document = read_bytes(data)
    grown = largest() - before
    print(
        f"{dialect}: reading {len(document.sequences)} sequence takes {grown / len(data):.1f} times "
        "the memory of the file's "
        f"{len(data) / 1e6:.1f} MB"
    )


def largest() -> int:
    """The largest memory of this process so far, in bytes; unlike rusage it does not count what the parent
    had."""
    status = Path("/proc/self/status").read_text()
    return int(status.partition("VmHWM:")[2].split()[0]) * 1024


def translate(dialect: str) -> None:
    maker, destination = MAKERS[dialect]
    data = maker(10_000)
    document = read_bytes(data)
    ratios = []
    for _ in range(3):
        start = time.perf_counter()
        etree.fromstring(data)
        bare = time.perf_counter() - start
        start = time.perf_counter()
        carried = carry_over(document, document.top_level[0], find_destination(destination))
        ratios.append((time.perf_counter() - start) / bare)
        assert carried.errors == 0
    print(
        f"{dialect}: translating takes {statistics.median(ratios):.0f} times a bare parse; "
        f"{len(carried.findings)} findings"
    )


if len(sys.argv) > 1:
    memory(sys.argv[1])
else:
    for name in MAKERS:
        translate(name)
        # The largest memory never shrinks, so each dialect has a process of its own.
        subprocess.run([sys.executable, __file__, name], check=True)
