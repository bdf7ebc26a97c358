"""Small pieces of both XML dialects as other programs write them, read by hand-computed values."""

from __future__ import annotations

from fractions import Fraction as F

import pytest

from wexodos.formats import read_bytes
from wexodos.model import Angles, Constant, Document, Fade, Generator, Item, MediaUse, Title

# ---- Lane XML


def lane(
    body: str, resources: str = "", head: str = 'format="r1" tcStart="3600s" duration="20s"'
) -> Document:
    return read_bytes(
        f"""<?xml version="1.0"?><!DOCTYPE fcpxml><fcpxml version="1.10"><resources>
        <format id="r1" frameDuration="1/25s" width="1920" height="1080"/>
        <format id="r2" frameDuration="1001/30000s" width="1280" height="720"/>
        <asset id="a" name="A" start="36000s" duration="40s" hasVideo="1" hasAudio="1" audioChannels="2" audioRate="48000"
         format="r1" src="file:///k/A.mov"/>
        <asset id="s" name="S" start="0s" duration="40s" hasAudio="1" audioChannels="1" audioRate="48000" src="file:///k/S.wav"/>
        <effect id="e" name="Solid" uid=".../Generators.localized/Solids.localized/Custom.localized/Custom.motn"/>
        <effect id="g" name="Glow" uid=".../Generators.localized/Glow.motn"/>{resources}</resources>
        <project name="P"><sequence {head}><spine>{body}</spine></sequence></project></fcpxml>""".encode()
    )


def only(document: Document, kind: str = "video") -> Item:
    tracks = document.sequences[0].video_tracks if kind == "video" else document.sequences[0].audio_tracks
    return tracks[0].items[0]


def heard(volume: str) -> Item:
    return only(
        lane(f'<asset-clip ref="s" offset="3600s" duration="4s" srcEnable="audio">{volume}</asset-clip>'),
        "audio",
    )


@pytest.mark.parametrize(
    ("volume", "level", "keys"),
    [
        ('<adjust-volume amount="-6dB"/>', -6.0, []),
        ('<adjust-volume amount="-6dB" enabled="0"/>', 0.0, []),
        ('<adjust-volume><param name="amount" value="-4dB"/></adjust-volume>', -4.0, []),
        ('<adjust-volume amount="-6dB"><param name="amount" value="-4dB"/></adjust-volume>', -6.0, []),
        ('<adjust-volume amount="-inf"/>', -96.0, []),
        (
            '<adjust-volume><param name="amount"><keyframeAnimation><keyframe time="1s" value="-10dB"/>'
            '<keyframe time="2s" value="0dB"/></keyframeAnimation></param></adjust-volume>',
            -10.0,
            [(25, -10.0), (50, 0.0)],
        ),
    ],
)
def test_levels_of_lane_xml(volume: str, level: float, keys: list[tuple[int, float]]) -> None:
    sound = heard(volume).sound
    assert sound is not None and (
        sound.level.value[0] == level or (level == -96.0 and sound.level.value[0] <= -96.0)
    )
    assert [(key.time, key.value[0]) for key in sound.level.keys] == keys


def test_fades_of_lane_xml() -> None:
    sound = heard(
        '<adjust-volume amount="0dB"><param name="amount"><fadeIn type="linear" duration="10/25s"/>'
        '<fadeOut type="easeOut" duration="5/25s"/></param></adjust-volume>'
    ).sound
    assert sound is not None and (sound.fade_in, sound.fade_out) == (Fade(10), Fade(5, "equal-power"))
    none = heard(
        '<adjust-volume amount="0dB"><param name="amount"><fadeIn duration="0s"/></param></adjust-volume>'
    ).sound
    assert none is not None and none.fade_in is None


def test_what_is_connected_stands_at_its_parents_time() -> None:
    found = lane(
        '<asset-clip ref="a" offset="3602s" start="36004s" duration="4s" srcEnable="video">'
        '<asset-clip ref="a" lane="1" offset="36005s" start="36010s" duration="2s" srcEnable="video"/>'
        '<asset-clip ref="s" lane="-1" offset="36003s" duration="2s" srcEnable="audio"/></asset-clip>'
    )
    low, high = (track.items[0] for track in found.sequences[0].video_tracks)
    assert (low.start, low.duration, low.source_in) == (50, 100, 4)
    assert (high.start, high.duration, high.source_in) == (75, 50, 10)
    # Connected a second before its parent begins.
    assert [one.start for track in found.sequences[0].audio_tracks for one in track.items] == [25]


