"""Reading Track XML the way other programs write it; every number worked out by hand."""

from __future__ import annotations

from fractions import Fraction
from fractions import Fraction as F

import numpy as np
import pytest
from lxml import etree

from wexodos.cli.inspecting import document_data
from wexodos.evaluate import Evaluator, state_at
from wexodos.evaluate.curves import curve_values
from wexodos.formats import FORMATS, read_bytes
from wexodos.formats.xmeml.speeds import Remap, settled_unit
from wexodos.model import (
    Adjustment,
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
    TextRun,
    Title,
    Track,
    Variable,
)
from wexodos.timing import Rate

RATE = "<rate><timebase>25</timebase><ntsc>FALSE</ntsc></rate>"


def file(
    key: str = "f1", name: str = "A.mov", frames: int = 800, rate: str = RATE, extra: str = "", audio: int = 2
) -> str:
    sound = f"<audio><channelcount>{audio}</channelcount></audio>" if audio else ""
    return (
        f'<file id="{key}"><name>{name}</name><pathurl>file://localhost/Volumes/K/{name}</pathurl>{rate}<duration>{frames}</duration>'
        f"{extra}<media><video><samplecharacteristics><width>1920</width><height>1080</height></samplecharacteristics></video>{sound}"
        "</media></file>"
    )


def clip(
    key: str,
    start: int,
    end: int,
    into: int,
    out: int,
    inside: str = "",
    rate: str = RATE,
    source: str = '<file id="f1"/>',
) -> str:
    return (
        f'<clipitem id="{key}"><name>{key}</name>{rate}<start>{start}</start><end>{end}</end><in>{into}</in><out>{out}</out>'
        f"{source}{inside}</clipitem>"
    )


def join(start: int, end: int, alignment: str = "center", effect: str = "", extra: str = "") -> str:
    return f"<transitionitem><start>{start}</start><end>{end}</end><alignment>{alignment}</alignment>{extra}{effect}</transitionitem>"


def read(video: str = "", audio: str = "", head: str = RATE, tail: str = "") -> Document:
    return read_bytes(
        (
            f'<?xml version="1.0"?><!DOCTYPE xmeml><xmeml version="5"><sequence id="s"><name>S</name>{head}<media><video><format>'
            f"<samplecharacteristics><width>1920</width><height>1080</height></samplecharacteristics></format>{video}</video><audio>{audio}"
            f"</audio></media>{tail}</sequence></xmeml>"
        ).encode()
    )


def track(*items: str, attributes: str = "") -> str:
    return f"<track {attributes}>{''.join(items)}</track>"


def places(document: Document, kind: str = "video") -> list[tuple[object, ...]]:
    tracks = document.sequences[0].video_tracks if kind == "video" else document.sequences[0].audio_tracks
    rate = document.sequences[0].rate
    return [(item.start, item.end, rate.frames(item.source_in)) for one in tracks for item in one.items]


def test_open_ends_beside_a_dissolve() -> None:
    found = read(track(clip("a", 0, -1, 50, 162, source=file()), join(88, 112), clip("b", -1, 250, 188, 350)))
    assert places(found) == [(0, 100, 50), (100, 250, 200)]
    (one,) = found.sequences[0].tracks[0].transitions
    assert (one.start, one.duration, one.cut, one.type) == (88, 24, 100, "dissolve")


@pytest.mark.parametrize(("alignment", "cut"), [("start", 88), ("end", 111), ("center", 99)])
def test_alignments_and_odd_lengths(alignment: str, cut: int) -> None:
    found = read(
        track(
            clip("a", 0, -1, 50, 161, source=file()), join(88, 111, alignment), clip("b", -1, 250, 188, 350)
        )
    )
    assert found.sequences[0].tracks[0].transitions[0].cut == cut
    assert places(found) == [(0, cut, 50), (cut, 250, 188 + cut - 88)]


def test_ticks_say_the_cut() -> None:
    extra = f"<cutPointTicks>{9 * 254016000000 // 25}</cutPointTicks>"
    found = read(
        track(
            clip("a", 0, -1, 0, 112, source=file()), join(88, 112, extra=extra), clip("b", -1, 250, 188, 350)
        )
    )
    assert found.sequences[0].tracks[0].transitions[0].cut == 97


