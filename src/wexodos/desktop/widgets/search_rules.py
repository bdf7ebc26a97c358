"""Where media are looked for, as a sentence whose parts can be changed."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import msgspec
from PySide6.QtCore import QSize, Signal
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QPushButton,
    QSpinBox,
    QWidget,
)

from wexodos.desktop.asking import ask_file, ask_folder, near
from wexodos.desktop.stops.base import dim
from wexodos.media import Rules


class SearchRules(QWidget):
    """“Look where the cut says, beside it and 2 folders up, then in …”, each part to be changed.
    ``changed(rules)`` gives new rules."""

    changed = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.rules = Rules()
        self.up = QSpinBox()
        self.up.setRange(0, 20)
        self.up.setKeyboardTracking(False)
        self.up.setAccessibleName("Folders above that of the sequence file")
        self.up.valueChanged.connect(lambda value: self._change(up=value))
        self.folders = QPushButton()
        self.folders.setAccessibleName("Folders to search")
        self.maps = QPushButton()
        self.maps.setAccessibleName("Volumes that are elsewhere")
        for button in (self.folders, self.maps):
            button.setProperty("opens", True)
        self._menus: list[QMenu] = []
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self.setToolTip("First where the cut says; what is not there is looked for in these places")
        for part in (
            self._words("Look beside the cut and"),
            self.up,
            self._words("folders up, then in"),
            self.folders,
            self._words("with"),
            self.maps,
        ):
            row.addWidget(part)
        row.addStretch(1)
        self.show_rules(Rules())

    @staticmethod
    def _words(words: str) -> QWidget:
        label = dim(words)
        label.setWordWrap(False)
        return label

    def sizeHint(self) -> QSize:
        return QSize(640, 32)

    def show_rules(self, rules: Rules) -> None:
        self.rules = rules
        was = self.up.blockSignals(True)
        self.up.setValue(rules.up)
        self.up.blockSignals(was)
        count = len(rules.folders)
        self.folders.setText(
            Path(rules.folders[0]).name or rules.folders[0]
            if count == 1
            else f"{count} folders"
            if count
            else "no folder"
        )
        self.folders.setToolTip("\n".join(rules.folders) or "Add a folder that is searched with all below it")
        count = len(rules.maps)
        self.maps.setText(f"{count} volume{'s' if count > 1 else ''} mapped" if count else "no volume mapped")
        self.maps.setToolTip(
            "\n".join(f"{a} is {b}" for a, b in rules.maps) or "Say where a volume of the cut is here"
        )
        shown = Path(rules.reference).name
        folders, maps = QMenu(self), QMenu(self)
        folders.addAction("Add a folder…", self.choose_folder)
        for one in rules.folders:
            folders.addAction(
                f"No longer: {one}",
                partial(self._without_folder, one),
            )
        folders.addSeparator()
        folders.addAction("Tell files apart by a reference picture…", self.choose_reference)
        if shown:
            folders.addAction(f"No longer by: {shown}", partial(self.show_by, ""))
        maps.addAction("Say where a volume is here…", self.choose_map)
        for pair in rules.maps:
            maps.addAction(
                f"No longer: {pair[0]} is {pair[1]}",
                partial(self._without_map, pair),
            )
        self.folders.setMenu(folders)
        self.maps.setMenu(maps)
        for old in self._menus:
            old.deleteLater()
        self._menus = [folders, maps]

    def _change(self, **changes: object) -> None:
        rules = msgspec.structs.replace(self.rules, **changes)
        if rules != self.rules:
            self.changed.emit(rules)

    def _without_folder(self, path: str) -> None:
        self._change(folders=tuple(one for one in self.rules.folders if one != path))

    def _without_map(self, pair: tuple[str, str]) -> None:
        self._change(maps=tuple(one for one in self.rules.maps if one != pair))

    def choose_folder(self) -> None:
        path = ask_folder(self, "Search in this folder and all below it", near(None))
        if path is not None:
            self.add_folder(str(path))

    def add_folder(self, path: str) -> None:
        """Search in a folder too."""
        if path not in self.rules.folders:
            self._change(folders=(*self.rules.folders, path))

    def choose_reference(self) -> None:
        path = ask_file(
            self, "A picture of the whole cut", None, "Movies (*.mov *.mp4 *.mxf *.mkv *.avi);;All files (*)"
        )
        if path is not None:
            self.show_by(str(path))

    def show_by(self, path: str) -> None:
        """Tell files apart by a reference picture; by none where the path is empty."""
        self._change(reference=path)

    def add_map(self, written: str, here: str) -> None:
        """A beginning of written paths is another one here."""
        if written and here and (written, here) not in self.rules.maps:
            self._change(maps=(*self.rules.maps, (written, here)))

    def choose_map(self) -> None:
        sheet = QDialog(self)
        sheet.setWindowTitle("Where a volume is here")
        form = QFormLayout(sheet)
        written, here = QLineEdit(), QLineEdit()
        written.setPlaceholderText("as it stands in the cut, e.g. /Volumes/Kiln")
        here.setPlaceholderText("where it is here")
        written.setMinimumWidth(360)
        form.addRow("Written", written)
        form.addRow("Here", here)
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        )
        buttons.accepted.connect(sheet.accept)
        buttons.rejected.connect(sheet.reject)
        form.addRow(buttons)
        if sheet.exec():
            self.add_map(written.text().strip(), here.text().strip())
