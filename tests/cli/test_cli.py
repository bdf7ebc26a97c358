"""The command line's contract: fields, exit statuses, plain errors, nothing half-written."""

from __future__ import annotations

import json
import os
import resource
import signal
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from wexodos.cli import main

HERE = Path(__file__).parent
CUT = HERE.parent / "formats" / "same-cut.xml"
LANE = HERE.parent / "formats" / "same-cut.fcpxml"


def run(capsys: pytest.CaptureFixture[str], *arguments: object) -> tuple[int, Any, str]:
    status = main([str(one) for one in arguments])
    told = capsys.readouterr()
    return status, json.loads(told.out) if told.out.startswith("{") else told.out, told.err


def test_inspect(capsys: pytest.CaptureFixture[str]) -> None:
    status, data, _ = run(capsys, "inspect", CUT, "--json")
    assert (status, data["format"], data["version"]) == (0, "xmeml", "5")
    (sequence,) = data["sequences"]
    assert {
        key: sequence[key]
        for key in (
            "name",
            "top_level",
            "rate",
            "drop_frame",
            "start",
            "duration",
            "width",
            "height",
            "pixel_aspect",
            "field_order",
            "sample_rate",
        )
    } == {
        "name": "Kiln Night R1",
        "top_level": True,
        "rate": "25/1",
        "drop_frame": False,
        "start": "01:00:00:00",
        "duration": 250,
        "width": 1920,
        "height": 1080,
        "pixel_aspect": "1/1",
        "field_order": "progressive",
        "sample_rate": 48000,
    }
    first, join, second = sequence["tracks"][0]["items"]
    assert (
        first["kind"],
        first["start"],
        first["duration"],
        first["source_in"],
        first["source_duration"],
        first["source_start"],
    ) == ("clip", 0, 100, 50, 100, "10:00:02:00")
    assert (join["kind"], join["type"], join["start"], join["duration"], join["cut"]) == (
        "transition",
        "dissolve",
        88,
        24,
        100,
    )
    assert (second["start"], second["source_in"], second["channels"]) == (100, 200, None)
    title = sequence["tracks"][1]["items"][0]
    assert title["text"]["words"] == "Ilka Marsh, potter"
    assert title["text"]["runs"][0]["color"] == "#faf5e6ff"
    narration = sequence["tracks"][3]["items"][0]
    assert (narration["channels"], narration["curves"]) == ([1], {"level": 3})
    media = {one["name"]: one for one in data["media"]}
    assert media["A003C012.mov"] | {"id": ""} == {
        "id": "",
        "name": "A003C012.mov",
        "path": "/Volumes/Kiln Night/A003/A003C012.mov",
        "reel": "A003",
        "start": "10:00:00:00",
        "duration": 800,
        "rate": "25/1",
        "width": 1920,
        "height": 1080,
        "pixel_aspect": "1/1",
        "channels": 1,
        "sample_rate": 48000,
        "bit_depth": 24,
        "video": True,
        "audio": True,
        "still": False,
    }
    assert sequence["markers"][0]["start"] == 143


def test_state_takes_several_times_and_frames(capsys: pytest.CaptureFixture[str]) -> None:
    status, data, _ = run(capsys, "state", CUT, "--at", "01:00:04:00", "+20", "--json")
    assert status == 0
    assert [(one["at"], one["frame"]) for one in data["states"]] == [
        ("01:00:04:00", 100),
        ("01:00:00:20", 20),
    ]
    assert [layer["mix"] for layer in data["states"][0]["picture"]] == [0.5, 0.5]
    assert run(capsys, "state", CUT, "--at", "+1", "--at", "+2", "--json")[1]["states"][1]["frame"] == 2
    assert run(capsys, "state", CUT, "--at", "soon")[0] == 2
    assert run(capsys, "state", CUT, "--at", "+1", "--sequence", "nobody")[0] == 2


