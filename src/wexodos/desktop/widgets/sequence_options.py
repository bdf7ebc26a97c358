"""Choices for the whole hand-over, those that make a difference to its destination."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QDoubleSpinBox, QHBoxLayout, QWidget

from wexodos.desktop.stops.base import dim
from wexodos.destinations import Destination
from wexodos.formats import FORMATS
from wexodos.job import Decisions

_SWITCHES = (
    (
        "sizing",
        "with sizing",
        "Position, scale, rotation and crop of clips; without it they arrive as fitted there",
    ),
    ("organised", "folders and unused media", "Also what no clip of the cut uses"),
    ("markers", "findings as markers", "The other side can step from one to the next"),
)


def options_of(destination: Destination | None) -> set[str]:
    """The choices that make a difference to a destination, by the names of the decisions."""
    if destination is None:
        return set()
    motion, sound = destination.motion, destination.sound
    moves = destination.pictures.carry and (motion.position or motion.scale or motion.rotation or motion.crop)
    found = {"sizing"} if moves else set()
    if moves or (sound.carry and sound.level):
        found.add("tolerance")
    if FORMATS[destination.format].spells.folders:
        found.add("organised")
    if destination.markers.carry:
        found.add("markers")
    return found


class SequenceOptions(QWidget):
    """``changed(name, value)`` asks for a decision."""

    changed = Signal(str, object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(dim("Sequence"))
        self.switches: dict[str, QCheckBox] = {}
        for name, words, about in _SWITCHES:
            check = QCheckBox(words)
            check.setToolTip(about)
            check.clicked.connect(lambda on, one=name: self.changed.emit(one, bool(on)))
            self.switches[name] = check
            row.addWidget(check)
        self.tolerance = QDoubleSpinBox()
        # Half a pixel is the unit of the tolerance, and with it a tenth of a dB.
        self.tolerance.setRange(0.05, 50.0)
        self.tolerance.setSingleStep(0.25)
        self.tolerance.setDecimals(2)
        self.tolerance.setSuffix(" px")
        self.tolerance.setKeyboardTracking(False)
        self.tolerance.setAccessibleName("Tolerance of followed curves")
        self.tolerance.setToolTip(
            "How far a curve that is drawn anew with straight lines may lie off: half a pixel, and a tenth "
            "of a dB in levels, unless you choose otherwise; more means fewer keys"
        )
        self.tolerance.valueChanged.connect(lambda value: self.changed.emit("tolerance", round(2 * value, 6)))
        self._words = dim("curves may be off by")
        row.addWidget(self._words)
        row.addWidget(self.tolerance)
        row.addStretch(1)

    def show_decisions(self, destination: Destination | None, now: Decisions) -> None:
        """Show what is decided, as far as it applies."""
        applies = options_of(destination)
        for name, check in self.switches.items():
            check.setChecked(bool(getattr(now, name)))
            check.setVisible(name in applies)
        was = self.tolerance.blockSignals(True)
        self.tolerance.setValue(now.tolerance / 2)
        self.tolerance.blockSignals(was)
        for widget in (self.tolerance, self._words):
            widget.setVisible("tolerance" in applies)
        self.setVisible(bool(applies))
