"""Packages are written, read back, and leave nothing behind when they fail."""

from __future__ import annotations

from pathlib import Path

import pytest

from wexodos.carryover import Cancelled, carry_over
from wexodos.carryover.sounding import nowhere
from wexodos.destinations import find_destination
from wexodos.formats import WriteError
from wexodos.model import Document
from wexodos.turnover import Part, write_package
from wexodos.turnover.several import Leaving, planned


def test_a_package_of_the_demo(kiln_night: Document, tmp_path: Path) -> None:
    carried = carry_over(kiln_night, kiln_night.top_level[0], find_destination("grading-lane-xml"))
    leaving = Leaving(carried, [], nowhere)
    parts = planned([leaving], "kiln-night.xml", (".html", ".json", ".csv", ".pdf"))
    steps: list[str] = []
    written = write_package(parts, tmp_path, None, lambda what, _share: steps.append(what))
    assert [one.path.name for one in written] == [part.name for part in parts]
    assert all(one.path.read_bytes() == part.data for one, part in zip(written, parts))
    assert steps[-1] == "done"


def test_a_stopped_or_failed_package_takes_its_files_away(tmp_path: Path) -> None:
    parts = [Part("a.xml", "a", b"1"), Part("b.xml", "b", b"2")]

    def stop(what: str, _share: float) -> None:
        if "b.xml" in what:
            raise Cancelled

    with pytest.raises(Cancelled):
        write_package(parts, tmp_path, None, stop)
    assert list(tmp_path.iterdir()) == []
    (tmp_path / "b.xml").mkdir()
    with pytest.raises(WriteError):
        write_package(parts, tmp_path, None, lambda *_: None)
    assert [one.name for one in tmp_path.iterdir()] == ["b.xml"]
    with pytest.raises(WriteError, match="no such folder"):
        write_package(parts, tmp_path / "gone", None, lambda *_: None)


def test_the_source_is_never_overwritten(tmp_path: Path) -> None:
    source = tmp_path / "cut.xml"
    source.write_bytes(b"mine")
    with pytest.raises(WriteError, match="never changed"):
        write_package([Part("cut.xml", "x", b"new")], tmp_path, source, lambda *_: None)
    assert source.read_bytes() == b"mine"


def test_where_nobody_knows_the_free_space_it_is_tried(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("wexodos.turnover.write.free_space", lambda _folder: None)
    write_package([Part("cut.xml", "x", b"new")], tmp_path, None, lambda *_: None)
    assert (tmp_path / "cut.xml").read_bytes() == b"new"
    # 65 536 bytes are kept free besides.
    monkeypatch.setattr("wexodos.turnover.write.free_space", lambda _folder: 65_536 + 3)
    write_package([Part("cut.xml", "x", b"old")], tmp_path, None, lambda *_: None)
    with pytest.raises(WriteError, match="bytes are needed"):
        write_package([Part("cut.xml", "x", b"more")], tmp_path, None, lambda *_: None)
    assert (tmp_path / "cut.xml").read_bytes() == b"old"
