"""Tidy, Media and the pictures in the window, driven as a person would."""

from __future__ import annotations

import shutil
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QLineEdit
from pytestqt.qtbot import QtBot

from wexodos.demo.build import BACK, CUT
from wexodos.demo.scatter import GONE, TWICE
from wexodos.desktop.player import Mixer, Player, Source, audio_output
from wexodos.desktop.shell import Shell
from wexodos.evaluate import Evaluator
from wexodos.formats import read_file
from wexodos.job import load
from wexodos.sound.locate import Finder
from wexodos.tidy import Chosen, find_recipe


def settled(qtbot: QtBot, shell: Shell) -> None:
    qtbot.waitUntil(lambda: shell.session.carried is not None and shell.session.tasks.quiet, timeout=180_000)
    qtbot.wait(10)
    qtbot.waitUntil(lambda: shell.session.tasks.quiet, timeout=180_000)


def opened(qtbot: QtBot, shell: Shell, path: Path) -> None:
    shell.open(path)
    settled(qtbot, shell)
    shell.session.decide(destination="grading-lane-xml")
    settled(qtbot, shell)


def colors(image: QImage | None) -> np.ndarray:
    assert image is not None
    return np.array(
        [
            [image.pixelColor(x, y).getRgb()[:3] for x in range(0, image.width(), 9)]
            for y in range(0, image.height(), 9)
        ]
    )


@pytest.mark.thorough
def test_a_recipe_is_switched_on_changed_undone_and_saved(
    qtbot: QtBot, shell: Shell, whole_demo: Path, tmp_path: Path
) -> None:
    opened(qtbot, shell, whole_demo / CUT)
    shell.go_to("Tidy")
    settled(qtbot, shell)
    tidying, session = shell.tidying, shell.session
    assert [row.chosen.on for row in tidying.steps.rows].count(True) == 0
    # Each step says what it would do before it is switched on.
    told = {row.chosen.step: row.effect.text() for row in tidying.steps.rows}
    assert (
        told["unfold"] == "1 nest unfolded"
        and "come down" in told["collapse"]
        and told["empty"] == "no track is empty"
    )
    row = next(row for row in tidying.steps.rows if row.chosen.step == "take-out")
    qtbot.mouseClick(
        row.switch,
        Qt.MouseButton.LeftButton,
        pos=row.switch.rect().center() - QPointF(row.switch.width() / 2 - 10, 0).toPoint(),
    )
    settled(qtbot, shell)
    assert not any(item.kind == "title" for item in session.side.sequence.items())
    assert any(item.kind == "title" for item in session.taken.sequence.items())
    assert {line.line.what for line in tidying.table.visible_rows()} == {"is taken out"}
    assert not any(finding.kind == "title" for finding in session.carried.findings)
    shell.session.undo()
    settled(qtbot, shell)
    assert session.side is session.taken
    tidying.recipe.setCurrentIndex(tidying.recipe.findData("Grading"))
    tidying.recipe.activated.emit(tidying.recipe.currentIndex())
    settled(qtbot, shell)
    assert (
        session.side.sequence.name == "Kiln Night R1 v7 grading"
        and shell.header.cut.button.text() == "Kiln Night R1 v7 grading"
    )
    assert "every frame and sample is what it was" in tidying.summary.text() and shell.route.stops[1].done
    assert len(tidying.ledger.data.rows) == 10 and tidying.ledger.data.marks
    name = next(row for row in tidying.steps.rows if row.chosen.step == "duplicate").controls["name"]
    assert isinstance(name, QLineEdit)
    name.setText("For {name}")
    name.editingFinished.emit()
    settled(qtbot, shell)
    assert session.side.sequence.name == "For Kiln Night R1 v7"
    place = [row.chosen.step for row in tidying.steps.rows].index("picture")
    tidying.steps.rows[place].moved.emit(-1)
    settled(qtbot, shell)
    assert [row.chosen.step for row in tidying.steps.rows].index("picture") == place - 1
    tidying.save_recipe("Night grade")
    assert find_recipe("night grade").steps[0].options == {"name": "For {name}"}
    assert tidying.recipe.currentText() == "Night grade (yours)"
    shell.session.save()
    assert load(session.job_file).now.steps == session.steps()
    later = tmp_path / "v8" / CUT
    later.parent.mkdir()
    shutil.copy(whole_demo / CUT, later)
    session.open_version(later)
    qtbot.waitUntil(lambda: session.path == later, timeout=20_000)
    settled(qtbot, shell)
    assert session.side.sequence.name == "For Kiln Night R1 v7"


