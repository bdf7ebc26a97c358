"""The window, driven as a person would: offscreen here, in a real window in the test below."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import QEvent, QPoint, Qt
from PySide6.QtWidgets import QApplication, QLabel, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from wexodos.carryover import Row, rows
from wexodos.desktop.shell import Shell
from wexodos.desktop.stops.intake import plain_facts
from wexodos.desktop.targets import Targets
from wexodos.desktop.theme import DAY, NIGHT
from wexodos.desktop.theme.palette import contrast
from wexodos.desktop.widgets.ledger import LABEL, OVERVIEW, RULER, Ledger
from wexodos.desktop.widgets.ledger_data import build
from wexodos.formats import FORMATS, read_file
from wexodos.job import Job, load, save
from wexodos.model import Document, Item, Media, MediaUse, Motion, Sequence, Sound, Track
from wexodos.timing import Rate


def opened(qtbot: QtBot, shell: Shell, path: Path, destination: str = "grading-lane-xml") -> None:
    shell.open(path)
    qtbot.waitUntil(
        lambda: shell.session.carried is not None and not shell.session.tasks.active, timeout=30_000
    )
    shell.session.decide(destination=destination)
    settled(qtbot, shell)


def settled(qtbot: QtBot, shell: Shell) -> None:
    qtbot.waitUntil(
        lambda: shell.session.carried is not None and not shell.session.tasks.active, timeout=30_000
    )


def test_from_intake_to_return(qtbot: QtBot, shell: Shell, demo: Path, tmp_path: Path) -> None:
    assert shell.intake.stack.currentIndex() == 0
    opened(qtbot, shell, demo / "kiln-night.xml")
    assert shell.header.cut.button.text() == "Kiln Night R1 v7"
    assert shell.intake.sequences.model_rows.rowCount() == 2
    gathered = rows(shell.session.carried.findings)
    assert shell.route.stops[3].open == sum(row.open for row in gathered) < len(gathered)
    assert "no silent loss" in shell.status.text()

    for stop in (shell.tidying, shell.media, shell.carry):
        qtbot.mouseClick(shell.header.main, Qt.MouseButton.LeftButton)
        assert shell.current is stop
    assert shell.carry.table.proxy.rowCount() == sum(not row.closely for row in gathered)
    wipe = next(one for one in shell.session.carried.findings if one.what == "wipe")
    shell.carry.go(wipe)
    # In the middle of a transition both pictures can be seen.
    assert shell.session.playhead == (int(wipe.start) + int(wipe.stop) - 1) // 2
    assert "dissolve" in shell.carry.facts.why.text()
    # Its facts are those of the clip it leads to, which is on.
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    told = {one.text() for one in shell.carry.facts.findChildren(QLabel)}
    assert "source frame" in told and "not on screen at the playhead" not in told

    qtbot.mouseClick(shell.header.main, Qt.MouseButton.LeftButton)
    assert shell.current is shell.turnover
    target = tmp_path / "package"
    target.mkdir()
    shell.turnover.folder.setText(str(target))
    qtbot.mouseClick(shell.header.main, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: len(shell.turnover.written) == 3, timeout=20_000)
    assert sorted(one.suffix for one in target.iterdir()) == [".fcpxml", ".html", ".json"]
    assert read_file(target / "Kiln Night R1 v7.fcpxml").top_level[0].name == "Kiln Night R1 v7"
    assert shell.route.stops[4].done

    shell.returning.open(demo / "kiln-night-graded.xml")
    shell.go_to("Return")
    qtbot.waitUntil(lambda: shell.session.home.returned is not None, timeout=20_000)
    came = shell.returning.edited.table.model_rows.rows
    assert {"gone", "moved", "retitled", "slipped"} <= {one.kind for one in came}
    gone = next(one for one in came if one.kind == "gone" and one.item == "Clay pit")
    shell.returning.edited.go(gone)
    assert shell.session.playhead == gone.start

    # What was lost on the way over is no difference; it is put back, and the cut can be saved.
    home = tmp_path / "home.xml"
    assert shell.header.main.text() == "Save the cut that came home…"
    shell.returning.write_home(home)
    qtbot.waitUntil(lambda: "home.xml is saved with" in shell.status.text(), timeout=20_000)
    assert read_file(home).top_level[0].name == "Kiln Night R1 v7 graded"


@pytest.mark.thorough
def test_options_of_the_hand_over_are_decisions_that_can_be_undone(
    qtbot: QtBot, shell: Shell, demo: Path
) -> None:
    opened(qtbot, shell, demo / "kiln-night.xml")
    shell.go_to("Turnover")
    qtbot.mouseClick(shell.turnover.choices.switches["sizing"], Qt.MouseButton.LeftButton, pos=QPoint(8, 8))
    settled(qtbot, shell)
    assert any(one.what == "sizing" for one in shell.session.carried.findings)
    # Two pixels are four times the half pixel that is usual.
    shell.turnover.choices.tolerance.setValue(2.0)
    settled(qtbot, shell)
    assert shell.session.job.now.tolerance == 4.0
    shell.session.undo()
    shell.session.undo()
    settled(qtbot, shell)
    assert shell.turnover.choices.switches["sizing"].isChecked()
    assert shell.turnover.choices.tolerance.value() == 0.5
    assert not any(one.what == "sizing" for one in shell.session.carried.findings)


def test_a_job_without_a_destination_keeps_what_was_decided(
    qtbot: QtBot, shell: Shell, demo: Path, tmp_path: Path
) -> None:
    """The destination that is proposed is no decision: what was decided stays, and what can be undone."""
    job = tmp_path / "night.wexo"
    save(Job(str(demo / "kiln-night.xml")).decide(tolerance=2.0).decide(refused=("gone",)), job)
    shell.open(job)
    settled(qtbot, shell)
    kept = shell.session.job
    assert (kept.now.tolerance, kept.now.refused) == (2.0, ("gone",)) and load(job).now == kept.now
    shell.session.undo()
    settled(qtbot, shell)
    now = shell.session.job.now
    assert (now.tolerance, now.refused) == (2.0, ()) and now.destination == kept.now.destination != ""


def test_remedies_undo_and_the_saved_job(qtbot: QtBot, shell: Shell, demo: Path) -> None:
    opened(qtbot, shell, demo / "kiln-night.xml")
    shell.go_to("Carry-over")
    wipe = next(one for one in shell.session.carried.findings if one.what == "wipe")
    shell.carry.go(wipe)
    # Buttons of the finding before may still be waiting to be deleted; the newest is the last.
    leave = [
        button
        for button in shell.carry.facts.buttons.findChildren(QPushButton)
        if button.text() == "Leave behind"
    ][-1]
    qtbot.mouseClick(leave, Qt.MouseButton.LeftButton)
    settled(qtbot, shell)
    fates = {one.key: one.fate.value for one in shell.session.carried.findings}
    assert fates[wipe.key] == "left behind"
    shell.session.undo()
    settled(qtbot, shell)
    assert {one.key: one.fate.value for one in shell.session.carried.findings}[wipe.key] == "adapted"
    menu = shell.carry.remedy_menu(wipe)
    next(action for action in menu.actions() if action.text() == "leave all “wipe”").trigger()
    settled(qtbot, shell)
    assert {one.fate.value for one in shell.session.carried.findings if one.what == "wipe"} == {"left behind"}
    shell.session.save()
    assert load(shell.session.job_file).now.by_kind == {"transition|wipe": "leave"}

    shell.close()
    other = Shell(shell.settings)
    qtbot.addWidget(other)
    other.open(demo / "kiln-night.xml")
    settled(qtbot, other)
    assert other.session.job.now.by_kind == {"transition|wipe": "leave"}
    other.session.undo()
    assert other.session.job.now.by_kind == {}
    assert [
        button.text()
        for button in other.intake.stack.widget(0).findChildren(QPushButton)
        if "kiln-night.xml" in button.text()
    ]


def test_filters_keys_and_finding(qtbot: QtBot, shell: Shell, demo: Path) -> None:
    opened(qtbot, shell, demo / "kiln-night.xml")
    shell.go_to("Carry-over")
    whole = shell.carry.table.proxy.rowCount()
    qtbot.keyClick(shell, Qt.Key.Key_4)
    assert {row.fate.value for row in shell.carry.table.visible_rows()} == {"noted"}
    qtbot.keyClick(shell, Qt.Key.Key_4)
    assert shell.carry.table.proxy.rowCount() == whole
    shell.session.set_playhead(100)
    qtbot.keyClick(shell, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert shell.session.playhead == 110
    qtbot.keyClick(shell, Qt.Key.Key_Down)
    assert shell.session.playhead in {int(item.start) for item in shell.session.side.sequence.items()} | {
        int(item.end) for item in shell.session.side.sequence.items()
    }
    before = shell.carry._current
    qtbot.keyClick(shell, Qt.Key.Key_N)
    assert shell.carry._current is not before
    qtbot.keyClick(shell, Qt.Key.Key_6, Qt.KeyboardModifier.ControlModifier)
    assert shell.current is shell.returning
    names = {target.words for target in Targets(shell).all()}
    assert {"Three fires", "Next finding or problem", "Inset"} <= names
    # Eleven places of one cause can be told apart in the list.
    fades = [(one.words, one.kind) for one in Targets(shell).all() if "equal-gain crossfade" in one.words]
    assert len(fades) == len(set(fades)) == 11
    shell.header.finding.setText("credits")
    shell.go_to("Carry-over")
    qtbot.keyClick(shell.header.finding, Qt.Key.Key_Return)
    assert "Credits" in shell.carry._current.item


def test_a_row_opens_and_is_chosen_for_as_a_whole(qtbot: QtBot, shell: Shell, demo: Path) -> None:
    opened(qtbot, shell, demo / "kiln-night.xml", "editing-lane-xml")
    shell.go_to("Carry-over")
    table, session = shell.carry.table, shell.session
    fades = next(row for row in rows(session.carried.findings) if row.what == "equal-gain crossfade")
    assert fades.many == 11
    shell.carry.go(fades.findings[4])
    shown = table.current_row()
    assert isinstance(shown, Row) and shown.findings == fades.findings
    fade = fades.findings[4]
    assert session.playhead == (int(fade.start) + int(fade.stop) - 1) // 2
    assert shell.carry.facts.title.text().startswith("equal-gain crossfade: adapted")
    # A row that is shut is one step; open, every place in it is one.
    whole = len(table.visible_rows())
    table.setFocus()
    qtbot.keyClick(table, Qt.Key.Key_Return)
    assert len(table.visible_rows()) == whole + 11
    qtbot.keyClick(table, Qt.Key.Key_Down)
    assert table.current_row() is shown.findings[0]
    assert int(fades.start) <= session.playhead < int(shown.findings[0].stop)
    qtbot.keyClick(shell, Qt.Key.Key_N)
    assert table.current_row() is shown.findings[1] and shell.carry._current is shown.findings[1]
    qtbot.keyClick(shell, Qt.Key.Key_N, Qt.KeyboardModifier.ShiftModifier)
    qtbot.keyClick(shell, Qt.Key.Key_N, Qt.KeyboardModifier.ShiftModifier)
    assert table.current_row() is shown
    assert shell.carry.facts.place.text() == "A4   first at 01:00:29:00"
    table.selectAll()
    table.copy()
    lines = QApplication.clipboard().text().split("\n")
    assert lines[0].startswith("where\ttrack\tthing\tfate") and len(lines) == 1 + whole + 11
    qtbot.keyClick(table, Qt.Key.Key_Return)
    assert len(table.visible_rows()) == whole

    # What is chosen for a row is chosen for all that is in it, and for nothing else.
    shell.carry.go(shown)
    menu = shell.carry.remedy_menu(shown)
    assert [action.text() for action in menu.actions()] == ["adapt", "leave"]
    menu.actions()[1].trigger()
    settled(qtbot, shell)
    left = {one.item_id for one in session.carried.findings if one.what == "audio-linear"}
    assert left == {one.item_id for one in fades.findings}
    fates = {one.what: one.fate.value for one in session.carried.findings}
    assert (fates["audio-linear"], fates["bar"]) == ("left behind", "adapted")
    assert isinstance(shell.carry._current, Row) and shell.carry._current.many == 11
    session.undo()
    settled(qtbot, shell)
    assert {one.fate.value for one in session.carried.findings if one.what == "audio-linear"} == {"adapted"}


def test_what_is_carried_closely_is_listed_when_it_is_asked_for(
    qtbot: QtBot, shell: Shell, demo: Path
) -> None:
    opened(qtbot, shell, demo / "kiln-night.xml", "editing-lane-xml")
    shell.go_to("Carry-over")
    table = shell.carry.table
    assert not any(row.closely for row in table.visible_rows())
    carried = shell.carry.counters.buttons["carried"]
    assert carried.toolTip() == "34 of them closely, off by up to 0.09 dB in level. Press to list them."
    assert not any(mark.fate == "carried" for mark in shell.carry.ledger.data.marks)
    qtbot.mouseClick(carried, Qt.MouseButton.LeftButton)
    (row,) = table.visible_rows()
    assert row.closely and row.many == 34
    cells = [table.proxy.index(0, column).data() for column in range(7)]
    assert cells[1:5] == [
        "A1…A5",
        "level · 34 places",
        "closely",
        "levels run straight in dB there, off by up to 0.09 dB",
    ]
    qtbot.mouseClick(carried, Qt.MouseButton.LeftButton)
    assert not any(row.closely for row in table.visible_rows())


def test_a_bad_file_is_one_sentence_and_what_is_open_stays_open(
    qtbot: QtBot, shell: Shell, demo: Path, tmp_path: Path
) -> None:
    opened(qtbot, shell, demo / "kiln-night.xml")
    bad = tmp_path / "bad.xml"
    bad.write_text("<xmeml><broken")
    shell.open(bad)
    qtbot.waitUntil(lambda: "bad.xml" in shell.status.text(), timeout=10_000)
    assert shell.session.path == demo / "kiln-night.xml"
    shell.returning.open(bad)
    qtbot.waitUntil(lambda: not shell.session.tasks.active, timeout=10_000)
    assert shell.session.home.returned is None
    read_only = tmp_path / "gone"
    shell.turnover.folder.setText(str(read_only))
    assert shell.turnover.main_action() == ("Make the folder and write", True)
    (tmp_path / "a file").write_text("")
    shell.turnover.folder.setText(str(tmp_path / "a file" / "below"))
    assert shell.turnover.main_action() == ("Write into the folder", False)


def test_folders_zips_and_other_destinations(qtbot: QtBot, shell: Shell, demo: Path, tmp_path: Path) -> None:
    folder = tmp_path / "delivery" / "deep"
    folder.mkdir(parents=True)
    shutil.copy(demo / "kiln-night.xml", folder)
    shell.open(tmp_path / "delivery")
    settled(qtbot, shell)
    assert shell.session.path == folder / "kiln-night.xml"
    action = next(
        one for one in shell.destination_menu().actions() if one.text().startswith("Mixing, Lane XML")
    )
    action.trigger()
    settled(qtbot, shell)
    assert shell.session.carried.destination.id == "mixing-lane-xml"
    assert shell.carry.ledger.data.row_of("A1") is not None


def test_every_control_has_a_name_and_can_be_reached(shell: Shell) -> None:
    for widget in shell.findChildren(QWidget):
        if isinstance(widget, QPushButton) and widget.isVisibleTo(shell):
            assert widget.text() or widget.accessibleName(), widget
    for part in (
        shell.route,
        shell.carry.ledger,
        shell.carry.table,
        shell.intake.sequences,
        shell.header.finding,
    ):
        assert part.accessibleName()
        assert part.focusPolicy() != Qt.FocusPolicy.NoFocus


@pytest.mark.parametrize("size", [(1024, 700), (1280, 800), (2560, 1440)])
@pytest.mark.parametrize("theme", ["night", "day"])
@pytest.mark.sampled(6)
def test_nothing_is_wider_than_the_window(
    qtbot: QtBot, shell: Shell, demo: Path, size: tuple[int, int], theme: str
) -> None:
    shell.use_theme(theme)
    shell.resize(*size)
    opened(qtbot, shell, demo / "kiln-night.xml")
    for index, stop in enumerate(shell.stops):
        shell.go_to(index)
        QApplication.processEvents()
        assert shell.width() == size[0], f"{stop.name} forces the window wider"
        assert stop.width() <= size[0] - 90


@pytest.mark.parametrize("palette", [NIGHT, DAY], ids=lambda one: one.name)
def test_text_can_be_read(palette) -> None:  # type: ignore[no-untyped-def]
    for ground in (palette.ground, palette.panel, palette.raised):
        for words in (palette.text, palette.dim):
            assert contrast(words, ground) >= 4.5, (words, ground)
    for fate in ("adapted", "baked", "noted", "left behind"):
        assert contrast(palette.fate(fate), palette.panel) >= 4.5, fate
    assert contrast(palette.on_accent, palette.accent) >= 4.5
    for fill in (palette.clip, palette.clip_after):
        assert contrast(palette.text, fill) >= 4.5


def test_the_ledger_finds_items_marks_and_places(qtbot: QtBot, kiln_night: Document) -> None:
    ledger = Ledger()
    qtbot.addWidget(ledger)
    ledger.resize(1000, 520)
    sequence = kiln_night.top_level[0]
    ledger.show_data(build(sequence, sequence))
    ledger.show()
    chosen: list[str] = []
    ledger.item_chosen.connect(chosen.append)
    target = sequence.video_tracks[0].items[20]
    ledger.zoom(12.0, float(target.start))
    row = ledger.data.row_of("V1")
    assert row is not None
    y = OVERVIEW + RULER + row * ledger._row + 5 - ledger._top
    x = int(ledger._x(float(target.start) + 10))
    qtbot.mouseClick(ledger, Qt.MouseButton.LeftButton, pos=QPoint(x, y))
    assert chosen == [target.id]
    assert target.start <= ledger.playhead < target.end
    assert ledger.next_cut(1) > ledger.playhead >= ledger.next_cut(-1)
    ledger.fit()
    assert ledger.origin == 0
    assert ledger._x(ledger.data.length) <= ledger.width()
    assert ledger._frame(LABEL) == 0


@pytest.mark.skipif(shutil.which("Xvfb") is None, reason="Xvfb is not installed")
def test_the_main_path_in_a_real_window(demo: Path, tmp_path: Path) -> None:
    """Start the application under a virtual screen, take a cut in, go through the stops, write, and quit."""
    script = tmp_path / "drive.py"
    script.write_text(f"""
