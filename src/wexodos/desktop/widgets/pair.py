"""The picture pair: the frame before and after, a divider to wipe between them, or where they differ."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from wexodos.desktop.pictures import Pair
from wexodos.desktop.theme import palette, text
from wexodos.model.curves import Vector

MODES = (
    ("both", "Both", "One above the other"),
    ("wipe", "Wipe", "Drag the line to go over from one to the other (W)"),
    ("difference", "Difference", "Bright where they differ, four times as strong (D)"),
    ("alone", "Alone", "Only what is chosen, without what lies over it (A)"),
)
GAP = 6
CAPTION = 19
"""The height of the words over a picture: on it they would cover what is burnt into it."""
TWO = ("both", "alone")
"""Modes with a picture for each side."""


class Canvas(QWidget):
    """Draws a pair in one of the modes. ``outline`` are the corners of the chosen picture on either side, in
    frame pixels."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.pair: Pair | None = None
        self.mode = "both"
        self.words = ("before", "after")
        self.absent = ""
        self.frame = (1920.0, 1080.0)
        self.divider = 0.5
        self.outlines: tuple[list[Vector], list[Vector]] = ([], [])
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(120)
        self.setAccessibleName("The frame before and after")

    def sizeHint(self) -> QSize:
        return QSize(310, 350)

    @property
    def shape(self) -> float:
        """Width against height of the frame."""
        return self.frame[0] / max(1.0, self.frame[1])

    def boxes(self) -> list[QRectF]:
        """Where the pictures stand: two in the mode ``both``, else one."""
        count = 2 if self.mode in TWO else 1
        tall = max(8.0, (self.height() - GAP * (count - 1)) / count - CAPTION)
        wide = min(float(self.width()), tall * self.shape)
        tall = wide / self.shape
        left = (self.width() - wide) / 2
        return [
            QRectF(left, CAPTION + number * (tall + GAP + CAPTION), wide, tall) for number in range(count)
        ]

    def paintEvent(self, _event: QPaintEvent) -> None:
        colors = palette()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        boxes, pair = self.boxes(), self.pair
        for box in boxes:
            painter.fillRect(box, QColor(colors.ground))
        if self.mode in TWO:
            for number, (box, image) in enumerate(
                zip(boxes, (pair.before, pair.after) if pair is not None else (None, None))
            ):
                self._picture(painter, box, image, number)
            return
        box = boxes[0]
        if self.mode == "difference":
            self._image(painter, box, pair.apart if pair is not None else None)
            self._tag(painter, box, "difference", True)
            return
        at = box.left() + box.width() * self.divider
        for number, image in enumerate((pair.before, pair.after) if pair is not None else (None, None)):
            part = (
                QRectF(box.left(), box.top(), at - box.left(), box.height())
                if number == 0
                else QRectF(at, box.top(), box.right() - at, box.height())
            )
            painter.save()
            painter.setClipRect(part)
            self._image(painter, box, image)
            self._outline(painter, box, number)
            painter.restore()
        painter.setPen(QPen(QColor(colors.accent), 2))
        painter.drawLine(QPointF(at, box.top()), QPointF(at, box.bottom()))
        painter.setBrush(QColor(colors.accent))
        painter.drawEllipse(QPointF(at, box.center().y()), 5, 5)
        self._tag(painter, box, self.words[0], True)
        self._tag(painter, box, self.words[1], False)

    def _picture(self, painter: QPainter, box: QRectF, image: QImage | None, number: int) -> None:
        self._tag(painter, box, self.words[number], True)
        painter.save()
        painter.setClipRect(box)
        self._image(painter, box, image)
        self._outline(painter, box, number)
        if image is None and number == 1 and self.absent:
            painter.setPen(QColor(palette().dim))
            painter.setFont(text(13))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self.absent)
        painter.restore()

    def _image(self, painter: QPainter, box: QRectF, image: QImage | None) -> None:
        if image is not None:
            painter.drawImage(box, image)

    def _outline(self, painter: QPainter, box: QRectF, number: int) -> None:
        corners = self.outlines[number]
        if corners:
            painter.setPen(QPen(QColor(palette().accent), 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            across, down = box.width() / self.frame[0], box.height() / self.frame[1]
            painter.drawPolygon(
                QPolygonF([QPointF(box.left() + x * across, box.top() + y * down) for x, y in corners])
            )

    def _tag(self, painter: QPainter, box: QRectF, word: str, left: bool) -> None:
        colors = palette()
        painter.setFont(text(12))
        tag = QRectF(box.left(), box.top() - CAPTION, box.width(), CAPTION - 2)
        side = Qt.AlignmentFlag.AlignLeft if left else Qt.AlignmentFlag.AlignRight
        painter.setPen(QColor(colors.dim))
        painter.drawText(tag, side | Qt.AlignmentFlag.AlignVCenter, word)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._drag(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._drag(event)

    def _drag(self, event: QMouseEvent) -> None:
        if self.mode == "wipe" and event.buttons():
            box = self.boxes()[0]
            self.divide((event.position().x() - box.left()) / max(1.0, box.width()))

    def divide(self, share: float) -> None:
        """Put the line between before and after at a share of the width."""
        self.divider = max(0.0, min(1.0, share))
        self.update()


class PicturePair(QWidget):
    """The canvas with its modes and what is to be said about the pictures. ``mode_changed(mode)`` asks for
    pictures anew."""

    mode_changed = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.canvas = Canvas()
        self.buttons = QButtonGroup(self)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        for number, (mode, words, about) in enumerate(MODES):
            button = QPushButton(words)
            button.setProperty("flat", True)
            button.setProperty("tab", True)
            button.setCheckable(True)
            button.setChecked(number == 0)
            button.setToolTip(about)
            button.clicked.connect(lambda _on=False, one=mode: self.show_mode(one))
            self.buttons.addButton(button, number)
            row.addWidget(button)
        self.measure = QLabel()
        self.measure.setProperty("role", "dim")
        self.measure.hide()
        row.addStretch(1)
        self.note = QLabel()
        self.note.setProperty("role", "dim")
        self.note.setWordWrap(True)
        self.note.hide()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        box.addWidget(self.canvas, 1)
        box.addLayout(row)
        box.addWidget(self.measure)
        box.addWidget(self.note)

    @property
    def mode(self) -> str:
        return self.canvas.mode

    def show_mode(self, mode: str) -> None:
        """Change the mode; asking for the one there is goes back to both."""
        mode = "both" if mode == self.canvas.mode else mode
        self.canvas.mode = mode
        names = [name for name, _, _ in MODES]
        self.buttons.button(names.index(mode)).setChecked(True)
        self.canvas.update()
        self.fit()
        self.mode_changed.emit(mode)

    def show_words(self, before: str, after: str) -> None:
        self.canvas.words = (before, after)

    def show_pair(self, pair: Pair | None) -> None:
        """Show newly made pictures."""
        self.canvas.pair = pair
        gap = pair.gap if pair is not None else None
        self.measure.setText(
            f"largest {gap.largest * 100:.1f} %, mean {gap.mean * 100:.2f} %" if gap is not None else ""
        )
        self.measure.setVisible(gap is not None)
        said = []
        if pair is not None and pair.missing:
            said.append(f"not found: {', '.join(pair.missing[:3])}{' …' if len(pair.missing) > 3 else ''}")
        if pair is not None and pair.undrawn:
            said.append(f"not drawn here: {', '.join(pair.undrawn[:3])}")
        if pair is not None:
            said += pair.noted[:2]
        self.note.setText("; ".join(said))
        self.note.setVisible(bool(said))
        self.fit()
        self.canvas.update()

    def show_frame(
        self, size: tuple[float, float], before: list[Vector], after: list[Vector], absent: str
    ) -> None:
        """The frame's size, the outlines of what is chosen, and why there is no picture after."""
        self.canvas.frame, self.canvas.outlines, self.canvas.absent = size, (before, after), absent
        self.fit()
        self.canvas.update()

    def fit(self) -> None:
        """No higher than the pictures need."""
        count = 2 if self.canvas.mode in TWO else 1
        tall = (int(self.width() / max(0.2, self.canvas.shape)) + CAPTION) * count + GAP * (count - 1)
        self.canvas.setMaximumHeight(tall)
        said = (20 if not self.measure.isHidden() else 0) + (42 if not self.note.isHidden() else 0)
        self.setMaximumHeight(tall + 34 + said)

    def resizeEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().resizeEvent(event)
        self.fit()

    @property
    def wanted_height(self) -> int:
        """How many pixels high a picture is shown, in steps, so that a little more room does not decode
        everything anew."""
        tall = self.canvas.boxes()[0].height() * self.devicePixelRatioF()
        return max(90, min(1080, -(-int(tall) // 30) * 30))
