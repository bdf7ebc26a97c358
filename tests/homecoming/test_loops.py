"""Closed loops: what a room is sent, does and sends back comes home, at five rates; the room's own record is the
judge. ``./run prove`` plays forty days of each."""

from __future__ import annotations

import json
import os
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from tests.homecoming.test_rehearsal import by_item, rehearsed
from tests.homecoming.test_renders import GREY, TALL, WIDE, home

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.farside.habits import Habit, Room, drawn
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
    dice = np.random.default_rng(number)
    surface = cv2.resize(dice.integers(0, 200, (60, 90, 3), np.uint8), (720, 480), interpolation=2)
    start = Timecode.parse(f"{9 + number:02d}:00:10:00", rate, drop).frames
    path = folder / f"C{number:03d}.mov"
    with av.open(str(path), "w") as out:
        stream = out.add_stream("png", rate=Fraction(rate.fps))
        stream.width, stream.height, stream.pix_fmt = WIDE, TALL, "rgb24"
        out.metadata["timecode"] = str(Timecode(start, rate, drop))
        for at in range(LONG):
            picture = np.ascontiguousarray(surface[at : at + TALL, 2 * at : 2 * at + WIDE])
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
    names = ("First", "Wider", "Slower", "Plain", "Grey", "Shrinking", "Held", "Fading", "Last")
    items = tuple(
        Item(
            name,
            name,
            at * 24,
            24,
            MediaUse(media[at % 4].id),
            rate.seconds(20 + 12 * at),
            **{"motion": Motion(), **more.get(name, {})},  # type: ignore[arg-type]
        )
        for at, name in enumerate(names)
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
    tracks = (Track("video", items, transitions=joins), Track("video", words))
    cut = Sequence(
        "s", "Kiln Night", rate, start=start, drop_frame=drop, width=WIDE, height=TALL, tracks=tracks
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
def test_from_the_grading_room(
    cuts: dict[str, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str], rate: str, day: int
) -> None:
    seed = day * len(RATES) + list(RATES).index(rate)
    # A quarter of pictures as small as these shows no frame beside another.
    names = ",".join(one.value for one in drawn(Room.GRADING, seed) if one is not Habit.SMALL) or "none"
    arguments = "--at", "grading", "--seed", str(seed), "--habits", names, "--out", tmp_path / "back"
    played = rehearsed(capsys, cuts[rate], *arguments)
    truth, habits = played["truth"], set(played["habits"])
    data = home(capsys, cuts[rate], "--from", tmp_path / "back", "--out", tmp_path / "home.otio")
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
    assert data["differences"] == [] and data["unexplained"] == 0, habits


@pytest.mark.parametrize("day", DAYS)
@pytest.mark.parametrize("rate", RATES)
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
    assert done <= told, (habits, done - told)
    refused = home(capsys, *arguments, "--refuse", "all")
    assert refused["differences"] == [] and refused["not_refused"] == [], (
        habits,
        json.dumps(refused["not_refused"]),
    )
