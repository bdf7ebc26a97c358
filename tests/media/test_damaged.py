"""Files from strangers: whatever is in them, there are facts or one sentence, pictures or one sentence, sound
or one sentence."""

from __future__ import annotations

import os
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from generated import examples
from picture.makers import movie, pattern, still
from wexodos.media import probe
from wexodos.picture import Frames, PictureError
from wexodos.sound.errors import SoundError
from wexodos.sound.peaks import peaks

KINDS = ("a.mov", "b.mp4", "c.mkv", "d.png", "e.wav", "f.flac", "g.aiff")


@pytest.fixture(scope="module")
def whole(tmp_path_factory: pytest.TempPathFactory) -> dict[str, bytes]:
    folder = tmp_path_factory.mktemp("whole")
    frames = [pattern(number) for number in range(20)]
    movie(folder / "a.mov", frames)
    movie(folder / "b.mp4", frames, codec="libx264")
    movie(folder / "c.mkv", frames, codec="mpeg4")
    still(folder / "d.png", frames[0])
    for name in KINDS[4:]:
        soundfile.write(
            folder / name, np.sin(np.arange(9600) / 20)[:, None] * [0.5, 0.2], 48000, subtype="PCM_24"
        )
    return {name: (folder / name).read_bytes() for name in KINDS}


@st.composite
def damages(draw: st.DrawFn) -> tuple[str, list[tuple[str, float, int]]]:
    places = st.tuples(
        st.sampled_from(["change", "change", "change", "cut off", "leave out"]),
        st.floats(0, 1),
        st.integers(0, 255),
    )
    return draw(st.sampled_from(KINDS)), draw(st.lists(places, min_size=1, max_size=12))


@settings(
    max_examples=examples(250), deadline=None, derandomize=True, suppress_health_check=list(HealthCheck)
)
@given(what=damages())
def test_damaged_files_are_never_more_than_a_sentence(
    whole: dict[str, bytes],
    tmp_path_factory: pytest.TempPathFactory,
    what: tuple[str, list[tuple[str, float, int]]],
) -> None:
    name, changes = what
    data = bytearray(whole[name])
    for how, share, value in changes:
        place = int(share * (len(data) - 1)) if len(data) > 1 else 0
        if how == "cut off" and value > 200:
            del data[place:]
        elif how == "leave out":
            del data[place : place + value]
        elif data:
            data[place] = value
    path = tmp_path_factory.getbasetemp() / name
    path.write_bytes(data)
    facts = probe(path)
    assert (facts.size, bool(facts.problem)) == (len(data), not (facts.video or facts.audio))
    frames = Frames()
    for number in (0, 15, 3):
        try:
            picture = frames.frame(path, number, Fraction(25), facts.still, (32, 16))
            assert picture.ndim == 3 and picture.shape[2] == 4 and np.isfinite(picture).all()
        except PictureError as error:
            assert "\n" not in str(error) and path.name in str(error)
    frames.close()
    try:
        assert peaks(path).ndim == 2
    except SoundError as error:
        assert "\n" not in str(error)


@given(st.lists(st.integers(0, 130), min_size=1, max_size=6))
def test_a_tie_is_never_decided_and_order_does_not_matter(scores: list[int]) -> None:
    from wexodos.media.match import ENOUGH, LEAD, Candidate, Reason, Sign, decided

    candidates = [
        Candidate(Path(f"/{number}"), probe(Path("/nowhere")), (Reason(score, "so", Sign.REEL),))
        for number, score in enumerate(scores)
    ]
    taken, ranked = decided(candidates), sorted(scores, reverse=True)
    clear = ranked[0] >= ENOUGH and (len(ranked) == 1 or ranked[0] - ranked[1] >= LEAD)
    assert (taken is not None) == clear and (taken is None or taken.score == ranked[0])
    assert decided(candidates[::-1]) == taken


CUTS = [
    ("e.wav", "PCM_24", "WAV"),
    ("g.aiff", "PCM_16", "AIFF"),
    ("h.w64", "PCM_24", "W64"),
    ("f.flac", "PCM_24", "FLAC"),
    ("r.rf64", "PCM_24", "RF64"),
    ("o.ogg", "VORBIS", "OGG"),
]


@pytest.mark.parametrize(("name", "subtype", "form"), CUTS)
def test_a_sound_file_cut_short_is_damaged_and_not_shorter(
    tmp_path: Path, name: str, subtype: str, form: str
) -> None:
    path = tmp_path / name
    soundfile.write(path, np.sin(np.arange(96000) / 9) * 0.5, 48000, subtype=subtype, format=form)
    assert not probe(path).problem
    data = path.read_bytes()
    path.write_bytes(data[: len(data) * 2 // 3])
    # Vorbis has no length in its head: what is there is whole as far as anybody can tell.
    if form != "OGG":
        assert "damaged" in probe(path).problem
    if form in ("WAV", "AIFF", "RF64"):
        # A single byte is enough.
        path.write_bytes(data[:-1])
        assert "damaged" in probe(path).problem
    # A byte after the samples that were promised is none that is missing.
    path.write_bytes(data + b"\0\0")
    assert not probe(path).problem


def test_a_sound_without_channels_is_damaged(tmp_path: Path) -> None:
    path = tmp_path / "none.wav"
    soundfile.write(path, np.zeros(4800), 48000, subtype="PCM_16")
    data = bytearray(path.read_bytes())
    assert data[22:24] == b"\x01\x00"
    data[22:24] = b"\0\0"
    path.write_bytes(data)
    assert "damaged" in probe(path).problem


def test_a_pipe_is_no_medium(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "shot.mov")
    assert probe(tmp_path / "shot.mov").problem == "this is no ordinary file"