def test_exporters_that_overlap_or_meet_at_the_cut() -> None:
    overlap = read(
        track(clip("a", 0, 112, 50, 162, source=file()), join(88, 112), clip("b", 88, 250, 188, 350))
    )
    assert places(overlap) == [(0, 100, 50), (100, 250, 200)]
    meeting = read(
        track(clip("a", 0, 95, 50, 145, source=file()), join(88, 112), clip("b", 95, 250, 200, 355))
    )
    assert places(meeting) == [(0, 95, 50), (95, 250, 200)]
    assert meeting.sequences[0].tracks[0].transitions[0].cut == 95


def test_a_fade_to_black_at_the_end() -> None:
    found = read(track(clip("a", 0, -1, 50, 150, source=file()), join(80, 100, "end-black")))
    assert places(found) == [(0, 100, 50)]
    assert found.sequences[0].tracks[0].transitions[0].cut == 100


def test_an_open_end_without_a_transition_is_counted_and_said() -> None:
    found = read(track(clip("a", 10, -1, 50, 150, source=file())))
    assert places(found) == [(10, 110, 50)]
    assert [note.code for note in found.notes] == ["open-end"]


def test_items_in_another_rate_and_lengths_off_by_one_are_no_speed_change() -> None:
    thirty = "<rate><timebase>30</timebase><ntsc>FALSE</ntsc></rate>"
    found = read(track(clip("a", 0, 50, 90, 151, rate=thirty, source=file(rate=thirty))))
    (item,) = found.sequences[0].tracks[0].items
    assert item.source_in == 3
    assert item.kind == "clip"
    assert state_at(Evaluator(found), found.sequences[0], 25)["picture"][0]["source_frame"] == 120


def test_a_rate_cut_down_to_its_whole_part() -> None:
    cut = "<rate><timebase>29</timebase><ntsc>FALSE</ntsc></rate>"
    found = read(
        track(clip("a", 0, 50, 25, 75, inside="<duration>250</duration>", source=file(rate=cut, frames=300)))
    )
    assert str(found.media[0].rate) == "30000/1001"
    assert "truncated-rate" in [note.code for note in found.notes]


GRAPH = """<filter><effect><name>Time Remap</name><effectid>timeremap</effectid><parameter><parameterid>variablespeed</parameterid>
<value>{variable}</value></parameter><parameter><parameterid>speed</parameterid><value>{speed}</value></parameter>
<parameter><parameterid>reverse</parameterid><value>{reverse}</value></parameter><parameter><parameterid>graphdict</parameterid>
{keys}</parameter></effect></filter>"""


def key(when: float, value: float, flag: str = "") -> str:
    mark = f"<{flag}>TRUE</{flag}>" if flag else ""
    return f"<keyframe><when>{when}</when><value>{value}</value>{mark}</keyframe>"


def test_half_speed_counts_in_retimed_frames() -> None:
    graph = GRAPH.format(
        variable=0,
        speed=50,
        reverse="FALSE",
        keys=key(0, 0, "speedkfstart")
        + key(200, 100, "speedkfin")
        + key(260, 130, "speedkfout")
        + key(800, 400, "speedkfend"),
    )
    found = read(track(clip("a", 0, 60, 200, 260, graph, source=file(frames=400))))
    (item,) = found.sequences[0].tracks[0].items
    assert item.speed == Constant(Fraction(1, 2))
    assert item.source_in == 4
    data = document_data(found, "x")["sequences"][0]["tracks"][0]["items"][0]
    assert (data["source_in"], data["source_duration"], data["speed"]["rate"]) == (100, 30, "1/2")


def test_a_speed_rounded_to_three_decimals_is_a_third() -> None:
    graph = GRAPH.format(variable=0, speed="33.333", reverse="FALSE", keys=key(0, 0) + key(2400, 800))
    found = read(track(clip("a", 0, 60, 300, 360, graph, source=file())))
    assert found.sequences[0].tracks[0].items[0].speed == Constant(Fraction(1, 3))


def test_reverse_shows_the_last_frame_first() -> None:
    graph = GRAPH.format(
        variable=0, speed=100, reverse="TRUE", keys=key(0, 400, "speedkfstart") + key(400, 1, "speedkfend")
    )
    found = read(track(clip("a", 0, 100, 0, 100, graph, source=file(frames=400))))
    shown = [
        state_at(Evaluator(found), found.sequences[0], frame)["picture"][0]["source_frame"]
        for frame in (0, 1, 99)
    ]
    assert shown == [399, 398, 300]
    assert document_data(found, "x")["sequences"][0]["tracks"][0]["items"][0]["source_in"] == 399


