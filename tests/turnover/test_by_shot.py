"""Every shot in a file of its own: frame by frame what the camera took, under its name and slate; and back again."""

from __future__ import annotations

import csv
import json
from dataclasses import replace
from pathlib import Path

import av
import numpy as np
import pytest

from homecoming.test_renders import (
    ITEMS,
    PAL,
    TALL,
    WIDE,
    Shoot,
    cut_of,
    enlarged,
    graded,
    home,
    movie,
    shoot,
    source,
)
from wexodos.cli import main
from wexodos.formats import read_file
from wexodos.formats.xmeml.writer import write_several
from wexodos.model import Angle, Angles, Constant, Document, Item, NestedUse, Sequence, Track, Transition
from wexodos.tidy.shots import SchemeError, apart, check_scheme, numbered
from wexodos.timing import Exact, floor

__all__ = ["shoot"]
HEADS = {"Throwing": 20, "Slower": 24}
"""Where the camera began too late for 25 frames of handles, and where they would begin between two frames of it."""


def frames(path: Path) -> list[np.ndarray]:
    with av.open(str(path)) as movie_:
        return [frame.to_ndarray(format="rgb24") for frame in movie_.decode(video=0)]


def packed(
    shoot: Shoot, folder: Path, capsys: pytest.CaptureFixture[str], to: str, *more: str
) -> tuple[dict, Path]:  # type: ignore[type-arg]
    cut, out = cut_of(shoot, folder), folder / "shots"
    wanted = ["package", str(cut), "--to", to, "--out", str(out), "--shots", "KN_{number}", "--handles", "1"]
    assert main([*wanted, "--media", "trimmed", "--mix", "none", *more, "--json"]) == 0
    return json.loads(capsys.readouterr().out), out


@pytest.mark.parametrize(
    ("to", "suffix"), [("compositing-track-xml", ".xml"), ("compositing-lane-xml", ".fcpxml"), ("compositing-aaf", ".aaf")]
)  # fmt: skip
@pytest.mark.sampled(3)
def test_every_frame_of_every_shot_is_the_cameras(
    shoot: Shoot, tmp_path: Path, capsys: pytest.CaptureFixture[str], to: str, suffix: str
) -> None:
    told, out = packed(shoot, tmp_path, capsys, to)
    assert told["unexplained"] == 0
    assert [(one["shot"], one["item"]) for one in told["shots"]] == [
        (f"KN_{number}0".replace("_", "_00"), item.name) for number, item in enumerate(ITEMS, 1)
    ]
    assert sorted(path.name for path in out.glob(f"*{suffix}")) == [f"KN_00{n}0{suffix}" for n in range(1, 7)]
    for number, item in enumerate(ITEMS, 1):
        document = read_file(out / f"KN_00{number}0{suffix}")
        (sequence,) = document.top_level
        head = HEADS.get(item.name, 25)
        length = head + int(item.duration) + 25
        first = 90_000 + int(item.start) - head
        assert (sequence.name, sequence.start, sequence.duration) == (
            f"KN_00{number}0",
            first - 1,
            length + 1,
        )
        assert (sequence.frame_size, sequence.rate) == ((WIDE, TALL), PAL)
        slate, shot = sequence.video_tracks[0].items
        assert (slate.start, slate.duration, shot.start, shot.duration) == (0, 1, 1, length)
        card = document.media_by_id[slate.content.media]  # type: ignore[union-attr]
        assert card.file_name == f"KN_00{number}0 slate.png"
        assert (out / f"KN_00{number}0 media" / card.file_name).stat().st_size > 500
        markers = [(one.start, one.name) for one in sequence.markers] or [
            (shot.start + one.start, one.name) for one in shot.markers
        ]
        assert markers == [
            (1 + head, f"KN_00{number}0 in"), (head + int(item.duration), f"KN_00{number}0 out"),
        ]  # fmt: skip
        media = document.media_by_id[shot.content.media]  # type: ignore[union-attr]
        there = frames(Path(media.path or ""))
        assert isinstance(shot.speed, Constant) and shot.speed == item.speed
        for at in range(length):
            seen = there[int(shot.source_in * 25 + at * shot.speed.rate)]
            taken = floor(item.source_in * 25 + (at - head) * item.speed.rate)  # type: ignore[union-attr]
            assert np.array_equal(seen, shoot.frames[item.content.media][taken]), (item.name, at)  # type: ignore[union-attr]


