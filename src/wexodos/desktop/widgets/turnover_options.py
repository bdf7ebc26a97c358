"""The settings of a turnover: what a destination proposes, and what a person chooses otherwise."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QLabel,
    QLineEdit,
    QSpinBox,
    QWidget,
)

from wexodos.desktop.stops.base import dim
from wexodos.destinations import Destination
from wexodos.formats import FORMATS
from wexodos.settling.options import chosen

_CHOICES: dict[str, tuple[str, str, tuple[tuple[str, str], ...]]] = {
    "sound": (
        "sound",
        "Where the sound goes",
        (("source", "linked to the media"), ("linked", "files beside it"), ("embedded", "inside the file")),
    ),
    "form": (
        "as",
        "How the sound is stored",
        (("pcm", "bare samples"), ("wave", "broadcast WAVE"), ("aiff", "AIFF-C")),
    ),
    "bits": ("depth", "Going down to 16 bits is dithered", (("24", "24 bits"), ("16", "16 bits"))),
    "sample_rate": (
        "rate",
        "Other rates are resampled",
        (("0", "that of the cut"), ("44100", "44.1 kHz"), ("48000", "48 kHz"), ("96000", "96 kHz")),
    ),
    "edit_rate": (
        "cuts",
        "Sample-exact, or on whole picture frames for readers that know no other",
        (("samples", "on samples"), ("frames", "on frames")),
    ),
    "fades": (
        "fades",
        "Which form the other side reads",
        (("transitions", "as transitions"), ("clips", "on the clips"), ("levels", "in the levels")),
    ),
    "container": ("container", "Version of the container", (("2", "version 2"), ("1", "version 1"))),
    "split": (
        "split",
        "Into turnovers below 2 GiB that stay in sync",
        (("no", "not split"), ("tracks", "by tracks"), ("reels", "by reels")),
    ),
}
_SWITCHES = {
    "levels": "levels",
    "pans": "pans",
    "by_stem": "tracks in order of stems",
    "long_reels": "long reel names",
}
_MADE = ("form", "bits", "sample_rate", "handles", "split")
"""Settings of sound that is made; they say nothing where the media are linked to as they are."""
PER_ROW = 4


class TurnoverOptions(QWidget):
    """Shows the settings that the destination's format has; ``changed`` gives a setting's name and its value
    in words."""

    changed = Signal(str, str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(12)
        self._grid.setVerticalSpacing(4)
        self.controls: dict[str, QWidget] = {}
        self._labels: dict[str, QLabel] = {}
        self._shown: tuple[str, ...] = ()
        for name, (label, about, choices) in _CHOICES.items():
            box = QComboBox()
            for value, words in choices:
                box.addItem(words, value)
            box.activated.connect(
                lambda _=0, one=name, control=box: self.changed.emit(one, control.currentData())
            )
            self._add(name, label, about, box)
        for name, words in _SWITCHES.items():
            check = QCheckBox(words)
            check.clicked.connect(lambda on, one=name: self.changed.emit(one, "yes" if on else "no"))
            self._add(name, "", words, check)
        handles = QDoubleSpinBox()
        handles.setRange(0.0, 3600.0)
        handles.setSingleStep(0.5)
        handles.setDecimals(2)
        handles.setSuffix(" s")
        handles.setKeyboardTracking(False)
        handles.valueChanged.connect(lambda value: self.changed.emit("handles", f"{value:g}"))
        self._add(
            "handles",
            "handles",
            "Sound beyond what is heard, on either side, as far as the media go",
            handles,
        )
        events = QSpinBox()
        events.setRange(1, 999_999)
        events.setKeyboardTracking(False)
        events.valueChanged.connect(lambda value: self.changed.emit("most_events", str(value)))
        self._add("most_events", "events a list", "Longer lists are split", events)
        picture = QLineEdit()
        picture.setPlaceholderText("path of a file, or none")
        picture.editingFinished.connect(lambda: self.changed.emit("reference", picture.text().strip()))
        self._add(
            "reference", "reference picture", "A picture file that is linked along the whole cut", picture
        )

    def _add(self, name: str, label: str, about: str, control: QWidget) -> None:
        control.setToolTip(about)
        control.setAccessibleName(label or about)
        self.controls[name] = control
        self._labels[name] = dim(label)
        control.setParent(self)
        self._labels[name].setParent(self)
        control.hide()
        self._labels[name].hide()

    def show_destination(self, destination: Destination | None, settings: dict[str, str]) -> None:
        """Show what a destination proposes, changed by ``settings``."""
        names = FORMATS[destination.format].settings if destination is not None else ()
        if destination is not None and names:
            turnover = chosen(destination.turnover, tuple(settings.items()))
            if turnover.sound == "source":
                names = tuple(name for name in names if name not in _MADE)
            self._values(turnover)
        if names != self._shown:
            self._lay_out(names)
        self.setVisible(bool(names))

    def _values(self, turnover: object) -> None:
        for name, control in self.controls.items():
            value = getattr(turnover, name)
            was = control.blockSignals(True)
            _set(control, value)
            control.blockSignals(was)

    def _lay_out(self, names: tuple[str, ...]) -> None:
        for name in self._shown:
            for widget in (self._labels[name], self.controls[name]):
                self._grid.removeWidget(widget)
                widget.hide()
        self._shown = names
        for number, name in enumerate(names):
            row, column = divmod(number, PER_ROW)
            if self._labels[name].text():
                self._grid.addWidget(self._labels[name], row, 2 * column)
                self._grid.addWidget(self.controls[name], row, 2 * column + 1)
                self._labels[name].show()
            else:
                self._grid.addWidget(self.controls[name], row, 2 * column, 1, 2)
            self.controls[name].show()
        for column in range(PER_ROW):
            self._grid.setColumnStretch(2 * column + 1, 1)


def _set(control: QWidget, value: Any) -> None:
    """Show a value in the control of its setting."""
    if isinstance(control, QComboBox):
        control.setCurrentIndex(max(0, control.findData(str(value))))
    elif isinstance(control, QCheckBox):
        control.setChecked(bool(value))
    elif isinstance(control, QDoubleSpinBox):
        control.setValue(float(value))
    elif isinstance(control, QSpinBox):
        control.setValue(int(value))
    elif isinstance(control, QLineEdit):
        control.setText(str(value))
