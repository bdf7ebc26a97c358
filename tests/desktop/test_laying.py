"""Renders and sound come back in the window: taken in, looked through, moved, saved."""

from __future__ import annotations

import json
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QApplication, QComboBox, QPushButton
from pytestqt.qtbot import QtBot
from tests.homecoming.test_mixes import MUSIC, RATE, SPEECH, later, mixed_down, written
from tests.homecoming.test_mixes import cut as sounding  # noqa: F401
from tests.homecoming.test_renders import (
    ITEMS,
    Shoot,
    cut_of,
    graded,
    movie,
    room,
    shoot,  # noqa: F401
    shown,
    source,
    whole_of,
)

from wexodos.carryover import carry_over
from wexodos.cli.commands import main
from wexodos.desktop.shell import Shell
from wexodos.destinations import find_destination
from wexodos.farside.habits import HABITS, Habit, Room
from wexodos.formats import read_file
from wexodos.homecoming import laying
from wexodos.homecoming.laying import What
from wexodos.homecoming.renders import Matched
from wexodos.model import Motion, constant
from wexodos.timing import Rate

LEFT = Qt.MouseButton.LeftButton


def settled(qtbot: QtBot, shell: Shell) -> None:
    qtbot.waitUntil(lambda: shell.session.carried is not None and shell.session.tasks.quiet, timeout=180_000)
    qtbot.wait(10)
    qtbot.waitUntil(lambda: shell.session.tasks.quiet, timeout=180_000)


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
    qtbot.waitUntil(lambda: shell.session.laying.arrived is not None, timeout=180_000)
    page = stop.arriving
    assert page.isVisible() and page.summary.text() == (
        "<b>5 renders laid in (1 late or early and 3 with something in it already), 1 missing</b>"
    )
    assert stop.main_action() == ("Save the cut that came home…", True)
    # One is missing, one is late.
    assert stop.open_count() == (2, True, False)
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
        lambda: shell.session.laying.arrived is not None and shell.session.laying.arrived.home.corrected,
        timeout=180_000,
    )
    settled(qtbot, shell)
    assert page.correct.isChecked() and "(1 moved into place and 3 with" in page.summary.text()
    stop.run_main()
    qtbot.waitUntil(lambda: (tmp_path / "home.otio").exists(), timeout=180_000)
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
    assert stop.dropped([edited])
    qtbot.waitUntil(lambda: shell.session.home.returned is not None, timeout=180_000)
    settled(qtbot, shell)
    assert shell.session.laying.arrived is None and "cut.otio" in stop.edited.summary.text()
    # One step back it is what came before.
    shell.session.undo()
    qtbot.waitUntil(lambda: shell.session.laying.arrived is not None, timeout=180_000)
    settled(qtbot, shell)
    assert page.isVisible()
    shell.session.decide(returned="")
    settled(qtbot, shell)
    assert stop.dropped([tmp_path / "back"])
    qtbot.waitUntil(lambda: shell.session.laying.arrived is not None, timeout=180_000)
    # Something else: the page goes, and comes again.
    again = next(one for one in page.findChildren(QPushButton) if one.text() == "Open another…")
    qtbot.mouseClick(again, LEFT)
    QApplication.processEvents()
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
    qtbot.waitUntil(lambda: shell.session.laying.arrived is not None, timeout=180_000)
    rows = stop.arriving.table.visible_rows()
    assert [(row.track, row.thing, row.by, row.words) for row in rows] == [
        ("A1–A2", "mix", "the cut's sound", "3000 samples earlier than the cut (1 frame)"),
        # Of the last two frames there is one half.
        ("A1–A2", "speech", "", "nothing of it until 01:00:36:00"),
    ]
    assert stop.arriving.correct.isVisible() and stop.main_action()[1]
    assert stop.arriving.summary.text() == "<b>1 sound, 1 out of sync, 1 hole</b>"
    assert stop.open_count() == (2, True, False)
    # Its waveform is drawn in the ledger; by its path, as a file of the cut may be called the same.
    peaks = shell.session.search.peaks
    qtbot.waitUntil(lambda: str(mix) in peaks, timeout=60_000)
    assert mix.name not in peaks
    with_it = stop.arriving.ledger.grab().toImage()
    peaks[mix.name] = 0 * peaks[str(mix)]
    stop.arriving.ledger.refresh()
    assert stop.arriving.ledger.grab().toImage() == with_it
    del peaks[str(mix)]
    stop.arriving.ledger.refresh()
    assert stop.arriving.ledger.grab().toImage() != with_it
    shell.session.laying.drop()
    said: list[str] = []
    shell.session.said.connect(lambda words, _bad: said.append(words))
    (tmp_path / "empty").mkdir()
    assert stop.dropped([tmp_path / "empty"])
    qtbot.waitUntil(lambda: any("nothing in it can come home" in words for words in said), timeout=180_000)
    assert shell.session.laying.arrived is None


