"""Every step: outside what it says it changes, every frame and sample stays what it was."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from generated import documents, examples
from wexodos.evaluate import Evaluator
from wexodos.evaluate.prints import differing, prints
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
    Sequence,
    Sound,
    SpeedPoint,
    Title,
    Track,
    Transition,
    Variable,
    constant,
    curve,
)
from wexodos.model.content import Roll, TextRun
from wexodos.tidy import STEPS, Chosen, Line, Outcome, TidyError, tidy
from wexodos.tidy import nest as nest_module
from wexodos.tidy.sounds import stem_of
from wexodos.tidy.step import put
from wexodos.timing import Rate

RATE = Rate(25)
MEDIA = tuple(
    Media(
        f"m{n}",
        f"K{n}.mov",
        f"/Kiln/K{n}.mov",
        f"K{n}",
        0,
        False,
        2000,
        RATE,
        1920,
        1080,
        channels=2,
        sample_rate=48000,
        video=True,
        audio=True,
    )
    for n in range(4)
)


def clip(key: str, start: int, length: int, media: int = 0, into: int = 100, **more: object) -> Item:
    motion = None if "sound" in more else Motion()
    return Item(
        key,
        f"shot {key}",
        start,
        length,
        MediaUse(f"m{media}"),
        RATE.seconds(into),
        **{"motion": motion, **more},
    )  # type: ignore[arg-type]


def document(*tracks: Track, **more: object) -> tuple[Document, Sequence]:
    sequence = Sequence(
        "s", "Cut", RATE, 90_000, width=1920, height=1080, sample_rate=48000, tracks=tracks, **more
    )  # type: ignore[arg-type]
    return Document("xmeml", "5", (sequence,), MEDIA), sequence


def run(step: str, whole: tuple[Document, Sequence], **options: str) -> Outcome:
    """One step, with the proof."""
    made = tidy(*whole, (Chosen(step, True, options),))
    did = made.steps[0]
    assert not did.problem, did.problem
    assert did.unproven == []
    assert did.outcome is not None
    return did.outcome


def places(sequence: Sequence) -> dict[str, tuple[str, object, object]]:
    return {
        item.id: (label, item.start, item.end)
        for label, track in sequence.labelled_tracks()
        for item in track.items
    }


# ---- properties over generated cuts

RECIPES = [
    ("duplicate", {}),
    ("disabled", {}),
    ("angles", {}),
    ("unfold", {}),
    ("collapse", {}),
    ("empty", {}),
    ("channels", {}),
    ("stems", {}),
    ("picture", {}),
    ("sound", {}),
    ("markers", {"where": "both"}),
    ("layers", {}),
    ("markers", {"where": "both", "on": "layer"}),
    ("keys", {"parameter": "scale"}),
    ("keys", {"parameter": "rotation", "on": "layer"}),
    ("keys", {"parameter": "markers"}),
    ("leader", {}),
    ("start", {"start": "10:00:00:00"}),
    ("tracks", {"tracks": "V2, A1"}),
    ("range", {"from": "+13", "to": "+101"}),
    (
        "take-out",
        {"kinds": "titles, generators, stills, freezes, ramps, filters, colour, mattes, adjustments"},
    ),
    ("take-out", {"kinds": "titles, stills, freezes, ramps, generators", "instead": "render"}),
]


@settings(
    max_examples=examples(60),
    deadline=None,
    suppress_health_check=list(HealthCheck),
    phases=(Phase.explicit, Phase.reuse, Phase.generate),
)
@given(documents(), st.permutations(RECIPES))
def test_steps_in_any_order_change_nothing_that_they_do_not_say(
    made: Document, order: list[tuple[str, dict[str, str]]]
) -> None:
    sequence = made.sequences[0]
    done = tidy(made, sequence, tuple(Chosen(step, True, options) for step, options in order))
    assert [(one.chosen.step, one.unproven) for one in done.steps if one.unproven] == []
    assert all(
        "no track" in one
        or "none of these" in one
        or "no marker" in one
        or "range is empty" in one
        or "nothing would be left" in one
        or "the cut is empty" in one
        for one in done.problems
    )
    ids = [item.id for item in done.sequence.items()]
    assert len(ids) == len(set(ids))
    for track in done.sequence.tracks:
        ends = [item.start for item in track.items]
        assert ends == sorted(ends)


@settings(max_examples=examples(60), deadline=None, suppress_health_check=list(HealthCheck))
@given(documents())
def test_what_was_taken_in_is_never_changed_and_steps_are_pure(made: Document) -> None:
    sequence = made.sequences[0]
    for step, options in RECIPES:
        values = STEPS[step].values(options)
        try:
            one, two = STEPS[step].run(made, sequence, values), STEPS[step].run(made, sequence, values)
        except TidyError:
            continue
        assert one.sequence == two.sequence and one.effect == two.effect and one.lines == two.lines
    assert made.sequences[0] is sequence


@settings(max_examples=examples(80), deadline=None, suppress_health_check=list(HealthCheck))
@given(documents())
def test_collapsed_pictures_keep_their_times_and_stay_above_what_they_overlap(made: Document) -> None:
    sequence = made.sequences[0]
    before, after = sequence, STEPS["collapse"].run(made, sequence, {}).sequence
    old, new = places(before), places(after)
    assert {key: value[1:] for key, value in old.items()} == {key: value[1:] for key, value in new.items()}
    assert all(int(new[key][0][1:]) <= int(old[key][0][1:]) for key in old if old[key][0][0] == "V")
    for one in old:
        for other in old:
            if (
                old[one][0][0] == old[other][0][0] == "V"
                and old[one][0] < old[other][0]
                and old[one][1] < old[other][2]
                and old[other][1] < old[one][2]
            ):
                assert new[one][0] < new[other][0]


# ---- hand-made cases


def test_prints_tell_frames_apart_and_know_equal_ones_under_other_names() -> None:
    whole, cut = document(Track("video", (clip("a", 0, 50), clip("b", 50, 50, 1))))
    other = replace(cut, tracks=(Track("video"), Track("video", (clip("x", 0, 50), clip("y", 50, 50, 1)))))
    slipped = replace(cut, tracks=(Track("video", (clip("a", 0, 50, into=101), clip("b", 50, 50, 1))),))
    nudged = replace(
        cut,
        tracks=(
            Track(
                "video", (clip("a", 0, 50), clip("b", 50, 50, 1, motion=Motion(position=constant(0.5, 0))))
            ),
        ),
    )
    one = prints(Evaluator(whole), cut).picture
    assert differing(one, prints(Evaluator(whole), other).picture) == []
    assert differing(one, prints(Evaluator(whole), slipped).picture) == [(0, 50)]
    assert differing(one, prints(Evaluator(whole), nudged).picture) == [(50, 100)]
    assert differing(one, np.zeros((2, 0), np.uint64)) == [(0, 100)]


def test_a_step_that_changes_more_than_it_says_is_caught(monkeypatch: pytest.MonkeyPatch) -> None:
    def clumsy(whole: Document, cut: Sequence, _values: object) -> Outcome:
        items = cut.tracks[0].items
        moved = replace(
            cut, tracks=(Track("video", (items[0], replace(items[1], start=items[1].start + 1))),)
        )
        return Outcome(
            replace(whole, sequences=(moved,)),
            moved,
            "looks harmless",
            [Line(0, 0, "V1", "", "", "looks harmless")],
        )

    monkeypatch.setitem(STEPS, "empty", replace(STEPS["empty"], run=clumsy))
    made = tidy(*document(Track("video", (clip("a", 0, 50), clip("b", 50, 50, 1)))), (Chosen("empty"),))
    assert made.unproven == 1
    kind, low, high = made.steps[0].unproven[0]
    assert (kind, low, high) == ("picture", 50, 100)


def test_pictures_come_down_but_transitions_links_and_order_hold() -> None:
    join = Transition("t", "Dissolve", "dissolve", 92, 8, 100)
    lower = Track("video", (clip("a", 0, 100), clip("b", 100, 50, 1)), (join,))
    upper = Track(
        "video", (clip("over", 20, 30, 2), clip("free", 150, 20, 2), clip("abut", 200, 20, 3, link="l"))
    )
    fade = Track("video", (clip("at the fade", 150, 10, 3),))
    made = run("collapse", document(lower, upper, fade))
    assert {key: value[0] for key, value in places(made.sequence).items()} == {
        "a": "V1",
        "b": "V1",
        "over": "V2",
        "free": "V1",
        "abut": "V1",
        "at the fade": "V2",
    }
    assert made.effect == "3 items come down, 3 picture tracks become 2; nothing overlaps"
    assert made.sequence.tracks[0].transitions == (join,)


def test_nothing_comes_down_into_the_cut_of_a_fade() -> None:
    out = Transition("t", "Dissolve", "dissolve", 40, 10, 50)
    lower = Track("video", (clip("a", 0, 50),), (out,))
    made = run("collapse", document(lower, Track("video", (clip("next", 50, 30, 1),))))
    # On V1 it would be taken for what the fade goes over into.
    assert places(made.sequence)["next"][0] == "V2"


def test_what_is_switched_off_stays_apart_or_goes() -> None:
    off = replace(clip("off", 0, 50, 1), enabled=False)
    whole = document(
        Track("video", (clip("a", 0, 50),)),
        Track("video", (off,)),
        Track("video", (clip("dark", 60, 10),), enabled=False),
    )
    assert places(run("collapse", whole).sequence)["dark"][0] == "V3"
    made = run("disabled", whole)
    assert set(places(made.sequence)) == {"a"}
    assert made.sequence.duration == 70
    assert made.effect == "2 items and 1 track go, they are switched off"


def test_a_range_keeps_timecode_keys_fades_and_says_which_transition_it_cuts() -> None:
    moving = Motion(scale=curve([(0, (1.0, 1.0)), (40, (2.0, 2.0))]))
    join = Transition("t", "Dissolve", "dissolve", 95, 10, 100)
    late = Transition("u", "Dissolve", "dissolve", 145, 10, 150)
    pictures = Track(
        "video",
        (clip("a", 0, 100, motion=moving), clip("b", 100, 50, 1), clip("c", 150, 50, 2)),
        (join, late),
    )
    sounds = Track("audio", (clip("x", 0, 200, sound=Sound((1,), constant(-3), fade_in=Fade(60))),))
    whole = document(pictures, sounds, markers=(Marker(30, 0, "in it"), Marker(190, 0, "behind")))
    made = run("range", whole, **{"from": "01:00:00:20", "to": "+150"})
    cut = made.sequence
    assert (cut.start, cut.duration, str(cut.timecode(0))) == (90_020, 130, "01:00:00:20")
    assert [one.id for one in cut.tracks[0].transitions] == ["t"] and cut.tracks[0].transitions[0].cut == 80
    assert [(marker.name, marker.start) for marker in cut.markers] == [("in it", 10)]
    assert cut.tracks[0].items[0].motion.scale.keys[1].time == 20
    gain = Evaluator(made.document).range(cut, 0, 41).sound[0].gain_db
    assert gain[0] == pytest.approx(-3 + 20 * np.log10(20 / 60), abs=1e-6) and gain[40] == pytest.approx(
        -3, abs=1e-6
    )
    assert any(line.item_id == "u" and "cut off" in line.what for line in made.lines)
    assert [line.item for line in made.lines if line.what == "marker goes"] == ["behind"]
    with pytest.raises(TidyError, match="begin before it ends"):
        STEPS["range"].run(*whole, STEPS["range"].values({"from": "+90", "to": "+80"}))
    marked = replace(whole[1], markers=(Marker(20, 130, "act"),))
    assert run("range", (whole[0], marked), marker="act").sequence.start == 90_020


def test_kinds_are_taken_out_and_leave_their_time() -> None:
    ramp = Variable((SpeedPoint(0, Fraction(1)), SpeedPoint(20, Fraction(2)), SpeedPoint(40, Fraction(9))))
    grade, blur = Effect("Look", "primaries"), Effect("Soft", "blur")
    still = Item("still", "Glaze chart", 140, 60, MediaUse("m2"), still=True, motion=Motion())
    pictures = Track(
        "video",
        (
            clip("plain", 0, 50, effects=(grade, blur)),
            clip("held", 50, 50, speed=Constant(0)),
            clip("ramp", 100, 40, speed=ramp),
            still,
        ),
        (Transition("t", "Dissolve", "dissolve", 44, 12, 50),),
    )
    upper = Track(
        "video",
        (
            Item("title", "Words", 0, 40, Title((TextRun("Kiln"),)), motion=Motion()),
            Item("bars", "Letterbox matte", 40, 160, Generator("colour", color="#000000ff"), motion=Motion()),
        ),
    )
    whole = document(pictures, upper)
    for kinds, gone in (
        ("titles", {"title"}),
        ("mattes", {"bars"}),
        ("freezes, ramps", {"held", "ramp"}),
        ("stills", {"still"}),
        ("generators", set()),
    ):
        made = run("take-out", whole, kinds=kinds)
        assert set(places(whole[1])) - set(places(made.sequence)) == gone
        assert made.sequence.duration == 200
        assert all(places(made.sequence)[key] == places(whole[1])[key] for key in places(made.sequence))
    # The dissolve into the freeze stays, so that the frames of the clip before it are what they were.
    assert [one.id for one in run("take-out", whole, kinds="freezes").sequence.tracks[0].transitions] == ["t"]
    graded = run("take-out", whole, kinds="colour").sequence.tracks[0].items[0]
    assert [effect.name for effect in graded.effects] == ["Soft"]
    assert [
        effect.name for effect in run("take-out", whole, kinds="filters").sequence.tracks[0].items[0].effects
    ] == ["Look"]


def test_rendered_clips_stand_in_with_their_handles_and_their_motion() -> None:
    small = Motion(scale=constant(0.5, 0.5), position=constant(100, 0))
    track = Track(
        "video",
        (clip("a", 0, 50), clip("held", 50, 50, 1, speed=Constant(0), motion=small)),
        (Transition("t", "D", "dissolve", 44, 12, 50),),
    )
    made = run("take-out", document(track), kinds="freezes", instead="render")
    item = made.sequence.tracks[0].items[1]
    render = made.renders[0]
    assert (render.first, render.count, render.media.duration) == (44, 56, 56)
    assert item.source_in == RATE.seconds(6) and item.speed == Constant(1) and item.motion == small
    span = Evaluator(made.document).range(made.sequence, 44, 45).picture[-1]
    assert span.source_frame is not None and int(span.source_frame[0]) == 0


def test_only_the_angle_in_use_stays() -> None:
    angles = Angles(
        (Angle("A", "wide", "m0"), Angle("B", "close", "m1", offset=Fraction(1, 5))), "B", "A", "Both"
    )
    lost = Angles((Angle("A", "wide"),), "A", "A", "Lost")
    whole = document(
        Track(
            "video",
            (
                Item("v", "Both", 0, 50, angles, 2, motion=Motion()),
                Item("w", "Lost", 50, 50, lost, 2, motion=Motion()),
            ),
        ),
        Track("audio", (Item("s", "Both", 0, 50, angles, 2, sound=Sound((1,))),)),
    )
    made = run("angles", whole)
    assert made.sequence.tracks[0].items[0].content == MediaUse("m1") and made.sequence.tracks[0].items[
        0
    ].source_in == Fraction(11, 5)
    assert made.sequence.tracks[1].items[0].content == MediaUse("m0")
    assert [(line.item_id, line.grave) for line in made.lines if line.grave] == [("w", True)]


def test_channels_stand_together_and_stems_in_their_order() -> None:
    def sound(key: str, channel: int, media: int, start: int = 0) -> Item:
        return clip(f"{key}{channel}", start, 50, media, sound=Sound((channel,)))

    tracks = (
        Track("audio", (sound("a", 2, 0),), name="Music"),
        Track("audio", (sound("b", 1, 1),), name="Dialogue Ada"),
        Track("audio", (sound("a", 1, 0),), name="Mx 2"),
        Track("audio", (sound("c", 1, 2),), name="FX"),
        Track("audio", (sound("d", 1, 3),), name="Camera"),
    )
    whole = document(*tracks)
    together = run("channels", whole)
    assert [track.items[0].id for track in together.sequence.tracks] == ["a1", "a2", "b1", "c1", "d1"]
    ordered = run("stems", whole)
    assert [(track.name, track.role) for track in ordered.sequence.tracks] == [
        ("Dialogue 1", "Dialogue"),
        ("Music 1", "Music"),
        ("Music 2", "Music"),
        ("Effects 1", "Effects"),
        ("Camera", "Camera"),
    ]
    assert [stem_of(Track("audio", name=name)) for name in ("VO 1", "Atmos_2", "SFX3", "Guide")] == [
        "dialogue",
        "ambience",
        "effects",
        None,
    ]


def test_leader_slate_and_pops_stand_where_they_should() -> None:
    whole = document(
        Track("video", (clip("a", 0, 100),)),
        Track("audio", (clip("x", 0, 100, sound=Sound((1, 2))),)),
        Track("audio", (clip("y", 0, 60, sound=Sound((1,))),)),
    )
    made = run("leader", whole)
    cut = made.sequence
    assert (cut.start, cut.duration, made.shift) == (90_000 - 200, 200 + 100 + 100, 200)
    assert str(cut.timecode(200)) == "01:00:00:00"
    found = {
        label: [(item.name, item.start, item.duration) for item in track.items]
        for label, track in cut.labelled_tracks()
    }
    assert found["V1"] == [
        ("Slate", 0, 125),
        ("Sync pop 1", 150, 1),
        ("shot a", 200, 100),
        ("Sync pop 2", 349, 1),
    ]
    assert found["A1"] == [("Sync pop 1", 150, 1), ("shot x", 200, 100), ("Sync pop 2", 349, 1)]
    assert [one.kind for one in made.renders] == ["slate", "flat", "tone"]
    assert run("leader", whole, keep="no").sequence.start == 90_000
    early = replace(whole[1], start=150)
    moved = run("leader", (put(whole[0], early), early))
    assert moved.sequence.start == 150 and [line.what for line in moved.lines if line.grave] == [
        "does not keep its timecode"
    ]
    with pytest.raises(TidyError, match="longer than its distance"):
        STEPS["leader"].run(*whole, STEPS["leader"].values({"black": "1"}))


def test_timecode_tracks_names_and_markers() -> None:
    whole = document(
        Track("video", (clip("a", 0, 100), clip("b", 100, 20))),
        Track("video"),
        Track("audio", (clip("x", 0, 100, sound=Sound((1,))),), name="Guide"),
    )
    assert str(run("start", whole, start="10:00:00:00").sequence.timecode(0)) == "10:00:00:00"
    with pytest.raises(TidyError, match="start timecode"):
        STEPS["start"].run(*whole, STEPS["start"].values({"start": "25 o'clock"}))
    assert [track.kind for track in run("tracks", whole, tracks="guide, V1").sequence.tracks] == [
        "video",
        "audio",
    ]
    with pytest.raises(TidyError, match="none of these"):
        STEPS["tracks"].run(*whole, STEPS["tracks"].values({"tracks": "V9"}))
    assert run("empty", whole).effect == "1 empty track goes: V2"
    assert [(one.name, one.start) for one in run("markers", whole, where="both").sequence.markers] == [
        ("shot a in", 0),
        ("shot a out", 99),
        ("shot b in", 100),
        ("shot b out", 119),
    ]
    copied = run("duplicate", whole, name="{name} for grading")
    assert [one.name for one in copied.document.sequences] == [
        "Cut for grading",
        "Cut",
    ] and copied.sequence.id != "s"
    silent = run("picture", whole)
    assert silent.sequence.duration == whole[1].duration and not silent.sequence.audio_tracks
    with pytest.raises(TidyError, match="there is no option"):
        STEPS["empty"].values({"nonsense": "1"})
    with pytest.raises(TidyError, match="cannot be"):
        STEPS["markers"].values({"where": "everywhere"})


# ---- nests


def nested(
    inside: tuple[Track, ...],
    outer: Item,
    before: Item | None = None,
    join: Transition | None = None,
    rate: Rate = RATE,
    size: tuple[int, int] = (1920, 1080),
) -> tuple[Document, Sequence]:
    nest = Sequence(
        "n", "Inner", rate, width=size[0], height=size[1], sample_rate=48000, tracks=inside, top_level=False
    )
    items = ((before,) if before is not None else ()) + (outer,)
    kind = "audio" if outer.sound is not None else "video"
    cut = Sequence(
        "s",
        "Cut",
        RATE,
        0,
        width=1920,
        height=1080,
        sample_rate=48000,
        tracks=(Track(kind, items, (join,) if join is not None else ()),),
    )
    return Document("xmeml", "5", (cut, nest), MEDIA), cut


def outer(start: int = 10, length: int = 80, into: int = 5, **more: object) -> Item:
    motion = None if "sound" in more else Motion()
    return Item(
        "nest", "Inner", start, length, NestedUse("n"), RATE.seconds(into), **{"motion": motion, **more}
    )  # type: ignore[arg-type]


MOVES = {
    "still": Motion(scale=constant(0.5, 0.5), position=constant(200, -100), rotation=constant(30)),
    "anchored": Motion(scale=constant(0.7, 0.7), anchor=constant(0.2, -0.1), rotation=constant(-10)),
    "moving": Motion(position=curve([(0, (0.0, 0.0)), (60, (300.0, 50.0))])),
    "growing": Motion(scale=Curve((1.0, 1.0), (Key(0, (1.0, 1.0)), Key(70, (0.4, 0.4))))),
    "fading": Motion(opacity=curve([(0, (0.0,)), (30, (1.0,)), (70, (0.2,))])),
}


@pytest.mark.parametrize("name", MOVES)
@pytest.mark.parametrize("inner", ["plain", "moved", "still"])
@pytest.mark.parametrize("speed", [Constant(1), Constant(2), Constant(Fraction(1, 2)), Constant(-1)])
def test_a_nest_is_unfolded_with_its_motion_and_speed(name: str, inner: str, speed: Constant) -> None:
    motions = {
        "plain": Motion(),
        "moved": Motion(
            position=curve([(0, (0.0, 0.0)), (40, (100.0, 20.0))]),
            scale=constant(0.5, 0.5),
            rotation=constant(15),
        ),
        "still": Motion(scale=constant(0.6, 0.6), position=constant(-50, 0)),
    }
    clips = (clip("a", 0, 60, 0, motion=motions[inner]), clip("b", 60, 200, 1, motion=motions[inner]))
    item = outer(speed=speed, motion=MOVES[name], into=100 if speed.rate < 0 else 5)
    made = run("unfold", nested((Track("video", clips),), item))
    assert "1 nest unfolded" in made.effect, made.lines
    assert all(not isinstance(one.content, NestedUse) for one in made.sequence.items())


def test_still_motions_need_no_keys_and_straight_moves_only_theirs() -> None:
    item = outer(motion=MOVES["moving"])
    made = run(
        "unfold",
        nested((Track("video", (clip("a", 0, 200, motion=Motion(scale=constant(0.3, 0.3))),)),), item),
    )
    motion = made.sequence.tracks[0].items[0].motion
    assert len(motion.position.keys) <= 3 and not motion.scale.keys and not motion.rotation.keys
    assert motion.scale.value == pytest.approx((0.3, 0.3))


def test_speeds_ramps_layers_levels_and_deeper_nests() -> None:
    ramp = Variable((SpeedPoint(0, Fraction(0)), SpeedPoint(40, Fraction(1)), SpeedPoint(80, Fraction(5))))
    made = run("unfold", nested((Track("video", (clip("a", 0, 300),)),), outer(speed=ramp)))
    assert isinstance(made.sequence.tracks[0].items[0].speed, Variable)
    layers = (
        Track("video", (clip("a", 0, 200),)),
        Track("video", (clip("b", 20, 40, 1, motion=Motion(scale=constant(0.4, 0.4))),)),
    )
    made = run("unfold", nested(layers, outer(motion=MOVES["still"])))
    assert {key: value[0] for key, value in places(made.sequence).items()} == {"a": "V1", "b": "V2"}
    sounds = (
        Track("audio", (clip("x", 0, 200, sound=Sound((1,), curve([(0, -6.0), (50, 0.0)], domain="gain"))),)),
    )
    made = run("unfold", nested(sounds, outer(sound=Sound((1, 2), constant(-4)))))
    assert made.sequence.tracks[0].items[0].sound.level.keys[0].value[0] == -10.0
    made = run(
        "unfold",
        nested(
            sounds,
            outer(sound=Sound((1, 2), curve([(0, 0.0), (40, -20.0)], domain="gain"), fade_out=Fade(20))),
        ),
    )
    assert "1 nest unfolded" in made.effect
    deep = Sequence(
        "d",
        "Deep",
        RATE,
        width=1920,
        height=1080,
        tracks=(Track("video", (clip("z", 0, 200, 2),)),),
        top_level=False,
    )
    whole, cut = nested(
        (Track("video", (Item("mid", "Deep", 0, 150, NestedUse("d"), 1, motion=MOVES["still"]),)),),
        outer(motion=MOVES["anchored"]),
    )
    made = run("unfold", (replace(whole, sequences=(*whole.sequences, deep)), cut))
    assert set(places(made.sequence)) == {"z"} and "2 nests unfolded" in made.effect


def test_other_rates_and_sizes_go_by_the_frame_that_is_seen() -> None:
    small = (Track("video", (clip("a", 0, 300),)),)
    made = run("unfold", nested(small, outer(motion=Motion(fit="fit")), size=(960, 540)))
    assert made.sequence.tracks[0].items[0].motion.scale.value[0] == pytest.approx(2.0)
    assert "unfolded" in run("unfold", nested(small, outer(), rate=Rate(50))).effect


def test_markers_of_and_inside_a_nest_find_their_places() -> None:
    inside = (Track("video", (clip("a", 0, 200, markers=(Marker(30, 0, "smoke"), Marker(150, 0, "late"))),)),)
    for speed, place, lost in (
        (Constant(1), 25, 0),
        (Constant(Fraction(1, 2)), 50, 0),
        (Constant(-1), None, 2),
    ):
        made = run(
            "unfold",
            nested(
                inside, outer(speed=speed, into=5 if speed.rate > 0 else 100, markers=(Marker(7, 0, "own"),))
            ),
        )
        item = made.sequence.tracks[0].items[0]
        assert [(one.name, one.start) for one in item.markers] == (
            [("smoke", place)] if place is not None else []
        )
        assert [(one.name, one.start) for one in made.sequence.markers] == [("own", 17)]
        assert ("2 markers inside it have no place" in made.lines[0].why) == bool(lost)


def test_a_nest_with_a_roll_is_unfolded_whole_or_not_at_all() -> None:
    roll = Item("roll", "Credits", 0, 60, Title((TextRun("Kiln"),), roll=Roll("up")), motion=Motion())
    assert "1 nest unfolded" in run("unfold", nested((Track("video", (roll,)),), outer(into=0))).effect
    assert "another pace" in run("unfold", nested((Track("video", (roll,)),), outer(into=5))).lines[0].why


def test_a_crop_at_the_edge_of_a_nest_hides_no_other_difference(monkeypatch: pytest.MonkeyPatch) -> None:
    big = clip("a", 0, 200, motion=Motion(scale=constant(1.5, 1.5)))
    item = outer(motion=Motion(scale=constant(0.5, 0.5)))
    made = run("unfold", nested((Track("video", (big,)),), item))
    assert made.sequence.tracks[0].items[0].motion.crop.value == pytest.approx((1 / 6, 1 / 6, 1 / 6, 1 / 6))
    wrong = nest_module.curve_through
    monkeypatch.setattr(
        nest_module, "curve_through", lambda at, values, *rest: wrong(at, values * 1.01, *rest)
    )
    assert "would not show the same" in run("unfold", nested((Track("video", (big,)),), item)).lines[0].why


def test_a_dissolve_into_a_nest_stays_and_what_cannot_be_said_keeps_the_nest() -> None:
    join = Transition("t", "Dissolve", "dissolve", 4, 12, 10)
    made = run(
        "unfold",
        nested((Track("video", (clip("a", 0, 200),)),), outer(into=20), clip("before", 0, 10, 3), join),
    )
    assert [one.id for one in made.sequence.tracks[0].transitions] == [
        "t"
    ] and "1 nest unfolded" in made.effect
    piled = (Track("video", (clip("a", 0, 200),)), Track("video", (clip("b", 20, 40, 1),)))
    half = Motion(opacity=constant(0.5))
    cases = [
        (piled, outer(motion=half), "mixed as a whole"),
        (piled[:1], outer(effects=(Effect("Soft", "blur"),)), "filtered as a whole"),
        (piled[:1], outer(blend="screen"), "blended as a whole"),
        (
            (Track("video", (clip("a", 0, 200, motion=Motion(rotation=constant(20))),)),),
            outer(motion=Motion(scale=constant(1.0, 0.5))),
            "stretched",
        ),
        (
            (
                Track(
                    "video",
                    (clip("a", 0, 50), clip("b", 50, 80, 1)),
                    (Transition("i", "D", "dissolve", 45, 10, 50),),
                ),
            ),
            outer(speed=Constant(2)),
            "transitions inside it",
        ),
    ]
    for inside, item, reason in cases:
        made = run("unfold", nested(inside, item))
        assert [line.grave for line in made.lines] == [True] and reason in made.lines[0].why
        assert made.effect == "1 nest cannot be unfolded and stays"


def test_what_is_blended_inside_a_nest_must_not_act_on_what_lies_below_it() -> None:
    inside = (Track("video", (clip("a", 0, 200),)), Track("video", (clip("b", 0, 200, 1, blend="screen"),)))
    whole, cut = nested(inside, outer())
    assert "1 nest unfolded" in run("unfold", (whole, cut)).effect
    over = replace(cut, tracks=(Track("video", (clip("ground", 0, 100, 3),)), *cut.tracks))
    made = run("unfold", (replace(whole, sequences=(over, *whole.sequences[1:])), over))
    assert "blended with one another" in made.lines[0].why


def test_a_rolling_title_that_is_shortened_is_said() -> None:
    roll = Item("roll", "Credits", 0, 100, Title((TextRun("Kiln"),), roll=Roll("up")), motion=Motion())
    assert run("range", document(Track("video", (roll,))), to="+60").sequence.duration == 60


def test_a_cut_of_sound_only_gets_pops_of_sound_only() -> None:
    heard = Track("audio", (clip("x", 0, 100, sound=Sound((1,))),))
    made = run("leader", document(heard))
    assert [one.kind for one in made.renders] == ["tone"] and not made.sequence.video_tracks
    assert [(item.name, item.start) for item in made.sequence.items()] == [
        ("Sync pop 1", 150),
        ("shot x", 200),
        ("Sync pop 2", 349),
    ]
    seen = run("leader", document(Track("video", (clip("a", 0, 100),))))
    assert [one.kind for one in seen.renders] == ["slate", "flat"] and not seen.sequence.audio_tracks


def test_the_range_between_in_and_out_is_kept_and_moves_with_the_cut() -> None:
    whole = document(Track("video", (clip("a", 0, 100), clip("b", 100, 60))), marked=(80, 120))
    made = run("range", whole, marked="yes")
    assert [(item.id, item.start, item.duration) for item in made.sequence.items()] == [
        ("a", 0, 20),
        ("b", 20, 20),
    ]
    assert (made.sequence.start, made.sequence.duration, made.sequence.marked) == (90_080, 40, None)
    assert run("range", whole, **{"from": "+60"}).sequence.marked == (20, 60)
    assert run("range", whole, **{"from": "+130"}).sequence.marked is None
    assert run("leader", whole).sequence.marked == (280, 320)
    plain = replace(whole[1], marked=None)
    with pytest.raises(TidyError, match="marked with in and out"):
        STEPS["range"].run(put(whole[0], plain), plain, STEPS["range"].values({"marked": "yes"}))
