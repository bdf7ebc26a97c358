"""What came home to a cut goes into a later version of it, and later returns take the place of earlier ones; every
place and source here is worked out by hand."""

from __future__ import annotations

import csv
from collections.abc import Iterable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from tests.homecoming.test_mixes import MUSIC, RATE, SECONDS, SPEECH, later, written
from tests.homecoming.test_mixes import cut as sounding  # noqa: F401
from tests.homecoming.test_renders import (
    FADED,
    GREY,
    ITEMS,
    PAL,
    TALL,
    WIDE,
    Shoot,
    clip,
    cut_of,
    graded,
    home,
    movie,
    room,
    shoot,  # noqa: F401
    source,
)

from wexodos.carryover import carry_over
from wexodos.cli.commands import main
from wexodos.destinations import find_destination
from wexodos.formats import read_file
from wexodos.job import Job, load, save
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
    Track,
    constant,
)

HALF = Constant(Fraction(1, 2))


def saved(path: Path, media: Iterable[Media], *tracks: Track, rate: int | None = None) -> Path:
    sequence = Sequence(
        "s", "Kiln Night v8", PAL, start=90_000, width=WIDE, height=TALL, sample_rate=rate, tracks=tracks
    )
    document = Document("otio", "1", (sequence,), tuple(media))
    path.write_bytes(carry_over(document, sequence, find_destination("archive-otio")).data)
    return path


