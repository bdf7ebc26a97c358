"""Several sequences in one hand-over: by the command line and as parts of a package."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import pytest

from wexodos.cli import main
from wexodos.formats import read_file
from wexodos.model import Sequence
from wexodos.timing import Rate
from wexodos.turnover.several import stems

PAL = Rate(25, 1)


def run(capsys: pytest.CaptureFixture[str], *given: object) -> tuple[int, Any, str]:
    capsys.readouterr()
    status = main([str(one) for one in given])
    said = capsys.readouterr()
    return status, json.loads(said.out) if said.out.startswith("{") else said.out, said.err


@pytest.fixture
def film(demo: Path) -> Path:
    """Three reels and selects in one file, in no order."""
    return demo / "kiln-night-reels.xml"


def test_no_two_sequences_get_one_file_name() -> None:
    names = ["Reel", "reel", "Reel (2)", "a/b", "a:b", "", "CON"]
    found = stems([Sequence(str(place), name, PAL) for place, name in enumerate(names)])
    assert list(found.values()) == ["Reel", "reel (2)", "Reel (2) (2)", "a-b", "a-b (2)", "sequence", "CON-"]


@pytest.mark.parametrize("destination, suffix", [("grading-lane-xml", ".fcpxml"), ("finishing-aaf", ".aaf")])
def test_all_reels_go_into_one_folder_with_one_report(
    capsys: pytest.CaptureFixture[str], film: Path, tmp_path: Path, destination: str, suffix: str
) -> None:
    out = tmp_path / "to the grade"
    status, data, _ = run(
        capsys, "translate", film, "--to", destination, "--out", out, "--all-sequences", "--json",
        "--report", tmp_path / "report.json",
    )  # fmt: skip
    assert status == 0
    names = ["Kiln Night R1", "Kiln Night R2", "Kiln Night R3", "Kiln Night selects"]
    assert sorted(one.name for one in out.iterdir()) == [f"{name}{suffix}" for name in names]
    assert [one["source"]["sequence"] for one in data["sequences"]] == names
    assert data["unexplained"] == 0 and data["other_sequences"] == []
    assert json.loads((tmp_path / "report.json").read_text()) == data
    # Each as long and beginning where the file itself says, read without our reader.
    for sequence in ElementTree.parse(film).getroot().iter("children"):
        for one in sequence:
            name, start = one.findtext("name"), int(one.findtext("timecode/frame", "0"))
            length = max(int(end.text or 0) for end in one.findall("./media/*/track/*/end"))
            (read,) = read_file(out / f"{name}{suffix}").top_level
            assert (read.name, read.start, read.duration) == (name, start, length)
    minutes = [one["budget_minutes"] for one in data["sequences"]]
    assert data["budget_minutes"] == pytest.approx(sum(minutes))


def test_some_go_in_the_order_they_are_named(
    capsys: pytest.CaptureFixture[str], film: Path, tmp_path: Path
) -> None:
    given = ["translate", film, "--to", "editing-track-xml"]
    some = ["--sequence", "Kiln Night R3", "--sequence", "Kiln Night R1", "--sequence", "Kiln Night R3"]
    status, data, _ = run(capsys, *given, "--out", tmp_path, *some, "--json")
    assert status == 0
    assert [Path(one).name for one in data["output"]["files"]] == ["Kiln Night R3.xml", "Kiln Night R1.xml"]
    assert data["other_sequences"] == ["Kiln Night R2", "Kiln Night selects"]
    assert sorted(one.name for one in tmp_path.iterdir()) == ["Kiln Night R1.xml", "Kiln Night R3.xml"]
    # By words: each with its own line, then what all of them cost.
    status, told, _ = run(capsys, *given, "--out", tmp_path, *some)
    single = [float(one) for one in re.findall(r"Repair budget ([0-9.]+) min", told)]
    assert status == 0 and len(single) == 2
    assert f"2 sequences together: repair budget {sum(single):g} min." in told
    assert told.count("not written, as a file holds one sequence with its nests: Kiln Night R2") == 2
    # One alone is as ever: a file.
    alone = tmp_path / "alone.xml"
    assert run(capsys, *given, "--out", alone, "--sequence", "Kiln Night R2")[0] == 0 and alone.is_file()


@pytest.mark.thorough
def test_what_cannot_be_written_leaves_nothing(
    capsys: pytest.CaptureFixture[str], film: Path, tmp_path: Path
) -> None:
    given = ["translate", film, "--to", "mixing-aaf-linked"]
    everything = [*given, "--all-sequences", "--out"]
    taken = tmp_path / "taken"
    taken.write_text("mine")
    status, _, said = run(capsys, *everything, taken)
    assert status == 2 and "several sequences go into a folder" in said and taken.read_text() == "mine"
    assert run(capsys, *everything, tmp_path / "no" / "where")[0] == 4
    assert run(capsys, *given, "--all-sequences", "--sequence", "x", "--out", tmp_path)[0] == 2
    assert run(capsys, *given, "--sequence", "Kiln Night R1", "--sequence", "x", "--out", tmp_path)[0] == 2
    # The last of them cannot take its place: none of the others does.
    (tmp_path / "o" / "Kiln Night selects.aaf").mkdir(parents=True)
    status, _, said = run(capsys, *everything, tmp_path / "o")
    assert status == 4 and "Kiln Night selects.aaf" in said
    assert sorted(one.name for one in tmp_path.rglob("*")) == ["Kiln Night selects.aaf", "o", "taken"]
    report = tmp_path / "o" / "Kiln Night R1.aaf"
    assert run(capsys, *everything, tmp_path / "o", "--report", report.with_suffix(".csv"))[0] == 4


def test_a_report_is_not_one_of_the_files(
    capsys: pytest.CaptureFixture[str], film: Path, tmp_path: Path
) -> None:
    out = tmp_path / "cut.json"
    (tmp_path / "archive.toml").write_text("")
    status, _, said = run(
        capsys, "translate", film, "--to", "archive-otio", "--all-sequences", "--out", out,
        "--report", out / "Kiln Night R2.otio.html",
    )  # fmt: skip
    # The folder for the report is not there before the files are.
    assert status == 4 and not out.exists() and "no such folder" in said
