"""Sound as it is: decoded, cut into pieces, converted and written, sample by sample."""

from __future__ import annotations

import io
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from wexodos.model import Constant, Document, Item, Media, MediaUse, Sequence, Sound, Track
from wexodos.sound.convert import exactly, packed, resampled, unpacked
from wexodos.sound.decode import blocks, facts
from wexodos.sound.errors import SoundError
from wexodos.sound.heads import aiff_head, read_head, wave_head
from wexodos.sound.making import samples, untouched
from wexodos.sound.piece import Piece
from wexodos.sound.pieces import pieces
from wexodos.timing import Rate


def noise(frames: int, channels: int = 1, seed: int = 1) -> np.ndarray:
    return np.random.default_rng(seed).uniform(-0.5, 0.5, (frames, channels))


def written(path: Path, data: np.ndarray, rate: int = 48000, subtype: str = "PCM_24") -> Path:
    soundfile.write(path, data, rate, subtype=subtype)
    return path


def one(path: Path, channel: int, first: int, frames: int) -> np.ndarray:
    return np.concatenate(list(blocks(path, channel, first, frames)))


@settings(max_examples=60, deadline=None)
@given(st.integers(-5000, 90_000), st.integers(1, 80_000), st.integers(1, 2))
def test_any_stretch_is_what_stands_there_and_silence_around_it(
    tmp_path_factory: pytest.TempPathFactory, first: int, frames: int, channel: int
) -> None:
    path = tmp_path_factory.getbasetemp() / "stretch.wav"
    whole = noise(70_000, 2)
    if not path.exists():
        written(path, whole)
    there = soundfile.read(path, always_2d=True)[0][:, channel - 1]
    padded = np.concatenate([np.zeros(5000), there, np.zeros(120_000)])
    assert np.array_equal(one(path, channel, first, frames), padded[first + 5000 : first + 5000 + frames])


def test_sound_beside_pictures_is_found_at_its_sample(tmp_path: Path) -> None:
    path = tmp_path / "A.mov"
    data = (noise(100_000, 2) * 32768).astype(np.int16)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("pcm_s16le", rate=48000)
        stream.layout = "stereo"
        for place in range(0, len(data), 1024):
            frame = av.AudioFrame.from_ndarray(
                np.ascontiguousarray(data[place : place + 1024].reshape(1, -1)), format="s16", layout="stereo"
            )
            frame.sample_rate, frame.pts = 48000, place
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    assert facts(path).channels == 2 and facts(path).bits == 16
    for first, frames in ((0, 500), (70_123, 9000), (99_500, 2000)):
        wanted = np.concatenate([data[:, 1], np.zeros(5000, np.int16)])[first : first + frames] / 32768
        assert np.array_equal(one(path, 2, first, frames), wanted)