def test_generators_and_their_colour() -> None:
    solid = only(
        lane(
            '<video ref="e" offset="3600s" start="3600s" duration="2s"><param name="Color" value="1 0.5 0"/></video>'
        )
    )
    assert isinstance(solid.content, Generator) and (solid.content.kind, solid.content.color) == (
        "colour",
        "#ff8000ff",
    )
    twice = only(
        lane(
            '<video ref="e" offset="3600s" start="3600s" duration="2s"><param name="Colour" value="0 0 1"/><param name="Color" value="1 0 0"/></video>'
        )
    )
    assert isinstance(twice.content, Generator) and twice.content.color == "#0000ffff"
    other = only(
        lane(
            '<video ref="g" offset="3600s" start="3600s" duration="2s"><param name="Size" value="3"/></video>'
        )
    )
    assert (
        isinstance(other.content, Generator)
        and other.content.kind == "other"
        and ("Size", "3") in other.content.parameters
    )


def test_a_sequence_without_a_format_takes_its_rate_from_its_media() -> None:
    found = lane(
        '<asset-clip ref="b" offset="0s" duration="2s" srcEnable="video"/>',
        resources='<asset id="b" name="B" hasVideo="1" format="r2" duration="40s" src="file:///k/B.mov"/>',
        head="",
    )
    assert found.sequences[0].rate.label() in ("29.97", "25")


# ---- Track XML


def track(items: str, joins: str = "", more: str = "") -> Document:
    return read_bytes(
        f"""<?xml version="1.0"?><!DOCTYPE xmeml><xmeml version="5"><sequence id="s"><name>K</name>
        <rate><timebase>25</timebase><ntsc>FALSE</ntsc></rate><media><video><format><samplecharacteristics>
        <width>1920</width><height>1080</height></samplecharacteristics></format><track>{items}</track></video></media>
        {more}</sequence></xmeml>""".encode()
    )


FILE = """<file id="f"><name>A.mov</name><rate><timebase>25</timebase></rate><duration>400</duration><media><video>
<samplecharacteristics><width>1280</width><height>720</height></samplecharacteristics></video></media></file>"""


def clipitem(body: str, start: int = 10, end: int = 60, first: int = 100) -> str:
    return f"""<clipitem id="c{start}"><name>A</name><duration>400</duration><rate><timebase>25</timebase></rate><start>{start}</start>
    <end>{end}</end><in>{first}</in><out>{first + 50}</out>{FILE}{body}</clipitem>"""


def effect(key: str, *parameters: str) -> str:
    return f"<filter><effect><name>{key}</name><effectid>{key}</effectid><effecttype>motion</effecttype>{''.join(parameters)}</effect></filter>"


def parameter(key: str, value: str, *keys: tuple[int, str]) -> str:
    moved = "".join(f"<keyframe><when>{when}</when><value>{one}</value></keyframe>" for when, one in keys)
    return f"<parameter><parameterid>{key}</parameterid><name>{key}</name><value>{value}</value>{moved}</parameter>"


def test_motion_of_track_xml_by_its_units() -> None:
    item = only(
        track(
            clipitem(
                effect(
                    "basic",
                    parameter("scale", "150"),
                    parameter("rotation", "-30"),
                    parameter("center", "<horiz>0.25</horiz><vert>-0.5</vert>"),
                    parameter("centerOffset", "<horiz>0.1</horiz><vert>0.2</vert>"),
                )
                + effect(
                    "crop",
                    *(
                        parameter(side, str(10 * number))
                        for number, side in enumerate(("left", "top", "right", "bottom"), 1)
                    ),
                )
                + effect("opacity", parameter("opacity", "100", (110, "0"), (120, "50")))
            )
        )
    )
    motion = item.motion
    assert motion is not None
    # 150 % of 1280 × 720 is the frame: whatever the fit is, the size is that; a quarter of 1280 and half of 720.
    assert motion.position.value == (320.0, -360.0) and motion.rotation.value == (-30.0,)
    assert motion.anchor.value == (0.1, 0.2) and motion.crop.value == (0.1, 0.2, 0.3, 0.4)
    assert [(key.time, key.value[0]) for key in motion.opacity.keys] == [(10, 0.0), (20, 0.5)]