@pytest.mark.parametrize("suffix", [".json", ".html", ".csv", ".pdf"])
def test_translate_writes_the_file_and_its_report(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, suffix: str
) -> None:
    status, data, _ = run(
        capsys,
        "translate",
        CUT,
        "--to",
        "grading-lane-xml",
        "--out",
        tmp_path,
        "--report",
        tmp_path / f"r{suffix}",
        "--json",
    )
    assert (status, data["unexplained"], data["destination"]) == (0, 0, "grading-lane-xml")
    assert data["output"] == {"files": ["Kiln Night R1.fcpxml"], "format": "fcpxml", "version": "1.8"}
    assert data["counts"]["noted"] == 1
    finding = next(one for one in data["findings"] if one["kind"] == "title")
    assert (
        finding["at"],
        finding["frame"],
        finding["until"],
        finding["track"],
        finding["item"],
        finding["fate"],
        finding["remedy"],
        finding["remedies"],
    ) == ("01:00:00:20", 20, "01:00:03:05", "V2", "Name caption", "noted", "note", ["note", "leave", "bake"])
    body = (tmp_path / f"r{suffix}").read_bytes()
    if suffix == ".json":
        assert json.loads(body) == data
    elif suffix == ".pdf":
        assert body.startswith(b"%PDF")
    else:
        assert b"Name caption" in body
        assert b"<script" not in body
    assert run(capsys, "inspect", tmp_path / "Kiln Night R1.fcpxml", "--json")[1]["version"] == "1.8"


def test_strict_fails_where_things_are_left_behind(
    capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    assert (
        run(capsys, "translate", CUT, "--to", "mixing-lane-xml", "--out", tmp_path / "a.fcpxml", "--strict")[
            0
        ]
        == 1
    )
    assert (
        run(capsys, "translate", CUT, "--to", "editing-track-xml", "--out", tmp_path / "a.xml", "--strict")[0]
        == 0
    )


def test_compare(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    assert run(capsys, "compare", CUT, CUT, "--json")[:2] == (
        0,
        {
            "a": str(CUT),
            "b": str(CUT),
            "sequence": "Kiln Night R1",
            "against_sequence": "Kiln Night R1",
            "same": True,
            "differences": [],
        },
    )
    status, data, _ = run(capsys, "compare", CUT, LANE, "--json")
    assert (status, data["same"]) == (1, False)
    assert {one["what"] for one in data["differences"]} == {"reel", "transition", "mix", "level"}


def test_destinations_and_the_users_own(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path))
    folder = tmp_path / "wexodos" / "destinations"
    folder.mkdir(parents=True)
    good = 'id = "our-house"\nname = "Our house"\nformat = "xmeml"\nversion = "4"\nfor = "editing"\n'
    (folder / "own.toml").write_text(good)
    (folder / "bad.toml").write_text(good + "[titles]\nrolls = true\n")
    status, data, told = run(capsys, "destinations", "--json")
    assert status == 0
    assert [one["id"] for one in data["destinations"] if not one["builtin"]] == ["our-house"]
    assert "bad.toml, line 7: unknown field 'rolls' in titles" in told.replace("\n", "")
    assert run(capsys, "translate", CUT, "--to", "our-house", "--out", tmp_path / "o.xml")[0] == 0
    assert run(capsys, "translate", CUT, "--to", "nobody", "--out", tmp_path / "o.xml")[0] == 2


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("id = 3\n", "line 1"),
        ("x = = 1\n", "line 1"),
        ('id="aa"\nname="a"\nformat="pdf"\nversion="1"\nfor="editing"\n', "line 3"),
        ('id="aa"\nname="a"\nformat="xmeml"\nversion="9"\nfor="editing"\n', "line 4"),
        ('id="aa"\nname="a"\nformat="xmeml"\nversion="5"\nfor="editing"\n[speed]\nreverse="no"\n', "line 7"),
    ],
)
def test_a_mistake_in_a_destination_names_file_and_line(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, text: str, told: str
) -> None:
    path = tmp_path / "mine.toml"
    path.write_text(text)
    status, _, error = run(capsys, "translate", CUT, "--to", path, "--out", tmp_path / "o.xml")
    assert status == 2
    assert f"{path}, {told}" in error.replace("\n", "")


