"""What well-formed mutants found, each by hand: everyday cuts among them."""

from __future__ import annotations

import io
from dataclasses import replace
from fractions import Fraction
from typing import Any

import pytest

from formats.test_crowds import lane_xml, track_xml
from formats.test_sectors import opened
from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.formats import ReadError, read_bytes
from wexodos.formats.aaf.container import Container
from wexodos.formats.fcpxml.lexical import decibels, numbers
from wexodos.formats.limits import is_rate
from wexodos.formats.placed import at_their_places
from wexodos.formats.signs import with_letters
from wexodos.formats.xmeml.lexical import real
from wexodos.model import (
    Angles,
    Document,
    Item,
    Marker,
    Media,
    MediaUse,
    Sequence,
    Sound,
    Track,
    Transition,
    constant,
)
from wexodos.model.plain import PlainError, from_plain
from wexodos.timing import Rate

PAL = Rate(25)
CAM = Media(
    "m", "cam.mov", "/k/cam.mov", "A1", 0, False, 500, PAL, channels=2, sample_rate=48_000, audio=True
)
MOBS = ("finishing-aaf", "grading-aaf", "mixing-aaf-embedded", "mixing-aaf-linked", "mixing-omf")


def mono(name: str, channel: int, pan: float | None, places: tuple[int, ...]) -> Track:
    """A track with one channel of the same recording at each place."""
    sound = Sound((channel,), pan=constant(pan) if pan is not None else None)
    return Track(
        "audio",
        tuple(
            Item(f"i{channel}-{at}", f"Kiln {at}", at, 80, MediaUse("m"), PAL.seconds(at), sound=sound)
            for at in places
        ),
        name=name,
    )


@pytest.mark.parametrize("name", ["Camera", "", "C" * 64])
@pytest.mark.parametrize("left, right", [(-1.0, 1.0), (None, 1.0), (None, None), (-0.5, 0.5)])
@pytest.mark.parametrize("second", [(0, 100, 200), (0, 200), (0,)])
@pytest.mark.sampled(12)
def test_two_mono_tracks_of_one_name_stay_two(
    name: str, left: float | None, right: float | None, second: tuple[int, ...]
) -> None:
    """Panned to the sides they look like one pair of channels, as every pair is written there."""
    tracks = mono(name, 1, left, (0, 100, 200)), mono(name, 2, right, second)
    sequence = Sequence("s", "Kiln Night", PAL, 90_000, sample_rate=48_000, tracks=tracks)
    document = Document("xmeml", "5", (sequence,), (CAM,))
    for to in MOBS:
        carried = carry_over(document, sequence, find_destination(to))
        assert carried.errors == 0, to
        back = carried.returned_sequence.audio_tracks
        assert [
            [(item.start, item.sound.channels) for item in track.items if item.sound] for track in back
        ] == [
            [(at, (1,)) for at in (0, 100, 200)],
            [(at, (2,)) for at in second],
        ]
        told = [one.why for one in carried.findings if "other channel of the track before" in one.why]
        taken_for_one = right == 1.0
        assert len(told) == taken_for_one
        if taken_for_one:
            # As long as a track's name may be there.
            other = back[1].name
            assert other.endswith("A2") and name.startswith(other[:-3]) and len(other) >= min(len(name), 25)


def test_a_pair_of_channels_is_still_a_pair() -> None:
    sequence = Sequence(
        "s", "Kiln Night", PAL, 90_000, sample_rate=48_000,
        tracks=(Track("audio", (Item("i", "Kiln", 0, 80, MediaUse("m"), sound=Sound((1, 2))),), name="Camera"),),
    )  # fmt: skip
    document = Document("xmeml", "5", (sequence,), (CAM,))
    for to in MOBS:
        carried = carry_over(document, sequence, find_destination(to))
        (track,) = carried.returned_sequence.audio_tracks
        assert carried.errors == 0 and track.name == "Camera"
        assert [item.sound.channels for item in track.items if item.sound] == [(1, 2)]


