"""Renders come home: made here by a grading room of arrays, whose truth is known."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from wexodos.carryover import carry_over
from wexodos.cli.commands import main
from wexodos.destinations import find_destination
from wexodos.formats import read_file
from wexodos.homecoming.renders import By, matching
from wexodos.media import Probed
from wexodos.model import (
    Constant,
    Curve,
    Document,
    Effect,
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

PAL = Rate(25)
WIDE, TALL = 192, 108
LONG = 240
Picture = NDArray[np.uint8]


class Shoot:
    """Three takes of a camera that moves over a surface, each frame of its own, with timecode and reel."""

    def __init__(self, folder: Path) -> None:
        self.frames: dict[str, list[Picture]] = {}
        self.media: list[Media] = []
        for number, name in enumerate(("A001C001", "A001C002", "B002C001"), 1):
            dice = np.random.default_rng(number)
            surface = cv2.resize(dice.integers(0, 200, (60, 120, 3), np.uint8), (960, 480), interpolation=2)
            self.frames[name] = [
                surface[2 * at // 3 : 2 * at // 3 + TALL, 2 * at : 2 * at + WIDE].copy() for at in range(LONG)
            ]
            start = (number * 3600 + 10) * 25
            path = movie(folder / f"{name}.mov", self.frames[name], start)
            self.media.append(
                Media(
                    name,
                    path.name,
                    str(path),
                    start=start,
                    drop_frame=False,
                    duration=LONG,
                    rate=PAL,
                    width=WIDE,
                    height=TALL,
                    video=True,
                )
            )


def movie(path: Path, frames: list[Picture], start: int | None) -> Path:
    """A movie without loss, with a timecode track."""
    with av.open(str(path), "w") as out:
        stream = out.add_stream("png", rate=25, options={"compression_level": "0"})
        stream.width, stream.height, stream.pix_fmt = frames[0].shape[1], frames[0].shape[0], "rgb24"
        if start is not None:
            out.metadata["timecode"] = str(Timecode(start, PAL, False))
        for number, data in enumerate(frames):
            frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(data), format="rgb24")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    return path


def graded(picture: Picture) -> Picture:
    """A correction: warmer, darker, a little harder."""
    whole = picture.astype(np.float64) / 255
    whole = np.clip(whole * (1.1, 0.95, 0.8) + (0.02, 0.0, -0.01), 0, 1) ** (1.1, 1.05, 0.95)
    return np.asarray(np.rint(whole * 255), np.uint8)


def enlarged(picture: Picture, by: float) -> Picture:
    matrix = np.array([[by, 0, WIDE / 2 * (1 - by)], [0, by, TALL / 2 * (1 - by)]])
    return np.asarray(cv2.warpAffine(picture, matrix, (WIDE, TALL), flags=cv2.INTER_LINEAR), np.uint8)


def clip(name: str, start: int, duration: int, take: str, source: int, **more: object) -> Item:
    return Item(
        name,
        name,
        start,
        duration,
        MediaUse(take),
        PAL.seconds(source),
        **{"motion": Motion(), **more},  # type: ignore[arg-type]
    )


WIDER = Motion(scale=constant(1.5, 1.5))
GREY = Effect("Desaturate", "desaturate", settings=(("amount", constant(1)),))
ITEMS = [
    clip("Throwing", 0, 40, "A001C001", 20),
    clip("Turning", 40, 30, "A001C001", 120),
    clip("Closer", 70, 40, "A001C002", 60, motion=WIDER),
    clip("Slower", 110, 40, "A001C002", 120, speed=Constant(Fraction(1, 2))),
    clip("Grey", 150, 30, "B002C001", 50, effects=(GREY,)),
    clip("Last", 180, 20, "B002C001", 130),
]
WORDS = Item("t", "Opening", 10, 20, Title((TextRun("Kiln Night"),)), motion=Motion())


@pytest.fixture(scope="session")
def shoot(tmp_path_factory: pytest.TempPathFactory) -> Shoot:
    return Shoot(tmp_path_factory.mktemp("shoot"))


def cut_of(shoot: Shoot, folder: Path, *above: Item) -> Path:
    tracks = (Track("video", tuple(ITEMS)), Track("video", (WORDS, *above)))
    sequence = Sequence("s", "Kiln Night", PAL, start=90_000, width=WIDE, height=TALL, tracks=tracks)
    document = Document("otio", "1", (sequence,), tuple(shoot.media))
    path = folder / "cut.otio"
    path.write_bytes(carry_over(document, sequence, find_destination("archive-otio")).data)
    return path


def source(shoot: Shoot, item: Item, frame: int) -> Picture:
    """What an item shows at one of its frames, before sizing and filters."""
    at = int(item.source_in * 25) + int(frame * item.speed.rate)  # type: ignore[union-attr]
    return shoot.frames[item.content.media][at]  # type: ignore[union-attr]


def shown(shoot: Shoot, item: Item, frame: int) -> Picture:
    """The same with its sizing and filters."""
    picture = source(shoot, item, frame)
    picture = enlarged(picture, 1.5) if item.motion is WIDER else picture
    if item.effects:
        grey = picture.astype(np.float64) @ (0.2126, 0.7152, 0.0722)
        picture = np.repeat(np.rint(grey).astype(np.uint8)[..., None], 3, axis=2)
    return picture


def whole_of(shoot: Shoot, late: int) -> list[Picture]:
    """Every frame of the cut, without its title, graded, behind so many that are black."""
    black = [np.zeros((TALL, WIDE, 3), np.uint8)] * late
    return black + [graded(shown(shoot, item, at)) for item in ITEMS for at in range(int(item.duration))]


def room(
    shoot: Shoot, folder: Path, scheme: str, baked: bool, handles: int = 0, late: dict[str, int] | None = None
) -> Iterator[tuple[str, Item]]:
    """Render every event: graded, with what is done to it in the cut (``baked``) or as its source, named by a
    scheme, with source timecode."""
    folder.mkdir()
    for number, item in enumerate(ITEMS, 1):
        off = (late or {}).get(item.id, 0)
        if baked:
            whole = range(-handles, int(item.duration) + handles)
            frames = [graded(shown(shoot, item, at - off)) for at in whole]
        else:
            first = int(item.source_in * 25) - handles
            count = int(item.duration * item.speed.rate) + 2 * handles  # type: ignore[union-attr]
            frames = [graded(shoot.frames[item.content.media][first + at - off]) for at in range(count)]  # type: ignore[union-attr]
        medium = next(one for one in shoot.media if one.id == item.content.media)  # type: ignore[union-attr]
        start = (medium.start or 0) + int(item.source_in * 25) - handles
        name = scheme.format(number=number, take=medium.id, item=item.name)
        movie(folder / f"{name}.mov", frames, start)
        yield f"{name}.mov", item


def home(capsys: pytest.CaptureFixture[str], *arguments: str | Path) -> dict:  # type: ignore[type-arg]
    assert main(["return", *map(str, arguments), "--json"]) == 0
    return json.loads(capsys.readouterr().out)  # type: ignore[no-any-return]


@pytest.mark.parametrize(("scheme", "handles"), [("KN_{number:04d}", 8)])
def test_renders_with_all_in_them_come_home_and_nothing_acts_twice(
    shoot: Shoot, tmp_path: Path, capsys: pytest.CaptureFixture[str], scheme: str, handles: int
) -> None:
    cut = cut_of(shoot, tmp_path)
    truth = dict(room(shoot, tmp_path / "back", scheme, True, handles))
    data = home(capsys, cut, "--from", tmp_path / "back", "--out", tmp_path / "home.otio")
    assert data["kind"] == "grade" and data["unexplained"] == 0 and data["differences"] == []
    assert {one["file"]: one["item_id"] for one in data["matched"]} == {
        name: item.id for name, item in truth.items()
    }
    assert data["asked"] == data["unmatched_files"] == data["unmatched_items"] == []
    assert all(one["offset_frames"] == 0 and one["laid"] for one in data["matched"])
    doubled = [(one["item_id"], one["what"]) for one in data["doubled"]]
    assert doubled == [("Closer", "motion"), ("Slower", "speed"), ("Grey", "filter")]
    # The cut that came home: every clip shows its render from the handles on, with nothing done to it.
    back = read_file(tmp_path / "home.otio")
    items = back.top_level[0].tracks[0].items
    named = {back.media_by_id[one.content.media].name: one for one in items}  # type: ignore[union-attr]
    for name, item in truth.items():
        one = named[name]
        assert (one.start, one.duration, one.name) == (item.start, item.duration, item.name)
        assert one.source_in == PAL.seconds(handles) and one.speed == Constant(1)
        assert one.motion is not None and one.motion.scale == constant(1, 1)
        assert not any(effect.enabled for effect in one.effects)
    assert back.top_level[0].tracks[1].items[0].content.words == "Kiln Night"  # type: ignore[union-attr]


def test_a_render_without_a_timecode_as_long_as_its_clip_has_the_speed_in_it(
    shoot: Shoot, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    cut = cut_of(shoot, tmp_path)
    frames = [graded(source(shoot, ITEMS[3], at)) for at in range(40)]
    (tmp_path / "back").mkdir()
    movie(tmp_path / "back/Slower.mov", frames, None)
    told = home(capsys, cut, "--from", tmp_path / "back", "--out", tmp_path / "home.otio")
    assert [(one["item_id"], one["by"]) for one in told["matched"]] == [("Slower", ["name", "length"])]
    assert [(one["what"], one["measured"]) for one in told["doubled"]] == [
        ("speed", "it is as long as the clip is in the cut")
    ]
    assert len(told["unmatched_items"]) == 5
    items = read_file(tmp_path / "home.otio").top_level[0].tracks[0].items
    assert items[3].speed == Constant(1) and items[3].source_in == 0
    assert items[2].motion == WIDER and items[2].content == MediaUse("A001C002")


def test_renders_of_the_sources_keep_what_is_done_to_them(
    shoot: Shoot, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    cut = cut_of(shoot, tmp_path)
    truth = dict(room(shoot, tmp_path / "back", "{take}_{number:04d}", False, 5))
    data = home(capsys, cut, "--from", tmp_path / "back", "--out", tmp_path / "home.otio")
    assert {one["file"]: one["item_id"] for one in data["matched"]} == {
        name: item.id for name, item in truth.items()
    }
    assert data["doubled"] == []
    back = read_file(tmp_path / "home.otio")
    items = {one.name: one for one in back.top_level[0].tracks[0].items}
    assert items["Closer"].motion == WIDER and items["Slower"].speed == Constant(Fraction(1, 2))
    assert items["Grey"].effects[0].enabled
    assert all(one.source_in == PAL.seconds(5) for one in items.values())


def test_pictures_that_are_late_are_found_and_moved_only_when_that_is_wanted(
    shoot: Shoot, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    cut = cut_of(shoot, tmp_path)
    late = {"Throwing": 1, "Last": -2}
    list(room(shoot, tmp_path / "back", "KN_{number:04d}", True, 4, late))
    data = home(capsys, cut, "--from", tmp_path / "back", "--out", tmp_path / "plain.otio")
    assert {one["item_id"]: one["offset_frames"] for one in data["matched"]} == {
        item.id: late.get(item.id, 0) for item in ITEMS
    }
    home(capsys, cut, "--from", tmp_path / "back", "--out", tmp_path / "moved.otio", "--correct")
    for name, shift in (("plain", {}), ("moved", late)):
        items = read_file(tmp_path / f"{name}.otio").top_level[0].tracks[0].items
        assert {one.name: one.source_in for one in items} == {
            item.name: PAL.seconds(4 + shift.get(item.id, 0)) for item in ITEMS
        }


def test_what_cannot_be_told_is_asked_and_what_is_left_over_is_said(
    shoot: Shoot, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    cut = cut_of(shoot, tmp_path)
    truth = dict(room(shoot, tmp_path / "back", "KN_{number:04d}", True))
    back = tmp_path / "back"
    # One is missing, one came twice, one says only its take, one is of something else, one was not finished.
    (back / "KN_0006.mov").unlink()
    (back / "KN_0002_v2.mov").write_bytes((back / "KN_0002.mov").read_bytes())
    take = [graded(one) for one in shoot.frames["A001C001"][:40]]
    movie(back / "A001C001 try.mov", take, None)
    movie(back / "Night sky.mov", take, (5 * 3600) * 25)
    (back / "KN_0009.mov").write_bytes((back / "KN_0001.mov").read_bytes()[:5000])
    (back / "notes.txt").write_text("all done")
    data = home(capsys, cut, "--from", back)
    assert data["output"] is None
    assert {one["file"]: one["item_id"] for one in data["matched"]} == {
        **{name: item.id for name, item in truth.items() if name not in ("KN_0002.mov", "KN_0006.mov")},
        "KN_0002_v2.mov": "Turning",
    }
    assert [one["item_id"] for one in data["unmatched_items"]] == ["Last"]
    asked = {one["file"]: [each["item_id"] for each in one["candidates"]] for one in data["asked"]}
    assert set(asked) <= {"A001C001 try.mov"}
    left = {one["file"]: one["why"] for one in data["unmatched_files"]}
    assert {"KN_0002.mov", "Night sky.mov", "KN_0009.mov", "notes.txt"} <= set(left)
    assert "newer" in left["KN_0002.mov"] and "cannot be read" in left["KN_0009.mov"]
    assert main(["return", str(cut), "--from", str(tmp_path / "nowhere")]) == 3
    assert main(["return", str(cut), "--from", str(back), "--out", str(cut)]) == 4
    assert main(["return", str(cut), "--from", str(back), "--out", str(tmp_path / "home.txt")]) == 2


def test_a_render_that_would_hide_what_lies_beneath_is_not_laid_in(
    shoot: Shoot, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """A clip at a quarter of its size over another: rendered with its sizing it is black around. As its source it
    keeps its sizing, and fits."""
    inset = clip("Inset", 190, 8, "A001C001", 200, motion=Motion(scale=constant(0.25, 0.25)))
    cut = cut_of(shoot, tmp_path, inset)
    frames = []
    for at in range(8):
        small = cv2.resize(shoot.frames["A001C001"][200 + at], (48, 27), interpolation=cv2.INTER_AREA)
        frame = np.zeros((TALL, WIDE, 3), np.uint8)
        frame[40:67, 72:120] = small
        frames.append(graded(frame))
    start = (shoot.media[0].start or 0) + 200
    (tmp_path / "made").mkdir()
    movie(tmp_path / "made/KN_0007.mov", frames, start)
    data = home(capsys, cut, "--from", tmp_path / "made", "--out", tmp_path / "home.otio")
    assert data["matched"] == data["doubled"] == []
    assert "Inset" in [one["item_id"] for one in data["unmatched_items"]]
    # 1 - 1/16.
    assert [(one["file"], one["why"]) for one in data["unmatched_files"]] == [
        ("KN_0007.mov", "it covers 94 % of the frame that the clip leaves open; the clip stays")
    ]
    items = read_file(tmp_path / "home.otio").top_level[0].tracks[1].items
    assert items[1].content == MediaUse("A001C001")
    # Over nothing there is nothing to hide.
    (tmp_path / "alone").mkdir()
    alone = cut_of(shoot, tmp_path / "alone", replace(inset, start=205))
    data = home(capsys, alone, "--from", tmp_path / "made")
    assert [one["what"] for one in data["doubled"]] == ["motion"] and len(data["matched"]) == 1
    (tmp_path / "plain").mkdir()
    movie(tmp_path / "plain/KN_0007.mov", [graded(one) for one in shoot.frames["A001C001"][200:208]], start)
    data = home(capsys, cut, "--from", tmp_path / "plain")
    assert [one["item_id"] for one in data["matched"]] == ["Inset"] and data["doubled"] == []


@pytest.mark.parametrize(
    ("start", "frames", "head"),
    [(90, 60, 10), (100, 40, 0), (60, 80, 40), (101, 60, None), (90, 49, None), (60, 79, None)],
)
def test_a_timecode_speaks_for_an_event_only_where_all_of_it_is_held(
    start: int, frames: int, head: int | None
) -> None:
    """The event shows frames 100 to 139 of its source; its name speaks for none."""
    medium = Media("m", "A001C001.mov", start=0, duration=500, rate=PAL, video=True)
    item = Item("i", "Throwing", 0, 40, MediaUse("m"), PAL.seconds(100), motion=Motion())
    sequence = Sequence("s", "Kiln Night", PAL, start=90_000, tracks=(Track("video", (item,)),))
    document = Document("otio", "1", (sequence,), (medium,))
    facts = Probed("x.mov", 1, 1, video=True, seconds=f"{frames}/25", rate="25/1", start=start)
    found = matching(document, sequence, [facts]).matched
    if head is None:
        assert not found
    else:
        assert [(one.found.by[0], one.found.head) for one in found] == [(By.TIMECODE, PAL.seconds(head))]


# ---- single pictures


def pictures(folder: Path, name: str, frames: list[Picture], first: int = 1001) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    for number, data in enumerate(frames, first):
        cv2.imwrite(str(folder / name.format(number)), cv2.cvtColor(data, cv2.COLOR_RGB2BGR))


def test_renders_in_single_pictures_are_laid_in(
    shoot: Shoot, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    cut, back = cut_of(shoot, tmp_path), tmp_path / "back"
    throwing, turning = (
        [graded(one) for one in shoot.frames["A001C001"][first:last]]
        for first, last in ((20, 60), (120, 150))
    )
    # Numbers after the name, or a folder that has the name; of the third one picture never came.
    pictures(back, "Throwing.{:04d}.png", throwing)
    pictures(back / "Turning", "{:06d}.png", turning, first=86400)
    pictures(back, "Closer_{:04d}.png", [graded(one) for one in shoot.frames["A001C002"][60:100]])
    (back / "Closer_1007.png").unlink()
    # Photographs have numbers too.
    for number in (4, 90, 511):
        pictures(back, "map {:04d}.png", throwing[:1], first=number)
    data = home(capsys, cut, "--from", back, "--out", tmp_path / "home.otio")
    assert {(one["file"], one["item"], one["offset_frames"], one["laid"]) for one in data["matched"]} == {
        ("Throwing.%04d.png", "Throwing", 0, True),
        ("%06d.png", "Turning", 0, True),
    }
    assert {one["file"]: one["why"] for one in data["unmatched_files"]} == {
        "Closer_%04d.png": "of its pictures 1007 are not there",
        **{f"map {one:04d}.png": "it is no sound, no movie and no sequence file" for one in (4, 90, 511)},
    }
    merged = read_file(tmp_path / "home.otio")
    media = {one.id: one for one in merged.media}
    first, second = merged.top_level[0].tracks[0].items[:2]
    for item, name, count in ((first, "Throwing.%04d.png", 40), (second, "%06d.png", 30)):
        used = media[item.content.media]  # type: ignore[union-attr,index]
        assert used.path is not None and used.path.endswith(name) and used.duration == count
        assert used.rate == PAL and item.source_in == 0


FADED = Motion(opacity=Curve((1.0,), (Key(0, (0.0,)), Key(20, (1.0,)), Key(40, (1.0,)))))
SMALLER = Motion(scale=Curve((1.0, 1.0), (Key(34, (1.0, 1.0)), Key(40, (0.25, 0.25)))))


@pytest.mark.parametrize("baked", [True, False])
def test_a_fade_a_blend_and_a_sizing_at_the_end_are_measured(
    shoot: Shoot, tmp_path: Path, capsys: pytest.CaptureFixture[str], baked: bool
) -> None:
    """One clip fades in over twenty frames, one shrinks in its last six, one is added to what lies beneath, one is
    seen through, one is dim. The room made all of it into the pictures, or nothing. Of the dim one, over black,
    nothing can be told but that it may be."""
    beneath = clip("Beneath", 80, 80, "A001C001", 110)
    items = (
        clip("Fading", 0, 40, "A001C001", 20, motion=FADED),
        clip("Shrinking", 40, 40, "A001C002", 30, motion=SMALLER),
        beneath,
        clip("Dim", 160, 40, "A001C002", 90, motion=Motion(opacity=constant(0.4))),
    )
    over = clip("Adding", 80, 40, "B002C001", 60, blend="add")
    through = clip("Through", 120, 40, "B002C001", 130, motion=Motion(opacity=constant(0.5)))
    tracks = (Track("video", items), Track("video", (over, through)))
    sequence = Sequence("s", "Kiln Night", PAL, start=90_000, width=WIDE, height=TALL, tracks=tracks)
    cut = tmp_path / "cut.otio"
    document = Document("otio", "1", (sequence,), tuple(shoot.media))
    cut.write_bytes(carry_over(document, sequence, find_destination("archive-otio")).data)
    folder = tmp_path / "back"
    folder.mkdir()
    for item in (*items[:2], items[3], over, through):
        frames = []
        for at in range(40):
            picture = source(shoot, item, at)
            if baked and item.id == "Fading":
                # Straight from nothing to all of it.
                picture = np.rint(picture * min(1.0, at / 20)).astype(np.uint8)
            if baked and item.id == "Shrinking" and at > 34:
                picture = enlarged(picture, 1 - 0.125 * (at - 34))
            if baked and item is over:
                sum_of = picture.astype(np.int64) + source(shoot, beneath, at)
                picture = np.clip(sum_of, 0, 255).astype(np.uint8)
            if baked and item is through:
                picture = np.rint(picture * 0.5 + source(shoot, beneath, 40 + at) * 0.5).astype(np.uint8)
            if baked and item.id == "Dim":
                picture = np.rint(picture * 0.4).astype(np.uint8)
            frames.append(graded(picture))
        medium = next(one for one in shoot.media if one.id == item.content.media)  # type: ignore[union-attr]
        movie(folder / f"{item.id}.mov", frames, (medium.start or 0) + int(item.source_in * 25))
    data = home(capsys, cut, "--from", folder, "--out", tmp_path / "home.otio")
    wanted = {("Fading", "fade"), ("Shrinking", "motion"), ("Adding", "blend"), ("Through", "blend")}
    wanted = wanted if baked else set()
    assert {(one["item_id"], one["what"]) for one in data["doubled"]} == wanted
    assert len(data["matched"]) == 5 and data["differences"] == []
    unsure = {one["item_id"]: one["unsure"] for one in data["matched"] if one["unsure"]}
    was = source(shoot, items[3], 20)
    share = graded(np.rint(was * 0.4).astype(np.uint8)).mean() / was.mean() * 100
    told = f"its opacity of 40 % stays on it: its pictures are {share:.0f} % as bright as the clip's"
    assert unsure == ({"Dim": f"{told}, by that or by a correction"} if baked else {})
    made = {
        one.name: one
        for track in read_file(tmp_path / "home.otio").top_level[0].tracks
        for one in track.items
    }
    assert bool(made["Fading"].motion.opacity.keys) is not baked  # type: ignore[union-attr]
    assert bool(made["Shrinking"].motion.scale.keys) is not baked  # type: ignore[union-attr]
    assert made["Adding"].blend == ("normal" if baked else "add")
    assert made["Through"].motion.opacity == constant(1 if baked else 0.5)  # type: ignore[union-attr]
    assert made["Dim"].motion.opacity == constant(0.4)  # type: ignore[union-attr]


def test_a_render_that_is_short_of_a_transition_says_so(
    shoot: Shoot, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """A dissolve of eight frames about a cut wants four of each, and the renders have two."""
    items = (clip("Throwing", 0, 40, "A001C001", 20), clip("Turning", 40, 30, "A001C001", 120))
    join = Transition("x", "Dissolve", "dissolve", 36, 8, 40)
    sequence = Sequence(
        "s",
        "Kiln Night",
        PAL,
        start=90_000,
        width=WIDE,
        height=TALL,
        tracks=(Track("video", items, transitions=(join,)),),
    )
    cut = tmp_path / "cut.otio"
    document = Document("otio", "1", (sequence,), tuple(shoot.media))
    cut.write_bytes(carry_over(document, sequence, find_destination("archive-otio")).data)
    list(room(shoot, tmp_path / "back", "KN_{number:04d}", False, 2))
    data = home(capsys, cut, "--from", tmp_path / "back")
    assert {one["item_id"]: one["short_frames"] for one in data["matched"]} == {
        "Throwing": [0, 2],
        "Turning": [2, 0],
    }


def test_names_that_are_said_are_read_so_and_remembered_with_the_job(
    shoot: Shoot, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """Their numbers are those of the events only by what is said: they count the other way round."""
    cut, back = cut_of(shoot, tmp_path), tmp_path / "back"
    back.mkdir()
    for number, item in ((1, ITEMS[5]), (2, ITEMS[4])):
        frames = [graded(shown(shoot, item, at))[::-1] for at in range(int(item.duration))]
        movie(back / f"{item.name}-{number}.mov", frames, None)
    data = home(capsys, cut, "--from", back, "--names", "{item}-{counter}")
    assert {one["file"]: (one["item_id"], one["by"]) for one in data["matched"]} == {
        "Last-1.mov": ("Last", ["name", "length"]),
        "Grey-2.mov": ("Grey", ["name", "length"]),
    }
    assert data["names"] == {
        "scheme": "{item}-{counter}",
        "words": "{item}-{counter}: the name of the clip and a number that counts something else"
        " – 2 of 2 names",
        "fits": 2,
        "of": 2,
        "said": True,
    }
    # By their numbers alone nothing is as long as they are but what is said.
    data = home(capsys, cut, "--from", back, "--names", "{any}-{number:5}")
    assert data["matched"] == []
    assert main(["return", str(cut), "--from", str(back), "--names", "{name}"]) == 2
    assert "{name} stands for nothing" in capsys.readouterr().err
