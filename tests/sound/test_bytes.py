"""Samples and heads byte by byte, channels brought together, waveforms, and where sound is found."""

from __future__ import annotations

import io
import struct
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile

from wexodos.model import Document, Embedded, Media
from wexodos.sound import locate
from wexodos.sound.convert import packed, unpacked
from wexodos.sound.errors import SoundError
from wexodos.sound.heads import aiff_head, read_head, wave_head
from wexodos.sound.locate import CHANNEL, Finder, together
from wexodos.sound.peaks import peaks
from wexodos.timing import Rate


@pytest.mark.parametrize(
    ("bits", "big", "data", "values"),
    [
        (8, False, b"\x00\x80\xff\xc0", [-1.0, 0.0, 127 / 128, 0.5]),
        (8, True, b"\x80\x00\x7f\x40", [-1.0, 0.0, 127 / 128, 0.5]),
        (16, False, b"\x00\x80\x00\x40\x01\x00", [-1.0, 0.5, 1 / 32768]),
        (16, True, b"\x80\x00\x40\x00\x00\x01", [-1.0, 0.5, 1 / 32768]),
        (24, False, b"\x00\x00\x80\x00\x00\x40\x01\x00\x00", [-1.0, 0.5, 2**-23]),
        (24, True, b"\x80\x00\x00\x40\x00\x00\x00\x00\x01", [-1.0, 0.5, 2**-23]),
        (32, False, b"\x00\x00\x00\x80\x00\x00\x00\x40\x01\x00\x00\x00", [-1.0, 0.5, 2**-31]),
        (32, True, b"\x80\x00\x00\x00\x40\x00\x00\x00\x00\x00\x00\x01", [-1.0, 0.5, 2**-31]),
    ],
)
def test_bytes_are_samples_of_full_scale_one(bits: int, big: bool, data: bytes, values: list[float]) -> None:
    assert unpacked(data, bits, big).tolist() == values
    # What is left over of a sample is none.
    assert unpacked(data + b"\x01" * (bits // 8 - 1), bits, big).tolist() == values
    if bits in (16, 24):
        assert b"".join(packed([np.array(values)], bits, True, big=big)) == data


@pytest.mark.parametrize("bits", [16, 24])
def test_what_is_too_loud_ends_at_the_last_step(bits: int) -> None:
    top = (1 << (bits - 1)) - 1
    (data,) = packed([np.array([1.0, 1.5, -1.5])], bits, True)
    assert (unpacked(data, bits) * (top + 1)).tolist() == [top, top, -top - 1]


def chunk(name: bytes, body: bytes, order: str = "<") -> bytes:
    return name + struct.pack(f"{order}I", len(body)) + body + (b"\0" if len(body) & 1 else b"")


def test_a_wave_head_says_what_the_standard_asks_for() -> None:
    head = wave_head(1001, 48000, 24, 123_456_789_012, "boom", channels=2)
    size = 1001 * 2 * 3
    assert head[:4] == b"RIFF" and head[8:12] == b"WAVE" and len(head) % 16 == 0
    assert struct.unpack("<I", head[4:8])[0] == len(head) - 8 + size
    assert head[-8:] == b"data" + struct.pack("<I", size)
    place = head.index(b"fmt ")
    assert struct.unpack("<IHHIIHH", head[place + 4 : place + 24]) == (16, 1, 2, 48000, 48000 * 6, 6, 24)
    bext = head.index(b"bext")
    assert struct.unpack("<I", head[bext + 4 : bext + 8])[0] == 602
    assert head[bext + 8 : bext + 12] == b"boom"
    assert struct.unpack("<QH", head[bext + 8 + 338 : bext + 8 + 348]) == (123_456_789_012, 1)
    # An odd number of bytes is filled up to an even one.
    odd = wave_head(1, 48000, 24, None, "")
    assert struct.unpack("<I", odd[4:8])[0] == len(odd) - 8 + 3 + 1
    with pytest.raises(SoundError, match="4 GiB"):
        wave_head(1 << 30, 48000, 32, None, "")


def test_an_aiff_head_says_what_the_standard_asks_for() -> None:
    head = aiff_head(1001, 44_100, 16)
    assert head[:4] == b"FORM" and head[8:12] == b"AIFC"
    assert struct.unpack(">I", head[4:8])[0] == len(head) - 8 + 2002
    place = head.index(b"COMM")
    assert struct.unpack(">hIh", head[place + 8 : place + 16]) == (1, 1001, 16)
    # 44,100 as an 80-bit float: 1.0101100010001 in binary times 2^15.
    assert head[place + 16 : place + 26] == bytes.fromhex("400eac44000000000000")
    assert head[-16:-8] == b"SSND" + struct.pack(">I", 2002 + 8)


def test_heads_of_others_are_read_where_their_chunks_stand() -> None:
    fmt = struct.pack("<HHIIHH", 1, 2, 48000, 288_000, 6, 24)
    bext = b"\0" * 338 + struct.pack("<Q", 3600 * 48000) + b"\0" * 256
    data = b"RIFF\0\0\0\0WAVE" + chunk(b"odd ", b"abc") + chunk(b"fmt ", fmt + b"\0\0") + chunk(b"bext", bext)
    whole = data + chunk(b"data", b"\1" * 12) + chunk(b"LIST", b"x")
    head = read_head(io.BytesIO(whole), len(whole))
    assert (head.offset, head.size, head.channels, head.rate, head.bits) == (len(data) + 8, 12, 2, 48000, 24)
    assert (head.big, head.origin) == (False, 3600 * 48000)
    # A file that was cut off has as many bytes as there are.
    assert read_head(io.BytesIO(whole[: len(data) + 13]), len(data) + 13).size == 5
    common = struct.pack(">hIh", 2, 10, 16) + bytes.fromhex("400ebb80000000000000") + b"sowt\0\0"
    body = chunk(b"COMM", common, ">") + chunk(b"SSND", struct.pack(">II", 4, 0) + b"skip" + b"\1" * 40, ">")
    form = b"FORM\0\0\0\0AIFC" + body
    head = read_head(io.BytesIO(form), len(form))
    assert (head.offset, head.size, head.channels, head.rate, head.bits) == (len(form) - 40, 40, 2, 48000, 16)
    assert (head.big, head.origin) == (False, None)
    plain = form.replace(b"sowt", b"NONE")
    assert read_head(io.BytesIO(plain), len(plain)).big


def test_channels_of_a_file_each_stand_at_their_places_with_silence_between(tmp_path: Path) -> None:
    random = np.random.default_rng(1)
    one, three = np.round(random.uniform(-0.5, 0.5, (2, 70_000)) * 8388608) / 8388608
    soundfile.write(tmp_path / "a.wav", one, 48000, subtype="PCM_24")
    soundfile.write(tmp_path / "b.wav", three[:50_000], 48000, subtype="PCM_16")
    made = together({1: tmp_path / "a.wav", 3: tmp_path / "b.wav"}, tmp_path)
    data, rate = soundfile.read(made)
    assert (data.shape, rate, soundfile.info(made).subtype) == ((70_000, 3), 48000, "PCM_24")
    assert np.array_equal(data[:, 0], one) and not data[:, 1].any()
    assert np.abs(data[:50_000, 2] - three[:50_000]).max() <= 1 / 32768 and not data[50_000:, 2].any()


def test_sound_is_found_where_the_file_says_then_beside_it(tmp_path: Path) -> None:
    beside = tmp_path / "cut" / "cut.xml"
    (beside.parent / "media").mkdir(parents=True)
    for place in (tmp_path / "boom.wav", beside.parent / "boom.wav", beside.parent / "media" / "yard.wav"):
        soundfile.write(place, np.zeros(100), 48000)
    find = Finder(beside, Document("xmeml", "5"))
    assert find(Media("1", "boom.wav", str(tmp_path / "boom.wav"))) == tmp_path / "boom.wav"
    assert find(Media("2", "boom.wav", "/nowhere/boom.wav")) == beside.parent / "boom.wav"
    assert find(Media("3", "x", "media/yard.wav")) == beside.parent / "media" / "yard.wav"
    assert find(Media("4", "gone.wav", "/nowhere/gone.wav")) is None
    # What was found once is not looked for again.
    (beside.parent / "boom.wav").unlink()
    assert find(Media("2", "boom.wav", "/nowhere/boom.wav")) == beside.parent / "boom.wav"
    assert Finder(None, Document("xmeml", "5"))(Media("5", "boom.wav", "media/yard.wav")) is None


def test_a_medium_of_single_channel_files_needs_all_of_them(tmp_path: Path) -> None:
    for name in ("a", "b"):
        soundfile.write(tmp_path / f"{name}.wav", np.full(1000, 0.25), 48000, subtype="PCM_24")
    find = Finder(tmp_path / "cut.ale", Document("ale", ""))

    def apart(key: str, *paths: tuple[int, str]) -> Media:
        return Media(key, "Boom", metadata=tuple((f"{CHANNEL}{number}", path) for number, path in paths))

    whole = find(apart("1", (1, str(tmp_path / "a.wav")), (2, str(tmp_path / "b.wav"))))
    assert whole is not None and soundfile.info(whole).channels == 2
    assert find(apart("2", (1, str(tmp_path / "a.wav")), (2, "/nowhere/c.wav"))) is None
    assert find(apart("3", (1, str(tmp_path / "a.wav")), (65, str(tmp_path / "b.wav")))) is None
    assert find(apart("4", (1, str(tmp_path / "a.wav")), (0, str(tmp_path / "b.wav")))) is None
    most = find(apart("5", (1, str(tmp_path / "a.wav")), (64, str(tmp_path / "b.wav"))))
    assert most is not None and soundfile.info(most).channels == 64


def test_waveforms_are_kept_and_a_spoilt_one_is_made_anew(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    data = np.zeros((4800 * 3 + 100, 2))
    data[4799, 0], data[4800, 0], data[-1, 1] = 0.5, -1.0, 0.25
    soundfile.write(tmp_path / "a.wav", data, 48000, subtype="PCM_24")
    first = peaks(tmp_path / "a.wav")
    # Ten hundredths of 4,800 samples: 14,500 make 31. The first spike ends the tenth, the second begins the
    # eleventh.
    assert first.shape == (2, 31) and first.dtype == np.uint8
    assert (first[0, 9], first[0, 10], first[1, 30]) == (127, 255, 63)
    assert first[0].astype(int).sum() == 382 and first[1].astype(int).sum() == 63
    (kept,) = (tmp_path / "cache").rglob("*.npy")
    np.save(kept, first + 1)
    assert (peaks(tmp_path / "a.wav") == first + 1).all()
    np.save(kept, first.astype(np.int32))
    assert (peaks(tmp_path / "a.wav") == first).all()
    np.save(kept, first[0])
    assert (peaks(tmp_path / "a.wav") == first).all()
    assert not list((tmp_path / "cache").rglob("*.part"))


class Bare:
    """A format with sound inside that has no head of its own."""

    def __init__(self, data: bytes) -> None:
        self.data = data

    def stream(self, _file: Path, _key: str) -> io.BytesIO:
        return io.BytesIO(self.data)


@pytest.mark.parametrize(
    ("duration", "frames"),
    [
        (None, 4000),  # nothing says how long it is: all that is there
        (2, 3840),  # two frames of 25 at 48 kHz
        (3, 4000),  # 5760 are said and 4000 there
    ],
)
def test_bare_samples_get_a_head_and_are_as_long_as_the_medium(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, duration: int | None, frames: int
) -> None:
    data = np.arange(4000, dtype="<i2").tobytes()
    monkeypatch.setattr(locate, "_inside", lambda _id: Bare(data))
    medium = Media(
        "m", "Boom 1.wav", None, "S1", 90_000, False, duration, Rate(25), sample_rate=48000, bit_depth=16
    )
    path = locate.unpacked(Path("x.omf"), "omf", "k", medium, tmp_path)
    assert path == tmp_path / "Boom 1.wav"
    read, rate = soundfile.read(path, dtype="int16")
    assert rate == 48000 and read.tolist() == list(range(frames))
    # A second one of this name stands beside it.
    assert locate.unpacked(Path("x.omf"), "omf", "k", medium, tmp_path) == tmp_path / "Boom 1 2.wav"


def test_samples_of_several_channels_in_turn_go_out_as_they_stand(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    data = np.arange(6000, dtype="<i2").reshape(2000, 3)
    monkeypatch.setattr(locate, "_inside", lambda _id: Bare(data.tobytes()))
    medium = Media(
        "m", "Room", None, None, 0, False, 1, Rate(25), channels=3, sample_rate=48000, bit_depth=16
    )
    told = replace(medium, embedded=Embedded(((1, "k"),)))
    finder = Finder(tmp_path / "x.aaf", Document("aaf", "1.1", (), (told,)))
    path = finder(told)
    assert path is not None
    read, rate = soundfile.read(path, dtype="int16")
    # One frame of 25 is 1920 samples of each.
    assert rate == 48000 and read.tolist() == data[:1920].tolist()


def test_sound_with_a_head_goes_out_as_it_stands(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for magic, suffix in ((b"RIFF", ".wav"), (b"FORM", ".aif")):
        data = magic + bytes(range(200))
        monkeypatch.setattr(locate, "_inside", lambda _id, data=data: Bare(data))
        path = locate.unpacked(Path("x.aaf"), "aaf", "k", Media("m", "A/B: take?"), tmp_path)
        assert path.name == f"A-B- take-{suffix}" and path.read_bytes() == data


def test_bare_samples_of_which_nothing_is_said_are_refused(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(locate, "_inside", lambda _id: Bare(bytes(100)))
    for bits, rate in ((None, 48000), (16, None), (12, 48000)):
        with pytest.raises(SoundError, match="does not say how its samples are written"):
            locate.unpacked(
                Path("x.omf"), "omf", "k", Media("m", "A", sample_rate=rate, bit_depth=bits), tmp_path
            )