@pytest.mark.thorough
def test_a_file_with_sound_in_it_is_the_tracks_of_a_mix_or_an_edited_cut_as_a_person_says(
    qtbot: QtBot,
    shell: Shell,
    sounding: Path,  # noqa: F811
    tmp_path: Path,
) -> None:
    back = tmp_path / "Kiln Night mixed.aaf"
    assert main(["translate", str(sounding), "--to", "mixing-aaf-embedded", "--out", str(back)]) == 0
    opened(qtbot, shell, sounding)
    stop, page = shell.returning, shell.returning.arriving
    assert not stop.edited.as_tracks.isVisible()
    assert stop.dropped([back])
    qtbot.waitUntil(lambda: shell.session.home.returned is not None, timeout=180_000)
    settled(qtbot, shell)
    assert stop.edited.as_tracks.isVisible() and not page.isVisible()
    qtbot.mouseClick(stop.edited.as_tracks, LEFT)
    qtbot.waitUntil(lambda: shell.session.laying.arrived is not None, timeout=180_000)
    settled(qtbot, shell)
    rows = page.table.visible_rows()
    told = [(row.track, row.words) for row in rows]
    assert page.isVisible() and told == [(one, "in sync, to the sample") for one in ("A1", "A2")]
    page.go(rows[1])
    settled(qtbot, shell)
    (box,) = [one for one in page.facts.findChildren(QComboBox) if one.isVisible()]
    box.setCurrentIndex(box.findData("edit"))
    box.activated.emit(box.currentIndex())
    settled(qtbot, shell)
    assert stop.edited.as_tracks.isVisible() and shell.session.laying.arrived is None