def test_a_ramp_keeps_its_points() -> None:
    graph = GRAPH.format(
        variable=1, speed=75, reverse="FALSE", keys=key(0, 0) + key(100, 100) + key(200, 150)
    )
    found = read(track(clip("a", 0, 100, 50, 150, graph, source=file())))
    speed = found.sequences[0].tracks[0].items[0].speed
    assert isinstance(speed, Variable)
    assert [(point.time, point.source * 25) for point in speed.points] == [(-50, 0), (50, 100), (150, 150)]


def test_stillframe_and_a_picture_file() -> None:
    found = read(
        track(
            clip(
                "a",
                0,
                50,
                10,
                60,
                "<stillframe>TRUE</stillframe><stillframeoffset>222</stillframeoffset>",
                source=file(),
            ),
            clip("b", 50, 90, 90000, 90040, source=file("f2", "chart.png", 1, audio=0)),
        )
    )
    assert [item.kind for item in found.sequences[0].tracks[0].items] == ["freeze", "still"]
    states = [
        state_at(Evaluator(found), found.sequences[0], frame)["picture"][0]["source_frame"]
        for frame in (0, 49, 60)
    ]
    assert states == [222, 222, 0]


def sound(name: str, channel: int, group: str = "", enabled: str = "TRUE", partner: str = "") -> str:
    links = "".join(
        f"<link><linkclipref>{one}</linkclipref><mediatype>audio</mediatype><groupindex>{group}</groupindex></link>"
        for one in (name, partner)
        if group
    )
    return clip(
        name,
        0,
        100,
        50,
        150,
        f"<enabled>{enabled}</enabled><sourcetrack><mediatype>audio</mediatype>"
        f"<trackindex>{channel}</trackindex></sourcetrack>{links}",
    )


def test_exploded_stereo_becomes_one_item_with_a_muted_channel() -> None:
    tracks = "".join(
        track(
            sound(f"c{n}", n, enabled="TRUE" if n == 1 else "FALSE"),
            attributes=f'currentExplodedTrackIndex="{n - 1}" totalExplodedTrackCount="2"',
        )
        for n in (1, 2)
    )
    found = read(track(clip("v", 0, 100, 50, 150, source=file())), tracks)
    (lane,) = found.sequences[0].audio_tracks
    (item,) = lane.items
    assert item.sound is not None
    assert (item.sound.channels, item.sound.muted, item.enabled) == ((1, 2), (2,), True)


def test_a_pair_without_attributes_is_paired_by_its_links() -> None:
    found = read(
        track(clip("v", 0, 100, 50, 150, source=file())),
        track(sound("c1", 1, "1", partner="c2")) + track(sound("c2", 2, "1", partner="c1")),
    )
    assert [
        item.sound.channels for lane in found.sequences[0].audio_tracks for item in lane.items if item.sound
    ] == [(1, 2)]
    lone = read(
        track(clip("v", 0, 100, 50, 150, source=file())), track(sound("c1", 1)) + track(sound("c2", 2))
    )
    assert len(lone.sequences[0].audio_tracks) == 2


def motion(parameter: str) -> str:
    return f"<filter><effect><name>Basic Motion</name><effectid>basic</effectid>{parameter}</effect></filter>"


def test_motion_is_in_native_percent_and_source_fractions() -> None:
    small = file().replace(
        "<width>1920</width><height>1080</height>", "<width>960</width><height>540</height>"
    )
    placed = motion(
        "<parameter><parameterid>scale</parameterid><value>50</value></parameter><parameter><parameterid>center</parameterid>"
        "<value><horiz>0.25</horiz><vert>-0.5</vert></value></parameter>"
    )
    found = read(track(clip("a", 0, 50, 0, 50, placed, source=small)))
    (layer,) = state_at(Evaluator(found), found.sequences[0], 0)["picture"]
    assert layer["size"] == [480, 270]
    assert layer["center"] == [960 + 0.25 * 960, 540 - 0.5 * 540]


def test_keyframes_count_in_media_time_or_say_otherwise() -> None:
    def keyed(first: int, second: int) -> str:
        return motion(
            f"<parameter><parameterid>scale</parameterid><value>100</value><keyframe><when>{first}</when><value>0</value>"
            f"</keyframe><keyframe><when>{second}</when><value>100</value></keyframe></parameter>"
        )

    media = read(track(clip("a", 10, 60, 200, 250, keyed(200, 220), source=file())))
    item = read(track(clip("a", 10, 60, 200, 250, keyed(0, 20), source=file())))
    for found in (media, item):
        (layer,) = state_at(Evaluator(found), found.sequences[0], 20)["picture"]
        assert layer["size"] == [960, 540]
    assert [note.code for note in item.notes] == ["key-base"]


