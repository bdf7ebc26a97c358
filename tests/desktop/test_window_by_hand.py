"""The window as a person works it: clicks, Tab, keys, drops, a second window, a restart. What is painted is
looked at before and after."""

from __future__ import annotations

import shutil
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, QSettings, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QApplication, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from wexodos.demo.build import BACK, CUT
from wexodos.desktop.asking import near
from wexodos.desktop.shell import Shell
from wexodos.desktop.stops.edited import Group
from wexodos.desktop.stops.turnover import Stage
from wexodos.desktop.targets import Targets
from wexodos.desktop.widgets.finder import Finder
from wexodos.desktop.widgets.ledger import Ledger
from wexodos.desktop.widgets.sequence_options import options_of
from wexodos.destinations import find_destination
from wexodos.formats import read_file
from wexodos.job import recent
from wexodos.tidy import find_recipe


def settled(qtbot: QtBot, shell: Shell) -> None:
    qtbot.waitUntil(lambda: shell.session.carried is not None and shell.session.tasks.quiet, timeout=180_000)
    qtbot.wait(10)
    qtbot.waitUntil(lambda: shell.session.tasks.quiet, timeout=180_000)


def opened(qtbot: QtBot, shell: Shell, path: Path, destination: str = "grading-lane-xml") -> None:
    shell.open(path)
    settled(qtbot, shell)
    shell.session.decide(destination=destination)
    settled(qtbot, shell)


def painted(widget: QWidget) -> np.ndarray:
    """What a widget shows, shape (height, width, 3)."""
    image = widget.grab().toImage().convertToFormat(widget.grab().toImage().Format.Format_RGB888)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : image.width() * 3].reshape(image.height(), image.width(), 3).astype(int)


def changed(before: np.ndarray, after: np.ndarray) -> float:
    """The share of pixels that are another colour."""
    return float((np.abs(before - after).max(axis=2) > 12).mean())


@pytest.mark.parametrize("theme", ["night", "day"])
@pytest.mark.sampled(2)
def test_focus_by_click_or_tab_paints_no_more_than_its_mark(
    qtbot: QtBot, shell: Shell, demo: Path, theme: str
) -> None:
    shell.use_theme(theme)
    opened(qtbot, shell, demo / CUT)
    shell.activateWindow()
    for stop in ("Intake", "Tidy", "Carry-over"):
        shell.go_to(stop)
        settled(qtbot, shell)
        ledger = shell.current.ledger
        assert isinstance(ledger, Ledger)
        shell.header.finding.setFocus()
        bare = painted(ledger)
        # A click into the empty end of a row chooses nothing and moves the playhead only.
        qtbot.mouseClick(ledger, Qt.MouseButton.LeftButton, pos=QPoint(40, 80))
        ledger.setFocus(Qt.FocusReason.TabFocusReason)
        assert ledger.hasFocus()
        # The mark is a line around it, and the playhead has moved; painted over it would be another whole.
        assert changed(bare, painted(ledger)) < 0.06
        # And every other control that Tab reaches changes no more than itself.
        before = painted(ledger)
        for _ in range(6):
            shell.focusNextChild()
            shown = painted(ledger)
            assert changed(before, shown) < 0.06


