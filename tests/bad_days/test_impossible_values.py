"""Values that no cut has are bounded at the entrance, and what a format cannot say is said."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from typing import Any

import pytest
from lxml import etree

from wexodos.carryover import Carried, carry_over
from wexodos.destinations import find_destination
from wexodos.formats import read_bytes
from wexodos.formats.placed import at_their_places
from wexodos.formats.possible import with_possible_values
from wexodos.formats.signs import with_letters
from wexodos.model import (
    Angle,
    Angles,
    Constant,
    Curve,
    Document,
    Generator,
    Item,
    Key,
    Media,
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
from wexodos.settling.vocabulary import Fate
from wexodos.timing import Rate

PAL = Rate(25)
DAY = 24 * 3600 * 25
CAM = Media("m", "A003C012.mov", "/kiln/A003C012.mov", "A003", 10 * 3600 * 25, False, 500, PAL, 640, 360)
CAM = replace(CAM, channels=2, sample_rate=48_000, bit_depth=24, video=True, audio=True)


def cut(*tracks: Track, media: tuple[Media, ...] = (CAM,), **more: Any) -> Document:
    sequence = Sequence("s", "Kiln Night", PAL, width=640, height=360, tracks=tracks, **more)
    return Document("xmeml", "5", (sequence,), media)


def clip(at: int, length: int = 50, **more: Any) -> Item:
    return Item(f"i{at}", f"Kiln {at}", at, length, MediaUse("m"), more.pop("source", 0), **more)


def sent(document: Document, to: str) -> Carried:
    """The carry-over to a destination, which explains every difference."""
    made = carry_over(document, document.sequences[0], find_destination(to))
    assert not made.errors, [(one.what, one.before, one.after) for one in made.findings if not one.explained]
    return made


def join(name: str, start: int, end: int, at: int) -> Transition:
    return Transition(name, name, "dissolve", start, end - start, at)


@pytest.mark.parametrize(
    "items, joins, expected",
    [
        # An hour over clips of seconds: from the beginning of what goes out to the end of what comes in.
        ((0, 50, 100), [join("Fire", -90_000, 90_000, 50)], [(0, 100)]),
        # Over a gap before it no further than the clip there.
        ((0, 100, 150), [join("Fire", 20, 120, 100)], [(50, 120)]),
        ((0, 100), [join("Fire", 40, 120, 50)], [(40, 100)]),
        # Of two over each other the first ends where the second begins.
        ((0, 50, 100), [join("Fire", 40, 90, 50), join("Smoke", 70, 110, 100)], [(40, 70), (70, 110)]),
        # Where they only meet, and where they fit, nothing is done.
        ((0, 50, 100), [join("Fire", 0, 75, 50), join("Smoke", 75, 150, 100)], [(0, 75), (75, 150)]),
    ],
)
def test_a_transition_has_no_more_room_than_what_it_joins(
    items: tuple[int, ...], joins: list[Transition], expected: list[tuple[int, int]]
) -> None:
    document = cut(Track("video", tuple(map(clip, items)), tuple(joins)))
    found = at_their_places(document)
    kept = found.sequences[0].tracks[0].transitions
    assert [(one.start, one.end) for one in kept] == expected
    assert [one.cut for one in kept] == [one.cut for one in joins]
    short = [one.name for one, (start, end) in zip(joins, expected) if (one.start, one.end) != (start, end)]
    words = [f"the transition {name} is longer than there is room and is shortened" for name in short]
    assert [note.text for note in found.notes] == words
    assert at_their_places(found) is found
    for to in ("cut-list-edl", "finishing-aaf", "editing-lane-xml", "editing-track-xml"):
        sent(found, to)


def test_behind_the_last_clip_a_transition_ends_with_the_cut() -> None:
    track = Track("video", (clip(0), clip(50)), (join("Fire", 80, 120, 100),))
    found = at_their_places(cut(track, stated_duration=110))
    (kept,) = found.sequences[0].tracks[0].transitions
    assert (kept.start, kept.end, kept.cut) == (80, 110, 100) and len(found.notes) == 1
    for to in ("cut-list-edl", "finishing-aaf", "editing-lane-xml", "editing-track-xml"):
        sent(found, to)


@pytest.mark.parametrize(
    "wrong, words",
    [
        ({"height": 0}, "width 640, height 0"),
        ({"width": -640}, "width -640, height 360"),
        ({"height": None}, "width 640 alone"),
        ({"width": None}, "height 360 alone"),
        ({"channels": -1}, "channels -1"),
        ({"sample_rate": 0}, "sample rate 0"),
        ({"bit_depth": 0}, "bit depth 0"),
        ({"bit_depth": 129}, "bit depth 129"),
        ({"start": 100 * 3600 * 25}, "start 9000000"),
    ],
)
def test_a_medium_cannot_have_what_no_file_has(wrong: dict[str, int], words: str) -> None:
    document = cut(Track("video", (clip(0),)), media=(replace(CAM, **wrong),))
    found = with_possible_values(document)
    half = "width" in words or "alone" in words
    nothing = {"width": None, "height": None} if half else dict.fromkeys(wrong)
    assert found.media == (replace(CAM, **nothing),)
    assert [note.text for note in found.notes] == [f"A003C012.mov cannot have {words}; it counts as not said"]


def test_what_a_file_can_have_stays() -> None:
    edge = replace(CAM, start=100 * 3600 * 25 - 1, bit_depth=128, channels=0, sample_rate=1)
    document = cut(Track("video", (clip(0),)), media=(edge,))
    assert with_possible_values(document) is document


def test_a_channel_nobody_has_and_a_colour_without_one() -> None:
    heard = clip(0, sound=Sound((99_999_999_999, 2), muted=(99_999_999_999,)))
    none = clip(50, sound=Sound((0,)))
    wash = Item("w", "Warm wash", 0, 50, Generator("colour", "Color"))
    found = with_possible_values(cut(Track("video", (wash,)), Track("audio", (heard, none))))
    pictures, sounds = found.sequences[0].tracks
    assert [one.sound and (one.sound.channels, one.sound.muted) for one in sounds.items] == [
        ((2,), ()),
        ((1,), ()),
    ]
    assert isinstance(pictures.items[0].content, Generator)
    assert pictures.items[0].content.color == "#000000ff"
    assert [note.where for note in found.notes] == ["s/w", "s/i0", "s/i50"]
    for to in ("editing-lane-xml", "cut-list-edl"):
        sent(found, to)


def test_words_without_a_name_are_left_out_and_said() -> None:
    named = (("", "Lower third"), ("scene", "12"), (" ", "Ada"))
    item = clip(0, metadata=named)
    document = cut(Track("video", (item,)), media=(replace(CAM, metadata=named),), metadata=(("", "48000"),))
    found = with_letters(document)
    assert found.media[0].metadata == (("scene", "12"),)
    assert found.sequences[0].metadata == ()
    assert next(iter(found.sequences[0].items())).metadata == (("scene", "12"),)
    assert [note.text for note in found.notes] == [
        "s/V1: 'Lower third' and 4 more stands there under no name; it is left out"
    ]


def test_two_accounts_of_one_file_are_two_in_mobs() -> None:
    other = replace(CAM, id="n", bit_depth=16, channels=1)
    track = Track("audio", (clip(0, sound=Sound((1,))),))
    second = replace(track, items=(replace(clip(60, sound=Sound((1,))), content=MediaUse("n")),))
    made = sent(cut(Track("video"), track, second, media=(CAM, other)), "finishing-aaf")
    found = read_bytes(made.data)
    depths = {
        item.start: found.media_by_id[item.content.media].bit_depth
        for item in found.top_level[0].items()
        if isinstance(item.content, MediaUse)
    }
    assert depths == {0: 24, 60: 16}


@pytest.mark.parametrize(
    "source, there",
    [
        # The medium begins at 10:00:00:00; 100 hours have no two digits.
        (90 * 3600 - 3, None),
        (90 * 3600 - 2, 90 * 3600 - 2 - 96 * 3600),
        (355 * 3600, 355 * 3600 - 15 * 24 * 3600),
    ],
)
def test_a_source_code_no_list_can_write_is_that_of_another_day(source: int, there: int | None) -> None:
    made = sent(cut(Track("video", (clip(0, source=source), clip(50)))), "cut-list-edl")
    item = made.returned.top_level[0].tracks[0].items[0]
    assert item.source_in == (source if there is None else there)
    said = [one for one in made.findings if one.what == "source in"]
    assert [(one.fate, one.before, one.after) for one in said] == (
        [] if there is None else [(Fate.ADAPTED, str(source), str(there))]
    )


@pytest.mark.parametrize("to", ["finishing-aaf", "editing-track-xml", "editing-lane-xml"])
def test_a_clip_with_all_its_channels_off(to: str) -> None:
    off = clip(0, sound=Sound((2,), muted=(2,)))
    half = clip(50, sound=Sound((1, 2), muted=(2,)))
    made = sent(cut(Track("video"), Track("audio", (off, half))), to)
    whole, pair = made.returned.top_level[0].tracks[-1].items
    assert pair.enabled and pair.sound is not None and pair.sound.muted == (2,)
    assert whole.sound is not None
    assert (whole.enabled, whole.sound.muted) == ((True, (2,)) if "lane" in to else (False, ()))


def test_the_stem_of_a_track_that_lost_its_clips() -> None:
    early = clip(-108_000, sound=Sound((1,)))
    tracks = (Track("video", (clip(0),)), Track("audio", (early,), stem="Dialogue"))
    made = sent(cut(*tracks), "editing-track-xml")
    assert made.returned.top_level[0].tracks[-1].stem is None
    assert any("nothing stands on it to bear its stem" in one.why for one in made.findings)


@pytest.mark.parametrize(
    "scale", [(1.0, 0.0), ((1.0, 1.0), (1.0, 0.0)), ((1.0, 1.0), (0.0, 0.0)), (0.0, 1.0)]
)
@pytest.mark.parametrize("to", ["editing-track-xml", "editing-lane-xml", "finishing-aaf"])
def test_a_picture_that_is_flat(scale: Any, to: str) -> None:
    curve = (
        Curve(scale)
        if isinstance(scale[0], float)
        else Curve(scale[0], (Key(0, scale[0]), Key(40, scale[1])))
    )
    item = clip(0, motion=Motion(scale=curve, opacity=constant(1.0)))
    sent(cut(Track("video", (item,))), to)


def test_an_effect_that_is_defined_nowhere_means_nothing_in_its_transition() -> None:
    def joined(effect: str) -> bytes:
        return (
            '<fcpxml version="1.10"><resources><format id="r1" frameDuration="1/25s" width="640" height="360"/>'
            '<asset id="r2" name="a" start="0s" duration="40s" hasVideo="1" format="r1"><media-rep '
            f'kind="original-media" src="file:///a.mov"/></asset>{effect}</resources><library><event name="e">'
            '<project name="p"><sequence format="r1"><spine><asset-clip ref="r2" name="a" offset="0s" '
            'start="0s" duration="4s"/><transition name="Edge Wipe" offset="3s" duration="2s"><filter-video '
            'ref="r9" name="Edge Wipe"><param name="Pattern" value="2"/></filter-video></transition>'
            '<asset-clip ref="r2" name="b" offset="4s" start="9s" duration="4s"/></spine></sequence>'
            "</project></event></library></fcpxml>"
        ).encode()

    for effect, kept in (("", 0), ('<effect id="r9" name="Edge Wipe" uid="kiln/wipe"/>', 1)):
        document = read_bytes(joined(effect))
        (join,) = document.top_level[0].tracks[0].transitions
        assert (join.type, join.pattern, len(join.raw)) == ("wipe", 2, kept)
        words = [note.text for note in document.notes if "defined nowhere" in note.text]
        assert len(words) == 1 - kept
        for to in ("editing-lane-xml", "editing-track-xml"):
            assert carry_over(document, document.top_level[0], find_destination(to)).errors == 0


@pytest.mark.loose
def test_what_stands_in_the_effect_of_a_transition_refers_to_the_file_that_is_written() -> None:
    data = (
        b'<fcpxml version="1.10"><resources><format id="r1" frameDuration="1/25s" width="640" height="360"/>'
        b'<effect id="r9" name="Edge Wipe" uid="kiln/wipe"/><asset id="r0" name="z" duration="9s" hasVideo="1"/>'
        b'<asset id="r2" name="a" start="0s" duration="40s" hasVideo="1" format="r1"><media-rep '
        b'kind="original-media" src="file:///a.mov"/></asset></resources><library><event name="e">'
        b'<project name="p"><sequence format="r1"><spine><asset-clip ref="r2" name="a" offset="0s" '
        b'start="0s" duration="4s"/><transition name="Edge Wipe" offset="3s" duration="2s"><filter-video '
        b'ref="r9" name="Edge Wipe"><asset-clip ref="r2" name="c" offset="0s" duration="1s"/></filter-video>'
        b'</transition><asset-clip ref="r2" name="b" offset="4s" start="9s" duration="4s"/></spine></sequence>'
        b"</project></event></library></fcpxml>"
    )
    document = read_bytes(data)
    made = carry_over(document, document.top_level[0], find_destination("editing-lane-xml"))
    assert made.errors == 0
    root = etree.fromstring(made.data)
    (inner,) = root.iterfind(".//filter-video/asset-clip")
    (medium,) = root.iterfind(f".//asset[@id='{inner.get('ref')}']/media-rep")
    assert medium.get("src") == "file:///a.mov"


@pytest.mark.parametrize("to", ["finishing-aaf", "editing-track-xml"])
@pytest.mark.parametrize(
    "pace, length", [("34/41", 82), ("-34/41", 82), ("1/2", 50), ("3/4", 48), ("2/3", 51), ("7/9", 81)]
)
def test_a_speed_that_uses_whole_frames_is_no_simpler_one(to: str, pace: str, length: int) -> None:
    item = clip(0, length, source=4, speed=Constant(Fraction(pace)))
    made = sent(cut(Track("video", (item,))), to)
    found = made.returned.top_level[0].tracks[0].items[0].speed
    assert isinstance(found, Constant)
    # Track XML tells speeds in percent.
    limit = Fraction(0) if "aaf" in to else Fraction(1, 10_000)
    assert abs(Fraction(found.rate) - Fraction(pace)) <= limit


def test_a_format_without_an_id_is_that_of_nothing() -> None:
    data = (
        b'<fcpxml version="1.10"><resources><format frameDuration="1/30s"/><format id="r1" '
        b'frameDuration="1/25s" width="640" height="360"/><effect id="r9" name="Edge Wipe" uid="kiln/wipe"/>'
        b'<asset id="r2" name="a" start="0s" duration="40s" hasVideo="1" format="r1"><media-rep '
        b'kind="original-media" src="file:///a.mov"/></asset></resources><library><event name="e">'
        b'<project name="p"><sequence format="r1"><spine><asset-clip ref="r2" name="a" offset="0s" '
        b'start="0s" duration="4s"/><transition name="Edge Wipe" offset="3s" duration="2s"><filter-video '
        b'ref="r9" name="Edge Wipe"><param name="Pattern" value="2"/></filter-video></transition>'
        b'<asset-clip ref="r2" name="b" offset="4s" start="9s" duration="4s"/></spine></sequence>'
        b"</project></event></library></fcpxml>"
    )
    document = read_bytes(data)
    destination = find_destination("editing-lane-xml")
    assert carry_over(document, document.top_level[0], destination).errors == 0


def test_a_ramp_begins_where_its_speed_says() -> None:
    ramp = Variable((SpeedPoint(0, 4), SpeedPoint(40, 6), SpeedPoint(82, 7)))
    document = cut(Track("video", (clip(0, 82, source=1_764_200, speed=ramp),)))
    found = with_possible_values(document)
    (item,) = found.sequences[0].tracks[0].items
    assert item.source_in == 4 and item.speed is ramp
    assert [note.text for note in found.notes] == [
        "Kiln 0 cannot begin so far into its medium; it begins where its speed says"
    ]
    for to in ("editing-track-xml", "editing-lane-xml", "finishing-aaf"):
        sent(found, to)
    assert with_possible_values(found) is found


def test_a_medium_has_the_channels_that_are_used_of_it() -> None:
    """A list without the picture wrote one channel with two slots."""
    mono = replace(CAM, channels=1, video=False, width=None, height=None)
    document = cut(Track("audio", (clip(0, sound=Sound((2,))),)), media=(mono,))
    found = with_possible_values(document)
    assert found.media == (replace(mono, channels=2),)
    assert [note.text for note in found.notes] == [
        "A003C012.mov says its channels are 1, and channel 2 is used; it counts as having 2"
    ]
    for to in ("finishing-aaf", "editing-track-xml", "editing-lane-xml"):
        sent(found, to)
    assert with_possible_values(found) is found


def test_only_the_angle_that_is_heard_has_the_channels_that_are_used() -> None:
    """The second camera has one microphone; nobody hears it."""
    mono = replace(CAM, id="n", name="B001C004.mov", channels=1)
    both = Angles((Angle("A", "wide", "m"), Angle("B", "close", "n")), "B", "A", "Both", "multi")
    document = cut(Track("audio", (replace(clip(0, sound=Sound((1, 2))), content=both),)), media=(CAM, mono))
    assert with_possible_values(document) is document
    heard = replace(both, audio="B")
    document = cut(Track("audio", (replace(clip(0, sound=Sound((1, 2))), content=heard),)), media=(CAM, mono))
    assert [one.channels for one in with_possible_values(document).media] == [2, 2]