@pytest.mark.thorough
def test_files_are_left_out_told_and_taken_over_by_later_ones(
    qtbot: QtBot,
    shell: Shell,
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """One after the other, each undone by itself; the contact sheet with the arrow keys. Each file is measured
    once."""
    looked: list[str] = []

    def chosen(one: Matched, *rest: object) -> object:
        looked.append(one.path.name)
        return laying_chosen(one, *rest)  # type: ignore[arg-type]

    laying_chosen = laying._chosen
    monkeypatch.setattr(laying, "_chosen", chosen)
    opened(qtbot, shell, cut_of(shoot, tmp_path))
    stop, page = shell.returning, shell.returning.arriving
    list(room(shoot, tmp_path / "first", "KN_{number:04d}", True, 4))
    second = tmp_path / "second"
    second.mkdir()
    # Its picture is none of the cut's.
    frames = [graded(source(shoot, ITEMS[1], at))[::-1] for at in range(-2, 32)]
    movie(second / "pick up.mov", frames, None)

    def shown() -> dict[str, str]:
        settled(qtbot, shell)
        arrived = shell.session.laying.arrived
        assert arrived is not None
        return {one.matched.found.event.item.id: one.matched.path.name for one in arrived.home.renders}

    def pressed(words: str) -> None:
        button = next(one for one in page.facts.findChildren(QPushButton) if one.text() == words)
        qtbot.mouseClick(button, LEFT)

    stop.dropped([tmp_path / "first"])
    qtbot.waitUntil(lambda: shell.session.laying.arrived is not None, timeout=180_000)
    assert len(shown()) == 6
    row = next(one for one in page.table.visible_rows() if one.thing == "Turning")
    page.go(row)
    pressed("Leave it out")
    assert "Turning" not in shown()
    assert [one.words for one in page.table.visible_rows() if one.thing == "Turning"] == [
        "KN_0002.mov was left out"
    ]
    assert len(looked) == 6
    page.go(next(one for one in page.table.visible_rows() if one.thing == "left out"))
    pressed("Lay it in")
    assert len(shown()) == 6
    shell.session.undo()
    assert "Turning" not in shown()
    shell.session.redo()
    assert len(shown()) == 6
    # What nobody can tell is said by a person; what was said takes the place of what came before.
    stop.dropped([second])
    qtbot.waitUntil(lambda: shell.session.laying.arrived.returns == 2, timeout=180_000)  # type: ignore[union-attr]
    assert shown()["Turning"] == "KN_0002.mov" and "2 returns" in page.summary.text()
    shell.session.laying.tell(second / "pick up.mov", "Turning")
    assert shown()["Turning"] == "pick up.mov"
    assert looked[6:] == ["pick up.mov"]
    # The contact sheet: event by event with the arrow keys, the facts and the playhead with it.
    button = page.looks.button(1)
    qtbot.mouseClick(button, LEFT)
    sheet = page.sheet
    assert sheet.isVisible() and not page.ledger.isVisible()
    assert [cell.name for cell in sheet.cells] == [one.name for one in ITEMS]
    sheet.setCurrentIndex(sheet.model().index(0, 0))
    sheet.setFocus()
    qtbot.keyClick(sheet, Qt.Key.Key_Right)
    assert page.facts.title.text() == "Turning" and shell.session.playhead == 55
    qtbot.waitUntil(lambda: len(sheet.pictures) == 6, timeout=180_000)
    pair = sheet.pictures[1]
    # The correction is warmer: so is what came beside the original, which is upside down.
    assert warmth(pair.after) > 1.1 * warmth(pair.before)
    # The job knows it all when it is opened again.
    shell.session.save()
    job = shell.session.job_file
    shell.open(cut_of(shoot, tmp_path / "second"))
    settled(qtbot, shell)
    assert shell.session.laying.arrived is None
    shell.open(job)
    qtbot.waitUntil(lambda: shell.session.laying.arrived is not None, timeout=180_000)
    assert shown()["Turning"] == "pick up.mov"


def warmth(image: QImage | None) -> float:
    """How much more red there is than blue in the middle of a picture."""
    assert image is not None
    wide, tall = image.width(), image.height()
    colors = [
        image.pixelColor(x, y)
        for x in range(wide // 4, 3 * wide // 4, 3)
        for y in range(tall // 4, 3 * tall // 4, 3)
    ]
    return sum(one.red() for one in colors) / sum(one.blue() for one in colors)


def test_the_waveforms_show_a_mix_where_it_lies(
    qtbot: QtBot,
    shell: Shell,
    sounding: Path,  # noqa: F811
    tmp_path: Path,
) -> None:
    """A click half a second into a pause of the cut comes 4800 samples, a tenth of a second, late in the mix; after
    twenty seconds a second was put into it."""
    opened(qtbot, shell, sounding)
    stop, page = shell.returning, shell.returning.arriving
    sound = mixed_down(SPEECH + MUSIC)
    mix = later(np.concatenate([sound[: 20 * RATE], np.zeros(RATE), sound[20 * RATE :]]), 4800)
    stop.dropped([written(tmp_path / "back/KN final mix.wav", mix)])
    qtbot.waitUntil(lambda: shell.session.laying.arrived is not None, timeout=180_000)
    settled(qtbot, shell)
    view = page.waves
    qtbot.mouseClick(page.looks.button(2), LEFT)
    assert view.isVisible() and view.sounding is not None and view.sounding.late == 0.1
    shell.session.set_playhead(10 * 25)
    qtbot.waitUntil(lambda: view.waves is not None and shell.session.tasks.quiet, timeout=180_000)
    settled(qtbot, shell)
    # Half a second is seen, in 1600 columns of 15 samples, ten seconds in the middle.
    assert view.span == 0.5 and view.waves is not None
    first = 10 * RATE - RATE // 4
    # One channel in the middle goes to each side 3 dB lower.
    cut, came = (SPEECH + MUSIC) * 0.5**0.5, np.rint(np.clip(mix, -1, 1) * 8388607) / 8388608
    for column in (0, 700, 1599):
        at = first + column * 15
        assert view.waves.cut[column] == pytest.approx(
            [cut[at : at + 15].min(), cut[at : at + 15].max()], abs=2e-4
        )
        low, high = came[at : at + 15].min(), came[at : at + 15].max()
        assert view.waves.came[column] == pytest.approx([low, high], abs=2e-4)
    assert view.across(view.sounding.late) == view.width() * 0.7
    view.setFocus()
    qtbot.keyClick(view, "+")
    assert view.span == 0.25
    # Moved, it is cut there: what is heard at 25 seconds is a second and a tenth further on in it.
    assert "from 01:00:20:00 on +48000 samples more" in view.sounding.words and stop.open_count()[0] == 1
    assert page.summary.text() == "<b>1 sound, 1 out of sync</b>"
    qtbot.keyClick(view, "-")
    qtbot.mouseClick(page.correct, LEFT)
    shell.session.set_playhead(25 * 25)
    qtbot.waitUntil(lambda: view.sounding is not None and "2 parts" in view.sounding.words, timeout=180_000)
    settled(qtbot, shell)
    assert view.sounding.words == "cut into 2 parts, each where it belongs" and view.sounding.late == 0
    assert stop.open_count()[0] == 0 and page.summary.text() == "<b>1 sound, 1 moved into sync</b>"
    qtbot.waitUntil(lambda: view.waves is not None and shell.session.tasks.quiet, timeout=180_000)
    settled(qtbot, shell)
    at = 26 * RATE + 4800
    low, high = came[at : at + 15].min(), came[at : at + 15].max()
    assert view.waves is not None and view.span == 0.5
    assert view.waves.came[800] == pytest.approx([low, high], abs=2e-4)


@pytest.mark.thorough
def test_a_rehearsal_in_the_window_comes_home(
    qtbot: QtBot,
    shell: Shell,
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
) -> None:
    """A grading room that renders small and leaves sizing out, then an editing room that puts a second in."""
    opened(qtbot, shell, cut_of(shoot, tmp_path))
    ask = next(one for one in shell.returning.findChildren(QPushButton) if "Rehearse" in one.text())
    qtbot.mouseClick(ask, LEFT)
    sheet = shell.rehearsing
    assert sheet is not None and sheet.isVisible() and sheet.at is Room.GRADING
    assert set(sheet.boxes) == set(HABITS[Room.GRADING])
    assert sheet.target == tmp_path / "Kiln Night back from grading"
    sheet.folder.setText(str(tmp_path / "nowhere"))
    assert not sheet.main.isEnabled() and "no such folder" in sheet.words.text()
    sheet.folder.setText(str(tmp_path))
    for habit in (Habit.SMALL, Habit.NO_SIZING):
        box = sheet.boxes[habit]
        qtbot.mouseClick(box, LEFT, pos=QPoint(10, box.height() // 2))
        assert box.isChecked()
    qtbot.mouseClick(sheet.main, LEFT)
    assert sheet.main.text() == "Stop" and not sheet.room.isEnabled()
    qtbot.waitUntil(lambda: shell.session.laying.arrived is not None, timeout=180_000)
    settled(qtbot, shell)
    arrived = shell.session.laying.arrived
    assert arrived is not None and len(arrived.home.renders) == 6
    # A quarter of 192 by 108, in whole pairs.
    with av.open(str(arrived.home.renders[0].matched.path)) as movie:
        assert (movie.streams.video[0].width, movie.streams.video[0].height) == (48, 26)
    twice = {
        one.matched.found.event.item.id: {each.what for each in one.doubled} for one in arrived.home.renders
    }
    assert What.MOTION not in twice["Closer"] and twice["Slower"] == {What.SPEED}
    # The next one has a name of its own; a cut that was edited is looked at as such.
    sheet.room.setCurrentIndex(sheet.room.findData(Room.EDITING.value))
    assert Habit.INSERTED in sheet.boxes and Habit.SMALL not in sheet.boxes
    sheet.boxes[Habit.INSERTED].setChecked(True)
    qtbot.mouseClick(sheet.main, LEFT)
    qtbot.waitUntil(lambda: shell.session.home.returned is not None, timeout=180_000)
    settled(qtbot, shell)
    assert shell.session.laying.arrived is None and shell.returning.edited.table.isVisible()
    rows = shell.returning.edited.table.visible_rows()
    assert [(row.kind, row.before, row.after) for row in rows] == [("moved", 0, 25)]
    truth = json.loads((tmp_path / "Kiln Night back from editing truth.json").read_text())
    assert truth["habits"] == ["inserted"]


def test_changes_are_refused_one_by_one_and_all_of_a_kind(
    qtbot: QtBot,
    shell: Shell,
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """Two clips were trimmed over there and one sized otherwise; one trim is refused, then both, then one is
    taken again by undoing."""
    opened(qtbot, shell, cut_of(shoot, tmp_path))
    stop = shell.returning
    document = read_file(tmp_path / "cut.otio")
    cut = document.top_level[0]
    items = list(cut.tracks[0].items)
    items[0] = replace(items[0], duration=30)
    items[1] = replace(items[1], duration=20)
    items[5] = replace(items[5], motion=Motion(scale=constant(2.0, 2.0)))
    edited = replace(cut, tracks=(replace(cut.tracks[0], items=tuple(items)), *cut.tracks[1:]))
    made = carry_over(replace(document, sequences=(edited,)), edited, find_destination("archive-otio"))
    (tmp_path / "edited.otio").write_bytes(made.data)
    shell.session.decide(destination="archive-otio")
    settled(qtbot, shell)
    stop.open(tmp_path / "edited.otio")
    qtbot.waitUntil(lambda: shell.session.home.returned is not None, timeout=180_000)
    settled(qtbot, shell)

    def states() -> dict[tuple[str, str], str]:
        settled(qtbot, shell)
        return {(row.item, row.what): stop.edited._goes_home(row) for row in stop.edited.table.visible_rows()}

    def pressed(words: str) -> None:
        button = next(one for one in stop.edited.facts.findChildren(QPushButton) if one.text() == words)
        qtbot.mouseClick(button, LEFT)

    first = ("Throwing", "record end")
    assert states()[first] == "changed" and set(states().values()) == {"changed"}
    stop.edited.go(next(row for row in stop.edited.table.visible_rows() if (row.item, row.what) == first))
    pressed("Refuse it")
    assert [key for key, state in states().items() if state == "as it was"] == [first]
    last = next(row for row in stop.edited.table.visible_rows() if (row.item, row.what) == ("Last", "size"))
    stop.edited.go(last)
    pressed("Refuse it")
    assert states()[("Last", "size")] == "as it was" and stop.edited.facts.title.text().startswith("Last")
    shell.session.undo()
    stop.edited.go(next(row for row in stop.edited.table.visible_rows() if (row.item, row.what) == first))
    pressed("Do “refuse it” for all 2 like it")
    assert states()[("Turning", "record end")] == "as it was" and states()[("Last", "size")] == "changed"
    shell.session.undo()
    assert states()[("Turning", "record end")] == "changed"
    monkeypatch.setattr("wexodos.desktop.stops.returning.ask_target", lambda *_: tmp_path / "home.otio")
    stop.run_main()
    qtbot.waitUntil(lambda: (tmp_path / "home.otio").exists(), timeout=180_000)
    settled(qtbot, shell)
    home = {one.name: one for one in read_file(tmp_path / "home.otio").top_level[0].tracks[0].items}
    assert (home["Throwing"].duration, home["Turning"].duration) == (40, 20)
    assert home["Last"].motion is not None and home["Last"].motion.scale == constant(2.0, 2.0)


@pytest.mark.thorough
def test_names_are_read_as_a_person_writes_them_and_files_are_said_anew(
    qtbot: QtBot,
    shell: Shell,
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
) -> None:
    opened(qtbot, shell, cut_of(shoot, tmp_path))
    stop, page = shell.returning, shell.returning.arriving
    (tmp_path / "back").mkdir()
    for number, item in enumerate(ITEMS, 1):
        frames = [graded(shown(shoot, item, at)) for at in range(-2, int(item.duration) + 2)]
        movie(tmp_path / f"back/KN_{number}0.mov", frames, None)
    stop.dropped([tmp_path / "back"])
    qtbot.waitUntil(lambda: shell.session.laying.arrived is not None, timeout=180_000)
    settled(qtbot, shell)

    def by() -> list[str]:
        settled(qtbot, shell)
        return [row.by for row in page.table.visible_rows() if row.by]

    names = page.names
    assert names.isVisible() and names.scheme.text() == "KN_{number:10}"
    assert names.words.text() == "the number of the event, in tens – 6 of 6 names"
    assert all(one.startswith("number") for one in by()) and len(by()) == 6
    # Written otherwise, the numbers count something else; what nobody else tells is told by the pictures.
    names.scheme.setFocus()
    names.scheme.selectAll()
    qtbot.keyClicks(names.scheme, "KN_{shot}")
    qtbot.keyClick(names.scheme, Qt.Key.Key_Return)
    assert "{shot} stands for nothing" in names.words.text()
    assert shell.session.laying.wanted.names == ""
    names.scheme.selectAll()
    qtbot.keyClicks(names.scheme, "KN_{counter}")
    qtbot.keyClick(names.scheme, Qt.Key.Key_Return)
    assert set(by()) == {"picture"} and shell.session.laying.wanted.names == "KN_{counter}"
    shell.session.undo()
    assert all(one.startswith("number") for one in by())
    # What it was taken for is said anew: it is the other one, and says so.
    row = next(one for one in page.table.visible_rows() if one.thing == "Turning")
    page.go(row)
    settled(qtbot, shell)
    (box,) = [one for one in page.facts.findChildren(QComboBox) if one.isVisible()]
    assert box.accessibleName() == "what it is" and box.findData("Throwing") >= 0
    box.setCurrentIndex(box.findData("Last"))
    box.activated.emit(box.currentIndex())
    settled(qtbot, shell)
    told = {one.thing: one for one in page.table.visible_rows() if one.by}
    assert told["Last"].file == "KN_20.mov" and told["Last"].by.startswith("what was said")
    assert "Turning" not in told


def test_a_movie_of_the_whole_lies_over_the_cut(
    qtbot: QtBot,
    shell: Shell,
    shoot: Shoot,  # noqa: F811
    tmp_path: Path,
) -> None:
    opened(qtbot, shell, cut_of(shoot, tmp_path))
    stop, page = shell.returning, shell.returning.arriving
    movie(tmp_path / "KN v7 graded.mov", whole_of(shoot, 3), None)
    stop.dropped([tmp_path / "KN v7 graded.mov"])
    qtbot.waitUntil(lambda: shell.session.laying.arrived is not None, timeout=180_000)
    settled(qtbot, shell)
    (row,) = [one for one in page.table.visible_rows() if one.thing == "movie of the whole"]
    assert (row.words, row.track) == ("3 frames later than the cut, without the titles", "V2")
    assert stop.open_count() == (1, True, False)
    assert page.summary.text() == "<b>A movie of the whole</b>"
    qtbot.mouseClick(page.correct, LEFT)
    settled(qtbot, shell)
    assert stop.open_count() == (0, False, True)
    (item,) = shell.session.laying.arrived.home.sequence.tracks[1].items  # type: ignore[union-attr]
    assert (item.start, item.source_in) == (0, Fraction(3, 25))
