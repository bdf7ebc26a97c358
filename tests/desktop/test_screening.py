"""A movie is held against the cut in the window: asked for, looked through row by row, closed."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QPushButton
from pytestqt.qtbot import QtBot
from tests.desktop.test_laying import opened, settled
from tests.screening.made import TALL, WIDE, day, write_movie

from wexodos.desktop.shell import Shell
from wexodos.formats import FORMATS

LEFT = Qt.MouseButton.LeftButton


@pytest.mark.thorough
def test_a_movie_is_asked_for_looked_through_and_closed(
    qtbot: QtBot, shell: Shell, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    cut = day(12, lengths=(18, 28))
    document, sequence = cut.document(tmp_path)
    file, movie = tmp_path / "night.xml", tmp_path / "night from grading.mov"
    file.write_bytes(FORMATS["xmeml"].write(document, sequence.id, "5", None))
    starts = cut.starts()
    black = np.zeros((TALL, WIDE, 3), np.float32)
    pictures = (cut.picture(at) for at in range(cut.length))
    write_movie(movie, (black if starts[3] <= at < starts[4] else one for at, one in enumerate(pictures)))
    opened(qtbot, shell, file)
    stop = shell.returning
    asked: list[str] = []

    def answered(*said: object) -> tuple[str, str]:
        asked.append(str(said[3]))
        return str(movie), ""

    # What the dialog lists is what is asked for.
    monkeypatch.setattr("wexodos.desktop.asking.QFileDialog.getOpenFileName", answered)
    button = next(
        one for one in stop.stack.currentWidget().findChildren(QPushButton) if one.text() == "Check a movie…"
    )
    qtbot.mouseClick(button, LEFT)
    qtbot.waitUntil(lambda: shell.session.screening.screened is not None, timeout=180_000)
    settled(qtbot, shell)
    assert len(asked) == 1 and "*.mov" in asked[0] and "*.xml" not in asked[0]
    page = stop.screened
    assert page.isVisible() and stop.stack.currentWidget() is page
    assert page.summary.text().startswith("<b>night from grading.mov</b>: 1 row · ")
    (row,) = page.table.visible_rows()
    assert (row.what.value, row.item, row.first, row.until) == ("black", "Shot 3", starts[3], starts[4])
    assert shell.session.playhead == (starts[3] + starts[4]) // 2
    # The movie lies over the cut: its picture there is black, the cut's is not.
    screened = shell.session.screening.screened
    assert screened is not None and screened.movie.seen is not None
    before, after = (
        one.seen.composer.frame(one.sequence, shell.session.playhead, 90).picture[..., :3].max()
        for one in (screened.cut, screened.movie)
        if one.seen is not None
    )
    assert before > 0.3 and after < 0.05
    shell.session.set_playhead(0)
    page.table.setFocus()
    stop.go_next(1)
    assert shell.session.playhead == (starts[3] + starts[4]) // 2
    assert stop.main_action() == ("Check another movie…", True)
    close = next(one for one in page.findChildren(QPushButton) if one.text() == "Close")
    qtbot.mouseClick(close, LEFT)
    QApplication.processEvents()
    assert not page.isVisible() and stop.stack.currentIndex() == 0


@pytest.mark.thorough
def test_what_is_no_movie_of_the_cut_is_said_and_nothing_is_shown(
    qtbot: QtBot, shell: Shell, tmp_path: Path
) -> None:
    cut = day(6, lengths=(18, 28))
    document, sequence = cut.document(tmp_path)
    file = tmp_path / "night.xml"
    file.write_bytes(FORMATS["xmeml"].write(document, sequence.id, "5", None))
    opened(qtbot, shell, file)
    said: list[str] = []
    shell.session.said.connect(lambda words, _bad: said.append(words))
    shell.session.screening.check(file)
    qtbot.waitUntil(lambda: bool(said), timeout=180_000)
    assert said == [f"{file}: it is no movie"] or "night.xml" in said[0]
    assert shell.session.screening.screened is None
    assert shell.returning.stack.currentIndex() == 0