def test_corners_of_track_xml_count_from_where_they_are() -> None:
    item = only(
        track(
            clipitem(
                effect(
                    "distort",
                    parameter("ulcorner", "<horiz>-0.4</horiz><vert>-0.5</vert>"),
                    parameter("urcorner", "<horiz>0.5</horiz><vert>-0.3</vert>"),
                    parameter("lrcorner", "<horiz>0.5</horiz><vert>0.5</vert>"),
                    parameter("llcorner", "<horiz>-0.8</horiz><vert>0.5</vert>"),
                )
            )
        )
    )
    assert item.motion is not None
    assert item.motion.corners.value == pytest.approx((0.1, 0, 0, 0.2, 0, 0, -0.3, 0))


def test_beside_an_open_end_a_transition_says_where_the_cut_is() -> None:
    found = track(
        clipitem("", 10, -1)
        + "<transitionitem><start>55</start><end>65</end><alignment>center</alignment><effect><name>Cross Dissolve</name><effectid>Cross Dissolve</effectid></effect></transitionitem>"
        + clipitem("", -1, 110, 195)
    )
    one, two = found.sequences[0].video_tracks[0].items
    assert (one.start, one.duration, two.start, two.duration) == (10, 50, 60, 50)
    assert two.source_in * 25 == 200


def test_black_and_words_of_track_xml() -> None:
    black = only(
        track("""<generatoritem id="g"><name>Black</name><duration>50</duration><rate><timebase>25</timebase></rate><start>0</start><end>50</end>
    <in>0</in><out>50</out><effect><name>Black</name><effectid>Black</effectid><effecttype>generator</effecttype></effect></generatoritem>""")
    )
    assert isinstance(black.content, Generator) and black.content.kind == "black"
    words = only(
        track("""<generatoritem id="t"><name>Text</name><duration>50</duration><rate><timebase>25</timebase></rate><start>0</start><end>50</end>
    <in>0</in><out>50</out><effect><name>Text</name><effectid>Text</effectid><effecttype>generator</effecttype>
    <parameter><parameterid>str</parameterid><name>Text</name><value>Kiln Night</value></parameter>
    <parameter><parameterid>fontsize</parameterid><name>Size</name><value>60</value></parameter></effect></generatoritem>""")
    )
    assert isinstance(words.content, Title) and words.content.words == "Kiln Night"


def test_a_clip_of_no_effect_is_plain() -> None:
    item = only(track(clipitem("")))
    assert (item.start, item.duration, item.source_in * 25, item.content) == (10, 50, 100, MediaUse("f"))


# ---- what is off, kept or passed over


@pytest.mark.parametrize(
    ("switch", "on"),
    [("", True), ('active="0"', False), ('enabled="0"', False), ('active="1" enabled="1"', True)],
)
def test_a_component_treated_on_its_own_is_off_by_either_switch(switch: str, on: bool) -> None:
    clip = f"""<asset-clip ref="a" offset="3600s" duration="4s"><audio-channel-source srcCh="1" role="dialogue" {switch}/>
        <audio-channel-source srcCh="2" role="music"/></asset-clip>"""
    first, second = (track.items[0] for track in lane(clip).sequences[0].audio_tracks)
    assert (first.sound.channels, second.sound.channels) == ((1,), (2,))  # type: ignore[union-attr]
    assert (first.enabled, second.enabled) == (on, True)


@pytest.mark.parametrize(("active", "on"), [("1", True), ("0", False)])
def test_sound_inside_a_synchronised_clip_is_off_where_its_role_is(active: str, on: bool) -> None:
    clip = f"""<sync-clip name="Wide" offset="3600s" duration="4s"><spine><asset-clip ref="a" offset="0s" duration="4s"
        audioRole="dialogue"/></spine><sync-source sourceID="storyline"><audio-role-source role="dialogue" active="{active}"/>
        </sync-source></sync-clip>"""
    assert only(lane(clip), "audio").enabled is on


