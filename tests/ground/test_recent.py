"""Results that are kept by what they were made of."""

from __future__ import annotations

import pytest

from wexodos.ground.recent import Recent


def test_equal_things_are_made_once_and_the_oldest_are_forgotten() -> None:
    made: list[str] = []
    known = Recent[str](2)

    def of(*given: object) -> str:
        def make() -> str:
            made.append(repr(given))
            return made[-1]

        return known.of(given, make)

    assert of([1], "a") == of([1], "a") and len(made) == 1
    of([2], "a")
    of([1], "a")
    assert len(made) == 2
    # The one that was asked for longest ago goes.
    of([3], "a")
    of([1], "a")
    assert len(made) == 3
    of([2], "a")
    assert len(made) == 4


def test_what_fails_is_tried_again() -> None:
    known = Recent[int](2)
    with pytest.raises(ZeroDivisionError):
        known.of((1,), lambda: 1 // 0)
    assert known.of((1,), lambda: 5) == 5
