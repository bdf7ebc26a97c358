"""Mutants of every format, hostile names, special files: a sentence and a status, never a traceback, never a
hang, never a gigabyte. ``./run prove`` draws a thousand mutants a format."""

from __future__ import annotations

import os
import random
import resource
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest

from bad_days.mutants import KEPT, bytes_changed
from wexodos.carryover import carry_over
from wexodos.cli.commands import main
from wexodos.destinations import find_destination
from wexodos.formats import ReadError, read_file
from wexodos.formats.paths import is_placed
from wexodos.ground.errors import WriteError

MUTANTS = 6 if int(os.environ.get("WEXODOS_EXAMPLES", "1")) <= 1 else 1000
WRITTEN = {
    "xml": "editing-track-xml",
    "fcpxml": "editing-lane-xml",
    "aaf": "finishing-aaf",
    "omf": "mixing-omf",
    "otio": "archive-otio",
    "edl": "cut-list-edl",
}
HERE = Path(__file__).parent.parent / "formats"


@pytest.fixture(scope="module")
def whole(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> dict[str, bytes]:
    folder = tmp_path_factory.mktemp("whole")
    found = {}
    for suffix, to in WRITTEN.items():
        path = folder / f"cut.{suffix}"
        assert main(["translate", str(demo / "kiln-night.xml"), "--to", to, "--out", str(path)]) == 0
        found[suffix] = next(folder.glob(f"*.{suffix}")).read_bytes()
    return found


@pytest.mark.loose
@pytest.mark.parametrize("kept", [False, True], ids=["any bytes", "well-formed"])
@pytest.mark.parametrize("suffix", WRITTEN)
@pytest.mark.sampled(12)
def test_a_mutant_is_read_and_carried_or_refused_in_a_sentence(
    whole: dict[str, bytes], tmp_path: Path, suffix: str, kept: bool
) -> None:
    chance = random.Random(f"mutant {suffix}")
    mutant = KEPT[suffix] if kept else bytes_changed
    destinations = [find_destination(one) for one in WRITTEN.values()]
    for number in range(MUTANTS):
        path = tmp_path / f"m.{suffix}"
        path.write_bytes(mutant(whole[suffix], chance))
        try:
            document = read_file(path)
        except ReadError as error:
            assert "\n" not in str(error) and path.name in str(error)
            continue
        if document.top_level:
            to = destinations[number % len(destinations)]
            try:
                carried = carry_over(document, document.top_level[0], to)
            except WriteError as error:
                assert "\n" not in str(error)
                continue
            assert carried.errors == 0, (
                number,
                to.id,
                [one for one in carried.findings if not one.explained][:2],
            )
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss < 4 << 20


def test_a_key_impossibly_far_away_and_a_path_from_the_folder(tmp_path: Path) -> None:
    """Two that mutants found: a silent key at 10^18 seconds, and a list with a path from its own folder,
    which no format but a list could hold."""
    data = (HERE / "same-cut.fcpxml").read_text()
    sound = data.replace(
        "</asset-clip>",
        '<adjust-volume><param name="amount"><keyframeAnimation><keyframe time="0s" value="-3dB"/><keyframe '
        'time="1000000000000000000s" value="-96dB"/></keyframeAnimation></param></adjust-volume></asset-clip>',
        1,
    )
    (tmp_path / "far.fcpxml").write_text(sound)
    document = read_file(tmp_path / "far.fcpxml")
    for to in WRITTEN.values():
        assert carry_over(document, document.top_level[0], find_destination(to)).errors == 0
    (tmp_path / "list.edl").write_text(
        "TITLE: K\n001  A001 V     C        10:00:00:00 10:00:02:00 01:00:00:00 01:00:02:00\n"
        "* FROM CLIP NAME: door.mov\n* SOURCE FILE: media/door.mov\n"
    )
    document = read_file(tmp_path / "list.edl")
    assert document.media[0].path == str(tmp_path / "media" / "door.mov")
    for to in WRITTEN.values():
        assert carry_over(document, document.top_level[0], find_destination(to)).errors == 0


def test_a_clip_with_a_slash_in_its_name_goes_everywhere(tmp_path: Path) -> None:
    (tmp_path / "list.edl").write_text(
        "TITLE: K\n001  A001 V     C        10:00:00:00 10:00:02:00 01:00:00:00 01:00:02:00\n"
        "* FROM CLIP NAME: Door 1/2\n"
    )
    document = read_file(tmp_path / "list.edl")
    assert [item.name for item in document.top_level[0].items()] == ["Door 1/2"]
    assert document.media[0].name == "Door 1-2" and any("Door 1/2" in note.text for note in document.notes)
    for to in WRITTEN.values():
        assert carry_over(document, document.top_level[0], find_destination(to)).errors == 0


@pytest.mark.thorough
def test_text_that_is_no_json_does_not_end_the_process(whole: dict[str, bytes], tmp_path: Path) -> None:
    data = whole["otio"]
    for at in (len(data) // 2, len(data) - 3, 2000):
        (tmp_path / "cut.otio").write_bytes(data[:at] + b'x: ,"' + data[at:])
        done = run("inspect", str(tmp_path / "cut.otio"))
        assert done.returncode == 3 and b"cannot be read" in done.stderr


NAMES = [
    "a\x1b[31mred.xml",
    "a\nb.xml",
    "a\tb.xml",
    "\u202egnp.xml",
    "=1+1.xml",
    "+1.xml",
    "-rf.xml",
    "@sum.xml",
    "ü" * 100 + ".xml",
    "con.xml",
    "a\udcffb.xml",
    "' ; rm.xml",
    "🔥.xml",
    "a\x9b31mb.xml",
    " .xml",
    "\u200bzero.xml",
]


def run(*arguments: str, **environment: str) -> subprocess.CompletedProcess[bytes]:
    return subprocess.run(
        [sys.executable, "-c", "from wexodos.cli import main; raise SystemExit(main())", *arguments],
        env={**os.environ, **environment},
        capture_output=True,
        timeout=60,
        check=False,
    )


@pytest.mark.thorough
def test_hostile_names_are_read_and_shown_without_harm(demo: Path, tmp_path: Path) -> None:
    data = (HERE / "same-cut.xml").read_bytes()
    names = (
        NAMES
        if MUTANTS < 100
        else [*NAMES, *(chr(code) + "x.xml" for code in range(1, 200) if chr(code) != "/")]
    )
    folder = tmp_path / "names"
    folder.mkdir()
    for name in names:
        (folder / name).write_bytes(data)
    out = tmp_path / "out"
    done = run(
        "batch", str(folder), "--to", "archive-otio", "--out", str(out), "--jobs", "2", LANG="C", LC_ALL="C"
    )
    assert done.returncode == 0, done.stdout[-600:] + done.stderr[-600:]
    for stream in (done.stdout, done.stderr, (out / "batch summary.csv").read_bytes()):
        assert b"\x1b" not in stream and b"\xc2\x9b" not in stream and "\u202e".encode() not in stream
    missing = run(
        "inspect", os.fsdecode(b"no\xff\x1bfile.xml"), PYTHONUTF8="0", PYTHONCOERCECLOCALE="0", LC_ALL="C"
    )
    assert missing.returncode == 3 and b"\x1b" not in missing.stderr and missing.stderr.count(b"\n") == 1


@pytest.mark.parametrize(
    "what",
    [
        "inspect {0}",
        "compare {0} {cut}",
        "translate {cut} --to {0}.toml --out {out}",
        "tidy {cut} --recipe {0}.toml --out {out}",
        "bring-back {0}.wexo {cut} --to editing-track-xml --out {out}",
        "pull-list {0} --out {out}.csv",
        "media {0}",
    ],
)
def test_a_pipe_wherever_a_file_is_named_is_refused_at_once(demo: Path, tmp_path: Path, what: str) -> None:
    for suffix in ("", ".toml", ".wexo"):
        os.mkfifo(tmp_path / f"pipe{suffix}")
    line = [
        one.format(str(tmp_path / "pipe"), cut=demo / "kiln-night.xml", out=tmp_path / "out")
        for one in what.split()
    ]
    assert main(line) in (2, 3)
    assert main(["inspect", "/dev/zero"]) == 3 and main(["inspect", "/dev/null"]) == 3


@pytest.mark.parametrize("suffix", [".wexo", ".toml", ".otio", ".edl", ".ale"])
def test_bad_bytes_are_a_sentence(
    demo: Path, tmp_path: Path, suffix: str, capsys: pytest.CaptureFixture[str]
) -> None:
    path, cut, out = tmp_path / f"x{suffix}", str(demo / "kiln-night.xml"), str(tmp_path / "o.xml")
    for data in (b"\xff\xfe\x00", b"\x80" * 400, b'{"source": "\xff"}', b'{"a":' * 5000, b"name = \xff"):
        path.write_bytes(data)
        lines = {
            ".wexo": ["bring-back", str(path), cut, "--to", "editing-track-xml", "--out", out],
            ".toml": ["tidy", cut, "--recipe", str(path), "--out", out],
        }
        assert main(lines.get(suffix, ["inspect", str(path)])) in (2, 3)
        told = capsys.readouterr().err
        assert told.count("\n") == 1 and "Something went wrong" not in told


@pytest.mark.thorough
def test_zips_and_folders_are_taken_by_every_command_with_their_media(
    whole_demo: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    archive = tmp_path / "mail.zip"
    with zipfile.ZipFile(archive, "w") as opened:
        opened.write(whole_demo / "kiln-night.xml", "in/kiln-night.xml")
        for one in ("VO_04.wav", "A003C012.mov"):
            opened.write(whole_demo / "media" / one, f"in/media/{one}")
    before = sorted(tmp_path.iterdir())
    for line in (
        ["inspect", str(archive)],
        ["state", str(archive), "--at", "+10"],
        ["translate", str(archive), "--to", "archive-otio", "--out", str(tmp_path / "t.otio")],
        ["compare", str(archive), str(archive)],
        ["pull-list", str(archive), "--out", str(tmp_path / "p.csv")],
        ["tidy", str(archive), "--recipe", "Compositing", "--out", str(tmp_path / "r.xml")],
    ):
        assert main(line) == 0, line
    capsys.readouterr()
    assert main(["media", str(archive), "--json"]) == 0
    assert '"found": 2' in capsys.readouterr().out
    assert main(["translate", str(archive), "--to", "archive-otio", "--out", str(archive)]) == 4
    assert main(["batch", str(archive), "--to", "archive-otio", "--out", str(tmp_path / "b")]) == 0
    assert {one.name for one in tmp_path.iterdir()} >= {one.name for one in before}
    # Two in it: they are named, and one has to be said.
    with zipfile.ZipFile(archive, "a") as opened:
        opened.write(whole_demo / "kiln-night-graded.xml", "in/graded.xml")
    capsys.readouterr()
    assert main(["inspect", str(archive)]) == 3
    assert (
        "2 sequence files stand in it, name one: 'in/graded.xml', 'in/kiln-night.xml'"
        in capsys.readouterr().err
    )


def test_a_failed_run_leaves_an_older_report_alone_and_one_name_is_not_two_files(
    demo: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    report, cut = tmp_path / "r.html", str(demo / "kiln-night.xml")
    report.write_text("older")
    out = tmp_path / "out.fcpxml"
    out.mkdir()
    (out / "x").mkdir()
    target = tmp_path / "a file"
    target.write_text("")
    line = ["translate", cut, "--to", "editing-lane-xml", "--report", str(report), "--out"]
    assert main([*line, str(target / "below.fcpxml")]) == 4
    assert report.read_text() == "older"
    same = str(tmp_path / "same.json")
    assert main(["translate", cut, "--to", "archive-otio", "--out", same, "--report", same]) == 2
    assert not Path(same).exists() and "is what --out writes" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("path", "placed"),
    [
        ("/a/x", True),
        ("\\\\srv\\a", True),
        ("C:/x", True),
        ("C:\\x", True),
        ("file:///x", True),
        ("media/x", False),
        ("./x", False),
        ("E: /x", False),
    ],
)
def test_a_path_says_its_place_or_is_told_from_its_file(path: str, placed: bool) -> None:
    assert is_placed(path) is placed
