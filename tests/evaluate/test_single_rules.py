"""Single rules of evaluation, each against numbers worked out by hand."""

from __future__ import annotations

from fractions import Fraction as F

import numpy as np
import pytest

from wexodos.evaluate import Evaluator, curve_values, state_at
from wexodos.evaluate.hearing import SAMPLES, looks
from wexodos.evaluate.prints import differing, prints
from wexodos.model import (
    Angle,
    Angles,
    Constant,
    Document,
    Fade,
    Item,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    Sound,
    Track,
    constant,
    curve,
)
from wexodos.model.curves import Ease
from wexodos.timing import Rate

PAL = Rate(25)
BOOM = Media("boom", "boom.wav", duration=800, rate=PAL, sample_rate=48000, channels=2, audio=True)
OTHER = Media("other", "other.wav", duration=800, rate=PAL, sample_rate=48000, channels=2, audio=True)
CARD = Media("card", "card.mov", duration=1, rate=PAL, width=1920, height=1080, video=True)


def document(*tracks: Track, nested: tuple[Sequence, ...] = ()) -> Document:
    main = Sequence("s", "Cut", PAL, width=1920, height=1080, tracks=tracks)
    return Document("xmeml", "5", (main, *nested), (BOOM, OTHER, CARD))


def heard(source: int = 0, use: str = "boom", **more: object) -> Item:
    return Item("a", "a", 0, 50, MediaUse(use), F(source, 25), **more)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("ease", "quarter", "half"),
    # Hermite: straight at the end that is not eased. In at u: u³ - 2u² + u + 3u² - 2u³ = u + u² - u³.
    [(Ease.IN, 0.25 + 0.0625 - 0.015625, 0.625), (Ease.OUT, 2 * 0.0625 - 0.015625, 0.375)],
)
def test_a_segment_eased_at_one_end_is_straight_at_the_other(ease: Ease, quarter: float, half: float) -> None:
    drawn = curve([(0, 0.0), (100, 1.0)], ease)
    assert curve_values(drawn, np.array([25.0, 50.0]))[:, 0].tolist() == pytest.approx([quarter, half])


def test_sound_that_says_nothing_of_itself_is_heard_as_it_is() -> None:
    plain = document(Track("audio", (heard(10),)))
    (one,) = state_at(Evaluator(plain), plain.sequences[0], 5)["sound"]
    assert (one["source_sample"], one["gain_db"]) == (15 * 1920, 0.0)


@pytest.mark.parametrize("offset", [0, 40])
def test_the_angle_heard_begins_so_much_later_in_its_sequence(offset: int) -> None:
    inner = Sequence("n", "Angle", PAL, tracks=(Track("audio", (heard(100, sound=Sound((1,))),)),))
    angles = Angles((Angle("x", "Left", sequence="n", offset=F(offset, 25)),), "x", "x")
    made = document(
        Track("audio", (Item("o", "o", 0, 5, angles, F(2, 25), sound=Sound((1,))),)), nested=(inner,)
    )
    (one,) = state_at(Evaluator(made), made.sequences[0], 3)["sound"]
    # The third frame of an item that begins two into its source.
    assert one["source_sample"] == (100 + 3 + 2 + offset) * 1920


def test_a_medium_of_one_frame_shows_it_at_every_speed() -> None:
    slow = Item("c", "c", 0, 10, MediaUse("card"), F(0), Constant(F(1, 2)))
    made = document(Track("video", (slow,)))
    shown = [
        state_at(Evaluator(made), made.sequences[0], at)["picture"][0]["source_frame"] for at in range(10)
    ]
    assert shown == [0] * 10


def test_prints_tell_crops_unless_they_are_told_not_to() -> None:
    def of(**more: object) -> Document:
        item = Item("c", "c", 0, 10, MediaUse("card"), F(0), motion=Motion(**more))  # type: ignore[arg-type]
        return document(Track("video", (item,)))

    plain, cropped = of(), of(crop=constant(0, 0, 0.1, 0))
    one, other = (prints(Evaluator(each), each.sequences[0]).picture for each in (plain, cropped))
    assert (one[:, :10] != other[:, :10]).any(axis=0).all()


def test_prints_of_sound_tell_one_medium_from_another() -> None:
    one, other = (document(Track("audio", (heard(use=use, sound=Sound((1,))),))) for use in ("boom", "other"))
    ours, theirs = (prints(Evaluator(each), each.sequences[0]).sound for each in (one, other))
    assert (ours != theirs).any(axis=0)[:50].all()


def test_every_run_of_frames_that_differ_begins_and_ends_where_it_does() -> None:
    one = np.ones((2, 12), np.uint64)
    other = one.copy()
    for low, high in ((1, 3), (5, 6), (9, 12)):
        other[:, low:high] = 7
    assert differing(one, other) == [(1, 3), (5, 6), (9, 12)]


def test_whole_frames_within_a_fade_out_are_looked_at() -> None:
    # A third of a frame into a frame: no step of the fine grid falls on a whole one.
    sound = Sound((1,), fade_out=Fade(F(31, 3)))
    found = set(looks(100, sound).tolist())
    assert {frame * SAMPLES for frame in range(90, 101)} <= found


def test_a_nest_in_a_nest_in_itself_is_not_gone_round_for_ever() -> None:
    inner = Sequence("n", "Round", PAL, tracks=(Track("audio", (Item("o", "o", 0, 5, NestedUse("n")),)),))
    made = document(Track("audio", (Item("p", "p", 0, 5, NestedUse("n")),)), nested=(inner,))
    assert state_at(Evaluator(made), made.sequences[0], 2)["sound"] == []