def test_renders_go_to_where_their_shots_stand_in_a_later_version(
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """Eight frames of handles, everything in them. A new shot stands at the head; the next one was moved by it, one
    was trimmed at both ends, one sized otherwise, one at half speed cut at its head, one slipped, the last made
    longer than its render."""
    list(room(shoot, tmp_path / "back", "KN_{number:04d}", True, 8))
    items = (
        clip("New", 0, 10, "B002C001", 10),
        clip("Throwing", 10, 40, "A001C001", 20),
        clip("Turning", 50, 31, "A001C001", 125),
        clip("Closer", 81, 40, "A001C002", 60, motion=Motion(scale=constant(1.6, 1.6))),
        clip("Slower", 121, 36, "A001C002", 122, speed=HALF),
        clip("Grey", 157, 30, "B002C001", 53, effects=(GREY,)),
        clip("Last", 187, 32, "B002C001", 130),
    )
    new = saved(tmp_path / "v8.otio", shoot.media, Track("video", items))
    out, pull = tmp_path / "home.otio", tmp_path / "pull.csv"
    data = home(
        capsys,
        cut_of(shoot, tmp_path),
        *("--from", tmp_path / "back", "--into", new, "--out", out, "--pull-list", pull),
    )
    assert data["unexplained"] == 0 and data["differences"] == []
    assert {one["item_id"]: (one["file"], one["frame"]) for one in data["matched"]} == {
        "Throwing": ("KN_0001.mov", 10),
        "Turning": ("KN_0002.mov", 50),
        "Slower": ("KN_0004.mov", 121),
        "Grey": ("KN_0005.mov", 157),
    }
    assert {one["item_id"]: one["why"] for one in data["unmatched_items"]} == {
        "New": "it is new since the cut left",
        "Closer": "its sizing was changed since, and the render holds the earlier one",
        "Last": "the render of it lacks 4 frames at its end",
    }
    left = {one["file"] for one in data["unmatched_files"]}
    assert left == {"KN_0003.mov", "KN_0006.mov"}
    back = read_file(out)
    made = {one.name: one for one in back.top_level[0].tracks[0].items}
    names = {name: back.media_by_id[one.content.media].name for name, one in made.items()}  # type: ignore[union-attr]
    assert names["Closer"] == "A001C002.mov" and names["Last"] == "B002C001.mov"
    places = {name: one.source_in * 25 for name, one in made.items()}
    # Behind eight frames of handles: five later where five were trimmed off, four of the cut at half speed are two of
    # its source, and the speed is in the render.
    assert (places["Throwing"], places["Turning"], places["Slower"], places["Grey"]) == (8, 13, 12, 11)
    assert made["Slower"].speed == Constant(1) and not made["Grey"].effects[0].enabled
    assert made["Closer"].motion == items[3].motion and made["Last"].source_in * 25 == 130
    rows = list(csv.reader(pull.read_text("utf-8-sig").splitlines()))
    assert [row[0] for row in rows[1:]] == ["A001C002.mov", "B002C001.mov", "B002C001.mov"]


def test_the_parts_of_a_shot_show_the_parts_of_its_render(
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """Cut in two with ten frames taken out of the middle; another only moved."""
    list(room(shoot, tmp_path / "back", "KN_{number:04d}", False, 2))
    items = (
        clip("Throwing", 0, 15, "A001C001", 20),
        clip("Throwing on", 15, 15, "A001C001", 45),
        clip("Slower", 30, 40, "A001C002", 120, speed=HALF),
    )
    new = saved(tmp_path / "v8.otio", shoot.media, Track("video", items))
    out = tmp_path / "home.otio"
    data = home(capsys, cut_of(shoot, tmp_path), "--from", tmp_path / "back", "--into", new, "--out", out)
    assert {one["item_id"]: one["file"] for one in data["matched"]} == {
        "Throwing": "KN_0001.mov",
        "Throwing on": "KN_0001.mov",
        "Slower": "KN_0004.mov",
    }
    made = {one.name: one for one in read_file(out).top_level[0].tracks[0].items}
    # The renders are of the sources: the second part begins 25 frames into the first, behind two of handles.
    assert [made[name].source_in * 25 for name in ("Throwing", "Throwing on", "Slower")] == [2, 27, 2]
    assert made["Slower"].speed == HALF


@pytest.mark.thorough
def test_a_slip_of_a_slow_clip_is_twice_as_long_in_its_render(
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """Two frames of its source at half speed are four of a render that has the speed in it, behind eight."""
    list(room(shoot, tmp_path / "back", "KN_{number:04d}", True, 8))
    items = [replace(one, source_in=PAL.seconds(122)) if one.id == "Slower" else one for one in ITEMS]
    new = saved(tmp_path / "v8.otio", shoot.media, Track("video", tuple(items)))
    out = tmp_path / "home.otio"
    data = home(capsys, cut_of(shoot, tmp_path), "--from", tmp_path / "back", "--into", new, "--out", out)
    assert len(data["matched"]) == 6 and data["unmatched_items"] == []
    made = {one.name: one.source_in * 25 for one in read_file(out).top_level[0].tracks[0].items}
    assert made["Slower"] == 12 and made["Grey"] == 8


@pytest.mark.parametrize(
    ("length", "why"), [(20, ""), (30, "its fade was changed since, and the render holds the earlier one")]
)
def test_a_fade_that_is_in_a_render_is_made_once_in_a_later_version_too(
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
    length: int,
    why: str,
) -> None:
    """It fades in over twenty frames, made into the render; the later version is dimmed nowhere again, or it fades
    over thirty."""
    old = saved(
        tmp_path / "v7.otio",
        shoot.media,
        Track("video", (clip("Fading", 0, 40, "A001C001", 20, motion=FADED),)),
    )
    (tmp_path / "back").mkdir()
    frames = [
        graded(np.rint(source(shoot, ITEMS[0], at) * min(1.0, at / 20)).astype(np.uint8)) for at in range(40)
    ]
    movie(tmp_path / "back/Fading.mov", frames, (shoot.media[0].start or 0) + 20)
    keys = (Key(0, (0.0,)), Key(length, (1.0,)), Key(40, (1.0,)))
    fading = Motion(scale=constant(1.2, 1.2), opacity=Curve((1.0,), keys))
    new = saved(
        tmp_path / "v8.otio",
        shoot.media,
        Track("video", (clip("Fading", 10, 40, "A001C001", 20, motion=fading, blend="screen"),)),
    )
    out = tmp_path / "home.otio"
    data = home(capsys, old, "--from", tmp_path / "back", "--into", new, "--out", out)
    (item,) = read_file(out).top_level[0].tracks[0].items
    assert [one["why"] for one in data["unmatched_items"]] == ([why] if why else [])
    # Its sizing and its blend are of the later version, and stay.
    assert item.motion is not None and item.motion.scale == constant(1.2, 1.2)
    assert item.start == 10 and item.blend == "screen"
    assert bool(item.motion.opacity.keys) is bool(why)


def sound(name: str, start: int, duration: int, media: str, source_in: int) -> Item:
    return Item(
        name, name, start, duration, MediaUse(media), PAL.seconds(source_in), sound=Sound(channels=(1,))
    )


def test_a_mix_is_cut_along_what_a_later_version_changed(
    sounding: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """After ten seconds two are put in, with words that were never mixed; two seconds of music are taken out later on,
    and nothing closes up."""
    whole = SECONDS * 25
    media = [
        Media(
            name,
            f"{name}.wav",
            str(sounding.parent / f"{name}.wav"),
            duration=whole,
            rate=PAL,
            channels=1,
            sample_rate=RATE,
            audio=True,
        )
        for name in ("speech", "music")
    ]
    speech = (
        sound("one", 0, 250, "speech", 0),
        sound("fresh", 250, 50, "speech", 700),
        sound("two", 300, whole - 250, "speech", 250),
    )
    music = (
        sound("before", 0, 250, "music", 0),
        sound("behind", 300, 200, "music", 250),
        sound("end", 550, whole - 500, "music", 500),
    )
    new = saved(
        tmp_path / "v8.otio",
        media,
        Track("audio", speech, name="Dialogue"),
        Track("audio", music, name="Music"),
        rate=RATE,
    )
    mix = written(tmp_path / "back/mix.wav", later(SPEECH + MUSIC, 4157))
    out = tmp_path / "home.otio"
    data = home(capsys, sounding, "--from", mix, "--into", new, "--out", out, "--correct")
    assert data["unexplained"] == 0 and data["differences"] == []
    assert [(one["frame"], one["until"]) for one in data["holes"]] == [(250, 300), (500, 550)]
    assert data["holes"][0]["items"] == ["fresh"] and data["holes"][1]["items"] == ["two"]
    tracks = {one.name: one for one in read_file(out).top_level[0].tracks if one.kind == "audio"}
    # The mix is 4157 samples late and moved by them; behind the insertion it stands 50 frames later.
    rows = [(one.start, one.duration, round(one.source_in * RATE)) for one in tracks["mix"].items]
    assert rows == [
        (0, 250, 4157),
        (300, 200, 4157 + 250 * 1920),
        (550, whole - 500, 4157 + 500 * 1920),
    ]
    heard = {
        name: [(one.start, one.duration, one.source_in * 25) for one in track.items if one.enabled]
        for name, track in tracks.items()
        if track.enabled
    }
    # In the holes it sounds as it was cut: the new words, and the speech under the music that is not there any more.
    assert heard["Dialogue"] == [(250, 50, 700), (500, 50, 450)]
    assert "Music" not in heard


@pytest.mark.thorough
def test_a_later_return_takes_the_place_of_an_earlier_one(
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """The job remembers what came; the second return has two of the shots, and one of them is left out again."""
    cut, job = cut_of(shoot, tmp_path), tmp_path / "night.wexo"
    save(Job(str(cut)), job)
    list(room(shoot, tmp_path / "first", "KN_{number:04d}", True, 4))
    list(room(shoot, tmp_path / "all", "KN_{number:04d}_again", True, 6))
    second = tmp_path / "second"
    second.mkdir()
    for number in (2, 5):
        (tmp_path / f"all/KN_{number:04d}_again.mov").rename(second / f"KN_{number:04d}_again.mov")
    out = tmp_path / "home.otio"
    home(capsys, job, "--from", tmp_path / "first")
    assert load(job).now.home.came == (), "what is only looked at is not remembered"
    home(capsys, job, "--from", tmp_path / "first", "--out", out)
    data = home(capsys, job, "--from", second, "--out", out)
    files = {one["item_id"]: one["file"] for one in data["matched"]}
    assert files["Turning"] == "KN_0002_again.mov" and files["Grey"] == "KN_0005_again.mov"
    assert files["Throwing"] == "KN_0001.mov" and len(files) == 6
    assert {one["file"]: one["why"] for one in data["unmatched_files"]} == {
        "KN_0002.mov": "KN_0002_again.mov came later for the same event",
        "KN_0005.mov": "KN_0005_again.mov came later for the same event",
    }
    assert [(one["item_id"], one["what"]) for one in data["doubled"]][-1] == ("Grey", "filter")
    made = {one.name: one.source_in * 25 for one in read_file(out).top_level[0].tracks[0].items}
    assert (made["Throwing"], made["Turning"], made["Grey"]) == (4, 6, 6)
    data = home(capsys, job, "--from", second, "--out", out, "--leave", "KN_0005_again.mov")
    files = {one["item_id"]: one["file"] for one in data["matched"]}
    assert files["Turning"] == "KN_0002_again.mov" and files["Grey"] == "KN_0005.mov"
    # What came first was moved away meanwhile: the rest stands, and that is said.
    (tmp_path / "first").rename(tmp_path / "elsewhere")
    data = home(capsys, job, "--from", second, "--out", out, "--leave", "KN_0005_again.mov")
    assert {one["item_id"] for one in data["matched"]} == {"Turning"}
    assert ("first", "it is not there any more") in [
        (one["file"], one["why"]) for one in data["unmatched_files"]
    ]
    assert main(["return", str(job), "--from", str(tmp_path / "first"), "--json"]) == 3
    capsys.readouterr()
    # The same return again is no third one, and one step back the earlier ones are there.
    now = load(job)
    assert [len(one) for one in now.now.home.came] == [1, 1] and set(now.now.home.left) == {
        "KN_0005_again.mov"
    }
    assert len(now.undo().undo().now.home.came) == 1


@pytest.mark.thorough
def test_what_a_person_says_a_file_is_goes_before(
    shoot: Shoot,  # noqa: F811
    sounding: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    (tmp_path / "back").mkdir()
    # Of what it shows the cut has nothing.
    frames = [graded(source(shoot, ITEMS[1], at))[::-1] for at in range(-3, 33)]
    movie(tmp_path / "back/pick up.mov", frames, None)
    cut = cut_of(shoot, tmp_path)
    assert home(capsys, cut, "--from", tmp_path / "back")["matched"] == []
    data = home(capsys, cut, "--from", tmp_path / "back", "--tell", "pick up.mov=Turning")
    assert [(one["item_id"], one["by"], one["offset_frames"]) for one in data["matched"]] == [
        ("Turning", ["what was said"], 0)
    ]
    sounds = tmp_path / "sounds"
    written(sounds / "KN_take7.wav", SPEECH)
    written(sounds / "KN_take8.wav", MUSIC)
    said = ("--tell", "KN_take7.wav=dialogue", "--tell", "KN_take8.wav=A2")
    data = home(capsys, sounding, "--from", sounds, *said)
    assert [(one["role"], one["stem"], one["offset_samples"]) for one in data["sync"]] == [
        ("stem", "dialogue", 0),
        ("track", "music", 0),
    ]
    assert main(["return", str(cut), "--from", str(sounds), "--tell", "no sign"]) == 2
    assert "equals sign" in capsys.readouterr().err
    assert main(["return", str(cut), "--from", str(sounds), "--tell", "KN_take7.wav=dialog"]) == 2
    assert "no item, stem or track" in capsys.readouterr().err


@pytest.mark.thorough
def test_nothing_is_heard_twice_where_a_mix_and_its_stems_come(
    sounding: Path,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    job = tmp_path / "night.wexo"
    save(Job(str(sounding)), job)
    back, second, third = tmp_path / "back", tmp_path / "second", tmp_path / "third"
    written(back / "KN mix.wav", SPEECH + MUSIC)
    written(back / "KN dialogue.wav", SPEECH)
    out = tmp_path / "home.otio"

    def heard() -> dict[str, bool]:
        tracks = read_file(out).top_level[0].tracks
        return {one.items[0].name: one.enabled for one in tracks if one.kind == "audio"}

    data = home(capsys, job, "--from", back, "--out", out)
    assert {one["file"]: one["switched_on"] for one in data["sync"]} == {
        "KN mix.wav": True,
        "KN dialogue.wav": False,
    }
    assert heard() == {"speech": False, "music": False, "KN mix": True, "KN dialogue": False}
    # A newer stem alone takes nothing away from the mix, and is not heard on top of it.
    written(second / "KN dialogue v2.wav", SPEECH)
    home(capsys, job, "--from", second, "--out", out)
    assert heard() == {"speech": False, "music": False, "KN mix": True, "KN dialogue v2": False}
    # All stems do.
    written(third / "KN dialogue v3.wav", SPEECH)
    written(third / "KN music v3.wav", MUSIC)
    data = home(capsys, job, "--from", third, "--out", out)
    assert heard() == {"speech": False, "music": False, "KN dialogue v3": True, "KN music v3": True}
    assert {one["file"] for one in data["unmatched_files"]} == {
        "KN mix.wav",
        "KN dialogue.wav",
        "KN dialogue v2.wav",
    }


def test_an_edit_does_not_go_into_a_later_version_and_rates_must_be_one(
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    cut = cut_of(shoot, tmp_path)
    edited = tmp_path / "edited"
    edited.mkdir()
    (edited / "cut.otio").write_bytes(cut.read_bytes())
    assert main(["return", str(cut), "--from", str(edited), "--into", str(cut)]) == 3
    assert "only renders and sound" in capsys.readouterr().err
    list(room(shoot, tmp_path / "back", "KN_{number:04d}", True, 4))
    document = read_file(cut)
    faster = replace(document.top_level[0], rate=type(PAL)(50))
    path = tmp_path / "fifty.otio"
    path.write_bytes(
        carry_over(replace(document, sequences=(faster,)), faster, find_destination("archive-otio")).data
    )
    assert main(["return", str(cut), "--from", str(tmp_path / "back"), "--into", str(path)]) == 3
    assert "no frames in common" in capsys.readouterr().err