def test_two_markers_that_are_alike_are_two_in_a_list() -> None:
    line = "001  A001 V     C        10:00:00:00 10:00:02:00 01:00:00:00 01:00:02:00\n"
    again = line.replace(" V ", " A ").replace("001  A", "002  A")
    mark = "* LOC: 01:00:01:00 RED     Hour eleven\n"

    def read(text: str) -> list[tuple[Any, str]]:
        (sequence,) = read_bytes(("TITLE: K\n" + text).encode(), "list.edl").top_level
        return [(one.start, one.name) for one in sequence.markers]

    assert read(line + mark + mark) == [(24, "Hour eleven")] * 2
    assert read(line + mark) == [(24, "Hour eleven")]
    # A list of the sound behind that of the picture says all of them again.
    both = f"{line}{mark}{mark}TITLE: K\n{again}{mark}{mark}"
    assert read(both) == [(24, "Hour eleven")] * 2
    sequence = Sequence(
        "s", "Kiln Night", PAL, 90_000,
        tracks=(Track("video", (Item("i", "Kiln", 0, 80, MediaUse("m")),)),),
        markers=(Marker(25, 0, "Hour eleven", "", "#ff0000ff"),) * 2,
    )  # fmt: skip
    document = Document("xmeml", "5", (sequence,), (CAM,))
    carried = carry_over(document, sequence, find_destination("cut-list-edl"))
    assert carried.errors == 0 and len(carried.returned_sequence.markers) == 2


@pytest.mark.parametrize(
    "place", ["<end>60</end>", "<start>40</start>", "<start>-1</start><end>60</end>", ""]
)
def test_a_transition_that_does_not_say_where_it_is_is_left_out_and_named(place: str) -> None:
    def clip(number: int, start: int, end: int) -> str:
        return (
            f'<clipitem id="c{number}"><name>Kiln {number}</name><rate><timebase>25</timebase></rate>'
            f"<start>{start}</start><end>{end}</end><in>10</in><out>{10 + end - start}</out>"
            f'<file id="f{number}"><name>k.mov</name><pathurl>file:///k.mov</pathurl></file></clipitem>'
        )

    join = (
        f"<transitionitem>{place}<alignment>center</alignment><rate><timebase>25</timebase></rate>"
        "<effect><name>Cross Dissolve</name><effectid>Cross Dissolve</effectid></effect></transitionitem>"
    )
    document = read_bytes(track_xml(clip(1, 0, 50) + join + clip(2, 50, 100)), "cut.xml")
    (track,) = document.top_level[0].video_tracks
    assert [(item.start, item.duration) for item in track.items] == [(0, 50), (50, 50)]
    assert track.transitions == ()
    assert any("does not say where it is" in note.text for note in document.notes)


def test_what_cannot_be_a_rate_is_none() -> None:
    rates = (1, 24, Fraction(24000, 1001), 192_000, 10_000_000)
    assert all(map(is_rate, rates))
    assert not any(map(is_rate, (0, -25, Fraction(25, 65_537), Fraction(999, 1000), 10_000_001)))
    with pytest.raises(ReadError, match=r"a rate of '0\.0004' frames per second is impossible"):
        read_bytes(track_xml("").replace(b"<timebase>25", b"<timebase>0.0004"), "cut.xml")


def test_the_loudest_level_and_the_largest_number() -> None:
    assert decibels("200dB") == 200.0 and decibels("200.5dB") is None
    assert numbers("10000000 -10000000") == (1e7, -1e7) and numbers("10000001 0") == ()
    assert real("-10000000") == -1e7 and real("10000001") is None


@pytest.mark.parametrize(
    "inside",
    [
        '<adjust-volume amount="1e308dB"/>',
        '<adjust-volume amount="201dB"/>',
        '<adjust-transform scale="1e11 1e11"/>',
        '<adjust-transform position="10000001 0"/>',
    ],
)
def test_numbers_no_cut_has_are_not_taken(inside: str) -> None:
    clip = f'<asset-clip ref="r2" offset="0s" duration="2s" name="Kiln">{inside}</asset-clip>'
    asset = (
        '<asset id="r2" name="k" start="0s" duration="10s" hasVideo="1" hasAudio="1" audioChannels="1" '
        'format="r1"><media-rep kind="original-media" src="file:///k.mov"/></asset>'
    )
    plain = clip.replace(inside, "")
    documents = [read_bytes(lane_xml(one, asset), "cut.fcpxml") for one in (clip, plain)]
    states = [[(item.motion, item.sound) for item in document.top_level[0].items()] for document in documents]
    assert states[0] == states[1]
    for to in ("finishing-aaf", "mixing-omf"):
        assert carry_over(documents[0], documents[0].top_level[0], find_destination(to)).errors == 0


