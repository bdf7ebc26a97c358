"""What a recorder wrote about itself, read from files put together here, and what goes along with a turnover."""

from __future__ import annotations

import struct
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.model import Document, Item, Media, MediaUse, Sequence, Sound, Track
from wexodos.sound.stamps import stamp_of
from wexodos.timing import Rate

HOUR = 3600 * 48000
IXML = (
    "<?xml version='1.0'?><BWFXML><PROJECT>Kiln Night</PROJECT><SCENE>12A</SCENE><TAKE>3</TAKE><TAPE>S1</TAPE>"
    "<SPEED><TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI>0</TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI>"
    "<TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO>{low}</TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO>"
    "<TIMESTAMP_SAMPLE_RATE>48000</TIMESTAMP_SAMPLE_RATE></SPEED>"
    "<TRACK_LIST><TRACK_COUNT>2</TRACK_COUNT>"
    "<TRACK><CHANNEL_INDEX>4</CHANNEL_INDEX><INTERLEAVE_INDEX>2</INTERLEAVE_INDEX><NAME>Lav Ilka</NAME></TRACK>"
    "<TRACK><CHANNEL_INDEX>1</CHANNEL_INDEX><INTERLEAVE_INDEX>1</INTERLEAVE_INDEX><NAME>Boom</NAME></TRACK>"
    "</TRACK_LIST></BWFXML>"
)


def chunk(name: bytes, body: bytes, size: int | None = None) -> bytes:
    length = len(body) if size is None else size
    return name + struct.pack("<I", length) + body + b"\0" * (len(body) & 1)


def bext(reference: int = 10 * HOUR + 12, description: str = "sSCENE=12A") -> bytes:
    head = (
        description.encode().ljust(256, b"\0") + b"Recorder 7".ljust(32, b"\0") + b"RX0042".ljust(32, b"\0")
    )
    return head + b"2026-03-0723:15:09" + struct.pack("<QH", reference, 1) + bytes(254)


def wave(path: Path, *parts: bytes, magic: bytes = b"RIFF", frames: int = 96_000, last: bytes = b"") -> Path:
    sound = (np.arange(frames * 2) % 997).astype("<i2").tobytes()
    fmt = struct.pack("<HHIIHH", 1, 2, 48000, 192_000, 4, 16)
    size = 0xFFFFFFFF if magic != b"RIFF" else len(sound)
    body = b"".join(parts) + chunk(b"fmt ", fmt) + chunk(b"data", sound, size) + last
    path.write_bytes(magic + struct.pack("<I", min(len(body) + 4, 0xFFFFFFFF)) + b"WAVE" + body)
    return path


def test_a_recorder_says_when_what_and_on_which_tracks(tmp_path: Path) -> None:
    stamp = stamp_of(
        wave(
            tmp_path / "a.wav",
            chunk(b"bext", bext()),
            last=chunk(b"iXML", IXML.format(low=10 * HOUR + 12).encode()),
        )
    )
    assert stamp is not None
    assert (stamp.rate, stamp.reference, stamp.description) == (48000, 10 * HOUR + 12, "sSCENE=12A")
    assert (stamp.originator, stamp.number, stamp.date, stamp.time) == (
        "Recorder 7",
        "RX0042",
        "2026-03-07",
        "23:15:09",
    )
    assert dict(stamp.words) == {"PROJECT": "Kiln Night", "SCENE": "12A", "TAKE": "3", "TAPE": "S1"}
    assert [stamp.track(channel) for channel in (1, 2, 3)] == [(1, "Boom"), (4, "Lav Ilka"), (3, "")]
    assert stamp.apart() == 0


def test_chunks_behind_long_sound_are_found_and_damage_says_nothing(tmp_path: Path) -> None:
    sound = 96_000 * 4
    ds64 = chunk(b"ds64", struct.pack("<QQQI", 0, sound, 96_000, 0))
    stamp = stamp_of(
        wave(tmp_path / "l.wav", ds64, magic=b"RF64", last=chunk(b"iXML", IXML.format(low=7).encode()))
    )
    assert stamp is not None and dict(stamp.words)["TAKE"] == "3" and stamp.reference is None
    for number, bad in enumerate(
        (b"<BWFXML><SCENE>", b"<!DOCTYPE a [<!ENTITY b 'c'>]><a>&b;</a>", b"\xff\xfe\0")
    ):
        stamp = stamp_of(wave(tmp_path / f"{number}.wav", chunk(b"bext", bext()), chunk(b"iXML", bad)))
        assert stamp is not None and stamp.words == () and stamp.reference == 10 * HOUR + 12
    (tmp_path / "no.wav").write_bytes(b"RIFF")
    assert stamp_of(tmp_path / "no.wav") is None and stamp_of(tmp_path / "gone.wav") is None


