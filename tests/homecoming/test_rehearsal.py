"""Closed loops: a cut goes to a room that is played, and what it did is found again."""

from __future__ import annotations

import csv
import json
from fractions import Fraction
from pathlib import Path

import pytest
from tests.homecoming.test_mixes import cut as sounding  # noqa: F401
from tests.homecoming.test_renders import ITEMS, WIDER, Shoot, cut_of, home, shoot  # noqa: F401

from wexodos.cli.commands import main
from wexodos.demo.build import CUT
from wexodos.farside.habits import HABITS, Room
from wexodos.formats import read_file
from wexodos.model import Constant
from wexodos.timing import Rate, Timecode

GRADING = ["source-size,handles", "no-sizing,no-filters,named-by-clip"]
GRADING += [
    "single-pictures,handles,with-sequence",
    "with-sequence,named-by-event,no-titles",
    "frame-late,shots-missing,handles,named-by-event",
]


def rehearsed(capsys: pytest.CaptureFixture[str], *arguments: str | Path) -> dict:  # type: ignore[type-arg]
    assert main(["rehearse", *map(str, arguments), "--json"]) == 0
    return json.loads(capsys.readouterr().out)  # type: ignore[no-any-return]


def by_item(truth: list[dict[str, str]], what: str) -> dict[str, str]:
    return {one["item_id"]: one["value"] for one in truth if one["what"] == what}


@pytest.mark.parametrize("number", range(len(GRADING)))
@pytest.mark.sampled(5)
@pytest.mark.thorough
def test_what_a_grading_room_did_is_found(
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
    number: int,
) -> None:
    cut = cut_of(shoot, tmp_path)
    habits = ["--habits", GRADING[number]] if GRADING[number] else []
    arguments = [cut, "--at", "grading", "--out", tmp_path / "back", "--seed", str(number + 3), *habits]
    played = rehearsed(capsys, *arguments)
    truth = played["truth"]
    assert played == json.loads((tmp_path / "back truth.json").read_text())
    # Single pictures lie in folders of their own.
    shown = [one.partition("/")[0] for one in played["files"]]
    assert {path.name for path in (tmp_path / "back").iterdir()} == set(shown)
    data = home(capsys, cut, "--from", tmp_path / "back", "--out", tmp_path / "home.otio")
    files = {one["item_id"]: Path(one["file"]).name for one in truth if one["what"] == "rendered"}
    assert {one["item_id"]: one["file"] for one in data["matched"]} == files
    assert data["asked"] == [] and data["differences"] == [] and data["unexplained"] == 0
    assert {one["item_id"] for one in data["unmatched_items"]} == set(by_item(truth, "missing"))
    late = by_item(truth, "late")
    assert {one["item_id"]: one["offset_frames"] for one in data["matched"]} == {
        key: int(late.get(key, 0)) for key in files
    }
    doubled = {(one["item_id"], one["what"]) for one in data["doubled"]}
    assert doubled == {(one["item_id"], one["value"]) for one in truth if one["what"] == "in it"}
    # What was not in the picture acts still.
    items = {one.name: one for one in read_file(tmp_path / "home.otio").top_level[0].tracks[0].items}
    handles = by_item(truth, "rendered")
    for item in ITEMS:
        if item.id in files:
            assert items[item.name].source_in == Fraction(int(handles[item.id]), 25)
    if "Closer" in files and ("Closer", "motion") not in doubled:
        assert items["Closer"].motion == WIDER
    if "Slower" in files and ("Slower", "speed") not in doubled:
        assert items["Slower"].speed == Constant(Fraction(1, 2))