import sys
from pathlib import Path
from PySide6.QtTest import QTest
from PySide6.QtCore import QEvent, QPoint, Qt
from PySide6.QtWidgets import QApplication
from wexodos.desktop.run import settle
from wexodos.desktop.shell import Shell
from wexodos.desktop.theme import install
app = QApplication([])
assert app.platformName() == "xcb", app.platformName()
install(app, "night")
window = Shell()
window.show()
assert QTest.qWaitForWindowExposed(window)
window.open(Path({str(demo / "kiln-night.xml")!r}))
settle(app, window)
for stop in (window.tidying, window.media, window.carry):
    QTest.mouseClick(window.header.main, Qt.LeftButton)
    QTest.qWait(50)
    assert window.current is stop
settle(app, window)
shot = window.grab().toImage()
assert shot.width() >= 960 and len({{shot.pixel(x, y) for x in range(0, 900, 7) for y in range(60, 600, 7)}}) > 12
QTest.mouseClick(window.header.main, Qt.LeftButton)
window.turnover.folder.setText({str(tmp_path)!r})
QTest.mouseClick(window.header.main, Qt.LeftButton)
settle(app, window)
assert (Path({str(tmp_path)!r}) / "Kiln Night R1 v7.fcpxml").is_file()
window.close()
print("done")
""")
    environment = {
        **os.environ,
        "QT_QPA_PLATFORM": "xcb",
        "HOME": str(tmp_path),
        "XDG_DATA_HOME": str(tmp_path / "d"),
        "XDG_CONFIG_HOME": str(tmp_path / "c"),
        "XDG_RUNTIME_DIR": str(tmp_path),
    }
    environment.pop("DISPLAY", None)
    screen = subprocess.Popen(
        ["Xvfb", "-displayfd", "1", "-screen", "0", "1280x800x24", "-nolisten", "tcp"],
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
    )
    try:
        assert screen.stdout is not None
        environment["DISPLAY"] = ":" + screen.stdout.readline().strip()
        done = subprocess.run(
            [sys.executable, str(script)],
            env=environment,
            capture_output=True,
            text=True,
            timeout=120,
            check=False,
        )
    finally:
        screen.terminate()
        screen.wait()
    assert done.returncode == 0, done.stderr[-2000:]
    assert done.stdout.strip().endswith("done")


def test_the_toolkit_does_not_use_up_none(qapp: QApplication) -> None:
    """One release of the toolkit did, which ended the application after some thousand paint calls."""
    from PySide6.QtGui import QColor, QPainter, QPixmap

    pixmap = QPixmap(4, 4)
    painter = QPainter(pixmap)
    before = sys.getrefcount(None)
    # Other threads take and give some meanwhile; that release took one for each call.
    for _ in range(20_000):
        painter.setPen(QColor("red"))
    painter.end()
    assert sys.getrefcount(None) > before - 10_000


def test_a_turnover_of_sound_has_its_settings_and_is_written_where_it_goes(
    qtbot: QtBot, shell: Shell, tmp_path: Path
) -> None:
    source = sound_cut(tmp_path)
    opened(qtbot, shell, source, "mixing-omf")
    shell.go_to("Turnover")
    controls = shell.turnover.settings.controls
    assert (
        not controls["container"].isHidden()
        and not controls["split"].isHidden()
        and controls["long_reels"].isHidden()
    )
    controls["bits"].setCurrentIndex(controls["bits"].findData("16"))
    controls["bits"].activated.emit(controls["bits"].currentIndex())
    settled(qtbot, shell)
    assert shell.session.job.now.settings == {"bits": "16"}
    assert {"bits"} <= {one.what for one in shell.session.carried.findings}
    shell.session.undo()
    settled(qtbot, shell)
    assert shell.session.job.now.settings == {} and controls["bits"].currentData() == "24"
    # Settings belong to a destination: another one has its own.
    shell.session.decide(destination="mixing-aaf-linked")
    settled(qtbot, shell)
    assert controls["container"].isHidden() and controls["sound"].currentData() == "linked"
    package = tmp_path / "package"
    package.mkdir()
    shell.turnover.folder.setText(str(package))
    qtbot.mouseClick(shell.header.main, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: bool(shell.turnover.written), timeout=30_000)
    names = {str(one.path.relative_to(package)) for one in shell.turnover.written}
    assert {
        "Kiln sound.aaf",
        "Kiln sound media/boom-001.A1.wav",
        "Kiln sound report.html",
        "Kiln sound report.json",
    } == names
    assert "sample by sample" in shell.turnover.state.text()
    back = read_file(package / "Kiln sound.aaf")
    assert back.media[0].path == str(package / "Kiln sound media" / "boom-001.A1.wav")
    opened(qtbot, shell, package / "Kiln sound.aaf", "editing-lane-xml")
    assert any(words == "AAF (.aaf) 1.1" for _, words in plain_facts(back, back.top_level[0]))


def sound_cut(folder: Path) -> Path:
    """A small cut of one recording, as Track XML."""
    soundfile.write(folder / "boom.wav", np.linspace(-0.5, 0.5, 480_000), 48_000, subtype="PCM_24")
    media = Media(
        "m",
        "boom.wav",
        str(folder / "boom.wav"),
        "S1",
        0,
        False,
        250,
        Rate(25),
        channels=1,
        sample_rate=48_000,
        audio=True,
    )
    items = tuple(
        Item(f"i{n}", f"Boom {n}", 50 * n, 40, MediaUse("m"), n, sound=Sound((1,))) for n in range(3)
    )
    cut = Sequence(
        "s", "Kiln sound", Rate(25), 90_000, sample_rate=48_000, tracks=(Track("audio", items, name="Boom"),)
    )
    path = folder / "cut.xml"
    path.write_bytes(FORMATS["xmeml"].write(Document("xmeml", "5", (cut,), (media,)), "s", "5", None))
    return path


def test_work_that_was_not_begun_when_the_window_went_is_not_begun(shell: Shell, qtbot: QtBot) -> None:
    done: list[str] = []
    shell.session.tasks.start("kiln", lambda _step: done.append("worked"), done.append, done.append)
    shell.session.tasks.finish()
    qtbot.wait(100)
    assert done == [] and not shell.session.tasks.active


def test_the_row_of_what_is_no_item_comes_into_view(qtbot: QtBot) -> None:
    tracks = tuple(
        Track("video", (Item(f"i{number}", f"Layer {number}", 0, 100, MediaUse("m"), motion=Motion()),))
        for number in range(40)
    )
    sequence = Sequence("s", "Kiln", Rate(25), tracks=tracks)
    ledger = Ledger()
    qtbot.addWidget(ledger)
    ledger.resize(800, 400)
    ledger.show_data(build(sequence, sequence))
    ledger.show()
    chosen: list[str] = []
    ledger.item_chosen.connect(chosen.append)
    low = QPoint(LABEL + 40, ledger.height() - 30)
    # The highest layers lie on top; V3 is far below them.
    qtbot.mouseClick(ledger, Qt.MouseButton.LeftButton, pos=low)
    assert chosen.pop() not in ("i2", "")
    ledger.select("a transition", "V3")
    qtbot.mouseClick(ledger, Qt.MouseButton.LeftButton, pos=low)
    assert chosen == ["i2"]
