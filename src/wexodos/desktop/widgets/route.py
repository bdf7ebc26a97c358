"""The route: the stops on a rail, joined by a line, with what is open at each."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from wexodos.desktop.theme import palette, text


@dataclass(slots=True)
class StopState:
    """One stop: its name, how much is open there, whether that is grave, and whether it is done."""

    name: str
    open: int = 0
    grave: bool = False
    done: bool = False


class Route(QWidget):
    """Emits ``chosen(index)``."""

    chosen = Signal(int)

    def __init__(self, names: list[str], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.stops = [StopState(name) for name in names]
        self.current = 0
        self.setFixedWidth(92)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Route: the stops of the work")

    def set_state(self, index: int, open_: int, grave: bool, done: bool) -> None:
        stop = self.stops[index]
        stop.open, stop.grave, stop.done = open_, grave, done
        self.setAccessibleDescription(
            ", ".join(f"{one.name}: {'done' if one.done else f'{one.open} open'}" for one in self.stops)
        )
        self.update()

    def set_current(self, index: int) -> None:
        self.current = index
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(92, 500)

    def _pitch(self) -> float:
        return min(100.0, (self.height() - 110) / max(1, len(self.stops)))

    def _centre(self, index: int) -> QPointF:
        return QPointF(46, 96 + index * self._pitch())

    def paintEvent(self, _event: QPaintEvent) -> None:
        colors = palette()
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(colors.ground))
        painter.fillRect(QRectF(self.width() - 1, 0, 1, self.height()), QColor(colors.line))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QColor(colors.accent))
        font = text(13)
        font.setBold(True)
        painter.setFont(font)
        painter.drawText(QRectF(0, 12, 92, 22), Qt.AlignmentFlag.AlignCenter, "WEXODOS")
        painter.setPen(QPen(QColor(colors.line), 2))
        for index in range(len(self.stops) - 1):
            painter.drawLine(self._centre(index) + QPointF(0, 42), self._centre(index + 1) + QPointF(0, -14))
        for index, stop in enumerate(self.stops):
            self._paint_stop(painter, index, stop)

    def _paint_stop(self, painter: QPainter, index: int, stop: StopState) -> None:
        colors = palette()
        at, here = self._centre(index), index == self.current
        if here:
            painter.setPen(QPen(QColor(colors.line if not self.hasFocus() else colors.accent), 1))
            painter.setBrush(QColor(colors.raised))
            painter.drawRoundedRect(QRectF(6, at.y() - 26, 80, 72), 6, 6)
        painter.setPen(QPen(QColor(colors.accent if here else colors.carried), 2))
        painter.setBrush(
            QColor(colors.accent) if here else QColor(colors.carried) if stop.done else QColor(colors.ground)
        )
        painter.drawEllipse(at, 9, 9)
        if stop.done and not here:
            painter.setPen(QPen(QColor(colors.ground), 2))
            painter.drawLine(at + QPointF(-4, 0), at + QPointF(-1, 3))
            painter.drawLine(at + QPointF(-1, 3), at + QPointF(4, -3))
        painter.setPen(QColor(colors.text if here or stop.done else colors.dim))
        font = text(14)
        font.setBold(here)
        painter.setFont(font)
        painter.drawText(QRectF(0, at.y() + 16, 92, 22), Qt.AlignmentFlag.AlignCenter, stop.name)
        if stop.open:
            words = str(stop.open) if stop.open < 1000 else "999+"
            badge = QRectF(at.x() + 8, at.y() - 22, 12 + 7 * len(words), 17)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(colors.left if stop.grave else colors.adapted))
            painter.drawRoundedRect(badge, 8, 8)
            painter.setPen(QColor(colors.ground))
            small = text(12)
            small.setBold(True)
            painter.setFont(small)
            painter.drawText(badge, Qt.AlignmentFlag.AlignCenter, words)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for index in range(len(self.stops)):
            if abs(event.position().y() - self._centre(index).y() - 8) < self._pitch() / 2:
                self.chosen.emit(index)
                return

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.chosen.emit(max(0, min(len(self.stops) - 1, self.current + step)))
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().focusInEvent(event)
        self.update()
