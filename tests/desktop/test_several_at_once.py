"""Several sequences at once, and whole folders: worked by clicks and keys."""

from __future__ import annotations

import json
import shutil
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from desktop.test_window_by_hand import opened, settled
from wexodos.carryover import rows
from wexodos.demo.build import CUT, REELS
from wexodos.desktop.batching import Batching, Stage
from wexodos.desktop.shell import Shell
from wexodos.desktop.stops.turnover import Stage as Writing
from wexodos.formats import read_file
from wexodos.job import load
from wexodos.tidy import find_recipe
from wexodos.turnover import batch as batches

LEFT = Qt.MouseButton.LeftButton
NAMES = ["Kiln Night R1", "Kiln Night R2", "Kiln Night R3", "Kiln Night selects"]


def tick(qtbot: QtBot, shell: Shell, name: str) -> None:
    """Click the tick of a sequence at Intake."""
    table = shell.intake.sequences
    row = [one[0].name for one in table.visible_rows()].index(name)
    place = table.visualRect(table.proxy.index(row, 0))
    qtbot.mouseClick(table.viewport(), LEFT, pos=place.topLeft() + QPoint(15, place.height() // 2))


def tabs(shell: Shell) -> list[str]:
    bar = shell.reel_bar.tabs
    return [bar.tabText(place) for place in range(bar.count())] if shell.reel_bar.isVisible() else []


def looked_at(shell: Shell) -> str:
    """The name of the sequence that is looked at; its pictures can be seen."""
    taken, side = shell.session.taken, shell.session.side
    assert taken is not None and side is not None and side.sequence.name == taken.sequence.name
    assert taken.seen is not None and side.seen is not None and side.seen.sequence is side.sequence
    return taken.sequence.name


def test_several_sequences_go_over_together(qtbot: QtBot, shell: Shell, demo: Path, tmp_path: Path) -> None:
    session = shell.session
    opened(qtbot, shell, demo / REELS)
    # One goes alone, the first of the file; another that is clicked goes in its place.
    assert [one.name for one in session.reels.going()] == ["Kiln Night R2"] and tabs(shell) == []
    tick(qtbot, shell, "Kiln Night R2")
    assert [one.name for one in session.reels.going()] == ["Kiln Night R2"]
    qtbot.mouseClick(shell.intake.every, LEFT)
    tick(qtbot, shell, "Kiln Night selects")
    settled(qtbot, shell)
    assert [one.name for one in session.reels.going()] == NAMES[:3]
    assert shell.intake.going.text() == "3 go over together" and looked_at(shell) == "Kiln Night R2"
    # What each costs in the whole, in their order; what all of them cost is the sum of it.
    carried = session.reels.carried
    assert [one.sequence.name for one in carried] == NAMES[:3]
    alone = [one.alone for one in session.reels.all() if one.alone is not None]
    assert carried[0] is alone[0] and sum(one.minutes for one in carried) < sum(one.minutes for one in alone)
    assert tabs(shell) == [f"{one.sequence.name}   {one.minutes:g} min" for one in carried]
    whole = round(sum(one.minutes for one in carried), 1)
    left = sum(one.counts["left behind"] for one in carried)
    assert shell.reel_bar.words.text() == f"3 together: {left} left behind, {whole:g} min repair"
    assert session.carried is carried[1]
    # The badge counts what is open in all of them.
    waiting = [sum(row.open for row in rows(one.findings)) for one in carried]
    assert shell.carry.open_count()[0] == sum(waiting) > waiting[1] > 0
    things = sum(one.things for one in carried)
    assert shell.status.text().endswith(
        f"{things} of {things} things of 3 sequences accounted for, no silent loss"
    )

    assert looked_at(shell) == "Kiln Night R2"

    # Tabs and keys lead from one to the other; nothing is worked out anew, and it is nothing to undo.
    shell.go_to("Carry-over")
    past = len(session.job.past) if session.job is not None else -1
    qtbot.mouseClick(shell.reel_bar.tabs, LEFT, pos=shell.reel_bar.tabs.tabRect(2).center())
    assert looked_at(shell) == "Kiln Night R3" and session.carried is carried[2]
    assert session.job is not None and len(session.job.past) == past
    qtbot.keyClick(shell, Qt.Key.Key_PageUp, Qt.KeyboardModifier.ControlModifier)
    assert looked_at(shell) == "Kiln Night R2" and session.carried is carried[1]
    assert not session.tasks.working_at("carrying over")
    # The next finding after the last is the first of the next sequence, and before it the last of this one.
    shown = shell.carry.table.visible_rows()
    shell.carry.go(shown[-1])
    qtbot.keyClick(shell, Qt.Key.Key_N)
    assert looked_at(shell) == "Kiln Night R3"
    assert shell.carry.table.current_row() is shell.carry.table.visible_rows()[0]
    qtbot.keyClick(shell, Qt.Key.Key_N, Qt.KeyboardModifier.ShiftModifier)
    assert looked_at(shell) == "Kiln Night R2"
    assert shell.carry.table.current_row() is shell.carry.table.visible_rows()[-1]

    # Behind the last of all comes the first of all.
    qtbot.mouseClick(shell.reel_bar.tabs, LEFT, pos=shell.reel_bar.tabs.tabRect(2).center())
    shell.carry.go(shell.carry.table.visible_rows()[-1])
    qtbot.keyClick(shell, Qt.Key.Key_N)
    assert looked_at(shell) == "Kiln Night R1"
    qtbot.mouseClick(shell.reel_bar.tabs, LEFT, pos=shell.reel_bar.tabs.tabRect(1).center())

    # What is decided is decided for all of them.
    session.decide(tidy=find_recipe("Grading").steps)
    settled(qtbot, shell)
    assert all(one.sequence.id.endswith("tidy") for one in session.reels.carried)
    session.undo()
    settled(qtbot, shell)
    assert [one.sequence.name for one in session.reels.carried] == NAMES[:3]
    session.decide(destination="mixing-aaf-linked")
    settled(qtbot, shell)
    assert {one.destination.id for one in session.reels.carried} == {"mixing-aaf-linked"}
    session.undo()
    settled(qtbot, shell)

    # Where a book of one of them does not balance, none is written.
    last = session.reels.all()[2]
    whole_one = last.carried
    shell.turnover.folder.setText(str(tmp_path))
    assert whole_one is not None and shell.turnover.main_action()[1]
    last.carried = replace(whole_one, findings=(replace(whole_one.findings[0], explained=False),))
    assert not shell.turnover.main_action()[1]
    last.carried = whole_one

    # They are written into one folder, with one report; looking at another one changes nothing in that.
    shell.go_to("Turnover")
    settled(qtbot, shell)
    shell.turnover.folder.setText(str(tmp_path / "out"))
    qtbot.mouseClick(shell.header.main, LEFT)
    qtbot.waitUntil(lambda: shell.turnover.stage is Writing.WRITTEN, timeout=20_000)
    assert sorted(one.name for one in (tmp_path / "out").iterdir()) == [
        *(f"{name}.fcpxml" for name in NAMES[:3]),
        "kiln-night-reels report.html",
        "kiln-night-reels report.json",
    ]
    report = json.loads((tmp_path / "out" / "kiln-night-reels report.json").read_text())
    assert [one["source"]["sequence"] for one in report["sequences"]] == NAMES[:3]
    assert report["budget_minutes"] == pytest.approx(whole)
    qtbot.mouseClick(shell.reel_bar.tabs, LEFT, pos=shell.reel_bar.tabs.tabRect(0).center())
    assert looked_at(shell) == "Kiln Night R1" and not shell.turnover.stale
    assert "Written, read back and found equal" in shell.turnover.state.text()

    # The job remembers them, and the next version of the file is asked for its namesakes.
    session.save()
    assert session.job_file is not None and len(load(session.job_file).now.sequences) == 3
    newer = tmp_path / "reels v2.xml"
    newer.write_text((demo / REELS).read_text().replace("Kiln Night R3<", "Kiln Night R3 locked<"))
    session.open_version(newer)
    qtbot.waitUntil(lambda: session.path == newer, timeout=20_000)
    settled(qtbot, shell)
    assert [one.name for one in session.reels.going()] == NAMES[:2]
    assert "has no sequence named Kiln Night R3" in shell.status.text()
    shell.go_to("Intake")
    qtbot.mouseClick(shell.intake.only, LEFT)
    settled(qtbot, shell)
    assert tabs(shell) == [] and len(session.reels.going()) == 1


@pytest.mark.thorough
def test_one_that_does_not_go_over_can_be_looked_at(qtbot: QtBot, shell: Shell, demo: Path) -> None:
    session = shell.session
    opened(qtbot, shell, demo / REELS)
    for name in ("Kiln Night R1", "Kiln Night R3"):
        tick(qtbot, shell, name)
    settled(qtbot, shell)
    table = shell.intake.sequences
    row = [one[0].name for one in table.visible_rows()].index("Three fires")
    qtbot.mouseClick(table.viewport(), LEFT, pos=table.visualRect(table.proxy.index(row, 1)).center())
    settled(qtbot, shell)
    assert looked_at(shell) == "Three fires"
    assert [one.name for one in session.reels.going()] == NAMES[:3]
    assert tabs(shell)[3] == "Three fires   does not go over" and len(tabs(shell)) == 4
    # Reached by key, the space bar sets a tick too; after a click it plays.
    qtbot.keyClick(table, Qt.Key.Key_Space)
    assert len(session.reels.going()) == 3
    shell.player.stop()
    shell.intake.only.setFocus()
    table.setCurrentIndex(table.proxy.index(row, 3))
    table.setFocus(Qt.FocusReason.TabFocusReason)
    qtbot.keyClick(table, Qt.Key.Key_Space)
    settled(qtbot, shell)
    assert [one.name for one in session.reels.going()] == [*NAMES[:3], "Three fires"]
    # Media are those of all of them: the nest's own and the reels', each once.
    names = [row.media.file_name for row in session.media]
    assert len(names) == len(set(names)) > 15
    # One that cannot go because of what was decided is named, and nothing is written.
    session.decide(destination="mixing-aaf-linked")
    settled(qtbot, shell)
    assert session.contradiction is not None
    assert session.contradiction.words.startswith("Three fires: The cut has no sound")
    assert shell.notice.isVisible() and not shell.turnover.main_action()[1]


@pytest.mark.thorough
def test_a_second_window_looks_at_all_of_them(qtbot: QtBot, shell: Shell, demo: Path) -> None:
    opened(qtbot, shell, demo / REELS)
    qtbot.mouseClick(shell.intake.every, LEFT)
    settled(qtbot, shell)
    shell.session.save()
    kept = shell.session.job_file
    assert kept is not None
    before = load(kept)
    other = Shell(shell.settings)
    qtbot.addWidget(other, before_close_func=lambda one: one.session.tasks.finish())
    other.show()
    other.open(demo / REELS)
    settled(qtbot, other)
    assert other.session.looking and tabs(other) == tabs(shell)
    qtbot.keyClick(other, Qt.Key.Key_PageDown, Qt.KeyboardModifier.ControlModifier)
    settled(qtbot, other)
    assert looked_at(other) == "Kiln Night R3" and looked_at(shell) == "Kiln Night R2"
    # To choose others is a decision.
    qtbot.mouseClick(other.intake.only, LEFT)
    assert len(other.session.reels.going()) == 4 and "another window" in other.status.text()
    other.session.save()
    assert load(kept) == before


def test_stopping_leaves_the_others_to_be_worked_out_when_they_are_wanted(
    qtbot: QtBot, shell: Shell, demo: Path
) -> None:
    session = shell.session
    opened(qtbot, shell, demo / REELS)
    qtbot.mouseClick(shell.intake.every, LEFT)
    qtbot.waitUntil(lambda: session.tasks.working_at("the other sequences"), timeout=20_000)
    session.tasks.stop_all()
    qtbot.waitUntil(lambda: session.tasks.quiet, timeout=20_000)
    assert session.reels.waiting and "worked out" in shell.reel_bar.words.text()
    assert not shell.turnover.main_action()[1]
    shell.go_to("Turnover")
    settled(qtbot, shell)
    assert not session.reels.waiting and shell.turnover.main_action()[1]


@pytest.mark.parametrize(
    "name, destination",
    [
        ("Kiln Night R1", "grading-lane-xml"),
        ("Kiln Night R2", "grading-track-xml"),
        ("Kiln Night R3", "grading-lane-xml"),
        ("Kiln Night selects", "cut-list-edl"),
    ],
)
@pytest.mark.thorough
def test_every_remedy_is_clicked_and_undone(
    qtbot: QtBot, shell: Shell, demo: Path, name: str, destination: str
) -> None:
    session = shell.session
    opened(qtbot, shell, demo / REELS, destination)
    session.look_at(next(one.id for one in session.document.top_level if one.name == name))
    settled(qtbot, shell)
    shell.go_to("Carry-over")

    def plan() -> dict[str, tuple[str, str]]:
        return {
            one.key: (one.fate.value, one.remedy.value if one.remedy else "")
            for one in session.carried.findings
        }

    before, tried = plan(), 0
    kinds = {(one.kind, one.what): one.key for one in session.carried.findings if len(one.remedies) > 1}
    for key in kinds.values():
        chosen = before[key][1]
        finding = next(one for one in session.carried.findings if one.key == key)
        for remedy in finding.remedies:
            if remedy.value == chosen:
                continue
            shell.carry.go(next(one for one in session.carried.findings if one.key == key))
            words = {"adapt": "Adapt", "note": "Note in a marker", "leave": "Leave behind", "bake": "Bake"}[
                remedy.value
            ]
            button = [
                one for one in shell.carry.facts.buttons.findChildren(QPushButton) if one.text() == words
            ][-1]
            qtbot.mouseClick(button, LEFT)
            settled(qtbot, shell)
            there = plan()
            assert there[key][1] == remedy.value, (key, remedy)
            # What it says there is another fate, but where both leave it behind.
            assert there[key][0] != before[key][0] or there[key][0] == "left behind", (key, remedy)
            # Nothing changes but at its own clip, and at the track that is empty without it.
            own = key.rpartition("|")[2]

            def elsewhere(plan: dict[str, tuple[str, str]], own: str = own) -> dict[str, tuple[str, str]]:
                return {
                    one: fate
                    for one, fate in plan.items()
                    if not one.endswith(own) and not one.startswith("track|track|")
                }

            assert elsewhere(there) == elsewhere(before)
            qtbot.keyClick(shell, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
            settled(qtbot, shell)
            assert plan() == before, (key, remedy)
            tried += 1
    assert tried >= 2


# ---- a whole folder


@pytest.fixture
def archive(demo: Path, tmp_path: Path) -> Path:
    """A folder of old files: three that can be read, one that cannot, and a note."""
    folder = tmp_path / "archive"
    (folder / "film").mkdir(parents=True)
    for number in (1, 2):
        shutil.copy(demo / REELS, folder / "film" / f"reels {number}.xml")
    shutil.copy(demo / CUT, folder)
    (folder / "cut short.xml").write_bytes((demo / CUT).read_bytes()[:4000])
    (folder / "notes.txt").write_text("fire at ten")
    return folder


def dialog(qtbot: QtBot, shell: Shell) -> Batching:
    qtbot.keyClick(
        shell, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    )
    assert shell.batching is not None and shell.batching.isVisible()
    return shell.batching


def typed(qtbot: QtBot, field: QWidget, words: str) -> None:
    field.setFocus()
    QApplication.clipboard().setText(words)
    qtbot.keyClick(field, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    qtbot.keyClick(field, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)


@pytest.mark.thorough
def test_a_whole_folder_is_carried_over_stopped_and_gone_on_with(
    qtbot: QtBot, shell: Shell, archive: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("wexodos.desktop.batching.processors", lambda: 1)
    out = tmp_path / "out"
    one = dialog(qtbot, shell)
    assert not one.main.isEnabled() and one.words.text() == "Choose the folder that holds the files."
    typed(qtbot, one.source, str(tmp_path / "nowhere"))
    assert "there is no such folder" in one.words.text()
    typed(qtbot, one.source, str(archive))
    typed(qtbot, one.target, str(archive))
    assert not one.main.isEnabled() and "another folder" in one.words.text()
    typed(qtbot, one.target, str(out))
    one.destination.setCurrentIndex(one.destination.findData("archive-otio"))
    assert one.main.isEnabled() and one.main.text() == "Start"
    qtbot.mouseClick(one.main, LEFT)
    assert one.stage is Stage.RUNNING and one.main.text() == "Stop" and not one.source.isEnabled()
    # Stopped after the second file: what was done stays done.
    qtbot.waitUntil(lambda: len(one.rows) >= 2, timeout=180_000)
    qtbot.mouseClick(one.main, LEFT)
    qtbot.waitUntil(lambda: one.stage is not Stage.RUNNING, timeout=180_000)
    assert one.stage is Stage.STOPPED and one.words.text().startswith("Stopped. ")
    assert one.main.text() == "Go on" and 2 <= len(one.rows) < 4
    done = {row["file"] for row in one.rows.values() if row["status"] == "done"}
    assert not list(out.rglob(".*"))
    qtbot.mouseClick(one.main, LEFT)
    qtbot.waitUntil(lambda: one.stage is Stage.ENDED, timeout=180_000)
    rows = {row["file"]: (row["status"], bool(row.get("before"))) for row in one.rows.values()}
    assert {name: status for name, (status, _) in rows.items()} == {
        "cut short.xml": "cannot be read",
        "film/reels 1.xml": "done",
        "film/reels 2.xml": "done",
        CUT: "done",
        "notes.txt": "passed over",
    }
    assert {name for name, (_, before) in rows.items() if before} == done
    # What went wrong stands first.
    assert one.table.visible_rows()[0]["file"] == "cut short.xml"
    assert (
        "1 file could not be carried over" in one.words.text()
        and "1 other file passed over" in one.words.text()
    )
    assert len(read_file(out / "film" / "reels 1 - Kiln Night R1 2.otio").top_level) == 1
    # Another window finds what was done, and another destination is another batch.
    one.close()
    fresh = Batching(shell.session, shell.settings)
    qtbot.addWidget(fresh)
    assert fresh.source.text() == str(archive) and fresh.main.text() == "Go on"
    assert fresh.words.text().startswith(
        "An earlier run has been here: 3 files carried over; 1 file could not"
    )
    fresh.destination.setCurrentIndex(fresh.destination.findData("cut-list-edl"))
    assert fresh.rows == {} and fresh.main.text() == "Start"


def test_results_that_cannot_be_written_are_one_sentence(
    qtbot: QtBot, shell: Shell, archive: Path, tmp_path: Path
) -> None:
    one = dialog(qtbot, shell)
    (tmp_path / "file").write_text("mine")
    typed(qtbot, one.source, str(archive))
    typed(qtbot, one.target, str(tmp_path / "file"))
    assert not one.main.isEnabled() and one.words.text().endswith("this is a file.")
    typed(qtbot, one.target, str(tmp_path / "file" / "below"))
    qtbot.mouseClick(one.main, LEFT)
    qtbot.waitUntil(lambda: one.stage is Stage.FAILED, timeout=20_000)
    assert "cannot be made" in one.words.text() and one.main.isEnabled()
    assert batches.STATE not in {path.name for path in tmp_path.rglob("*")}
