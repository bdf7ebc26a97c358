"""What nothing else tells of a render is told by its pictures; what they do not tell either is asked."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from tests.homecoming.test_renders import (  # noqa: F401
    ITEMS,
    Picture,
    Shoot,
    clip,
    cut_of,
    graded,
    home,
    movie,
    shoot,
    shown,
)

from wexodos.formats import read_file
from wexodos.model import Item


def rendered(shoot: Shoot, item: Item, handles: int = 3) -> list[Picture]:  # noqa: F811
    return [graded(shown(shoot, item, at)) for at in range(-handles, int(item.duration) + handles)]


def matched(data: dict) -> dict[str, tuple[str, list[str]]]:  # type: ignore[type-arg]
    return {one["file"]: (one["item_id"], one["by"]) for one in data["matched"]}


@pytest.mark.thorough
def test_names_that_say_nothing(shoot: Shoot, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:  # noqa: F811
    """Every one of six files is known, sized or grey or at half its speed as it is; one of another film is
    not, and a second one of a clip is a version of it."""
    back = tmp_path / "back"
    back.mkdir()
    names = ["blue", "red", "ochre", "white", "rust", "sand"]
    for name, item in zip(names, ITEMS):
        movie(back / f"{name}.mov", rendered(shoot, item), None)
    movie(back / "sky.mov", [one[::-1] for one in rendered(shoot, ITEMS[0])], None)
    data = home(capsys, cut_of(shoot, tmp_path), "--from", back, "--out", tmp_path / "home.otio")
    assert matched(data) == {f"{name}.mov": (item.id, ["picture"]) for name, item in zip(names, ITEMS)}
    assert data["names"] is None
    assert data["unmatched_files"] == [{"file": "sky.mov", "why": "nothing speaks for an event of the cut"}]
    doubled = [(one["item_id"], one["what"]) for one in data["doubled"]]
    assert doubled == [("Closer", "motion"), ("Slower", "speed"), ("Grey", "filter")]
    items = read_file(tmp_path / "home.otio").top_level[0].tracks[0].items
    assert {float(one.source_in) for one in items} == {3 / 25}


def test_the_only_clip_that_is_short_enough_is_not_it_for_that(
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """Half of it is another picture: it correlates with 0.7."""
    back = tmp_path / "back"
    back.mkdir()
    frames = [one // 2 + one[::-1, ::-1] // 2 for one in rendered(shoot, ITEMS[5], 0)]
    movie(back / "sand.mov", frames, None)
    data = home(capsys, cut_of(shoot, tmp_path), "--from", back)
    assert data["matched"] == [] and [one["file"] for one in data["unmatched_files"]] == ["sand.mov"]


def test_a_tie_of_names_and_what_contradicts_itself(
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """Two clips are of one take, and the name says the take. And a name that says one clip where the timecode
    says another is believed where the pictures are those of the named one."""
    back, cut = tmp_path / "back", cut_of(shoot, tmp_path)
    back.mkdir()
    movie(back / "A001C001 one.mov", rendered(shoot, ITEMS[1], 12), None)
    start = 2 * 3600 * 25 + 10 * 25 + 60 - 3
    movie(back / "Last.mov", rendered(shoot, ITEMS[5], 12), start)
    data = home(capsys, cut, "--from", back)
    assert matched(data) == {
        "A001C001 one.mov": ("Turning", ["name", "picture"]),
        "Last.mov": ("Last", ["name", "picture"]),
    }
    # With other pictures it is what its timecode says, and the tie is one.
    movie(back / "A001C001 one.mov", [one[::-1] for one in rendered(shoot, ITEMS[1], 12)], None)
    movie(back / "Last.mov", rendered(shoot, ITEMS[2], 3), start)
    data = home(capsys, cut, "--from", back)
    assert matched(data)["Last.mov"][0] == "Closer"
    (asked,) = data["asked"]
    assert asked["file"] == "A001C001 one.mov"
    assert {one["item_id"] for one in asked["candidates"]} == {"Throwing", "Turning"}


def test_what_two_clips_show_alike_is_asked(
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """The same stretch of the same take stands in the cut twice: nobody can tell by its pictures."""
    again = replace(clip("Again", 60, 40, "A001C001", 20), start=60)
    back, cut = tmp_path / "back", cut_of(shoot, tmp_path, again)
    back.mkdir()
    movie(back / "A001C001.mov", rendered(shoot, ITEMS[0], 0), None)
    data = home(capsys, cut, "--from", back)
    assert data["matched"] == []
    assert {one["item_id"] for one in data["asked"][0]["candidates"]} == {"Throwing", "Again"}
    # Originals that are not there tell nothing.
    hidden = tmp_path / "hidden" / "cut.otio"
    hidden.parent.mkdir()
    words = cut.read_text().replace(str(Path(shoot.media[0].path or "").parent), "/nowhere")
    hidden.write_text(words)
    movie(back / "sand.mov", rendered(shoot, ITEMS[5], 0), None)
    assert matched(home(capsys, cut, "--from", back))["sand.mov"] == ("Last", ["picture"])
    data = home(capsys, hidden, "--from", back / "sand.mov", "--up", "0")
    assert data["matched"] == [] and data["unmatched_files"][0]["file"] == "sand.mov"


def test_a_name_against_the_timecode_is_not_enough(
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """It says five o'clock, where nothing of the cut is, and shows something else."""
    (tmp_path / "back").mkdir()
    frames = [one[::-1] for one in rendered(shoot, ITEMS[5], 0)]
    movie(tmp_path / "back/Last.mov", frames, 5 * 3600 * 25)
    assert home(capsys, cut_of(shoot, tmp_path), "--from", tmp_path / "back")["matched"] == []
