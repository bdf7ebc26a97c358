"""A package that was stopped goes on where it stopped: what is whole is not made again."""

from __future__ import annotations

import errno
import os
import time
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest

from wexodos.carryover import Cancelled
from wexodos.formats import WriteError
from wexodos.ground import quiet, remains
from wexodos.turnover.package import begun, make
from wexodos.turnover.package.begun import Begun
from wexodos.turnover.package.make import Copy, copy_of, goes_on, write
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
        plain = make.copied

        def counted(source: Path, *rest: Any) -> str:
            self.made.append(source.name)
            return plain(source, *rest)

        monkeypatch.setattr(make, "copied", counted)
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
    plain, seen = make.copied, []

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

    monkeypatch.setattr(make, "copied", full)
    monkeypatch.setattr(Path, "write_text", noted)
    with pytest.raises(WriteError, match="no space left on device"):
        write(room.place, room.parts(), "out", NOON, quiet, plan="plan")
    assert seen == [[]] and goes_on(room.place, room.parts(), "plan")[0] == 2
    monkeypatch.setattr(make, "copied", plain)
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
