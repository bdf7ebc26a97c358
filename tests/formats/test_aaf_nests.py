"""Nests go into an AAF as compositions of their own: looked at with the library, and read again."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction as F
from pathlib import Path

import aaf2
import pytest

from wexodos.carryover import Carried, carry_over
from wexodos.destinations import find_destination
from wexodos.model import (
    Constant,
    Document,
    Item,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    Sound,
    Track,
    constant,
)
from wexodos.timing import Rate

PAL = Rate(25)
TAKE = Media(
    "m", "A003C012.mov", "/k/A003C012.mov", "A003", 900_000, False, 800, PAL, 1920, 1080, video=True,
    audio=True, channels=1, sample_rate=48000,
)  # fmt: skip
FIRES = Sequence(
    "fires",
    "Three fires",
    PAL,
    start=90_000,
    width=960,
    height=540,
    sample_rate=48000,
    tracks=(
        Track(
            "video",
            (
                Item("f1", "First", 0, 40, MediaUse("m"), F(4), motion=Motion("fill")),
                Item("f2", "Second", 40, 60, MediaUse("m"), F(12), motion=Motion("fill")),
            ),
        ),
        Track("audio", (Item("fs", "First", 0, 100, MediaUse("m"), F(4), sound=Sound((1,))),)),
    ),
    top_level=False,
)


def carried(
    *items: Item, sounds: tuple[Item, ...] = (), rate: Rate = PAL, more: tuple[Sequence, ...] = ()
) -> Carried:
    """A cut with these items, and the nest at a rate, handed over to compositing by AAF."""
    tracks = [Track("video", items)]
    if sounds:
        tracks.append(Track("audio", sounds))
    cut = Sequence(
        "cut",
        "Kiln Night",
        PAL,
        start=90_000,
        width=1920,
        height=1080,
        sample_rate=48000,
        tracks=tuple(tracks),
    )
    document = Document("xmeml", "5", (cut, replace(FIRES, rate=rate), *more), (TAKE,))
    return carry_over(document, cut, find_destination("compositing-aaf"))


def nest(name: str, start: int, length: int, **more: object) -> Item:
    more = {"motion": Motion("fit"), **more}
    return Item(name, f"Fires {name}", start, length, NestedUse("fires"), **more)  # type: ignore[arg-type]


def test_a_nest_is_a_reference_to_a_composition_of_its_own(tmp_path: Path) -> None:
    """One composition for two uses, and the first frame of each in edit units."""
    made = carried(nest("a", 0, 30, source_in=F(20, 25)), nest("b", 30, 50, source_in=F(10, 25)))
    path = tmp_path / "nests.aaf"
    path.write_bytes(made.data)
    with aaf2.open(str(path)) as file:
        compositions = {mob.name: mob for mob in file.content.compositionmobs()}
        assert set(compositions) == {"Kiln Night", "Three fires"}
        assert [mob.name for mob in file.content.toplevel()] == ["Kiln Night"]
        fires = compositions["Three fires"]
        found = []
        for slot in compositions["Kiln Night"].slots:
            if slot.media_kind == "Picture":
                for part in slot.segment.components:
                    while not isinstance(part, aaf2.components.SourceClip):
                        (part,) = part.segments
                    found.append((part.mob, part.start, part.length, part.slot.media_kind))
        assert [(one[1:]) for one in found] == [(20, 30, "Picture"), (10, 50, "Picture")]
        assert all(one[0].mob_id == fires.mob_id for one in found)
    assert made.errors == 0


@pytest.mark.parametrize(
    ("motion", "scale"),
    [
        # Half as large as the frame: fitted it is twice its own pixels, not fitted as large as they are.
        (Motion("fit"), 2.0),
        (Motion("none"), 1.0),
        (Motion("fit", scale=constant(0.5, 0.5)), 1.0),
        (Motion("none", scale=constant(1.5, 1.5)), 1.5),
    ],
)
def test_a_nest_of_another_frame_size_stands_as_large_as_it_did(motion: Motion, scale: float) -> None:
    made = carried(nest("a", 0, 30, motion=motion))
    (item,) = made.returned_sequence.items()
    assert item.motion is not None and item.motion.fit == "none"
    assert item.motion.scale.still == pytest.approx((scale, scale), abs=1e-6)
    assert made.errors == 0


def test_a_nest_keeps_its_name_its_speed_and_what_stands_in_it() -> None:
    made = carried(nest("a", 0, 30, source_in=F(10, 25), speed=Constant(F(2))))
    (item,) = made.returned_sequence.items()
    assert (item.name, item.speed, item.source_in) == ("Fires a", Constant(2), F(10, 25))
    assert isinstance(item.content, NestedUse)
    inside = made.returned.sequences_by_id[item.content.sequence]
    assert (inside.name, inside.start, inside.frame_size, inside.top_level) == (
        "Three fires",
        90_000,
        (960, 540),
        False,
    )
    assert [(one.name, one.start, one.duration, one.source_in) for one in inside.items()] == [
        ("First", 0, 40, 4),
        ("Second", 40, 60, 12),
        ("First", 0, 100, 4),
    ]
    assert made.errors == 0


def test_the_sound_of_a_nest_is_unfolded_where_its_picture_stays() -> None:
    """One reference is one track there: the others would not be heard."""
    heard = Item("s", "Fires", 0, 30, NestedUse("fires"), F(20, 25), sound=Sound())
    made = carried(nest("a", 0, 30, source_in=F(20, 25)), sounds=(heard,))
    picture, sound = made.returned_sequence.items()
    assert isinstance(picture.content, NestedUse) and isinstance(sound.content, MediaUse)
    assert (sound.start, sound.duration, sound.source_in) == (0, 30, 4 + F(20, 25))
    assert [one.what for one in made.findings if "nested" in one.why] == ["nested"]
    assert made.errors == 0


def test_a_nest_that_begins_between_two_frames_of_the_cut_goes_to_the_nearer_and_that_is_said() -> None:
    """At 50 frames a second frame 21 of the nest lies at 10.5 of the cut's."""
    made = carried(nest("a", 0, 30, source_in=F(21, 50)), rate=Rate(50))
    (item,) = made.returned_sequence.items()
    assert item.source_in == F(11, 25)
    assert [(one.what, one.deviation) for one in made.findings] == [("source in", (1.0, "fr"))]
    assert made.errors == 0


