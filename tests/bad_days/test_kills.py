"""A kill at any moment leaves the old or the whole new, and nothing else after the next start.

A moment or two in the suite; ``./run prove`` draws three hundred.
"""

from __future__ import annotations

import os
import random
import shutil
from pathlib import Path

import pytest

from bad_days.kills import WORKS, Place, Work

MANY = int(os.environ.get("WEXODOS_EXAMPLES", "1")) > 1
KILLS = 50 if MANY else 1


@pytest.fixture(scope="module")
def cuts(whole_demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("kill-demo") / "demo"
    shutil.copytree(whole_demo, folder)
    (folder / "cuts").mkdir()
    for number in range(4):
        shutil.copy(folder / "kiln-night.xml", folder / "cuts" / f"cut {number}.xml")
    return folder


@pytest.mark.parametrize(
    "work", [one for one in WORKS if MANY or one.name in ("translate", "batch")], ids=lambda one: one.name
)
@pytest.mark.sampled(2)
def test_a_kill_leaves_the_old_or_the_whole_new(work: Work, cuts: Path, tmp_path: Path) -> None:
    place = Place(work, cuts, tmp_path)
    chance = random.Random(work.name)
    wrong = {}
    for number in range(KILLS):
        # Most of the time goes into reading and planning: half of the kills fall into the writing.
        share = chance.uniform(0.2, 1.02) if number % 2 else chance.uniform(0.75, 1.0)
        sign = work.signals[number % len(work.signals)]
        found = place.kill(sign, share, fresh=bool(chance.getrandbits(1)))
        if found:
            wrong[f"signal {sign} at {share:.3f}"] = found
    assert wrong == {}
