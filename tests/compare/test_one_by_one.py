"""One thing changed, and what the comparison says of it: in full, written down by hand."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction as F
from typing import Any

import pytest

from wexodos.compare import compare
from wexodos.compare.match import match_items
from wexodos.model import (
    Angle,
    Angles,
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
    Raw,
    Roll,
    Sequence,
    Shadow,
    Sound,
    SpeedPoint,
    TextRun,
    Title,
    Track,
    Transition,
    Variable,
    constant,
    curve,
)
from wexodos.timing import Rate

PAL = Rate(25)
MEDIA = (
    Media(
        "m1",
        "A003C012.mov",
        "/kiln/A003C012.mov",
        "A003",
        900_000,
        duration=800,
        rate=PAL,
        width=1920,
        height=1080,
    ),
    Media(
        "m2", "A004C001.mov", "/kiln/A004C001.mov", "A004", 0, duration=800, rate=PAL, width=1920, height=1080
    ),
    Media(
        "boom", "boom.wav", "/kiln/boom.wav", "S1", 0, duration=800, rate=PAL, channels=2, sample_rate=48000
    ),
)
CLIP = Item("v1", "Throwing", 0, 50, MediaUse("m1"), 4, motion=Motion())
NEXT = Item("v2", "Door", 50, 50, MediaUse("m2"), 8, motion=Motion())
TITLE = Item("t1", "Kiln", 10, 30, Title((TextRun("Kiln Night", "DejaVu Sans", 60.0),), (0.0, 300.0)))
BARS = Item("g1", "Bars", 60, 20, Generator("colour", "Colour", "#102030ff", (("blink", "1"),)))
HEARD = Item("a1", "Boom", 0, 50, MediaUse("boom"), 4, sound=Sound((1,), constant(-3.0)))
JOIN = Transition(
    "j1",
    "Wipe",
    "wipe",
    44,
    12,
    50,
    pattern=1,
    direction="right",
    softness=10.0,
    border=2.0,
    border_color="#ffffffff",
)
MARK = Marker(20, 0, "Check", "glow", "red", "marker", None)
NEST = Sequence(
    "n",
    "Fires",
    PAL,
    width=1920,
    height=1080,
    tracks=(Track("video", (replace(NEXT, id="in", start=0),)),),
    top_level=False,
)
USE = Item("u1", "Fires", 100, 40, NestedUse("n"), 0, motion=Motion())


def cut(
    *,
    clip: Item = CLIP,
    following: Item = NEXT,
    title: Item = TITLE,
    bars: Item = BARS,
    heard: Item = HEARD,
    join: Transition = JOIN,
    use: Item = USE,
    nest: Sequence = NEST,
    media: tuple[Media, ...] = MEDIA,
    track: dict[str, Any] | None = None,
    sound_track: dict[str, Any] | None = None,
    **settings: Any,
) -> Document:
    tracks = (
        replace(Track("video", (clip, following, use), (join,), name="Picture"), **(track or {})),
        Track("video", (title, bars), name="Words"),
        replace(Track("audio", (heard,), name="Dialogue"), **(sound_track or {})),
    )
    main = replace(
        Sequence(
            "s",
            "Kiln Night",
            PAL,
            90_000,
            width=1920,
            height=1080,
            sample_rate=48000,
            tracks=tracks,
            markers=(MARK,),
        ),
        **settings,
    )
    return Document("xmeml", "5", (main, nest), media)


def told(other: Document) -> list[tuple[Any, ...]]:
    one = cut()
    found = compare(one, one.sequences[0], other, other.sequences[0])
    return [(x.kind, x.what, x.item_id, x.track, x.before, x.after) for x in found]


def item(one: Item, **changes: Any) -> Item:
    return replace(one, **changes)


def sound(**changes: Any) -> Item:
    return replace(HEARD, sound=replace(HEARD.sound, **changes))  # type: ignore[type-var]


def title(**changes: Any) -> Item:
    return replace(TITLE, content=replace(TITLE.content, **changes))  # type: ignore[type-var]


def bars(**changes: Any) -> Item:
    return replace(BARS, content=replace(BARS.content, **changes))  # type: ignore[type-var]


def run(**changes: Any) -> Item:
    return title(runs=(replace(TITLE.content.runs[0], **changes),))  # type: ignore[union-attr]


def motion(**changes: Any) -> Item:
    return replace(CLIP, motion=Motion(**changes))


def test_nothing_changed_is_nothing_told() -> None:
    assert told(cut()) == []


ONE = [
    # Places. 50 frames from 0; the source begins at 4 s = frame 100.
    (
        cut(clip=item(CLIP, start=1, duration=49, source_in=F(101, 25))),
        ("trimmed", "record start", "v1", "V1", 0, 1),
    ),
    (cut(use=item(USE, duration=41)), ("trimmed", "record end", "u1", "V1", 140, 141)),
    (cut(clip=item(CLIP, source_in=F(103, 25))), ("slipped", "source in", "v1", "V1", 100, 103)),
    (cut(use=item(USE, start=101)), ("moved", "record start", "u1", "V1", 100, 101)),
    # What an item says of itself.
    (cut(clip=item(CLIP, name="Wide")), ("changed", "name", "v1", "V1", "Throwing", "Wide")),
    (cut(clip=item(CLIP, enabled=False)), ("changed", "enabled", "v1", "V1", True, False)),
    (cut(clip=item(CLIP, blend="screen")), ("changed", "blend mode", "v1", "V1", "normal", "screen")),
    (cut(clip=item(CLIP, alpha="straight")), ("changed", "alpha", "v1", "V1", None, "straight")),
    (cut(clip=item(CLIP, label="teal")), ("changed", "label", "v1", "V1", None, "teal")),
    (cut(clip=item(CLIP, note="hot")), ("changed", "note", "v1", "V1", "", "hot")),
    (
        cut(clip=item(CLIP, raw=(Raw("xmeml", "odd", "<odd/>", ""),))),
        ("changed", "unread elements", "v1", "V1", [], ["odd"]),
    ),
    (cut(clip=item(CLIP, effects=(Effect("Blur"),))), ("changed", "filters", "v1", "V1", "", "Blur")),
    # Pictures: the middle of 1920 × 1080 is (960, 540).
    (
        cut(clip=motion(position=constant(0.06, 0))),
        ("changed", "position", "v1", "V1", [960.0, 540.0], [960.06, 540.0]),
    ),
    (
        cut(clip=motion(scale=constant(0.5, 1))),
        ("changed", "size", "v1", "V1", [1920.0, 1080.0], [960.0, 1080.0]),
    ),
    (cut(clip=motion(rotation=constant(0.02))), ("changed", "rotation", "v1", "V1", 0.0, 0.02)),
    (
        cut(clip=motion(crop=constant(0, 0.25, 0, 0))),
        ("changed", "crop", "v1", "V1", [0.0, 0.0, 0.0, 0.0], [0.0, 0.25, 0.0, 0.0]),
    ),
    (cut(clip=motion(opacity=constant(0.5))), ("changed", "opacity", "v1", "V1", 1.0, 0.5)),
    # Sound.
    (cut(heard=sound(level=constant(-3.2))), ("changed", "level", "a1", "A1", -3.0, -3.2)),
    (cut(heard=sound(pan=constant(0.5))), ("changed", "pan", "a1", "A1", 0.0, 0.5)),
    (cut(heard=sound(muted=(1,))), ("changed", "mute", "a1", "A1", [], [1])),
    # Words.
    (
        cut(title=title(origin=(0.0, 301.0))),
        ("changed", "place of the words", "t1", "V2", [0.0, 300.0], [0.0, 301.0]),
    ),
    (cut(title=title(roll=Roll("up"))), ("changed", "movement of the words", "t1", "V2", None, "up")),
    (cut(title=title(bar="#000000ff")), ("changed", "bar", "t1", "V2", None, "#000000ff")),
    (cut(title=title(template="Glow")), ("changed", "template", "t1", "V2", "", "Glow")),
    (cut(title=run(text="Kiln Day")), ("retitled", "words", "t1", "V2", "Kiln Night", "Kiln Day")),
    # Generated pictures.
    (
        cut(bars=bars(color="#ff0000ff")),
        ("changed", "generator", "g1", "V2", "colour #102030ff", "colour #ff0000ff"),
    ),
    (cut(bars=bars(parameters=())), ("changed", "generator settings", "g1", "V2", {"blink": "1"}, {})),
    # Nests.
    (cut(use=item(USE, content=NestedUse("n", ("music",)))), ("changed", "mute", "u1", "V1", [], ["music"])),
    (
        cut(use=item(USE, motion=Motion(crop=constant(0.1, 0, 0, 0)))),
        ("changed", "crop", "u1", "V1", [0.0] * 4, [0.1, 0.0, 0.0, 0.0]),
    ),
    # Transitions.
    (
        cut(join=replace(JOIN, color="#00ff00ff")),
        ("changed", "transition colour", "j1", "V1", None, "#00ff00ff"),
    ),
    (cut(join=replace(JOIN, pattern=2)), ("changed", "transition pattern", "j1", "V1", 1, 2)),
    (
        cut(join=replace(JOIN, direction="left")),
        ("changed", "transition direction", "j1", "V1", "right", "left"),
    ),
    (
        cut(join=replace(JOIN, softness=0.0)),
        ("changed", "transition edge", "j1", "V1", [10.0, 2.0, "#ffffffff"], [0.0, 2.0, "#ffffffff"]),
    ),
    (
        cut(join=replace(JOIN, border=0.0)),
        ("changed", "transition edge", "j1", "V1", [10.0, 2.0, "#ffffffff"], [10.0, 0.0, None]),
    ),
    (cut(join=replace(JOIN, type="dissolve")), ("changed", "transition", "j1", "V1", "wipe", "dissolve")),
    # Media.
    (
        cut(media=(replace(MEDIA[0], path="/other/A003C012.mov"), *MEDIA[1:])),
        ("changed", "media path", "v1", "V1", "/kiln/A003C012.mov", "/other/A003C012.mov"),
    ),
    (cut(media=(replace(MEDIA[0], reel="B1"), *MEDIA[1:])), ("changed", "reel", "v1", "V1", "A003", "B1")),
    (
        cut(media=(replace(MEDIA[0], start=900_001), *MEDIA[1:])),
        ("changed", "media start", "v1", "V1", 900_000, 900_001),
    ),
    # Tracks.
    (cut(track={"name": "Film"}), ("changed", "track name", "track:V1", "V1", "Picture", "Film")),
    (cut(track={"locked": True}), ("changed", "track locked", "track:V1", "V1", False, True)),
    (cut(sound_track={"output": 3}), ("changed", "output", "track:A1", "A1", None, 3)),
    (cut(sound_track={"stem": "Music"}), ("changed", "stem", "track:A1", "A1", "Dialogue", "Music")),
    (
        cut(sound_track={"raw": (Raw("xmeml", "odd", "<odd/>", ""),)}),
        ("changed", "unread elements", "track:A1", "A1", [], ["odd"]),
    ),
    # The cut itself.
    (cut(name="Kiln Day"), ("settings", "name", "", "", "Kiln Night", "Kiln Day")),
    (cut(start=90_001), ("settings", "start timecode", "", "", "01:00:00:00", "01:00:00:01")),
    (cut(field_order="upper first"), ("settings", "field order", "", "", "progressive", "upper first")),
    (cut(marked=(10, 20)), ("settings", "marked range", "", "", None, "01:00:00:10 to 01:00:00:20")),
    (cut(stated_duration=200), ("settings", "length", "", "", 140, 200)),
    (cut(raw=(Raw("xmeml", "odd", "<odd/>", ""),)), ("settings", "unread elements", "", "", [], ["odd"])),
    # Markers, at frame 20.
    (
        cut(markers=(replace(MARK, color="blue"),)),
        ("changed", "marker colour", "marker@20:Check", "", "red", "blue"),
    ),
    (cut(markers=(replace(MARK, duration=5),)), ("changed", "marker length", "marker@20:Check", "", 0, 5)),
    (
        cut(markers=(replace(MARK, done=False),)),
        ("changed", "marker kind", "marker@20:Check", "", "marker", "marker"),
    ),
    (cut(markers=()), ("gone", "marker", "marker@20:Check", "", "Check – glow", None)),
]


@pytest.mark.parametrize(("other", "wanted"), ONE, ids=[f"{row[1][1]} {row[1][2]}" for row in ONE])
def test_one_change_is_one_difference(other: Document, wanted: tuple[Any, ...]) -> None:
    # Where an item is longer or shorter, so is what is seen, and the cut: those rows follow from the one.
    mine = [row for row in told(other) if row[1] not in ("extent", "length") or row[1] == wanted[1]]
    assert [tuple(one.value if hasattr(one, "value") else one for one in row) for row in mine] == [wanted]


@pytest.mark.parametrize(
    "changes",
    [
        {"font": "DejaVu Serif"},
        {"size": 61.0},
        {"bold": True},
        {"italic": True},
        {"underline": True},
        {"color": "#ff0000ff"},
        {"align": "left"},
        {"tracking": 1.0},
        {"leading": 1.0},
        {"outline_color": "#ff0000ff"},
        {"outline_width": 2.0},
        {"shadow": Shadow()},
    ],
    ids=lambda changes: next(iter(changes)),
)
def test_every_part_of_a_style_is_told(changes: dict[str, Any]) -> None:
    assert [row[:4] for row in told(cut(title=run(**changes)))] == [("changed", "style", "t1", "V2")]


SMALL = [
    cut(clip=motion(position=constant(0.04, 0))),
    cut(clip=motion(rotation=constant(0.009))),
    cut(clip=motion(opacity=constant(0.9985))),
    cut(clip=motion(crop=constant(0.0004, 0, 0, 0))),
    cut(use=item(USE, motion=Motion(crop=constant(0.0004, 0, 0, 0)))),
    cut(heard=sound(level=constant(-3.09))),
    cut(heard=sound(pan=constant(0.001))),
    cut(clip=item(CLIP, source_in=4 + F(1, 200_000))),
    cut(clip=item(CLIP, alpha="none")),
    cut(title=title(origin=(0.04, 300.0))),
    cut(title=title(template="Outline Text")),
    cut(sound_track={"output": 2}),
    cut(title=item(TITLE, source_in=9, speed=Constant(2), alpha="straight")),
    cut(join=replace(JOIN, name="Other name", softness=10.0004)),
    cut(media=(replace(MEDIA[0], name="x", path="/kiln/a003c012.MOV"), *MEDIA[1:])),
]


@pytest.mark.parametrize("number", range(len(SMALL)))
def test_what_nobody_sees_or_hears_is_not_told(number: int) -> None:
    rows = [row for row in told(SMALL[number]) if row[1] != "media path"]
    assert rows == []


def test_black_and_the_colour_black_are_one_picture_and_colour_names_no_setting() -> None:
    black = cut(bars=bars(kind="black", color=None, parameters=()))
    colour = cut(bars=bars(color="#000000ff", parameters=(("Fill Color", "0"),)))
    found = compare(colour, colour.sequences[0], black, black.sequences[0])
    assert found == []


# ---- deviations and reaches


def test_a_difference_says_where_and_how_far() -> None:
    moved = cut(
        clip=motion(
            position=Curve((0.0, 0.0), (Key(0, (0.0, 0.0)), Key(10, (20.0, 0.0)), Key(20, (0.0, 0.0))))
        )
    )
    one = cut()
    (found,) = compare(one, one.sequences[0], moved, moved.sequences[0])
    # It moves from the frame after the first key up to the one before the last, furthest at the tenth.
    assert (found.start, found.stop, found.deviation) == (1, 20, (20.0, "px"))
    assert (found.before, found.after) == ([960.0, 540.0], [980.0, 540.0])


def test_fades_that_differ_between_frames_are_told_with_their_distance() -> None:
    long, short = cut(heard=sound(fade_in=Fade(10))), cut(heard=sound(fade_in=Fade(8)))
    (found,) = compare(long, long.sequences[0], short, short.sequences[0])
    # t/8 against t/10: 20·log10(10/8) as long as both run.
    assert (found.what, found.item_id, found.deviation) == (
        "level",
        "a1",
        (pytest.approx(1.9382, abs=1e-3), "dB"),
    )
    assert (found.before, found.after) == ("-3 dB, fade in of 10 frames", "-3 dB, fade in of 8 frames")


def test_filter_settings_count_by_a_two_hundredth_of_their_reach() -> None:
    def blurred(radius: Curve) -> Document:
        return cut(clip=item(CLIP, effects=(Effect("Blur", "blur", settings=(("radius", radius),)),)))

    one = blurred(constant(20.0))
    for other, expected in (
        (constant(20.09), []),
        (constant(20.11), [0.11]),
        (curve([(0, 20.0), (50, 21.0)]), [1.0]),
    ):
        two = blurred(other)
        found = compare(one, one.sequences[0], two, two.sequences[0])
        assert [(x.what, x.before, x.after) for x in found] == [
            ("filter settings", "Blur: radius", gap) for gap in expected
        ]
    bare = cut(clip=item(CLIP, effects=(Effect("Blur", "blur", settings=(("other", constant(1.0)),)),)))
    (lost,) = compare(one, one.sequences[0], bare, bare.sequences[0])
    assert (lost.before, lost.after) == ("Blur: radius", None)


def test_speeds_are_said_in_words() -> None:
    def speeds(speed: Any) -> list[tuple[Any, ...]]:
        return [row for row in told(cut(clip=item(CLIP, speed=speed))) if row[1] == "speed"]

    assert speeds(Constant(F(1, 2))) == [("changed", "speed", "v1", "V1", "100 %", "50 %")]
    assert speeds(Constant(F(-333, 1000))) == [("changed", "speed", "v1", "V1", "100 %", "-33.3 %")]
    assert speeds(Constant(1 + F(1, 1_000_000))) == []
    # Points on one line are a speed like any other: 4 seconds in 50 frames at 25 a second are twice as fast.
    line = [(0, F(4)), (10, 4 + F(20, 25)), (50, F(8))]
    assert speeds(Variable(tuple(SpeedPoint(*one) for one in line))) == [
        ("changed", "speed", "v1", "V1", "100 %", "200 %")
    ]
    line[1] = (10, 4 + F(21, 25))
    assert speeds(Variable(tuple(SpeedPoint(*one) for one in line))) == [
        ("changed", "speed", "v1", "V1", "100 %", "ramp")
    ]


# ---- who is who


def row(*items: Item) -> Document:
    return Document("xmeml", "5", (Sequence("s", "Cut", PAL, tracks=(Track("video", items),)),), MEDIA)


def pairs(a: Document, b: Document) -> list[tuple[str, str]]:
    return [(x.item.id, y.item.id) for x, y in match_items(a, a.sequences[0], b, b.sequences[0]).pairs]


def test_of_several_uses_the_nearest_in_time_is_the_same() -> None:
    def use(name: str, start: int) -> Item:
        return Item(name, "Throwing", start, 10, MediaUse("m1"), 4)

    ours = row(use("a", 0), use("b", 100), use("c", 200))
    theirs = row(use("x", 3), use("y", 104), use("z", 193))
    assert pairs(ours, theirs) == [("a", "x"), ("b", "y"), ("c", "z")]
    assert pairs(row(use("b", 100)), row(use("x", 3), use("y", 104))) == [("b", "y")]
    assert pairs(row(use("b", 100)), row(use("x", 97), use("y", 104))) == [("b", "x")]


def test_ids_count_only_with_what_is_shown() -> None:
    ours = row(Item("1", "Throwing", 0, 10, MediaUse("m1"), 4), Item("2", "Door", 10, 10, MediaUse("m2"), 8))
    theirs = row(
        Item("2", "Throwing", 0, 10, MediaUse("m1"), 4), Item("1", "Door", 10, 10, MediaUse("m2"), 8)
    )
    assert pairs(ours, theirs) == [("1", "2"), ("2", "1")]
    match = match_items(ours, ours.sequences[0], theirs, theirs.sequences[0], ids=True)
    assert [(x.item.id, y.item.id) for x, y in match.pairs] == [("1", "1"), ("2", "2")]


def test_what_has_no_partner_is_gone_or_added_with_its_place() -> None:
    ours = row(Item("1", "Throwing", 0, 10, MediaUse("m1"), 4))
    theirs = row(Item("9", "Door", 40, 20, MediaUse("m2"), 8))
    found = compare(ours, ours.sequences[0], theirs, theirs.sequences[0])
    rows = [
        (x.kind, x.what, x.item_id, x.track, x.start, x.stop, x.before, x.after)
        for x in found
        if x.kind in ("gone", "added")
    ]
    assert rows == [
        ("gone", "clip", "1", "V1", 0, 10, "Throwing", None),
        ("added", "clip", "9", "V1", 40, 60, None, "Door"),
    ]


def test_angles_are_compared_by_what_is_cut_to_and_by_name() -> None:
    def cut_to(video: str, *names: str) -> Document:
        angles = tuple(Angle(str(number), name, media="m1") for number, name in enumerate(names))
        return row(Item("1", "Two", 0, 10, Angles(angles, video, "0", "Two"), 4))

    one = cut_to("0", "Wide", "Close")
    for other, wanted in (
        (cut_to("1", "Wide", "Close"), ("angle", "0", "1")),
        (cut_to("0", "Wide", "Far"), ("angles", ["Wide", "Close"], ["Wide", "Far"])),
    ):
        found = compare(one, one.sequences[0], other, other.sequences[0])
        assert [(x.what, x.before, x.after) for x in found] == [wanted]


def test_an_angle_that_runs_beside_another_time_is_seen() -> None:
    def offset(seconds: int) -> Document:
        angles = Angles((Angle("0", "Wide", media="m1", offset=seconds),), "0", "0", "Two")
        return row(Item("1", "Two", 0, 10, angles, 4))

    one, other = offset(0), offset(1)
    (found,) = compare(one, one.sequences[0], other, other.sequences[0])
    assert (found.what, found.before, found.after, found.deviation) == (
        "source frames",
        100,
        125,
        (25.0, "fr"),
    )


def test_a_roll_is_compared_by_its_gap() -> None:
    def rolled(gap: float | None) -> Document:
        return cut(title=title(roll=Roll("up", gap)))

    one, other = rolled(2.0), rolled(3.0)
    (found,) = compare(one, one.sequences[0], other, other.sequences[0])
    assert (found.what, found.before, found.after) == ("roll", "2.0", "3.0")
    assert compare(one, one.sequences[0], one, one.sequences[0]) == []


def test_what_one_side_does_not_say_of_a_medium_is_no_difference() -> None:
    bare = (replace(MEDIA[0], path=None, reel=None, rate=None), *MEDIA[1:])
    said = cut()
    for one, other in (
        (cut(media=bare), said),
        (said, cut(media=(replace(MEDIA[0], path=None), *MEDIA[1:]))),
    ):
        assert compare(one, one.sequences[0], other, other.sequences[0]) == []
    # A reel that was said and is not any more is one.
    lost = cut(media=(replace(MEDIA[0], reel=None), *MEDIA[1:]))
    (found,) = compare(said, said.sequences[0], lost, lost.sequences[0])
    assert (found.what, found.before, found.after) == ("reel", "A003", None)


def test_a_clip_that_moves_and_slips_says_both() -> None:
    moved = row(Item("1", "Throwing", 5, 10, MediaUse("m1"), 4 + F(2, 25)))
    was = row(Item("1", "Throwing", 0, 10, MediaUse("m1"), 4))
    found = compare(was, was.sequences[0], moved, moved.sequences[0])
    assert [(x.kind, x.what, x.before, x.after) for x in found if x.what not in ("length", "extent")] == [
        ("moved", "record start", 0, 5),
        ("slipped", "source in", 100, 102),
    ]
    rolled = row(Item("1", "Throwing", 2, 9, MediaUse("m1"), 4))
    found = compare(was, was.sequences[0], rolled, rolled.sequences[0])
    assert [(x.kind, x.what, x.before, x.after) for x in found if x.what not in ("length", "extent")] == [
        ("trimmed", "record end", 10, 11),
        ("trimmed", "record start", 0, 2),
    ]


def test_sizes_and_rates_of_two_cuts_are_told_first() -> None:
    one, other = cut(), cut(rate=Rate(24), width=1280, height=720, sample_rate=44100, pixel_aspect=F(4, 3))
    found = compare(one, one.sequences[0], other, other.sequences[0])
    assert [(x.what, x.before, x.after) for x in found][:5] == [
        ("rate", "25/1", "24/1"),
        ("start timecode", "01:00:00:00", "01:02:30:00"),
        ("frame size", "1920×1080", "1280×720"),
        ("pixel aspect", "1", "4/3"),
        ("sample rate", 48000, 44100),
    ]


def test_markers_of_one_place_are_told_apart_by_length_and_colour() -> None:
    two = (Marker(20, 0, "Check", color="red"), Marker(20, 10, "Check", color="blue"))
    one, other = cut(markers=two), cut(markers=(two[1], two[0]))
    assert compare(one, one.sequences[0], other, other.sequences[0]) == []
    fewer = cut(markers=two[:1])
    (gone,) = compare(one, one.sequences[0], fewer, fewer.sequences[0])
    assert (gone.kind, gone.start, gone.stop) == ("gone", 20, 30)
    (added,) = compare(fewer, fewer.sequences[0], one, one.sequences[0])
    assert (added.kind, added.start, added.stop) == ("added", 20, 30)
    # On which item a marker hangs does not matter, only where it stands.
    hung = cut(markers=(), clip=item(CLIP, markers=(replace(MARK, start=20),)))
    assert told(hung) == []


def test_a_clip_without_a_name_is_called_by_its_kind_and_one_without_a_rate_counts_in_that_of_the_cut() -> (
    None
):
    bare = (replace(MEDIA[0], rate=None), *MEDIA[1:])
    one = cut(clip=item(CLIP, name=""), media=bare)
    other = cut(clip=item(CLIP, name="", source_in=F(103, 25)), media=bare)
    (found,) = compare(one, one.sequences[0], other, other.sequences[0])
    assert (found.item, found.what, found.before, found.after) == ("clip", "source in", 100, 103)


def test_a_transition_of_another_type_is_not_told_by_its_looks_too() -> None:
    rows = told(cut(join=replace(JOIN, type="dissolve", pattern=None, direction=None, softness=None)))
    assert [row[1] for row in rows] == ["transition"]


def test_picture_and_sound_of_one_source_keep_apart_wherever_they_go() -> None:
    def both(picture: str, sound: str, below: int) -> Document:
        media = (Media("av", "A.mov", rate=PAL, duration=500),)
        seen = Item(picture, "A", 0, 50, MediaUse("av"), 4)
        voice = Item(sound, "A", 0, 50, MediaUse("av"), 4, sound=Sound((1,)))
        tracks = (*(Track("video"),) * below, Track("video", (seen,)), Track("audio", (voice,)))
        return Document("xmeml", "5", (Sequence("s", "Cut", PAL, tracks=tracks),), media)

    # On the other side the picture stands a track higher; the sound is the one on a first track there.
    assert pairs(both("1", "2", 0), both("2", "1", 1)) == [("1", "2"), ("2", "1")]


def test_what_is_cut_inside_an_angle_is_told() -> None:
    def angled(source: int) -> Document:
        inner = Sequence(
            "w",
            "Wide",
            PAL,
            tracks=(Track("video", (Item("in", "in", 0, 90, MediaUse("m1"), F(source, 25)),)),),
            top_level=False,
        )
        angles = Angles((Angle("1", "Wide", sequence="w", offset=1),), "1", None, "Two")
        main = Sequence("s", "Cut", PAL, tracks=(Track("video", (Item("1", "Two", 0, 10, angles, 1),)),))
        return Document("xmeml", "5", (main, inner), MEDIA)

    one, other = angled(100), angled(103)
    found = compare(one, one.sequences[0], other, other.sequences[0])
    assert [(x.what, x.item_id, x.before, x.after) for x in found] == [("source in", "in", 100, 103)]


def test_media_that_say_otherwise_what_they_are_are_told_where_it_is_asked_for() -> None:
    one = cut()
    facts = {"width": 1280, "height": 720, "duration": 801, "pixel_aspect": F(4, 3), "rate": Rate(24)}
    for name, value in facts.items():
        other = cut(media=(replace(MEDIA[0], **{name: value}), *MEDIA[1:]))  # type: ignore[arg-type]
        found = compare(one, one.sequences[0], other, other.sequences[0], whole=True)
        word = {"duration": "length", "pixel_aspect": "pixel aspect"}.get(name, name)
        told_ = [(x.item_id, x.before, x.after) for x in found if x.what == "media facts"]
        assert told_ == [("v1", f"{word} {getattr(MEDIA[0], name)}", f"{word} {value}")]
    for name, value in {"channels": 1, "sample_rate": 44_100}.items():
        other = cut(media=(*MEDIA[:2], replace(MEDIA[2], **{name: value})))  # type: ignore[arg-type]
        found = compare(one, one.sequences[0], other, other.sequences[0], whole=True)
        assert [x.item_id for x in found if x.what == "media facts"] == ["a1"]
    near = cut(media=(replace(MEDIA[0], duration=F(1601, 2), width=None), *MEDIA[1:]))
    assert compare(one, one.sequences[0], near, near.sequences[0], whole=True) == []


def test_the_order_of_filters_counts_for_pictures_and_not_for_sound() -> None:
    two = (Effect("Blur"), Effect("Tint"))
    picture, other = cut(clip=item(CLIP, effects=two)), cut(clip=item(CLIP, effects=two[::-1]))
    found = compare(picture, picture.sequences[0], other, other.sequences[0])
    assert [(x.what, x.before, x.after) for x in found] == [("filters", "Blur, Tint", "Tint, Blur")]
    heard, turned = cut(heard=item(HEARD, effects=two)), cut(heard=item(HEARD, effects=two[::-1]))
    assert compare(heard, heard.sequences[0], turned, turned.sequences[0]) == []


def test_nests_are_told_apart_by_name() -> None:
    def nests(first: str, second: str) -> Document:
        inner = tuple(
            Sequence(key, name, PAL, top_level=False) for key, name in (("x", first), ("y", second))
        )
        uses = (Item("1", "use", 0, 40, NestedUse("x")),), (Item("2", "use", 0, 40, NestedUse("y")),)
        main = Sequence("s", "Cut", PAL, tracks=tuple(Track("video", items) for items in uses))
        return Document("xmeml", "5", (main, *inner), MEDIA)

    assert pairs(nests("Fires", "Smoke"), nests("Smoke", "Fires")) == [("1", "2"), ("2", "1")]


def test_a_transition_that_is_gone_and_a_marker_without_words() -> None:
    bare = cut()
    tracks = bare.sequences[0].tracks
    without = replace(bare.sequences[0], tracks=(replace(tracks[0], transitions=()), *tracks[1:]))
    found = compare(bare, bare.sequences[0], replace(bare, sequences=(without, NEST)), without)
    assert [(x.kind, x.what, x.item_id) for x in found if x.kind != "changed"] == [
        ("gone", "transition", "j1")
    ]
    # Both clips are seen alone where they were mixed.
    assert {x.item_id for x in found if x.kind == "changed"} == {"v1", "v2"}
    one, other = cut(markers=(Marker(9),)), cut(markers=())
    (gone,) = compare(one, one.sequences[0], other, other.sequences[0])
    assert (gone.item, gone.before) == ("marker", "marker")


def test_of_a_nest_that_moved_nothing_inside_is_told_on_either_side() -> None:
    # Ten frames later: the last ten are seen only there, the first ten only here, for the same reason.
    one, other = cut(), cut(use=item(USE, start=110))
    found = compare(one, one.sequences[0], other, other.sequences[0])
    assert [(x.what, x.item_id) for x in found if x.kind != "settings"] == [("record start", "u1")]


@pytest.mark.parametrize(
    ("ours", "theirs", "found"),
    [
        ((None, None), (1280, 720), []),
        ((1280, 720), (None, None), []),
        ((1280, 720), (1920, 1080), [("1280×720", "1920×1080")]),
    ],
)
def test_a_frame_size_that_one_side_does_not_say_is_no_difference(
    ours: tuple[int | None, int | None], theirs: tuple[int | None, int | None], found: list[Any]
) -> None:
    one, other = (cut(width=width, height=height) for width, height in (ours, theirs))
    differences = compare(one, one.sequences[0], other, other.sequences[0])
    assert [(x.before, x.after) for x in differences if x.what == "frame size"] == found


def test_what_differs_in_a_nest_that_is_used_twice_is_told_once() -> None:
    again = replace(USE, id="again", start=USE.end + 400)
    one = cut(following=again)
    inner = NEST.tracks[0].items[0]
    changed = replace(
        NEST,
        tracks=(
            replace(NEST.tracks[0], items=(replace(inner, name="Other words"), *NEST.tracks[0].items[1:])),
            *NEST.tracks[1:],
        ),
    )
    other = cut(following=again, nest=changed)
    found = compare(one, one.sequences[0], other, other.sequences[0])
    assert [(x.what, x.item_id) for x in found if x.what == "name"] == [("name", inner.id)]


def test_a_clip_that_became_a_title_has_no_spelling_to_lose() -> None:
    raw = (Raw("xmeml", "effect", "<effect/>"),)
    one = cut()
    words = replace(TITLE.content, raw=raw)  # type: ignore[type-var]
    other = cut(clip=replace(CLIP, content=words))
    for left, right in ((one, other), (other, one)):
        found = compare(left, left.sequences[0], right, right.sequences[0], whole=True)
        assert ("changed", "kind") in {(x.kind, x.what) for x in found if x.item_id == CLIP.id}
        assert not any(x.what == "spelling of its own dialect" and x.item_id == CLIP.id for x in found)
