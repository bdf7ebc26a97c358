"""Parts of the picture check, held against values worked out by hand."""

from __future__ import annotations

from fractions import Fraction as F

import cv2
import numpy as np
import pytest
from tests.screening.made import surface

from wexodos.model import Item, MediaUse, Motion, Transition
from wexodos.screening.edits import Edit, _as_it_should, _limit
from wexodos.screening.lies import _one_after
from wexodos.screening.measure import Colour, near
from wexodos.screening.running import is_black


def test_one_matrix_after_the_other() -> None:
    """Twice as large, then moved by 3: the other way round it would be moved by 6."""
    larger = np.array([[2.0, 0, 0], [0, 2, 0]])
    moved = np.array([[1.0, 0, 3], [0, 1, 0]])
    assert _one_after(larger, moved).tolist() == [[2, 0, 3], [0, 2, 0]]
    assert _one_after(moved, larger).tolist() == [[2, 0, 6], [0, 2, 0]]


@pytest.mark.parametrize(("around", "limit"), [(0.10, 0.14), (0.12, 0.15), (0.40, 0.35)])
def test_an_edit_may_leave_a_quarter_more_than_what_is_beside_it(around: float, limit: float) -> None:
    left = np.array([around, around, 0.9, 0.9, around])
    assert _limit(left, slice(2, 4), 0.14) == pytest.approx(limit)
    assert _limit(left, slice(0, 5), 0.14) == 0.14


def test_a_dissolve_is_as_it_should_be_where_its_shares_are() -> None:
    a, b = (
        Item(name, name, at, 50, MediaUse("m"), F(1), motion=Motion()) for name, at in (("a", 0), ("b", 50))
    )
    edit = Edit("V1", 0, a, b, 50, Transition("t", "Dissolve", "dissolve", 45, 10, 50))
    at = np.arange(40, 60)
    assert _as_it_should(edit, np.clip((at - 45) / 10, 0, 1), 40)
    # Two frames longer on either side: in the mean of twenty frames 0.031 apart.
    assert not _as_it_should(edit, np.clip((at - 43) / 14, 0, 1), 40)


def test_colours_go_through_a_matrix_and_an_offset() -> None:
    """Red out is red and a half of green, and 0.1 more."""
    colours = Colour(np.array([[1, 0.5, 0], [0, 2, 0], [0, 0, 0.5]]), np.array([0.1, -0.1, 0.2]), 0.0)
    pixel = np.array([0.4, 0.2, 1.0], np.float32)
    for shape in ((1, 1, 3), (1, 3)):
        assert colours(pixel.reshape(shape)).ravel() == pytest.approx([0.6, 0.3, 0.7], abs=1e-6)


def test_black_is_dark_and_shows_nothing_where_it_counts() -> None:
    whole = np.ones((8, 8), np.bool_)
    assert is_black(np.full((8, 8, 3), 7, np.uint8), whole)
    assert not is_black(np.full((8, 8, 3), 8, np.uint8), whole)
    # As dark in the mean, but half of it is seen.
    halves = np.zeros((8, 8, 3), np.uint8)
    halves[:4] = 12
    assert not is_black(halves, whole)
    below = whole.copy()
    below[:4] = False
    assert is_black(halves, below)


def test_what_is_nearly_in_place_is_measured_by_its_inside_alone() -> None:
    """1.004 times as large about the corner and moved; around it stands something else."""
    ours = surface(3, 480, 270)
    # OpenCV counts from the middle of the first pixel.
    turn = np.array([[1.004, 0.0, 0.6 + 0.002], [0.0, 1.004, -0.4 + 0.002]])
    theirs = cv2.warpAffine(ours, turn, (480, 270), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    inside = np.zeros((270, 480), np.bool_)
    inside[40:230, 60:420] = True
    theirs[~inside] = 0
    found = near(ours, np.asarray(theirs, np.float32), inside)
    assert found is not None and found.fit > 0.99
    assert found.scale == pytest.approx((1.004, 1.004), abs=0.0005)
    assert found.moved((0.0, 0.0)) == pytest.approx((0.6, -0.4), abs=0.08)
    assert near(ours, np.asarray(theirs, np.float32), inside & (np.arange(480) < 120)) is None
