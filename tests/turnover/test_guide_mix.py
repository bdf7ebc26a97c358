"""The guide mix against an independent mix of the same samples."""

from __future__ import annotations

import struct
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile

from wexodos.formats import WriteError
from wexodos.ground import quiet
from wexodos.model import Document, Item, Media, MediaUse, Sequence, Sound, Track, constant
from wexodos.timing import Rate, floor
from wexodos.turnover.package.guide import Mix, guide_parts

SAMPLES, PAL = 48_000, Rate(25)


def voice(path: Path, pitch: float) -> np.ndarray:
    """Ten seconds of a tone of 0.5, as 24 bits hold it."""
    tone = 0.5 * np.sin(2 * np.pi * pitch * np.arange(10 * SAMPLES) / SAMPLES)
    soundfile.write(path, tone, SAMPLES, "PCM_24")
    return np.asarray(soundfile.read(path)[0])


def cut(folder: Path, rate: Rate = PAL) -> tuple[Document, Sequence, dict[str, np.ndarray]]:
    """Ilka left at -6 dB from frame 10 to 60, bells in the middle at 0 dB from frame 40 to 90, of 100."""
    tones = {
        name: voice(folder / f"{name}.wav", pitch) for name, pitch in (("ilka", 440.0), ("bells", 660.0))
    }
    media = tuple(
        Media(name, f"{name}.wav", str(folder / f"{name}.wav"), None, 0, False, 250, Rate(25), audio=True,
              channels=1, sample_rate=SAMPLES)
        for name in tones
    )  # fmt: skip
    quieter = Sound((1,), level=constant(20 * np.log10(0.5)), pan=constant(-1.0))
    first = Item("a", "Ilka", 10, 50, MediaUse("ilka"), 1, sound=quieter)
    second = Item("b", "Bells", 40, 50, MediaUse("bells"), 2, sound=Sound((1,)))
    tracks = (
        Track("video"),
        Track("audio", (first,), stem="Dialogue Ilka"),
        Track("audio", (second,), name="MX"),
    )
    sequence = Sequence(
        "s", "Kiln: Night", rate, 90_000, sample_rate=SAMPLES, tracks=tracks, stated_duration=100
    )
    return Document("xmeml", "5", (sequence,), media), sequence, tones


def made(folder: Path, document: Document, sequence: Sequence, mix: Mix) -> dict[str, np.ndarray]:
    found = {}
    for part in guide_parts(document, sequence, lambda one: Path(one.path or ""), mix):
        path = folder / "out.wav"
        path.unlink(missing_ok=True)
        assert part.make is not None
        part.make(path, quiet)
        assert path.stat().st_size == part.size
        found[part.name] = np.asarray(soundfile.read(path, always_2d=True)[0])
    return found


def expected(tones: dict[str, np.ndarray], rate: Rate) -> dict[str, np.ndarray]:
    """Each voice as it is heard left and right, by sample places of whole frames."""

    def at(frame: int) -> int:
        return floor(rate.seconds(frame) * SAMPLES)

    found = {name: np.zeros((at(100), 2)) for name in tones}
    for name, start, stop, source, gains in (
        ("ilka", 10, 60, 1, (0.5, 0.0)),
        ("bells", 40, 90, 2, (np.sqrt(0.5), np.sqrt(0.5))),
    ):
        length = at(stop) - at(start)
        stretch = tones[name][source * SAMPLES : source * SAMPLES + length]
        for side, gain in enumerate(gains):
            found[name][at(start) : at(stop), side] = stretch * gain
    return found


@pytest.mark.parametrize("rate", [Rate(25), Rate(24_000, 1001), Rate(30_000, 1001), Rate(60)])
def test_the_mix_is_as_long_as_the_picture_and_sounds_as_it_stands(tmp_path: Path, rate: Rate) -> None:
    document, sequence, tones = cut(tmp_path, rate)
    parts = expected(tones, rate)
    whole = parts["ilka"] + parts["bells"]
    found = made(tmp_path, document, sequence, Mix.STEREO)
    assert list(found) == ["Guide mix/Kiln- Night guide mix.wav"]
    (sound,) = found.values()
    assert sound.shape == whole.shape
    # Two steps of 24 bits, and what a place between two samples makes of a tone.
    off = 3e-7 if rate == Rate(25) else 0.004
    assert np.abs(sound - whole).max() < off
    (mono,) = made(tmp_path, document, sequence, Mix.MONO).values()
    assert mono.shape == (len(whole), 1)
    assert np.abs(mono[:, 0] - whole.sum(axis=1) / np.sqrt(2)).max() < off


def test_stems_are_the_mix_taken_apart(tmp_path: Path) -> None:
    document, sequence, tones = cut(tmp_path)
    parts = expected(tones, sequence.rate)
    found = made(tmp_path, document, sequence, Mix.STEMS)
    assert list(found) == ["Guide mix/Kiln- Night dialogue.wav", "Guide mix/Kiln- Night music.wav"]
    for sound, wanted in zip(found.values(), parts.values()):
        assert np.abs(sound - wanted).max() < 3e-7


def test_the_file_says_where_it_begins(tmp_path: Path) -> None:
    document, sequence, _ = cut(tmp_path)
    (part,) = guide_parts(document, sequence, lambda one: Path(one.path or ""), Mix.STEREO)
    assert part.make is not None
    part.make(tmp_path / "mix.wav", quiet)
    data = (tmp_path / "mix.wav").read_bytes()
    body = data.index(b"bext") + 8
    # EBU Tech 3285: the time reference stands behind 338 bytes of words.
    assert struct.unpack_from("<Q", data, body + 338) == (3600 * SAMPLES,)
    info = soundfile.info(tmp_path / "mix.wav")
    assert (info.channels, info.samplerate, info.subtype, info.frames) == (2, 48_000, "PCM_24", 4 * SAMPLES)


def test_a_cut_without_sound_has_no_mix_and_ten_hours_are_too_long_for_one(tmp_path: Path) -> None:
    document, sequence, _ = cut(tmp_path)
    silent = replace(sequence, tracks=(Track("video"), Track("audio")))
    nowhere = lambda _one: None  # noqa: E731
    assert guide_parts(replace(document, sequences=(silent,)), silent, nowhere, Mix.STEREO) == []
    assert guide_parts(document, sequence, nowhere, Mix.NONE) == []
    long = replace(sequence, stated_duration=10 * 3600 * 25)
    with pytest.raises(WriteError, match="more than 4 GiB; choose a mono mix"):
        guide_parts(replace(document, sequences=(long,)), long, nowhere, Mix.STEREO)
