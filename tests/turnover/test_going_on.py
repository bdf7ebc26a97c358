"""A package that was stopped goes on where it stopped: what is whole is not made again."""

from __future__ import annotations

import errno
import os
import time
import zipfile
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest

from wexodos.carryover import Cancelled
from wexodos.formats import WriteError
from wexodos.ground import quiet, remains
from wexodos.turnover.package import begun, copying, make
from wexodos.turnover.package.begun import Begun
from wexodos.turnover.package.copying import Copy, copy_of
from wexodos.turnover.package.make import goes_on, write
from wexodos.turnover.package.verify import State, verified
from wexodos.turnover.write import Part

NOON = datetime(2026, 11, 30, 12, tzinfo=UTC)


class Room:
    """Two sources, a rendered part that counts how often it is made and remembers a word, a sequence."""

    def __init__(self, folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
        self.folder, self.place = folder, folder / "out"
        self.made: list[str] = []
        self.word = ""
        for name in ("one", "two"):
            (folder / f"{name}.mov").write_bytes(name.encode() * 1_000_000)
        plain = copying.copied

        def counted(source: Path, *rest: Any) -> str:
            self.made.append(source.name)
            return plain(source, *rest)

        monkeypatch.setattr(copying, "copied", counted)
        monkeypatch.setattr(begun, "WORTH", 1_000_000)

    def told(self) -> str:
        return self.word

    def recall(self, told: str) -> None:
        self.word = told.lower()

    def parts(self) -> list[Part | Copy]:
        def render(path: Path, _progress: object) -> None:
            self.made.append("rendered")
            self.word = "two filters are not drawn"
            path.write_bytes(b"rendered")

        return [
            Part("Kiln.xml", "sequence", b"<xmeml/>"),
            Part("Reference/Kiln.mov", "reference", b"", render, 8, memo=self),
            copy_of(self.folder / "one.mov", "Media/CARD1/one.mov"),
            copy_of(self.folder / "two.mov", "Media/two.mov"),
        ]

    def stopped_at(self, name: str, plan: str = "plan") -> None:
        def stop(what: str, _share: float) -> None:
            if what == f"writing {name}":
                raise Cancelled

        with pytest.raises(Cancelled):
            write(self.place, self.parts(), "out", NOON, stop, plan=plan)

    def gone_on_with(self, plan: str = "plan") -> list[str]:
        """What had to be made."""
        self.made.clear()
        write(self.place, self.parts(), "out", NOON, quiet, plan=plan)
        assert {one.state for one in verified(self.place, quiet)} == {State.EQUAL}
        assert (self.place / "Media/CARD1/one.mov").read_bytes() == b"one" * 1_000_000
        assert not Begun(self.place).folder.exists()
        return self.made


@pytest.fixture
def room(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Room:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    return Room(tmp_path, monkeypatch)


def test_what_is_whole_is_not_made_again(room: Room) -> None:
    room.stopped_at("Media/two.mov")
    assert room.made == ["rendered", "one.mov"] and not room.place.exists()
    kept = room.folder / ".out.begun"
    assert sorted(one.name for one in kept.rglob("*") if one.is_file()) == [
        "Kiln.mov",
        "begun.json",
        "one.mov",
    ]
    assert goes_on(room.place, room.parts(), "plan") == (2, 3_000_008)
    assert "2 files of it (2.9 MiB) are kept in" in Begun(room.place).words
    room.word = ""
    assert room.gone_on_with() == ["two.mov"] and room.word == "two filters are not drawn"
    assert (room.place / "Reference/Kiln.mov").read_bytes() == b"rendered"


def test_another_plan_or_source_is_made_anew(room: Room) -> None:
    room.stopped_at("Media/two.mov")
    os.utime(room.folder / "one.mov", (1_700_000_000, 1_700_000_000))
    assert goes_on(room.place, room.parts(), "another plan") == (0, 0)
    assert room.gone_on_with("another plan") == ["rendered", "one.mov", "two.mov"]


def test_stopped_twice_it_keeps_both_and_a_damaged_file_is_not_taken(room: Room) -> None:
    room.stopped_at("Media/CARD1/one.mov")
    # Eight bytes are not worth a folder.
    assert not Begun(room.place).folder.exists()
    room.stopped_at("Media/two.mov")
    room.stopped_at("Media/two.mov")
    assert goes_on(room.place, room.parts(), "plan")[0] == 2
    there = Begun(room.place).folder / "Media/CARD1/one.mov"
    data = bytearray(there.read_bytes())
    data[1_000_000] ^= 4
    there.write_bytes(data)
    with pytest.raises(WriteError, match=r"one\.mov: what was read back differs"):
        write(room.place, room.parts(), "out", NOON, quiet, plan="plan")
    assert not room.place.exists()
    assert "one.mov" in room.gone_on_with()


def test_stopped_sooner_than_before_it_keeps_what_it_had(room: Room) -> None:
    room.stopped_at("Media/two.mov")
    room.stopped_at("Media/CARD1/one.mov")
    assert room.gone_on_with() == ["two.mov"]


def test_a_full_disk_keeps_what_was_whole(room: Room, monkeypatch: pytest.MonkeyPatch) -> None:
    plain, seen = copying.copied, []

    def full(source: Path, known: Any, target: Any, progress: Any) -> str:
        if source.name == "two.mov":
            target.write(b"half")
            target.flush()
            raise OSError(errno.ENOSPC, "no space left on device")
        return plain(source, known, target, progress)

    written = Path.write_text

    def noted(path: Path, *rest: Any, **more: Any) -> int:
        # By then the half file has made room.
        if path.name == "begun.new":
            seen.append([one.name for one in room.folder.rglob("two.mov") if one.parent != room.folder])
        return written(path, *rest, **more)

    monkeypatch.setattr(copying, "copied", full)
    monkeypatch.setattr(Path, "write_text", noted)
    with pytest.raises(WriteError, match="no space left on device"):
        write(room.place, room.parts(), "out", NOON, quiet, plan="plan")
    assert seen == [[]] and goes_on(room.place, room.parts(), "plan")[0] == 2
    monkeypatch.setattr(copying, "copied", plain)
    assert room.gone_on_with() == ["two.mov"]


def test_a_journal_that_makes_no_sense_counts_as_none(room: Room) -> None:
    room.stopped_at("Media/two.mov")
    journal = Begun(room.place).folder / "begun.json"
    for words in ("", "[1]", '[{"path": "Media/two.mov"}]', "[" * 100_000):
        journal.write_text(words)
        assert Begun(room.place).words == ""
    assert room.gone_on_with() == ["rendered", "one.mov", "two.mov"]


def test_what_a_part_has_to_say_must_make_sense(room: Room) -> None:
    room.stopped_at("Media/two.mov")
    journal = Begun(room.place).folder / "begun.json"
    journal.write_text(journal.read_text().replace('"two filters are not drawn"', "7"))
    assert room.gone_on_with() == ["rendered", "two.mov"] and room.word == "two filters are not drawn"


def test_what_nobody_comes_back_to_goes_after_two_weeks(room: Room) -> None:
    room.stopped_at("Media/two.mov")
    kept = Begun(room.place).folder
    (note,) = (room.folder / "state/wexodos/unfinished").glob("*.begun")
    for days, stays in ((13, True), (15, False)):
        os.utime(note, (time.time() - days * 86400,) * 2)
        remains.clear_away()
        assert kept.exists() == stays
    assert not note.exists() and room.gone_on_with() == ["rendered", "one.mov", "two.mov"]


def test_what_is_kept_counts_as_room_on_the_disk(room: Room, monkeypatch: pytest.MonkeyPatch) -> None:
    room.stopped_at("Media/two.mov")
    monkeypatch.setattr(make, "free_space", lambda _folder: 3_000_008 + (1 << 20))
    assert room.gone_on_with() == ["two.mov"]
    monkeypatch.setattr(make, "free_space", lambda _folder: 3_000_007 + (1 << 20))
    elsewhere = [one for one in room.parts() if isinstance(one, Copy)]
    with pytest.raises(WriteError, match="are needed"):
        write(room.folder / "other", list(elsewhere), "other", NOON, quiet, plan="plan")


# ---- zips


class ZipRoom(Room):
    def __init__(self, folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
        super().__init__(folder, monkeypatch)
        self.place = folder / "out.zip"

    def gone_on_with(self, plan: str = "plan") -> list[str]:
        self.made.clear()
        write(self.place, self.parts(), "out", NOON, quiet, plan=plan)
        assert {one.state for one in verified(self.place, quiet)} == {State.EQUAL}
        with zipfile.ZipFile(self.place) as there:
            assert there.testzip() is None
            names = [one.filename for one in there.infolist()]
            assert len(names) == len(set(names)) == 6
            assert there.read("out/Media/CARD1/one.mov") == b"one" * 1_000_000
            assert there.read("out/Media/two.mov") == b"two" * 1_000_000
            assert there.read("out/Reference/Kiln.mov") == b"rendered"
            assert there.read("out/Kiln.xml") == b"<xmeml/>"
        # No byte between its files that belongs to none.
        assert self.place.stat().st_size < 6_000_000 + 8_000
        assert not Begun(self.place).folder.exists()
        # What is made goes in from beside it.
        return [one for one in self.made if one != "part"]


@pytest.fixture
def zipped(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> ZipRoom:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    return ZipRoom(tmp_path, monkeypatch)


@pytest.mark.parametrize("name", ["Media/two.mov", "Kiln.xml"])
def test_a_zip_goes_on_behind_what_is_whole(zipped: ZipRoom, name: str) -> None:
    zipped.stopped_at(name)
    assert not zipped.place.exists()
    there = 2 if name == "Media/two.mov" else 3
    assert goes_on(zipped.place, zipped.parts(), "plan")[0] == there
    zipped.word = ""
    assert zipped.gone_on_with() == (["two.mov"] if there == 2 else [])
    assert zipped.word == "two filters are not drawn"


def test_a_zip_stopped_at_its_very_end_or_again_goes_on_too(zipped: ZipRoom) -> None:
    def stop(what: str, _share: float) -> None:
        if what == "done":
            raise Cancelled

    with pytest.raises(Cancelled):
        write(zipped.place, zipped.parts(), "out", NOON, stop, plan="plan")
    assert goes_on(zipped.place, zipped.parts(), "plan")[0] == 3
    # Stopped sooner than before it keeps what it had.
    zipped.stopped_at("Media/CARD1/one.mov")
    assert goes_on(zipped.place, zipped.parts(), "plan")[0] == 3
    assert zipped.gone_on_with() == []


def test_a_zip_goes_on_as_far_as_it_is_made_of_the_same(zipped: ZipRoom) -> None:
    zipped.stopped_at("Kiln.xml")
    os.utime(zipped.folder / "one.mov", (1_700_000_000, 1_700_000_000))
    assert goes_on(zipped.place, zipped.parts(), "plan") == (1, 8)
    assert zipped.gone_on_with() == ["one.mov", "two.mov"]


def test_a_zip_whose_middle_was_damaged_is_not_gone_on_with(zipped: ZipRoom) -> None:
    zipped.stopped_at("Media/two.mov")
    there = Begun(zipped.place).folder / "begun.zip"
    data = bytearray(there.read_bytes())
    data[1_000_000] ^= 4
    there.write_bytes(data)
    with pytest.raises(WriteError, match=r"one\.mov: what was read back differs"):
        write(zipped.place, zipped.parts(), "out", NOON, quiet, plan="plan")
    assert not zipped.place.exists()
    assert "one.mov" in zipped.gone_on_with()
    zipped.place.unlink()
    # Nor one that is no zip any more.
    zipped.stopped_at("Media/two.mov")
    there.write_bytes(b"not a zip")
    assert zipped.gone_on_with() == ["rendered", "one.mov", "two.mov"]


def test_a_full_disk_keeps_the_beginning_of_a_zip(zipped: ZipRoom, monkeypatch: pytest.MonkeyPatch) -> None:
    plain = copying.copied

    def full(source: Path, known: Any, target: Any, progress: Any) -> str:
        if source.name == "two.mov":
            target.write(b"half" * 100_000)
            raise OSError(errno.ENOSPC, "no space left on device")
        return plain(source, known, target, progress)

    monkeypatch.setattr(copying, "copied", full)
    with pytest.raises(WriteError, match="no space left on device"):
        write(zipped.place, zipped.parts(), "out", NOON, quiet, plan="plan")
    kept = Begun(zipped.place).folder / "begun.zip"
    assert kept.stat().st_size < 3_002_000
    monkeypatch.setattr(copying, "copied", plain)
    assert zipped.gone_on_with() == ["two.mov"]
