"""Work in several threads comes out in the order of the things, and does not run far ahead."""

from __future__ import annotations

from collections.abc import Iterator
from threading import Barrier

import pytest

from wexodos.ground import Cancelled, together


@pytest.fixture(autouse=True)
def two_processors(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("os.sched_getaffinity", lambda _process: {0, 1})


def test_things_are_worked_on_two_at_a_time_and_come_in_order() -> None:
    both = Barrier(2)

    def square(number: int) -> int:
        both.wait(30)  # breaks where the other is not worked on meanwhile
        return number * number

    assert list(together(square, range(10))) == [number * number for number in range(10)]


def test_what_is_raised_comes_out_and_the_rest_is_not_begun() -> None:
    handed: list[int] = []

    def things() -> Iterator[int]:
        for number in range(1000):
            handed.append(number)
            yield number

    def fails_at_three(number: int) -> int:
        if number == 3:
            raise Cancelled
        return number

    with pytest.raises(Cancelled):
        list(together(fails_at_three, things()))
    assert len(handed) <= 3 + 2 * 2 + 1


def test_who_stops_taking_waits_for_few() -> None:
    worked: list[int] = []
    for _ in zip(range(3), made := together(worked.append, range(1000))):
        pass
    made.close()  # type: ignore[attr-defined]
    assert len(worked) <= 3 + 2 * 2 + 1
