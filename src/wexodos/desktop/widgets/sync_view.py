"""Two waveforms, one above the other: the cut's own sound and a sound that came back, with how much later it
is drawn between them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from wexodos.desktop.theme import mono, palette, text

Samples = NDArray[np.float64]
SHORTEST, LONGEST = 0.02, 20.0
"""Seconds that are seen at once."""
_COLUMNS = 1600
"""Into so many columns a stretch is drawn together at the most."""
_HEAD, _GAP = 22, 26


@dataclass(frozen=True, slots=True)
class Waves:
    """A stretch of both sounds: lowest and highest values by column, shape (columns, 2), full scale 1."""

    cut: Samples
    came: Samples


def columns(samples: Samples) -> Samples:
    """The lowest and the highest value in each of at most 1600 equal stretches, shape (columns, 2)."""
    count = min(_COLUMNS, len(samples))
    if not count:
        return np.zeros((0, 2))
    places = np.linspace(0, len(samples), count, endpoint=False).astype(np.int64)
    return np.stack([np.minimum.reduceat(samples, places), np.maximum.reduceat(samples, places)], axis=1)


@dataclass(frozen=True, slots=True)
class Sounding:
    """A sound that is looked at: its name, how many seconds it is late as it lies, that in words, and what
    gives the waves of so many seconds from a place."""

    name: str
    late: float
    words: str
    waves: Callable[[float, float, Callable[[Waves], None]], None]


class SyncView(QWidget):
    """Follows the playhead, in the middle. The wheel, and plus and minus, show more or less time."""

    own_keys = frozenset((Qt.Key.Key_Plus, Qt.Key.Key_Minus))

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.sounding: Sounding | None = None
        self.waves: Waves | None = None
        self.span, self._middle, self._asked = 2.0, 0.0, 0
        self._place = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(140)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The cut's sound over the sound that came")

    def sizeHint(self) -> QSize:
        return QSize(600, 260)

    def show_sounding(self, sounding: Sounding | None) -> None:
        """Look at another sound: four times as long as it is late."""
        self.sounding, self.waves = sounding, None
        if sounding is not None:
            self.span = min(LONGEST, max(0.5, 4 * abs(sounding.late)))
            self._ask()
        self.update()

    def set_place(self, seconds: float, place: str) -> None:
        """The middle, in seconds from the beginning of the cut, and its timecode."""
        if (seconds, place) != (self._middle, self._place):
            self._middle, self._place = seconds, place
            self._ask()

    def _ask(self) -> None:
        if self.sounding is None:
            return
        self._asked += 1
        now = self._asked

        def made(waves: Waves) -> None:
            if now == self._asked:
                self.waves = waves
                self.update()

        self.sounding.waves(self._middle - self.span / 2, self.span, made)

    def zoom(self, factor: float) -> None:
        """Show so much more time."""
        span = min(LONGEST, max(SHORTEST, self.span * factor))
        if span != self.span:
            self.span = span
            self._ask()
            self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        steps = event.angleDelta().y() / 120
        self.zoom(0.8**steps)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.text() in ("+", "-"):
            self.zoom(0.5 if event.text() == "+" else 2.0)
        else:
            super().keyPressEvent(event)

    def lanes(self) -> tuple[QRectF, QRectF]:
        """Where the two sounds are drawn."""
        height = (self.height() - _HEAD - _GAP) / 2
        first = QRectF(0, _HEAD, self.width(), height)
        return first, first.translated(0, height + _GAP)

    def across(self, seconds: float) -> float:
        """Where a time from the playhead on is, from the left."""
        return self.width() * (0.5 + seconds / self.span)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter, colours = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(colours.panel))
        if self.sounding is None:
            return
        lanes = self.lanes()
        waves = (self.waves.cut, self.waves.came) if self.waves is not None else (None, None)
        names = ("the cut", self.sounding.name)
        for lane, shape, name, colour in zip(lanes, waves, names, (colours.dim, colours.text)):
            painter.fillRect(lane, QColor(colours.ground))
            if shape is not None and len(shape):
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(colour))
                painter.drawPolygon(_outline(shape, lane))
            painter.setFont(text(12))
            painter.setPen(QColor(colours.text))
            words = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, self.width() - 16)
            painter.drawText(lane.adjusted(8, 4, -8, 0), Qt.AlignmentFlag.AlignTop, words)
        self._marks(painter, lanes)

    def _marks(self, painter: QPainter, lanes: tuple[QRectF, QRectF]) -> None:
        assert self.sounding is not None
        colours, upper, lower = palette(), *lanes
        middle, there = self.across(0), self.across(self.sounding.late)
        painter.setPen(QPen(QColor(colours.text), 1))
        painter.drawLine(QPointF(middle, upper.top()), QPointF(middle, upper.bottom()))
        painter.setPen(QPen(QColor(colours.adapted if self.sounding.late else colours.carried), 1.6))
        painter.drawLine(QPointF(middle, upper.bottom()), QPointF(there, lower.top()))
        painter.drawLine(QPointF(there, lower.top()), QPointF(there, lower.bottom()))
        painter.setFont(text(12))
        head = QRectF(8, 0, self.width() - 16, _HEAD)
        painter.drawText(
            head, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, self.sounding.words
        )
        painter.setFont(mono(12))
        painter.setPen(QColor(colours.text))
        seen = f"{self.span:.2g} s" if self.span < 10 else f"{self.span:.0f} s"
        painter.drawText(head, Qt.AlignmentFlag.AlignVCenter, f"{self._place}   {seen} wide")


def _outline(shape: Samples, lane: QRectF) -> QPolygonF:
    """Columns as one shape in a lane, as high as their largest value."""
    scale = lane.height() / 2 / max(0.05, float(np.abs(shape).max())) * 0.95
    step = lane.width() / len(shape)
    middle = lane.center().y()
    x = [lane.x() + (at + 0.5) * step for at in range(len(shape))]
    top = [QPointF(a, middle - b * scale - 0.4) for a, b in zip(x, shape[:, 1])]
    low = [QPointF(a, middle - b * scale + 0.4) for a, b in zip(x, shape[:, 0])]
    return QPolygonF([*top, *reversed(low)])