@pytest.mark.parametrize(
    "data",
    [
        {"~": "Sound", "channels": ["1"]},
        {"~": "Sound", "channels": [0]},
        {"~": "Sound", "channels": "12"},
        {"~": "Sound", "pan": 0.5},
        {"~": "Item", "id": "i", "name": "n", "start": "0", "duration": 5, "content": None},
        {"~": "Item", "id": "i", "name": "n", "start": 0, "duration": 5, "content": "a clip"},
        {"~": "Marker", "start": 0, "duration": 0, "name": True},
        {"~": "Curve", "value": [0.0, "x"]},
        {"~": "Curve", "value": [0.0, 1e13]},
        {"~": "Curve", "value": []},
        {"~": "Curve", "value": [0.0], "keys": [{"~": "Key", "time": 0, "value": []}]},
        {"~": "Curve", "value": [0.0], "keys": [{"~": "Key", "time": 0, "value": [1.0, 2.0]}]},
        {"~": "Curve", "value": [0.0], "keys": [{"~": "Key", "time": 5, "value": [1.0]}] * 2},
        {"~": "Sound", "level": {"~": "Curve", "value": [0.0, 0.0]}},
        {"~": "Sound", "pan": {"~": "Curve", "value": [0.0, 0.0]}},
        {"~": "Sound", "channels": [1, 65]},
        {"~": "Sound", "channels": [2, 2]},
        {"~": "Marker", "start": 10**16, "duration": 0},
        {"~": "Marker", "start": {"~": "q", "v": f"{10**16}/7"}, "duration": 0},
        {"~": "Media", "id": "", "name": "kiln.mov"},
        {"~": "Motion", "scale": {"~": "Curve", "value": [1.0]}},
    ],
)
def test_what_we_wrote_ourselves_and_a_stranger_changed_is_no_value(data: dict[str, Any]) -> None:
    with pytest.raises(PlainError):
        from_plain(data)


def test_a_transition_away_from_its_cut_is_left_out_and_named() -> None:
    items = tuple(Item(f"i{at}", f"Kiln {at}", at, 50, MediaUse("m")) for at in (0, 50, 100))
    joins = (
        Transition("t1", "Fire", "dissolve", 40, 20, 50),
        Transition("t2", "Smoke", "dissolve", 125, 20, 100),
    )
    tracks = Track("audio", name="first"), Track("video", items, joins)
    document = Document("xmeml", "5", (Sequence("s", "Kiln Night", PAL, tracks=tracks),), (CAM,))
    found = at_their_places(document)
    assert [one.kind for one in found.sequences[0].tracks] == ["audio", "video"]
    assert found.sequences[0].tracks[1].transitions == joins[:1]
    assert [note.text for note in found.notes] == [
        "the transition Smoke does not lie on its cut and is left out"
    ]
    assert at_their_places(found) is found
    # Nor can two be on one cut, nor an item last no time.
    twice = replace(joins[0], id="t3", name="Ash")
    nothing = Item("i0", "Spark", 150, 0, MediaUse("m"))
    track = Track("video", (*items, nothing), (joins[0], twice))
    crowded = replace(document, sequences=(replace(document.sequences[0], tracks=(track,)),))
    found = at_their_places(crowded)
    assert (found.sequences[0].tracks[0].items, found.sequences[0].tracks[0].transitions) == (
        items,
        joins[:1],
    )
    assert [(note.code, note.where, note.text) for note in found.notes] == [
        ("no-length", "s/i0", "Spark at 00:00:06:00 lasts no time and is left out"),
        ("off-cut", "s/t3", "the transition Ash is the second on its cut and is left out"),
    ]
    # At either end it still touches.
    for cut in (40, 60):
        edge = replace(joins[0], cut=cut)
        whole = replace(
            document, sequences=(replace(document.sequences[0], tracks=(Track("video", items, (edge,)),)),)
        )
        assert at_their_places(whole) is whole


