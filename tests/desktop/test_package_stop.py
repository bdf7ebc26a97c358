"""The package in the window: what it will be is seen, chosen part by part, made, paused, stopped, checked."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QApplication, QComboBox, QPushButton
from pytestqt.qtbot import QtBot

from wexodos.demo.build import CUT, REELS
from wexodos.desktop.shell import Shell
from wexodos.desktop.stage import Stage
from wexodos.desktop.stops.packing import MAKING, PackagePane, _unpacked
from wexodos.desktop.widgets.package_tree import Group
from wexodos.ground import quiet
from wexodos.settling.vocabulary import Fate
from wexodos.turnover.package import begun, copying
from wexodos.turnover.package.begun import Begun
from wexodos.turnover.package.verify import State, verified

LEFT = Qt.MouseButton.LeftButton
NAME = "Kiln Night R1 v7 to Grading, Lane XML"


def settled(qtbot: QtBot, shell: Shell) -> None:
    qtbot.waitUntil(lambda: shell.session.carried is not None and shell.session.tasks.quiet, timeout=180_000)
    qtbot.wait(10)
    qtbot.waitUntil(lambda: shell.session.tasks.quiet, timeout=180_000)


@pytest.fixture
def pane(qtbot: QtBot, shell: Shell, whole_demo: Path, tmp_path: Path) -> PackagePane:
    room = tmp_path / "room"
    shutil.copytree(whole_demo, room)
    cut = room / CUT
    cut.write_text(cut.read_text().replace(str(whole_demo), str(room)))
    shell.open(cut)
    settled(qtbot, shell)
    shell.session.decide(destination="grading-lane-xml")
    settled(qtbot, shell)
    shell.go_to("Turnover")
    ways = shell.turnover.ways
    qtbot.mouseClick(ways, LEFT, pos=ways.tabRect(1).center())
    found = shell.turnover.package
    assert found.isVisible()
    found.folder.setText(str(tmp_path))
    settled(qtbot, shell)
    return found


def chosen(qtbot: QtBot, shell: Shell, box: QComboBox, value: str) -> None:
    """Choose by keys, as from a menu."""
    box.setFocus()
    qtbot.keyClick(box, Qt.Key.Key_Home)
    for _ in range(box.findData(value)):
        qtbot.keyClick(box, Qt.Key.Key_Down)
    assert box.currentData() == value
    box.activated.emit(box.currentIndex())
    settled(qtbot, shell)


def row(pane: PackagePane, group: Group) -> list[str]:
    item = pane.tree.topLevelItem(list(Group).index(group))
    assert item is not None
    return [item.text(column) for column in range(4)]


@pytest.mark.thorough
def test_parts_are_seen_chosen_and_undone(qtbot: QtBot, shell: Shell, pane: PackagePane) -> None:
    assert row(pane, Group.SEQUENCE)[1] == "1" and row(pane, Group.MEDIA)[1] == "22"
    assert row(pane, Group.MIX)[1:3] == ["1", "about 98.9 MiB"]
    assert row(pane, Group.REFERENCE)[1] == "2" and row(pane, Group.BAKED)[3] == "none"
    assert pane.name.text() == NAME and "are free there" in pane.plan.text()
    assert shell.header.main.text() == "Make the package" and shell.header.main.isEnabled()
    # Tab leads from the page that was clicked on into it, the arrow keys through the parts; their options
    # stand beside them.
    shell.activateWindow()
    qtbot.mouseClick(shell.turnover.ways, LEFT, pos=shell.turnover.ways.tabRect(1).center())
    qtbot.keyClick(shell.turnover.ways, Qt.Key.Key_Tab)
    assert QApplication.focusWidget() is pane.tree
    qtbot.keyClick(pane.tree, Qt.Key.Key_Home)
    while pane.tree.group is not Group.MEDIA:
        qtbot.keyClick(pane.tree, Qt.Key.Key_Down)
    assert pane.options.currentIndex() == list(Group).index(Group.MEDIA)
    assert not pane.options.handles.isEnabled() and not pane.options.anew.isEnabled()
    chosen(qtbot, shell, pane.options.media, "trimmed")
    job = shell.session.job
    assert job is not None and job.now.package == {"media": "trimmed"}
    assert pane.options.handles.isEnabled() and row(pane, Group.MEDIA)[1] == "23"
    assert "C003C007.mov" in pane.options.notes[Group.MEDIA].text()
    before = row(pane, Group.MEDIA)[2]
    pane.options.handles.setValue(0.0)
    settled(qtbot, shell)
    assert shell.session.job.now.package == {"media": "trimmed", "handles": "0"}
    assert row(pane, Group.MEDIA)[2] != before
    # What could only be cut with more around it is coded anew instead, and named.
    assert pane.options.anew.isEnabled() and "Coded anew" not in pane.options.notes[Group.MEDIA].text()
    chosen(qtbot, shell, pane.options.anew, "prores")
    assert shell.session.job.now.package == {"media": "trimmed", "handles": "0", "anew": "prores"}
    assert "Coded anew: A001C003.mov" in pane.options.notes[Group.MEDIA].text()
    pane.tree.choose(Group.REFERENCE)
    chosen(qtbot, shell, pane.options.reference, "none")
    assert row(pane, Group.REFERENCE)[1:] == ["", "", "not along"]
    assert not pane.options.places["record"].isEnabled()
    for _ in range(4):
        qtbot.keyClick(shell, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        settled(qtbot, shell)
    assert shell.session.job.now.package == {} and row(pane, Group.MEDIA)[1] == "22"
    assert pane.options.media.currentData() == "whole" and pane.options.reference.currentData() == "h264"


def pixels(image: QImage) -> np.ndarray:
    whole = image.convertToFormat(QImage.Format.Format_RGB888)
    rows = np.frombuffer(whole.constBits(), np.uint8).reshape(whole.height(), whole.bytesPerLine())
    return rows[:, : whole.width() * 3].reshape(whole.height(), whole.width(), 3).astype(int)


@pytest.mark.thorough
def test_the_reference_frame_is_seen_as_it_will_be(qtbot: QtBot, shell: Shell, pane: PackagePane) -> None:
    shell.session.set_playhead(1200)
    pane.tree.choose(Group.REFERENCE)
    qtbot.waitUntil(lambda: pane.preview.image is not None, timeout=20_000)

    def now() -> np.ndarray:
        """The picture once nothing is being made any more."""
        qtbot.waitUntil(lambda: not shell.session.pictures._working, timeout=20_000)
        qtbot.wait(30)
        assert pane.preview.image is not None
        return pixels(pane.preview.image)

    first = now()
    assert first.shape == (540, 960, 3)
    chosen(qtbot, shell, pane.options.places["frame"], "top-left")
    second = now()
    differing = np.nonzero(np.abs(first - second).max(axis=2))
    # Six letters of the frame's number on a cell of 16 by 27, half a line off the edges.
    assert 13 <= differing[0].min() < differing[0].max() < 13 + 27
    assert 13 <= differing[1].min() < differing[1].max() < 13 + 6 * 16
    job = shell.session.job
    assert job is not None and "frame@top-left" in job.now.package["burns"].splitlines()
    chosen(qtbot, shell, pane.options.shape, "2.39")
    third = now()
    lines = sorted(set(np.nonzero((third == 255).all(axis=(1, 2)))[0]))
    assert lines == [69, 470]
    # Words wait for their place.
    pane.options.words.setText("for the grade")
    pane.options.words.editingFinished.emit()
    settled(qtbot, shell)
    assert "text" not in shell.session.job.now.package["burns"]
    chosen(qtbot, shell, pane.options.places["text"], "top")
    assert "text:for the grade@top" in shell.session.job.now.package["burns"].splitlines()
    shell.session.set_playhead(1400)
    assert np.abs(now() - third).max() > 30


def test_it_is_made_read_back_and_checked(
    qtbot: QtBot, shell: Shell, pane: PackagePane, tmp_path: Path
) -> None:
    pane._set("reference", "none")
    pane._set("mix", "mono")
    settled(qtbot, shell)
    assert shell.header.main.isEnabled()
    qtbot.mouseClick(shell.header.main, LEFT)
    qtbot.waitUntil(lambda: pane.stage is Stage.WRITTEN, timeout=180_000)
    settled(qtbot, shell)
    made = tmp_path / NAME
    checked = verified(made, quiet)
    assert len(checked) > 30 and {one.state for one in checked} == {State.EQUAL}
    assert f"Made: {len(checked) + 2} files" in pane.state.text()
    assert row(pane, Group.MEDIA)[3] == "✓ read back" and row(pane, Group.SUMS)[3] == "✓ sealed"
    assert row(pane, Group.MIX)[2] == "49.4 MiB"
    # The list followed the files, and is back where one was.
    at = pane.tree.currentItem() or pane.tree.topLevelItem(0)
    assert at is not None and pane.tree.visualItemRect(at).top() >= 0
    assert shell.turnover.open_count()[2]
    # There is one already: no second one in its place.
    assert not shell.header.main.isEnabled()
    buttons = {one.text(): one for one in pane.findChildren(QPushButton) if one.isVisible()}
    qtbot.mouseClick(buttons["Copy path"], LEFT)
    assert QApplication.clipboard().text() == str(made)
    qtbot.mouseClick(buttons["Check it again"], LEFT)
    settled(qtbot, shell)
    assert "are what was sealed" in pane.state.text()
    victim = made / "Media/A003C012.mov"
    data = bytearray(victim.read_bytes())
    data[1000] ^= 1
    victim.write_bytes(data)
    qtbot.mouseClick(buttons["Check it again"], LEFT)
    settled(qtbot, shell)
    assert "A003C012.mov is changed" in pane.state.text()
    # The job remembers it: of the next one only what is new goes.
    job = shell.session.job
    assert job is not None and job.packages == (str(made),)
    pane._decided()
    chosen(qtbot, shell, pane.options.since, str(made))
    # All media but the one that was changed there lie there as they are here.
    assert row(pane, Group.MEDIA)[3] == "not along" and "22 files" in pane.options.notes[Group.MEDIA].text()
    assert pane.planned is not None and len(pane.planned.there) == 22
    chosen(qtbot, shell, pane.options.since, "")
    assert row(pane, Group.MEDIA)[1] == "22"
    # Another decision, and it is no longer what was made.
    pane._set("mix", "none")
    settled(qtbot, shell)
    assert "Decisions have changed" in pane.state.text()
    pane.name.setText("again")
    assert shell.header.main.isEnabled()
    pane.name.setText("a:b")
    assert not shell.header.main.isEnabled() and "Not every system" in pane.plan.text()


@pytest.mark.thorough
def test_it_can_be_paused_gone_on_with_and_stopped(
    qtbot: QtBot, shell: Shell, pane: PackagePane, tmp_path: Path
) -> None:
    pane._set("reference", "none")
    settled(qtbot, shell)
    pane.zipped.setChecked(True)
    before = sorted(one.name for one in tmp_path.iterdir())
    qtbot.mouseClick(shell.header.main, LEFT)
    qtbot.waitUntil(lambda: "mixing" in pane.state.text(), timeout=180_000)
    assert pane.pause.isVisible() and pane.pause.text() == "Pause"
    qtbot.mouseClick(pane.pause, LEFT)
    # What is being done goes on to its next step, however long that takes; then nothing moves.
    seen: list[str] = []

    def still() -> bool:
        seen.append(pane.state.text())
        qtbot.wait(200)
        return len(seen) > 5 and len(set(seen[-6:])) == 1

    qtbot.waitUntil(still, timeout=180_000)
    assert seen[-1].startswith("Paused at") and pane.stage is Stage.WRITING
    qtbot.mouseClick(pane.pause, LEFT)
    qtbot.waitUntil(lambda: "mixing" in pane.state.text() or pane.stage is Stage.WRITTEN, timeout=180_000)
    # Paused again, and stopped then.
    qtbot.mouseClick(pane.pause, LEFT)
    shell.session.tasks.stop(MAKING)
    qtbot.waitUntil(lambda: pane.stage is Stage.STOPPED, timeout=180_000)
    settled(qtbot, shell)
    assert sorted(one.name for one in tmp_path.iterdir()) == before
    assert "Stopped" in pane.state.text() and row(pane, Group.MEDIA)[1] == "22"


@pytest.mark.thorough
def test_a_folder_that_was_stopped_goes_on_from_there(
    qtbot: QtBot, shell: Shell, pane: PackagePane, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for name, value in (("reference", "none"), ("mix", "none"), ("papers", "no")):
        pane._set(name, value)
    settled(qtbot, shell)
    plain, copies = copying.copied, []

    def copied(source: Path, *rest: Any) -> str:
        copies.append(source.name)
        if len(copies) == 12:
            shell.session.tasks.stop(MAKING)
        return plain(source, *rest)

    monkeypatch.setattr(copying, "copied", copied)
    monkeypatch.setattr(begun, "WORTH", 1)
    qtbot.mouseClick(shell.header.main, LEFT)
    qtbot.waitUntil(lambda: pane.stage is Stage.STOPPED, timeout=180_000)
    settled(qtbot, shell)
    place = pane.place
    assert place is not None and not place.exists() and Begun(place).count >= 11
    assert f"{Begun(place).words}: it goes on from there." in pane.state.text()
    qtbot.mouseClick(shell.header.main, LEFT)
    qtbot.waitUntil(lambda: pane.stage is Stage.WRITTEN, timeout=180_000)
    assert len(copies) <= 23 and len(set(copies)) == 22 and not Begun(place).folder.exists()
    assert {one.state for one in verified(place, quiet)} == {State.EQUAL}


@pytest.mark.thorough
def test_several_sequences_go_in_one_file_or_in_their_own(
    qtbot: QtBot, shell: Shell, pane: PackagePane, whole_demo: Path
) -> None:
    assert not pane.options.one_file.isVisibleTo(pane.options)
    shell.open(whole_demo / REELS)
    settled(qtbot, shell)
    qtbot.mouseClick(shell.intake.every, LEFT)
    settled(qtbot, shell)
    for name, value in (("reference", "none"), ("mix", "none"), ("papers", "no"), ("media", "none")):
        pane._set(name, value)
    shell.go_to("Turnover")
    pane.tree.choose(Group.SEQUENCE)
    settled(qtbot, shell)
    assert pane.options.one_file.isVisible() and pane.options.one_file.isChecked()
    assert row(pane, Group.SEQUENCE)[1] == "1"
    qtbot.mouseClick(pane.options.one_file, LEFT, pos=QPoint(8, pane.options.one_file.height() // 2))
    settled(qtbot, shell)
    assert row(pane, Group.SEQUENCE)[1] == "4" and shell.session.job.now.package["one file"] == "no"


@pytest.mark.thorough
def test_what_is_missing_or_in_the_way_is_said(
    qtbot: QtBot, shell: Shell, pane: PackagePane, tmp_path: Path
) -> None:
    (tmp_path / "room/media/A003C012.mov").unlink()
    shell.open(tmp_path / "room" / CUT)
    settled(qtbot, shell)
    shell.go_to("Turnover")
    settled(qtbot, shell)
    pane._set("reference", "none")
    pane._set("mix", "none")
    settled(qtbot, shell)
    assert "not found: A003C012.mov" in pane.state.text() and not shell.header.main.isEnabled()
    pane.tree.choose(Group.MEDIA)
    qtbot.mouseClick(pane.options.incomplete, LEFT, pos=pane.options.incomplete.rect().center())
    pane.options.incomplete.isChecked() or pane.options.incomplete.click()
    settled(qtbot, shell)
    assert shell.header.main.isEnabled()
    pane.folder.setText(str(tmp_path / "nowhere"))
    assert "There is no folder" in pane.state.text() and not shell.header.main.isEnabled()
    pane.folder.setText(str(tmp_path))
    pane.name.setText("room")
    assert "stands there already" in pane.state.text() and not shell.header.main.isEnabled()
    pane.zipped.setChecked(True)
    assert shell.header.main.isEnabled() and "replaced" not in pane.plan.text()
    (tmp_path / "room.zip").write_bytes(b"old")
    pane.name.setText("room v1.2")
    pane.name.setText("room")
    assert "the zip that stands there is replaced" in pane.plan.text()


def test_where_the_files_will_be() -> None:
    # Dots in a folder's name are no suffix.
    assert _unpacked(Path("/a/Kiln v1.2 to the grade")) == "/a/Kiln v1.2 to the grade"
    assert _unpacked(Path("/a/Kiln v1.2.zip")) == "/a/Kiln v1.2"


@pytest.mark.thorough
def test_what_the_destination_proposes_is_baked(qtbot: QtBot, shell: Shell, pane: PackagePane) -> None:
    pane.tree.choose(Group.BAKED)
    assert pane.options.bake.isVisible()
    qtbot.mouseClick(pane.options.bake, LEFT)
    settled(qtbot, shell)
    carried = shell.session.carried
    assert carried is not None
    baked = [one for one in carried.findings if one.fate is Fate.BAKED]
    assert {one.kind.value for one in baked} == {"speed"} and row(pane, Group.BAKED)[1] == "1"
    shell.session.decide(destination="editing-lane-xml")
    settled(qtbot, shell)
    assert not pane.options.bake.isVisible()
    # Where nothing is wanted beside it, the destination proposes less.
    assert row(pane, Group.REFERENCE)[3] == row(pane, Group.MIX)[3] == "not along"


@pytest.mark.thorough
def test_what_is_decided_while_it_is_made_is_not_in_it(
    qtbot: QtBot, shell: Shell, pane: PackagePane, tmp_path: Path
) -> None:
    pane._set("reference", "none")
    pane._set("papers", "no")
    settled(qtbot, shell)
    qtbot.mouseClick(shell.header.main, LEFT)
    qtbot.waitUntil(lambda: "mixing" in pane.state.text(), timeout=180_000)
    pane._set("mix", "none")
    qtbot.waitUntil(lambda: pane.stage is Stage.WRITTEN, timeout=180_000)
    settled(qtbot, shell)
    assert list(tmp_path.glob("*/Guide mix/*.wav"))
    assert "Decisions have changed" in pane.state.text() and not shell.turnover.open_count()[2]
