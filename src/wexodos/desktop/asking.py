"""Asking for files and folders: the dialogs open where the cut is, or where one was last."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QWidget

SEQUENCES = (
    "Sequence files and zips (*.xml *.fcpxml *.aaf *.omf *.omfi *.edl *.otio *.ale *.zip *.wexo)"
    ";;All files (*)"
)
MOVIES = "Movies (*.mov *.mp4 *.m4v *.mxf *.mkv *.avi *.mpg *.ts *.webm);;All files (*)"
_last: list[Path] = []


def near(source: Path | None) -> str:
    """Where a dialog opens: beside the cut, else where a file was taken last, else at home."""
    for place in (source.parent if source is not None else None, *_last[-1:], Path.home()):
        if place is not None and place.is_dir():
            return str(place)
    return ""


def ask_file(parent: QWidget, title: str, source: Path | None, kinds: str = SEQUENCES) -> Path | None:
    path, _ = QFileDialog.getOpenFileName(parent, title, near(source), kinds)
    return _taken(path)


def ask_files(parent: QWidget, title: str, source: Path | None) -> list[Path]:
    """Several files of any kind."""
    paths, _ = QFileDialog.getOpenFileNames(parent, title, near(source), "All files (*)")
    return [found for path in paths if (found := _taken(path)) is not None]


def ask_folder(parent: QWidget, title: str, place: str) -> Path | None:
    path = QFileDialog.getExistingDirectory(parent, title, place)
    return _taken(path)


def ask_target(parent: QWidget, title: str, place: Path, kinds: str) -> Path | None:
    path, _ = QFileDialog.getSaveFileName(parent, title, str(place), kinds)
    return Path(path) if path else None


def _taken(path: str) -> Path | None:
    if not path:
        return None
    found = Path(path)
    _last[:] = [found.parent]
    return found