@pytest.mark.parametrize(
    ("habits", "seed"),
    [
        ("levels-ridden,line-replaced,reverb,late", 4),
        ("late,rate-44100,pull", 5),
        ("stems,late,wrong-start", 7),
        ("levels-ridden,late,leader,step,inverted", 9),
    ],
)
@pytest.mark.sampled(4)
def test_what_a_mixing_room_did_is_measured(
    sounding: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
    habits: str,
    seed: int,
) -> None:
    arguments = [sounding, "--at", "mixing", "--out", tmp_path / "back", "--seed", str(seed)]
    played = rehearsed(capsys, *arguments, *(["--habits", habits] if habits else []))
    data = home(capsys, sounding, "--from", tmp_path / "back", "--out", tmp_path / "home.otio")
    assert {one["file"] for one in data["sync"]} == set(played["files"]) and data["differences"] == []
    for row in data["sync"]:
        told = {one["what"]: one["value"] for one in played["truth"] if one["file"] == row["file"]}
        assert (row["stem"] or "mix") == told["role"] and row["laid"]
        assert str(row["sample_rate"]) == told["sample_rate"]
        # The first sample of a file that begins in the middle of a pull is a fraction of one off.
        assert abs(row["offset_samples"] - int(told["offset_samples"])) <= ("drift_ppm" in told)
        assert abs(row["drift_ppm"] - float(told.get("drift_ppm", 0))) < 1
        assert row["inverted"] == ("inverted" in told)
        assert [one["samples"] for one in row["steps"]] == [
            int(told[one]) for one in told if one == "step_samples"
        ]
        for step in row["steps"]:
            # Within what was put in, which is silence.
            more = int(told["step_samples"]) // 1920
            assert (
                abs(int(Timecode.parse(step["at"], Rate(25)).frames) - 90_000 - int(told["step_frame"]))
                <= more
            )