def test_what_is_not_understood_is_kept_and_said_and_written_back() -> None:
    odd = (
        "<filter><effect><name>Soft glow</name><effectid>softglow</effectid><parameter><parameterid>radius</parameterid>"
        "<name>Radius</name><value>12.5</value></parameter></effect></filter><strange><deep>x</deep></strange>"
    )
    found = read(track(clip("a", 0, 50, 0, 50, odd, source=file())))
    (item,) = found.sequences[0].tracks[0].items
    assert [(effect.name, effect.parameters[0].value) for effect in item.effects] == [("Soft glow", "12.5")]
    assert {(note.code, note.where) for note in found.notes} == {
        ("kept-filter", "s/V1/a"),
        ("unread-element", "s/V1/a/strange"),
    }
    again = read_bytes(FORMATS["xmeml"].write(found, "s", "5"))
    (back,) = again.sequences[0].tracks[0].items
    assert back.effects == item.effects
    assert [raw.tag for raw in back.raw] == ["strange"]


def test_titles_generators_and_synthetic_sources() -> None:
    def slug(name: str, source: str = "Slug", alpha: str = "", extra: str = "") -> str:
        return clip(
            name,
            0,
            10,
            90000,
            90010,
            f"<alphatype>{alpha}</alphatype>{extra}",
            source=f'<file id="{name}"><name>{name}</name><mediaSource>{source}</mediaSource></file>',
        )

    glow = "<filter><effect><effectid>glow</effectid><name>Glow</name></effect></filter>"
    lines = (
        "<generatoritem id='g'><start>0</start><end>10</end><in>0</in><out>10</out><effect><name>Text</name><effectid>Text</effectid>"
        "<effectcategory>Text</effectcategory><effecttype>generator</effecttype><parameter><parameterid>str</parameterid>"
        "<value>one&#13;two</value></parameter></effect></generatoritem>"
    )
    found = read(
        "".join(
            track(one)
            for one in (
                lines,
                slug("Black Video"),
                slug("Old caption", alpha="straight"),
                slug("Wash", extra=glow),
                slug("Bars and Tone"),
            )
        )
    )
    contents = [one.items[0].content for one in found.sequences[0].video_tracks]
    assert isinstance(contents[0], Title)
    assert contents[0].words == "one\ntwo"
    assert isinstance(contents[1], Generator)
    assert contents[1].kind == "black"
    assert isinstance(contents[2], Title)
    assert not contents[2].words_known
    assert isinstance(contents[3], Adjustment)
    assert isinstance(contents[4], Generator)
    assert contents[4].kind == "bars"


def test_drop_frame_without_ntsc_and_booleans_in_any_spelling() -> None:
    found = read(
        tail="<timecode><rate><timebase>30</timebase><ntsc>false</ntsc></rate><string>01;00;00;00</string>"
        "<displayformat>DF</displayformat></timecode>",
        head="<rate><ntsc>false</ntsc><timebase>30.</timebase></rate>",
    )
    sequence = found.sequences[0]
    assert (sequence.drop_frame, sequence.start, str(sequence.timecode(0))) == (True, 107892, "01:00:00;00")


def test_the_same_id_for_two_files_and_a_file_defined_nowhere() -> None:
    found = read(
        track(
            clip("a", 0, 10, 0, 10, source=file("f1", "A.mov")),
            clip("b", 10, 20, 0, 10, source=file("f1", "B.mov")),
            clip("c", 20, 30, 0, 10, source='<file id="gone"/>'),
        )
    )
    names = {media.id: media.file_name for media in found.media}
    assert [names[item.content.media] for item in found.sequences[0].tracks[0].items] == [
        "A.mov",
        "B.mov",
        "c",
    ]  # type: ignore[union-attr]
    assert [note.code for note in found.notes] == ["repeated-id", "missing-reference"]


