"""The Media stop by hand: columns that are wanted, facts of the chosen file, tables put on a medium or a
reel."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMenu, QPushButton
from pytestqt.qtbot import QtBot

from desktop.test_window_by_hand import opened, settled
from picture.makers import movie
from wexodos.demo.build import CUT
from wexodos.demo.scatter import AS_WRITTEN, COPIED, SEQUENCE, SPANNED, TABLE, TWICE, night
from wexodos.desktop.shell import Shell
from wexodos.desktop.stops.media import MediaStop
from wexodos.desktop.widgets.candidates import Card
from wexodos.job import load
from wexodos.media import Row
from wexodos.model import MediaUse
from wexodos.picture import Composer
from wexodos.picture.decode import _key


def facts(card: Card) -> dict[str, str]:
    """What the sheet of a card says."""
    cells = [
        card.sheet.itemAtPosition(row, column) for row in range(card.sheet.rowCount()) for column in (0, 1)
    ]
    words = [cell.widget().text() for cell in cells if cell is not None]
    return dict(zip(words[::2], words[1::2]))


def row_of(media: MediaStop, name: str) -> Row:
    row = next(row for row in media.session.media if row.media.file_name == name)
    media.table.go_to(row)
    media._go(row)
    return row


def searched(qtbot: QtBot, shell: Shell, cut: Path) -> MediaStop:
    """The Media stop of the bad day, with the folder that holds the rest."""
    opened(qtbot, shell, cut)
    shell.go_to("Media")
    shell.media.rules.add_folder(str(cut.parent.parent / "store"))
    settled(qtbot, shell)
    return shell.media


@pytest.mark.thorough
def test_the_sheet_tells_what_a_file_is(qtbot: QtBot, shell: Shell, bad_day: Path) -> None:
    media = searched(qtbot, shell, bad_day)
    row_of(media, AS_WRITTEN[SEQUENCE])
    assert "missing: 1212 to 1215" in facts(media.candidates.cards[0])["files"]
    row_of(media, AS_WRITTEN[SPANNED])
    assert facts(media.candidates.cards[0])["files"] == "2: A001C003_001.mov, A001C003_002.mov"
    row_of(media, COPIED)
    assert [len(media.candidates.cards), media.candidates.cards[0].copies] == [2, 1]
    row_of(media, TWICE)
    assert [card.copies for card in media.candidates.cards] == [0, 0]
    told = facts(media.candidates.cards[0])
    assert told["picture"].startswith("h264, ") and "640×360, 25 fps, 4:2:0, 8 bit" in told["picture"]
    assert told["timecode"] == "14:15:00:00" and told["reel"] == "A006"
    # The table the cut names is a medium, and its clip is seen through it.
    row = row_of(media, TABLE)
    assert row.status == "found" and not media.candidates.through.isVisible()
    use = row.need.uses[0]
    shot = shell.session.side.seen.composer.frame(shell.session.side.sequence, int(use.start) + 5, 90)
    assert TABLE not in " ".join(shot.undrawn)
    shell.session.undo()
    settled(qtbot, shell)
    shot = shell.session.side.seen.composer.frame(shell.session.side.sequence, int(use.start) + 5, 90)
    assert f"{TABLE} (the table is not there)" in shot.undrawn


def test_columns_are_shown_where_they_are_wanted(qtbot: QtBot, shell: Shell, whole_demo: Path) -> None:
    opened(qtbot, shell, whole_demo / CUT)
    shell.go_to("Media")
    table, head = shell.media.table, shell.media.table.horizontalHeader()
    names = [column.head for column in table.model_rows.columns]
    assert head.isSectionHidden(names.index("codec")) and not head.isSectionHidden(names.index("reel"))
    qtbot.mouseClick(shell.media.columns, Qt.MouseButton.LeftButton)
    (menu,) = head.findChildren(QMenu)
    choices = {action.text(): action for action in menu.actions()}
    assert "where" not in choices and not choices["codec"].isChecked() and choices["reel"].isChecked()
    choices["codec"].trigger()
    choices["reel"].trigger()
    assert not head.isSectionHidden(names.index("codec")) and head.isSectionHidden(names.index("reel"))
    said = {
        row.media.file_name: table.model_rows.columns[names.index("codec")].text(row)
        for row in table.visible_rows()
    }
    assert said["A003C012.mov"] == "h264" and said["QUILL_01.wav"] == "wav" and said["kiln-map.png"] == "png"


@pytest.mark.thorough
def test_a_table_is_put_on_a_medium_or_a_reel_and_taken_away(
    qtbot: QtBot, shell: Shell, whole_demo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    opened(qtbot, shell, whole_demo / CUT)
    session, media = shell.session, shell.media
    shell.go_to("Media")
    table = tmp_path / "dusk.cube"
    table.write_text(night(5))
    monkeypatch.setattr("wexodos.desktop.stops.media.ask_file", lambda *_: table)

    def seen(name: str, side: str = "side") -> np.ndarray:
        where = getattr(session, side)
        row = next(row for row in session.media if row.media.file_name == name)
        start = next(use.start for use in row.need.uses if use.sequence == where.sequence.id)
        return where.seen.composer.frame(where.sequence, int(start) + 2, 90).picture

    plain = {name: seen(name) for name in ("A003C012.mov", "A003C015.mov", "A004C002.mov")}
    row_of(media, "A003C015.mov")
    button: QPushButton = media.candidates.through
    assert button.text() == "Colour…"
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    (menu,) = [one for one in media.findChildren(QMenu) if one.isVisible()]
    assert [one.text() for one in menu.actions()] == [
        "A table for this medium…",
        "A table for all of reel A003…",
        "The colours of this medium",
        "The colours of all of reel A003",
    ]
    menu.actions()[0].trigger()
    menu.close()
    settled(qtbot, shell)
    assert "seen through dusk.cube" in media.candidates.state.text()
    assert not np.array_equal(seen("A003C015.mov"), plain["A003C015.mov"])
    # What was read back is seen through it as well: a table is no difference of the cut.
    assert np.abs(seen("A003C015.mov") - seen("A003C015.mov", "after")).max() < 0.02
    assert np.array_equal(seen("A003C012.mov"), plain["A003C012.mov"])
    session.save()
    assert list(load(session.job_file).now.tables.values()) == [str(table)]
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    (menu,) = [one for one in media.findChildren(QMenu) if one.isVisible()]
    assert menu.actions()[0].text() == "Take the table away"
    menu.actions()[0].trigger()
    menu.close()
    settled(qtbot, shell)
    assert np.array_equal(seen("A003C015.mov"), plain["A003C015.mov"])
    media.see_through(str(table), True)
    settled(qtbot, shell)
    assert [not np.array_equal(seen(name), before) for name, before in plain.items()] == [True, True, False]
    session.undo()
    settled(qtbot, shell)
    # In which space it is, likewise.
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    (menu,) = [
        one for one in media.findChildren(QMenu) if one.isVisible() and one.actions()[0].text()[0] == "A"
    ]
    spaces = {one.text(): one for one in menu.actions()[-1].menu().actions()}
    assert [one.isChecked() for one in spaces.values()].index(True) == 0 and "ACEScg" in spaces
    spaces["linear BT.709"].trigger()
    menu.close()
    settled(qtbot, shell)
    assert "taken for linear BT.709" in media.candidates.state.text()
    for name, lighter in (("A003C012.mov", True), ("A003C015.mov", True), ("A004C002.mov", False)):
        light = seen(name)[..., :3].mean() - plain[name][..., :3].mean()
        assert light > 0.1 if lighter else light == 0
    session.undo()
    settled(qtbot, shell)
    assert all(np.array_equal(seen(name), before) for name, before in plain.items())


@pytest.mark.thorough
def test_nothing_is_clipped_in_a_narrow_window(qtbot: QtBot, shell: Shell, bad_day: Path) -> None:
    """All the states a bad day has, each with its button, beside one another or below."""
    media = searched(qtbot, shell, bad_day)
    rows = {}
    for width in (1024, 1600):
        shell.resize(width, 700)
        qtbot.wait(20)
        buttons = [media.chips.itemAt(place).widget() for place in range(media.chips.count())]
        assert len(buttons) == 6
        for button in (*buttons, media.columns, media.swap):
            assert button.width() >= button.sizeHint().width(), (width, button.text())
        places = [button.geometry() for button in buttons]
        assert not any(one.intersects(two) for one in places for two in places if one is not two)
        assert (
            max(one.bottom() for one in places) < media.table.mapTo(media, media.table.rect().topLeft()).y()
        )
        assert max(one.right() for one in places) < media.columns.geometry().left()
        rows[width] = len({one.top() for one in places})
    assert rows[1024] > rows[1600] == 1


@pytest.mark.thorough
def test_a_reference_picture_answers_the_question(
    qtbot: QtBot, shell: Shell, bad_day: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    media = searched(qtbot, shell, bad_day)
    row = row_of(media, TWICE)
    tell = media.candidates.tell
    assert row.asked and tell.isVisible()
    right = row.candidates[1].path
    # The whole cut as it was seen over there, with the other of the two takes.
    session = shell.session
    cut = session.side.sequence
    places = {one.media.id: one.path for one in session.media} | {row.media.id: right}
    composer = Composer(session.side.document, lambda one: places.get(one.id))
    frames = [np.zeros((54, 96, 3), np.uint8)] * cut.duration
    for item in (one for track in cut.video_tracks for one in track.items):
        if isinstance(item.content, MediaUse) and item.content.media == row.media.id:
            for frame in range(int(item.start), int(item.end)):
                frames[frame] = (composer.frame(cut, frame, 54).picture[..., :3] * 255).astype(np.uint8)
    reference = movie(tmp_path / "reference.mov", frames, codec="mpeg4", qscale="2")
    monkeypatch.setattr("wexodos.desktop.widgets.search_rules.ask_file", lambda *_: reference)
    qtbot.mouseClick(tell, Qt.MouseButton.LeftButton)
    settled(qtbot, shell)
    answered = next(one for one in session.media if one.media.id == row.media.id)
    assert (answered.path, answered.asked) == (right, False)
    assert "shows what the reference picture shows" in [one.words for one in answered.candidates[0].reasons]
    row_of(media, TWICE)
    assert not tell.isVisible()
    assert session.job is not None and session.job.now.rules.reference == str(reference)
    session.undo()
    settled(qtbot, shell)
    assert next(one for one in session.media if one.media.id == row.media.id).asked


def test_what_is_seen_a_second_later_is_opened_beside(qtbot: QtBot, shell: Shell, whole_demo: Path) -> None:
    opened(qtbot, shell, whole_demo / CUT)
    session = shell.session
    shell.go_to("Carry-over")
    side = session.side
    cut = next(int(one.start) for one in side.sequence.video_tracks[0].items if one.start > 0)

    def files(frame: int) -> set[Path]:
        return {path for path, _, _ in side.seen.composer.ahead(side.sequence, frame)}

    later = files(cut + 3) - files(cut - 22)
    assert later
    qtbot.waitUntil(lambda: not session.pictures.active, timeout=180_000)
    session.pictures._beside.waitForDone(60_000)
    session.pictures.frames.close()
    session.set_playhead(cut - 22)
    held = session.pictures.frames._open
    qtbot.waitUntil(lambda: all(_key(one) in held for one in later), timeout=180_000)
    assert not any(_key(one) in held for one in files(cut + 90) - files(cut - 22) - later - files(cut - 47))
