"""Sound that comes out of nests, and sound that has no form in Lane XML."""

from __future__ import annotations

from fractions import Fraction as F

import pytest

from wexodos.carryover import carry_over, plan
from wexodos.destinations import find_destination
from wexodos.model import (
    Document,
    Generator,
    Item,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    Sound,
    Track,
)
from wexodos.timing import Rate

PAL = Rate(25)


def cut(inner: Rate, length: int, channels: tuple[int, ...] = (1, 2)) -> Document:
    boom = Media(
        "m", "boom.wav", "/k/boom.wav", start=0, rate=PAL, duration=400, audio=True, sample_rate=48000
    )
    take = Item("x", "boom", 0, length, MediaUse("m"), 2, sound=Sound((1,)))
    nest = Sequence(
        "n", "Nest", inner, 0, sample_rate=48000, tracks=(Track("audio", (take,)),), top_level=False
    )
    use = Item("u", "Nest", 10, 40, NestedUse("n"), 0, sound=Sound(channels))
    top = Sequence("q", "Kiln Night", PAL, 90_000, sample_rate=48000, tracks=(Track("audio", (use,)),))
    return Document("xmeml", "5", (top, nest), (boom,))


@pytest.mark.parametrize(
    ("destination", "end", "told"),
    [
        # 43 of 30 frames a second are 35 5/6 of 25: with the ten before them the sound ends at 45 5/6.
        ("mixing-aaf-embedded", 10 + F(215, 6), []),
        ("finishing-aaf", 46, [("10 to 275/6", "10 to 46", (0.167, "fr"))]),
        ("grading-track-xml", 46, [("10 to 275/6", "10 to 46", (0.167, "fr"))]),
    ],
)
def test_sound_of_a_nest_ends_where_it_ends_and_what_is_rounded_is_named(
    destination: str, end: object, told: list[object]
) -> None:
    document = cut(Rate(30), 43)
    made = plan(document, document.sequences[0], find_destination(destination))
    (item,) = made.sequence.items()
    assert (item.start, item.end) == (10, end)
    assert [(one.before, one.after, one.deviation) for one in made.findings if one.deviation] == told


def test_a_nest_is_heard_whole_in_lane_xml_and_that_is_named() -> None:
    for channels, told in (((1, 2), []), ((1,), [("channels 1", "channels 1, 2")])):
        document = cut(PAL, 40, channels)
        carried = carry_over(document, document.sequences[0], find_destination("editing-lane-xml"))
        assert carried.errors == 0
        assert [(one.before, one.after) for one in carried.findings if one.what == "channels"] == told


def test_a_tone_has_no_sound_in_lane_xml_and_does_not_become_a_picture() -> None:
    bars = Item("b", "Bars", 0, 50, Generator("bars", "Bars"), motion=Motion())
    tone = Item("t", "Tone", 0, 50, Generator("tone", "Tone"), sound=Sound((1, 2)))
    tracks = (Track("video", (bars,)), Track("audio", (tone,)))
    leader = Sequence("q", "Leader", PAL, 90_000, width=1920, height=1080, sample_rate=48000, tracks=tracks)
    document = Document("xmeml", "5", (leader,))
    carried = carry_over(document, leader, find_destination("editing-lane-xml"))
    assert carried.errors == 0 and b'name="Tone"' not in carried.data
    (told,) = [one for one in carried.findings if one.item == "Tone"]
    assert (told.fate, told.why) == ("noted", "generators are pictures there; 'Tone' has no sound")
    kept = carry_over(document, leader, find_destination("editing-track-xml"))
    assert [item.name for item in kept.returned_sequence.items()] == ["Bars", "Tone"]
