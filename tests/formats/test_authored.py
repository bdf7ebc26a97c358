"""Long files as strangers write them go to every destination with nothing unexplained and no row twice."""

from __future__ import annotations

import os
from collections import Counter
from functools import cache

import pytest

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.destinations.load import shipped
from wexodos.formats import read_bytes
from wexodos.model import Document

from .authored import AUTHORS
from .authored_mobs import AUTHORS_OF_MOBS

EVERY = {**AUTHORS, **AUTHORS_OF_MOBS}
SEEDS = range(10 if int(os.environ.get("WEXODOS_EXAMPLES", "1")) > 1 else 1)


@cache
def authored(kind: str, seed: int) -> Document:
    return read_bytes(EVERY[kind](seed).whole_file())


@pytest.mark.parametrize("destination", [one.id for one in shipped()])
@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("kind", EVERY)
@pytest.mark.sampled(23)
def test_nothing_is_unexplained_and_nothing_told_twice(kind: str, seed: int, destination: str) -> None:
    document = authored(kind, seed)
    sequence = document.top_level[0]
    assert sum(1 for _ in sequence.items()) >= 200
    carried = carry_over(document, sequence, find_destination(destination))
    assert [
        (one.what, one.item, one.before, one.after) for one in carried.findings if not one.explained
    ] == []
    rows = Counter((one.what, one.item_id, one.track, one.start, one.why) for one in carried.findings)
    assert [row for row, count in rows.items() if count > 1] == []