def test_fields_of_ours_are_no_fields_of_the_clip() -> None:
    clip = """<asset-clip ref="a" offset="3600s" duration="4s"><metadata><md key="scene" value="4"/>
        <md key="wexodos.label" value="Ochre"/></metadata></asset-clip>"""
    assert only(lane(clip)).metadata == (("scene", "4"),)


def test_what_says_nothing_is_no_note() -> None:
    found = track(clipitem(""), more="<oddment/><leftover>7</leftover>")
    assert [note.where.rpartition("/")[2] for note in found.notes if note.code == "unread-element"] == [
        "leftover"
    ]
    assert [raw.tag for raw in found.sequences[0].raw] == ["leftover"]


def test_the_settings_of_a_graphic_layer_that_are_not_neutral_are_listed() -> None:
    layer = effect("GraphicAndType", parameter("8", "100"), parameter("9", "40"), parameter("77", "5"))
    item = only(
        track(
            clipitem(layer).replace(
                "<name>A.mov</name>", "<name>Graphic</name><mediaSource>GraphicAndType</mediaSource>"
            )
        )
    )
    assert isinstance(item.content, Title)
    assert [(one.name, one.value) for one in item.content.parameters] == [("9", "40"), ("77", "5")]


def test_a_text_that_was_left_out_is_put_in_and_one_that_is_there_stays() -> None:
    def layer(value: str) -> str:
        return (
            "<filter><effect><name>Kiln</name><effectid>GraphicAndType</effectid><parameter><parameterid>1</parameterid>"
            f"<hash>h1</hash>{value}</parameter></effect></filter>"
        )

    graphic = "<name>Graphic</name><mediaSource>GraphicAndType</mediaSource>"

    def texts(value: str) -> list[str]:
        first = clipitem(layer("<value>AAAA</value>"), 10, 60).replace("<name>A.mov</name>", graphic)
        second = clipitem(layer(value), 60, 110).replace("<name>A.mov</name>", graphic)
        items = track(first + second).sequences[0].video_tracks[0].items
        assert isinstance(items[1].content, Title)
        whole = "".join(items[1].content.raw[0].text.split())
        return [whole[whole.index("<hash>") :]]

    assert "<value>AAAA</value>" in texts("")[0]
    assert "<value>AAAA</value>" in texts("<value/>")[0]
    assert "<value>BBBB</value>" in texts("<value>BBBB</value>")[0]


def test_a_medium_without_a_name_has_that_of_its_file() -> None:
    item = clipitem("").replace("<name>A.mov</name>", "<pathurl>file://localhost/k/D/A%20kiln.mov</pathurl>")
    assert track(item).media[0].name == "A kiln.mov"
    assert track(clipitem("").replace("<name>A.mov</name>", "")).media[0].name == "f"


# ---- sound between frames


@pytest.mark.parametrize(
    ("more", "samples"),
    [
        ("", 0),
        ("<subframeoffset>36</subframeoffset>", 691.2),  # hundredths of a frame of 1920 samples
        ("<subframeoffset>-25</subframeoffset>", -480),
        # 254 016 000 000 ticks are a second: 5 292 000 a sample. Frame 100 is at four seconds.
        ("<pproTicksIn>1016064000000</pproTicksIn>", 0),
        ("<pproTicksIn>1019768400000</pproTicksIn>", 700),
        ("<pproTicksIn>1012359600000</pproTicksIn><subframeoffset>36</subframeoffset>", -700),
        # A frame or more away says something else: the frames count.
        ("<pproTicksIn>1026224640000</pproTicksIn>", 0),
        ("<pproTicksIn>-1</pproTicksIn>", 0),
    ],
)
def test_sound_of_track_xml_begins_between_frames_where_it_says_so(more: str, samples: float) -> None:
    text = clipitem(more).replace(
        "</media></file>", "<audio><channelcount>1</channelcount></audio></media></file>"
    )
    document = read_bytes(
        f"""<?xml version="1.0"?><!DOCTYPE xmeml><xmeml version="5"><sequence id="s"><name>K</name>
        <rate><timebase>25</timebase><ntsc>FALSE</ntsc></rate><media><audio><track>{text}</track></audio></media>
        </sequence></xmeml>""".encode()
    )
    item = only(document, "audio")
    assert float(item.source_in * 48000) == pytest.approx(4 * 48000 + samples, abs=1e-6)
    assert (item.start, item.duration) == (10, 50)
    # Pictures begin on frames.
    assert only(track(clipitem(more))).source_in == 4


