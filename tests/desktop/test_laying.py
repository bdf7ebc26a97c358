"""Renders and sound come back in the window: taken in, looked through, moved, saved."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QPushButton
from pytestqt.qtbot import QtBot
from tests.homecoming.test_mixes import MUSIC, SPEECH, later, mixed_down, written
from tests.homecoming.test_mixes import cut as sounding  # noqa: F401
from tests.homecoming.test_renders import Shoot, cut_of, room, shoot  # noqa: F401

from wexodos.desktop.shell import Shell
from wexodos.formats import read_file
from wexodos.timing import Rate

LEFT = Qt.MouseButton.LeftButton


def settled(qtbot: QtBot, shell: Shell) -> None:
    qtbot.waitUntil(lambda: shell.session.carried is not None and shell.session.tasks.quiet, timeout=60_000)
    qtbot.wait(10)
    qtbot.waitUntil(lambda: shell.session.tasks.quiet, timeout=60_000)


def opened(qtbot: QtBot, shell: Shell, cut: Path) -> None:
    shell.open(cut)
    settled(qtbot, shell)
    shell.go_to("Return")
    QApplication.processEvents()


def test_renders_are_dropped_looked_through_moved_and_saved(
    qtbot: QtBot,
    shell: Shell,
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    opened(qtbot, shell, cut_of(shoot, tmp_path))
    stop = shell.returning
    list(room(shoot, tmp_path / "back", "KN_{number:04d}", True, 4, {"Turning": 2}))
    (tmp_path / "back/KN_0006.mov").unlink()
    assert stop.dropped([tmp_path / "back"])
    qtbot.waitUntil(lambda: shell.session.laying.arrived is not None, timeout=60_000)
    page = stop.arriving
    assert page.isVisible() and page.summary.text() == "<b>5 renders laid in, 1 missing</b>"
    assert stop.main_action() == ("Save the cut that came home…", True)
    assert stop.open_count() == (1, True, False)
    rows = page.table.visible_rows()
    assert [(row.thing, row.file, row.words) for row in rows] == [
        ("Last", "", "nothing came for it"),
        ("Throwing", "KN_0001.mov", "as it was"),
        ("Turning", "KN_0002.mov", "2 frames late"),
        ("Closer", "KN_0003.mov", "motion switched off: in it already"),
        ("Slower", "KN_0004.mov", "speed switched off: in it already"),
        ("Grey", "KN_0005.mov", "filter switched off: in it already"),
    ]
    # With the key for the next one goes from row to row, the playhead in the middle of each.
    page.table.setFocus()
    page.go(rows[0])
    assert shell.session.playhead == 190
    stop.go_next(1)
    assert page.table.current_row() is page.table.visible_rows()[1] and shell.session.playhead == 20
    places = []
    monkeypatch.setattr(
        "wexodos.desktop.stops.returning.ask_target", lambda *_: places.append(1) or tmp_path / "home.otio"
    )
    assert page.correct.isVisible() and not page.correct.isChecked()
    qtbot.mouseClick(page.correct, LEFT)
    qtbot.waitUntil(
        lambda: shell.session.laying.arrived is not None and shell.session.laying.arrived.corrected,
        timeout=60_000,
    )
    settled(qtbot, shell)
    assert page.correct.isChecked()
    stop.run_main()
    qtbot.waitUntil(lambda: (tmp_path / "home.otio").exists(), timeout=60_000)
    settled(qtbot, shell)
    items = {one.name: one for one in read_file(tmp_path / "home.otio").top_level[0].tracks[0].items}
    # Four frames of handles; one that is two frames late begins two later.
    assert items["Turning"].source_in == Rate(25).seconds(6) and items["Throwing"].source_in == Rate(
        25
    ).seconds(4)
    # Looked at elsewhere meanwhile: the pictures are those at the playhead again.
    shell.go_to("Intake")
    shell.session.set_playhead(33)
    shell.go_to("Return")
    QApplication.processEvents()
    assert page.facts._sides[2] == 33
    # A folder with nothing but an edited sequence is looked at as one.
    edited = tmp_path / "edited"
    edited.mkdir()
    (edited / "cut.otio").write_bytes((tmp_path / "cut.otio").read_bytes())
    shell.session.laying.drop()
    assert stop.dropped([edited])
    qtbot.waitUntil(lambda: shell.session.home.returned is not None, timeout=60_000)
    settled(qtbot, shell)
    assert shell.session.laying.arrived is None and "cut.otio" in stop.summary.text()
    shell.session.decide(returned="")
    settled(qtbot, shell)
    assert stop.dropped([tmp_path / "back"])
    qtbot.waitUntil(lambda: shell.session.laying.arrived is not None, timeout=60_000)
    # Something else: the page goes, and comes again.
    again = next(one for one in page.findChildren(QPushButton) if one.text() == "Open another…")
    qtbot.mouseClick(again, LEFT)
    assert shell.session.laying.arrived is None and not page.isVisible()
    assert stop.main_action()[0] == "Open a returned file…"


def test_a_mix_is_measured_in_the_window_and_nothing_that_fits_cannot_be_saved(
    qtbot: QtBot,
    shell: Shell,
    sounding: Path,  # noqa: F811
    tmp_path: Path,
) -> None:
    opened(qtbot, shell, sounding)
    stop = shell.returning
    mix = written(tmp_path / "back/final mix.wav", later(mixed_down(SPEECH + MUSIC), -3000))
    assert stop.dropped([mix])
    qtbot.waitUntil(lambda: shell.session.laying.arrived is not None, timeout=60_000)
    rows = stop.arriving.table.visible_rows()
    assert [(row.track, row.thing, row.by, row.words) for row in rows] == [
        ("A1–A2", "mix", "the cut's sound", "3000 samples earlier than the cut (1 frame)")
    ]
    assert stop.arriving.correct.isVisible() and stop.main_action()[1]
    shell.session.laying.drop()
    said: list[str] = []
    shell.session.said.connect(lambda words, _bad: said.append(words))
    (tmp_path / "empty").mkdir()
    assert stop.dropped([tmp_path / "empty"])
    qtbot.waitUntil(lambda: any("nothing in it can come home" in words for words in said), timeout=60_000)
    assert shell.session.laying.arrived is None
