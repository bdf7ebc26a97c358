"""Batches: every format in a folder tree, one bad file among them, stopped and gone on with."""

from __future__ import annotations

import json
import os
import shutil
from pathlib import Path

import pytest

from wexodos.cli.commands import main
from wexodos.formats import read_file


@pytest.fixture(scope="module")
def tree(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("old files")
    (folder / "a" / "b").mkdir(parents=True)
    source = str(demo / "kiln-night.xml")
    shutil.copy(source, folder / "Kiln Night.xml")
    for name, to in (
        ("a/cut.fcpxml", "editing-lane-xml"),
        ("a/b/cut.aaf", "finishing-aaf"),
        ("a/b/cut.otio", "archive-otio"),
        ("a/mix.omf", "mixing-omf"),
    ):
        assert main(["translate", source, "--to", to, "--out", str(folder / name)]) == 0
    (folder / "list.edl").write_text("TITLE: K\n001 A V C 10:00:00:00 10:00:01:24 01:00:00:00 01:00:01:24\n")
    (folder / "a" / "bad.edl").write_text("TITLE: nothing\n")
    (folder / "a" / "notes.txt").write_text("no sequence")
    return folder


def test_all_are_carried_over_and_one_bad_file_stops_nothing(
    tree: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    given = [
        "batch",
        str(tree),
        "--to",
        "editing-lane-xml",
        "--out",
        str(tmp_path / "out"),
        "--jobs",
        "2",
        "--json",
    ]
    assert main(given) == 3
    rows = {row["file"]: row for row in json.loads(capsys.readouterr().out)["files"]}
    assert {name: row["status"] for name, row in rows.items()} == {
        "Kiln Night.xml": "done",
        "a/cut.fcpxml": "done",
        "a/b/cut.aaf": "done",
        "a/b/cut.otio": "done",
        "a/mix.omf": "done",
        "list.edl": "done",
        "a/bad.edl": "cannot be read",
        "a/notes.txt": "passed over",
    }
    assert rows["a/notes.txt"]["said"] == "its suffix is none of a sequence file"
    assert all(row["unexplained"] == 0 for row in rows.values())
    for row in rows.values():
        assert all((tmp_path / "out" / one).is_file() for one in row["files"])
    assert read_file(tmp_path / "out" / "a" / "b" / "cut.fcpxml").top_level
    assert "cannot be read" in (tmp_path / "out" / "batch summary.csv").read_text()
    # The second run passes over what is done, does again what has changed or is gone, and tries the bad one
    # anew.
    (tmp_path / "out" / "list.fcpxml").unlink()
    (tree / "a" / "bad.edl").write_text(
        "TITLE: K\n001 A V C 10:00:00:00 10:00:01:24 01:00:00:00 01:00:01:24\n"
    )
    assert main(given) == 0
    again = {row["file"]: bool(row.get("before")) for row in json.loads(capsys.readouterr().out)["files"]}
    assert again == {name: name not in ("list.edl", "a/bad.edl", "a/notes.txt") for name in rows}
    (tree / "a" / "bad.edl").write_text("TITLE: nothing\n")


@pytest.mark.parametrize("deadly", ["list.edl", "cut.otio", "Kiln Night.xml"])
@pytest.mark.sampled(3)
@pytest.mark.thorough
def test_a_file_that_ends_its_process_is_given_up_and_the_others_go_on(
    tree: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, deadly: str
) -> None:
    from wexodos.carryover import Options
    from wexodos.destinations import find_destination
    from wexodos.turnover import batch as module

    monkeypatch.setattr(module, "one_file", _deadly)
    monkeypatch.setenv("WEXODOS_TEST_DEADLY", deadly)
    rows = module.batch(
        tree, find_destination("archive-otio"), "archive-otio", tmp_path, Options(), 2, lambda *_: None
    )
    assert {row["file"]: row["status"] for row in rows if row["status"] not in ("done", "passed over")} == {
        next(name for name in (row["file"] for row in rows) if name.endswith(deadly)): "fault"
    }
    assert len({row["file"] for row in rows}) == len(rows) == 8


def _deadly(task: object) -> dict[str, object]:
    import os

    if str(getattr(task, "source", "")).endswith(os.environ["WEXODOS_TEST_DEADLY"]):
        os._exit(9)
    return {"status": "done", "said": "", "files": []}


def test_wrong_folders(tmp_path: Path) -> None:
    assert main(["batch", str(tmp_path / "none"), "--to", "archive-otio", "--out", str(tmp_path / "o")]) == 3
    (tmp_path / "file").write_text("")
    assert main(["batch", str(tmp_path), "--to", "archive-otio", "--out", str(tmp_path / "file")]) == 4


def test_a_second_run_does_again_what_has_changed_and_nothing_else(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    line = "001 A V C 10:00:00:00 10:00:01:24 01:00:00:00 01:00:01:24"
    (tmp_path / "in").mkdir()
    for name in ("one", "two"):
        (tmp_path / "in" / f"{name}.edl").write_text(f"TITLE: {name}\n{line}\n")
    given = ["batch", str(tmp_path / "in"), "--to", "archive-otio", "--out", str(tmp_path / "out"), "--json"]

    def before() -> dict[str, bool]:
        assert main(given) == 0
        return {row["file"]: bool(row.get("before")) for row in json.loads(capsys.readouterr().out)["files"]}

    assert before() == {"one.edl": False, "two.edl": False}
    (tmp_path / "in" / "two.edl").write_text(f"TITLE: another name\n{line}\n")
    assert before() == {"one.edl": True, "two.edl": False}
    assert before() == {"one.edl": True, "two.edl": True}


def test_a_record_that_is_not_ours_is_no_record(tmp_path: Path) -> None:
    from wexodos.carryover import Options
    from wexodos.destinations import find_destination
    from wexodos.turnover.batch import STATE, begun

    line = "001 A V C 10:00:00:00 10:00:01:24 01:00:00:00 01:00:01:24"
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "one.edl").write_text(f"TITLE: one\n{line}\n")
    out = tmp_path / "out"
    assert main(["batch", str(tmp_path / "in"), "--to", "archive-otio", "--out", str(out)]) == 0
    given = out, find_destination("archive-otio"), "archive-otio", Options()
    assert [(row["file"], row["status"]) for row in begun(*given)] == [("one.edl", "done")]
    state = json.loads((out / STATE).read_text())
    row = state["rows"][0]
    for wrong in ({"minutes": "many"}, {"status": None}, {"said": 3}, {"files": "all"}, {"file": []}):
        (out / STATE).write_text(json.dumps({**state, "rows": [{**row, **wrong}]}))
        assert begun(*given) == [], wrong
    for text in ("", "[]", '{"key": 1}', json.dumps({**state, "rows": [7]})):
        (out / STATE).write_text(text)
        assert begun(*given) == []
    (out / STATE).unlink()
    os.mkfifo(out / STATE)
    assert begun(*given) == []


def test_progress_names_what_is_worked_on_and_can_stop_it(tmp_path: Path) -> None:
    from wexodos.carryover import Cancelled, Options
    from wexodos.destinations import find_destination
    from wexodos.turnover.batch import batch

    line = "001 A V C 10:00:00:00 10:00:01:24 01:00:00:00 01:00:01:24"
    (tmp_path / "in").mkdir()
    for name in ("one", "two"):
        (tmp_path / "in" / f"{name}.edl").write_text(f"TITLE: {name}\n{line}\n")
    told: list[tuple[str, float]] = []

    def step(what: str, share: float) -> None:
        told.append((what, share))
        if what.endswith("two.edl") and share == 0.5:
            raise Cancelled

    given = tmp_path / "in", find_destination("archive-otio"), "archive-otio", tmp_path / "out", Options(), 1
    with pytest.raises(Cancelled):
        batch(*given, lambda *_: None, step)
    assert told[0] == ("carrying over one.edl", 0.0) and told[-1] == ("carrying over two.edl", 0.5)
    assert sorted(one.name for one in (tmp_path / "out").glob("*.otio")) == ["one.otio"]
