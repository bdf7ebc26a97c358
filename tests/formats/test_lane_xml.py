"""Reading Lane XML the way other programs write it; every number worked out by hand."""

from __future__ import annotations

from fractions import Fraction

import pytest

from wexodos.cli.inspecting import document_data
from wexodos.evaluate import Evaluator, state_at
from wexodos.formats import FORMATS, ReadError, read_bytes
from wexodos.model import Angles, Constant, Document, NestedUse, Variable

RESOURCES = """<resources>
<media id="r4" name="Fires"><sequence format="r1" tcStart="0s"><spine>
 <asset-clip ref="r2" offset="0s" start="36004s" duration="2s" name="inner"/></spine></sequence></media>
<media id="r9" name="Talk"><multicam format="r1" tcStart="0s">
 <mc-angle name="Wide" angleID="A"><asset-clip ref="r2" offset="0s" duration="32s" name="w"/></mc-angle>
 <mc-angle name="Close" angleID="B"><gap offset="0s" duration="2s" start="3600s"/><asset-clip ref="r3" offset="2s" duration="24s"/></mc-angle>
</multicam></media>
<format id="r1" name="FFVideoFormat1080p25"/><format id="r6" name="FFVideoFormatRateUndefined" width="800" height="600"/>
<format id="r7" frameDuration="1001/30000s" width="1280" height="720"/>
<asset id="r2" name="A003C012" src="file:///V/A003C012.mov" start="36000s" duration="32s" hasVideo="1" format="r1" hasAudio="1"
 audioSources="1" audioChannels="2" audioRate="48000"/>
<asset id="r3" name="B" start="40800s" duration="24s" hasVideo="1" format="r1">
 <media-rep kind="proxy-media" src="file:///V/proxy/B.mov"/><media-rep kind="original-media" src="file:///V/B.mov"/></asset>
<asset id="r5" name="chart" src="file:///V/chart.png" start="0s" duration="0s" hasVideo="1" format="r6"/>
<asset id="r8" name="VO" src="file:///V/VO.wav" start="0s" duration="20s" hasAudio="1" audioSources="1" audioChannels="1" audioRate="44.1k"/>
<asset id="r10" name="phone" src="file:///V/phone.mov" start="0s" duration="1001/100s" hasVideo="1" format="r7"/>
<effect id="r11" name="Cross Dissolve" uid="x"/><effect id="r12" name="Basic Title" uid="t"/>
</resources>"""


def read(spine: str, start: str = "3600s") -> Document:
    return read_bytes(
        (
            f'<?xml version="1.0"?><!DOCTYPE fcpxml><fcpxml version="1.11">{RESOURCES}<library><event name="E">'
            f'<project name="P"><sequence format="r1" tcStart="{start}" duration="10s"><spine>{spine}</spine></sequence>'
            "</project></event></library></fcpxml>"
        ).encode()
    )


def placed(document: Document) -> list[tuple[object, ...]]:
    return [
        (label, item.name, item.start, item.duration)
        for label, track in document.sequences[0].labelled_tracks()
        for item in track.items
    ]


MAIN = '<asset-clip name="main" ref="r2" offset="3600s" start="36002s" duration="4s" srcEnable="video">{}</asset-clip>'


def test_children_of_gaps_and_trimmed_parents_count_in_their_parents_time() -> None:
    found = read(
        '<gap offset="3600s" start="3600s" duration="2s"><asset-clip name="on gap" ref="r3" lane="1" offset="3601s" '
        'start="40801s" duration="1s"/></gap>'
        + MAIN.format('<asset-clip name="on clip" ref="r3" lane="1" offset="36003s" duration="1s"/>').replace(
            'offset="3600s" start', 'offset="3602s" start'
        )
    )
    assert placed(found) == [("V1", "main", 50, 100), ("V2", "on gap", 25, 25), ("V2", "on clip", 75, 25)]
    inserted = found.sequences[0].video_tracks[1].items[1]
    assert inserted.source_in == 0, "a missing start is the medium's own where zero lies outside it"


def test_connected_storylines_outlast_their_parent() -> None:
    line = (
        '<spine lane="1" offset="36003s"><asset-clip name="one" ref="r3" offset="0s" start="40800s" duration="3s"/>'
        '<transition offset="5/2s" duration="1s"><filter-video ref="r11"/></transition>'
        '<asset-clip name="two" ref="r3" offset="3s" start="40810s" duration="3s"/></spine>'
    )
    found = read(MAIN.format(line))
    assert placed(found)[1:] == [("V2", "one", 25, 75), ("V2", "two", 100, 75)]
    (join,) = found.sequences[0].video_tracks[1].transitions
    assert (join.start, join.duration, join.cut) == (Fraction(175, 2), 25, 100)
    assert found.sequences[0].audio_tracks == ()


