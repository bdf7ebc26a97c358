"""Sync is measured: held against sounds that were moved, stretched and cut by known amounts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pytest
from numpy.typing import NDArray

from wexodos.sound.signals import Kept
from wexodos.sound.sync import measured

RATE = 48_000
Samples = NDArray[np.float64]


@dataclass
class Held:
    """Samples as a signal."""

    samples: Samples
    rate: int = RATE

    @property
    def length(self) -> int:
        return len(self.samples)

    def read(self, first: int, count: int) -> Samples:
        made = np.zeros(count)
        low, high = max(0, first), min(self.length, first + count)
        if high > low:
            made[low - first : high - first] = self.samples[low:high]
        return made


def performance(seconds: int, seed: int) -> Samples:
    """Words, blows and a held note over a quiet room: bursts of coloured noise of many lengths."""
    dice = np.random.default_rng(seed)
    count = seconds * RATE
    made = 0.002 * dice.standard_normal(count)
    at = 0
    while at < count - RATE:
        length = int(dice.integers(RATE // 20, RATE))
        burst = np.cumsum(dice.standard_normal(length)) / 60
        burst -= np.linspace(burst[0], burst[-1], length)
        made[at : at + length] += burst * np.hanning(length) * dice.uniform(0.05, 0.5)
        at += length + int(dice.integers(0, RATE // 2))
    return made + 0.02 * np.sin(2 * np.pi * 220 * np.arange(count) / RATE)


CUT = performance(120, 1)


def mixed_down(sound: Samples) -> Samples:
    """A mix of it: levels ridden, a third in a line of six seconds replaced, a tail on everything."""
    time = np.arange(len(sound)) / RATE
    made = sound * 10 ** ((4 * np.sin(time / 7) + 2 * np.sin(time / 1.7)) / 20)
    third = len(made) // 3
    made[third : third + 6 * RATE] = performance(6, 2)
    return made + 0.3 * np.concatenate([np.zeros(2400), made[:-2400]])


def later(sound: Samples, count: int) -> Samples:
    return np.concatenate([np.zeros(count), sound]) if count >= 0 else sound[-count:]


def longer(sound: Samples, millionths: float) -> Samples:
    """Played slower by so much."""
    share = 1 + millionths / 1e6
    return np.interp(np.arange(int(len(sound) * share)) / share, np.arange(len(sound)), sound)


@pytest.mark.parametrize("offset", [-1, 4157, 9 * RATE + 7])
@pytest.mark.sampled(3)
def test_an_offset_is_found_to_the_sample_in_a_mix(offset: int) -> None:
    found = measured(Held(CUT), Held(later(mixed_down(CUT), offset)))
    assert found.offset is not None and abs(found.offset - offset) < 0.1
    assert found.drift == 0 and found.steps == () and found.certainty > 0.8


@pytest.mark.parametrize("second", [0, 61, 66, 71, 76, 109.9])
def test_a_word_is_found_wherever_it_is_in_a_long_mix(second: float) -> None:
    """Also where two of the parts meet in which it is looked for."""
    at = round(second * RATE) + 5
    found = measured(Held(CUT[at : at + 10 * RATE]), Held(CUT))
    assert found.offset is not None and abs(found.offset - at) < 0.1 and found.certainty > 0.9


@pytest.mark.parametrize("drift", [1000.0, -40.0, 7.0])
@pytest.mark.sampled(3)
def test_a_drift_is_found_to_a_millionth(drift: float) -> None:
    found = measured(Held(CUT), Held(later(longer(mixed_down(CUT), drift), 500)))
    assert abs(found.drift - drift) < 0.3
    assert found.offset is not None and abs(found.offset - 500) < 1 and found.steps == ()


def test_a_short_mix_that_was_pulled_is_known() -> None:
    """Over half a minute the drift is hardly more than what envelopes tell."""
    short = CUT[: 30 * RATE]
    found = measured(Held(short), Held(longer(short, 1000)))
    assert abs(found.drift - 1000) < 1 and found.offset is not None and abs(found.offset) < 1


def test_from_where_on_a_mix_follows_another_cut_is_found_to_the_sample() -> None:
    """At 50 s one frame was put in, at 80 s a second was taken out."""
    mix = mixed_down(CUT)
    there = np.concatenate([mix[: 50 * RATE], np.zeros(1920), mix[50 * RATE : 80 * RATE], mix[81 * RATE :]])
    found = measured(Held(CUT), Held(later(there, -123)))
    assert found.offset is not None and abs(found.offset + 123) < 0.1
    assert [one.samples for one in found.steps] == [1920, -RATE]
    # Where the frame of silence was put in, and where the second begins that is gone.
    assert abs(found.steps[0].at - 50 * RATE) <= 64
    assert abs(found.steps[1].at - 80 * RATE) <= 64


@pytest.mark.parametrize("share", [1001 / 1000, 1000 / 1001])
def test_a_short_mix_that_was_pulled_and_follows_another_cut(share: float) -> None:
    """Of 36 seconds six are others, and half a second behind them all is a second later: envelopes alone do
    not tell the drift, and there is little by which to tell the place."""
    sound = performance(36, 11)
    made = sound.copy()
    made[37 * RATE // 2 : 49 * RATE // 2] = performance(6, 2)
    made = np.concatenate([made[: 25 * RATE], np.zeros(RATE), made[25 * RATE :]])
    found = measured(Held(sound), Held(later(longer(-made, (share - 1) * 1e6), 700)))
    assert found.offset is not None and abs(found.offset - 700) < 1 and found.inverted
    assert abs(found.drift - (share - 1) * 1e6) < 1
    assert [abs(one.samples - RATE * share) < 2 for one in found.steps] == [True]
    assert abs(found.steps[0].at - 25 * RATE) <= 200


@pytest.mark.parametrize("drift", [0.0, 1000.0])
@pytest.mark.thorough
def test_a_mix_upside_down_is_found_and_said(drift: float) -> None:
    mix = -mixed_down(CUT)
    found = measured(Held(CUT), Held(later(longer(mix, drift), 4157)))
    assert found.inverted and found.steps == () and found.certainty > 0.7
    assert found.offset is not None and abs(found.offset - 4157) < (1 if drift else 0.1)
    assert abs(found.drift - drift) < 0.3
    assert not measured(Held(CUT), Held(-mix)).inverted
    # And from where on it follows another cut.
    there = np.concatenate([mix[: 50 * RATE], np.zeros(1920), mix[50 * RATE :]])
    stepped = measured(Held(CUT), Held(there))
    assert stepped.inverted and [one.samples for one in stepped.steps] == [1920]
    assert abs(stepped.steps[0].at - 50 * RATE) <= 64


def test_what_sounds_otherwise_or_not_at_all_is_not_recognised() -> None:
    for other in (performance(60, 9), np.zeros(60 * RATE), np.zeros(0), CUT[:100]):
        assert measured(Held(CUT), Held(other)).offset is None
    assert measured(Held(np.zeros(60 * RATE)), Held(CUT)).offset is None


def test_a_reel_of_silence_with_one_word_is_enough() -> None:
    quiet = np.zeros(60 * RATE)
    quiet[30 * RATE : 34 * RATE] = performance(4, 5)
    found = measured(Held(quiet), Held(later(quiet, 777)))
    assert found.offset is not None and abs(found.offset - 777) < 0.1


@dataclass
class Counted:
    """A sound of numbers that counts what is read of it."""

    length: int
    rate: int = 48000
    read_of_it: int = 0

    def read(self, first: int, count: int) -> np.ndarray:
        self.read_of_it += count
        return np.where((at := np.arange(first, first + count)) < self.length, (at % 977) / 1024, 0.0)


def test_a_sound_that_is_kept_is_read_once_and_is_the_same_everywhere() -> None:
    """Every value has few binary digits, so it is kept exactly; around it is silence."""
    source = Counted(700_001)
    kept = Kept(source)
    for first, count in [
        (0, 10),
        (262_140, 9),
        (-5, 12),
        (699_990, 50),
        (100, 650_000),
        (900_000, 3),
        (-9, 4),
    ]:
        at = np.arange(first, first + count)
        wanted = np.where((at >= 0) & (at < 700_001), (at % 977) / 1024, 0.0)
        np.testing.assert_array_equal(kept.read(first, count), wanted)
    assert source.read_of_it == 700_001


def test_a_sound_too_long_to_be_kept_is_read_where_it_is_asked_for() -> None:
    source = Counted(700_001)
    kept = Kept(source, most=700_000)
    assert len(kept.read(5, 100)) == 100
    assert len(kept.read(5, 100)) == 100
    assert source.read_of_it == 200


def test_what_is_used_again_and_again_lies_where_most_of_it_does() -> None:
    """One effect of four seconds every 22 seconds, silence between: each of them is as much like the next as like
    itself, and only all together say which is which."""
    effect, made = performance(4, 5), np.zeros(150 * RATE)
    for number in range(7):
        at = (3 + 22 * number) * RATE
        made[at : at + len(effect)] = effect[: max(0, len(made) - at)]
    for late in (0, 5 * RATE + 11):
        found = measured(Held(made), Held(later(made, late)))
        assert found.offset == pytest.approx(late, abs=0.01) and found.certainty > 0.9
        assert found.steps == () and found.drift == 0.0
