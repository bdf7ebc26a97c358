"""One recording in several files: what shows, what sounds and what is missing."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile

from picture.makers import pattern
from wexodos.media import Probes, Rules, Scanner, find
from wexodos.media.search import Row
from wexodos.model import Document, Item, Media, MediaUse, Sequence, Track
from wexodos.picture import Frames
from wexodos.sound.decode import blocks
from wexodos.sound.heads import wave_head
from wexodos.sound.spans import names_after, next_part, parts_of
from wexodos.timing import Rate

PAL = Rate(25)


def part(path: Path, first: int, count: int, timecode: str, wide: int = 64) -> Path:
    """Frames of a recording, numbered on from ``first``."""
    with av.open(str(path), "w") as file:
        stream = file.add_stream("png", rate=25)
        stream.width, stream.height, stream.pix_fmt = wide, 32, "rgb24"
        stream.metadata["timecode"] = timecode
        for number in range(count):
            frame = av.VideoFrame.from_ndarray(pattern(first + number, wide), format="rgb24")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            file.mux(stream.encode(frame))
        file.mux(stream.encode(None))
    return path


def recorded(path: Path, first: int, count: int, channels: int = 1) -> Path:
    """Samples of a ramp that goes on from ``first``, with their time reference."""
    data = np.repeat(np.arange(first, first + count, dtype="<i2")[:, None], channels, axis=1)
    head = wave_head(count, 48_000, 16, 1_000_000 + first, "", channels=channels)
    path.write_bytes(head + data.tobytes())
    return path


@pytest.fixture
def card(tmp_path: Path) -> Path:
    folder = tmp_path / "card"
    folder.mkdir()
    part(folder / "A003C012_001.mov", 0, 30, "10:00:00:00")
    part(folder / "A003C012_002.mov", 30, 30, "10:00:01:05")
    part(folder / "A003C012_003.mov", 60, 15, "10:00:02:10")
    return folder


def test_names_count_on_in_any_of_their_numbers() -> None:
    assert names_after("KN1 010012.MP4") == ["KN1 010013.MP4", "KN2 010012.MP4", "KN1 020012.MP4"]
    assert names_after("K0112.mov") == ["K0113.mov"] and names_after("K99112.mov") == ["K99113.mov"]
    assert names_after("take_9.wav") == [] and names_after("take_09.wav") == ["take_10.wav"]
    assert names_after("kiln.mov") == [] and names_after("012") == []


def test_a_part_goes_on_by_name_and_timecode(card: Path) -> None:
    first = card / "A003C012_001.mov"
    assert next_part(first) == card / "A003C012_002.mov"
    assert [path.name[-7:-4] for path, _ in parts_of(first, Fraction(3))] == ["001", "002", "003"]
    # No more than is needed.
    assert [path.name[-7:-4] for path, _ in parts_of(first, Fraction(2))] == ["001", "002"]
    assert next_part(card / "A003C012_003.mov") is None
    # By name alone it is another recording: two frames later is too late, one is what counting rounds to.
    part(card / "A003C012_002.mov", 30, 30, "10:00:01:07")
    assert next_part(first) is None
    part(card / "A003C012_002.mov", 30, 30, "10:00:01:06")
    assert next_part(first) is not None
    part(card / "A003C012_002.mov", 30, 30, "10:00:01:05", 32)
    assert next_part(first) is None


def test_a_number_in_the_middle_may_count_the_parts(tmp_path: Path) -> None:
    part(tmp_path / "K010012.mov", 0, 25, "10:00:00:00")
    part(tmp_path / "K020012.mov", 25, 25, "10:00:01:00")
    part(tmp_path / "K040012.mov", 75, 25, "10:00:03:00")
    assert next_part(tmp_path / "K010012.mov") == tmp_path / "K020012.mov"
    # What is missing is named as the recording counts.
    (problem,) = found(tmp_path, tmp_path, 75, "K010012.mov").problems
    assert "its next part K030012.mov is not there" in problem.words
    part(tmp_path / "K-01-0012.mov", 0, 25, "10:00:00:00")
    part(tmp_path / "K-02-0012.mov", 25, 25, "10:00:01:00")
    assert next_part(tmp_path / "K-01-0012.mov") == tmp_path / "K-02-0012.mov"


def test_frames_of_all_parts_are_those_of_the_recording(card: Path) -> None:
    frames = Frames()
    for number in (0, 29, 30, 74, 59, 60, 31):
        seen = frames.frame(card / "A003C012_001.mov", number, Fraction(25), False)[..., :3]
        assert np.array_equal(np.round(seen * 255), pattern(number)), number
    # Beyond the last part its last frame stands.
    last = frames.frame(card / "A003C012_001.mov", 90, Fraction(25), False)[..., :3]
    assert np.array_equal(np.round(last * 255), pattern(74))


def test_samples_of_all_parts_are_those_of_the_recording(tmp_path: Path) -> None:
    first = recorded(tmp_path / "KN_D4_1.wav", 0, 5000)
    recorded(tmp_path / "KN_D4_2.wav", 5000, 4000)
    recorded(tmp_path / "KN_D4_3.wav", 9000, 1000)

    def heard(start: int, count: int) -> np.ndarray:
        return np.round(np.concatenate(list(blocks(first, 1, start, count))) * 32768).astype(int)

    assert np.array_equal(heard(4000, 6000), np.arange(4000, 10_000))
    assert np.array_equal(heard(9500, 700), [*range(9500, 10_000), *[0] * 200])
    # Another kind of file is no part, nor one that begins elsewhere.
    recorded(tmp_path / "KN_D4_2.wav", 5000, 4000, 2)
    assert not heard(5000, 100).any()
    recorded(tmp_path / "KN_D4_2.wav", 5100, 4000)
    assert not heard(5000, 100).any()
    soundfile.write(tmp_path / "KN_D4_2.wav", np.ones(4000), 48_000, subtype="PCM_16")
    assert not heard(5000, 100).any()


def found(card: Path, tmp_path: Path, length: int, name: str = "A003C012_001.mov") -> Row:
    media = Media("m", name, str(card / name), None, 900_000, False, length, PAL, 64, 32, video=True)
    item = Item("i", "Kiln", 0, length, MediaUse("m"))
    document = Document(
        "xmeml", "5", (Sequence("s", "Kiln Night", PAL, tracks=(Track("video", (item,)),)),), (media,)
    )
    tools = Probes(tmp_path / "probes"), Scanner(tmp_path / "folders")
    return find(document, list(document.top_level), tmp_path / "cut.xml", Rules(), {}, *tools)[0]


def test_a_recording_in_several_files_is_one_medium(card: Path, tmp_path: Path) -> None:
    row = found(card, tmp_path, 75)
    assert row.status == "found" and row.facts is not None
    assert row.facts.length == 3 and [name[-7:-4] for name in row.facts.parts] == ["001", "002", "003"]
    # What fits into its first file needs no other.
    row = found(card, tmp_path, 30)
    assert row.status == "found" and row.facts is not None and not row.facts.parts


def test_the_part_that_is_missing_is_named(card: Path, tmp_path: Path) -> None:
    (card / "A003C012_003.mov").unlink()
    row = found(card, tmp_path, 75)
    assert (row.status, row.problems[0].words) == (
        "wrong length",
        "2.40 s there, used up to 3.00 s; its next part A003C012_003.mov is not there",
    )
    # Where a later one lies there, the one between them; a number at the end alone may be that of a take.
    (card / "A003C012_002.mov").rename(card / "A003C012_003.mov")
    assert found(card, tmp_path, 75).problems[0].words.endswith("its next part A003C012_002.mov is not there")
    (card / "A003C012_003.mov").unlink()
    assert found(card, tmp_path, 75).problems[0].words == "1.20 s there, used up to 3.00 s"


def test_a_picture_may_go_on_without_its_sound(tmp_path: Path) -> None:
    """The first part has sound, the second none: behind the first there is silence."""
    first = tmp_path / "A003C012_001.mov"
    with av.open(str(first), "w") as file:
        picture = file.add_stream("png", rate=25)
        picture.width, picture.height, picture.pix_fmt = 64, 32, "rgb24"
        picture.metadata["timecode"] = "10:00:00:00"
        sound = file.add_stream("pcm_s16le", rate=48_000, layout="mono")
        for number in range(25):
            frame = av.VideoFrame.from_ndarray(pattern(number), format="rgb24")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            file.mux(picture.encode(frame))
        file.mux(picture.encode(None))
        heard = av.AudioFrame.from_ndarray(np.full((1, 48_000), 1000, np.int16), format="s16", layout="mono")
        heard.sample_rate, heard.pts, heard.time_base = 48_000, 0, Fraction(1, 48_000)
        file.mux(sound.encode(heard))
        file.mux(sound.encode(None))
    part(tmp_path / "A003C012_002.mov", 25, 25, "10:00:01:00")
    assert next_part(first) is not None
    found = np.round(np.concatenate(list(blocks(first, 1, 47_900, 300))) * 32768)
    assert found.tolist() == [1000] * 100 + [0] * 200
