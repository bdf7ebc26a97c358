"""Keyframes in Track XML count whole frames of the medium; media in folders have clips from end to end."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction as F

from lxml import etree

from settling.bench import at_work, clip, context
from wexodos.formats import FORMATS, read_bytes
from wexodos.formats.xmeml.settle import keys_on_media
from wexodos.model import (
    Curve,
    Document,
    Item,
    Key,
    Marker,
    Media,
    MediaUse,
    Motion,
    Sequence,
    Sound,
    Track,
    Transition,
)
from wexodos.settling.context import Context
from wexodos.settling.vocabulary import Cause
from wexodos.timing import Rate


def at_thirty(rate: int = 30) -> Context:
    at = context("editing-track-xml")
    shot = Media("m", "A.mov", rate=Rate(rate), duration=900, video=True)
    at.document = replace(at.document, media=(shot,))
    return at


def moving(*times: int) -> Motion:
    return Motion("fit", rotation=Curve((0.0,), tuple(Key(time, (float(time),)) for time in times)))


def test_keys_go_to_the_nearest_frame_of_the_medium_and_say_how_far() -> None:
    # Source from frame 7 of 30 a second, which the 25 frames of the sequence cannot say: 7/30 s is 5.83 frames.
    item = replace(clip("a", 0, 50, motion=moving(0, 3, 10)), source_in=F(7, 30))
    work, lane = at_work(item)
    at = at_thirty()
    keys_on_media(at, work)
    motion = lane.items[0].motion
    # 3 frames of 25 are 3.6 of 30: the fourth, which is at 10/3; 10 are 12.
    assert motion is not None and [key.time for key in motion.rotation.keys] == [0, F(10, 3), 10]
    (reason,) = at.reasons
    assert (reason.cause, reason.deviation, reason.within) == (Cause.KEYS_ON_MEDIUM, (0.333, "fr"), 5 / 12)


def test_of_two_keys_on_one_frame_the_later_counts() -> None:
    # At 12 frames a second 4 and 5 of 25 are 1.92 and 2.4: both the second.
    item = replace(clip("a", 0, 50, motion=moving(0, 4, 5)), source_in=F(7, 12))
    work, lane = at_work(item)
    keys_on_media(at_thirty(12), work)
    motion = lane.items[0].motion
    assert motion is not None
    assert [(key.time, key.value) for key in motion.rotation.keys] == [(0, (0.0,)), (F(25, 6), (5.0,))]


def test_items_that_count_frames_of_the_sequence_keep_their_keys() -> None:
    for source, joins in ((F(2), ()), (F(7, 30), (Transition("t", "Dissolve", "dissolve", 45, 10, 50),))):
        item = replace(clip("a", 0, 50, motion=moving(0, 3, 10)), source_in=source)
        work, lane = at_work(item, joins=joins)
        at = at_thirty()
        keys_on_media(at, work)
        assert lane.items[0] is item and not at.reasons


def test_a_medium_in_a_folder_has_a_clip_for_its_picture_and_each_of_its_channels() -> None:
    spare = Media("s", "B.mov", "/k/B.mov", rate=Rate(25), duration=400, video=True, audio=True, channels=2)
    sequence = Sequence("q", "Cut", Rate(25), tracks=(Track("video"),))
    root = etree.fromstring(FORMATS["xmeml"].write(Document("", "", (sequence,), (spare,)), "q", "5", None))
    rows = [
        (kind, [one.findtext(name) for name in ("start", "end", "in", "out", "sourcetrack/trackindex")])
        for kind in ("video", "audio")
        for one in root.iterfind(f".//clip/media/{kind}/track/clipitem")
    ]
    whole = ["0", "400", "0", "400"]
    assert rows == [("video", [*whole, None]), ("audio", [*whole, "1"]), ("audio", [*whole, "2"])]
    assert [len(one) > 0 for one in root.iter("file")] == [True, False, False]


def test_four_channels_of_one_clip_are_four_tracks_that_say_so_and_one_clip_again() -> None:
    boom = Media("b", "boom.wav", "/k/boom.wav", rate=Rate(25), duration=400, audio=True, channels=4)
    items = tuple(
        Item(key, "boom", start, 40, MediaUse("b"), 2, sound=Sound(channels))
        for key, start, channels in (("four", 0, (1, 2, 3, 4)), ("two", 50, (1, 2)), ("one", 100, (3,)))
    )
    others = tuple(replace(one, id=f"{one.id}-again") for one in items[1:])
    sequence = Sequence("q", "Cut", Rate(25), tracks=(Track("audio", items), Track("audio", others)))
    data = FORMATS["xmeml"].write(Document("", "", (sequence,), (boom,)), "q", "5", None)
    told = [
        (
            one.get("currentExplodedTrackIndex"),
            one.get("totalExplodedTrackCount"),
            len(one.findall("clipitem")),
        )
        for one in etree.fromstring(data).iterfind(".//sequence/media/audio/track")
    ]
    assert told == [
        ("0", "4", 3),
        ("1", "4", 2),
        ("2", "4", 1),
        ("3", "4", 1),
        (None, None, 2),
        (None, None, 1),
    ]
    back = read_bytes(data).sequences[0].audio_tracks
    assert [[item.sound and item.sound.channels for item in track.items] for track in back] == [
        [(1, 2, 3, 4), (1, 2), (3,)],
        [(1, 2), (3,)],
    ]


def test_what_has_no_time_of_its_own_is_counted_late_enough() -> None:
    chart = Media("c", "chart.png", "/k/chart.png", rate=Rate(25), duration=1, video=True, still=True)
    early = Item(
        "i",
        "chart",
        20,
        30,
        MediaUse("c"),
        0,
        still=True,
        motion=moving(-7, 10),
        markers=(Marker(-4, 0, "see"),),
    )
    sequence = Sequence("q", "Cut", Rate(25), tracks=(Track("video", (early,)),))
    document = Document("", "", (sequence,), (chart,))
    data = FORMATS["xmeml"].write(document, "q", "5", None)
    (item,) = etree.fromstring(data).iterfind(".//sequence/media/video/track/clipitem")
    assert [item.findtext(name) for name in ("in", "out", "marker/in")] == ["7", "37", "3"]
    assert [one.text for one in item.iterfind(".//keyframe/when")][:2] == ["0", "17"]
    (back,) = read_bytes(data).sequences[0].items()
    assert back.motion is not None and [key.time for key in back.motion.rotation.keys] == [-7, 10]
    assert [marker.start for marker in back.markers] == [-4]


def test_a_medium_whose_start_nobody_knows_has_a_reel_and_no_timecode() -> None:
    told = []
    for start in (None, 0, 90_000):
        shot = Media("m", "A.mov", "/k/A.mov", "A003", start, rate=Rate(25), duration=400, video=True)
        item = Item("i", "A", 0, 40, MediaUse("m"), 2)
        sequence = Sequence("q", "Cut", Rate(25), tracks=(Track("video", (item,)),))
        data = FORMATS["xmeml"].write(Document("", "", (sequence,), (shot,)), "q", "5", None)
        (code,) = etree.fromstring(data).iterfind(".//file/timecode")
        (back,) = read_bytes(data).media
        told.append((code.findtext("string"), code.findtext("reel/name"), back.start, back.reel))
    assert told == [
        (None, "A003", None, "A003"),
        ("00:00:00:00", "A003", 0, "A003"),
        ("01:00:00:00", "A003", 90_000, "A003"),
    ]
