"""What files say against what the cut says, number by number."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest

from wexodos.media.check import problems
from wexodos.media.match import Candidate
from wexodos.media.needs import Need
from wexodos.media.probe import Probed
from wexodos.media.swap import _adopted, _why_not
from wexodos.model import Document, Item, Media, MediaUse, Motion, Sequence, Track, constant
from wexodos.timing import Rate

PAL = Rate(25)
CUT = Sequence("s", "Cut", PAL, width=1920, height=1080)
MEDIUM = Media(
    "m",
    "A.mov",
    "/k/A.mov",
    duration=1000,
    rate=PAL,
    width=640,
    height=360,
    channels=2,
    sample_rate=48000,
    bit_depth=24,
)


def wrong(
    facts: Probed, media: Media = MEDIUM, high: Fraction | None = Fraction(20)
) -> list[tuple[str, str]]:
    need = Need(media, Fraction(10), high, picture=True, sound=True)
    return [(one.status, one.words) for one in problems(need, facts, 0, CUT)]


def facts(**more: object) -> Probed:
    said = {
        "seconds": "40",
        "rate": "25",
        "video": True,
        "audio": True,
        "width": 640,
        "height": 360,
        "channels": 2,
    }
    return Probed("A.mov", 1, 1, **{**said, **more})  # type: ignore[arg-type]


def test_a_file_is_too_short_from_half_a_frame_before_what_is_used() -> None:
    assert wrong(facts()) == []
    unsaid = replace(MEDIUM, duration=None)
    # Half a frame of 25 is 0.02 s.
    assert wrong(facts(seconds="19.98"), unsaid) == []
    assert wrong(facts(seconds="19.97"), unsaid) == [("wrong length", "19.97 s there, used up to 20.00 s")]
    assert wrong(facts(seconds="5"), unsaid, None) == []
    told = "39.93 s there, 40.00 s in the cut; all that is used is there"
    # A thousandth of 40 s is more than half a frame.
    assert wrong(facts(seconds="39.96")) == [] and wrong(facts(seconds="39.93")) == [("wrong length", told)]
    assert wrong(facts(seconds="41")) == [] and wrong(facts(seconds="")) == []


def test_what_a_file_says_nothing_of_is_not_taken_from_it() -> None:
    bare = Probed("A.mov", 1, 1)
    assert (bare.width, bare.height, bare.channels, bare.sample_rate, bare.sample_bits) == (0, 0, 0, 0, 0)
    assert (bare.length, bare.frames_per_second, bare.start) == (None, None, None)
    motion = Motion(scale=constant(0.5, 0.5))
    item = Item("v", "v", 0, 50, MediaUse("m"), 4, motion=motion)
    cut = replace(CUT, tracks=(Track("video", (item,)),))
    document = Document("xmeml", "5", (cut,), (MEDIUM,))
    kept = _adopted(document, MEDIUM, Candidate(Path("/o/B.mov"), bare, ()))
    medium = kept.media[0]
    assert (medium.path, medium.name, medium.proxy_path) == ("/o/B.mov", "B.mov", "/k/A.mov")
    assert (medium.width, medium.height, medium.channels, medium.sample_rate, medium.bit_depth) == (
        640,
        360,
        2,
        48000,
        24,
    )
    assert kept.sequences[0].tracks[0].items[0] == item


@pytest.mark.parametrize("fit", ["none", "fit"])
def test_a_larger_file_keeps_its_size_in_the_frame(fit: str) -> None:
    item = Item("v", "v", 0, 50, MediaUse("m"), 4, motion=Motion(fit, scale=constant(0.5, 0.5)))
    cut = replace(CUT, tracks=(Track("video", (item,)),))
    document = Document("xmeml", "5", (cut,), (MEDIUM,))
    large = facts(width=1920, height=1080, channels=8, sample_rate=96000, sample_bits=32)
    made = _adopted(document, MEDIUM, Candidate(Path("/o/A.mov"), large, ()))
    medium, moved = made.media[0], made.sequences[0].tracks[0].items[0].motion
    assert (medium.width, medium.channels, medium.sample_rate, medium.bit_depth) == (1920, 8, 96000, 32)
    assert moved is not None
    # A third of the size at three times the pixels; what is fitted is fitted again.
    assert moved.scale.still == pytest.approx((0.5 / 3, 0.5 / 3) if fit == "none" else (0.5, 0.5))


def test_a_file_of_sound_can_stand_in_for_sound_and_not_for_a_picture() -> None:
    spoken = facts(video=False, width=None, height=None)
    assert _why_not(Need(MEDIUM, Fraction(10), Fraction(20), sound=True), spoken, CUT) == ""
    seen = Need(MEDIUM, Fraction(10), Fraction(20), picture=True, sound=True)
    assert _why_not(seen, spoken, CUT) == "there is no picture in it"
