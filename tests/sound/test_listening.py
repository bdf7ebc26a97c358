"""Sound for listening and looking at: the mix and the waveforms."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile

from wexodos.evaluate import Evaluator
from wexodos.model import (
    Constant,
    Document,
    Fade,
    Item,
    Media,
    MediaUse,
    Sequence,
    Sound,
    Track,
    Transition,
    constant,
)
from wexodos.sound.errors import SoundError
from wexodos.sound.mixing import mixed
from wexodos.sound.peaks import PER_SECOND, peaks
from wexodos.timing import Rate

RATE = Rate(25)


def cut(
    folder: Path, samples: np.ndarray, *items: Item, joins: tuple[Transition, ...] = (), rate: int = 48000
) -> tuple[Evaluator, Sequence]:
    path = folder / "tone.wav"
    soundfile.write(path, samples, rate, subtype="FLOAT")
    media = Media(
        "m",
        "tone.wav",
        str(path),
        rate=RATE,
        duration=len(samples) * 25 // rate,
        sample_rate=rate,
        channels=samples.ndim and (samples.shape[1] if samples.ndim > 1 else 1),
        audio=True,
    )
    sequence = Sequence("s", "Cut", RATE, sample_rate=48000, tracks=(Track("audio", items, joins),))
    return Evaluator(Document("x", "1", (sequence,), (media,))), sequence


def heard(evaluator: Evaluator, sequence: Sequence, first: int, count: int) -> np.ndarray:
    return mixed(evaluator, sequence, first, count, lambda media: Path(media.path or ""))


def item(start: int, length: int, into: int, sound: Sound, **more: object) -> Item:
    return Item(f"i{start}", "tone", start, length, MediaUse("m"), RATE.seconds(into), sound=sound, **more)  # type: ignore[arg-type]


def test_samples_stand_where_the_cut_says_at_the_level_it_says(tmp_path: Path) -> None:
    noise = np.random.default_rng(3).uniform(-0.5, 0.5, 48000 * 4)
    where = cut(tmp_path, noise, item(10, 30, 20, Sound((1,), constant(-6))))
    made = heard(*where, 5, 20)
    assert made.shape == (20 * 1920, 2) and not made[: 5 * 1920].any()
    wanted = noise[20 * 1920 : 35 * 1920] * 10 ** (-6 / 20) * np.sqrt(0.5)
    assert np.abs(made[5 * 1920 :, 0] - wanted).max() < 1e-6 and np.array_equal(made[:, 0], made[:, 1])
    assert not heard(*where, 60, 4).any()


def test_pairs_pans_fades_reverse_and_resampling(tmp_path: Path) -> None:
    pair = np.stack([np.full(48000 * 4, 0.5), np.full(48000 * 4, 0.25)], axis=1)
    made = heard(*cut(tmp_path, pair, item(0, 50, 0, Sound((1, 2)))), 0, 10)
    assert made[100] == pytest.approx([0.5, 0.25], abs=1e-6)
    left = heard(*cut(tmp_path, pair[:, 0], item(0, 50, 0, Sound((1,), pan=constant(-1)))), 0, 5)
    assert left[100] == pytest.approx([0.5, 0], abs=1e-6)
    faded = heard(*cut(tmp_path, pair[:, 0], item(0, 50, 0, Sound((1,), fade_in=Fade(20)))), 0, 20)
    assert faded[10 * 1920, 0] == pytest.approx(0.25 * np.sqrt(2) / 2 * 1.0, abs=1e-3)
    ramp = np.linspace(0, 1, 48000 * 4)
    back = heard(*cut(tmp_path, ramp, item(0, 50, 60, Sound((1,)), speed=Constant(-1))), 0, 10)[:, 0]
    assert np.all(np.diff(back) <= 1e-7) and back[0] == pytest.approx(
        ramp[60 * 1920 - 1] * np.sqrt(0.5), abs=1e-4
    )
    other = heard(
        *cut(
            tmp_path,
            np.sin(np.arange(44100 * 2) * 2 * np.pi * 441 / 44100),
            item(0, 40, 0, Sound((1,))),
            rate=44100,
        ),
        0,
        25,
    )[:, 0]
    assert ((other[:-1] < 0) & (other[1:] >= 0)).sum() in (440, 441)


def test_one_frame_of_another_rate_is_a_part_of_many(tmp_path: Path) -> None:
    """1764 samples of its own are 1920 of the mix, also where only one frame is asked for."""
    tone = np.sin(np.arange(44100 * 2) * 2 * np.pi * 441 / 44100)
    where = cut(tmp_path, tone, item(0, 40, 0, Sound((1,))), rate=44100)
    wanted = np.sin(np.arange(1920) * 2 * np.pi * 441 / 48000) * np.sqrt(0.5)
    for made in (heard(*where, 0, 1)[:, 0], heard(*where, 0, 3)[:1920, 0]):
        assert np.abs(made - wanted).max() < 0.002


def test_what_cannot_be_read_is_silent(tmp_path: Path) -> None:
    evaluator, sequence = cut(tmp_path, np.ones(48000), item(0, 20, 0, Sound((1,))))
    (tmp_path / "tone.wav").write_bytes(b"nothing")
    assert not heard(evaluator, sequence, 0, 10).any()
    with pytest.raises(SoundError):
        peaks(tmp_path / "tone.wav")


def test_waveforms_show_the_loudest_sample_of_each_hundredth(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    samples = np.zeros((48000, 2))
    samples[480 * 30 + 7, 0], samples[480 * 70, 1] = -0.5, 1.0
    soundfile.write(tmp_path / "a.wav", samples, 48000, subtype="FLOAT")
    found = peaks(tmp_path / "a.wav")
    assert (
        found.shape == (2, PER_SECOND)
        and found[0].argmax() == 30
        and found[0, 30] == 127
        and found[1, 70] == 255
        and found.sum() == 127 + 255
    )
    kept = next((tmp_path / "cache").rglob("*.npy"))
    assert np.array_equal(peaks(tmp_path / "a.wav"), found)
    kept.write_bytes(b"rubbish")
    assert np.array_equal(peaks(tmp_path / "a.wav"), found)


def test_a_head_that_names_no_channel_is_one_sentence(tmp_path: Path) -> None:
    path = tmp_path / "none.wav"
    soundfile.write(path, np.zeros((4800, 2)), 48000, subtype="PCM_16")
    data = bytearray(path.read_bytes())
    data[22:24] = bytes(2)
    path.write_bytes(data)
    with pytest.raises(SoundError, match="no channel"):
        peaks(path)