def test_dips_wipes_and_laws() -> None:
    def effect(name: str, code: int = 0, more: str = "") -> str:
        return f"<effect><name>{name}</name><effectid>{name}</effectid><wipecode>{code}</wipecode>{more}</effect>"

    white = "<parameter><parameterid>color</parameterid><value><red>255</red><green>255</green><blue>255</blue></value></parameter>"
    kinds = []
    for one in (
        effect("Dip to Color Dissolve", more=white),
        effect("Edge Wipe", 1, "<reverse>TRUE</reverse>"),
        effect("Star Iris"),
        effect("Push Slide"),
        effect("Swirl"),
        effect("Non-Additive Dissolve"),
        effect("Additive Dissolve"),
    ):
        found = read(
            track(
                clip("a", 0, -1, 0, 112, source=file()), join(88, 112, effect=one), clip("b", -1, 200, 0, 112)
            )
        )
        transition = found.sequences[0].tracks[0].transitions[0]
        kinds.append((transition.type, transition.color, transition.pattern, transition.direction))
    assert kinds == [
        ("dip", "#ffffffff", None, None),
        ("wipe", None, 1, "right to left"),
        ("iris", None, 119, "centre to edges"),
        ("push", None, None, None),
        ("other", None, None, None),
        ("dissolve", None, None, None),
        ("additive", None, None, None),
    ]


def test_a_speed_without_a_graph_is_percent_or_ratio_by_the_lengths_it_explains() -> None:
    for spelled in ("50", "0.5"):
        bare = (
            "<duration>1600</duration><filter><effect><effectid>timeremap</effectid><parameter><parameterid>speed</parameterid>"
            f"<value>{spelled}</value></parameter></effect></filter>"
        )
        found = read(track(clip("a", 0, 60, 200, 260, bare, source=file())))
        (item,) = found.sequences[0].tracks[0].items
        assert (item.speed, item.source_in) == (Constant(Fraction(1, 2)), 4)


def test_ticks_mend_a_channel_that_overlaps_its_neighbour() -> None:
    def ticks(first: int, last: int) -> str:
        return f"<pproTicksIn>{first * 254016000000 // 25}</pproTicksIn><pproTicksOut>{last * 254016000000 // 25}</pproTicksOut>"

    found = read(
        audio=track(
            clip("a", 0, 112, 50, 162, ticks(50, 150), source=file()),
            clip("b", 88, 250, 188, 350, ticks(200, 350)),
        )
    )
    assert places(found, "audio") == [(0, 100, 50), (100, 250, 200)]
    assert [note.code for note in found.notes] == ["ticks", "ticks"]


def placed_at(points: list[tuple[str, str]]) -> Document:
    """Pictures of 1280×720 in a frame of 1920×1080, each moved by a fraction as a file spells it."""
    small = file().replace(
        "<width>1920</width><height>1080</height>", "<width>1280</width><height>720</height>"
    )
    clips = ""
    for number, (x, y) in enumerate(points):
        motion = (
            "<filter><effect><name>Basic Motion</name><effectid>basic</effectid><parameter><parameterid>center</parameterid>"
            f"<name>Center</name><value><horiz>{x}</horiz><vert>{y}</vert></value></parameter></effect></filter>"
        )
        clips += clip(
            f"c{number}",
            number * 20,
            number * 20 + 20,
            0,
            20,
            motion,
            source=small if not number else '<file id="f1"/>',
        )
    return read(f"<track>{clips}</track>")


@pytest.mark.parametrize(
    ("size", "points", "moved"),
    [
        # 100, 37.5 and 211 pixels of 1920, -50, 13 and 77.7 of 1080, rounded to six digits: only the frame's size gives them back.
        (
            "sequence",
            [("0.052083", "-0.046296"), ("0.019531", "0.012037"), ("0.109896", "0.071944")],
            (100.0, -50.0),
        ),
        # The same pixels as parts of 1280 and 720.
        (
            "source",
            [("0.078125", "-0.069444"), ("0.029297", "0.018056"), ("0.164844", "0.107917")],
            (100.0, -50.0),
        ),
        # Two are not enough to tell.
        ("source", [("0.052083", "-0.046296"), ("0.019531", "0.012037")], (66.67, -33.33)),
        # Spelled to the last digit: no rounding, no evidence.
        (
            "source",
            [
                ("0.0520833333", "-0.0462962963"),
                ("0.0195312500", "0.0120370370"),
                ("0.1098958333", "0.0719444444"),
            ],
            (66.67, -33.33),
        ),
    ],
)
def test_offsets_are_parts_of_the_size_that_makes_them_whole_pixels(
    size: str, points: list[tuple[str, str]], moved: tuple[float, float]
) -> None:
    found = placed_at(points)
    first = found.sequences[0].video_tracks[0].items[0]
    assert first.motion is not None
    assert first.motion.position.value == pytest.approx(moved, abs=0.01)
    assert any(note.code == "reference-size" for note in found.notes) == (size == "sequence")