@pytest.mark.parametrize(("bits", "big"), [(16, False), (24, False), (16, True), (24, True)])
def test_samples_that_stand_on_the_steps_go_over_bit_for_bit(bits: int, big: bool) -> None:
    steps = np.random.default_rng(3).integers(-(1 << (bits - 1)), 1 << (bits - 1), 5000)
    data = b"".join(packed([steps / (1 << (bits - 1))], bits, True, big=big))
    assert np.array_equal(unpacked(data, bits, big) * (1 << (bits - 1)), steps)
    assert int.from_bytes(data[: bits // 8], "big" if big else "little", signed=True) == steps[0]


def test_dither_takes_the_error_away_from_the_signal_and_always_does_it_alike() -> None:
    quiet = np.full(200_000, 0.3 / 32768)
    first, again = (unpacked(b"".join(packed([quiet], 16, False, "key")), 16) * 32768 for _ in range(2))
    assert np.array_equal(first, again)
    # Rounded, it would be silence; dithered, its mean is kept and its error is that of triangular noise: 1/4
    # of a step squared.
    assert abs(first.mean() - 0.3) < 0.01
    assert abs((first - 0.3).var() - 0.25) < 0.01
    assert np.all(np.abs(unpacked(b"".join(packed([np.array([2.0, -2.0])], 24, False)), 24)) <= 1.0)


def test_a_tone_keeps_its_pitch_and_level_at_another_rate() -> None:
    tone = np.sin(2 * np.pi * 1000 * np.arange(44100) / 44100)
    parts = [tone[place : place + 3000] for place in range(0, len(tone), 3000)]
    made = np.concatenate(list(resampled(parts, 44100, 48000)))
    wanted = np.sin(2 * np.pi * 1000 * np.arange(48000) / 48000)
    assert abs(len(made) - 48000) <= 1
    assert np.abs(made[2000:46000] - wanted[2000:46000]).max() < 1e-6
    assert [len(one) for one in exactly(iter([np.ones(5)]), 8)] == [5, 3]


@pytest.mark.parametrize("bits", [16, 24])
def test_heads_say_what_stands_behind_them(tmp_path: Path, bits: int) -> None:
    data = noise(1001)
    exact = np.rint(data[:, 0] * (1 << (bits - 1))) / (1 << (bits - 1))
    for head, big, suffix in (
        (wave_head(1001, 48000, bits, 123456789012, "boom"), False, "wav"),
        (aiff_head(1001, 48000, bits), True, "aif"),
    ):
        body = b"".join(packed([exact], bits, True, big=big))
        path = tmp_path / f"a{bits}.{suffix}"
        path.write_bytes(head + body + b"\0" * (len(body) & 1))
        assert np.array_equal(soundfile.read(path)[0], exact)
        with path.open("rb") as file:
            told = read_head(file, path.stat().st_size)
        assert (told.offset, told.size, told.channels, told.rate, told.bits, told.big) == (
            len(head),
            len(body),
            1,
            48000,
            bits,
            big,
        )
    with (tmp_path / f"a{bits}.wav").open("rb") as file:
        assert read_head(file, 10_000).origin == 123456789012


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"RIFF",
        b"RIFF\0\0\0\0WAVEdata\xff\xff\xff\xff",
        b"FORM\0\0\0\0AIFC",
        b"RIFF\0\0\0\0WAVEfmt \x10\0\0\0" + b"\0" * 16,
    ],
)
def test_heads_that_are_none_are_refused(data: bytes) -> None:
    with pytest.raises(SoundError):
        read_head(io.BytesIO(data), len(data))


PAL = Rate(25)


# ---- pieces


def document(
    spans: list[tuple[int, int, int]], rate: Rate = PAL, samples_: int = 48000, length: int = 5000
) -> Document:
    """Clips of one source as (start, length, source frame)."""
    items = tuple(
        Item(f"i{n}", "clip", start, size, MediaUse("m"), rate.seconds(source), sound=Sound((1, 2)))
        for n, (start, size, source) in enumerate(spans)
    )
    media = Media(
        "m", "boom.wav", None, "S1", 90_000, False, length, rate, channels=2, sample_rate=samples_, audio=True
    )
    return Document(
        "xmeml",
        "5",
        (Sequence("s", "Cut", rate, sample_rate=48000, tracks=(Track("audio", items),)),),
        (media,),
    )


def test_clips_of_one_source_share_their_sound_and_handles_end_where_the_medium_does() -> None:
    made = document([(0, 50, 10), (50, 50, 80), (100, 100, 3000), (300, 50, 4940)])
    found = pieces(made, made.sequences[0], 48000, 2, False, lambda _: None)
    # 10 - 50 frames of handle would lie before the first frame; 80 + 50 joins it, as their handles overlap.
    assert [(float(one.start), one.frames / 48000) for one in found.pieces.values()] == [
        (0.0, 7.2),
        (118.0, 8.0),
        (195.6, 4.4),
    ]
    assert all(
        one.channels == (1, 2) and one.origin == (3600 + one.start) * 48000 for one in found.pieces.values()
    )
    back = [found.pieces[item.content.media].start + item.source_in for item in found.sequence.items()]
    assert back == [item.source_in for item in made.sequences[0].items()]


@settings(max_examples=80, deadline=None)
@given(
    st.lists(
        st.tuples(st.integers(0, 400), st.integers(1, 90), st.integers(0, 4000)), min_size=1, max_size=12
    ),
    st.sampled_from([Rate(25), Rate(24000, 1001), Rate(30000, 1001), Rate(60)]),
    st.sampled_from([44100, 48000, 96000]),
    st.booleans(),
)
def test_pieces_hold_all_that_is_used_each_stretch_once(
    spans: list[tuple[int, int, int]], rate: Rate, samples_: int, frames: bool
) -> None:
    made = document([(number * 100, size, source) for number, (_, size, source) in enumerate(spans)], rate)
    found = pieces(made, made.sequences[0], samples_, Fraction(1, 2), frames, lambda _: None)
    edges = sorted((one.start, one.start + Fraction(one.frames, one.rate)) for one in found.pieces.values())
    assert all(before[1] <= after[0] + Fraction(1, 10) for before, after in zip(edges, edges[1:]))
    for old, new in zip(made.sequences[0].items(), found.sequence.items()):
        piece = found.pieces[new.content.media]
        assert piece.start + new.source_in == old.source_in
        assert (
            new.source_in >= 0 and (new.source_in + rate.seconds(new.duration)) * samples_ <= piece.frames + 1
        )
        # A piece begins right on a sample of the written rate, so no clip moves by a part of one.
        assert (piece.start * samples_).denominator == 1


