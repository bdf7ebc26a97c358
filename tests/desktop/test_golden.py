"""What the main views look like, held against pictures that were looked at: both themes, before and after a
click.

The pictures are coarse – one point for 16 by 16 pixels – so that a letter more or less does not count, and a
block of colour, a table that is gone or a panel that is clipped does. ``WEXODOS_GOLDEN=new`` makes them anew;
look at the views then.
"""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from pytestqt.qtbot import QtBot

from wexodos.demo.build import BACK, CUT
from wexodos.desktop.shell import Shell

GOLDEN = Path(__file__).parent / "golden"
STEP, STATUS = 16, 32
VIEWS = ("Intake", "Tidy", "Media", "Carry-over", "Turnover", "Return")


def settled(qtbot: QtBot, shell: Shell) -> None:
    qtbot.waitUntil(lambda: shell.session.carried is not None and shell.session.tasks.quiet, timeout=180_000)
    qtbot.wait(10)
    qtbot.waitUntil(lambda: shell.session.tasks.quiet, timeout=180_000)


def coarse(shell: Shell) -> np.ndarray:
    """The window without its status line, averaged over squares, shape (rows, columns, 3)."""
    image = shell.grab().toImage().convertToFormat(shell.grab().toImage().Format.Format_RGB888)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    whole = rows[:, : image.width() * 3].reshape(image.height(), image.width(), 3).astype(float)
    whole = whole[: (image.height() - STATUS) // STEP * STEP, : image.width() // STEP * STEP]
    tall, wide = whole.shape[0] // STEP, whole.shape[1] // STEP
    return whole.reshape(tall, STEP, wide, STEP, 3).mean(axis=(1, 3))


def held(name: str, shown: np.ndarray) -> None:
    """Compare with the picture of this name: hardly a square may be far off, and none very far."""
    path = GOLDEN / f"{name}.png"
    if os.environ.get("WEXODOS_GOLDEN") == "new":
        GOLDEN.mkdir(exist_ok=True)
        Image.fromarray(shown.round().astype(np.uint8)).save(path)
        return
    wanted = np.asarray(Image.open(path)).astype(float)
    assert shown.shape == wanted.shape
    gap = np.abs(shown - wanted).max(axis=2)
    far = float((gap > 20).mean())
    assert far < 0.03, f"{name}: {far:.1%} of the picture is another"


@pytest.mark.parametrize("theme", ["night", "day"])
@pytest.mark.sampled(2)
def test_the_views_look_as_they_were_looked_at(
    qtbot: QtBot, shell: Shell, whole_demo: Path, theme: str
) -> None:
    shell.use_theme(theme)
    shell.resize(1280, 800)
    shell.open(whole_demo / CUT)
    settled(qtbot, shell)
    shell.session.decide(destination="grading-lane-xml")
    settled(qtbot, shell)
    shell.returning.open(whole_demo / BACK)
    qtbot.waitUntil(lambda: shell.session.home.returned is not None, timeout=180_000)
    shell.turnover.folder.setText("/")
    for name in VIEWS:
        shell.go_to(name)
        settled(qtbot, shell)
        shell.session.set_playhead(2500)
        settled(qtbot, shell)
        held(f"{name.lower()}-{theme}", coarse(shell))
        ledger = getattr(shell.current, "ledger", None)
        if ledger is not None:
            # A click into it leaves it what it is.
            qtbot.mouseClick(ledger, Qt.MouseButton.LeftButton, pos=QPoint(40, 70))
            ledger.setFocus(Qt.FocusReason.TabFocusReason)
            settled(qtbot, shell)
            held(f"{name.lower()}-{theme}", coarse(shell))
