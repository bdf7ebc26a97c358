"""Closed loops: what a room is sent, does and sends back comes home, at five rates; the room's own record is the
judge. ``./run prove`` plays forty days of each."""

from __future__ import annotations

import json
import os
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile
from tests.homecoming.test_mixes import sounding_cut
from tests.homecoming.test_rehearsal import by_item, rehearsed
from tests.homecoming.test_renders import GREY, TALL, WIDE, home
from tests.homecoming.truth import ITEM, NAMES, after_editing, after_grading, lacking, surface, unlike

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.farside.habits import Habit, Room, drawn
from wexodos.formats import read_file
from wexodos.model import (
    Constant,
    Curve,
    Document,
    Item,
    Key,
    Media,
    MediaUse,
    Motion,
    Sequence,
    Sound,
    TextRun,
    Title,
    Track,
    Transition,
    constant,
)
from wexodos.timing import Rate, Timecode

DAYS = range(40 if int(os.environ.get("WEXODOS_EXAMPLES", "1")) > 1 else 1)
RATES = {
    "23.976": (Rate(24_000, 1001), False),
    "24": (Rate(24), False),
    "25": (Rate(25), False),
    "29.97 drop": (Rate(30_000, 1001), True),
    "50": (Rate(50), False),
}
LONG = 160


def take(folder: Path, number: int, rate: Rate, drop: bool) -> Media:
    """A camera over a surface of its own, every frame another."""
    seen = surface(number)
    start = Timecode.parse(f"{9 + number:02d}:00:10:00", rate, drop).frames
    path = folder / f"C{number:03d}.mov"
    with av.open(str(path), "w") as out:
        stream = out.add_stream("png", rate=Fraction(rate.fps), options={"compression_level": "0"})
        stream.width, stream.height, stream.pix_fmt = WIDE, TALL, "rgb24"
        out.metadata["timecode"] = str(Timecode(start, rate, drop))
        for at in range(LONG):
            picture = np.ascontiguousarray(seen[at : at + TALL, 2 * at : 2 * at + WIDE])
            frame = av.VideoFrame.from_ndarray(picture, format="rgb24")
            frame.pts, frame.time_base = at, 1 / Fraction(rate.fps)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    return Media(
        path.stem, path.name, str(path), start=start, drop_frame=drop, duration=LONG, rate=rate,
        width=WIDE, height=TALL, video=True,
    )  # fmt: skip


def cut_at(folder: Path, rate: Rate, drop: bool) -> Path:
    """Nine clips with all that a room may do to them, titles over them."""
    media = [take(folder, number, rate, drop) for number in range(1, 5)]
    wider = Motion(scale=constant(1.4, 1.4), position=constant(20.0, -10.0))
    shrinking = Motion(scale=Curve((1.0, 1.0), (Key(4, (1.0, 1.0)), Key(24, (0.6, 0.6)))))
    fading = Motion(opacity=Curve((1.0,), (Key(0, (0.0,)), Key(12, (1.0,)), Key(24, (1.0,)))))
    more: dict[str, dict[str, object]] = {
        "Wider": {"motion": wider},
        "Slower": {"speed": Constant(Fraction(1, 2))},
        "Grey": {"effects": (GREY,)},
        "Shrinking": {"motion": shrinking},
        "Held": {"speed": Constant(0)},
        "Fading": {"motion": fading},
    }
    items = tuple(
        Item(
            name,
            name,
            at * ITEM,
            ITEM,
            MediaUse(media[at % 4].id),
            rate.seconds(20 + 12 * at),
            **{"motion": Motion(), **more.get(name, {})},  # type: ignore[arg-type]
        )
        for at, name in enumerate(NAMES)
    )
    joins = (
        Transition("w", "Wipe", "wipe", 20, 8, 24, pattern=1),
        Transition("d", "Dissolve", "dissolve", 92, 8, 96),
    )
    words = tuple(
        Item(
            f"words {at}",
            f"Words {at}",
            10 + 60 * at,
            30,
            Title((TextRun(f"Cone {9 + at}", size=30.0),)),
            motion=Motion(),
        )
        for at in range(3)
    )
    start = Timecode.parse("01:00:00:00", rate, drop).frames
    room = folder / "room.wav"
    soundfile.write(room, 0.1 * np.random.default_rng(5).standard_normal(48_000 * 12), 48_000, "PCM_16")
    media.append(Media("room", room.name, str(room), channels=1, sample_rate=48_000, audio=True))
    sounds = tuple(
        Item(f"room {at}", "Room", 72 * at, 72, MediaUse("room"), rate.seconds(72 * at), sound=Sound((1,)))
        for at in range(3)
    )
    more = tuple(replace(one, id=f"more {one.id}", start=one.start + 30) for one in sounds[:2])
    tracks = (
        Track("video", items, transitions=joins),
        Track("video", words),
        Track("audio", sounds),
        Track("audio", more),
    )
    cut = Sequence(
        "s",
        "Kiln Night",
        rate,
        start=start,
        drop_frame=drop,
        width=WIDE,
        height=TALL,
        sample_rate=48_000,
        tracks=tracks,
    )
    path = folder / "cut.otio"
    path.write_bytes(
        carry_over(Document("otio", "1", (cut,), tuple(media)), cut, find_destination("archive-otio")).data
    )
    return path


