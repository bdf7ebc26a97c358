"""A mix that follows another cut from some place on is cut there when it is moved to where it belongs; where it has
nothing is said."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from tests.homecoming.test_mixes import MUSIC, RATE, SECONDS, SPEECH, cut, home, written  # noqa: F401
from tests.sound.test_sync import longer

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.formats import read_file
from wexodos.model import Item, MediaUse

ALL = SPEECH + MUSIC
FRAME, WHOLE = RATE // 25, SECONDS * 25
AT = 300
"""The step, in frames: after twelve seconds."""


def parts(path: Path) -> list[tuple[int, int, int]]:
    """Of the clips of the mix the first frame, how many, and the first sample of the file."""
    track = read_file(path).top_level[0].tracks[-1]
    assert track.enabled
    return [(int(one.start), int(one.duration), round(one.source_in * RATE)) for one in track.items]


def test_what_it_has_more_is_not_played(
    cut: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """A second of room tone was put in; before, the mix is 700 samples late."""
    tone = 0.002 * np.random.default_rng(4).standard_normal(RATE)
    sound = np.concatenate([np.zeros(700), ALL[: AT * FRAME], tone, ALL[AT * FRAME :]])
    mix, out = written(tmp_path / "back/mix.wav", sound), tmp_path / "home.otio"
    data = home(capsys, cut, "--from", mix, "--out", out)
    assert data["sync"][0]["steps"] == [{"at": "01:00:12:00", "samples": RATE}] and data["holes"] == []
    assert parts(out) == [(0, WHOLE, 0)]
    data = home(capsys, cut, "--from", mix, "--out", out, "--correct")
    assert data["unexplained"] == 0 and data["differences"] == [] and data["holes"] == []
    assert parts(out) == [(0, AT, 700), (AT, WHOLE - AT, 700 + RATE + AT * FRAME)]


def test_what_it_has_not_got_is_silent_and_named(
    cut: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """Two seconds were taken out of it, and its last three are missing."""
    sound = np.concatenate([ALL[: AT * FRAME], ALL[(AT + 50) * FRAME : -75 * FRAME]])
    mix, out = written(tmp_path / "back/mix.wav", sound), tmp_path / "home.otio"
    data = home(capsys, cut, "--from", mix, "--out", out, "--correct")
    assert parts(out) == [(0, AT, 0), (AT + 50, WHOLE - AT - 50 - 75, AT * FRAME)]
    holes = [(one["frame"], one["until"], one["items"]) for one in data["holes"]]
    assert holes == [(AT, AT + 50, ["speech", "music"]), (WHOLE - 75, WHOLE, ["speech", "music"])]
    # As it came it is only too short.
    data = home(capsys, cut, "--from", mix, "--out", out)
    assert parts(out) == [(0, WHOLE - 125, 0)]
    assert [(one["frame"], one["until"]) for one in data["holes"]] == [(WHOLE - 125, WHOLE)]


def test_it_is_cut_and_played_faster_where_it_drifts(
    cut: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """A pull of 0.1 % of a mix with a second more in it."""
    sound = longer(np.concatenate([ALL[: AT * FRAME], np.zeros(RATE), ALL[AT * FRAME :]]), 1000.0)
    mix, out = written(tmp_path / "back/mix.wav", sound), tmp_path / "home.otio"
    data = home(capsys, cut, "--from", mix, "--out", out, "--correct")
    assert data["sync"][0]["drift_ppm"] == pytest.approx(1000, abs=1) and data["holes"] == []
    first, second = parts(out)
    assert first == (0, AT, 0)
    # What is heard at the step is 13 seconds into the mix, a thousandth later.
    assert second[:2] == (AT, WHOLE - AT) and second[2] == pytest.approx(13 * RATE * 1.001, abs=2)


def test_a_last_frame_that_lacks_less_than_a_sample_is_there(
    cut: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    mix, out = written(tmp_path / "back/mix.wav", ALL[:-1]), tmp_path / "home.otio"
    data = home(capsys, cut, "--from", mix, "--out", out)
    assert parts(out) == [(0, WHOLE, 0)] and data["holes"] == []
    written(mix, ALL[:-2])
    assert [one["frame"] for one in home(capsys, cut, "--from", mix, "--out", out)["holes"]] == [WHOLE - 1]


def test_its_parts_go_into_a_later_version(
    cut: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """In it a second is gone after twenty: three clips of one file on one track."""
    old = read_file(cut)
    sequence = old.top_level[0]

    def shorter(item: Item) -> tuple[Item, ...]:
        if not isinstance(item.content, MediaUse):
            return (item,)
        rest = replace(
            item, id=f"{item.id}-2", start=500, duration=WHOLE - 525, source_in=item.source_in + 21
        )
        return replace(item, duration=500), rest

    tracks = tuple(
        replace(one, items=tuple(part for item in one.items for part in shorter(item)))
        for one in sequence.tracks
    )
    later = replace(sequence, tracks=tracks, stated_duration=None)
    new = tmp_path / "v8.otio"
    version = replace(old, sequences=(later,))
    new.write_bytes(carry_over(version, later, find_destination("archive-otio")).data)
    sound = np.concatenate([ALL[: AT * FRAME], np.zeros(RATE), ALL[AT * FRAME :]])
    mix, out = written(tmp_path / "back/mix.wav", sound), tmp_path / "home.otio"
    data = home(capsys, cut, "--from", mix, "--into", new, "--out", out, "--correct")
    assert data["unexplained"] == 0 and data["differences"] == [] and data["holes"] == []
    made = read_file(out)
    assert [one.name for one in made.top_level[0].audio_tracks if one.enabled] == ["mix"]
    assert parts(out) == [
        (0, AT, 0),
        (AT, 500 - AT, RATE + AT * FRAME),
        (500, WHOLE - 525, RATE + 525 * FRAME),
    ]
    assert len([one for one in made.media if one.file_name == "mix.wav"]) == 1


def test_what_was_muted_is_missed_by_nobody(
    cut: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """The mix has the speech only, and not its end."""
    old = read_file(cut)
    sequence = old.top_level[0]
    tracks = tuple(replace(one, enabled=one.name != "Music") for one in sequence.tracks)
    muted = replace(sequence, tracks=tracks)
    left, out = tmp_path / "muted.otio", tmp_path / "home.otio"
    made = carry_over(replace(old, sequences=(muted,)), muted, find_destination("archive-otio"))
    left.write_bytes(made.data)
    mix = written(tmp_path / "back/mix.wav", SPEECH[: -75 * FRAME])
    data = home(capsys, left, "--from", mix, "--out", out)
    assert [(one["frame"], one["until"], one["items"]) for one in data["holes"]] == [
        (WHOLE - 75, WHOLE, ["speech"])
    ]
