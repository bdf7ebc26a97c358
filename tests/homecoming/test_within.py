"""A mix that comes as files and the sequence they lie in: its tracks are laid in, each measured, or nested."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from tests.homecoming.test_mixes import MUSIC, PAL, RATE, SECONDS, SPEECH, cut, home, later, written  # noqa: F401
from tests.sound.test_sync import performance

from wexodos.carryover import carry_over
from wexodos.cli.commands import main
from wexodos.destinations import find_destination
from wexodos.evaluate import Evaluator
from wexodos.formats import FORMATS, read_file
from wexodos.job import Job, save
from wexodos.model import Document, Item, Media, MediaUse, NestedUse, Sequence, Sound, Track, Transition
from wexodos.sound.mixing import mixed
from wexodos.tidy import Chosen
from wexodos.timing import Rate

START = 90_000


def session(folder: Path, start: int = START, rate: Rate = PAL) -> Path:
    """Speech in two pieces that fade into each other over a second, music in one, 40 samples late."""
    folder.mkdir(exist_ok=True)
    written(folder / "take 1.wav", SPEECH)
    written(folder / "take 2.wav", later(MUSIC, 40))
    media = [
        Media(
            name,
            f"{name}.wav",
            str(folder / f"{name}.wav"),
            duration=SECONDS * 25,
            rate=rate,
            channels=2,
            sample_rate=RATE,
            audio=True,
        )
        for name in ("take 1", "take 2")
    ]

    def piece(key: str, name: str, first: int, last: int) -> Item:
        source = rate.seconds(first)
        return Item(key, name, first, last - first, MediaUse(name), source, sound=Sound(channels=(1, 2)))

    speech = Track(
        "audio",
        (piece("a", "take 1", 0, 400), piece("b", "take 1", 400, 900)),
        transitions=(Transition("x", "Crossfade", "audio-linear", 388, 25, 400),),
        name="Dialogue final",
    )
    music = Track("audio", (piece("c", "take 2", 0, 900),), name="Music final")
    made = Sequence("m", "Kiln Night mix", rate, start=start, sample_rate=RATE, tracks=(speech, music))
    document = Document("otio", "1", (made,), tuple(media))
    carried = carry_over(document, made, find_destination("archive-otio"))
    path = folder / "Kiln Night mix.otio"
    path.write_bytes(carried.data)
    return path


def heard(path: Path, first: int, count: int) -> np.ndarray:  # type: ignore[type-arg]
    """What a cut lets hear from one of its frames on."""
    document = read_file(path)
    sequence = document.top_level[0]
    return mixed(Evaluator(document), sequence, first, count, lambda one: Path(one.path or ""), RATE)


def test_its_tracks_are_laid_in_with_their_names_pieces_and_fades(
    cut: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    session(tmp_path / "back")
    # Said to be an edited cut it says nothing of the files, which come home by their names, each from its beginning.
    told = home(capsys, cut, "--from", tmp_path / "back", "--tell", "Kiln Night mix.otio=edit")
    assert {one["within"] for one in told["sync"]} <= {None}
    assert [(one["file"], one["why"]) for one in told["unmatched_files"]][-1:] == [
        ("Kiln Night mix.otio", "an edited sequence comes home by itself")
    ]
    data = home(capsys, cut, "--from", tmp_path / "back", "--out", tmp_path / "home.otio")
    assert data["kind"] == "mix" and data["differences"] == [] and data["unexplained"] == 0
    assert [
        (one["file"], one["within"], one["role"], one["stem"], one["offset_samples"]) for one in data["sync"]
    ] == [
        ("Dialogue final", "Kiln Night mix.otio", "stem", "dialogue", 0),
        ("Music final", "Kiln Night mix.otio", "stem", "music", 40),
    ]
    assert data["sync"][0]["by"] == ["cut", "sequence"]
    assert data["unmatched_files"] == []
    tracks = read_file(tmp_path / "home.otio").top_level[0].audio_tracks
    assert [(one.name, one.enabled, len(one.items), len(one.transitions)) for one in tracks] == [
        ("Dialogue", False, 1, 0),
        ("Music", False, 1, 0),
        ("Dialogue", True, 2, 1),
        ("Music", True, 1, 0),
    ]
    assert [one.cut for one in tracks[2].transitions] == [400]
    # What is heard is the cut's own sound, the music 40 samples late: moved, it is that to the sample. Two
    # channels of one sound, each as it is, are 3 dB louder than one channel in the middle.
    home(capsys, cut, "--from", tmp_path / "back", "--out", tmp_path / "moved.otio", "--correct")
    ours, theirs = heard(cut, 100, 50), heard(tmp_path / "moved.otio", 100, 50)
    gain = float((theirs * ours).sum() / (ours * ours).sum())
    assert gain == pytest.approx(2**0.5, abs=1e-3)
    assert float(np.abs(theirs - gain * ours).max()) < 1e-3


@pytest.mark.thorough
def test_where_its_sequence_begins_otherwise_it_lies_there(
    cut: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """Ten frames before the cut: what lies before it stays away."""
    session(tmp_path / "back", START - 10)
    data = home(capsys, cut, "--from", tmp_path / "back", "--out", tmp_path / "home.otio")
    late = [one["offset_samples"] for one in data["sync"]]
    assert late == [-10 * 1920, 40 - 10 * 1920]
    tracks = read_file(tmp_path / "home.otio").top_level[0].audio_tracks
    assert [(one.start, one.duration, one.source_in) for one in tracks[2].items] == [
        (0, 390, Fraction(10, 25)),
        (390, 500, Fraction(400, 25)),
    ]
    home(capsys, cut, "--from", tmp_path / "back", "--out", tmp_path / "moved.otio", "--correct")
    tracks = read_file(tmp_path / "moved.otio").top_level[0].audio_tracks
    assert [(one.start, one.source_in) for one in tracks[2].items] == [(0, 0), (400, 16)]
    # The first frame of the music that begins with the cut.
    assert [(one.start, one.source_in) for one in tracks[3].items] == [(0, Fraction(40, RATE))]


@pytest.mark.thorough
def test_nested_it_is_one_item(
    cut: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    session(tmp_path / "back")
    data = home(capsys, cut, "--from", tmp_path / "back", "--out", tmp_path / "home.otio", "--nested")
    (row,) = data["sync"]
    assert (row["role"], row["tracks"], row["within"]) == ("mix", ["A1", "A2"], "Kiln Night mix.otio")
    document = read_file(tmp_path / "home.otio")
    track = document.top_level[0].audio_tracks[2]
    (item,) = track.items
    assert isinstance(item.content, NestedUse) and (item.start, item.duration) == (0, 900)
    nest = document.sequences_by_id[item.content.sequence]
    assert [len(one.items) for one in nest.tracks] == [2, 1]
    theirs, ours = (
        heard(tmp_path / "home.otio", 100, 50),
        heard(tmp_path / "back/Kiln Night mix.otio", 100, 50),
    )
    assert float(np.abs(theirs - ours).max()) < 1e-4


@pytest.mark.thorough
def test_what_cannot_be_laid_in_by_its_sequence_is_laid_in_by_itself(
    cut: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """At another rate of frames, or without the files: that is said, and files of sound are what they are."""
    path = session(tmp_path / "back", rate=Rate(30))
    (tmp_path / "back/take 1.wav").rename(tmp_path / "back/Kiln Night final mix.wav")
    data = home(capsys, cut, "--from", tmp_path / "back")
    assert data["unmatched_files"][0]["file"] == path.name
    assert "its tracks are at 30 frames a second, the cut is at 25" in data["unmatched_files"][0]["why"]
    assert [one["within"] for one in data["sync"]] == [None]
    session(tmp_path / "back")
    (tmp_path / "back/take 1.wav").unlink()
    (tmp_path / "back/take 2.wav").unlink()
    data = home(capsys, cut, "--from", tmp_path / "back")
    assert data["unmatched_files"][0]["why"].endswith("none of its tracks plays a sound that came with it")
    assert [one["file"] for one in data["sync"]] == ["Kiln Night final mix.wav"]


@pytest.mark.thorough
def test_a_session_of_another_film_is_named(
    cut: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    session(tmp_path / "back")
    for number in (1, 2):
        written(tmp_path / f"back/take {number}.wav", 0.3 * performance(SECONDS, 20 + number))
    data = home(capsys, cut, "--from", tmp_path / "back")
    assert not any(one["laid"] for one in data["sync"]) and len(data["sync"]) == 2
    assert data["unmatched_files"] == [
        {"file": "Kiln Night mix.otio", "why": "none of its tracks sounds like the cut"}
    ]


def test_it_is_read_in_what_rooms_send(
    cut: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """A sequence file that names sounds which came lies in a folder of its own."""
    path = session(tmp_path / "back")
    (tmp_path / "back/session").mkdir()
    path.rename(tmp_path / "back/session" / path.name)
    data = home(capsys, cut, "--from", tmp_path / "back")
    assert [one["within"] for one in data["sync"]] == [path.name] * 2


@pytest.mark.parametrize("to", ["mixing-aaf-embedded", "mixing-omf"])
@pytest.mark.sampled(2)
@pytest.mark.thorough
def test_tracks_whose_sound_stands_in_the_sequence_file_itself(
    cut: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
    to: str,
) -> None:
    """One file comes, and nothing else: its sound is taken out where the cut is written."""
    path = session(tmp_path / "there")
    back = tmp_path / f"Kiln Night mix{FORMATS[find_destination(to).format].suffix}"
    assert main(["translate", str(path), "--to", to, "--out", str(back)]) == 0
    capsys.readouterr()
    for one in (tmp_path / "there").iterdir():
        one.unlink()
    data = home(capsys, cut, "--from", back, "--out", tmp_path / "home.otio", "--correct")
    assert data["kind"] == "mix" and data["differences"] == [] and data["unexplained"] == 0
    assert [(one["within"], one["stem"], one["offset_samples"]) for one in data["sync"]] == [
        (back.name, "dialogue", 0),
        (back.name, "music", 40),
    ]
    # Where a person says so, it is a cut that was edited; nothing of it is laid in as sound.
    told = home(capsys, cut, "--from", back, "--tell", f"{back.name}=edit")
    assert told["kind"] == "edit" and told["sync"] == [] and told["differences"] != []
    document = read_file(tmp_path / "home.otio")
    used = {
        document.media_by_id[item.content.media].path or ""
        for track in document.top_level[0].audio_tracks[2:]
        for item in track.items
        if isinstance(item.content, MediaUse)
    }
    assert used and {Path(one).parent for one in used} == {tmp_path / "home media"}
    ours, theirs = heard(cut, 100, 50), heard(tmp_path / "home.otio", 100, 50)
    gain = float((theirs * ours).sum() / (ours * ours).sum())
    assert float(np.abs(theirs - gain * ours).max()) < 1e-3


@pytest.mark.parametrize("suffix", [".otio", ".aaf"])
@pytest.mark.sampled(2)
def test_a_cut_whose_sound_stands_in_its_file_comes_home_with_it(
    cut: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
    suffix: str,
) -> None:
    inside = tmp_path / "Kiln Night.aaf"
    assert main(["translate", str(cut), "--to", "mixing-aaf-embedded", "--out", str(inside)]) == 0
    capsys.readouterr()
    (tmp_path / "back").mkdir()
    written(tmp_path / "back/Kiln Night final mix.wav", SPEECH + MUSIC)
    data = home(capsys, inside, "--from", tmp_path / "back", "--out", tmp_path / f"home{suffix}")
    assert data["unexplained"] == 0 and [one["laid"] for one in data["sync"]] == [True]
    document = read_file(tmp_path / f"home{suffix}")
    (made,) = document.top_level
    own = replace(
        made, tracks=tuple(replace(one, enabled=at < 2) for at, one in enumerate(made.audio_tracks))
    )
    items = tuple(replace(item, enabled=True) for track in own.tracks[:2] for item in track.items)
    tracks = tuple(Track("audio", (item,)) for item in items)
    own = replace(own, tracks=tracks, stated_duration=made.duration)
    there = replace(document, sequences=(own,))
    sound = mixed(Evaluator(there), own, 100, 50, lambda one: Path(one.path or ""), RATE)
    assert float(np.abs(sound - heard(cut, 100, 50)).max()) < 1e-3
    # One that goes over without anybody who takes the sound out says so.
    carried = carry_over(read_file(inside), read_file(inside).top_level[0], find_destination("archive-otio"))
    left = [one for one in carried.findings if one.what == "sound"]
    assert len(left) == 2 and all("does not come out" in one.why for one in left)


def test_the_cuts_own_sound_in_a_file_is_an_edited_cut_unless_a_person_says_it_is_a_mix(
    cut: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    back = tmp_path / "Kiln Night.aaf"
    assert main(["translate", str(cut), "--to", "mixing-aaf-embedded", "--out", str(back)]) == 0
    capsys.readouterr()
    looked = home(capsys, cut, "--from", back)
    assert looked["kind"] == "edit" and looked["sync"] == []
    told = home(
        capsys, cut, "--from", back, "--tell", "Kiln Night.aaf=tracks", "--out", tmp_path / "home.otio"
    )
    assert told["kind"] == "mix" and told["differences"] == [] and told["unexplained"] == 0
    assert [(one["tracks"], one["offset_samples"], one["laid"]) for one in told["sync"]] == [
        (["A1"], 0, True),
        (["A2"], 0, True),
    ]
    back.unlink()
    ours, theirs = heard(cut, 100, 50), heard(tmp_path / "home.otio", 100, 50)
    assert float(np.abs(theirs - ours).max()) < 1e-3


def test_what_tidy_makes_is_made_where_the_cut_comes_home(
    cut: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """A leader was put before it: its pictures and its tone lie beside what is written."""
    job = tmp_path / "cut.wexo"
    save(Job(str(cut)).decide(tidy=(Chosen("leader"),)), job)
    (tmp_path / "back").mkdir()
    written(tmp_path / "back/Kiln Night final mix.wav", SPEECH + MUSIC)
    data = home(capsys, job, "--from", tmp_path / "back", "--out", tmp_path / "home.otio", "--correct")
    assert data["unexplained"] == 0 and [one["laid"] for one in data["sync"]] == [True]
    document = read_file(tmp_path / "home.otio")
    paths = {
        item.name: Path(document.media_by_id[item.content.media].path or "")
        for item in document.top_level[0].items()
        if isinstance(item.content, MediaUse)
    }
    made = [one for one in paths.values() if one.parent == tmp_path / "home media"]
    assert made and all(one.is_file() for one in paths.values()), paths
