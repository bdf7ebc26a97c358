"""A movie of the whole comes home: found by its pictures, whatever it is called, and laid over the cut."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile
from tests.homecoming.test_renders import (  # noqa: F401
    TALL,
    WIDE,
    Picture,
    Shoot,
    cut_of,
    graded,
    home,
    movie,
    room,
    shoot,
    whole_of,
)

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.formats import read_file
from wexodos.model import Item, Media, MediaUse, Sequence, Sound, Track
from wexodos.picture import Composer, Frames
from wexodos.timing import Rate, Timecode

RATE = 48_000
START = 90_000
"""The cut begins at 01:00:00:00."""


def laid(path: Path) -> tuple[Sequence, list[str], Item]:
    """The cut that came home, the names of its picture tracks, and the item of the movie."""
    cut = read_file(path).top_level[0]
    tracks = [one for one in cut.tracks if one.kind == "video"]
    names = [one.name for one in tracks]
    (track,) = [one for one in tracks if one.name == "Movie of the whole"]
    return cut, names, track.items[0]


@pytest.mark.parametrize(
    ("black", "start", "offset"),
    [
        # No timecode: it begins with the cut, and its pictures are ten frames late. With the timecode of the cut
        # at its first picture, or behind the black, it is in sync or not. A time at which the cut is not says
        # nothing.
        (10, None, 10),
        (10, START - 10, 0),
        (10, START, 10),
        (0, 7 * START, 0),
    ],
)
@pytest.mark.sampled(4)
def test_it_is_known_by_its_pictures_and_moved_only_when_that_is_wanted(
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
    black: int,
    start: int | None,
    offset: int,
) -> None:
    cut = cut_of(shoot, tmp_path)
    # Its name says nothing.
    movie(tmp_path / "v7.mov", whole_of(shoot, black), start)
    data = home(capsys, cut, "--from", tmp_path / "v7.mov", "--out", tmp_path / "home.otio")
    (row,) = data["whole"]
    assert (row["offset_frames"], row["titles_in_it"], row["steps"], row["switched_on"]) == (
        offset,
        False,
        [],
        True,
    )
    assert data["matched"] == data["unmatched_files"] == data["differences"] == data["asked"] == []
    # It shows every event: none is without a picture.
    assert data["unmatched_items"] == [] and data["unexplained"] == 0
    back, names, item = laid(tmp_path / "home.otio")
    # Under the titles, which are not in it; the originals stay as they are below it.
    assert names == ["", "Movie of the whole", ""] and len(back.tracks[0].items) == 6
    begins = (start - START) if start is not None and start < 7 * START else 0
    assert (item.start, item.source_in) == (max(0, begins), Fraction(max(0, -begins), 25))
    home(capsys, cut, "--from", tmp_path / "v7.mov", "--out", tmp_path / "moved.otio", "--correct")
    _, _, item = laid(tmp_path / "moved.otio")
    assert (item.start, item.duration, item.source_in) == (0, 200, Fraction(black, 25))


def test_what_is_seen_in_the_cut_that_came_home_is_the_movie_with_the_titles(
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    frames = whole_of(shoot, 4)
    movie(tmp_path / "v7.mov", frames, None)
    cut = cut_of(shoot, tmp_path)
    home(capsys, cut, "--from", tmp_path / "v7.mov", "--out", tmp_path / "home.otio", "--correct")
    document = read_file(tmp_path / "home.otio")
    pictures = Frames()
    composer = Composer(document, lambda media: Path(media.path or ""), pictures)
    for number in (0, 60, 199):
        seen = composer.frame(document.top_level[0], number, TALL).picture[..., :3]
        assert float(np.abs(seen - frames[number + 4] / np.float32(255)).max()) < 0.01
    # Where the title stands it is another picture.
    seen = composer.frame(document.top_level[0], 20, TALL).picture[..., :3]
    assert float(np.abs(seen - frames[24] / np.float32(255)).max()) > 0.2
    pictures.close()


def test_titles_in_it_do_not_act_twice(
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    cut = cut_of(shoot, tmp_path)
    document = read_file(cut)
    pictures = Frames()
    composer = Composer(document, lambda media: Path(media.path or ""), pictures)
    frames = whole_of(shoot, 0)
    for number in range(10, 30):
        seen = composer.frame(document.top_level[0], number, TALL).picture[..., :3]
        frames[number] = graded(np.asarray(np.rint(seen * 255), np.uint8))
    pictures.close()
    movie(tmp_path / "v7.mov", frames, START)
    data = home(capsys, cut, "--from", tmp_path / "v7.mov", "--out", tmp_path / "home.otio")
    assert data["whole"][0]["titles_in_it"] is True
    # Over the titles, so that they are seen once.
    assert laid(tmp_path / "home.otio")[1] == ["", "", "Movie of the whole"]


@pytest.mark.thorough
def test_clips_go_before_it_and_a_later_one_takes_its_place(
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    cut = cut_of(shoot, tmp_path)
    list(room(shoot, tmp_path / "back", "KN_{number:04d}", True))
    movie(tmp_path / "back/whole v1.mov", whole_of(shoot, 2), None)
    data = home(capsys, cut, "--from", tmp_path / "back", "--out", tmp_path / "home.otio")
    assert len(data["matched"]) == 6 and data["unmatched_items"] == []
    assert (data["whole"][0]["laid"], data["whole"][0]["switched_on"]) == (True, False)
    tracks = [one for one in read_file(tmp_path / "home.otio").top_level[0].tracks if one.kind == "video"]
    assert [one.enabled for one in tracks] == [True, False, True]
    # What a person leaves out is not laid in; what is said to be a clip is one.
    data = home(capsys, cut, "--from", tmp_path / "back", "--leave", "whole v1.mov")
    assert (
        data["whole"] == [] and {"file": "whole v1.mov", "why": "it was left out"} in data["unmatched_files"]
    )
    data = home(capsys, cut, "--from", tmp_path / "back", "--tell", "whole v1.mov=Last")
    assert data["whole"] == []
    assert next(one for one in data["matched"] if one["item_id"] == "Last")["file"] == "whole v1.mov"


def test_its_sound_is_a_mix_that_gives_way_to_one_that_came_beside_it(
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """Eight seconds of noise that swells and falls, in the cut, in the movie and in a mix; the movie begins ten
    frames before the cut, and says so."""
    dice = np.random.default_rng(8)
    loud = np.repeat(dice.uniform(0.02, 0.6, 161), 2400)[: 8 * RATE]
    sound = loud * dice.uniform(-1, 1, 8 * RATE)
    heard = tmp_path / "room.wav"
    soundfile.write(heard, sound, RATE, "PCM_24")
    cut = with_sound(cut_of(shoot, tmp_path), heard)
    back = tmp_path / "back"
    back.mkdir()
    before = np.concatenate([np.zeros(10 * 1920), sound])
    sounding_movie(back / "v7.mov", whole_of(shoot, 10), before, START - 10)
    data = home(capsys, cut, "--from", back, "--out", tmp_path / "home.otio")
    (row,) = data["sync"]
    assert (row["file"], row["role"], row["laid"], row["switched_on"]) == ("v7.mov", "mix", True, True)
    document = read_file(tmp_path / "home.otio")
    # It is one medium: its picture and its sound.
    assert [one.name for one in document.media].count("v7.mov") == 1
    soundfile.write(back / "Kiln Night final mix.wav", sound, RATE, "PCM_24")
    data = home(capsys, cut, "--from", back)
    assert {one["file"]: one["switched_on"] for one in data["sync"]} == {
        "v7.mov": False,
        "Kiln Night final mix.wav": True,
    }
    assert data["whole"][0]["switched_on"] is True


def with_sound(path: Path, heard: Path) -> Path:
    """The cut with a track of sound."""
    document = read_file(path)
    cut = document.top_level[0]
    item = Item("room", "Room", 0, 200, MediaUse("room"), sound=Sound((1,)))
    media = Media("room", heard.name, str(heard), channels=1, sample_rate=RATE, audio=True)
    made = replace(cut, sample_rate=RATE, tracks=(*cut.tracks, Track("audio", (item,), name="Room")))
    whole = replace(document, sequences=(made,), media=(*document.media, media))
    path.write_bytes(carry_over(whole, made, find_destination("archive-otio")).data)
    return path


def sounding_movie(path: Path, frames: list[Picture], sound: np.ndarray, start: int) -> None:  # type: ignore[type-arg]
    with av.open(str(path), "w") as out:
        out.metadata["timecode"] = str(Timecode(start, Rate(25), False))
        stream = out.add_stream("png", rate=25, options={"compression_level": "0"})
        stream.width, stream.height, stream.pix_fmt = WIDE, TALL, "rgb24"
        tone = out.add_stream("pcm_s24le", rate=RATE, layout="mono")
        for number, data in enumerate(frames):
            frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(data), format="rgb24")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
        whole = np.rint(sound * (2**31 - 1)).astype(np.int32)[None]
        samples = av.AudioFrame.from_ndarray(whole, format="s32", layout="mono")
        samples.sample_rate, samples.pts, samples.time_base = RATE, 0, Fraction(1, RATE)
        out.mux(tone.encode(samples))
        out.mux(tone.encode(None))


def test_an_edited_sequence_beside_it_is_named(
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    cut, back = cut_of(shoot, tmp_path), tmp_path / "back"
    back.mkdir()
    movie(back / "v7.mov", whole_of(shoot, 0), START)
    (back / "v7 edited.otio").write_bytes(cut.read_bytes())
    data = home(capsys, cut, "--from", back)
    assert [one["file"] for one in data["whole"]] == ["v7.mov"]
    assert data["unmatched_files"] == [
        {"file": "v7 edited.otio", "why": "an edited sequence comes home by itself"}
    ]


def test_another_film_and_one_clip_alone_are_none(
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    cut = cut_of(shoot, tmp_path)
    dice = np.random.default_rng(5)
    other = [dice.integers(0, 255, (TALL, WIDE, 3), np.uint8) for _ in range(200)]
    movie(tmp_path / "other.mov", other, START)
    data = home(capsys, cut, "--from", tmp_path / "other.mov")
    assert data["whole"] == []
    data = home(capsys, cut, "--from", tmp_path / "other.mov", "--tell", "other.mov=whole")
    assert data["unmatched_files"] == [{"file": "other.mov", "why": "its pictures are not those of the cut"}]
