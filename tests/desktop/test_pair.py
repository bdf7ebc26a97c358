"""A pair is held against the cut in the window: looked through, corrected, saved, closed; and shots one by one."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication, QPushButton
from pytestqt.qtbot import QtBot
from tests.compare.test_pairing import LONG, eye
from tests.desktop.test_laying import opened, settled

from wexodos.desktop.shell import Shell
from wexodos.desktop.widgets.package_tree import Group
from wexodos.formats import FORMATS, read_file
from wexodos.model import NestedUse, Sequence

LEFT = Qt.MouseButton.LeftButton


def written(folder: Path) -> tuple[Path, Path]:
    """Two eyes; the right one stands four frames later and has one shot that slipped."""
    files = []
    for name, (whole, sequence) in (("left", eye("L")), ("right", eye("R", later=4))):
        if name == "right":
            shots = list(sequence.tracks[0].items)
            shots[6] = replace(shots[6], source_in=shots[6].source_in + Fraction(3, 24))
            sequence = replace(sequence, tracks=(replace(sequence.tracks[0], items=tuple(shots)),))
            whole = replace(whole, sequences=(sequence,))
        files.append(folder / f"{name}.xml")
        files[-1].write_bytes(FORMATS["xmeml"].write(whole, sequence.id, "5", None))
    return files[0], files[1]


def source_in(sequence: Sequence, number: int) -> object:
    return sequence.tracks[0].items[number].source_in


def test_a_pair_is_held_corrected_and_saved(
    qtbot: QtBot, shell: Shell, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    left, right = written(tmp_path)
    before = right.read_bytes()
    opened(qtbot, shell, left)
    stop, page = shell.returning, shell.returning.paired
    monkeypatch.setattr("wexodos.desktop.asking.QFileDialog.getOpenFileName", lambda *_: (str(right), ""))
    button = next(
        one for one in stop.stack.currentWidget().findChildren(QPushButton) if one.text() == "Check a pair…"
    )
    qtbot.mouseClick(button, LEFT)
    qtbot.waitUntil(page.isVisible, timeout=180_000)
    settled(qtbot, shell)
    assert page.summary.text() == (
        "<b>Firing L</b> and <b>Firing R</b>: 1 row · the right one stands +4 frames later"
    )
    (row,) = page.table.visible_rows()
    assert (row.what.value, row.left_item.name) == ("source", "Shot 6")
    # Both stand over each other in the ledger although the right one begins later.
    assert shell.session.playhead == 6 * LONG + LONG // 2
    assert page.sides is not None and page.sides[1].sequence.tracks[0].items[6].start == 6 * LONG
    assert stop.open_count() == (1, True, False) and not page.save_right.isEnabled()
    qtbot.mouseClick(page.correct, LEFT)
    qtbot.waitUntil(lambda: page.rows == [], timeout=60_000)
    assert "1 row corrected, now a pair" in page.summary.text() and page.correct.text() == "As it was"
    fixed, both = tmp_path / "fixed.xml", tmp_path / "both.fcpxml"
    said: list[tuple[str, bool]] = []
    shell.session.said.connect(lambda words, bad: said.append((words, bad)))
    for target, saves in ((fixed, page.save_right), (both, page.save_both)):
        monkeypatch.setattr(
            "wexodos.desktop.asking.QFileDialog.getSaveFileName", lambda *_, at=target: (str(at), "")
        )
        qtbot.mouseClick(saves, LEFT)
        qtbot.waitUntil(lambda at=target: any(str(at) in words for words, _ in said), timeout=60_000)  # type: ignore[misc]
    assert not any(bad for _, bad in said) and "with 1 file beside it" in said[-1][0]
    assert source_in(read_file(fixed).top_level[0], 6) == Fraction(460, 24)
    nests = [item for item in read_file(both).top_level[0].items() if isinstance(item.content, NestedUse)]
    assert len(nests) == 2
    # As it was again; what was taken in is never written over.
    qtbot.mouseClick(page.correct, LEFT)
    qtbot.waitUntil(lambda: len(page.rows) == 1, timeout=60_000)
    monkeypatch.setattr("wexodos.desktop.asking.QFileDialog.getSaveFileName", lambda *_: (str(right), ""))
    said.clear()
    qtbot.mouseClick(page.save_both, LEFT)
    qtbot.waitUntil(lambda: bool(said), timeout=60_000)
    assert said[0][1] and "never changed" in said[0][0] and right.read_bytes() == before
    close = next(one for one in page.findChildren(QPushButton) if one.text() == "Close")
    qtbot.mouseClick(close, LEFT)
    QApplication.processEvents()
    assert not page.isVisible() and stop.stack.currentIndex() == 0


def test_what_is_no_pair_at_all_is_said(qtbot: QtBot, shell: Shell, tmp_path: Path) -> None:
    left, _ = written(tmp_path)
    opened(qtbot, shell, left)
    said: list[str] = []
    shell.session.said.connect(lambda words, _bad: said.append(words))
    other = tmp_path / "other.xml"
    other.write_text("no sequence")
    shell.session.pairing.hold(other)
    qtbot.waitUntil(lambda: any("other.xml" in one for one in said), timeout=60_000)
    assert shell.session.pairing.paired is None


def test_every_shot_in_a_file_of_its_own_is_chosen_beside_the_sequence(
    qtbot: QtBot, shell: Shell, tmp_path: Path
) -> None:
    left, _ = written(tmp_path)
    opened(qtbot, shell, left)
    session = shell.session
    session.decide(destination="compositing-track-xml", package={"incomplete": "yes", "reference": "none"})
    settled(qtbot, shell)
    shell.go_to("Turnover")
    qtbot.mouseClick(shell.turnover.ways, LEFT, pos=shell.turnover.ways.tabRect(1).center())
    page = shell.turnover.package
    settled(qtbot, shell)
    page.tree.choose(Group.SEQUENCE)
    options = page.options
    assert options.by_shot.isVisible() and not options.scheme.isEnabled() and not options.slate.isEnabled()
    qtbot.mouseClick(options.by_shot, LEFT, pos=QPoint(8, options.by_shot.height() // 2))
    assert session.job is not None and session.job.now.package["shots"] == "{sequence}_{number}"
    settled(qtbot, shell)
    assert options.handles.isEnabled()
    options.scheme.setFocus()
    options.scheme.selectAll()
    qtbot.keyClicks(options.scheme, "FK_{number}")
    qtbot.keyClick(options.scheme, Qt.Key.Key_Return)
    assert session.job.now.package["shots"] == "FK_{number}"
    settled(qtbot, shell)
    assert page.planned is not None
    names = {part.name for part in page.planned.parts}
    assert {"FK_0010.xml", "FK_0400.xml", "Papers/Firing L shots.csv"} <= names
    options.scheme.selectAll()
    qtbot.keyClicks(options.scheme, "FK_{take}")
    qtbot.keyClick(options.scheme, Qt.Key.Key_Return)
    settled(qtbot, shell)
    assert "{take} stands for nothing" in page.state.text()
    for _ in range(3):
        qtbot.keyClick(shell, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settled(qtbot, shell)
    assert "shots" not in session.job.now.package and not options.by_shot.isChecked()