@pytest.fixture(scope="module")
def cuts(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    return {name: cut_at(tmp_path_factory.mktemp("loop"), *rate) for name, rate in RATES.items()}


@pytest.mark.parametrize("day", DAYS)
@pytest.mark.parametrize("rate", RATES)
@pytest.mark.sampled(5)
def test_from_the_grading_room(
    cuts: dict[str, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str], rate: str, day: int
) -> None:
    seed = day * len(RATES) + list(RATES).index(rate)
    # A quarter of pictures as small as these shows no frame beside another.
    names = ",".join(one.value for one in drawn(Room.GRADING, seed) if one is not Habit.SMALL) or "none"
    there = "--at", "grading", "--seed", str(seed), "--habits", names, "--out", tmp_path / "back"
    played = rehearsed(capsys, cuts[rate], *there)
    truth, habits = played["truth"], set(played["habits"])
    arguments = cuts[rate], "--from", tmp_path / "back", "--out"
    data = home(capsys, *arguments, tmp_path / "home.otio")
    files = {one["item_id"]: Path(one["file"]).name for one in truth if one["what"] == "rendered"}
    found = {one["item_id"]: one["file"] for one in data["matched"]}
    asked = {each["item_id"] for one in data["asked"] for each in one["candidates"]}
    # Every one is matched as it should be, or asked; none is wrong.
    assert {key: file for key, file in found.items() if files.get(key) != file} == {}, habits
    assert set(files) - set(found) - asked == set(), habits
    assert {one["item_id"] for one in data["unmatched_items"]} == set(by_item(truth, "missing")), habits
    late = by_item(truth, "late")
    held = {"Held"}
    assert {
        key: one for one in data["matched"] if (key := one["item_id"]) not in held and one["offset_frames"]
    }.keys() == (set(late) & set(found)) - held, habits
    twice = {(one["item_id"], one["what"]) for one in data["doubled"]}
    wanted = {(one["item_id"], one["value"]) for one in truth if one["what"] == "in it"}
    assert twice == {one for one in wanted if one[0] in found}, habits
    wholes = {one["what"]: one["value"] for one in truth if Path(one["file"]).name.endswith(" graded.mov")}
    if wholes:
        # It lies where its timecode says, and so in sync; whether its titles are in it is seen.
        (whole,) = data["whole"]
        assert (whole["offset_frames"], whole["steps"]) == (0, []), habits
        assert whole["titles_in_it"] == (wholes["titles in it"] == "yes"), habits
    else:
        assert data["whole"] == [], habits
    assert data["differences"] == [] and data["unexplained"] == 0, habits
    laid = {one["item_id"] for one in data["matched"]}
    assert {one["item_id"]: one["short_frames"] for one in data["matched"]} == lacking(truth, laid), habits
    # What is a frame late is put right first: then every frame is what it must be.
    if late:
        home(capsys, *arguments, tmp_path / "right.otio", "--correct")
    back = tmp_path / ("right.otio" if late else "home.otio")
    assert after_grading(back, cuts[rate], truth, laid, bool(wholes)) == [], habits


@pytest.mark.parametrize("day", DAYS)
@pytest.mark.parametrize("rate", RATES)
@pytest.mark.sampled(5)
def test_from_the_editing_room(
    cuts: dict[str, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str], rate: str, day: int
) -> None:
    """Everything that was done is told; with all of it refused the cut is what it was."""
    seed = 100 + day * len(RATES) + list(RATES).index(rate)
    played = rehearsed(capsys, cuts[rate], "--at", "editing", "--seed", str(seed), "--out", tmp_path / "back")
    habits = set(played["habits"])
    arguments = cuts[rate], "--from", tmp_path / "back", "--out", tmp_path / "home.otio"
    data = home(capsys, *arguments)
    assert data["unexplained"] == 0, habits
    done = {
        one["item_id"]
        for one in played["truth"]
        if one["what"] in ("moved", "trimmed", "slipped", "removed", "retimed", "retitled")
    }
    told = {one["item_id"] for one in data["differences"]}
    # A title that was taken out may be taken for one that was lost: it is put back then, and that is told.
    removed = set(by_item(played["truth"], "removed"))
    told |= {key for key in removed if key.capitalize() in {one["item"] for one in data["put_back"]}}
    assert done <= told, (habits, done - told)
    # What such rooms lose is put back in one action each; then only the edits are left.
    lost = [one["what"] for one in data["patterns"] if one["put_back"] < one["count"]]
    if lost:
        home(capsys, *arguments, *(word for what in lost for word in ("--refuse", what)))
    assert after_editing(tmp_path / "home.otio", played["truth"]) == [], habits
    refused = home(capsys, *arguments, "--refuse", "all")
    assert refused["differences"] == [] and refused["not_refused"] == [], (
        habits,
        json.dumps(refused["not_refused"]),
    )
    assert unlike(tmp_path / "home.otio", cuts[rate]) == [], habits


@pytest.fixture(scope="module")
def sounding(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    return {name: sounding_cut(tmp_path_factory.mktemp("sounds"), *rate) for name, rate in RATES.items()}


def _frame(code: str, cut: Path) -> int:
    """A timecode as a frame from the beginning of a cut."""
    sequence = read_file(cut).top_level[0]
    return Timecode.parse(code, sequence.rate, sequence.drop_frame).frames - sequence.start


@pytest.mark.parametrize("day", DAYS)
@pytest.mark.parametrize("rate", RATES)
@pytest.mark.sampled(5)
def test_from_the_mixing_room(
    sounding: dict[str, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str], rate: str, day: int
) -> None:
    """The offset is exact to the sample, a drift to a millionth; moved and slowed down it lies as the cut's
    own sound does."""
    seed = 200 + day * len(RATES) + list(RATES).index(rate)
    played = rehearsed(
        capsys, sounding[rate], "--at", "mixing", "--seed", str(seed), "--out", tmp_path / "back"
    )
    habits = set(played["habits"])
    arguments = sounding[rate], "--from", tmp_path / "back", "--out"
    data = home(capsys, *arguments, tmp_path / "home.otio")
    assert data["differences"] == [] and data["unexplained"] == 0 and data["asked"] == [], habits
    truths: dict[str, dict[str, str]] = {}
    for one in played["truth"]:
        truths.setdefault(one["value"] if one["what"] == "role" else "", {})
        role = next(each["value"] for each in played["truth"] if each["file"] == one["file"])
        truths[role][one["what"]] = one["value"]
    truths.pop("", None)
    found = {
        f"track {row['tracks'][0]}" if row["role"] == "track" else row["stem"] or "mix": row
        for row in data["sync"]
    }
    assert found.keys() == truths.keys(), habits
    for role, row in found.items():
        told = truths[role]
        assert row["laid"] and (row["within"] is not None) == ("with-sequence" in habits), habits
        share = Fraction(row["sample_rate"], int(told["sample_rate"]))
        late = int(told["offset_samples"]) * share
        odd = "drift_ppm" in told or share != 1 or told["sample_rate"] != "48000"
        # The first sample of a file that begins in the middle of a pull, or at another rate, is a fraction off.
        assert abs(row["offset_samples"] - late) <= odd, (habits, role)
        assert abs(row["drift_ppm"] - float(told.get("drift_ppm", 0))) < 1, (habits, role)
        assert row["inverted"] == ("inverted" in told), habits
        more = [round(int(told[one]) * share) for one in told if one == "step_samples"]
        assert len(row["steps"]) == len(more), (habits, role)
        for one, each in zip(row["steps"], more):
            assert abs(one["samples"] - each) <= odd, (habits, role)
            assert abs(_frame(one["at"], sounding[rate]) - int(told["step_frame"])) <= 1, (habits, role)
    home(capsys, *arguments, tmp_path / "moved.otio", "--correct")
    cut = read_file(tmp_path / "moved.otio").top_level[0]
    laid = cut.audio_tracks[2:]
    assert len(laid) == len(found)
    alone = "with-sequence" not in habits
    for track, row in zip(laid, data["sync"]):
        pace = Fraction(1001, 1000) if "pull" in habits and alone else Fraction(1)
        late = row["offset_samples"]
        # Cut where it follows another cut; not the tracks of a sequence.
        assert len(track.items) == 1 + (len(row["steps"]) if alone else 0), habits
        for number, item in enumerate(track.items):
            if number:
                late += row["steps"][number - 1]["samples"]
                assert item.start == track.items[number - 1].end, habits
                assert abs(item.start - int(next(iter(truths.values()))["step_frame"])) <= 1, habits
            assert item.speed == Constant(pace), habits
            assert number or item.start == 0 or "late" in habits, habits
            at = Fraction(cut.rate.seconds(item.start)) * pace
            wanted = at + Fraction(late, row["sample_rate"])
            assert abs(item.source_in - wanted) * 48_000 < 1.5, (habits, track.name)


@pytest.mark.parametrize("day", DAYS)
@pytest.mark.parametrize("rate", RATES)
@pytest.mark.sampled(5)
def test_from_the_finishing_room(
    cuts: dict[str, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str], rate: str, day: int
) -> None:
    """What it lost is told or put back; with all that is left refused the cut is what it was."""
    seed = 300 + day * len(RATES) + list(RATES).index(rate)
    played = rehearsed(
        capsys, cuts[rate], "--at", "finishing", "--seed", str(seed), "--out", tmp_path / "back"
    )
    habits = set(played["habits"])
    arguments = cuts[rate], "--from", tmp_path / "back", "--out", tmp_path / "home.otio"
    data = home(capsys, *arguments)
    assert data["kind"] == "edit" and data["unexplained"] == 0, habits
    told = {one["item_id"] for one in data["differences"]}
    assert by_item(played["truth"], "sound lost").keys() <= told, habits
    before, after = (read_file(path).top_level[0] for path in (cuts[rate], tmp_path / "home.otio"))
    assert (after.frame_size != before.frame_size) == ("resized" in habits), habits
    refused = home(capsys, *arguments, "--refuse", "all")
    assert refused["differences"] == [] and refused["not_refused"] == [], (habits, refused["not_refused"])
    assert unlike(tmp_path / "home.otio", cuts[rate]) == [], habits
    assert read_file(tmp_path / "home.otio").top_level[0].frame_size == before.frame_size