@pytest.mark.thorough
def test_the_ledger_lays_frames_of_one_timecode_over_one_another(
    qtbot: QtBot, shell: Shell, whole_demo: Path
) -> None:
    opened(qtbot, shell, whole_demo / CUT)
    shell.go_to("Tidy")
    ledger, session = shell.tidying.ledger, shell.session
    for steps, ahead, lead in (
        ((Chosen("leader"),), 200, 0),
        ((Chosen("range", True, {"from": "+500"}),), 0, 500),
    ):
        session.decide(tidy=steps)
        settled(qtbot, shell)
        data = ledger.data
        assert (data.ahead, data.lead) == (ahead, lead)
        row = data.rows[data.row_of("V1")]
        key = "clipitem-30"
        above, below = row.top.starts[row.top.ids.index(key)], row.bottom.starts[row.bottom.ids.index(key)]
        taken = next(item for item in session.taken.sequence.items() if item.id == key)
        assert above == below == taken.start + ahead
        assert data.timecode(int(above)) == str(session.taken.sequence.timecode(taken.start))
        ledger.playhead_moved.emit(int(above))
        assert (
            str(session.side.sequence.timecode(session.playhead)) == data.timecode(int(above))
            and ledger.playhead == above
        )


def test_controls_are_worked_by_key_and_a_clicked_one_leaves_space_to_playing(
    qtbot: QtBot, shell: Shell, whole_demo: Path
) -> None:
    opened(qtbot, shell, whole_demo / CUT)
    shell.go_to("Tidy")
    settled(qtbot, shell)
    switch = next(row for row in shell.tidying.steps.rows if row.chosen.step == "disabled").switch
    switch.setFocus(Qt.FocusReason.TabFocusReason)
    qtbot.keyClick(switch, Qt.Key.Key_Space)
    assert not shell.session.playing and [one.step for one in shell.session.steps() if one.on] == ["disabled"]
    settled(qtbot, shell)
    shell.go_to("Media")
    table = shell.media.table
    table.setFocus(Qt.FocusReason.TabFocusReason)
    before = table.current_row()
    qtbot.keyClick(table, Qt.Key.Key_Down)
    assert table.current_row() is not before and table.current_row() is shell.media._row
    shell.go_to("Carry-over")
    pair = shell.carry.facts.pair
    buttons = {one.text(): one for one in pair.buttons.buttons()}
    assert list(buttons) == ["Both", "Wipe", "Difference", "Alone"]
    for words, button in reversed(buttons.items()):
        qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
        assert pair.mode == words.lower() and button.isChecked()
    qtbot.keyClick(shell, Qt.Key.Key_A)
    assert pair.mode == "alone"
    qtbot.keyClick(shell, Qt.Key.Key_A)
    button = shell.carry.facts.pair.buttons.button(1)
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    assert shell.carry.facts.pair.mode == "wipe" and button.hasFocus()
    qtbot.keyClick(button, Qt.Key.Key_Space)
    assert shell.session.playing and shell.carry.facts.pair.mode == "wipe"
    shell.player.stop()
    line = shell.carry.facts.pair.canvas.divider
    qtbot.keyClick(shell, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert shell.carry.facts.pair.canvas.divider == pytest.approx(line + 0.05)


@pytest.mark.thorough
def test_a_turnover_writes_what_tidying_needs(
    qtbot: QtBot, shell: Shell, whole_demo: Path, tmp_path: Path
) -> None:
    opened(qtbot, shell, whole_demo / CUT)
    shell.session.decide(tidy=find_recipe("Finishing").steps)
    settled(qtbot, shell)
    assert len(shell.session.renders) == 2
    shell.go_to("Turnover")
    target = tmp_path / "package"
    target.mkdir()
    shell.turnover.folder.setText(str(target))
    settled(qtbot, shell)
    planned = {part.name: part.what for part in shell.turnover.parts.visible_rows()}
    assert list(planned.values()).count("rendered") == 2 and "about" in shell.turnover.plan.text()
    qtbot.mouseClick(shell.header.main, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: bool(shell.turnover.written), timeout=180_000)
    assert {one.path.relative_to(target).as_posix() for one in shell.turnover.written} == set(planned)
    assert {one.proof for one in shell.turnover.written if one.path.suffix == ".mov"} == {"frame by frame"}
    assert sorted(one.suffix for one in target.rglob("*") if one.is_file()) == [
        ".fcpxml",
        ".html",
        ".json",
        ".mov",
        ".mov",
    ]


@pytest.mark.thorough
def test_media_are_searched_asked_and_chosen(
    qtbot: QtBot, shell: Shell, whole_demo: Path, bad_day: Path
) -> None:
    opened(qtbot, shell, bad_day)
    session, media = shell.session, shell.media
    shell.go_to("Media")
    assert shell.route.stops[2].open == 16 and shell.route.stops[2].grave
    assert media._row is not None and media._row.path is None
    media.rules.add_folder(str(bad_day.parent.parent / "store"))
    settled(qtbot, shell)
    row = next(one for one in session.search.rows if one.media.file_name == TWICE)
    media.table.go_to(row)
    media._go(row)
    assert "choose one" in media.candidates.state.text() and len(media.candidates.cards) == 2
    assert session.playhead == min(int(use.start) for use in row.need.uses)
    qtbot.waitUntil(lambda: not media.candidates.cards[0].picture.pixmap().isNull(), timeout=20_000)
    media.candidates.cards[1].taken.emit(str(media.candidates.cards[1].candidate.path))
    settled(qtbot, shell)
    assert sum(one.path is None for one in session.search.rows) == 1
    moved = session.side.document.media_by_id[row.media.id]
    assert moved.path == str(next(one for one in session.search.rows if one.media.id == row.media.id).path)
    assert session.document.media_by_id[row.media.id].path != moved.path
    session.undo()
    settled(qtbot, shell)
    assert sum(one.path is None for one in session.search.rows) == 2
    session.redo()
    settled(qtbot, shell)
    media._filter("missing")
    assert [one.media.file_name for one in media.table.visible_rows()] == [GONE]
    assert {one.kind for one in media.misfits.model_rows.rows} == {"rate", "frame size"}
    session.save()
    kept = load(session.job_file)
    assert list(kept.now.links.values()) == [moved.path] and len(kept.seen) > 10
    media.swap_to(whole_demo / "media")
    settled(qtbot, shell)
    assert (
        "media are swapped for their originals" in media.unmatched.text() and "Back to" in media.swap.text()
    )
    stays = [row for row in media.misfits.visible_rows() if row.kind == "not swapped"]
    assert len(stays) == len(session.swapped.unmatched) > 0 and all(row.words for row in stays)


@pytest.mark.thorough
def test_the_pair_shows_both_frames_a_divider_and_the_difference(
    qtbot: QtBot, shell: Shell, whole_demo: Path
) -> None:
    opened(qtbot, shell, whole_demo / CUT)
    shell.go_to("Carry-over")
    wipe = next(one for one in shell.session.carried.findings if one.what == "wipe")
    shell.carry.go(wipe)
    shell.session.set_playhead(int(wipe.start) + 8)
    settled(qtbot, shell)
    facts = shell.carry.facts
    pair = facts.pair.canvas.pair
    assert pair is not None and pair.frame == int(wipe.start) + 8 and pair.missing == []
    # A wipe there, a dissolve here: the pictures are not the same.
    assert np.abs(colors(pair.before).astype(int) - colors(pair.after)).max() > 60
    qtbot.keyClick(shell, Qt.Key.Key_D)
    settled(qtbot, shell)
    assert facts.pair.mode == "difference" and facts.pair.measure.text().startswith("largest ")
    assert facts.pair.canvas.pair.gap.largest > 0.2
    qtbot.keyClick(shell, Qt.Key.Key_W)
    settled(qtbot, shell)
    canvas = facts.pair.canvas
    box = canvas.boxes()[0]
    qtbot.mousePress(
        canvas,
        Qt.MouseButton.LeftButton,
        pos=QPointF(box.left() + box.width() / 4, box.center().y()).toPoint(),
    )
    assert canvas.divider == pytest.approx(0.25, abs=0.02)
    qtbot.keyClick(shell, Qt.Key.Key_W)
    assert facts.pair.mode == "both" and len(canvas.boxes()) == 2
    calm = next(
        frame
        for frame in range(200, 9000, 50)
        if not any(one.start - 1 <= frame <= one.stop for one in shell.session.carried.findings)
    )
    shell.session.set_playhead(calm)
    settled(qtbot, shell)
    assert np.array_equal(colors(facts.pair.canvas.pair.before), colors(facts.pair.canvas.pair.after))
    shell.returning.open(whole_demo / BACK)
    shell.go_to("Return")
    qtbot.waitUntil(lambda: shell.session.home.returned is not None, timeout=30_000)
    settled(qtbot, shell)
    assert (
        shell.returning.edited.facts.pair.canvas.pair is not None
        and shell.returning.edited.facts.pair.canvas.words
        == (
            "before",
            "returned",
        )
    )


def test_missing_media_are_shown_as_a_slate_and_named(qtbot: QtBot, shell: Shell, demo: Path) -> None:
    opened(qtbot, shell, demo / CUT)
    shell.go_to("Carry-over")
    shell.session.set_playhead(700)
    settled(qtbot, shell)
    assert shell.carry.facts.pair.note.text().startswith("not found: ")
    assert colors(shell.carry.facts.pair.canvas.pair.before).max() > 100


def test_playing_moves_the_playhead_and_says_that_nobody_hears_it(
    qtbot: QtBot, shell: Shell, whole_demo: Path
) -> None:
    opened(qtbot, shell, whole_demo / CUT)
    shell.go_to("Carry-over")
    shell.session.set_playhead(100)
    qtbot.keyClick(shell, Qt.Key.Key_Space)
    assert shell.session.playing and "without sound" in shell.status.text()
    qtbot.waitUntil(lambda: shell.session.playhead > 103, timeout=10_000)
    qtbot.keyClick(shell, Qt.Key.Key_Space)
    assert not shell.session.playing
    there = shell.session.playhead
    qtbot.wait(60)
    assert shell.session.playhead == there
    shell.session.set_playhead(shell.session.side.sequence.duration - 2)
    shell.player.play()
    qtbot.waitUntil(lambda: not shell.session.playing, timeout=10_000)
    assert shell.session.playhead == shell.session.side.sequence.duration - 1
    assert isinstance(shell.player, Player) and audio_output()[0] is None


def test_the_mixer_gives_sound_ahead_and_silence_behind_the_end(whole_demo: Path) -> None:
    document = read_file(whole_demo / CUT)
    cut = document.top_level[0]
    mixer = Mixer(Evaluator(document), cut, Finder(whole_demo / CUT, document), cut.duration - 20)
    mixer.start()
    mixer.join(20)
    source = Source(mixer)
    taken = np.frombuffer(b"".join(bytes(source.readData(6 * 1920 * 4)) for _ in range(4)), "<i2")
    assert np.abs(taken[: 10 * 1920]).max() > 50 and not taken[-1920:].any()
    mixer.stop()


def test_the_ledger_draws_waveforms(qtbot: QtBot, shell: Shell, whole_demo: Path) -> None:
    opened(qtbot, shell, whole_demo / CUT)
    assert {"vo_04.wav", "mx_slow-bells.wav"} <= set(shell.session.search.peaks)
    shell.go_to("Carry-over")
    ledger = shell.carry.ledger
    ledger.zoom(8, 3000)
    with_waves = ledger.grab().toImage()
    kept = dict(shell.session.search.peaks)
    shell.session.search.peaks.clear()
    ledger.refresh()
    without = ledger.grab().toImage()
    shell.session.search.peaks.update(kept)
    assert with_waves != without
