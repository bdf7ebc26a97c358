"""Interlaced pictures: two moments in one frame, kept apart wherever they are moved, sized or slowed."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from picture.makers import RATE, Stage, movie
from wexodos.model import Constant, Item, Media, Motion, constant
from wexodos.picture import Composer
from wexodos.picture.compose import Shot
from wexodos.picture.decode import _of_one_field

WIDE, TALL = 64, 32
EARLY, LATE = 60, 200


def combed(path: Path, first: str, codec: str = "libx264") -> Path:
    """Three frames whose field that is shown first is dark and the other bright."""
    data = np.full((TALL, WIDE, 3), LATE, np.uint8)
    data[0 if first == "upper" else 1 :: 2] = EARLY
    told = {"x264-params": f"{'tff' if first == 'upper' else 'bff'}=1:qp=0"} if codec == "libx264" else {}
    return movie(path, [data] * 3, codec=codec, **told)


def shot_of(
    folder: Path, first: str, motion: Motion | None = None, height: int = TALL, order: str = "progressive",
    **more: Any,
) -> Shot:  # fmt: skip
    stage = Stage(folder)
    path = combed(folder / "a.mov", first)
    media = Media("a", "a.mov", str(path), rate=RATE, width=WIDE, height=TALL, video=True, duration=3)
    stage.media.append(media)
    item: Item = replace(stage.item(media, length=2), motion=motion, **more)
    document, sequence = stage.cut((item,))
    sequence = replace(sequence, field_order=order, width=WIDE, height=TALL)
    document = replace(document, sequences=(sequence,))
    return Composer(document, lambda _one: path).frame(sequence, 1, height)


def rows(shot: Shot) -> list[int]:
    """The grey value of each line, of 255."""
    middle = shot.picture.shape[1] // 2
    lines = shot.picture[:, middle - 4 : middle + 4, 0].mean(axis=1) * 255
    return [round(float(line)) for line in lines]


def near(found: list[int], wanted: list[int]) -> bool:
    return len(found) == len(wanted) and all(abs(a - b) <= 2 for a, b in zip(found, wanted))


@pytest.mark.parametrize("first", ["upper", "lower"])
def test_in_its_place_both_moments_stay(tmp_path: Path, first: str) -> None:
    shot = shot_of(tmp_path, first, Motion(fit="none"))
    pair = [EARLY, LATE] if first == "upper" else [LATE, EARLY]
    assert near(rows(shot), pair * (TALL // 2)) and shot.noted == []
    # Two lines further down the lines of a moment are lines of it still.
    moved = shot_of(tmp_path, first, Motion(fit="none", position=constant(0.0, 2.0)))
    assert near(rows(moved)[2:], pair * (TALL // 2 - 1)) and moved.noted == []


@pytest.mark.parametrize("first", ["upper", "lower"])
def test_sized_moved_or_slowed_in_a_progressive_cut_the_first_moment_is_seen(
    tmp_path: Path, first: str
) -> None:
    said = ["a.mov is interlaced: the field that comes first is shown"]
    small = shot_of(tmp_path, first, Motion(fit="none"), height=TALL // 2)
    assert near(rows(small), [EARLY] * (TALL // 2)) and small.noted == said
    for motion, more in (
        (Motion(fit="none", position=constant(0.0, 1.0)), {}),
        (Motion(fit="none", position=constant(0.0, 0.5)), {}),
        (Motion(fit="none", scale=constant(1.5, 1.5)), {}),
        (Motion(fit="none"), {"speed": Constant(Fraction(1, 2))}),
        (Motion(fit="none"), {"speed": Constant(0)}),
    ):
        shot = shot_of(tmp_path, first, motion, **more)
        assert near(rows(shot)[2:], [EARLY] * (TALL - 2)), (motion, more)
        assert shot.noted == said


@pytest.mark.parametrize("first", ["upper", "lower"])
@pytest.mark.parametrize("order", ["upper", "lower"])
def test_in_an_interlaced_cut_each_moment_is_placed_for_itself(
    tmp_path: Path, first: str, order: str
) -> None:
    pair = [EARLY, LATE] if order == "upper" else [LATE, EARLY]
    shot = shot_of(tmp_path, first, Motion(fit="none", position=constant(0.0, 3.0)), order=order)
    assert near(rows(shot)[4:], pair * ((TALL - 4) // 2))
    assert shot.noted == ["a.mov is interlaced: each field is placed for itself"]
    # Slowed, or seen smaller than it is made, one moment stands for the frame.
    slow = shot_of(tmp_path, first, Motion(fit="none"), order=order, speed=Constant(Fraction(1, 2)))
    assert near(rows(slow), [EARLY] * TALL)
    small = shot_of(tmp_path, first, Motion(fit="none"), height=TALL // 2, order=order)
    assert near(rows(small), [EARLY] * (TALL // 2))


def test_the_cut_says_the_fields_where_the_file_does_not(tmp_path: Path) -> None:
    path = combed(tmp_path / "a.mov", "lower", codec="png")
    stage = Stage(tmp_path)
    for told, seen in (("lower", EARLY), ("upper", LATE), ("progressive", (EARLY + LATE) // 2)):
        media = Media("a", "a.mov", str(path), rate=RATE, width=WIDE, height=TALL, video=True)
        stage.media = [replace(media, field_order=told)]
        document, sequence = stage.cut((stage.item(stage.media[0], length=2),))
        shot = Composer(document, lambda _one: path).frame(sequence, 1, TALL // 2)
        assert near(rows(shot), [seen] * (TALL // 2)), told


@pytest.mark.parametrize("tall", [7, 8])
@pytest.mark.parametrize("lines", [0, 1])
def test_the_lines_between_are_the_mean_of_their_neighbours(tall: int, lines: int) -> None:
    ramp = np.repeat(np.arange(tall, dtype=np.uint16)[:, None] * 1000, 3, axis=1)
    spoilt = ramp.copy()
    spoilt[1 - lines :: 2] = 65_535
    found = _of_one_field(spoilt, lines)
    wanted = ramp.copy()
    # At the edges the nearest line of the field is all there is.
    if lines == 1:
        wanted[0] = 1000
    if (tall - 1) % 2 != lines:
        wanted[-1] = wanted[-2]
    assert np.array_equal(found, wanted)
