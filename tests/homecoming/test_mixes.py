"""Mixes come home: told apart, measured, laid in, the originals switched off."""

from __future__ import annotations

import json
import shutil
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
import soundfile
from numpy.typing import NDArray
from tests.sound.test_sync import RATE, later, mixed_down, performance

from wexodos.carryover import carry_over
from wexodos.cli.commands import main, spread_paths
from wexodos.destinations import find_destination
from wexodos.formats import read_file
from wexodos.model import Document, Item, Media, MediaUse, Motion, Sequence, Sound, TextRun, Title, Track
from wexodos.sound.heads import wave_head
from wexodos.timing import Rate, Timecode, floor

PAL = Rate(25)
SECONDS = 36
SPEECH, MUSIC = 0.3 * performance(SECONDS, 11), 0.3 * performance(SECONDS, 12)
"""Low enough for a mix of them to have room."""


@pytest.fixture(scope="session")
def cut(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Half a minute with speech and music, from 01:00:00:00."""
    return sounding_cut(tmp_path_factory.mktemp("cut"), PAL, False)


def sounding_cut(folder: Path, rate: Rate, drop: bool) -> Path:
    """The same at a rate of frames."""
    media, count = [], floor(rate.frames(SECONDS))
    for name, sound in (("speech", SPEECH), ("music", MUSIC)):
        soundfile.write(folder / f"{name}.wav", sound, RATE, "PCM_24")
        media.append(
            Media(
                name,
                f"{name}.wav",
                str(folder / f"{name}.wav"),
                duration=count,
                rate=rate,
                channels=1,
                sample_rate=RATE,
                audio=True,
            )
        )
    title = Item("t", "Opening", 10, 20, Title((TextRun("Kiln Night"),)), motion=Motion())
    tracks = [Track("video", (title,))]
    for name, label in (("speech", "Dialogue"), ("music", "Music")):
        item = Item(name, name, 0, count, MediaUse(name), sound=Sound(channels=(1,)))
        tracks.append(Track("audio", (item,), name=label))
    start = Timecode.parse("01:00:00:00", rate, drop).frames
    sequence = Sequence(
        "s", "Kiln Night", rate, start=start, drop_frame=drop, sample_rate=RATE, tracks=tuple(tracks)
    )
    path = folder / "cut.otio"
    made = carry_over(
        Document("otio", "1", (sequence,), tuple(media)), sequence, find_destination("archive-otio")
    )
    path.write_bytes(made.data)
    return path


def written(path: Path, sound: NDArray[np.float64], rate: int = RATE, reference: int | None = None) -> Path:
    """A stereo file; with a time reference in samples since midnight where one is given."""
    path.parent.mkdir(exist_ok=True)
    if reference is None:
        soundfile.write(path, np.stack([sound, sound], axis=1), rate, "PCM_24")
        return path
    whole = np.rint(np.clip(sound, -1, 1) * 32767).astype("<i2")
    head = wave_head(len(whole), rate, 16, reference, "mix", channels=1)
    path.write_bytes(head + whole.tobytes())
    return path


def home(capsys: pytest.CaptureFixture[str], *arguments: str | Path) -> dict:  # type: ignore[type-arg]
    assert main(["return", *map(str, arguments), "--json"]) == 0
    return json.loads(capsys.readouterr().out)  # type: ignore[no-any-return]


def heard(path: Path) -> list[tuple[str, bool, Fraction, int]]:
    """Of each sound track: its name, whether it is on, the place of its first sample and the source there, in
    samples."""
    cut = read_file(path).top_level[0]
    return [
        (
            one.name,
            one.enabled,
            Fraction(one.items[0].start) * RATE / 25,
            round(one.items[0].source_in * RATE),
        )
        for one in cut.tracks
        if one.kind == "audio"
    ]


def test_a_mix_is_measured_laid_in_and_moved_only_when_that_is_wanted(
    cut: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    mix = written(tmp_path / "back/Kiln Night final mix.wav", later(mixed_down(SPEECH + MUSIC), 4157))
    data = home(capsys, cut, "--from", mix, "--out", tmp_path / "home.otio")
    row = data["sync"][0]
    assert data["kind"] == "mix" and data["differences"] == [] and data["unexplained"] == 0
    # 4157 samples are 2.17 frames of 1920.
    assert (row["role"], row["offset_samples"], row["offset_frames"], row["by"]) == (
        "mix",
        4157,
        "2",
        ["cut"],
    )
    assert row["sample_rate"] == RATE and row["drift_ppm"] == 0 and row["steps"] == [] and row["laid"]
    assert heard(tmp_path / "home.otio") == [
        ("Dialogue", False, 0, 0),
        ("Music", False, 0, 0),
        ("Kiln Night final mix", True, 0, 0),
    ]
    home(capsys, cut, "--from", mix, "--out", tmp_path / "moved.otio", "--correct")
    assert heard(tmp_path / "moved.otio")[2] == ("Kiln Night final mix", True, 0, 4157)
    titles = read_file(tmp_path / "moved.otio").top_level[0].tracks[0].items
    assert titles[0].content.words == "Kiln Night"  # type: ignore[union-attr]


@pytest.mark.parametrize(
    ("reference", "offset", "by"),
    [
        # In sync by its own time, ten seconds before the cut; the same a frame late; an hour off: not believed.
        (3590 * RATE, 0, ["cut", "time reference"]),
        (3590 * RATE + 1920, 1920, ["cut"]),
        (7190 * RATE, 10 * RATE, ["cut"]),
    ],
)
@pytest.mark.sampled(3)
def test_the_time_a_file_says_of_itself_is_held_against_what_is_heard(
    cut: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str], reference: int, offset: int, by: list[str]
) -> None:
    mix = written(
        tmp_path / "back/mix.wav", later(0.5 * mixed_down(SPEECH + MUSIC), 10 * RATE), RATE, reference
    )
    row = home(capsys, cut, "--from", mix)["sync"][0]
    assert (row["offset_samples"], row["by"]) == (offset, by)


def test_a_file_that_begins_within_a_frame_lies_to_the_sample(
    cut: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """Its first sample is that of half the first frame: the clip begins with the second, 960 samples in."""
    mix = written(tmp_path / "back/mix.wav", 0.5 * (SPEECH + MUSIC)[960:], RATE, 3600 * RATE + 960)
    row = home(capsys, cut, "--from", mix, "--out", tmp_path / "home.otio")["sync"][0]
    assert row["offset_samples"] == 0 and row["by"] == ["cut", "time reference"]
    assert heard(tmp_path / "home.otio")[2] == ("mix", True, 1920, 960)


def test_stems_take_the_place_of_their_own_tracks_and_what_is_not_known_is_asked(
    cut: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    back = tmp_path / "back"
    written(back / "KN_DX.wav", later(SPEECH, 480))
    written(back / "KN_take7.wav", SPEECH)
    written(back / "speech.wav", SPEECH)
    (back / "music.aif.part").write_bytes(b"FORM")
    data = home(capsys, cut, "--from", back, "--out", tmp_path / "home.otio")
    assert [(one["file"], one["role"], one["stem"], one["offset_samples"]) for one in data["sync"]] == [
        ("KN_DX.wav", "stem", "dialogue", 480)
    ]
    assert [one["file"] for one in data["asked"]] == ["KN_take7.wav"]
    left = {one["file"]: one["why"] for one in data["unmatched_files"]}
    assert "medium of the cut" in left["speech.wav"] and "music.aif.part" in left
    assert [row[:2] for row in heard(tmp_path / "home.otio")] == [
        ("Dialogue", False),
        ("Music", True),
        ("Dialogue", True),
    ]


@pytest.mark.thorough
def test_a_mix_at_another_rate_and_one_of_another_film(
    cut: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """44.1 kHz by an independent way: every sample by interpolation of a signal that has little above 8 kHz."""
    share = RATE / 44_100
    whole = SPEECH + MUSIC
    smooth = np.convolve(whole, np.hanning(9) / np.hanning(9).sum(), "same")
    slower = np.interp(np.arange(int(len(whole) / share)) * share, np.arange(len(whole)), smooth)
    mix = written(tmp_path / "back/mix.wav", later(slower, 1234), 44_100)
    row = home(capsys, cut, "--from", mix)["sync"][0]
    assert (row["sample_rate"], row["offset_samples"]) == (44_100, 1234)
    other = written(tmp_path / "other/mix.wav", performance(SECONDS, 77))
    data = home(capsys, cut, "--from", other, "--out", tmp_path / "home.otio")
    row = data["sync"][0]
    assert row["offset_samples"] is None and row["certainty"] < 0.2 and not row["laid"]
    # Nothing was laid in, nothing switched off.
    assert [one[1] for one in heard(tmp_path / "home.otio")] == [True, True]


@pytest.mark.parametrize("zipped", [False, True])
def test_with_the_package_that_was_sent_the_guide_mix_is_what_it_is_held_against(
    cut: Path,
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
    zipped: bool,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """Also where the media of the cut are gone."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    (tmp_path / "alone").mkdir()
    alone = tmp_path / "alone/cut.otio"
    alone.write_text(cut.read_text().replace(str(cut.parent), "/gone"))
    sent = tmp_path / "to the mix"
    sent.mkdir()
    written(sent / "Guide mix/Kiln Night guide mix.wav", SPEECH + MUSIC)
    if zipped:
        sent = Path(shutil.make_archive(str(tmp_path / "sent"), "zip", tmp_path, "to the mix"))
    mix = written(tmp_path / "back/mix.wav", later(SPEECH + MUSIC, 2400))
    row = home(capsys, alone, "--from", mix, "--sent", sent, "--up", "0")["sync"][0]
    assert (row["offset_samples"], row["by"]) == (2400, ["guide"])


def test_several_paths_may_follow_and_the_file_may_come_last() -> None:
    said = ["return", "a.xml", "--from", "b.wav", "c.wav", "--out", "d.xml"]
    assert spread_paths(said) == ["return", "a.xml", "--from", "b.wav", "--from", "c.wav", "--out", "d.xml"]
    last = ["return", "--from", "b.wav", "c.wav", "a.xml"]
    assert spread_paths(last) == ["return", "--from", "b.wav", "--from", "c.wav", "a.xml"]


@pytest.mark.thorough
def test_a_pop_says_where_a_mix_belongs(
    cut: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """By custom two seconds before the cut. Alone it counts only where there is nothing to be heard of the cut."""
    pop = 0.1 * np.sin(2 * np.pi * np.arange(1920) * 1000 / RATE)
    leader = np.zeros(10 * RATE)
    leader[8 * RATE : 8 * RATE + 1920] = pop
    mix = written(tmp_path / "back/mix.wav", np.concatenate([leader, 0.5 * (SPEECH + MUSIC)]))
    row = home(capsys, cut, "--from", mix)["sync"][0]
    assert (row["offset_samples"], row["by"]) == (10 * RATE, ["cut", "pops"])
    # A pop that stands elsewhere says nothing.
    wrong = np.roll(leader, 300)
    other = written(tmp_path / "wrong/mix.wav", np.concatenate([wrong, 0.5 * (SPEECH + MUSIC)]))
    row = home(capsys, cut, "--from", other)["sync"][0]
    assert (row["offset_samples"], row["by"]) == (10 * RATE, ["cut"])
    # Another film with a pop is another film.
    film = written(tmp_path / "film/mix.wav", np.concatenate([leader, performance(SECONDS, 77)]))
    row = home(capsys, cut, "--from", film)["sync"][0]
    assert (row["offset_samples"], row["by"], row["laid"]) == (None, [], False)
    # The media of the cut are gone: the pop is all there is.
    (tmp_path / "alone").mkdir()
    alone = tmp_path / "alone/cut.otio"
    alone.write_text(cut.read_text().replace(str(cut.parent), "/gone"))
    row = home(capsys, alone, "--from", mix, "--up", "0")["sync"][0]
    assert (row["offset_samples"], row["by"], row["certainty"]) == (10 * RATE, ["pops"], 0.5)
