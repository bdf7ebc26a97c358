"""Tidy steps to the frame and the key, worked out by hand."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest

from tidy.test_steps import RATE, clip, document, nested, outer, run
from wexodos.evaluate import Raster
from wexodos.model import (
    Constant,
    Curve,
    Document,
    Ease,
    Fade,
    Item,
    Key,
    Marker,
    Media,
    Motion,
    Roll,
    Sequence,
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
from wexodos.tidy import STEPS, Chosen, TidyError, tidy
from wexodos.tidy.ends import slate_words
from wexodos.tidy.fitting import curve_through, level_through, sampled
from wexodos.tidy.nest import _spills
from wexodos.tidy.recipes import file_of
from wexodos.tidy.renders import tone
from wexodos.tidy.step import Render
from wexodos.timing import Rate

# ---- ends


def ends(**options: str):  # type: ignore[no-untyped-def]
    whole = document(
        Track("video", (clip("a", 0, 100),), (Transition("t", "D", "dissolve", 0, 10, 0),)),
        Track("audio", (clip("x", 0, 100, sound=Sound((1, 2))),)),
        markers=(Marker(7, 0, "Look"),),
        marked=(10, 60),
    )
    return run("leader", whole, **options)


def test_pops_have_ids_media_and_places_of_their_own() -> None:
    made = ends(slate="5", black="3", distance="2", tail="4")
    cut = made.sequence
    # Five seconds of slate and three of black: 200 frames. The pop lies 50 before the first frame, and as far
    # behind the last: its frame is the 50th after it.
    assert [(one.id, one.name, one.start, one.duration, one.still) for one in cut.video_tracks[0].items] == [
        ("slate-item", "Slate", 0, 125, True),
        ("pop-white-item", "Sync pop 1", 150, 1, True),
        ("a", "shot a", 200, 100, False),
        ("pop-white@2", "Sync pop 2", 349, 1, True),
    ]
    assert [(one.id, one.start) for one in cut.audio_tracks[0].items] == [
        ("pop-tone-1@1", 150),
        ("x", 200),
        ("pop-tone-1@2", 349),
    ]
    pop = cut.audio_tracks[0].items[0]
    assert pop.sound == Sound((1,), constant(0)) and pop.duration == 1
    media = {one.id: one for one in made.document.media}
    tone, white = media["pop-tone"], media["pop-white"]
    assert (tone.channels, tone.sample_rate, tone.bit_depth, tone.duration, tone.rate) == (
        1,
        48000,
        24,
        1,
        RATE,
    )
    assert (white.width, white.height, white.still, white.path) == (
        1920,
        1080,
        True,
        "/rendered/Sync pop.png",
    )
    assert [(one.kind, one.words) for one in made.renders][1:] == [
        ("flat", ("#ffffffff",)),
        ("tone", ("1000", "-20.0")),
    ]
    # Everything else moves on by the leader, the timecode back by it.
    assert cut.video_tracks[0].transitions[0].start == 200 and cut.markers[0].start == 207
    assert (cut.marked, cut.start, cut.stated_duration) == ((210, 260), 90_000 - 200, 400)


def test_how_far_from_the_cut_a_pop_may_lie() -> None:
    at_the_edge = ends(slate="0", black="2", distance="2", tail="0")
    assert [one.name for one in at_the_edge.sequence.video_tracks[0].items] == ["Sync pop 1", "shot a"]
    assert at_the_edge.sequence.video_tracks[0].items[0].start == 0
    steps = STEPS["leader"]
    whole = document(Track("video", (clip("a", 0, 100),)))
    for wrong, words in (
        ({"black": "2", "distance": "2.04"}, "longer than its distance"),
        ({"black": "2", "distance": "0.04"}, "longer than its distance"),
        ({"black": "3", "distance": "2", "tail": "2"}, "after the last frame"),
    ):
        with pytest.raises(TidyError, match=words):
            steps.run(*whole, steps.values({"slate": "0", **wrong}))
    steps.run(*whole, steps.values({"slate": "0", "black": "3", "distance": "2", "tail": "2.04"}))
    steps.run(*whole, steps.values({"slate": "0", "black": "3", "distance": "0.08", "tail": "0"}))


def test_ids_that_are_taken_are_not_given_twice_and_the_slate_tells_the_job() -> None:
    whole = document(Track("video", (clip("slate", 0, 100),)))
    made = run("leader", whole, pops="no")
    assert {one.id for one in made.document.media} >= {"slate-2"}
    assert slate_words(whole[1]) == ("Cut", "01:00:00:00 to 01:00:04:00", "1920 × 1080, 25 fps", "100 frames")
    nothing = run("leader", whole, slate="0", black="0", tail="0", pops="no")
    assert nothing.sequence == whole[1]


def test_a_start_timecode_says_how_it_counts() -> None:
    whole = document(Track("video", (clip("a", 0, 100),)))
    assert run("start", whole, start="01:00:00:00").lines == []
    moved = run("start", whole, start="10:00:00:10")
    assert (moved.sequence.start, [line.what for line in moved.lines]) == (900_010, ["starts at 10:00:00:10"])


def test_markers_stand_on_the_first_and_the_last_frame_once() -> None:
    whole = document(
        Track("video", (clip("a", 0, 100), clip("b", 100, 1), clip("off", 101, 9, enabled=False))),
        Track("video", (clip("u", 200, 10),), enabled=False),
        markers=(Marker(0, 0, "shot a in"),),
    )
    made = run("markers", whole, where="both")
    assert [(one.start, one.name) for one in made.sequence.markers] == [
        (0, "shot a in"),
        (99, "shot a out"),
        (100, "shot b in"),
        (100, "shot b out"),
    ]
    assert [one.start for one in run("markers", whole, where="in").sequence.markers] == [0, 100]
    assert run("markers", (made.document, made.sequence), where="both").lines == []


# ---- sound tracks


def sound(key: str, channel: int, media: int, start: int = 0, length: int = 50) -> Item:
    return clip(f"{key}{channel}", start, length, media, sound=Sound((channel,)))


def test_tracks_of_one_recording_need_half_of_the_shorter_in_common() -> None:
    def order(*tracks: Track) -> list[str]:
        made = run("channels", document(*tracks)).sequence
        return [track.name for track in made.audio_tracks]

    one = Track("audio", (sound("a", 2, 0), sound("b", 2, 0, 50)), name="2")
    between = Track("audio", (sound("x", 1, 3),), name="x")
    half = Track("audio", (sound("c", 1, 0), sound("d", 1, 1, 50)), name="1")
    assert order(one, between, half) == ["1", "2", "x"]
    less = Track("audio", (sound("c", 1, 0), sound("d", 1, 1, 50), sound("e", 1, 1, 100)), name="1")
    two = replace(one, items=(*one.items, sound("g", 2, 2, 100)))
    assert order(two, between, less) == ["2", "x", "1"]
    # The same channel twice is no pair, nor is the same recording at another time.
    assert order(one, between, replace(half, items=(sound("c", 2, 0), sound("d", 2, 0, 50)))) == [
        "2",
        "x",
        "1",
    ]
    assert order(one, between, replace(half, items=(sound("c", 1, 0, 1), sound("d", 1, 0, 51)))) == [
        "2",
        "x",
        "1",
    ]


# ---- collapsing


def levels(*tracks: Track) -> list[list[str]]:
    made = run("collapse", document(*tracks)).sequence
    return [[item.id for item in track.items] for track in made.video_tracks]


def test_what_only_touches_comes_down_and_what_overlaps_by_a_frame_stays() -> None:
    low = Track("video", (clip("a", 0, 50),))
    assert levels(low, Track("video", (clip("b", 50, 20),))) == [["a", "b"], []]
    assert levels(low, Track("video", (clip("b", 49, 20),))) == [["a"], ["b"]]
    # Two tracks down, past what it does not overlap; and not through what it does.
    assert levels(low, Track("video", (clip("m", 100, 20),)), Track("video", (clip("b", 60, 20),))) == [
        ["a", "b", "m"],
        [],
        [],
    ]
    assert levels(low, Track("video", (clip("m", 60, 20),)), Track("video", (clip("b", 79, 20),))) == [
        ["a", "m"],
        ["b"],
        [],
    ]


def test_a_transition_takes_its_reach_along_and_finds_nothing_new_at_its_cut() -> None:
    low = Track("video", (clip("a", 0, 50),))
    faded = Track("video", (clip("b", 60, 20),), (Transition("t", "D", "dissolve", 55, 10, 60),))
    assert levels(low, faded) == [["a", "b"], []]
    reaching = replace(faded, transitions=(Transition("t", "D", "dissolve", 49, 20, 60),))
    assert levels(low, reaching) == [["a"], ["b"]]
    at_the_cut = Track("video", (clip("b", 50, 20),), (Transition("t", "D", "dissolve", 50, 10, 50),))
    assert levels(low, at_the_cut) == [["a"], ["b"]]
    joined = Track(
        "video", (clip("b", 60, 20), clip("c", 80, 20)), (Transition("t", "D", "dissolve", 75, 10, 80),)
    )
    assert levels(Track("video", (clip("a", 0, 50), clip("z", 90, 5))), joined) == [["a", "z"], ["b", "c"]]


# ---- curves through values


def test_a_curve_takes_the_keys_it_came_from_and_every_frame_where_it_bends() -> None:
    times = np.arange(0.0, 21.0)
    straight = curve_through(times, (2 * times)[:, None], [], 0.1)
    assert [(key.time, key.value) for key in straight.keys] == [(0, (0.0,)), (20, (40.0,))]
    bent = np.where(times <= 7.5, times, 15 - times)[:, None]
    made = curve_through(times, bent, [7.5], 0.1)
    assert [key.time for key in made.keys] == [0, 7, 8, 20]
    curved = (times**2)[:, None]
    every = curve_through(times, curved, [10.0], 0.1)
    assert [key.time for key in every.keys] == list(range(21))
    # Between 0 and 1 of tolerance: a still value needs no keys.
    assert curve_through(times, np.full((21, 1), 3.0), [], 0.1) == Curve((3.0,))
    assert curve_through(times, np.linspace(0, 0.024, 21)[:, None], [], 0.1) == Curve((0.0,))
    assert len(curve_through(times, np.linspace(0, 0.026, 21)[:, None], [], 0.1).keys) == 2
    low = curve_through(times, np.full((21, 1), -200.0), [], 0.1, lowest=-96.0)
    assert low == Curve((-96.0,))


def test_a_steady_nest_lifts_every_key_and_a_moving_one_is_added_frame_by_frame() -> None:
    inner = Item(
        "c",
        "c",
        10,
        40,
        clip("x", 0, 1).content,
        sound=Sound((1,), curve([(0, -6.0), (20, 0.0)]), fade_in=Fade(8)),
    )
    steady = Item("n", "n", 5, 60, inner.content, sound=Sound(level=constant(-3.0)))
    level, fade_in, fade_out = level_through(inner, steady)
    assert [(key.time, key.value[0]) for key in level.keys] == [(0, -9.0), (20, -3.0)]
    assert (fade_in, fade_out) == (Fade(8), None)
    moving = replace(steady, sound=Sound(level=curve([(5, 0.0), (45, -20.0)])))
    level, fade_in, fade_out = level_through(inner, moving)
    assert (fade_in, fade_out, level.domain) == (None, None, "gain")
    assert level.keys[0].time == 0 and level.keys[-1].time == 40
    for key in level.keys:
        at = float(key.time)
        own = -6.0 + 6.0 * min(at, 20) / 20
        # The nest begins five frames before the clip: its keys stand at 0 and 40 of the clip's own time.
        wanted = own - 20.0 * at / 40 + 20 * np.log10(max(min(at / 8, 1), 1e-9))
        assert key.value[0] == pytest.approx(max(wanted, -96.0), abs=1e-6)
    assert {8, 20, 40} <= {int(key.time) for key in level.keys}


def test_every_curve_of_a_motion_at_once() -> None:
    motion = Motion(
        position=Curve((0.0, 0.0), (Key(0, (0.0, 10.0)), Key(10, (20.0, 30.0)))),
        opacity=curve([(0, 0.0), (10, 1.0)], Ease.HOLD),
    )
    found = sampled(motion, np.array([0.0, 5.0, 10.0]))
    assert found.position.tolist() == [[0, 10], [10, 20], [20, 30]] and found.opacity[:, 0].tolist() == [
        0,
        0,
        1,
    ]
    assert found.scale.tolist() == [[1, 1]] * 3 and found.corners.shape == (3, 8)


# ---- ranges


def test_a_range_keeps_what_begins_in_it_and_its_last_frame() -> None:
    whole = document(
        Track("video", (clip("a", 0, 50, into=100), clip("b", 50, 50, into=300))),
        markers=(Marker(20, 0, "in"), Marker(79, 0, "last"), Marker(80, 0, "out")),
    )
    made = tidy(*whole, (Chosen("range", True, {"from": "01:00:00:20", "to": "01:00:03:05"}),))
    did = made.steps[0]
    assert did.outcome is not None, did.problem
    cut = did.outcome.sequence
    assert [(item.id, item.start, item.duration, item.source_in * 25) for item in cut.items()] == [
        ("a", 0, 30, 120),
        ("b", 30, 30, 300),
    ]
    assert (cut.start, cut.duration) == (90_020, 60)
    assert [(one.start, one.name) for one in cut.markers] == [(0, "in"), (59, "last")]


def test_a_range_reaches_from_in_to_out_and_a_marked_range_goes_with_it() -> None:
    marked = document(Track("video", (clip("a", 0, 100),)), marked=(10, 60))
    for asked, left in (
        ({"from": "+20", "to": "+80"}, (0, 40)),  # 10–60 within 20–80 is 20–60
        ({"from": "+5", "to": "+80"}, (5, 55)),
        ({"from": "+5", "to": "+50"}, (5, 45)),
        ({"from": "+10", "to": "+60"}, None),  # all that stays
        ({"from": "+60", "to": "+80"}, None),  # nothing of it
        ({"from": "+59", "to": "+80"}, (0, 1)),
    ):
        cut = run("range", marked, **asked).sequence
        assert cut.marked == left, asked


def test_the_whole_range_changes_nothing_and_a_frame_less_does() -> None:
    whole = document(Track("video", (clip("a", 0, 100),)))
    assert run("range", whole, **{"from": "+0", "to": "+100"}).effect == "nothing: the whole cut is kept"
    for asked, length in (({"from": "+1", "to": "+100"}, 99), ({"from": "+0", "to": "+99"}, 99)):
        assert run("range", whole, **asked).sequence.duration == length


def test_words_that_roll_are_looked_at_where_a_range_cuts_them() -> None:
    roll = Item("r", "Credits", 0, 80, Title((TextRun("Kiln"),), roll=Roll("up")), motion=Motion())
    made = tidy(*document(Track("video", (roll,))), (Chosen("range", True, {"from": "+10", "to": "+60"}),))
    outcome = made.steps[0].outcome
    assert outcome is not None and outcome.touched is not None
    assert (made.steps[0].unproven, made.steps[0].problem) == ([], "")


# ---- nests


def sounding(**more: object) -> Item:
    return outer(sound=Sound((1, 2), **more))


def only(whole: tuple[object, object]) -> Item:
    made = run("unfold", whole)  # type: ignore[arg-type]
    (item,) = made.sequence.items()
    return item


def test_a_nest_at_nought_leaves_levels_alone_and_one_at_a_decibel_does_not() -> None:
    inside = (Track("audio", (clip("x", 0, 200, sound=Sound((1,), constant(-6.0))),)),)
    assert only(nested(inside, sounding(level=constant(0.0)))).sound.level == constant(-6.0)  # type: ignore[union-attr]
    assert only(nested(inside, sounding(level=constant(1.0)))).sound.level == constant(-5.0)  # type: ignore[union-attr]
    fading = only(nested(inside, sounding(level=constant(0.0), fade_out=Fade(10))))
    assert fading.sound is not None and fading.sound != Sound((1,), constant(-6.0))


@pytest.mark.parametrize(
    ("around", "inner", "first", "speed"),
    [
        (Fraction(2), Fraction(3), 100 + 15, Fraction(6)),
        (Fraction(1, 2), Fraction(1), 100 + 5, Fraction(1, 2)),
        (Fraction(-1), Fraction(1), 100 + 85, Fraction(-1)),
    ],
)
def test_speeds_around_and_inside_multiply(
    around: Fraction, inner: Fraction, first: int, speed: Fraction
) -> None:
    inside = (Track("video", (clip("a", 0, 300, speed=Constant(inner)),)),)
    item = only(nested(inside, outer(into=85 if around < 0 else 5, speed=Constant(around))))
    assert (item.start, item.duration, item.speed) == (10, 80, Constant(speed))
    assert item.source_in * 25 == first


def test_a_ramp_inside_a_nest_at_a_speed_is_drawn_in_its_frames() -> None:
    ramp = Variable(
        (SpeedPoint(0, Fraction(4)), SpeedPoint(100, Fraction(12)), SpeedPoint(300, Fraction(16)))
    )
    inside = (Track("video", (clip("a", 0, 300, speed=ramp),)),)
    item = only(nested(inside, outer(speed=Constant(Fraction(2)))))
    assert isinstance(item.speed, Variable)
    # The nest begins at frame 5 and takes two of its frames for one.
    assert [(point.time, point.source) for point in item.speed.points] == [
        (Fraction(-5, 2), 4),
        (Fraction(95, 2), 12),
        (Fraction(295, 2), 16),
    ]


def test_a_nest_of_another_rate_at_normal_speed_keeps_time() -> None:
    inside = (Track("video", (clip("a", 0, 300),)),)
    item = only(nested(inside, outer(), rate=Rate(50)))
    # 80 frames of 25 are 3.2 s; the nest begins 0.2 s in, which is its frame 10 of 50: the clip is at 4.2 s.
    assert (item.start, item.duration) == (10, 80)
    assert item.source_in == Fraction(100, 25) + Fraction(1, 5)


def test_transitions_inside_move_with_the_nest_and_those_it_cuts_off_keep_it_whole() -> None:
    join = Transition("j", "D", "dissolve", 40, 20, 50)
    inside = (Track("video", (clip("a", 0, 50), clip("b", 50, 100, 1)), (join,)),)
    made = run("unfold", nested(inside, outer()))
    # The nest begins at 10 with its frame 5: everything is five frames later.
    (moved,) = made.sequence.tracks[0].transitions
    assert (moved.start, moved.duration, moved.cut) == (45, 20, 55)
    assert [(one.id, one.start, one.end) for one in made.sequence.items()] == [("a", 10, 55), ("b", 55, 90)]
    for into, whole in ((40, True), (41, False), (59, False), (60, True)):
        kept = run("unfold", nested(inside, outer(into=into)))
        assert ("1 nest unfolded" in kept.effect) is whole, into


def test_markers_inside_a_slower_nest_are_longer_there() -> None:
    marks = (Marker(30, 10, "smoke"), Marker(44, 0, "last"), Marker(45, 0, "out"))
    item = only(
        nested((Track("video", (clip("a", 0, 200, markers=marks),)),), outer(speed=Constant(Fraction(1, 2))))
    )
    # From frame 5 at half speed: 25 frames are 50, ten are twenty; frame 45 is the first behind the end.
    assert [(one.start, one.duration, one.name) for one in item.markers] == [
        (50, 20, "smoke"),
        (78, 0, "last"),
    ]


def test_layers_of_nests_side_by_side_share_their_tracks() -> None:
    layers = tuple(Track("video", (clip(f"l{n}", 0, 200, n),)) for n in range(3))
    whole, cut = nested(layers, outer())
    second = replace(outer(start=90), id="nest2")
    cut = replace(cut, tracks=(replace(cut.tracks[0], items=(*cut.tracks[0].items, second)),))
    made = run("unfold", (replace(whole, sequences=(cut, whole.sequences[1])), cut))
    assert [len(track.items) for track in made.sequence.video_tracks] == [2, 2, 2]


@pytest.mark.parametrize(
    ("label", "drop", "made"),
    [
        ("10:00:00:00", True, True),  # a plain code goes as the cut goes
        ("10:00:00;00", True, True),
        ("10:00:00;00", False, True),
        ("10:00:00:00", False, False),
    ],
)
def test_a_code_with_a_semicolon_drops_and_a_plain_one_goes_as_the_cut(
    label: str, drop: bool, made: bool
) -> None:
    rate = Rate(30000, 1001)
    cut = Sequence("s", "Cut", rate, 0, drop, tracks=(Track("video", (clip("a", 0, 50),)),))
    found = run("start", (Document("xmeml", "5", (cut,), ()), cut), start=label).sequence
    assert found.drop_frame is made
    assert str(found.timecode(0)) == label.replace(":00:00:00", ":00:00;00" if made else ":00:00:00")


# ---- what nearby tests passed over


def test_a_moved_and_half_seen_nest_dims_what_is_half_seen_in_it() -> None:
    inside = (Track("video", (clip("a", 0, 200, motion=Motion(opacity=constant(0.5))),)),)
    nest = outer(motion=Motion(scale=constant(0.5, 0.5), opacity=constant(0.5)))
    assert only(nested(inside, nest)).motion.opacity == constant(0.25)  # type: ignore[union-attr]


@pytest.mark.parametrize(
    ("source", "spills"),
    [((1920, 1080), False), ((1921, 1080), True), ((1920, 1081), True), ((640, 360), False)],
)
def test_a_picture_spills_where_it_is_wider_or_higher_than_its_nest(
    source: tuple[int, int], spills: bool
) -> None:
    box = Raster(1920, 1080, 1.0)
    assert _spills(Motion(), Raster(*source, 1.0), box) is spills
    assert _spills(Motion("fit"), Raster(*source, 1.0), box) is False
    assert _spills(Motion(opacity=constant(0.5)), Raster(640, 360, 1.0), box) is False
    assert _spills(Motion(rotation=constant(1)), Raster(640, 360, 1.0), box) is True
    # By what a pixel is wide.
    assert _spills(Motion(), Raster(1440, 1080, 1.34), box) is True


def test_levels_that_move_in_a_faster_nest_keep_it_and_still_ones_do_not() -> None:
    fast = outer(sound=Sound((1, 2)), speed=Constant(Fraction(2)))
    fading = (Track("audio", (clip("a", 0, 200, sound=Sound((1,), fade_out=Fade(10))),)),)
    still = (Track("audio", (clip("a", 0, 200, sound=Sound((1,), constant(-3.0))),)),)
    assert "1 nest unfolded" not in run("unfold", nested(fading, fast)).effect
    assert "1 nest unfolded" in run("unfold", nested(still, fast)).effect
    assert "1 nest unfolded" in run("unfold", nested(fading, outer(sound=Sound((1, 2))))).effect


def test_what_comes_down_has_a_line_and_what_stays_has_none() -> None:
    low = Track("video", (clip("a", 0, 50),))
    made = run("collapse", document(low, Track("video", (clip("b", 50, 20), clip("c", 40, 5)))))
    assert [(line.track, line.what) for line in made.lines if line.item_id == "b"] == [
        ("V2", "comes down onto V1")
    ]
    assert not any(line.item_id in ("a", "c") for line in made.lines)
    nothing = run("collapse", document(low, Track("video", (clip("c", 40, 5),))))
    assert nothing.lines == [] and nothing.effect.startswith("no picture can come down")


def test_an_empty_track_is_named_or_numbered() -> None:
    made = run(
        "empty", document(Track("video", (clip("a", 0, 50),)), Track("audio", name="Music"), Track("audio"))
    )
    assert [(line.track, line.item) for line in made.lines] == [("A1", "Music"), ("A2", "A2")]


def test_a_pop_is_one_frame_of_its_medium_or_a_twenty_fifth_of_a_second() -> None:
    plain = Media("p", "pop.wav", sample_rate=48000)
    assert tone(Render("tone", plain, words=("1000", "-20"))).shape == (1920,)
    assert tone(Render("tone", replace(plain, rate=Rate(24)), words=("1000", "-20"))).shape == (2000,)
    sine = tone(Render("tone", plain, words=("1000", "-20")))
    # A quarter of a turn of 1000 Hz is the twelfth sample; -20 dB is a tenth.
    assert sine[0] == 0 and sine[12] == pytest.approx(0.1)


def test_the_file_of_a_recipe_has_a_name_of_at_most_eighty_signs() -> None:
    assert file_of("k" * 100).name == "k" * 80 + ".toml"
    assert file_of("a/b:c").name == "a-b-c.toml"