def test_a_filter_on_a_part_of_an_item_is_said() -> None:
    motion = (
        "<filter><start>5</start><end>9</end><effect><name>Opacity</name><effectid>opacity</effectid><parameter><parameterid>opacity"
        "</parameterid><value>50</value></parameter></effect></filter>"
    )
    found = read(f"<track>{clip('c', 0, 20, 0, 20, motion, source=file())}</track>")
    assert [note.code for note in found.notes] == ["filter-range"]


@pytest.mark.loose
def test_routing_and_settings_of_a_wipe_that_have_no_form_are_named() -> None:
    from wexodos.carryover import carry_over
    from wexodos.destinations import find_destination

    wipe = join(
        90,
        110,
        effect="<effect><name>Edge Wipe</name><effectid>Edge Wipe</effectid><wipecode>1</wipecode><parameter>"
        "<parameterid>repeats</parameterid><name>Repeats</name><value>3</value></parameter></effect>",
        extra="<odd-thing>1</odd-thing>",
    )
    found = read(
        f"<track>{clip('a', 0, -1, 50, 160, source=file())}{wipe}{clip('b', -1, 200, 200, 310)}</track>",
        f"<track>{clip('s', 0, 50, 0, 50)}<outputchannelindex>5</outputchannelindex></track>",
    )
    there = carry_over(found, found.sequences[0], find_destination("editing-lane-xml"))
    assert there.errors == 0
    assert {(one.what, one.before) for one in there.findings if one.kind == "transition"} == {
        ("settings", "Repeats 3, odd-thing")
    }
    assert any("output 5" in one.why for one in there.findings if one.kind == "track")
    same = carry_over(found, found.sequences[0], find_destination("editing-track-xml"))
    assert (same.errors, same.findings) == (0, ())
    assert same.returned_sequence.audio_tracks[0].output == 5


@pytest.mark.parametrize(
    ("spelled", "stated", "pace"),
    [
        # 400 frames of medium: a third of the speed takes 1,200, 200 times it two; 400 is neither.
        ("33.333", 1200, F(33_333, 100_000)),
        ("33.333", 12, F(33_333, 1000)),
        ("33.333", 400, F(33_333, 100_000)),
        ("2", 200, F(2)),
        # Within a twentieth of what twice the speed would take, and well beyond it.
        ("2", 209, F(2)),
        ("2", 260, F(1, 50)),
        ("200", 200, F(2)),
    ],
)
def test_a_speed_is_percent_unless_the_lengths_say_a_ratio(spelled: str, stated: int, pace: F) -> None:
    remap = Remap(F(spelled) / 100, False, [], True)
    assert settled_unit(remap, stated, 400).factor == pace


@pytest.mark.parametrize(("content", "source", "begin"), [("clip", 4, 100), ("title", 0, 9)])
def test_keys_that_all_lie_before_an_item_are_not_taken_for_counted_from_its_beginning(
    content: str, source: int, begin: int
) -> None:
    """They fade from 90 % to 20 %, nine to seven frames before it: it is at 20 % from its first frame to its
    last. Spelled alone, as some count from the item's first frame, they would begin with it."""
    shown = MediaUse("m") if content == "clip" else Title((TextRun("Kiln Night", size=40.0),))
    fading = Curve((0.9,), (Key(-9, (0.9,)), Key(-7, (0.2,))))
    item = Item("i", "shot", 50, 40, shown, source, motion=Motion(opacity=fading))
    sequence = Sequence("s", "S", Rate(25), width=1920, height=1080, tracks=(Track("video", (item,)),))
    media = Media("m", "A.mov", "/A.mov", duration=800, rate=Rate(25), width=1920, height=1080, video=True)
    data = FORMATS["xmeml"].write(Document("xmeml", "5", (sequence,), (media,)), "s", "5")
    whens = [int(one.text or "") for one in etree.fromstring(data).iter("when")]
    assert whens == [begin - 9, begin - 7, begin]
    (back,) = read_bytes(data).sequences[0].items()
    assert back.motion is not None
    assert [curve_values(back.motion.opacity, np.asarray([at]))[0, 0] for at in (0.0, 5.0, 39.0)] == [0.2] * 3
