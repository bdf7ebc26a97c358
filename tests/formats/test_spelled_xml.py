"""What both XML dialects write for one thing, number by number, worked out by hand from their units."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction as F
from typing import Any

import pytest
from lxml import etree

from wexodos.evaluate import Raster
from wexodos.formats import FORMATS, read_bytes
from wexodos.formats.fcpxml.units import Space
from wexodos.model import (
    Constant,
    Curve,
    Document,
    Effect,
    Fade,
    Generator,
    Item,
    Key,
    Marker,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    Sound,
    SpeedPoint,
    TextRun,
    Title,
    Track,
    Transition,
    Variable,
    constant,
)
from wexodos.timing import Rate

PAL = Rate(25)
WIDE = Media(
    "m",
    "A003C012.mov",
    "/kiln/A003 C012.mov",
    "A003",
    900_000,
    False,
    400,
    PAL,
    1920,
    1080,
    sample_rate=48000,
    video=True,
)
SMALL = replace(WIDE, id="small", name="B.mov", path="/kiln/B.mov", width=1280, height=720)
BOOM = Media(
    "boom",
    "boom.wav",
    "/kiln/boom.wav",
    "S1",
    0,
    False,
    800,
    PAL,
    channels=2,
    sample_rate=48000,
    bit_depth=24,
    audio=True,
)


def clip(**more: Any) -> Item:
    return replace(Item("c1", "Throwing", 10, 50, MediaUse("m"), 4, motion=Motion()), **more)


def heard(sound: Sound, **more: Any) -> Item:
    return replace(Item("a1", "Boom", 10, 50, MediaUse("boom"), 4, sound=sound), **more)


def written(
    name: str, *items: Item, joins: tuple[Transition, ...] = (), version: str = "", **settings: Any
) -> etree._Element:
    kind = "audio" if items and items[0].sound is not None else "video"
    track = Track(kind, items, joins, name="Dialogue" if kind == "audio" else "")
    nest = Sequence(
        "n",
        "Fires",
        PAL,
        width=960,
        height=540,
        tracks=(Track("video", (clip(id="in", start=0),)),),
        top_level=False,
    )
    cut = replace(
        Sequence("s", "Cut", PAL, 90_000, width=1920, height=1080, sample_rate=48000, tracks=(track,)),
        **settings,
    )
    document = Document(name, "", (cut, nest), (WIDE, SMALL, BOOM))
    version = version or {"xmeml": "5", "fcpxml": "1.10"}[name]
    return etree.fromstring(FORMATS[name].write(document, "s", version, None))


def track_item(*items: Item, **more: Any) -> etree._Element:
    found = main_line(written("xmeml", *items, **more))
    return found[0]


def main_line(root: etree._Element, tag: str = "clipitem") -> list[etree._Element]:
    """The clips of the cut itself; media without a place of their own have clips in a folder."""
    return root.findall(f".//sequence/media/*/track/{tag}")


def said(element: etree._Element, *paths: str) -> list[str | None]:
    return [element.findtext(path) for path in paths]


def parameters(item: etree._Element) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for one in item.iter("parameter"):
        keys = [(key.findtext("when"), value_of(key.find("value"))) for key in one.findall("keyframe")]
        found[one.findtext("parameterid") or ""] = keys or value_of(one.find("value"))
    return found


def value_of(value: Any) -> Any:
    return (value.findtext("horiz"), value.findtext("vert")) if len(value) else value.text


# ---- Track XML


def test_a_clip_counts_its_source_from_the_first_frame_of_its_medium() -> None:
    item = track_item(clip())
    assert said(item, "name", "start", "end", "in", "out", "duration", "enabled") == [
        "Throwing",
        "10",
        "60",
        "100",
        "150",
        "400",
        "TRUE",
    ]
    assert said(item, "rate/timebase", "rate/ntsc") == ["25", "FALSE"]
    file = item.find("file")
    assert file is not None
    assert said(
        file,
        "name",
        "pathurl",
        "duration",
        "timecode/string",
        "timecode/frame",
        "timecode/reel/name",
        "timecode/displayformat",
    ) == [
        "A003C012.mov",
        "file://localhost/kiln/A003%20C012.mov",
        "400",
        "10:00:00:00",
        "900000",
        "A003",
        "NDF",
    ]
    assert said(
        file, "media/video/samplecharacteristics/width", "media/video/samplecharacteristics/height"
    ) == ["1920", "1080"]
    assert item.find("filter") is None


def test_beside_a_transition_the_open_end_counts_its_handle() -> None:
    joins = (Transition("t", "D", "dissolve", 55, 10, 60),)
    whole = written("xmeml", clip(), clip(id="c2", start=60, source_in=8), joins=joins)
    one, two = main_line(whole)
    # Five frames on either side of the cut.
    assert said(one, "start", "end", "in", "out") == ["10", "-1", "100", "155"]
    assert said(two, "start", "end", "in", "out") == ["-1", "110", "195", "250"]
    join = whole.find(".//transitionitem")
    assert join is not None and said(join, "start", "end", "alignment") == ["55", "65", "center"]


@pytest.mark.parametrize(
    ("speed", "source", "inside", "keys", "percent", "reverse"),
    [
        # Twice as fast from frame 100: in retimed frames 50; the medium has 200 of them.
        (
            Constant(2),
            4,
            ("50", "100", "200"),
            [("0", "0"), ("50", "100"), ("100", "200"), ("200", "400")],
            "200",
            "FALSE",
        ),
        # Half as fast: 200 in, 800 in all.
        (
            Constant(F(1, 2)),
            4,
            ("200", "250", "800"),
            [("0", "0"), ("200", "100"), ("250", "125"), ("800", "400")],
            "50",
            "FALSE",
        ),
        # Backwards from frame 100: of 400 counted from the end 300 are before it.
        (
            Constant(-1),
            4,
            ("300", "350", "400"),
            [("0", "400"), ("300", "100"), ("350", "50"), ("400", "0")],
            "100",
            "TRUE",
        ),
    ],
)
def test_a_constant_speed_counts_in_retimed_frames_and_draws_its_line(
    speed: Constant,
    source: int,
    inside: tuple[str, str, str],
    keys: list[tuple[str, str]],
    percent: str,
    reverse: str,
) -> None:
    item = track_item(clip(speed=speed, source_in=source))
    assert said(item, "in", "out", "duration") == list(inside)
    found = parameters(item)
    assert (found["speed"], found["reverse"], found["variablespeed"]) == (percent, reverse, "0")
    assert found["graphdict"] == keys
    flags = [key[-1].tag for key in item.findall(".//parameter/keyframe")]
    assert flags == ["speedkfstart", "speedkfin", "speedkfout", "speedkfend"]


def test_a_speed_from_the_first_frame_of_the_medium_needs_no_key_before_it() -> None:
    item = track_item(clip(speed=Constant(2), source_in=0))
    flags = [key[-1].tag for key in item.findall(".//parameter/keyframe")]
    assert flags == ["speedkfin", "speedkfout", "speedkfend"]
    # 400 frames at twice the speed are 200: one that shows them all needs no key behind it.
    whole = track_item(clip(speed=Constant(2), source_in=0, duration=200))
    assert [key[-1].tag for key in whole.findall(".//parameter/keyframe")] == ["speedkfin", "speedkfout"]


def test_a_ramp_draws_its_points_and_a_freeze_is_a_still_frame() -> None:
    ramp = Variable((SpeedPoint(0, 4), SpeedPoint(20, 5), SpeedPoint(50, 8)))
    item = track_item(clip(speed=ramp, source_in=4))
    found = parameters(item)
    begin = int(item.findtext("in") or "")
    assert found["variablespeed"] == "1"
    assert [(int(float(when or "")) - begin, value) for when, value in found["graphdict"]] == [
        (0, "100"),
        (20, "125"),
        (50, "200"),
    ]
    # Four seconds of source in two: twice as fast in the mean.
    assert found["speed"] == "200"
    frozen = track_item(clip(speed=Constant(0)))
    assert said(frozen, "stillframe", "stillframeoffset") == ["TRUE", "100"] and frozen.find("filter") is None


def test_motion_is_in_percent_of_the_native_size_and_fractions_of_the_source() -> None:
    motion = Motion("fit", constant(320, -270), constant(0.5, 0.5), constant(30), constant(0.25, -0.5))
    found = parameters(track_item(clip(content=MediaUse("small"), motion=motion)))
    # 1280 × 720 is fitted by one and a half and halved; a quarter of 1280 to the right, 3/8 of 720 up.
    assert found == {
        "scale": "75",
        "rotation": "30",
        "center": ("0.25", "-0.375"),
        "centerOffset": ("0.25", "-0.5"),
    }
    wide = parameters(
        track_item(clip(motion=Motion("fit", scale=constant(0.5, 0.5)), content=NestedUse("n")))
    )
    # A nest of 960 × 540 is fitted by two and halved.
    assert wide["scale"] == "100"


@pytest.mark.parametrize(
    ("scale", "spelled", "back"),
    [
        (2 / 3, "66.66666667", 2 / 3),
        (0.667, "66.7000000667", 0.667),  # 66.7 would be taken for two thirds, rounded
        (0.6703, "67.03", 0.6703),
        (0.66, "66", 0.66),
        (1.0003, "100.03", 1.0003),
    ],
)
def test_a_size_near_a_fit_is_no_fit(scale: float, spelled: str, back: float) -> None:
    # 2880 × 1620 in 1920 × 1080: the fit is two thirds.
    media = replace(WIDE, width=2880, height=1620)
    cut = Sequence("s", "Cut", PAL, 0, width=1920, height=1080)
    item = clip(motion=Motion("none", scale=constant(scale, scale)))
    cut = replace(cut, tracks=(Track("video", (item,)),))
    data = FORMATS["xmeml"].write(Document("xmeml", "5", (cut,), (media,)), "s", "5", None)
    found = parameters(main_line(etree.fromstring(data))[0])["scale"]
    assert float(found) == pytest.approx(float(spelled), abs=1e-8)
    assert len(found) <= 11
    motion = next(read_bytes(data).sequences[0].items()).motion
    assert motion is not None
    assert motion.scale.still[0] == pytest.approx(back, rel=2e-9)
    # What others round to one decimal is the fit they mean.
    rounded = data.replace(f"<value>{found}</value>".encode(), b"<value>66.7</value>")
    motion = next(read_bytes(rounded).sequences[0].items()).motion
    assert motion is not None
    assert motion.scale.still[0] == pytest.approx(2 / 3, rel=1e-12)


def test_crop_corners_and_opacity() -> None:
    motion = Motion(
        crop=constant(0.1, 0.2, 0.3, 0.4),
        corners=constant(0.1, 0, 0, 0.2, 0, 0, -0.3, 0),
        opacity=constant(0.25),
    )
    found = parameters(track_item(clip(motion=motion)))
    assert [found[side] for side in ("left", "top", "right", "bottom")] == ["10", "20", "30", "40"]
    assert [found[corner] for corner in ("ulcorner", "urcorner", "lrcorner", "llcorner")] == [
        ("-0.4", "-0.5"),
        ("0.5", "-0.3"),
        ("0.5", "0.5"),
        ("-0.8", "0.5"),
    ]
    assert found["opacity"] == "25"


def test_width_and_height_apart_are_pulled_corners() -> None:
    found = parameters(track_item(clip(motion=Motion(scale=constant(0.5, 1.0)))))
    # The height counts as size; the corners go to half the width.
    assert found["scale"] == "100"
    assert [found[corner] for corner in ("ulcorner", "lrcorner")] == [("-0.25", "-0.5"), ("0.25", "0.5")]


def test_keys_count_in_the_time_of_the_medium() -> None:
    moving = Curve((1.0,), (Key(-5, (0.0,)), Key(20, (1.0,))))
    assert parameters(track_item(clip(motion=Motion(opacity=moving))))["opacity"] == [
        ("95", "0"),
        ("120", "100"),
    ]


def test_levels_are_gains_and_pans_go_from_minus_one_to_one() -> None:
    level = Curve((0.0,), (Key(0, (-6.0206,)), Key(10, (0.0,))), "gain")
    found = parameters(track_item(heard(Sound((2,), level, pan=constant(-0.25)))))
    assert [(when, round(float(value), 5)) for when, value in found["level"]] == [("100", 0.5), ("110", 1.0)]
    assert found["pan"] == "-0.25"
    item = track_item(heard(Sound((2,))))
    assert (
        said(item, "sourcetrack/mediatype", "sourcetrack/trackindex") == ["audio", "2"]
        and item.find("filter") is None
    )
    assert said(
        item,
        "file/media/audio/channelcount",
        "file/media/audio/samplecharacteristics/depth",
        "file/media/audio/samplecharacteristics/samplerate",
    ) == ["2", "24", "48000"]


def test_channels_that_are_muted_are_off() -> None:
    items = main_line(written("xmeml", heard(Sound((1, 2), muted=(2,)))))
    assert [(one.findtext("sourcetrack/trackindex"), one.findtext("enabled")) for one in items] == [
        ("1", "TRUE"),
        ("2", "FALSE"),
    ]


def test_markers_count_from_the_media_and_from_the_cut() -> None:
    marks = (Marker(5, 0, "Look", "glow", "#ff8000ff"), Marker(7, 10, "Span"))
    item = track_item(clip(markers=marks))
    assert [said(one, "name", "in", "out") for one in item.findall("marker")] == [
        ["Look", "105", "-1"],
        ["Span", "107", "117"],
    ]
    assert item.findtext("marker/comment") == "glow"
    assert said(item, "marker/color/red", "marker/color/green", "marker/color/blue") == ["255", "128", "0"]
    whole = written("xmeml", clip(), markers=(Marker(30, 2, "Cut"),))
    assert [said(one, "in", "out") for one in whole.iter("marker")] == [["30", "32"]]


# ---- Lane XML


def lane_item(*items: Item, tag: str = "asset-clip", **more: Any) -> etree._Element:
    found = written("fcpxml", *items, **more).find(f".//sequence//{tag}")
    assert found is not None
    return found


def test_a_clip_says_its_time_in_seconds_of_the_media() -> None:
    item = lane_item(clip())
    # 400 ms into the cut that begins at an hour; four seconds into a medium that begins at ten hours.
    assert [item.get(name) for name in ("name", "offset", "start", "duration")] == [
        "Throwing",
        "18002/5s",
        "36004s",
        "2s",
    ]
    assert item.get("tcFormat") == "NDF" and item.get("enabled") is None
    assert lane_item(clip(enabled=False)).get("enabled") == "0"


@pytest.mark.parametrize(
    ("speed", "points"),
    [
        # The medium has 16 seconds.
        (Constant(2), [("36000s", "36000s"), ("36008s", "36016s")]),
        (Constant(F(1, 2)), [("36000s", "36000s"), ("36032s", "36016s")]),
        (Constant(-1), [("36000s", "36016s"), ("36016s", "36000s")]),
        (Constant(0), [("36000s", "36004s"), ("36002s", "36004s")]),
        (Variable((SpeedPoint(0, 4), SpeedPoint(50, 8))), [("36000s", "36004s"), ("36002s", "36008s")]),
    ],
)
def test_speeds_map_the_time_of_the_clip_to_that_of_the_medium(
    speed: Any, points: list[tuple[str, str]]
) -> None:
    item = lane_item(clip(speed=speed))
    assert [(one.get("time"), one.get("value")) for one in item.iter("timept")] == points
    start = {2: "36002s", F(1, 2): "36008s", -1: "36012s"}.get(getattr(speed, "rate", None), "36000s")
    assert item.get("start") == start


def test_rounded_corners_keep_their_lengths() -> None:
    ramp = Variable((SpeedPoint(0, 4), SpeedPoint(20, 5, 5, 10), SpeedPoint(50, 8)))
    rounded = lane_item(clip(speed=ramp)).findall(".//timept")[1]
    assert [rounded.get(name) for name in ("interp", "inTime", "outTime")] == ["smooth2", "1/5s", "2/5s"]


def test_motion_is_in_percent_of_the_frames_height_with_up_above() -> None:
    motion = Motion("fit", constant(108, -54), constant(0.5, 0.25), constant(30), constant(0.25, -0.5))
    transform = lane_item(clip(motion=motion)).find("adjust-transform")
    assert transform is not None
    # 108 of 1080 is 10; anchors in percent of the height too: a quarter of 1920 is 44.4.
    assert dict(transform.attrib) == {
        "position": "10 5",
        "scale": "0.5 0.25",
        "rotation": "-30",
        "anchor": "44.44444444 50",
    }
    conform = lane_item(clip(content=MediaUse("small"), motion=Motion("none"))).find("adjust-conform")
    assert conform is not None and conform.get("type") == "none"
    assert lane_item(clip(motion=Motion("none"))).find("adjust-conform") is None


def test_crops_and_corners_are_percent_of_the_sources_height() -> None:
    motion = Motion(
        "fit",
        crop=constant(0.1, 0.2, 0.3, 0.4),
        corners=constant(0.1, 0.2, 0, 0, 0, 0, 0, 0),
        opacity=constant(0.25),
    )
    item = lane_item(clip(motion=motion, blend="multiply"))
    # Across, a tenth of 1920 is 17.78 hundredths of 1080.
    assert dict(item.find("adjust-crop/trim-rect").attrib) == {
        "left": "17.77777778",
        "top": "20",
        "right": "53.33333333",
        "bottom": "40",
    }  # type: ignore[union-attr]
    assert item.find("adjust-corners").get("topLeft") == "17.77777778 -20"  # type: ignore[union-attr]
    blend = item.find("adjust-blend")
    assert blend is not None and blend.get("amount") == "0.25" and "ultiply" in (blend.get("mode") or "")


def test_keys_count_in_the_clips_own_time() -> None:
    moving = Curve((1.0,), (Key(0, (0.0,)), Key(20, (1.0,))))
    keys = lane_item(clip(motion=Motion("fit", opacity=moving))).findall(".//adjust-blend//keyframe")
    assert [(one.get("time"), one.get("value")) for one in keys] == [("36004s", "0"), ("180024/5s", "1")]


def test_levels_pans_and_fades() -> None:
    sound = Sound(
        (1, 2), constant(-3.5), pan=constant(0.5), fade_in=Fade(10), fade_out=Fade(5, "equal-power")
    )
    item = lane_item(heard(sound))
    volume = item.find("adjust-volume")
    assert volume is not None and volume.get("amount") == "-3.5dB"
    fades = [(one.tag, one.get("type"), one.get("duration")) for one in volume.iter("fadeIn", "fadeOut")]
    assert fades == [("fadeIn", "linear", "2/5s"), ("fadeOut", "easeOut", "1/5s")]
    assert item.find("adjust-panner").get("amount") == "50"  # type: ignore[union-attr]
    assert item.get("audioRole") == "Dialogue" and item.find("audio-channel-source") is None


@pytest.mark.parametrize(
    ("channels", "muted", "sources"),
    [
        ((1, 2), (), []),
        ((1,), (), [("1", None)]),
        ((2,), (), [("2", None)]),
        ((1, 2), (2,), [("1", None), ("2", "0")]),
    ],
)
def test_which_channels_are_heard(
    channels: tuple[int, ...], muted: tuple[int, ...], sources: list[tuple[str, str | None]]
) -> None:
    item = lane_item(heard(Sound(channels, muted=muted)))
    assert [(one.get("srcCh"), one.get("active")) for one in item.findall("audio-channel-source")] == sources


def test_markers_of_every_kind() -> None:
    marks = (
        Marker(5, 0, "Look", "glow"),
        Marker(6, 5, "Do", kind="task", done=False),
        Marker(7, 0, "Part", kind="chapter"),
    )
    item = lane_item(clip(markers=marks))
    found = [
        (one.tag, one.get("start"), one.get("duration"), one.get("value"), one.get("completed"))
        for one in item
        if "marker" in str(one.tag)
    ]
    assert found == [
        ("marker", "180021/5s", "1/25s", "Look", None),
        ("marker", "900106/25s", "1/5s", "Do", "0"),
        ("chapter-marker", "900107/25s", "1/25s", "Part", None),
    ]


def test_titles_and_colours() -> None:
    title = Item(
        "t1",
        "Kiln",
        10,
        50,
        Title((TextRun("Kiln Night", "DejaVu Sans", 60.0, color="#ff8000ff", bold=True),), (120.0, 300.0)),
        motion=Motion(),
    )
    item = lane_item(title, tag="title")
    style = item.find("text-style-def/text-style")
    assert style is not None and (style.get("font"), style.get("fontSize"), style.get("bold")) == (
        "DejaVu Sans",
        "60",
        "1",
    )
    assert [round(float(one), 3) for one in (style.get("fontColor") or "").split()] == [1.0, 0.502, 0.0, 1.0]
    assert item.findtext("text/text-style") == "Kiln Night"
    assert (
        next(one.get("value") for one in item.findall("param") if one.get("name") == "Position") == "120 -300"
    )
    colour = lane_item(
        Item("g", "Wash", 10, 50, Generator("colour", "Colour", "#ff8000ff"), motion=Motion()), tag="video"
    )
    assert [round(float(one), 3) for one in (colour.find("param").get("value") or "").split()] == [
        1.0,
        0.502,
        0.0,
    ]  # type: ignore[union-attr]


@pytest.mark.parametrize("fit", ["fit", "fill", "none"])
def test_units_of_lane_xml_go_out_and_in(fit: str) -> None:
    space = Space(Raster(720, 576, 16 / 15), Raster(1920, 1080), fit)
    # A position of 72 wide pixels is 76.8 square ones: 13.33 percent of 576.
    assert space.position_out((72.0, -57.6)) == pytest.approx((76.8 / 5.76, 10.0))
    assert space.position_in((76.8 / 5.76, 10.0)) == pytest.approx((72.0, -57.6))
    width = {"fit": 768.0, "fill": 1024.0, "none": 1920.0}[fit]
    assert space.anchor_out((0.5, 0.0))[0] == pytest.approx(width / 2 / 5.76)
    assert space.anchor_in(space.anchor_out((0.25, -0.125))) == pytest.approx((0.25, -0.125))
    assert space.crop_out((0.5, 0.25, 0.0, 0.0))[:2] == pytest.approx((960 / 10.8, 25.0))
    assert space.crop_in(960 / 10.8, 25.0, 0, 0) == pytest.approx((0.5, 0.25, 0.0, 0.0))
    assert space.corner_in(space.corner_out((0.1, 0.2))) == pytest.approx((0.1, 0.2))


@pytest.mark.parametrize(
    ("rate", "said_so"), [(48_000, "48k"), (44_100, "44.1k"), (96_000, "96k"), (None, "48k")]
)
def test_a_sample_rate_is_said_in_thousands(rate: int | None, said_so: str) -> None:
    cut = written("fcpxml", clip(), sample_rate=rate).find(".//sequence")
    assert cut is not None and cut.get("audioRate") == said_so


def test_a_share_goes_from_nought_and_a_lean_from_a_hundred_below() -> None:
    grey = Effect("Desaturate", "desaturate", settings=(("amount", constant(0.5)),))
    light = Effect(
        "Brightness and contrast", "brightness-contrast", settings=(("brightness", constant(0.25)),)
    )
    item = track_item(clip(effects=(grey, light)))
    found = {
        one.findtext("parameterid"): said(one, "valuemin", "valuemax", "value")
        for one in item.iter("parameter")
    }
    assert found["amount"] == ["0", "100", "50"]
    assert found["brightness"] == ["-100", "100", "25"]
