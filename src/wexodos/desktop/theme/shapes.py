"""Shapes of the fates and the few glyphs of the window, drawn by us."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QIcon, QPainter, QPainterPath, QPen, QPixmap, QPolygonF

from wexodos.desktop.theme.palette import Palette


def draw_fate(painter: QPainter, fate: str, x: float, y: float, size: float, color: QColor) -> None:
    """Draw a fate's shape centred on (x, y)."""
    h = size / 2
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    pen = QPen(color, max(1.4, size * 0.13))
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if fate == "carried":
        painter.drawLine(QPointF(x - h, y), QPointF(x + h, y))
    elif fate == "adapted":
        painter.drawPolygon(
            QPolygonF([QPointF(x, y - h), QPointF(x + h, y), QPointF(x, y + h), QPointF(x - h, y)])
        )
        painter.setBrush(color)
        painter.drawPolygon(QPolygonF([QPointF(x, y - h), QPointF(x, y + h), QPointF(x - h, y)]))
    elif fate == "baked":
        painter.fillRect(QRectF(x - h * 0.8, y - h * 0.8, size * 0.8, size * 0.8), color)
    elif fate == "noted":
        painter.drawLine(QPointF(x - h * 0.6, y - h), QPointF(x - h * 0.6, y + h))
        painter.setBrush(color)
        corners = [
            QPointF(x - h * 0.6, y - h * 0.9),
            QPointF(x + h, y - h * 0.4),
            QPointF(x - h * 0.6, y + h * 0.2),
        ]
        painter.drawPolygon(QPolygonF(corners))
    else:
        painter.drawEllipse(QPointF(x, y), h * 0.85, h * 0.85)
        painter.drawLine(QPointF(x - h * 0.6, y + h * 0.6), QPointF(x + h * 0.6, y - h * 0.6))
    painter.restore()


def _pixmap(size: int) -> QPixmap:
    pixmap = QPixmap(size * 2, size * 2)
    pixmap.setDevicePixelRatio(2.0)
    pixmap.fill(Qt.GlobalColor.transparent)
    return pixmap


def fate_pixmap(fate: str, palette: Palette, size: int) -> QPixmap:
    """A fate's shape as a picture, to be drawn many times."""
    pixmap = _pixmap(size)
    painter = QPainter(pixmap)
    draw_fate(painter, fate, size / 2, size / 2, size - 3, QColor(palette.fate(fate)))
    painter.end()
    return pixmap


def fate_icon(fate: str, palette: Palette, size: int = 14) -> QIcon:
    return QIcon(fate_pixmap(fate, palette, size))


def glyph_icon(name: str, color: str, size: int = 18) -> QIcon:
    """A glyph: ``sheet``, ``tick``, ``arrow``, ``folder``."""
    pixmap = _pixmap(size)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(
        QPen(QColor(color), 1.6, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin)
    )
    s = float(size)
    path = QPainterPath()
    if name == "tick":
        path.moveTo(s * 0.2, s * 0.55)
        path.lineTo(s * 0.42, s * 0.75)
        path.lineTo(s * 0.8, s * 0.28)
    elif name == "arrow":
        path.moveTo(s * 0.1, s * 0.5)
        path.lineTo(s * 0.9, s * 0.5)
        path.moveTo(s * 0.65, s * 0.3)
        path.lineTo(s * 0.9, s * 0.5)
        path.lineTo(s * 0.65, s * 0.7)
    elif name in ("up", "down"):
        tip, foot = (0.36, 0.64) if name == "up" else (0.64, 0.36)
        path.moveTo(s * 0.22, s * foot)
        path.lineTo(s * 0.5, s * tip)
        path.lineTo(s * 0.78, s * foot)
    elif name == "folder":
        path.addRoundedRect(QRectF(s * 0.12, s * 0.32, s * 0.76, s * 0.5), 2, 2)
        path.moveTo(s * 0.12, s * 0.32)
        path.lineTo(s * 0.2, s * 0.2)
        path.lineTo(s * 0.45, s * 0.2)
        path.lineTo(s * 0.5, s * 0.32)
    else:
        path.addRoundedRect(QRectF(s * 0.22, s * 0.12, s * 0.56, s * 0.76), 2, 2)
        for place in (0.35, 0.5, 0.65):
            path.moveTo(s * 0.34, s * place)
            path.lineTo(s * 0.66, s * place)
    painter.drawPath(path)
    painter.end()
    return QIcon(pixmap)