def turned(
    path: Path, start: int, folder: Path, **logged: str
) -> tuple[list[tuple[str, object]], dict[int, bytes]]:
    """The findings on time references, and the heads of what is written, by channel."""
    media = Media(
        "m",
        "KN12A_3.wav",
        str(path),
        start=start,
        rate=Rate(25),
        duration=50,
        audio=True,
        channels=2,
        sample_rate=48000,
    )
    item = Item("i", "KN12A_3", 0, 25, MediaUse("m"), 1, sound=Sound((1, 2)), metadata=tuple(logged.items()))
    cut = Sequence("q", "Kiln Night", Rate(25), tracks=(Track("audio", (item,)),), sample_rate=48000)
    carried = carry_over(
        Document("", "", (cut,), (media,)),
        cut,
        find_destination("mixing-aaf-linked"),
        locate=lambda _: path,
        folder=str(folder),
    )
    assert carried.errors == 0
    (sounds,) = carried.made.plain.sounds.values()
    told = [(one.why, one.deviation) for one in carried.findings]
    return [one for one in told if "time reference" in one[0]], {key: one.head for key, one in sounds.items()}


def test_what_the_recorder_said_goes_along_with_each_channel(tmp_path: Path) -> None:
    source = wave(
        tmp_path / "KN12A_3.wav",
        chunk(b"bext", bext()),
        chunk(b"iXML", IXML.format(low=10 * HOUR + 12).encode()),
    )
    # The timecode of the medium is the frame the recording began in: no disagreement.
    found, heads = turned(source, 900_000, tmp_path / "out media")
    assert found == [] and sorted(heads) == [1, 2]
    for channel, name in ((1, "Boom"), (2, "Lav Ilka")):
        written = tmp_path / f"{channel}.wav"
        written.write_bytes(heads[channel])
        again = stamp_of(written)
        before = stamp_of(source)
        assert again is not None and before is not None
        # One second in, less the handles: what there is of them, the whole second.
        assert again.reference == before.reference
        assert replace(again, tracks=(), second=None) == replace(before, tracks=(), second=None)
        assert again.track(1) == (before.track(channel)[0], name)


@pytest.mark.parametrize(("start", "off"), [(900_001, 1908), (899_999, 1932), (0, 36000 * 48000 + 12)])
def test_a_timecode_that_disagrees_is_told_in_samples(tmp_path: Path, start: int, off: int) -> None:
    source = wave(tmp_path / "a.wav", chunk(b"bext", bext()))
    found, heads = turned(source, start, tmp_path)
    told = [deviation for why, deviation in found]
    assert told == ([(float(off), "samples")] if off >= 1920 else [])
    place = heads[1].index(b"bext") + 8 + 338
    assert struct.unpack("<Q", heads[1][place : place + 8])[0] == 10 * HOUR + 12


def test_two_stamps_of_one_file_that_disagree_are_told(tmp_path: Path) -> None:
    source = wave(
        tmp_path / "a.wav", chunk(b"bext", bext()), chunk(b"iXML", IXML.format(low=10 * HOUR + 500).encode())
    )
    found, _ = turned(source, 900_000, tmp_path)
    assert [deviation for _, deviation in found] == [(488.0, "samples")]
    assert "iXML" in found[0][0]


def test_scene_and_take_of_the_cut_are_in_the_sound_where_the_recorder_said_none(tmp_path: Path) -> None:
    source = wave(tmp_path / "a.wav", chunk(b"bext", bext()))
    _, heads = turned(source, 900_000, tmp_path, scene="14", shottake="2")
    written = tmp_path / "out.wav"
    written.write_bytes(heads[2])
    again = stamp_of(written)
    assert again is not None and dict(again.words) == {"SCENE": "14", "TAKE": "2"}
    # Without any stamp nothing is made up: no date.
    plain = wave(tmp_path / "plain.wav")
    _, heads = turned(plain, 900_000, tmp_path)
    place = heads[1].index(b"bext") + 8
    assert heads[1][place + 320 : place + 338] == bytes(18)
    assert heads[1][place + 256 : place + 263] == b"Wexodos" and b"iXML" not in heads[1]


def test_a_timecode_a_whole_frame_away_disagrees_and_one_sample_less_does_not(tmp_path: Path) -> None:
    for reference, told in ((10 * HOUR, [(1920.0, "samples")]), (10 * HOUR + 1, [])):
        source = wave(tmp_path / f"{reference}.wav", chunk(b"bext", bext(reference)))
        found, _ = turned(source, 900_001, tmp_path)
        assert [deviation for _, deviation in found] == told


def test_the_time_reference_of_a_piece_is_that_of_its_first_sample(tmp_path: Path) -> None:
    # Heard from the twentieth second on with two seconds of handles: the piece begins at 18 s.
    source = wave(tmp_path / "long.wav", chunk(b"bext", bext()), frames=30 * 48000)
    media = Media("m", "long.wav", str(source), start=900_000, rate=Rate(25), duration=750, audio=True)
    item = Item("i", "long", 0, 25, MediaUse("m"), 20, sound=Sound((1,)))
    cut = Sequence("q", "Kiln Night", Rate(25), tracks=(Track("audio", (item,)),), sample_rate=48000)
    carried = carry_over(
        Document("", "", (cut,), (media,)),
        cut,
        find_destination("mixing-aaf-linked"),
        locate=lambda _: source,
        folder=str(tmp_path),
    )
    ((sound,),) = (one.values() for one in carried.made.plain.sounds.values())
    place = sound.head.index(b"bext") + 8 + 338
    assert struct.unpack("<Q", sound.head[place : place + 8])[0] == 10 * HOUR + 12 + 18 * 48000
