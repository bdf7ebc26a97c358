"""Layers, markers and pairs of keys for compositing, worked out by hand."""

from __future__ import annotations

import json
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest

from compare.test_pairing import eye
from tidy.test_seen_and_heard import MADE
from tidy.test_steps import RATE, clip, document, run
from wexodos.carryover import carry_over
from wexodos.cli import main
from wexodos.compare import compare
from wexodos.compare.pairing import paired
from wexodos.destinations import find_destination
from wexodos.formats import FORMATS, read_file
from wexodos.ground import quiet
from wexodos.model import (
    Constant,
    Curve,
    Document,
    Ease,
    Key,
    Marker,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    Title,
    Track,
    Transition,
    constant,
)
from wexodos.model.content import TextRun
from wexodos.picture import Composer
from wexodos.tidy import TidyError, find_recipe, tidy
from wexodos.tidy.abreast import abreast
from wexodos.tidy.library import STEPS
from wexodos.tidy.renders import render_file

COMPOSITING = ("compositing-track-xml", "compositing-lane-xml", "compositing-aaf")


def dissolve(cut: int, length: int, kind: str = "dissolve") -> Transition:
    return Transition(f"t{cut}", kind, kind, cut - length // 2, length, cut)


def seen(whole: Document, sequence: Sequence, frame: int) -> np.ndarray:
    return Composer(whole, lambda _media: None, made=MADE).frame(sequence, frame, 72).picture


# ---- layers


def test_each_picture_has_a_track_named_after_it_in_the_order_of_time_and_the_upper_ones_above() -> None:
    whole = document(
        Track("video", (clip("a", 0, 50), clip("b", 50, 50, 1))),
        Track("video", (clip("c", 20, 10, 2),), name="Graphics"),
        Track("audio", ()),
    )
    made = run("layers", whole)
    assert [(track.kind, track.name, [one.id for one in track.items]) for track in made.sequence.tracks] == [
        ("video", "shot a", ["a"]),
        ("video", "shot b", ["b"]),
        ("video", "Graphics", ["c"]),
        ("audio", "", []),
    ]
    assert made.effect == "2 picture tracks become 3 layers"
    assert run("layers", (made.document, made.sequence)).nothing


def test_a_dissolve_becomes_an_overlap_in_which_the_upper_one_rises() -> None:
    slow = clip("b", 50, 50, 1, speed=Constant(Fraction(1, 2)), markers=(Marker(3, 0, "look"),))
    whole = document(Track("video", (clip("a", 0, 50), slow), (dissolve(50, 12),)))
    made = run("layers", whole)
    one, two = (track.items[0] for track in made.sequence.video_tracks)
    # Twelve frames over the cut at 50: from 44 up to 56.
    assert (one.start, one.end, one.source_in) == (0, 56, RATE.seconds(100))
    assert (two.start, two.end, two.source_in) == (44, 100, RATE.seconds(97))
    assert two.motion is not None and one.motion == Motion()
    assert two.motion.opacity.keys == (Key(0, (0.0,)), Key(12, (1.0,)))
    assert two.markers == (Marker(9, 0, "look"),)
    assert not any(track.transitions for track in made.sequence.tracks)
    assert made.touched.picture == [(44, 56)]
    for frame in (43, 44, 47, 50, 55, 56):
        before, after = seen(*whole, frame), seen(made.document, made.sequence, frame)
        assert np.abs(before - after).max() < 1e-3, frame
    # At 47 a quarter of the new one is there: (47 - 44) / 12.
    a, b = (MADE[key](number, (128, 72)) for key, number in (("m0", 147), ("m1", 98)))
    assert (
        np.abs(seen(made.document, made.sequence, 47)[..., :3] - (0.75 * a + 0.25 * b)[..., :3]).max() < 0.02
    )


def test_fades_from_and_to_nothing_are_keys_and_the_length_stays() -> None:
    joins = (dissolve(0, 10), dissolve(50, 20))
    whole = document(Track("video", (clip("a", 0, 50),), joins), Track("video", (clip("z", 60, 5),)))
    made = run("layers", whole)
    item = made.sequence.tracks[0].items[0]
    # Half of the fade in lies before the first frame, where it has gone half its way; the fade out ends at 60.
    assert (item.start, item.end) == (0, 60)
    assert item.motion is not None
    assert item.motion.opacity.keys == (Key(0, (0.5,)), Key(5, (1.0,)), Key(40, (1.0,)), Key(60, (0.0,)))
    for frame in (0, 3, 5, 41, 50, 59):
        assert np.abs(seen(*whole, frame) - seen(made.document, made.sequence, frame)).max() < 1e-3, frame
    alone = document(Track("video", (clip("a", 0, 50),), (dissolve(50, 20),)))
    short = run("layers", alone)
    assert short.sequence.duration == 50
    assert short.sequence.tracks[0].items[0].motion.opacity.keys == (Key(40, (1.0,)), Key(50, (0.5,)))  # type: ignore[union-attr]


SMALL = Motion(scale=constant(0.9, 0.9))
KEPT = {
    "a wipe": ({}, "wipe", "a wipe is no matter of opacity"),
    "a small picture": ({"motion": SMALL}, "dissolve", "“shot b” does not cover the frame, as far as it is known"),
    "one that is half seen": ({"motion": Motion(opacity=constant(0.5))}, "dissolve", "opacity beside it is not 100 %"),
    "one with an alpha": ({"alpha": "straight"}, "dissolve", "“shot b” does not cover the frame"),
    "one that is blended": ({"blend": "screen"}, "dissolve", "“shot b” is blended"),
    "a title": ({"content": Title((TextRun("Cone 9"),))}, "dissolve", "whether “shot b” covers the frame is not known"),
}  # fmt: skip


@pytest.mark.parametrize("what", KEPT)
def test_what_opacity_cannot_say_stays_a_transition_on_one_track(what: str) -> None:
    changes, kind, why = KEPT[what]
    second = replace(clip("b", 50, 50, 1), **changes)  # type: ignore[arg-type]
    whole = document(Track("video", (clip("a", 0, 50), second, clip("c", 100, 9)), (dissolve(50, 12, kind),)))
    made = run("layers", whole)
    assert [[one.id for one in track.items] for track in made.sequence.tracks] == [["a", "b"], ["c"]]
    assert made.sequence.tracks[0].transitions == (dissolve(50, 12, kind),)
    assert made.sequence.tracks[1].transitions == () and made.touched.picture == []
    line = next(one for one in made.lines if one.why)
    assert line.what == "stays a transition" and why in line.why
    kept = run("layers", whole, dissolves="keep")
    assert [[one.id for one in track.items] for track in kept.sequence.tracks] == [["a", "b"], ["c"]]


# ---- markers on a layer of their own


def cut() -> tuple[Document, Sequence]:
    off = clip("off", 10, 5, 2, enabled=False)
    return document(
        Track("video", (clip("a", 0, 50), clip("b", 50, 1, 1))), Track("video", (off, clip("c", 20, 10, 2)))
    )


def test_markers_stand_on_a_layer_that_nobody_sees(tmp_path: Path) -> None:
    made = run("markers", cut(), where="both", on="layer")
    layer = made.sequence.video_tracks[-1]
    (item,) = layer.items
    assert (layer.name, item.name, item.start, item.end, item.enabled) == ("Cuts", "Cuts", 0, 51, False)
    # A shot of one frame begins and ends there.
    assert [(one.start, one.name) for one in item.markers] == [
        (0, "shot a in"), (20, "shot c in"), (29, "shot c out"), (49, "shot a out"), (50, "shot b in"),
        (50, "shot b out"),
    ]  # fmt: skip
    assert made.sequence.markers == ()
    (render,) = made.renders
    assert (render.kind, render.words, render.media.still) == ("flat", ("#00000000",), True)
    render_file(render, tmp_path / "Cuts.png", lambda _media: None, quiet)
    drawn = cv2.imread(str(tmp_path / "Cuts.png"), cv2.IMREAD_UNCHANGED)
    assert drawn is not None and drawn.shape == (1080, 1920, 4) and not drawn[..., 3].any()
    again = run("markers", (made.document, made.sequence), where="both", on="layer")
    assert again.nothing


# ---- a pair of keys for every shot


def test_keys_stand_at_the_first_and_last_frame_and_change_nothing() -> None:
    line = Curve((0.0, 0.0), (Key(10, (0.0, 0.0)), Key(20, (10.0, 5.0))))
    held = Curve((1.0, 1.0), (Key(-5, (1.0, 1.0), Ease.HOLD), Key(70, (2.0, 2.0), Ease.HOLD)))
    steep = Curve((0.0, 0.0), (Key(-10, (0.0, 0.0)), Key(90, (100.0, 50.0))))
    for name, curve, wanted in (
        ("position", constant(7, -3), ((0, (7.0, -3.0)), (49, (7.0, -3.0)))),
        ("position", line, ((0, (0.0, 0.0)), (10, (0.0, 0.0)), (20, (10.0, 5.0)), (49, (10.0, 5.0)))),
        ("scale", held, ((-5, (1.0, 1.0)), (0, (1.0, 1.0)), (49, (1.0, 1.0)), (70, (2.0, 2.0)))),
        ("position", steep, ((-10, (0.0, 0.0)), (0, (10.0, 5.0)), (49, (59.0, 29.5)), (90, (100.0, 50.0)))),
    ):
        motion = replace(Motion(), **{name: curve})  # type: ignore[arg-type]
        made = run("keys", document(Track("video", (clip("a", 30, 50, motion=motion),))), parameter=name)
        item = made.sequence.tracks[0].items[0]
        assert item.motion is not None
        assert tuple((key.time, key.value) for key in item.motion.curves[name].keys) == wanted
        assert made.effect == f"1 shot with a pair of keys of {name}"
        assert run("keys", (made.document, made.sequence), parameter=name).nothing


def test_between_eased_keys_none_is_put_and_that_is_said() -> None:
    soft = Curve((0.0,), (Key(-10, (0.0,), Ease.SMOOTH), Key(90, (40.0,), Ease.SMOOTH)))
    made = run(
        "keys",
        document(Track("video", (clip("a", 0, 50, motion=Motion(rotation=soft)),))),
        parameter="rotation",
    )
    assert made.sequence.tracks[0].items[0].motion.rotation == soft  # type: ignore[union-attr]
    assert [(one.what, one.why) for one in made.lines] == [
        ("has no pair of keys", "its keys are eased around frame 0")
    ]


def test_pairs_as_markers_and_pairs_on_the_layer() -> None:
    made = run("keys", cut(), parameter="markers")
    assert {item.id: [(one.start, one.name) for one in item.markers] for item in made.sequence.items()} == {
        "a": [(0, "in"), (49, "out")],
        "b": [(0, "in"), (0, "out")],
        "off": [],
        "c": [(0, "in"), (9, "out")],
    }
    made = run("keys", cut(), parameter="opacity", on="layer")
    (item,) = made.sequence.video_tracks[-1].items
    assert item.motion is not None
    assert [(key.time, key.value) for key in item.motion.opacity.keys] == [
        (at, (1.0,)) for at in (0, 20, 29, 49, 50)
    ]
    with pytest.raises(TidyError, match="a step of their own"):
        STEPS["keys"].run(*cut(), STEPS["keys"].values({"parameter": "markers", "on": "layer"}))


# ---- the hand-over


@pytest.mark.parametrize("name", COMPOSITING)
def test_the_demo_arrives_with_its_layers_markers_nests_and_pairs_of_keys(
    kiln_night: Document, name: str
) -> None:
    source = kiln_night.top_level[0]
    done = tidy(kiln_night, source, find_recipe("Compositing").steps)
    carried = carry_over(done.document, done.sequence, find_destination(name))
    assert carried.errors == 0
    back = carried.returned_sequence
    shots = [
        item
        for track in source.video_tracks if track.enabled
        for item in track.items if item.enabled
        # AAF makes no colours: they are noted.
        if name != "compositing-aaf" or item.kind != "generator"
    ]  # fmt: skip
    held = [
        len(track.items) for track in back.video_tracks if not any(one.name == "Cuts" for one in track.items)
    ]
    # Only over a wipe, a dip and what does not cover the frame two stand on one track.
    assert held.count(1) >= 100 and sum(held) >= len(shots)
    assert (back.frame_size, back.rate, back.start) == (source.frame_size, source.rate, source.start)
    assert back.duration == source.duration
    cuts = [item for item in back.items() if item.name == "Cuts"]
    markers = cuts[0].markers if name != "compositing-aaf" else back.markers
    found = {(one.start, one.name) for one in markers}
    for item in done.sequence.items():
        if item.name != "Cuts":
            assert (item.start, f"{item.name} in") in found and (item.end - 1, f"{item.name} out") in found
    assert len(cuts) == 1 and not cuts[0].enabled
    nests = [item for item in back.items() if isinstance(item.content, NestedUse)]
    assert [item.name for item in nests] == ["Three fires"]
    assert isinstance(nests[0].content, NestedUse)
    inside = carried.returned.sequences_by_id[nests[0].content.sequence]
    original = next(one for one in kiln_night.sequences if one.name == "Three fires")
    assert [(item.start, item.end, item.name) for item in inside.items()] == [
        (item.start, item.end, item.name) for item in original.items()
    ]
    by_place = {(item.start, item.name): item for item in back.items()}
    pairs = 0
    for item in done.sequence.items():
        if not isinstance(item.content, MediaUse) or item.name == "Cuts":
            continue
        motion = by_place[item.start, item.name].motion
        assert motion is not None
        assert {0, item.duration - 1} <= {key.time for key in motion.position.keys}
        pairs += 1
    assert pairs >= 100


def test_keys_of_one_value_that_are_lost_are_told(kiln_night: Document) -> None:
    """Nobody sees them, so no comparison of pictures tells: they are a row of their own."""
    whole = document(Track("video", (clip("a", 0, 50),)))
    made = run("keys", whole, parameter="scale")
    found = compare(made.document, made.sequence, *whole, whole=True)
    assert [(one.what, one.before, one.after) for one in found] == [
        ("scale", "2 keys of one value", "0 keys of one value")
    ]
    # At other places they are others, and where they are none is lost.
    elsewhere = Curve((1.0, 1.0), (Key(0, (1.0, 1.0)), Key(30, (1.0, 1.0))))
    other = document(Track("video", (clip("a", 0, 50, motion=Motion(scale=elsewhere)),)))
    assert [one.what for one in compare(made.document, made.sequence, *other, whole=True)] == ["scale"]
    assert compare(made.document, made.sequence, made.document, made.sequence, whole=True) == []


# ---- two as one


def test_two_eyes_are_one_hand_over_in_time_with_each_other_under_one_layer() -> None:
    left_of, left = eye("L")
    right_of, right = eye("R", later=4, apart=37)
    shots = list(right.tracks[0].items)
    shots[3] = replace(shots[3], duration=shots[3].duration - 5)
    right = replace(right, tracks=(replace(right.tracks[0], items=tuple(shots)),))
    right_of = replace(right_of, sequences=(right,))
    # Ids of both that are the same must not become one.
    right_of = replace(right_of, media=(*right_of.media, Media("L1", "other.mov", "/other.mov", video=True)))
    whole, made, renders = abreast(left_of, left, right_of, right, paired(left_of, left, right_of, right))
    nests = [track.items[0] for track in made.video_tracks[:2]]
    assert [(one.start, one.duration, one.source_in) for one in nests] == [
        (0, left.duration, 0),
        (0, left.duration, left.rate.seconds(4)),
    ]
    assert [track.name for track in made.video_tracks] == ["Left", "Right", "Cuts"]
    assert len({one.id for one in whole.media}) == len(whole.media) == 22
    markers = made.video_tracks[2].items[0].markers
    # Forty shots with two markers each, those of the right at the same places; the shot that is shorter on the
    # right ends elsewhere, and has its row.
    assert len(markers) == 82
    assert [(one.start, one.name) for one in markers if "Right" in one.name or "length" in one.name] == [
        (3 * 48, "length V1"),
        (4 * 48 - 6, "Right: Shot 3 out"),
    ]
    assert len(renders) == 1
    for name in COMPOSITING:
        carried = carry_over(whole, made, find_destination(name))
        assert carried.errors == 0
        marks = [one for item in carried.returned_sequence.items() for one in item.markers]
        assert len(marks or carried.returned_sequence.markers) == 82


def test_the_command_line_corrects_a_side_and_sends_both(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    files = []
    for name, (whole, sequence) in (("left", eye("L")), ("right", eye("R", later=4))):
        if name == "right":
            shots = list(sequence.tracks[0].items)
            shots[6] = replace(shots[6], source_in=shots[6].source_in + Fraction(1, 24))
            sequence = replace(sequence, tracks=(replace(sequence.tracks[0], items=tuple(shots)),))
            whole = replace(whole, sequences=(sequence,))
        path = tmp_path / f"{name}.xml"
        path.write_bytes(FORMATS["xmeml"].write(whole, sequence.id, "5", None))
        files.append(str(path))
    fixed, both = tmp_path / "fixed.fcpxml", tmp_path / "both.xml"
    wanted = [
        "pair",
        *files,
        "--correct",
        "right",
        "--corrected",
        str(fixed),
        "--together",
        str(both),
        "--json",
    ]
    assert main(wanted) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["rows"] == [] and [row["what"] for row in told["corrected"]["rows"]] == ["source"]
    assert told["output"] == [str(fixed), str(both), str(tmp_path / "both media" / "Cuts.png")]
    assert read_file(fixed).top_level[0].tracks[0].items[6].source_in == Fraction(460, 24)
    assert [len(one.tracks) for one in read_file(both).sequences if one.top_level] == [3]
    for wrong in (
        ["--correct", "up", "--corrected", str(fixed)],
        ["--correct", "left"],
        ["--corrected", str(fixed)],
        ["--together", files[0]],
    ):
        assert main(["pair", *files, *wrong]) in (2, 4), wrong
    assert read_file(Path(files[0])).top_level[0].name == "Firing L"