def test_a_nest_hung_by_an_anchor_is_moved_instead_by_its_own_size() -> None:
    """In its own pixels it is 960 × 540: at 70 % the anchor lies 168 and 37.8 from its middle, turned by 12°."""
    motion = Motion("none", anchor=constant(0.25, 0.1), scale=constant(0.7, 0.7), rotation=constant(12.0))
    made = carried(nest("a", 0, 30, motion=motion))
    (item,) = made.returned_sequence.items()
    assert item.motion is not None and item.motion.anchor.still == (0.0, 0.0)
    cos, sin = 0.9781476007338057, 0.20791169081775934
    wanted = -(168 * cos - 37.8 * sin), -(168 * sin + 37.8 * cos)
    assert item.motion.position.still == pytest.approx(wanted, abs=1e-3)
    assert item.motion.scale.still == pytest.approx((0.7, 0.7), abs=1e-6)
    assert made.errors == 0


def test_a_nest_of_which_nothing_is_seen_goes_with_its_reason() -> None:
    """A reference must name a track of pictures, and there is none."""
    silent = Sequence("silent", "Bells", PAL, tracks=(FIRES.tracks[1],), top_level=False)
    item = Item("n", "Bells", 0, 30, NestedUse("silent"), motion=Motion("fit"))
    made = carried(item, more=(silent,))
    assert list(made.returned_sequence.items()) == []
    assert [one.why for one in made.findings] == ["nothing of its picture goes over"]
    assert made.errors == 0


def test_a_nest_in_a_nest_stays_in_it() -> None:
    outer = Sequence(
        "outer", "Firing", PAL, width=1280, height=720,
        tracks=(Track("video", (nest("a", 5, 50, source_in=F(3, 25)),)),), top_level=False,
    )  # fmt: skip
    whole = Item("w", "Whole", 0, 30, NestedUse("outer"), F(2, 25), motion=Motion("fit"))
    made = carried(whole, more=(outer,))
    (item,) = made.returned_sequence.items()
    assert isinstance(item.content, NestedUse)
    (inside,) = made.returned.sequences_by_id[item.content.sequence].items()
    assert isinstance(inside.content, NestedUse)
    assert (inside.start, inside.duration, inside.source_in) == (5, 50, F(3, 25))
    assert made.returned.sequences_by_id[inside.content.sequence].name == "Three fires"
    assert made.errors == 0