def test_a_clip_is_a_window_on_its_contents() -> None:
    found = read(
        '<clip name="old form" offset="3600s" start="36002s" duration="4s"><video ref="r2" offset="36000s" start="36000s" '
        'duration="32s"><audio ref="r2" lane="-1" offset="36000s" start="36000s" duration="32s" srcCh="1"/>'
        '<audio ref="r2" lane="-2" offset="36000s" start="36000s" duration="32s" srcCh="2"/></video></clip>'
    )
    assert placed(found) == [("V1", "old form", 0, 100), ("A1", "old form", 0, 100)]
    picture, sound = found.sequences[0].items()
    assert picture.source_in == sound.source_in == 2
    assert sound.sound is not None
    assert sound.sound.channels == (1, 2)
    assert picture.link == sound.link != None  # noqa: E711


def test_detached_sound_in_a_carrier_gap() -> None:
    found = read(
        MAIN.format(
            '<clip name="detached" lane="-1" offset="36002s" start="36002s" duration="4s"><gap offset="36000s" '
            'duration="32s"><audio ref="r2" lane="-1" offset="36000s" start="36000s" duration="32s" srcCh="1"/></gap>'
            "</clip>"
        )
    )
    (sound,) = found.sequences[0].audio_tracks[0].items
    assert (sound.start, sound.duration, sound.source_in) == (0, 100, 2)


def test_lanes_become_tracks_in_their_order() -> None:
    found = read(
        MAIN.format(
            '<asset-clip name="top" ref="r3" lane="4" offset="36002s" duration="1s"/>'
            '<asset-clip name="low" ref="r3" lane="2" offset="36002s" duration="1s"><asset-clip name="on low" ref="r3" lane="1" '
            'offset="40800s" duration="1s"/></asset-clip><asset-clip name="under" ref="r3" lane="-1" offset="36002s" duration="1s"/>'
        )
    )
    assert [(label, name) for label, name, *_ in placed(found)] == [
        ("V1", "under"),
        ("V2", "main"),
        ("V3", "low"),
        ("V4", "on low"),
        ("V5", "top"),
    ]


