"""The ways in which a render may stand in for its event, worked out by hand."""

from __future__ import annotations

from fractions import Fraction

import pytest

from wexodos.homecoming.events import Event
from wexodos.homecoming.renders import By, Candidate, Matched
from wexodos.homecoming.ways import What, medium_of, ways
from wexodos.media import Probed
from wexodos.model import Constant, Item, Media, MediaUse, Motion, Sequence
from wexodos.timing import Rate

PAL = Rate(25)
SEQUENCE = Sequence("s", "Kiln Night", PAL, width=192, height=108)


@pytest.mark.parametrize(
    ("frames", "expected"),
    [
        # Twelve frames of its source are seen, over twenty-four. Four more on either side:
        (20, [(Fraction(4, 25), Fraction(1, 2), frozenset())]),
        # As long as the clip is in the cut, it may be that, or have six on either side.
        (24, [(0, Fraction(1), frozenset({What.SPEED})), (Fraction(6, 25), Fraction(1, 2), frozenset())]),
        # Of the source, and nothing besides.
        (12, [(0, Fraction(1, 2), frozenset())]),
    ],
)
def test_a_render_of_a_slow_clip_that_says_no_time(
    frames: int, expected: list[tuple[Fraction | int, Fraction, frozenset[What]]]
) -> None:
    media = Media("m", "A001.mov", "/A001.mov", duration=200, rate=PAL, width=192, height=108, video=True)
    item = Item("i", "Slower", 0, 24, MediaUse("m"), 2, speed=Constant(Fraction(1, 2)), motion=Motion())
    seconds = str(Fraction(frames, 25))
    facts = Probed("/back/A001.mov", 1, 1, seconds=seconds, video=True, rate="25", width=192, height=108)
    found = Candidate(Event(item, "V1", 1, media), (By.NAME,), 0, False)
    there = ways(Matched(facts, found), medium_of(facts, {"m"}), SEQUENCE)
    assert [(one.item.source_in, one.item.speed, one.off) for one in there if What.MOTION not in one.off] == [
        (begin, Constant(speed), off) for begin, speed, off in expected
    ]