def test_an_angle_of_a_medium_that_is_defined_nowhere_stays_an_angle() -> None:
    multicam = (
        '<media id="r5" name="Quill"><multicam format="r1" tcStart="0s" tcFormat="NDF">'
        '<mc-angle name="wide" angleID="a1"><asset-clip ref="r9" offset="0s" start="3600s" duration="20s"/></mc-angle>'
        '<mc-angle name="close" angleID="a2"><asset-clip ref="r2" offset="0s" start="0s" duration="20s"/></mc-angle>'
        "</multicam></media>"
    )
    clip = (
        '<mc-clip ref="r5" lane="1" offset="2s" duration="4s" name="Quill"><mc-source angleID="a1" srcEnable="all"/>'
        "</mc-clip>"
    )
    document = read_bytes(lane_xml(clip, multicam), "cut.fcpxml")
    (content,) = [item.content for item in document.top_level[0].items() if isinstance(item.content, Angles)]
    assert [(one.name, one.media, one.sequence) for one in content.angles] == [
        ("wide", "r9", None),
        ("close", "r2", None),
    ]
    assert any("'r9' is used but defined nowhere" in note.text for note in document.notes)
    for to in ("editing-lane-xml", "editing-track-xml", "grading-aaf"):
        assert carry_over(document, document.top_level[0], find_destination(to)).errors == 0


def test_a_nest_that_is_defined_with_nothing_in_it_is_offline_and_said() -> None:
    clip = '<ref-clip ref="r5" lane="1" offset="2s" duration="4s" name="Three fires"/>'
    document = read_bytes(lane_xml(clip, '<media id="r5" name="Three fires"></media>'), "cut.fcpxml")
    assert "Three fires" in [media.name for media in document.media]
    assert any("'r5' is used but defined nowhere" in note.text for note in document.notes)
    assert carry_over(document, document.top_level[0], find_destination("archive-otio")).errors == 0


def test_signs_that_are_no_letters_leave_a_name_behind_and_take_no_label_along() -> None:
    item = Item("i", "Quill", 0, 50, MediaUse("m"), metadata=(("\u202e", "a"), ("sce\u202ene", "b")))
    nameless = replace(CAM, name="\u202e\u202d", path=None)
    sequence = Sequence("s", "Kiln Night", PAL, tracks=(Track("video", (item,)),))
    found = with_letters(Document("xmeml", "5", (sequence,), (nameless,)))
    assert found.media[0].name == "unnamed"
    assert next(iter(found.sequences[0].items())).metadata == (("scene", "b"),)
    assert [note.code for note in found.notes] == ["signs"]


def test_a_list_that_claims_a_rate_nobody_has_goes_by_its_codes() -> None:
    def cut_list(rate: str) -> bytes:
        return (
            f"TITLE: KILN NIGHT\nFCM: NON-DROP FRAME\n* FRAME RATE: {rate}\n\n"
            "001  A003C012 V     C        10:00:00:00 10:00:02:24 01:00:00:00 01:00:02:24\n"
        ).encode()

    rates = [
        read_bytes(cut_list(rate), "cut.edl").top_level[0].rate.fps for rate in ("1000", "1001", "50", "25/2")
    ]
    assert rates == [1000, 25, 50, 25]


@pytest.mark.parametrize("where", ["/Header-2/Content-3b03/Mobs-1901 index", "/Header-2/Dictionary-3b04"])
@pytest.mark.sampled(2)
def test_an_index_that_counts_more_than_it_names_is_refused_before_room_is_made(
    kiln_night: Document, where: str
) -> None:
    """The library asks for as much memory as the count says: 24 bytes and more for each."""
    data = bytearray(carry_over(kiln_night, kiln_night.top_level[0], find_destination("finishing-aaf")).data)
    held = opened(bytes(data))
    name = next(
        str(one.path())
        for _root, _storages, streams in held.walk("/")
        for one in streams
        if str(one.path()).startswith(where) and str(one.path()).endswith(" index")
    )
    content = bytes(held.open(name).read())
    place = data.find(content[:60])
    assert place > 0 and data.count(content[:60]) == 1
    for count, fits in ((len(content) // 4, True), (len(content) // 4 + 1, False), (0xFFFFFFFF, False)):
        data[place : place + 4] = count.to_bytes(4, "little")
        if fits:
            Container(io.BytesIO(data))
        else:
            with pytest.raises(ReadError, match="counts more objects"):
                read_bytes(bytes(data), "cut.aaf")