def test_the_papers_name_every_shot_and_pull_no_slates(
    shoot: Shoot, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    told, out = packed(shoot, tmp_path, capsys, "compositing-track-xml")
    (listed,) = (out / "Papers").glob("*shots.csv")
    rows = list(csv.DictReader(listed.open(encoding="utf-8-sig")))
    # "Slower" begins at frame 110 of the cut and at frame 120 of its source, which began ten seconds after two.
    assert [
        (one["Shot"], one["File"], one["In"], one["Out"], one["Frames"], one["Head"], one["Source in"])
        for one in rows if one["Clip"] in ("Throwing", "Slower")
    ] == [
        ("KN_0010", "KN_0010.xml", "01:00:00:00", "01:00:01:15", "40", "20", "01:00:10:20"),
        ("KN_0040", "KN_0040.xml", "01:00:04:10", "01:00:06:00", "40", "24", "02:00:14:20"),
    ]  # fmt: skip
    (pulled,) = (out / "Papers").glob("*pull list.csv")
    assert "slate" not in pulled.read_text() and pulled.read_text().count("A001C001.mov") >= 2
    (sheet,) = (out / "Papers").glob("*cover sheet.html")
    words = sheet.read_text()
    assert "<h1>Kiln Night, 6 shots</h1>" in words and words.count("<th>rate</th>") == 1
    assert '<td>KN_0040</td><td>Slower</td><td class="tc">01:00:04:10</td>' in words and "24 + 25" in words
    # What is nothing to be done by hand is not told at length.
    assert "<h2>" not in words and "To do by hand" not in words and told["budget_minutes"] == 0
    kinds = {one["part"] for one in told["parts"]}
    assert {"shot-list", "pull-list", "cut-list", "baked", "manifest"} <= kinds
    assert main(["verify", str(out)]) == 0
    # Without slates each begins with its handles.
    assert main(["package", str(tmp_path / "cut.otio"), "--to", "compositing-track-xml", "--out",
                 str(tmp_path / "bare"), "--shots", "{item}", "--no-slate", "--media", "none", "--mix", "none",
                 "--no-papers"]) == 0  # fmt: skip
    (bare,) = read_file(tmp_path / "bare" / "Throwing.xml").top_level
    # One second, as the destination says nothing, of which there are twenty frames.
    assert bare.start == 90_000 - 20 and len(bare.video_tracks[0].items) == 1


def test_versions_come_back_by_the_names_of_their_shots(
    shoot: Shoot, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    cut, came = cut_of(shoot, tmp_path), tmp_path / "came"
    came.mkdir()
    for number, item in ((2, ITEMS[1]), (3, ITEMS[2])):
        for version in (1, 2):
            made = [source(shoot, item, at) for at in range(-25, int(item.duration) + 25)]
            made = [enlarged(one, 1.5) if item.name == "Closer" else one for one in made]
            movie(came / f"KN_00{number}0_comp_v{version:03d}.mov", [graded(one) for one in made], None)
    told = home(capsys, cut, "--from", came, "--shots", "KN_{number}")
    assert [(one["file"], one["item"], one["by"]) for one in told["matched"]] == [
        ("KN_0020_comp_v002.mov", "Turning", ["shot"]),
        ("KN_0030_comp_v002.mov", "Closer", ["shot"]),
    ]
    assert all(one["laid"] and one["offset_frames"] == 0 for one in told["matched"])
    assert len(told["unmatched_files"]) == 2 and told["asked"] == []
    # Without the scheme it is learnt from their names, and is that of all that left.
    plain = home(capsys, cut, "--from", came)
    assert plain["names"]["scheme"] == "KN_{number:10}_comp"
    assert [(one["item"], one["by"]) for one in plain["matched"]] == [
        ("Turning", ["number"]),
        ("Closer", ["number"]),
    ]


# ---- by hand


def test_of_several_sequences_the_scheme_must_tell_which(
    shoot: Shoot, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """Else two shots would have one name, and a version could not come back to the right one."""
    one = read_file(cut_of(shoot, tmp_path))
    first = one.top_level[0]
    both = replace(one, sequences=(first, replace(first, id="second", name="Second reel")))
    path = tmp_path / "reels.xml"
    path.write_bytes(write_several(both, (first.id, "second"), "5"))
    wanted = ["package", str(path), "--to", "compositing-track-xml", "--media", "none", "--mix", "none"]
    wanted += ["--sequence", first.name, "--sequence", "Second reel"]
    out = tmp_path / "shots"
    assert main([*wanted, "--out", str(out), "--shots", "KN_{number}"]) == 2
    assert "2 sequences leave together, so {sequence} must be in the scheme" in capsys.readouterr().err
    assert not out.exists()
    assert main([*wanted, "--out", str(out), "--shots", "{sequence}_{number}"]) == 0
    names = {file.stem for file in out.glob("*.xml")}
    assert {f"{first.name.replace(' ', '_')}_0010", "Second_reel_0010"} <= names


def cut(*items: Item, joins: tuple[Transition, ...] = (), start: int = 90_000) -> tuple[Document, Sequence]:
    nest = Sequence("n", "Ember", PAL, tracks=(Track("video", (replace(ITEMS[0], id="inside"),)),))
    sequence = Sequence("s", "Kiln Night", PAL, start, tracks=(Track("video", items, joins),))
    from wexodos.model import Media

    media = Media("A001C001", "A001C001.mov", "/A001C001.mov", start=0, duration=240, rate=PAL, video=True)
    return Document("otio", "1", (sequence, replace(nest, top_level=False)), (media,)), sequence


def one_shot(item: Item, handles: Exact = 10, **more: object) -> tuple[int, int]:
    (shot,) = apart(*cut(item, **more), "{number}", handles, False)  # type: ignore[arg-type]
    return shot.head, shot.tail


def test_handles_end_where_the_source_does() -> None:
    base = replace(ITEMS[0], start=100, duration=40)
    for speed, source_in, wanted in (
        (Constant(1), 4, (4, 10)),
        (Constant(1), 195, (10, 5)),
        (Constant(2), 150, (10, 5)),
        (Constant(-1), 44, (10, 4)),
        (Constant(-1), 236, (4, 10)),
        (Constant(0), 0, (10, 10)),
    ):
        item = replace(base, speed=speed, source_in=PAL.seconds(source_in))
        assert one_shot(item) == wanted, speed
    nest = replace(base, content=NestedUse("n"), source_in=PAL.seconds(0), duration=36)
    # The nest is 40 frames long.
    assert one_shot(nest) == (0, 4)
    angles = Angles((Angle("a", "A", "A001C001", offset=PAL.seconds(200)),), "a", None)
    assert one_shot(replace(base, content=angles, source_in=0, duration=36)) == (0, 4)
    # Nothing has a timecode before zero.
    assert one_shot(replace(base, start=3, source_in=PAL.seconds(50)), start=0) == (3, 10)


def test_a_shot_is_as_long_as_it_is_seen_in_its_transitions() -> None:
    first, second = (
        replace(ITEMS[0], id=str(at), start=40 * at, source_in=PAL.seconds(100)) for at in (0, 1)
    )
    join = Transition("t", "dissolve", "dissolve", 34, 12, 40)
    found = numbered(*cut(first, second, joins=(join,)))
    assert [(one.name, one.first, one.until) for one in found] == [
        ("Kiln_Night_0010", 0, 46), ("Kiln_Night_0020", 34, 80),
    ]  # fmt: skip


def test_names_are_files_names_and_each_is_its_own() -> None:
    items = [
        replace(ITEMS[0], id=str(at), start=40 * at, name=name) for at, name in enumerate(("a/b", "x", "X"))
    ]
    whole = cut(*items)
    assert [one.name for one in numbered(*whole, "{item}")] == ["a-b", "x", "X_2"]
    assert [one.name for one in numbered(*whole, "{track} {number}")] == ["V1 0010", "V1 0020", "V1 0030"]
    for wrong, words in (
        ("{take}", "{take} stands for nothing"),
        ("KN_{number", "a bracket alone"),
        (" ", "empty"),
    ):
        with pytest.raises(SchemeError, match=words):
            check_scheme(wrong)
    assert (
        main(["package", "none.xml", "--to", "compositing-aaf", "--out", "/tmp/x-none", "--shots", "{take}"])
        == 2
    )
