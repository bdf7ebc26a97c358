"""The frame in outline: where every picture layer stands, before or after."""

from __future__ import annotations

import math
from typing import Any

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetrics, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from wexodos.desktop.theme import mono, palette, text


class Sketch(QWidget):
    """Draws the layers of a state (``picture`` of ``state_at``) to scale in their frame."""

    def __init__(self, word: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.word = word
        self.layers: list[dict[str, Any]] = []
        self.frame = (1920, 1080)
        self.selected = ""
        self.absent = ""
        self.setMinimumHeight(96)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(f"The frame {word}, in outline")

    def sizeHint(self) -> QSize:
        return QSize(310, 174)

    def show_layers(self, layers: list[dict[str, Any]], frame: tuple[int, int], selected: str, absent: str = "") -> None:
        self.layers, self.frame, self.selected, self.absent = layers, frame, selected, absent
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        colors = palette()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        wide, tall = self.frame
        scale = min((self.width() - 4) / wide, (self.height() - 4) / tall)
        left, top = (self.width() - wide * scale) / 2, (self.height() - tall * scale) / 2
        box = QRectF(left, top, wide * scale, tall * scale)
        painter.fillRect(box, QColor(colors.ground))
        painter.setClipRect(box)
        places: dict[tuple[float, ...], int] = {}
        for layer in self.layers:
            # Words of layers that lie exactly over one another stand below each other.
            key = (*layer["center"], *layer["size"])
            places[key] = places.get(key, -1) + 1
            self._paint_layer(painter, layer, left, top, scale, 34 * places[key])
        painter.setClipping(False)
        painter.setPen(QPen(QColor(colors.line), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        painter.setFont(text(12))
        metrics = QFontMetrics(painter.font())
        tag = QRectF(left + 6, top + box.height() - 22, metrics.horizontalAdvance(self.word) + 12, 17)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(colors.panel))
        painter.drawRoundedRect(tag, 3, 3)
        painter.setPen(QColor(colors.text))
        painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, self.word)
        if self.absent or not self.layers:
            painter.setPen(QColor(colors.dim))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self.absent or "nothing here")

    def _paint_layer(
        self, painter: QPainter, layer: dict[str, Any], left: float, top: float, scale: float, lower: float
    ) -> None:
        colors = palette()
        (x, y), (w, h) = layer["center"], layer["size"]
        crop = layer["crop"]
        share = layer["opacity"] * layer["mix"]
        painter.save()
        painter.translate(left + x * scale, top + y * scale)
        painter.rotate(layer["rotation"])
        w, h = abs(w) * scale, abs(h) * scale
        box = QRectF(-w / 2 + w * crop[0], -h / 2 + h * crop[1], w * (1 - crop[0] - crop[2]), h * (1 - crop[1] - crop[3]))
        chosen = layer["item_id"] == self.selected
        words = layer["kind"] == "title"
        fill = QColor(colors.raised if words else colors.clip)
        fill.setAlphaF(min(1.0, max(0.0, 0.0 if words else 0.3 + 0.7 * share)))
        painter.setPen(QPen(QColor(colors.accent if chosen else colors.dim), 1.6 if chosen else 1, Qt.PenStyle.DashLine if words else
                            Qt.PenStyle.SolidLine))
        painter.setBrush(fill)
        painter.drawRect(box)
        painter.setPen(QColor(colors.text))
        painter.setFont(text(12))
        name = layer.get("words", "").split("\n")[0] if words else layer["item"]
        room = int(min(box.width(), 4000) - 10)
        if room > 20 and math.isfinite(box.height()) and box.height() > 14:
            shown = QFontMetrics(painter.font()).elidedText(name, Qt.TextElideMode.ElideMiddle, room)
            place = Qt.AlignmentFlag.AlignHCenter | (Qt.AlignmentFlag.AlignVCenter if words else Qt.AlignmentFlag.AlignTop)
            painter.drawText(box.adjusted(5, 3 + lower, -5, -3), place, shown)
            code = layer["source_timecode"]
            if layer["transition"]:
                code = f"{code or ''}  {layer['mix'] * 100:.0f} %".strip()
            if code and room > 90 and box.height() > 40:
                painter.setFont(mono(12))
                painter.drawText(box.adjusted(5, 20 + lower, -5, -3), Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop, code)
        painter.restore()
