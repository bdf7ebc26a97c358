"""Files that are no files, names that steer terminals, cells that are formulas; what is unfinished is on
record."""

from __future__ import annotations

import csv
import gc
import io
import json
import os
import socket
import subprocess
import sys
import threading
from pathlib import Path

import pytest

from wexodos.ground import Delivery, read_text, read_whole, remains, write_file
from wexodos.ground.errors import ReadError, WriteError
from wexodos.ground.names import guarded, json_text, safe_name, size_words, table_bytes, visible


@pytest.fixture
def state(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    # What tests before this one still hold stands on another record.
    for name, value in (("_open", set()), ("_number", None), ("_file", None)):
        monkeypatch.setattr(remains._RECORD, name, value)
    return tmp_path / "state" / "wexodos" / "unfinished"


def specials(folder: Path) -> list[Path]:
    os.mkfifo(folder / "pipe.xml")
    with socket.socket(socket.AF_UNIX) as one:
        one.bind(str(folder / "s.xml"))
    (folder / "zero.xml").symlink_to("/dev/zero")
    (folder / "gone.xml").symlink_to(folder / "nowhere")
    (folder / "sub.xml").mkdir()
    return sorted(folder.iterdir())


def test_what_is_no_ordinary_file_is_refused_before_it_is_opened(tmp_path: Path) -> None:
    for path in specials(tmp_path):
        with pytest.raises(ReadError, match=path.name):
            read_whole(path, 100)


def test_lengths_are_counted_not_believed(tmp_path: Path) -> None:
    # A file of the system that tells a length of nought and has a text.
    assert Path("/proc/self/status").stat().st_size == 0
    assert b"Name:" in read_whole(Path("/proc/self/status"), 1 << 20)
    (tmp_path / "a").write_bytes(b"x" * 101)
    assert len(read_whole(tmp_path / "a", 101)) == 101
    with pytest.raises(ReadError, match="larger than 100 bytes"):
        read_whole(tmp_path / "a", 100)
    (tmp_path / "b").write_bytes(b"caf\xe9")
    with pytest.raises(ReadError, match=r"b: this is no text in UTF-8 \(byte 3\)"):
        read_text(tmp_path / "b")


@pytest.mark.parametrize(
    ("cell", "made"),
    [
        ("=1+1", "'=1+1"),
        ("+1", "'+1"),
        ("@sum", "'@sum"),
        ("\t=x", "'\t=x"),
        ("-cmd", "'-cmd"),
        ("-6 dB", "'-6 dB"),
        ("-6", "-6"),
        ("-6.5", "-6.5"),
        ("01:00:00:00", "01:00:00:00"),
        ("plain", "plain"),
        ("", ""),
        (7, 7),
        ("a\x1bb", "a␛b"),
    ],
)
def test_a_cell_is_no_formula(cell: object, made: object) -> None:
    assert guarded(cell) == made
    row = next(csv.reader(io.StringIO(table_bytes([[cell]]).decode() or "\n")), [""])
    assert (row or [""])[0] == str(made)


def test_names_neither_steer_a_terminal_nor_turn_round() -> None:
    assert visible("a\x1b[31mb\x07\n\u202ec\x9b\udcff") == "a␛[31mb␇␊�c��"
    assert visible("a\tb\nc", True) == "a\tb\nc"
    # The same letters come out again, spelled so that no terminal acts on them.
    text = json_text({"n": "\x1b \x9b \u202e é \udcff"})
    assert "\x9b" not in text and "\u202e" not in text and "é" in text and "\\u009b" in text


@pytest.mark.parametrize(
    ("name", "made"),
    [
        ("Kiln Night", "Kiln Night"),
        ("CON", "CON-"),
        ("con.2", "con-.2"),
        ("console", "console"),
        ("lpt1", "lpt1-"),
        ("a/b\\c:d", "a-b-c-d"),
        ("..", "sequence"),
        (" . ", "sequence"),
        ("ä" * 200, "ä" * 100),
        ("tail.", "tail"),
    ],
)
def test_a_file_name_fits_every_system(name: str, made: str) -> None:
    assert safe_name(name) == made


def test_sizes_in_words() -> None:
    assert [size_words(one) for one in (0, 1, 1023, 1024, 1536, 1 << 20, 5 << 30)] == [
        "0 bytes", "1 byte", "1023 bytes", "1.0 KiB", "1.5 KiB", "1.0 MiB", "5.0 GiB",
    ]  # fmt: skip


def test_a_delivery_arrives_whole_or_not_at_all(state: Path, tmp_path: Path) -> None:
    folder = tmp_path / "out"
    folder.mkdir()
    (folder / "mix.aaf").write_text("old")
    with Delivery() as delivery:
        delivery.place(folder, "mix.aaf").write_text("new")
        delivery.place(folder, "mix media/1.wav").write_text("sound")
        assert (folder / "mix.aaf").read_text() == "old" and not (folder / "mix media").exists()
        delivery.arrive()
    assert (folder / "mix.aaf").read_text() == "new" and (
        folder / "mix media" / "1.wav"
    ).read_text() == "sound"
    assert sorted(one.name for one in folder.iterdir()) == ["mix media", "mix.aaf"]
    # The last move fails, as a folder has taken the place: the sound that had arrived goes back.
    (folder / "mix.aaf").unlink()
    (folder / "mix.aaf").mkdir()
    with pytest.raises(WriteError, match="is a directory"), Delivery() as delivery:
        delivery.place(folder, "mix.aaf").write_text("newer")
        delivery.place(folder, "mix media/1.wav").write_text("other sound")
        delivery.place(folder, "new media/2.wav").write_text("second")
        delivery.arrive()
    assert (folder / "mix media" / "1.wav").read_text() == "sound"
    assert sorted(one.name for one in folder.iterdir()) == ["mix media", "mix.aaf"]
    assert not list(state.iterdir())


KILLED = """
import os, signal, sys
from pathlib import Path
from wexodos.ground import Delivery, remains
folder, stage = Path(sys.argv[1]), sys.argv[2]
delivery = Delivery()
delivery.place(folder, "mix.aaf").write_text("new")
delivery.place(folder, "mix media/1.wav").write_text("sound")
owner = object.__new__(type("Owner", (), {}))
remains.scratch_folder(owner, "sound").joinpath("x.wav").write_text("x")
if stage == "moving":
    replace = os.replace
    def once(a, b):
        replace(a, b)
        os.kill(os.getpid(), signal.SIGKILL)
    os.replace = once
    delivery.arrive()
os.kill(os.getpid(), signal.SIGKILL)
"""


@pytest.mark.parametrize(("stage", "arrives"), [("making", False), ("moving", True)])
def test_the_next_start_ends_what_a_kill_cut_short(
    state: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, stage: str, arrives: bool
) -> None:
    folder, scratch = tmp_path / "out", tmp_path / "tmp"
    folder.mkdir()
    scratch.mkdir()
    monkeypatch.setenv("TMPDIR", str(scratch))
    (folder / "mix.aaf").write_text("old")
    # It names its places from the folder it stands in; the next start stands elsewhere.
    subprocess.run([sys.executable, "-c", KILLED, "out", stage], check=False, cwd=tmp_path)
    assert list(scratch.iterdir()) and list(state.iterdir())
    assert remains.clear_away() >= 1
    assert not list(scratch.iterdir()) and not list(state.iterdir())
    assert (folder / "mix.aaf").read_text() == ("new" if arrives else "old")
    names = [str(one.relative_to(folder)) for one in sorted(folder.rglob("*"))]
    assert names == (["mix media", "mix media/1.wav", "mix.aaf"] if arrives else ["mix.aaf"])


def test_a_living_process_keeps_what_it_makes_and_a_record_removes_nothing_else(
    state: Path, tmp_path: Path
) -> None:
    mine = tmp_path / ".mine.part"
    remains.begun(mine)
    mine.write_text("half")
    assert remains.clear_away() == 0 and mine.exists()
    # A record that was tampered with names what is not ours.
    (tmp_path / "precious").write_text("x")
    (state / "1-aa.record").write_text(f'{{"made": "{tmp_path / "precious"}"}}\n{{"made": "{mine}')
    assert remains.clear_away() == 0 and (tmp_path / "precious").exists()
    remains.removed(mine)
    remains.finished(mine)
    assert not list(state.iterdir())


def test_a_file_is_written_in_a_folder_of_long_names_and_nothing_is_left(state: Path, tmp_path: Path) -> None:
    target = tmp_path / ("ü" * 125 + ".xml")
    write_file(target, b"data")
    assert target.read_bytes() == b"data" and [one.name for one in tmp_path.iterdir()] != []
    os.chmod(target, 0o600)
    with pytest.raises(WriteError, match="cannot be written"):
        write_file(tmp_path / "no folder" / "a", b"")
    assert not list(state.iterdir())


def test_the_file_that_refers_to_the_others_arrives_last(
    state: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    order: list[str] = []
    replace = os.replace

    def noted(one: os.PathLike[str], other: os.PathLike[str]) -> None:
        order.append(Path(other).name)
        replace(one, other)

    monkeypatch.setattr("wexodos.ground.delivery.os.replace", noted)
    with Delivery() as delivery:
        for name in ("mix.aaf", "mix media/1.wav", "report.html"):
            delivery.place(tmp_path, name).write_text(name)
        delivery.arrive()
    assert order == ["report.html", "mix media", "mix.aaf"]


def test_a_delivery_that_went_back_is_not_moved_by_the_next_start(state: Path, tmp_path: Path) -> None:
    stage = tmp_path / ".mix.1-aa.part"
    stage.mkdir()
    (stage / "mix.aaf").write_text("half")
    state.mkdir(parents=True)
    lines = [
        {"made": str(stage)},
        {"moving": [[str(stage / "mix.aaf"), str(tmp_path / "mix.aaf")]]},
        {"moved": True},
    ]
    (state / "1-aa.record").write_text("\n".join(map(json.dumps, lines)) + "\n")
    assert remains.clear_away() == 1
    assert not stage.exists() and not (tmp_path / "mix.aaf").exists()


def test_what_is_collected_while_something_is_put_on_record_does_not_wait_for_itself(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A scratch folder goes with its owner, whenever that is collected: also in the thread that is just writing
    down something else."""
    for name in ("XDG_STATE_HOME", "TMPDIR"):
        monkeypatch.setenv(name, str(tmp_path))
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    record = remains.Record()
    for name in ("add", "drop"):
        monkeypatch.setattr(remains, {"add": "begun", "drop": "finished"}[name], getattr(record, name))

    class Owner:
        pass

    def abandoned() -> Path:
        owner = Owner()
        owner.itself = owner  # type: ignore[attr-defined]
        return remains.scratch_folder(owner, "made")

    dumps, folders = json.dumps, [abandoned()]

    def collecting(told: object) -> str:
        monkeypatch.setattr(remains.json, "dumps", dumps)
        gc.collect()
        return dumps(told)

    monkeypatch.setattr(remains.json, "dumps", collecting)
    part = tmp_path / ".cut.part"
    worker = threading.Thread(target=record.add, args=(part,), daemon=True)
    worker.start()
    worker.join(20)
    assert not worker.is_alive() and not folders[0].exists()
    # The record still names what was being written down.
    (file,) = (tmp_path / "wexodos/unfinished").glob("*.record")
    assert str(part) in file.read_text()
    record.drop(part)
    assert not file.exists()


def test_a_folder_for_a_while_is_on_record_as_long_as_it_lasts(
    state: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    with pytest.raises(ValueError, match="enough"), remains.scratch("trial") as folder:
        (folder / "a.mov").write_bytes(b"a")
        (record,) = state.glob("*.record")
        assert str(folder) in record.read_text()
        raise ValueError("enough")
    assert not folder.exists() and not record.exists()
