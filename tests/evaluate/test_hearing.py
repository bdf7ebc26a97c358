"""How loud, between frames too: held against formulas worked out by hand."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from math import inf, log10, pi, sin

import numpy as np
import pytest

from wexodos.evaluate.hearing import SAMPLES, followed_level, furthest, gain_at, heard_at, law, looks
from wexodos.model import Curve, Ease, Fade, Key, Sound, constant, curve


def dB(gain: float) -> float:
    return 20 * log10(gain) if gain > 0 else -inf


def test_the_laws_of_crossfades_at_their_middle() -> None:
    half = np.array([0.5])
    assert law(half, "audio-linear")[0] == pytest.approx(-6.0206, abs=1e-4)
    assert law(half, "audio-equal-power")[0] == pytest.approx(-3.0103, abs=1e-4)
    assert law(np.array([0.0, 1.0]), "audio-linear").tolist() == [-inf, 0.0]


def test_level_and_both_fades_add_up() -> None:
    sound = Sound((1,), constant(-6), fade_in=Fade(10), fade_out=Fade(20, "equal-power"))
    at = gain_at(sound, 100, np.array([5.0, 50.0, 90.0, 95.0]))
    assert at[0] == pytest.approx(-6 + dB(0.5))
    assert at[1] == pytest.approx(-6)
    assert at[2] == pytest.approx(-6 + dB(sin(pi / 4)))
    assert at[3] == pytest.approx(-6 + dB(sin(pi / 8)))


def test_a_fade_a_frame_shorter_lies_the_ratio_of_the_lengths_away() -> None:
    # t/9 against t/10: 20·log10(10/9) as long as both run.
    one, other = Sound((1,), fade_in=Fade(10)), Sound((1,), fade_in=Fade(9))
    assert furthest(one, other, 50) == pytest.approx(0.91515, abs=1e-4)
    assert furthest(one, one, 50) == 0.0


@pytest.mark.parametrize("name", ["fade_in", "fade_out"])
def test_a_lost_fade_is_as_loud_as_silence_is_deep(name: str) -> None:
    faded = Sound((1,), fade_in=Fade(8)) if name == "fade_in" else Sound((1,), fade_out=Fade(8))
    assert furthest(faded, Sound((1,)), 50) == pytest.approx(90.0)


def test_a_key_between_two_frames_is_heard() -> None:
    # Both are the same at every whole frame; between them one dips by 12 dB.
    flat = Sound((1,), curve([(0, 0.0), (10, 0.0)]))
    dip = Sound((1,), curve([(4, 0.0), (Fraction(9, 2), -12.0), (5, 0.0)]))
    assert furthest(flat, dip, 10) == pytest.approx(12.0)


def test_where_it_is_looked() -> None:
    sound = Sound((1,), fade_in=Fade(2))
    places = set(looks(10, sound).tolist())
    assert {0, 1, SAMPLES - 1, 2 * SAMPLES, 10 * SAMPLES} <= places
    assert 5 * SAMPLES + 7 not in places
    times = heard_at(10, sound)
    assert times.min() == 0.0
    assert times.max() == 10.0


def test_a_linear_fade_as_gains_is_two_keys_and_exact() -> None:
    sound = Sound((1,), constant(-6), fade_in=Fade(10))
    made = followed_level(sound, 40.0, "gain", 0.09, False)
    assert [(key.time, round(key.value[0], 6)) for key in made.keys] == [(0, -inf), (10, -6.0), (40, -6.0)]
    assert furthest(sound, Sound((1,), made), 40.0) < 1e-6


@pytest.mark.parametrize("shape", ["linear", "equal-power"])
@pytest.mark.parametrize("domain", ["gain", "plain"])
def test_a_followed_fade_stays_within_its_tolerance_at_every_sample(shape: str, domain: str) -> None:
    sound = Sound((1,), fade_in=Fade(12, shape), fade_out=Fade(5, shape))
    made = followed_level(sound, 30.0, domain, 0.09, True)
    # Straight in its domain, written out here: no code of ours but the keys.
    at = np.arange(1, 30 * 192) / 192
    keys = [(float(key.time), key.value[0]) for key in made.keys]
    xs = np.array([time for time, _ in keys])
    if domain == "gain":
        levels = 20 * np.log10(np.maximum(np.interp(at, xs, [10 ** (value / 20) for _, value in keys]), 1e-9))
    else:
        levels = np.interp(at, xs, [value for _, value in keys])
    into, out = np.clip(at / 12, 0, 1), np.clip((30 - at) / 5, 0, 1)
    if shape == "equal-power":
        into, out = np.sin(into * pi / 2), np.sin(out * pi / 2)
    wanted = 20 * np.log10(np.maximum(into * out, 1e-9))
    assert np.abs(np.maximum(levels, -90) - np.maximum(wanted, -90)).max() < 0.12


def test_keys_stand_on_whole_frames_where_nothing_else_goes() -> None:
    sound = Sound((1,), fade_in=Fade(12, "equal-power"))
    made = followed_level(sound, 30.0, "plain", 0.09, False)
    assert all(isinstance(key.time, int) for key in made.keys)
    assert not all(isinstance(key.time, int) for key in followed_level(sound, 30.0, "plain", 0.09, True).keys)


def test_a_step_is_followed_by_a_line_of_a_1920th_of_a_frame() -> None:
    """It is there on every sample that is not the step's own, also where a fade out makes the sound be looked
    at sample by sample (a line of a sixteenth of a frame was heard there)."""
    level = Curve((-0.5,), (Key(37, (-0.5,), Ease.HOLD), Key(45, (-19.0,))), "decibel")
    made = followed_level(Sound((1,), level), 45.0, "gain", 0.09, True)
    assert [(key.time, key.value[0]) for key in made.keys if 37 < key.time <= 45] == [
        (Fraction(45 * 1920 - 1, 1920), -0.5),
        (45, -19.0),
    ]
    fading = Sound((1,), level, fade_out=Fade(7))
    assert furthest(fading, replace(fading, level=made), 45.0) < 1e-6
    fading = Sound((1,), curve([(0, -0.5), (Fraction(719, 16), -0.5), (45, -19.0)]), fade_out=Fade(7))
    assert furthest(replace(fading, level=level), fading, 45.0) > 10
