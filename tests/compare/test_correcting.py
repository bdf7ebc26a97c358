"""A right eye in which things were planted, made to follow the left one: it must be the right eye as it was before."""

from __future__ import annotations

from dataclasses import replace

import pytest

from compare.test_pairing import LONG, ONE, RATE, after, changed, eye, with_items
from wexodos.compare.correcting import Corrected, corrected
from wexodos.model import (
    Curve,
    Document,
    Item,
    Key,
    MediaUse,
    Motion,
    Sequence,
    Sound,
    SpeedPoint,
    Track,
    Transition,
    Variable,
    constant,
)


def made(document: Document, cut: Sequence, left: tuple[Document, Sequence] | None = None) -> Corrected:
    return corrected(*(left or eye("L")), replace(document, sequences=(cut,)), cut)


def plain(items: tuple[Item, ...]) -> list[Item]:
    """Items without what tells them apart, so that one that was laid in anew is the one that was there."""
    return [replace(one, id="", name="", link=None) for one in items]


@pytest.mark.parametrize("what", ONE)
def test_each_thing_that_was_otherwise_is_as_it_was(what: str) -> None:
    document, cut = eye("R", later=10, apart=37)
    changes = {
        key: {name: value + 10 if name == "start" else value for name, value in more.items()}  # type: ignore[operator]
        for key, more in ONE[what][0].items()
    }
    found = made(document, changed(cut, **changes))
    assert len(found.before.rows) == 1 and found.after.rows == []
    assert found.sequence.tracks[0].items == cut.tracks[0].items
    assert found.sequence.tracks[0].transitions == cut.tracks[0].transitions


def test_what_is_missing_is_laid_in_and_what_is_too_many_goes() -> None:
    document, cut = eye("R", apart=37)
    items = [one for one in after(cut, 8, -LONG) if one.id != "R-7"]
    more = replace(items[0], id="R-99", start=39 * LONG, source_in=RATE.seconds(5000))
    found = made(document, with_items(cut, (*items, more), -LONG))
    assert [row.what.value for row in found.before.rows] == ["missing", "missing"]
    assert found.after.rows == []
    assert plain(found.sequence.tracks[0].items) == plain(cut.tracks[0].items)
    assert [one.id for one in found.sequence.tracks[0].items][6:9] == ["R-6", "L-7", "R-8"]


def test_a_medium_that_is_not_there_is_still_missing_afterwards() -> None:
    document, cut = eye("R")
    # K009 was shot with one eye only: its shots, 8, 18, 28 and 38, are not there, nor is the take.
    kept = tuple(one for one in cut.tracks[0].items if int(one.id[2:]) % 10 != 8)
    media = tuple(one for one in document.media if one.id != "R9")
    found = made(replace(document, media=media), with_items(cut, kept))
    assert [(row.what.value, int(row.at) // LONG) for row in found.after.rows] == [
        ("missing", 8), ("missing", 18), ("missing", 28), ("missing", 38),
    ]  # fmt: skip


def test_ramps_and_moves_follow_with_the_clock_and_the_shift_of_their_side() -> None:
    document, cut = eye("R", apart=24)
    one, left = eye("L")
    ramp = Variable((SpeedPoint(0, RATE.seconds(280)), SpeedPoint(48, RATE.seconds(400))))
    move = Motion(position=Curve((0.0, 0.0), (Key(0, (0.0, 0.0)), Key(47, (30.0, -8.0)))))
    shots = list(left.tracks[0].items)
    shots[3] = replace(shots[3], speed=ramp, source_in=RATE.seconds(280), motion=move)
    left = with_items(left, tuple(shots))
    found = made(document, cut, (replace(one, sequences=(left,)), left))
    now = found.sequence.tracks[0].items[3]
    # The clocks of both begin where their media do, 24 frames apart: the same frame of the file is meant.
    assert now.speed == ramp and now.source_in == RATE.seconds(280)
    assert now.motion is not None and now.motion.position.keys == (Key(0, (6.0, 0.0)), Key(47, (36.0, -8.0)))
    assert found.after.rows == []


def test_sound_that_hangs_on_a_picture_goes_along_and_other_sound_stays() -> None:
    document, cut = eye("R")
    linked = replace(cut.tracks[0].items[6], link="six")
    wrong = changed(cut, n6={"link": "six", "source_in": RATE.seconds(471)})
    own = Item(
        "R-6a", "Shot 6", linked.start, LONG, MediaUse("R7"), RATE.seconds(471), sound=Sound((1,)), link="six"
    )
    free = Item("R-free", "Fire", linked.start, LONG, MediaUse("R7"), RATE.seconds(3), sound=Sound((2,)))
    wrong = replace(wrong, tracks=(*wrong.tracks, Track("audio", (own,)), Track("audio", (free,))))
    found = made(document, wrong)
    assert found.sequence.tracks[0].items[6].source_in == RATE.seconds(460)
    assert found.sequence.tracks[1].items == (replace(own, source_in=RATE.seconds(460)),)
    assert found.sequence.tracks[2].items == (free,)


def test_a_pair_is_left_as_it_is() -> None:
    document, cut = eye("R", later=10, apart=-5)
    found = made(document, cut)
    assert found.sequence is cut and found.before.rows == []
    assert constant(6.0, 0.0).value == tuple(map(float, found.before.moved))


def test_a_transition_between_two_that_are_not_there_is_not_there_either() -> None:
    one, left = eye("L")
    between = Transition("between", "dissolve", "dissolve", 9 * LONG - 4, 8, 9 * LONG)
    track = left.tracks[0]
    left = replace(left, tracks=(replace(track, transitions=(between, *track.transitions)),))
    document, cut = eye("R")
    kept = tuple(one for one in cut.tracks[0].items if int(one.id[2:]) % 10 not in (8, 9))
    media = tuple(one for one in document.media if one.id not in ("R9", "R10"))
    found = made(
        replace(document, media=media), with_items(cut, kept), (replace(one, sequences=(left,)), left)
    )
    # The one at 20 joins shot 20 to the hole before it.
    assert [one.cut for one in found.sequence.tracks[0].transitions] == [20 * LONG]