def test_a_room_refuses_what_it_does_not_know(
    sounding: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    out = ["--out", str(tmp_path / "back")]
    assert main(["rehearse", str(sounding), "--at", "mixing", "--habits", "handles", *out]) == 2
    assert "the mixing room has levels-ridden" in capsys.readouterr().err
    assert main(["rehearse", str(tmp_path / "no.xml"), "--at", "mixing", *out]) == 3
    (tmp_path / "back").mkdir()
    assert main(["rehearse", str(sounding), "--at", "mixing", *out]) == 4
    assert sorted(path.name for path in tmp_path.iterdir()) == ["back"]


def test_an_edit_that_came_back_is_told_apart_from_what_such_rooms_lose(
    whole_demo: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """The demo's graded cut has been where filters, freezes, wipes and titles are lost, and was edited
    besides: that it went to a grading room is found by that."""
    cut = whole_demo / "kiln-night.xml"
    data = home(capsys, cut, "--from", whole_demo / "kiln-night-graded.xml", "--out", tmp_path / "home.xml")
    assert data["kind"] == "edit" and data["unexplained"] == 0
    assert {one["what"]: one["put_back"] for one in data["patterns"]} == {
        "speeds lost, their time kept": 1,
        "filters lost": 1,
        "wipes became dissolves": 1,
        "titles left out": 1,
    }
    assert {one["item"] for one in data["put_back"]} == {
        "Clay pit",
        "Night sky",
        "Clock Wipe",
        "Credits roll",
    }
    # What a person did over there stays, and is told.
    told = {(one["kind"], one["item"], one["what"]) for one in data["differences"]}
    assert {
        ("slipped", "Stoke hole", "source in"),
        ("moved", "Night sky", "record start"),
        ("trimmed", "Door brick", "record end"),
        ("retitled", "Cone note", "words"),
        ("gone", "Clay pit", "clip"),
        ("added", "Night sky", "clip"),
        ("changed", "Narration", "enabled"),
    } <= told
    back = read_file(tmp_path / "home.xml").top_level[0]
    assert any(one.name == "Credits roll" for one in back.items())


def differing(data: dict, kind: str, what: str = "") -> set[str]:  # type: ignore[type-arg]
    return {one["item_id"] for one in data["differences"] if one["kind"] == kind and what in one["what"]}


def test_what_an_editing_room_changed_is_told_one_by_one(
    demo: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    habits = "moved,trimmed,slipped,retimed,retitled,removed,unmuted,inserted"
    arguments = [
        demo / CUT,
        "--at",
        "editing",
        "--habits",
        habits,
        "--seed",
        "12",
        "--out",
        tmp_path / "back",
    ]
    played = rehearsed(capsys, *arguments)
    truth = played["truth"]
    done = {one.value: by_item(truth, one.value) for one in HABITS[Room.EDITING]}
    data = home(capsys, demo / CUT, "--from", tmp_path / "back", "--out", tmp_path / "home.otio")
    assert data["kind"] == "edit" and data["unexplained"] == 0
    told = [one["item_id"] for one in data["differences"]]
    found = {
        "moved": differing(data, "moved") - {""},
        "trimmed": differing(data, "trimmed"),
        "slipped": differing(data, "slipped"),
        "retimed": differing(data, "changed", "speed"),
        "retitled": differing(data, "retitled"),
        "removed": differing(data, "gone"),
        "unmuted": differing(data, "changed", "mute") | differing(data, "changed", "extent"),
    }
    assert found == {name: set(done[name]) for name in found} and all(found.values())
    # Nothing else, at most two rows each, and for all that stands later one.
    assert set(told) == {""}.union(*found.values())
    assert max(told.count(one) for one in set(told)) <= 2
    (shift,) = (one for one in data["differences"] if not one["item_id"])
    assert (shift["kind"], shift["before"], shift["after"]) == ("moved", 0, int(done["inserted"][""])) == (
        "moved", 0, 25
    )  # fmt: skip
    by = {
        one["item_id"]: one for one in data["differences"] if one["kind"] in ("moved", "slipped", "trimmed")
    }
    for name, sign in (("moved", 1), ("slipped", 1), ("trimmed", -1)):
        for key, value in done[name].items():
            assert by[key]["after"] - by[key]["before"] == sign * int(value), (name, key)


def test_what_an_editing_room_lost_is_put_back(
    demo: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    habits = "no-titles,no-filters,freezes-lost"
    arguments = [demo / CUT, "--at", "editing", "--habits", habits, "--out", tmp_path / "back"]
    truth = rehearsed(capsys, *arguments)["truth"]
    data = home(capsys, demo / CUT, "--from", tmp_path / "back", "--out", tmp_path / "home.otio")
    patterns = {one["what"]: one["put_back"] for one in data["patterns"]}
    assert data["differences"] == [] and patterns["titles left out"] == 5
    assert len(by_item(truth, "title left out")) == 5
    assert patterns["speeds lost, their time kept"] == len(by_item(truth, "freeze lost")) == 1
    assert patterns["filters lost"] == len(by_item(truth, "filters left out")) == 1


def test_a_finishing_room_links_what_it_has(
    whole_demo: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    habits = "media-missing,resized,first-sound-lost"
    arguments = [whole_demo / CUT, "--at", "finishing", "--habits", habits, "--out", tmp_path / "back"]
    played = rehearsed(capsys, *arguments)
    listed, name = (tmp_path / "back" / one for one in played["files"])
    with listed.open(encoding="utf-8-sig", newline="") as file:
        rows = list(csv.DictReader(file, delimiter=";" if ";" in listed.read_text().split("\n")[0] else ","))
    missing = {one["Source"] for one in rows if one["State"] == "missing"}
    assert missing == set(by_item(played["truth"], "missing").values()) and 0 < len(missing) < 12
    assert {one["State"] for one in rows} == {"missing", "linked"}
    assert [int(one["Event"]) for one in rows] == list(range(1, len(rows) + 1))
    back, cut = read_file(name).top_level[0], read_file(whole_demo / CUT).top_level[0]
    assert back.frame_size == (1920, 1080) and cut.frame_size == (640, 360)
    lost = set(by_item(played["truth"], "sound lost"))
    assert lost == {item.id for item in cut.audio_tracks[0].items}
    assert not lost & {item.id for track in back.audio_tracks for item in track.items}