def drop(target: QWidget, *paths: Path) -> bool:
    """Drop files on a widget as the system does: it goes to the first of it and its parents that takes
    drops."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(one)) for one in paths])
    place = QPointF(5, 5)
    widget: QWidget | None = target
    while widget is not None and not widget.acceptDrops():
        widget = widget.parentWidget()
    if widget is None:
        return False
    enter = QDragEnterEvent(
        place.toPoint(),
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    QApplication.sendEvent(widget, enter)
    if not enter.isAccepted():
        return False
    event = QDropEvent(
        place, Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    QApplication.sendEvent(widget, event)
    return event.isAccepted()


@pytest.mark.thorough
def test_files_folders_and_zips_can_be_dropped_anywhere(
    qtbot: QtBot, shell: Shell, demo: Path, tmp_path: Path
) -> None:
    folder = tmp_path / "came in"
    folder.mkdir()
    shutil.copy(demo / CUT, folder)
    zipped = Path(shutil.make_archive(str(tmp_path / "mail"), "zip", folder))
    assert drop(shell.header.finding, folder)
    settled(qtbot, shell)
    assert shell.session.path == folder / CUT
    shell.go_to("Carry-over")
    assert drop(shell.carry.table.viewport(), zipped)
    qtbot.waitUntil(lambda: shell.session.path != folder / CUT, timeout=20_000)
    settled(qtbot, shell)
    assert shell.session.path.name == CUT and "zips" in shell.session.path.parts
    # A folder on Turnover is where it goes, on Media where is searched; a file on Return came back.
    shell.go_to("Turnover")
    assert drop(shell.turnover.folder, tmp_path)
    assert shell.turnover.folder.text() == str(tmp_path)
    shell.go_to("Media")
    assert drop(shell.media.table.viewport(), folder)
    assert shell.session.job.now.rules.folders == (str(folder),)
    settled(qtbot, shell)
    shell.go_to("Return")
    assert drop(shell.returning, demo / BACK)
    qtbot.waitUntil(lambda: shell.session.home.returned is not None, timeout=180_000)
    # Words that are dragged are none of it.
    data = QMimeData()
    data.setText("words")
    enter = QDragEnterEvent(
        QPoint(5, 5),
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    QApplication.sendEvent(shell, enter)
    assert not enter.isAccepted()


@pytest.mark.thorough
def test_a_contradiction_is_told_everywhere_with_the_way_out(qtbot: QtBot, shell: Shell, demo: Path) -> None:
    opened(qtbot, shell, demo / CUT)
    assert not shell.notice.isVisible()
    shell.session.decide(tidy=find_recipe("Grading").steps, destination="mixing-omf")
    settled(qtbot, shell)
    assert shell.notice.isVisible()
    assert shell.notice.words.text() == (
        "Tidy leaves only picture, and Mixing, OMF takes sound only: nothing would be handed over."
    )
    shell.go_to("Turnover")
    assert shell.turnover.main_action()[1] is False
    ways = {button.text(): button for button in shell.notice.buttons}
    assert list(ways)[:2] == ["Tidy it for mixing", "Switch Tidy off"] and len(ways) == 3
    # The third leads to a destination of the room that it is tidied for.
    qtbot.mouseClick(list(ways.values())[2], Qt.MouseButton.LeftButton)
    settled(qtbot, shell)
    assert shell.session.destination.for_ == "grading" and not shell.notice.isVisible()
    shell.session.undo()
    settled(qtbot, shell)
    assert shell.notice.isVisible()
    qtbot.mouseClick(shell.notice.buttons[0], Qt.MouseButton.LeftButton)
    settled(qtbot, shell)
    assert shell.session.steps() == find_recipe("Mixing").steps and not shell.notice.isVisible()
    # A destination proposes its recipe, a recipe its destinations.
    shell.session.decide(tidy=())
    settled(qtbot, shell)
    assert "the recipe “Mixing”" in shell.tidying.proposal.text()
    shell.tidying.proposal.linkActivated.emit("recipe:Mixing")
    assert shell.session.steps() == find_recipe("Mixing").steps
    shell.session.decide(destination="editing-track-xml")
    assert "this one goes to Editing, Track XML" in shell.tidying.proposal.text()


@pytest.mark.thorough
def test_media_are_those_of_the_cut_that_leaves_and_questions_follow_each_other(
    qtbot: QtBot, shell: Shell, bad_day: Path
) -> None:
    cut = bad_day
    opened(qtbot, shell, cut)
    shell.go_to("Media")
    sounds = {row.media.file_name for row in shell.session.media if not row.need.picture}
    assert sounds and shell.media.open_count()[0] == sum(row.status != "found" for row in shell.session.media)
    shell.session.decide(tidy=find_recipe("Grading").steps)
    settled(qtbot, shell)
    assert sounds.isdisjoint(row.media.file_name for row in shell.session.media)
    shown = {row.media.file_name for row in shell.media.table.model_rows.rows}
    assert shown == {row.media.file_name for row in shell.session.media}
    assert shell.route.stops[2].open == sum(row.status != "found" for row in shell.session.media)
    # Turnover says it too.
    shell.go_to("Turnover")
    settled(qtbot, shell)
    assert "missing" in shell.turnover.media.text() and shell.turnover.media.isVisible()
    shell.turnover.media.linkActivated.emit("media")
    assert shell.current is shell.media
    shell.media.rules.add_folder(str(cut.parent.parent / "store"))
    settled(qtbot, shell)
    asked = next(row for row in shell.session.media if row.asked)
    shell.media.go_to_medium(asked.media.id)
    shell.media.take(str(asked.candidates[1].path))
    settled(qtbot, shell)
    answered = next(row for row in shell.session.media if row.media.id == asked.media.id)
    assert answered.path == asked.candidates[1].path and not answered.asked
    # On to the next that wants something done.
    assert shell.media._row.media.id != asked.media.id and shell.media._row.problems


def test_a_turnover_says_what_it_is_at(
    qtbot: QtBot, shell: Shell, demo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    opened(qtbot, shell, demo / CUT)
    shell.go_to("Turnover")
    settled(qtbot, shell)
    turnover, place = shell.turnover, tmp_path / "new" / "deep"
    turnover.folder.setText(str(place))
    assert shell.header.main.text() == "Make the folder and write"
    assert "the folder will be made" in turnover.plan.text()
    qtbot.mouseClick(shell.header.main, Qt.MouseButton.LeftButton)
    assert turnover.stage is Stage.WRITING and not shell.header.main.isEnabled()
    qtbot.waitUntil(lambda: turnover.stage is Stage.WRITTEN, timeout=20_000)
    assert turnover.state.text() == "Written, read back and found equal, byte for byte."
    whole = sorted(one.name for one in place.iterdir())
    assert len(whole) == 3

    # Stopped in the middle: it says so, nothing of it is there, what was there before is unchanged.
    stamps = {one.name: one.stat().st_mtime_ns for one in place.iterdir()}
    shell.session.decide(sizing=False)
    assert turnover.parts.model_rows.rows == [] and not turnover.main_action()[1]
    settled(qtbot, shell)

    def slow(parts, folder, source, step):  # type: ignore[no-untyped-def]
        for _ in range(2000):
            step("writing", 0.5)
            qtbot_sleep()
        raise AssertionError("nobody stopped it")

    def qtbot_sleep() -> None:
        import time

        time.sleep(0.005)

    monkeypatch.setattr("wexodos.desktop.stops.turnover.write_package", slow)
    qtbot.mouseClick(shell.header.main, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: shell.stop_button.isVisible(), timeout=5000)
    qtbot.mouseClick(shell.stop_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: turnover.stage is Stage.STOPPED, timeout=10_000)
    assert turnover.state.text().startswith("Stopped.") and turnover.result.model_rows.rows == []
    assert {one.name: one.stat().st_mtime_ns for one in place.iterdir()} == stamps
    assert shell.header.main.isEnabled()

    def broken(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("wexodos.desktop.stops.turnover.write_package", broken)
    qtbot.mouseClick(shell.header.main, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: turnover.stage is Stage.FAILED, timeout=10_000)
    assert "found equal" not in turnover.state.text() and not turnover.open_count()[2]
    # A folder that is taken away meanwhile is seen.
    shutil.rmtree(place)
    qtbot.waitUntil(lambda: shell.header.main.text() == "Make the folder and write", timeout=5000)


@pytest.mark.parametrize(
    ("destination", "names"),
    [
        ("mixing-omf", {"tolerance"}),
        ("cut-list-edl", {"markers"}),
        ("grading-lane-xml", {"sizing", "tolerance", "organised", "markers"}),
    ],
)
def test_only_options_that_apply_are_shown(destination: str, names: set[str]) -> None:
    assert options_of(find_destination(destination)) == names


def test_an_untouched_return_has_no_differences_and_lists_what_comes_home(
    qtbot: QtBot, shell: Shell, demo: Path, tmp_path: Path
) -> None:
    opened(qtbot, shell, demo / CUT)
    back = tmp_path / "back.fcpxml"
    back.write_bytes(shell.session.carried.data)
    shell.go_to("Return")
    shell.returning.open(back)
    qtbot.waitUntil(lambda: shell.session.home.returned is not None, timeout=180_000)
    settled(qtbot, shell)
    returned = shell.session.home.returned
    assert returned.differences == [] and shell.returning.open_count() == (0, False, True)
    assert returned.home.missing == () and len(returned.laid) > 20
    texts = [shell.returning.edited.groups[group].text() for group in Group]
    assert texts == ["0 changed over there", f"{len(returned.laid)} put back", "0 did not come back"]
    # What comes home is listed by itself, item by item.
    rows = shell.returning.edited.table.model_rows.rows
    assert rows == returned.laid and {one.kind for one in rows} >= {"added", "changed"}
    assert shell.header.main.text() == "Save the cut that came home…"
    qtbot.mouseClick(shell.returning.edited.groups[Group.CHANGED], Qt.MouseButton.LeftButton)
    assert shell.returning.edited.table.model_rows.rows == []
    home = tmp_path / "home.xml"
    shell.returning.write_home(home)
    qtbot.waitUntil(lambda: "is saved with" in shell.status.text(), timeout=20_000)
    words = {item.content.words for item in read_file(home).top_level[0].items() if item.kind == "title"}
    assert any("Ilka" in one for one in words) or words


def test_a_restart_comes_back_to_where_one_was(
    qtbot: QtBot, shell: Shell, demo: Path, tmp_path: Path
) -> None:
    opened(qtbot, shell, demo / CUT)
    shell.turnover.folder.setText(str(tmp_path))
    shell.go_to("Carry-over")
    shell.carry.ledger.zoom(6.0)
    shell.session.set_playhead(4321)
    zoom = shell.carry.ledger.view()
    shell.media.table.setColumnWidth(1, 222)
    shell.close()
    again = Shell(QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(again, before_close_func=lambda one: one.session.tasks.finish())
    again.show()
    assert again.media.table.columnWidth(1) == 222
    assert again.views.last is not None
    again.open(again.views.last)
    settled(qtbot, again)
    assert again.current is again.carry and again.session.playhead == 4321
    assert again.turnover.folder.text() == str(tmp_path)
    assert again.carry.ledger.view()[1] == pytest.approx(zoom[1], rel=0.02)
    assert again.session.destination.id == "grading-lane-xml"


@pytest.mark.thorough
def test_two_windows_on_one_job(qtbot: QtBot, shell: Shell, demo: Path) -> None:
    opened(qtbot, shell, demo / CUT)
    other = Shell(shell.settings)
    qtbot.addWidget(other, before_close_func=lambda one: one.session.tasks.finish())
    other.show()
    shell.session.save()
    other.open(demo / CUT)
    settled(qtbot, other)
    assert other.session.looking and not shell.session.looking
    assert other.notice.isVisible() and "open in another window" in other.notice.words.text()
    # What is decided in the window that only looks changes nothing, and nothing is overwritten.
    file = shell.session.job_file
    before = file.read_bytes()
    other.session.decide(sizing=False)
    assert other.session.job.now.sizing
    other.session.save()
    assert file.read_bytes() == before
    # It takes over: what the first one decided last is kept, and the first one looks.
    shell.session.decide(organised=True)
    qtbot.mouseClick(other.notice.buttons[0], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not other.session.looking, timeout=10_000)
    assert shell.session.looking and shell.notice.isVisible() and not other.notice.isVisible()
    assert other.session.job.now.organised
    other.session.decide(sizing=False)
    assert not other.session.job.now.sizing


def test_finding_finds_places_media_and_kinds_and_says_when_there_is_nothing(
    qtbot: QtBot, shell: Shell, demo: Path
) -> None:
    opened(qtbot, shell, demo / CUT)
    found = Targets(shell)
    by_kind = {target.kind.split(",")[0]: target for target in found.all()}
    assert {"command", "sequence", "kind of finding", "medium", "clip"} <= set(by_kind)
    finder = Finder(found.all(), "", shell, also=found.timecode)
    qtbot.addWidget(finder)
    finder.show()
    qtbot.keyClicks(finder.field, "01:02:00:00")
    qtbot.keyClick(finder, Qt.Key.Key_Return)
    assert shell.session.playhead == 2 * 60 * 25
    assert found.timecode("09:00:00:00") == [] and found.timecode("+12")[0].words == "Go to 01:00:00:12"
    finder = Finder(found.all(), "no such thing at all", shell, also=found.timecode)
    qtbot.addWidget(finder)
    assert [finder.list.item(row).text() for row in range(finder.list.count())] == [
        "Nothing is called “no such thing at all”"
    ]
    finder._go(finder.list.item(0))
    next(target for target in found.all() if target.words == "A003C012.mov").act()
    assert shell.current is shell.media and shell.media._row.media.file_name == "A003C012.mov"


def test_recent_jobs_of_one_name_are_told_apart_and_can_be_forgotten(
    qtbot: QtBot, shell: Shell, demo: Path, tmp_path: Path
) -> None:
    for name in ("monday", "tuesday"):
        (tmp_path / name).mkdir()
        shutil.copy(demo / CUT, tmp_path / name)
        opened(qtbot, shell, tmp_path / name / CUT)
        shell.session.save()
    shell.intake.show_recent()
    grid = shell.intake.recent_box
    rows = [
        [grid.itemAtPosition(row, column).widget() for column in range(5)]
        for row in range(grid.rowCount())
        if grid.itemAtPosition(row, 0) is not None and not grid.itemAtPosition(row, 0).widget().isHidden()
    ]
    told = [[widget.text() for widget in row] for row in rows]
    assert [row[0] for row in told] == [CUT, CUT]
    assert told[0][1].endswith("tuesday") and told[1][1].endswith("monday")
    assert told[0][2:4] == ["to Grading, Lane XML", "today"]
    assert near(tmp_path / "monday" / CUT) == str(tmp_path / "monday")
    gone = rows[1][4]
    assert isinstance(gone, QPushButton)
    gone.click()
    assert [Path(job.source).parent.name for _, job in recent()] == ["tuesday"]
    assert (tmp_path / "monday" / CUT).exists()