@pytest.mark.parametrize(
    ("speed", "begin", "source"),
    [
        # The medium has 400 frames: backwards it begins at its end, 100 frames on it is at 300.
        ("100", 100, 300),
        ("200", 100, 200),
        ("50", 100, 350),
    ],
)
def test_a_medium_that_runs_backwards_without_a_graph_begins_at_its_end(
    speed: str, begin: int, source: int
) -> None:
    remap = effect(
        "timeremap", parameter("speed", speed), parameter("reverse", "TRUE"), parameter("variablespeed", "0")
    )
    text = clipitem(remap, first=begin)
    item = only(track(text))
    assert item.speed == Constant(-F(int(speed), 100))
    assert item.source_in * 25 == source
    # Where nothing says how long the medium is, the item does: 400 retimed frames.
    unsaid = text.replace(FILE, FILE.replace("<duration>400</duration>", ""))
    assert only(track(unsaid)).source_in * 25 == 400 * F(int(speed), 100) - begin * F(int(speed), 100)


# ---- channels on tracks of their own


def exploded(second: str, first: str = "1", nest: bool = True) -> Document:
    inner = """<sequence id="n"><name>Fires</name><duration>100</duration><rate><timebase>25</timebase></rate><media>
    <audio><track/></audio></media></sequence>"""
    medium = """<file id="f"><name>Boom.wav</name><rate><timebase>25</timebase></rate><duration>200</duration><media>
    <audio><channelcount>1</channelcount></audio></media></file>"""

    def clip(number: int, channel: str) -> str:
        content = (
            (inner if number == 0 else '<sequence id="n"/>')
            if nest
            else medium
            if number == 0
            else '<file id="f"/>'
        )
        return f"""<track currentExplodedTrackIndex="{number}" totalExplodedTrackCount="2"><clipitem id="c{number}">
        <name>Fires</name><duration>100</duration><rate><timebase>25</timebase></rate><start>0</start><end>50</end><in>0</in>
        <out>50</out>{content}<sourcetrack><mediatype>audio</mediatype><trackindex>{channel}</trackindex></sourcetrack>
        </clipitem></track>"""

    return read_bytes(
        f"""<?xml version="1.0"?><!DOCTYPE xmeml><xmeml version="5"><sequence id="s"><name>K</name>
        <rate><timebase>25</timebase><ntsc>FALSE</ntsc></rate><media><audio>{clip(0, first)}{clip(1, second)}</audio></media>
        </sequence></xmeml>""".encode()
    )


@pytest.mark.parametrize("second", ["1", "2"])
def test_a_nest_on_two_tracks_of_a_pair_is_one_with_both_channels(second: str) -> None:
    found = exploded(second)
    (lane,) = found.top_level[0].audio_tracks
    assert [(one.start, one.duration, one.sound.channels) for one in lane.items] == [(0, 50, (1, 2))]  # type: ignore[union-attr]
    assert [note.code for note in found.notes] == []


def test_one_channel_of_a_medium_heard_twice_stays_on_two_tracks() -> None:
    found = exploded("1", nest=False)
    lanes = found.top_level[0].audio_tracks
    assert [[one.sound.channels for one in lane.items] for lane in lanes] == [[(1,)], [(1,)]]  # type: ignore[union-attr]
    assert [note.code for note in found.notes] == ["channel-twice"]


# ---- what nearby tests passed over


def test_what_says_no_offset_begins_with_what_is_around_it() -> None:
    item = only(lane('<clip name="C" offset="3602s" duration="4s"><video ref="a" duration="40s"/></clip>'))
    assert (item.start, item.duration, item.source_in) == (50, 100, 0)