def test_wrong_usage(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    for words in (
        ["translate", CUT],
        ["inspect"],
        ["nonsense"],
        ["inspect", CUT, "--nonsense"],
        [
            "translate",
            CUT,
            "--to",
            "editing-lane-xml",
            "--out",
            tmp_path / "o",
            "--report",
            tmp_path / "r.doc",
        ],
    ):
        status, _, error = run(capsys, *words)
        assert status == 2
        assert len(error.strip().splitlines()) == 1


def test_outputs_are_refused_and_nothing_is_left(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    source = tmp_path / "cut.xml"
    source.write_bytes(CUT.read_bytes())
    for target in (source, tmp_path / "nowhere" / "o.xml", Path("/proc/o.xml")):
        assert run(capsys, "translate", source, "--to", "editing-track-xml", "--out", target)[0] == 4
    assert (
        run(
            capsys,
            "translate",
            source,
            "--to",
            "editing-track-xml",
            "--out",
            tmp_path / "o.xml",
            "--report",
            tmp_path / "nowhere" / "r.json",
        )[0]
        == 4
    )
    assert source.read_bytes() == CUT.read_bytes()
    assert [one.name for one in tmp_path.iterdir()] == ["cut.xml"]


def test_a_full_disk_leaves_nothing_half_written(tmp_path: Path) -> None:
    """The limit on a file's size stands in for a disk that is full: writing fails part of the way."""
    old = tmp_path / "o.fcpxml"
    old.write_text("what was there before")

    def small() -> None:
        import signal

        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        resource.setrlimit(resource.RLIMIT_FSIZE, (1000, 1000))

    done = subprocess.run(
        [
            sys.executable,
            "-c",
            "import sys; from wexodos.cli import main; sys.exit(main())",
            "translate",
            str(CUT),
            "--to",
            "editing-lane-xml",
            "--out",
            str(old),
        ],
        preexec_fn=small,
        capture_output=True,
        text=True,
        env={**os.environ, "PYTHONDONTWRITEBYTECODE": "1"},
        check=False,
    )
    assert done.returncode == 4, done.stderr
    assert "Traceback" not in done.stderr
    assert old.read_text() == "what was there before"
    assert [one.name for one in tmp_path.iterdir()] == ["o.fcpxml"]


def test_an_internal_error_is_one_sentence(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(_path: object) -> None:
        raise RuntimeError("a secret detail")

    monkeypatch.setattr("wexodos.cli.commands.read_file", broken)
    status, _, error = run(capsys, "inspect", CUT)
    assert status == 5
    assert "secret" not in error
    assert len(error.strip().splitlines()) == 1


@pytest.mark.parametrize("number", [signal.SIGINT, signal.SIGTERM])
def test_who_is_told_to_end_says_so(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch, number: int
) -> None:
    monkeypatch.setattr("wexodos.cli.commands.read_file", lambda *_: os.kill(os.getpid(), number))
    status, _, error = run(capsys, "inspect", CUT)
    assert status == 128 + number and error.strip() == "Stopped."


def test_unexplained_differences_are_an_error(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    from dataclasses import replace

    from wexodos.formats import FORMATS

    whole = FORMATS["xmeml"]
    monkeypatch.setitem(
        FORMATS,
        "xmeml",
        replace(whole, write=lambda *a: whole.write(*a).replace(b"<in>188</in>", b"<in>187</in>")),
    )
    status, data, error = run(
        capsys, "translate", CUT, "--to", "editing-track-xml", "--out", tmp_path / "o.xml", "--json"
    )
    assert status == 5
    assert data["unexplained"] > 0
    assert data["findings"][0]["explained"] is False
    assert "explained by nothing: what was written does not balance; nothing was written" in error
    assert not (tmp_path / "o.xml").exists()
    told = [one for one in data["findings"] if one["explained"]]
    assert all(one["cause"] for one in told)
    assert data["findings"][0]["book"] == "what was written"
