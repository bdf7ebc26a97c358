"""The window, with a home of its own."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from wexodos.desktop.shell import Shell
from wexodos.desktop.theme import install


@pytest.fixture
def shell(qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Shell:
    # What is only kept so that nothing is done twice, as waveforms, is for all tests.
    for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(tmp_path / "home"))
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    install(app, "night")
    window = Shell(QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(window, before_close_func=lambda one: one.session.tasks.finish())
    window.show()
    return window
