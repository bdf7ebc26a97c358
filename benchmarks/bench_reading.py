"""Reading a file of 10,000 clips against a bare parse of the same bytes by lxml (target: at most 4 times); an
AAF of 2,000 against the library walking through its mobs alone (target: not longer)."""

from __future__ import annotations

import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import aaf2
from big_files import lane_xml, track_xml
from lxml import etree

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.formats import read_bytes, read_file


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


def walked(path: Path) -> int:
    """How many objects the library finds from the top of an AAF file downwards."""
    with aaf2.open(str(path)) as file:
        return sum(1 for mob in file.content.mobs for _ in mob.walk_references())


with tempfile.TemporaryDirectory() as folder:
    path = Path(folder) / "cut.aaf"
    cut = read_bytes(track_xml(2_000))
    path.write_bytes(carry_over(cut, cut.top_level[0], find_destination("finishing-aaf")).data)
    read_file(path)
    pairs = [(timed(lambda: walked(path)), timed(lambda: read_file(path))) for _ in range(7)]
    bare, ours = (statistics.median(column) * 1000 for column in zip(*pairs))
    ratio = statistics.median(read / walk for walk, read in pairs)
    print(
        f"aaf: {path.stat().st_size / 1e6:.1f} MB, the mobs walked through by the library alone "
        f"{bare:.0f} ms, read {ours:.0f} ms, ratio {ratio:.2f}"
    )