def test_a_clip_without_a_start_begins_where_its_own_content_does() -> None:
    inner = '<video ref="a" offset="36002s" start="36002s" duration="30s"/>'
    item = only(lane(f'<clip name="C" offset="3600s" duration="4s">{inner}</clip>'))
    assert (item.start, item.duration, item.source_in) == (0, 100, 2)
    # What hangs on it says nothing of where it begins.
    hung = f'<clip name="C" offset="3600s" start="36004s" duration="4s">{inner}</clip>'
    assert only(lane(hung)).source_in == 4
    above = '<video ref="a" offset="1s" start="36001s" duration="1s" lane="1"/>'
    found = lane(f'<clip name="C" offset="3600s" duration="4s">{above}{inner}</clip>')
    assert [(one.start, one.source_in) for one in found.sequences[0].video_tracks[0].items] == [(0, 2)]


def test_of_several_takes_the_first_is_meant_whatever_stands_before_it() -> None:
    takes = "".join(f'<asset-clip ref="a" start="{36000 + n}s" duration="4s"/>' for n in (1, 2))
    item = only(lane(f'<audition offset="3600s"><metadata/>{takes}</audition>'))
    assert (item.start, item.source_in) == (0, 1)


def test_sound_of_another_role_stands_on_another_track() -> None:
    body = "".join(
        f'<asset-clip ref="s" offset="{3600 + 4 * n}s" duration="4s" srcEnable="audio" audioRole="{role}"/>'
        for n, role in enumerate(("dialogue.Ilka", "music", "dialogue"))
    )
    tracks = lane(body).sequences[0].audio_tracks
    assert [[item.start for item in track.items] for track in tracks] == [[0, 200], [100]]


def test_an_angle_that_says_nothing_else_is_seen_and_heard() -> None:
    angles = "".join(
        f'<mc-angle name="{name}" angleID="{name}"><asset-clip ref="a" offset="0s" duration="40s"/></mc-angle>'
        for name in ("left", "right")
    )
    media = f'<media id="mc" name="Two"><multicam format="r1">{angles}</multicam></media>'
    body = '<mc-clip ref="mc" offset="3600s" duration="4s"><mc-source angleID="right"/></mc-clip>'
    content = only(lane(body, media)).content
    assert isinstance(content, Angles) and (content.video, content.audio) == ("right", "right")


def test_a_saturation_alone_leaves_slope_offset_and_power_neutral() -> None:
    item = only(track(clipitem("<colorinfo><asc_sat>0.5</asc_sat></colorinfo>")))
    (found,) = item.effects
    assert found.kind == "primaries"
    assert {one.name: one.value for one in found.parameters} == {
        "slope": "1 1 1",
        "offset": "0 0 0",
        "power": "1 1 1",
        "saturation": "0.5",
    }


def test_an_empty_link_is_no_link() -> None:
    empty = "<link><linkclipref/><mediatype/><groupindex/></link>"
    found = exploded("2", nest=False)
    assert len(found.sequences[0].audio_tracks) == 1
    item = only(track(clipitem(empty)))
    assert item.start == 10


def test_letters_of_one_style_are_one_run() -> None:
    letters = "".join(
        f'<text-style ref="t{n}">{letter}</text-style>' for n, letter in ((1, "K"), (2, "i"), (3, "ln"))
    )
    styles = "".join(
        f'<text-style-def id="t{n}"><text-style font="Barlow" fontSize="{size}"/></text-style-def>'
        for n, size in ((1, 48), (2, 48), (3, 60))
    )
    effect = '<effect id="t" name="Basic Title" uid=".../Titles.localized/Basic Title.moti"/>'
    two = f'<text>{letters}</text><text><text-style ref="t1">Night</text-style></text>'
    item = only(lane(f'<title ref="t" name="T" offset="3600s" duration="4s">{two}{styles}</title>', effect))
    assert isinstance(item.content, Title)
    assert [(run.text, run.size) for run in item.content.runs] == [
        ("Ki", 48),
        ("ln", 60),
        ("\n", None),
        ("Night", 48),
    ]