def test_sound_between_frames_and_in_another_sample_rate_stays_exact() -> None:
    found = read(
        MAIN.format(
            '<asset-clip name="VO" ref="r8" lane="-1" offset="25921453/720s" start="7/720s" duration="1s"/>'
        )
    )
    (sound,) = found.sequences[0].audio_tracks[0].items
    assert sound.start == (Fraction(25921453, 720) - 36002) * 25
    assert sound.source_in == Fraction(7, 720)
    frame = -(-sound.start // 1)
    heard = state_at(Evaluator(found), found.sequences[0], int(frame))["sound"][0]
    assert heard["source_sample"] == (Fraction(7, 720) + (frame - sound.start) / 25) * 44100 // 1


@pytest.mark.parametrize(
    ("points", "speed", "first"),
    [
        (
            '<timept time="36000s" value="36000s" interp="linear"/><timept time="36064s" value="36032s" interp="linear"/>',
            "1/2",
            25,
        ),
        ('<timept time="36000s" value="36032s"/><timept time="36032s" value="36000s"/>', "-1/1", 749),
        ('<timept time="36000s" value="36008s"/><timept time="36064s" value="36008s"/>', "0/1", 200),
    ],
)
def test_constant_speeds(points: str, speed: str, first: int) -> None:
    found = read(MAIN.format(f"<timeMap>{points}</timeMap>"))
    (item,) = found.sequences[0].items()
    data = document_data(found, "x")["sequences"][0]["tracks"][0]["items"][0]
    assert isinstance(item.speed, Constant)
    assert (data["speed"]["rate"], data["source_in"]) == (speed, first)
    assert state_at(Evaluator(found), found.sequences[0], 0)["picture"][0]["source_frame"] == first


def test_a_ramp() -> None:
    found = read(
        MAIN.format(
            '<timeMap><timept time="36000s" value="36000s"/><timept time="36004s" value="36004s"/>'
            '<timept time="36010s" value="36006s"/></timeMap>'
        )
    )
    (item,) = found.sequences[0].items()
    assert isinstance(item.speed, Variable)
    shown = [
        state_at(Evaluator(found), found.sequences[0], frame)["picture"][0]["source_frame"]
        for frame in (0, 50, 99)
    ]
    assert shown == [50, 100, 116]


def test_nested_multi_angle_still_and_alternatives() -> None:
    found = read(
        '<ref-clip ref="r4" name="nest" offset="3600s" start="1s" duration="1s"/>'
        '<mc-clip ref="r9" name="talk" offset="3601s" start="5s" duration="1s"><mc-source angleID="B" srcEnable="video"/>'
        '<mc-source angleID="A" srcEnable="audio"/></mc-clip><video ref="r5" name="chart" offset="3602s" start="3600s" '
        'duration="1s"/><audition offset="3603s"><asset-clip ref="r3" name="picked" duration="1s"/>'
        '<asset-clip ref="r2" name="other" duration="1s"/></audition>'
    )
    items = found.sequences[0].video_tracks[0].items
    assert [item.kind for item in items] == ["nested", "multicam", "still", "clip"]
    assert isinstance(items[0].content, NestedUse)
    assert isinstance(items[1].content, Angles)
    states = [state_at(Evaluator(found), found.sequences[0], frame)["picture"][0] for frame in (0, 25, 50)]
    assert [(one["media"], one["source_frame"], one["item"]) for one in states] == [
        ("A003C012.mov", 125, "inner"),
        ("B.mov", 75, "talk"),
        ("chart.png", 0, "chart"),
    ]
    assert states[1]["angle"] == "Close"
    assert states[2]["size"] == [1440, 1080]
    assert [one.top_level for one in found.sequences] == [True, False]
    assert "alternatives" in [note.code for note in found.notes]
    assert found.media_by_id["r3"].path == "/V/B.mov"
    assert found.media_by_id["r3"].proxy_path == "/V/proxy/B.mov"


def test_split_edits_have_their_own_sound() -> None:
    found = read(
        '<asset-clip name="a" ref="r2" offset="3600s" start="36002s" duration="4s" audioStart="36001s" audioDuration="6s"/>'
    )
    (sound,) = found.sequences[0].audio_tracks[0].items
    assert (sound.start, sound.duration, sound.source_in) == (-25, 150, 1)


def test_place_scale_crop_and_opacity_in_the_dialects_own_units() -> None:
    found = read(
        MAIN.format(
            '<adjust-crop mode="trim"><trim-rect left="10" top="5"/></adjust-crop><adjust-transform '
            'position="12.037037 8.333333" scale="0.5 0.5" rotation="30"/><adjust-blend amount="0.8" mode="10 (Screen)"/>'
        )
    )
    (layer,) = state_at(Evaluator(found), found.sequences[0], 0)["picture"]
    assert layer["center"] == pytest.approx([1090, 450], abs=1e-3)
    assert layer["size"] == [960, 540]
    assert layer["rotation"] == -30
    assert layer["crop"] == pytest.approx([0.05625, 0.05, 0, 0])
    assert (layer["opacity"], layer["blend"]) == (0.8, "screen")


def test_keys_count_in_local_time() -> None:
    found = read(
        MAIN.format(
            '<adjust-transform><param name="scale"><keyframeAnimation><keyframe time="36002s" value="1 1"/>'
            '<keyframe time="36004s" value="2 2"/></keyframeAnimation></param></adjust-transform>'
        )
    )
    assert state_at(Evaluator(found), found.sequences[0], 25)["picture"][0]["size"] == [2880, 1620]


def test_near_rates_run_frame_for_frame_where_the_file_says_so() -> None:
    scaled = read(
        '<asset-clip name="p" ref="r10" offset="3600s" start="0s" duration="2s"><conform-rate scaleEnabled="0" '
        'srcFrameRate="29.97"/></asset-clip>'
    )
    assert state_at(Evaluator(scaled), scaled.sequences[0], 25)["picture"][0]["source_frame"] == 29


def test_markers_on_clips_and_gaps() -> None:
    found = read(
        '<gap offset="3600s" start="3600s" duration="1s"><marker start="36005/10s" duration="1/25s" value="on gap"/></gap>'
        '<asset-clip name="a" ref="r3" offset="3601s" start="40801s" duration="2s"><marker start="40802s" duration="1/25s" '
        'value="in" completed="0"/><marker start="40805s" duration="1/25s" value="trimmed away"/></asset-clip>'
    )
    sequence = found.sequences[0]
    assert [(marker.name, marker.start) for marker in sequence.markers] == [("on gap", Fraction(25, 2))]
    (item,) = sequence.items()
    assert [(marker.name, marker.start, marker.done) for marker in item.markers] == [("in", 25, False)]


def test_filters_are_kept_and_written_back_with_their_effect() -> None:
    found = read(
        MAIN.format(
            '<filter-video ref="r11" name="Odd glow"><data key="k">AAAA</data><param name="Amount" key="1" value="3"/>'
            "</filter-video>"
        )
    )
    again = read_bytes(FORMATS["fcpxml"].write(found, found.sequences[0].id, "1.10"))
    (effect,) = next(again.sequences[0].items()).effects
    assert effect.name == "Odd glow"
    assert effect.raw is not None
    assert '<data key="k">AAAA</data>' in effect.raw.text


@pytest.mark.parametrize(
    "bad",
    [
        '<asset-clip ref="r2" offset="3600s" duration="-1s"/>',
        '<asset-clip ref="r2" offset="1/0s" duration="1s"/>',
        '<asset-clip ref="r2" offset="soon" duration="1s"/>',
    ],
)
def test_broken_times_are_named(bad: str) -> None:
    with pytest.raises(ReadError) as caught:
        read(bad)
    assert caught.value.place


def test_a_centred_transition_of_odd_length_goes_over_on_whole_frames_and_is_named() -> None:
    from wexodos.carryover import carry_over
    from wexodos.destinations import find_destination

    found = read(
        '<asset-clip name="a" ref="r3" offset="3600s" start="40802s" duration="2s"/><transition offset="7203/2s" duration="1s">'
        '<filter-video ref="r11"/></transition><asset-clip name="b" ref="r3" offset="3602s" start="40810s" duration="2s"/>'
    )
    (join,) = found.sequences[0].tracks[0].transitions
    assert (join.start, join.cut) == (Fraction(75, 2), 50)
    carried = carry_over(found, found.sequences[0], find_destination("editing-track-xml"))
    assert carried.errors == 0
    (back,) = carried.returned_sequence.tracks[0].transitions
    assert (back.start, back.duration, back.cut) == (37, 25, 50)
    assert [(one.kind, one.deviation) for one in carried.findings] == [("transition", (0.5, "fr"))]


def test_items_that_overlap_go_on_tracks_of_their_own() -> None:
    from wexodos.carryover import carry_over
    from wexodos.destinations import find_destination

    found = read(
        '<asset-clip name="a" ref="r3" offset="3600s" start="40802s" duration="2s"/>'
        '<asset-clip name="b" ref="r3" offset="3601s" start="40810s" duration="2s"/>'
    )
    for destination in ("editing-track-xml", "editing-lane-xml"):
        carried = carry_over(found, found.sequences[0], find_destination(destination))
        assert carried.errors == 0
        assert [[item.name for item in track.items] for track in carried.returned_sequence.video_tracks] == [
            ["a"],
            ["b"],
        ]
        assert [one.what for one in carried.findings] == ["overlap"]


@pytest.mark.loose
def test_what_is_not_understood_goes_back_to_its_own_dialect_and_is_named_in_the_other() -> None:
    from wexodos.carryover import carry_over
    from wexodos.destinations import find_destination

    found = read(
        MAIN.format(
            '<adjust-transform scale="0.5 0.5"/><adjust-stabilization type="smoothCam"/><strange-part kind="x"><deep>1</deep>'
            "</strange-part>"
        )
    )
    assert [note.code for note in found.notes] == ["kept-filter", "unread-element"]
    same = carry_over(found, found.sequences[0], find_destination("editing-lane-xml"))
    assert same.findings == ()
    (item,) = same.returned_sequence.items()
    assert '<strange-part kind="x"><deep>1</deep></strange-part>' in [raw.text for raw in item.raw]
    other = carry_over(found, found.sequences[0], find_destination("editing-track-xml"))
    assert other.errors == 0
    assert {(one.kind, one.what, one.fate.value) for one in other.findings} == {
        ("filter", "stabilization", "left behind"),
        ("metadata", "strange-part", "left behind"),
    }


def test_keys_that_all_lie_before_the_item_stay_there() -> None:
    """Read naively they would count from the item's start: written with one key more, they cannot."""
    from wexodos.carryover import carry_over
    from wexodos.destinations import find_destination
    from wexodos.model import Item, Media, MediaUse, Motion, Sequence, Track, curve
    from wexodos.timing import Rate

    moved = Motion(position=curve([(-8, (0.0, 0.0)), (-2, (100.0, 0.0))]))
    item = Item("i", "shot", 0, 50, MediaUse("m"), Fraction(12, 25), motion=moved)
    media = Media(
        "m", "A.mov", "/A.mov", None, 0, rate=Rate(25), duration=500, width=1920, height=1080, video=True
    )
    document = Document(
        "xmeml",
        "5",
        (Sequence("s", "S", Rate(25), width=1920, height=1080, tracks=(Track("video", (item,)),)),),
        (media,),
    )
    carried = carry_over(document, document.sequences[0], find_destination("editing-lane-xml"))
    assert carried.errors == 0
    seen = state_at(Evaluator(carried.returned), carried.returned_sequence, 0)["picture"][0]
    assert seen["center"] == [1060.0, 540.0]
