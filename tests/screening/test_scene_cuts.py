"""Scenes that are drawn here, with cuts, dissolves, fades and wipes between them, flashes inside, cameras that pan,
zoom and shake: what changes is found, and nothing else."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest
from tests.screening.made import Picture, surface, write_movie
from tests.screening.scenes import Day, scenes

from wexodos.cli import main
from wexodos.formats import read_file
from wexodos.screening.scene_cuts import HIGH, WIDE, How, SceneCut, changes_of


def found_in(pictures: list[Picture]) -> list[SceneCut]:
    small = (
        cv2.resize(np.asarray(np.clip(one, 0, 1) * 255, np.uint8), (WIDE, HIGH), interpolation=cv2.INTER_AREA)
        for one in pictures
    )
    return changes_of(enumerate(small))


def held(day: Day) -> tuple[int, int, int]:
    """How many changes were found where they are, how many not, and how many are none."""
    left = found_in(day.pictures)
    right = missed = 0
    for frame, kind, length in day.changes:
        near = 0 if kind == "cut" else max(3, length // 3)
        hit = next(
            (
                one
                for one in left
                if abs(one.frame - frame) <= near and (one.how is How.CUT) == (kind == "cut")
            ),
            None,
        )
        if hit is None:
            missed += 1
        else:
            right += 1
            left.remove(hit)
    return right, missed, len(left)


@pytest.mark.thorough
def test_of_three_days_of_scenes_all_changes_are_found_and_nothing_else() -> None:
    told = np.sum([held(scenes(seed)) for seed in (3, 8, 11)], axis=0)
    right, missed, false = (int(one) for one in told)
    assert right >= 30
    assert (missed, false) == (0, 0)


def still(seed: int, count: int) -> list[Picture]:
    return [surface(seed, 160, 90)] * count


def test_a_cut_is_the_first_frame_of_the_new_scene() -> None:
    made = found_in(still(1, 20) + still(2, 13) + still(3, 30))
    assert [(one.frame, one.how, one.length) for one in made] == [(20, How.CUT, 0), (33, How.CUT, 0)]


@pytest.mark.parametrize("length", [8, 16, 40])
def test_a_dissolve_is_told_with_its_middle_and_length(length: int) -> None:
    a, b = surface(1, 160, 90), surface(2, 160, 90)
    pictures = [a] * 30 + [a * (1 - at / length) + b * (at / length) for at in range(length)] + [b] * 30
    (made,) = found_in(pictures)
    assert made.how is How.DISSOLVE
    assert abs(made.frame - (30 + length // 2)) <= 1
    assert abs(made.length - length) <= 2


def test_through_black_is_one_change() -> None:
    a, b = surface(1, 160, 90), surface(2, 160, 90)
    pictures = (
        [a] * 30 + [a * (1 - at / 10) for at in range(1, 11)] + [b * (at / 10) for at in range(10)] + [b] * 30
    )
    (made,) = found_in(pictures)
    assert made.how is How.DISSOLVE
    assert abs(made.frame - 40) <= 1


@pytest.mark.parametrize("length", [1, 2, 5])
def test_a_flash_is_no_cut_and_a_picture_between_is_two(length: int) -> None:
    a, other = surface(1, 160, 90), surface(2, 160, 90)
    flash = np.clip(a * 2 + 0.3, 0, 1)
    assert found_in([a] * 30 + [flash] * length + [a] * 30) == []
    made = found_in([a] * 30 + [other] * length + [a] * 30)
    assert [one.frame for one in made] == [30, 30 + length]


def test_light_that_changes_is_no_change_of_scene() -> None:
    a = surface(1, 160, 90)
    assert found_in([a] * 20 + [a * 0.6] * 30) == []
    assert found_in([a * (1 - 0.02 * at) for at in range(30)] + [a * 0.42] * 20) == []


@pytest.mark.thorough
def test_long_movies_are_looked_at_piece_by_piece_and_no_change_is_lost_or_told_twice() -> None:
    five = [surface(seed, 64, 36) for seed in range(5)]
    pictures = [five[at // 57 % 5] for at in range(4000)]
    assert [one.frame for one in found_in(pictures)] == list(range(57, 4000, 57))


def test_the_command_line_writes_scenes_as_clips_and_markers(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    movie = tmp_path / "night.mov"
    write_movie(movie, still(1, 20) + still(2, 25) + still(3, 30), start="10:00:00:00")
    before = movie.read_bytes()
    out = tmp_path / "night.xml"
    assert main(["scene-cuts", str(movie), "--out", str(out), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["rate"] == "25/1"
    assert [(one["frame"], one["kind"], one["length"]) for one in told["cuts"]] == [
        (20, "cut", 0),
        (45, "cut", 0),
    ]
    sequence = read_file(out).top_level[0]
    assert str(sequence.timecode(0)) == "10:00:00:00"
    assert [(item.start, item.duration, item.source_in) for item in sequence.tracks[0].items] == [
        (0, 20, 0), (20, 25, sequence.rate.seconds(20)), (45, 30, sequence.rate.seconds(45))
    ]  # fmt: skip
    assert [one.start for one in sequence.markers] == [20, 45]
    for name, mark in (("night.edl", "10:00:00:20"), ("night.csv", "10:00:00:20")):
        assert main(["scene-cuts", str(movie), "--out", str(tmp_path / name)]) == 0
        assert mark in (tmp_path / name).read_text()
    assert movie.read_bytes() == before
    assert main(["scene-cuts", str(movie), "--out", str(movie)]) == 2
    assert main(["scene-cuts", str(out)]) == 3
    assert main(["scene-cuts", str(tmp_path / "none.mov")]) == 3
    (tmp_path / "cut.mov").write_bytes(before[: len(before) // 3])
    assert main(["scene-cuts", str(tmp_path / "cut.mov")]) == 3
