"""What a restart brings back: the stop, the folder, zoom and playhead of each job; columns and panes of the
window."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from PySide6.QtCore import QByteArray, QSettings
from PySide6.QtWidgets import QHeaderView, QMainWindow, QSplitter, QTableView, QTreeView

_VERSION = 2
MOST_JOBS = 50


class Views:
    """Keeps views in the settings of the window."""

    def __init__(self, settings: QSettings) -> None:
        self._settings = settings

    # ---- the window

    def restore_layout(self, window: QMainWindow) -> None:
        """Give columns and panes the sizes they had."""
        shape = self._settings.value("window/geometry")
        if isinstance(shape, QByteArray):
            window.restoreGeometry(shape)
        for key, head in _heads(window):
            state = self._settings.value(f"columns/{_VERSION}/{key}")
            if isinstance(state, QByteArray):
                head.restoreState(state)
        for number, split in enumerate(window.findChildren(QSplitter)):
            state = self._settings.value(f"panes/{_VERSION}/{number}")
            if isinstance(state, QByteArray):
                split.restoreState(state)

    def keep_layout(self, window: QMainWindow) -> None:
        self._settings.setValue("window/geometry", window.saveGeometry())
        for key, head in _heads(window):
            self._settings.setValue(f"columns/{_VERSION}/{key}", head.saveState())
        for number, split in enumerate(window.findChildren(QSplitter)):
            self._settings.setValue(f"panes/{_VERSION}/{number}", split.saveState())

    # ---- a job

    def of_job(self, job_file: Path) -> dict[str, Any]:
        """How a job was looked at last; nothing where that is not known."""
        try:
            known = json.loads(str(self._settings.value("views", "{}")))
            found = known.get(job_file.name, {})
        except (ValueError, AttributeError):
            return {}
        return found if isinstance(found, dict) else {}

    def keep_job(self, job_file: Path, view: dict[str, Any]) -> None:
        try:
            known = json.loads(str(self._settings.value("views", "{}")))
        except ValueError:
            known = {}
        known = {key: value for key, value in known.items() if key != job_file.name} if known else {}
        known[job_file.name] = view
        self._settings.setValue("views", json.dumps(dict(list(known.items())[-MOST_JOBS:])))
        self._settings.setValue("last", str(job_file))

    @property
    def last(self) -> Path | None:
        """The job that was open when the window closed."""
        found = str(self._settings.value("last", ""))
        return Path(found) if found and Path(found).is_file() else None


def _heads(window: QMainWindow) -> list[tuple[str, QHeaderView]]:
    found: list[tuple[str, QHeaderView]] = []
    for table in window.findChildren(QTableView):
        found.append((table.accessibleName(), table.horizontalHeader()))
    for tree in window.findChildren(QTreeView):
        found.append((tree.accessibleName(), tree.header()))
    return [(name.replace("/", " "), head) for name, head in found if name]