@pytest.mark.parametrize("start", [0, 1, Fraction(1, 3), 3])
def test_a_resampled_piece_is_the_stretch_of_the_whole_resampled(tmp_path: Path, start: Fraction) -> None:
    path = written(tmp_path / "a.wav", noise(44100 * 5), 44100)
    whole = np.concatenate(list(resampled(blocks(path, 1, 0, 44100 * 5), 44100, 48000)))
    begin = Fraction(round(start * 48000), 48000)
    piece = Piece("p", "p", "m", begin, 40_000, 48000, (1,), facts(path), None)
    assert not untouched(piece, 24)
    made = np.concatenate(list(samples(piece, 1)))
    first = int(begin * 48000)
    # Where no sample of the source meets the beginning, it is at most half a sample of the written rate away.
    gap = np.abs(made[3000:-3000] - whole[first + 3000 : first + len(made) - 3000]).max()
    if (begin * 44100).denominator == 1:
        assert gap < 1e-6


@pytest.mark.parametrize("start", [Fraction(1, 7), Fraction(3, 11), Fraction(1, 2)])
@pytest.mark.parametrize(("have", "want"), [(44100, 48000), (48000, 44100), (96000, 48000)])
def test_a_resampled_piece_begins_within_half_a_sample_of_its_place(
    tmp_path: Path, start: Fraction, have: int, want: int
) -> None:
    times = np.arange(have * 2) / have
    path = written(tmp_path / "tone.wav", 0.5 * np.sin(2 * np.pi * 200 * times), have)
    begin = Fraction(round(start * want), want)
    piece = Piece("p", "p", "m", begin, want // 2, want, (1,), facts(path), None)
    made = np.concatenate(list(samples(piece, 1)))
    wanted = 0.5 * np.sin(2 * np.pi * 200 * (float(begin) + np.arange(want // 2) / want))
    # At 200 Hz half a sample at 44.1 kHz is 2π · 200 / 88200 of the height of the wave: 0.0143 · 0.5.
    assert np.abs(made - wanted).max() < 0.0075


# ---- sound at another speed


@pytest.mark.parametrize(
    ("pace", "rate"),
    [
        (Fraction(2), 48000),
        (Fraction(1, 2), 48000),
        (Fraction(-1), 48000),
        (Fraction(-3, 2), 48000),
        (Fraction(5, 4), 44100),
    ],
)
def test_sound_at_another_speed_is_where_its_picture_would_be(
    tmp_path: Path, pace: Fraction, rate: int
) -> None:
    # A tone that climbs, so that every place sounds otherwise: phase 2π(300 t + 40 t²) at t seconds.
    def tone(t: np.ndarray) -> np.ndarray:
        return 0.4 * np.sin(2 * np.pi * (300 * t + 40 * t**2))

    path = written(tmp_path / "climb.wav", tone(np.arange(rate * 12) / rate), rate, "FLOAT")
    item = Item("i", "clip", 10, 50, MediaUse("m"), Fraction(6), Constant(pace), sound=Sound((1,)))
    media = Media(
        "m", "climb.wav", str(path), None, 0, False, 300, PAL, channels=1, sample_rate=rate, audio=True
    )
    sequence = Sequence("s", "Cut", PAL, sample_rate=48000, tracks=(Track("audio", (item,)),))
    found = pieces(Document("xmeml", "5", (sequence,), (media,)), sequence, 48000, 1, False, lambda _: path)
    (piece,), (new,) = found.pieces.values(), found.sequence.items()
    made = np.concatenate(list(samples(piece, 1)))
    first = int(new.source_in * 48000)
    assert new.speed == Constant(1) and len(made) >= first + 96_000
    # The sound under each sample of the clip is that of source in + pace · time.
    # Backwards, the sample that ends at a place is the one heard there.
    wanted = tone(6.0 + float(pace) * np.arange(96_000) / 48000 - (1 / rate if pace < 0 else 0))
    assert np.abs(made[first : first + 96_000] - wanted).max() < 2e-3
    # Handles as far as the medium goes: a second on either side here.
    assert first == 48_000 and len(made) == 48_000 + 96_000 + 48_000
