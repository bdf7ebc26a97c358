"""Sync pops are found to the sample, and nothing else is taken for one."""

from __future__ import annotations

import numpy as np
import pytest
from tests.sound.test_sync import RATE, Held, performance

from wexodos.sound.pops import Pop, lag, pops


def tone(frames: float, size: float = 0.1, hertz: float = 1000.0, rate: int = RATE) -> np.ndarray:
    """So many frames at 25 a second."""
    return size * np.sin(2 * np.pi * hertz * np.arange(round(frames * rate / 25)) / rate)


def placed(*parts: tuple[int, np.ndarray], seconds: float = 12.0, noise: float = 0.0) -> Held:
    made = noise * np.random.default_rng(5).standard_normal(round(seconds * RATE))
    for at, part in parts:
        made[at : at + len(part)] += part
    return Held(made)


@pytest.mark.parametrize("at", [96_000, 96_001, 97_117, 96_239, 3])
@pytest.mark.parametrize("frames", [0.5, 1, 25 / 24])
def test_a_pop_is_found_to_the_sample(at: int, frames: float) -> None:
    found = pops(placed((at, tone(frames)), (6 * RATE, performance(5, 3))))
    assert [one.at for one in found] == [at]
    # It ends within half a period of where it does.
    assert abs(found[0].length - len(tone(frames))) <= 24


def test_two_pops_far_apart_and_their_distance() -> None:
    """A long sound is looked at only at its ends; noise beneath moves none of them."""
    head, tail = 50_007, 118 * RATE - 11
    sound = placed((head, tone(1)), (tail, tone(1)), (60 * RATE, tone(1)), seconds=120, noise=1e-4)
    found = pops(sound)
    assert len(found) == 2
    other = placed((head + 4157, tone(1, 0.05)), seconds=20, noise=2e-4)
    theirs = pops(other)
    assert lag(sound, other, found[0], theirs[0]) == 4157
    assert lag(other, sound, theirs[0], found[1]) == tail - head - 4157


@pytest.mark.parametrize(
    "sound",
    [
        placed((96_000, tone(1, hertz=700))),
        placed((96_000, tone(10))),
        placed((96_000, tone(1, 0.001))),
        placed((96_000, tone(1)), noise=0.05),
        placed((96_000, tone(1)), (99_000, tone(1))),
        Held(performance(10, 4)),
        Held(np.zeros(100)),
        Held(np.zeros(0)),
    ],
    ids=["another tone", "too long", "too low", "in noise", "not alone", "no pop", "short", "nothing"],
)
def test_what_is_no_pop(sound: Held) -> None:
    assert pops(sound) == []


def test_a_pop_is_what_it_is() -> None:
    assert pops(placed((48_000, tone(1)))) == [Pop(48_000, 1920)]
