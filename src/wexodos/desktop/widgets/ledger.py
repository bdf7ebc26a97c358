"""The ledger: every track a pair of half rows on one time scale, with the fates on the seam between them."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
from PySide6.QtCore import QLineF, QPoint, QPointF, QRect, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFontMetrics,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from wexodos.desktop.theme import fate_pixmap, mono, palette, text
from wexodos.desktop.widgets.ledger_data import Half, LedgerData, Row
from wexodos.evaluate import curve_values
from wexodos.sound.peaks import PER_SECOND, Peaks

OVERVIEW, RULER, LABEL, SEAM, GAP = 26, 24, 96, 4, 3
TALLEST, LOWEST = 24, 14
_STEPS = (1, 2, 5, 10, 25, 50, 125, 250, 375, 750, 1500, 3000, 7500, 15000, 45000, 90000)


class Ledger(QWidget):
    """Shows two sequences over one another. Times are frames of the first one.

    Signals: ``playhead_moved(frame)``, ``item_chosen(item id)``, ``mark_chosen(key)``.
    """

    playhead_moved = Signal(int)
    item_chosen = Signal(str)
    mark_chosen = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.data = LedgerData()
        self.origin, self.scale = 0.0, 0.1
        self.playhead = 0
        self.selected = ""
        self.shown_fates: set[str] | None = None
        self._top = 0
        self._backing: QPixmap | None = None
        self._drag = ""
        self._whole = True
        self._short: dict[tuple[str, int], str] = {}
        self.peaks: Mapping[str, Peaks] = {}
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self._half = TALLEST
        self.setMinimumHeight(OVERVIEW + RULER + 60)
        self.setAccessibleName("Ledger: the cut before and after")

    # ---- what is shown

    def show_data(self, data: LedgerData) -> None:
        """Show other data; the view stays where it is unless the whole cut was in view."""
        self.data = data
        self._fit_rows()
        if self._whole:
            self.fit()
        self.playhead = min(self.playhead, max(0, int(data.length)))
        self.refresh()

    def set_playhead(self, frame: int, follow: bool = True) -> None:
        """Move the playhead without telling anybody; ``follow`` brings it into view."""
        self.playhead = max(0, min(int(frame), max(0, int(self.data.length) - 1)))
        if follow and not self._whole:
            width = self._lane_width() / self.scale
            if not self.origin <= self.playhead < self.origin + width:
                self.origin = self._clamped(self.playhead - width / 3)
                self.refresh()
        self.update()

    def select(self, item_id: str, track: str = "") -> None:
        """Mark an item in both halves, and show the row it is in; that of ``track`` where it is no item but a
        transition or a marker."""
        self.selected = item_id
        row = next(
            (
                place
                for place, one in enumerate(self.data.rows)
                if item_id in one.top.ids or item_id in one.bottom.ids
            ),
            None,
        )
        if row is None or not item_id:
            row = self.data.row_of(track) if track else None
        if row is not None:
            self._show_row(row)
        self.update()

    def filter_fates(self, fates: set[str] | None) -> None:
        """Show the marks of these fates only; None shows all."""
        self.shown_fates = fates
        self.refresh()

    def refresh(self) -> None:
        """Draw everything anew."""
        self._backing = None
        self.update()

    def fit(self) -> None:
        """Bring the whole cut into view."""
        self._whole = True
        self.origin = 0.0
        self.scale = max(1e-6, (self._lane_width() - 6) / max(1.0, self.data.length))
        self.refresh()

    def zoom(self, factor: float, at: float | None = None) -> None:
        """Zoom around a frame, the playhead by default."""
        centre = float(self.playhead) if at is None else at
        place = (centre - self.origin) * self.scale
        fitted = max(1e-6, (self._lane_width() - 6) / max(1.0, self.data.length))
        self.scale = min(40.0, max(fitted, self.scale * factor))
        self._whole = self.scale <= fitted * 1.0001
        self.origin = self._clamped(centre - place / self.scale)
        self.refresh()

    def view(self) -> list[float]:
        """What is in view: the first frame and the pixels a frame; nothing where it is the whole cut."""
        return [] if self._whole else [self.origin, self.scale]

    def show_view(self, view: list[float]) -> None:
        """Bring into view what was there before."""
        if len(view) != 2 or not all(isinstance(one, int | float) and math.isfinite(one) for one in view):
            return
        fitted = max(1e-6, (self._lane_width() - 6) / max(1.0, self.data.length))
        self.scale = min(40.0, max(fitted, float(view[1])))
        self._whole = self.scale <= fitted * 1.0001
        self.origin = self._clamped(float(view[0]))
        self.refresh()

    def next_cut(self, direction: int) -> int:
        """The cut after (1) or before (-1) the playhead."""
        cuts = self.data.cuts
        if not len(cuts):
            return self.playhead
        if direction > 0:
            place = int(np.searchsorted(cuts, self.playhead, side="right"))
            return int(cuts[min(place, len(cuts) - 1)])
        place = int(np.searchsorted(cuts, self.playhead, side="left")) - 1
        return int(cuts[max(place, 0)])

    # ---- geometry

    @property
    def _row(self) -> int:
        """The height of a pair of half rows."""
        return self._half + GAP if self.data.single else 2 * self._half + SEAM + GAP

    def _fit_rows(self) -> None:
        """Lower the rows until all fit, as far as their words stay readable."""
        room = (self.height() - OVERVIEW - RULER) / max(1, len(self.data.rows))
        self._half = max(
            LOWEST, min(TALLEST, int(room - GAP if self.data.single else (room - SEAM - GAP) / 2))
        )
        self._top = max(0, min(self._top, self._rows_height() - (self.height() - OVERVIEW - RULER)))

    def _lane_width(self) -> float:
        return max(50.0, self.width() - LABEL)

    def _clamped(self, origin: float) -> float:
        return max(0.0, min(origin, self.data.length - (self._lane_width() - 6) / self.scale))

    def _x(self, frame: float) -> float:
        return LABEL + (frame - self.origin) * self.scale

    def _frame(self, x: float) -> float:
        return self.origin + (x - LABEL) / self.scale

    def _row_y(self, row: int) -> int:
        return OVERVIEW + RULER + row * self._row - self._top

    def _rows_height(self) -> int:
        return len(self.data.rows) * self._row

    def _show_row(self, row: int) -> None:
        space = self.height() - OVERVIEW - RULER
        if row * self._row < self._top:
            self._top = row * self._row
        elif (row + 1) * self._row > self._top + space:
            self._top = (row + 1) * self._row - space
        self.refresh()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self._whole:
            self.fit()
        self._fit_rows()
        self._backing = None

    # ---- painting

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self._backing is None:
            ratio = self.devicePixelRatioF()
            self._backing = QPixmap(math.ceil(self.width() * ratio), math.ceil(self.height() * ratio))
            self._backing.setDevicePixelRatio(ratio)
            painter = QPainter(self._backing)
            self.paint_all(painter)
            painter.end()
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._backing)
        self._paint_selection(painter)
        self._paint_playhead(painter)
        if self.hasFocus():
            # Without a brush: the playhead has left its own.
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(palette().line), 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()

    def paint_all(self, painter: QPainter) -> None:
        """Draw everything that does not follow the playhead."""
        colors = palette()
        painter.fillRect(self.rect(), QColor(colors.panel))
        painter.setClipRect(QRect(0, OVERVIEW + RULER, self.width(), self.height()))
        for number, row in enumerate(self.data.rows):
            y = self._row_y(number)
            if y + self._row >= OVERVIEW + RULER and y <= self.height():
                self._paint_row(painter, row, y)
        self._paint_threads(painter)
        self._paint_marks(painter)
        painter.setClipping(False)
        self._paint_ruler(painter)
        self._paint_overview(painter)

    def _paint_row(self, painter: QPainter, row: Row, y: int) -> None:
        colors = palette()
        painter.fillRect(QRect(LABEL, y, self.width() - LABEL, self._row - GAP), QColor(colors.ground))
        if not self.data.single:
            painter.fillRect(
                QRect(LABEL, y + self._half + SEAM // 2 - 1, self.width() - LABEL, 1), QColor(colors.line)
            )
        painter.setPen(QColor(colors.text))
        painter.setFont(text(13))
        painter.drawText(QRect(8, y, 30, self._row - GAP), Qt.AlignmentFlag.AlignVCenter, row.label)
        painter.setPen(QColor(colors.dim))
        painter.setFont(text(12))
        name = QFontMetrics(painter.font()).elidedText(row.name, Qt.TextElideMode.ElideMiddle, LABEL - 42)
        painter.drawText(QRect(36, y, LABEL - 40, self._row - GAP), Qt.AlignmentFlag.AlignVCenter, name)
        self._paint_half(painter, row.top, y, QColor(colors.clip), row.kind, above=True)
        if not self.data.single:
            self._paint_half(
                painter, row.bottom, y + self._half + SEAM, QColor(colors.clip_after), row.kind, above=False
            )

    def _paint_half(
        self, painter: QPainter, half: Half, y: int, fill: QColor, kind: str, above: bool
    ) -> None:
        low, high = self.origin, self._frame(self.width())
        first, last = half.visible(low, high)
        if last <= first:
            return
        starts = (half.starts[first:last] - low) * self.scale + LABEL
        ends = (half.ends[first:last] - low) * self.scale + LABEL
        starts = np.maximum(starts, LABEL)
        room = self.width() - LABEL
        if last - first > room / 8:
            self._paint_dense(painter, starts, ends, y, fill)
            return
        colors = palette()
        faint = QColor(fill)
        faint.setAlpha(90)
        painter.setFont(text(12))
        metrics = QFontMetrics(painter.font())
        base = y + (self._half + metrics.ascent() - metrics.descent()) / 2
        on: list[QRectF] = []
        off: list[QRectF] = []
        edges: list[QRectF] = []
        lines: dict[str, list[QRectF]] = {}
        words: list[tuple[float, str, bool]] = []
        levels: list[tuple[int, QRectF]] = []
        line_y = y + self._half - 2 if above else y
        xs, xe = starts.tolist(), np.minimum(ends, self.width() + 4).tolist()
        for index, (a, b) in enumerate(zip(xs, xe), first):
            box = QRectF(a, y, max(1.0, b - a - 1), self._half)
            (on if half.enabled[index] else off).append(box)
            edges.append(QRectF(a, y, 2.0, self._half))
            fate = half.fates[index]
            if fate and fate != "carried" and (self.shown_fates is None or fate in self.shown_fates):
                lines.setdefault(fate, []).append(QRectF(a, line_y, box.width(), 2))
            if index in half.levels and b - a > 12:
                levels.append((index, box))
            if b - a > 34:
                words.append(
                    (a + 6, self._elided(metrics, half.names[index], int(b - a - 10)), half.enabled[index])
                )
        painter.setPen(Qt.PenStyle.NoPen)
        for color, boxes in (
            (fill, on),
            (faint, off),
            (QColor(colors.dim), edges),
            *((QColor(colors.fate(fate)), boxes) for fate, boxes in lines.items()),
        ):
            if boxes:
                painter.setBrush(color)
                painter.drawRects(boxes)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if half.waves and self.peaks:
            self._paint_waves(painter, half, first, on, y)
        if off:
            painter.setPen(QPen(QColor(colors.dim), 1, Qt.PenStyle.DotLine))
            painter.drawRects([box.adjusted(0, 0, -1, -1) for box in off])
        for index, box in levels:
            self._paint_level(painter, half, index, box)
        for lit in (True, False):
            painter.setPen(QColor(colors.text if lit else colors.dim))
            for x, name, enabled in words:
                if enabled is lit:
                    painter.drawText(QPointF(x, base), name)
        self._paint_joins(painter, half, y, low, high)

    def _paint_waves(self, painter: QPainter, half: Half, first: int, boxes: list[QRectF], y: int) -> None:
        """The waveforms of a half row, a line for every pixel, about the middle of it."""
        lines: list[QLineF] = []
        middle, reach = y + self._half / 2, self._half / 2 - 1
        for box in boxes:
            index = (
                int(np.searchsorted(half.starts, (box.right() - LABEL) / self.scale + self.origin - 1e-6)) - 1
            )
            wave = half.waves.get(index)
            found = next((self.peaks[one] for one in wave.names if one in self.peaks), None) if wave else None
            right = min(box.right(), float(self.width()))
            if wave is None or found is None or index < first or right - box.left() < 4:
                continue
            row = found[min(wave.channel, len(found)) - 1]
            xs = np.arange(math.ceil(box.left()) + 2, int(right))
            seconds = wave.start + ((xs - LABEL) / self.scale + self.origin - half.starts[index]) * wave.step
            # A pixel stands for a stretch: the loudest of three places in it.
            wide = abs(wave.step) / self.scale * PER_SECOND
            places = (seconds[:, None] * PER_SECOND + np.array([0.0, wide / 3, wide * 2 / 3])).astype(
                np.int64
            )
            inside = (places >= 0) & (places < len(row))
            tall = np.where(inside, row[np.clip(places, 0, len(row) - 1)], 0).max(axis=1) / 255.0 * reach
            keep = tall >= 0.5
            lines += [
                QLineF(x, middle - h, x, middle + h) for x, h in zip(xs[keep].tolist(), tall[keep].tolist())
            ]
        if lines:
            color = QColor(palette().dim)
            color.setAlpha(120)
            painter.setPen(QPen(color, 1))
            painter.drawLines(lines)

    def _elided(self, metrics: QFontMetrics, name: str, room: int) -> str:
        """A name cut in the middle to a width in steps of four pixels; kept, as the same names come again and
        again."""
        key = (name, room // 4)
        found = self._short.get(key)
        if found is None:
            if len(self._short) > 20_000:
                self._short.clear()
            found = self._short[key] = metrics.elidedText(name, Qt.TextElideMode.ElideMiddle, room // 4 * 4)
        return found

    def _paint_joins(self, painter: QPainter, half: Half, y: int, low: float, high: float) -> None:
        """Transitions: a slanted line over their extent."""
        painter.setPen(QPen(QColor(palette().accent), 1))
        for start, stop in half.joins:
            if stop > low and start < high and (stop - start) * self.scale > 3:
                painter.drawLine(
                    QPointF(max(LABEL, self._x(start)), y + self._half - 1), QPointF(self._x(stop), y + 1)
                )

    def _paint_level(self, painter: QPainter, half: Half, index: int, box: QRectF) -> None:
        """The level line of a sound over its box: 0 dB at a quarter from the top, -48 dB at the bottom."""
        steps = max(2, min(64, int(box.width() // 6)))
        xs = np.linspace(max(box.left(), LABEL), min(box.right(), self.width()), steps)
        local = (xs - LABEL) / self.scale + self.origin - half.starts[index]
        values = np.broadcast_to(curve_values(half.levels[index], local)[:, 0], (steps,))
        ys = box.top() + 4 + np.clip(-values / 48.0, -0.1, 1.0) * (self._half - 6)
        color = QColor(palette().dim)
        painter.setPen(QPen(color, 1))
        painter.drawPolyline([QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist())])

    def _paint_dense(
        self, painter: QPainter, starts: np.ndarray, ends: np.ndarray, y: int, fill: QColor
    ) -> None:
        """Items too many to tell apart: what is covered, and a line at every third pixel that holds a cut.

        One row of pixels is worked out for the whole width and drawn as high as the half row.
        """
        width = self.width() - LABEL
        left = np.clip((starts - LABEL).astype(np.int64), 0, width)
        right = np.clip(np.ceil(ends - LABEL).astype(np.int64), 0, width + 1)
        change = np.bincount(left, minlength=width + 2) - np.bincount(right, minlength=width + 2)
        row = np.where(np.cumsum(change)[:width] > 0, np.uint32(fill.rgba()), np.uint32(0))
        row[np.minimum(left // 3 * 3, width - 1)] = QColor(palette().dim).rgba()
        pixels = np.ascontiguousarray(row, dtype=np.uint32)
        image = QImage(pixels.data, width, 1, width * 4, QImage.Format.Format_ARGB32)
        painter.drawImage(QRect(LABEL, y, width, self._half), image)

    def _wanted(self, fate: str) -> bool:
        return self.shown_fates is None or fate in self.shown_fates

    def _paint_marks(self, painter: QPainter) -> None:
        colors = palette()
        low, high = self.origin, self._frame(self.width())
        last: dict[int, float] = {}
        shapes: dict[str, QPixmap] = {}
        for mark in self.data.marks:
            if not self._wanted(mark.fate) or mark.stop < low or mark.start > high:
                continue
            x = min(max(self._x(mark.start) + 8, LABEL + 8), self.width() - 8)
            if x - last.get(mark.row, -100.0) < 9:
                continue
            last[mark.row] = x
            y = self._row_y(mark.row) + self._half + SEAM / 2
            shape = shapes.get(mark.fate)
            if shape is None:
                shape = shapes[mark.fate] = fate_pixmap(mark.fate, colors, 13)
            painter.drawPixmap(QPointF(x - 6.5, y - 6.5), shape)

    def _paint_threads(self, painter: QPainter) -> None:
        """Items that change track: a thread from where they were to where they arrive."""
        pen = QPen(QColor(palette().dim), 1, Qt.PenStyle.DashLine)
        painter.setPen(pen)
        low, high = self.origin, self._frame(self.width())
        for above, below, frame in self.data.threads:
            if low <= frame < high:
                x = self._x(frame) + 4
                painter.drawLine(
                    QPointF(x, self._row_y(above) + self._half),
                    QPointF(x, self._row_y(below) + self._half + SEAM),
                )

    def _paint_ruler(self, painter: QPainter) -> None:
        colors = palette()
        area = QRect(0, OVERVIEW, self.width(), RULER)
        painter.fillRect(area, QColor(colors.panel))
        painter.setFont(mono(12))
        step = next((step for step in _STEPS if step * self.scale >= 104), _STEPS[-1])
        frame = int(self.origin // step) * step
        painter.setPen(QColor(colors.dim))
        while frame <= min(self.data.length, self._frame(self.width())):
            x = self._x(frame)
            if x >= LABEL - 1:
                painter.fillRect(QRectF(x, OVERVIEW + RULER - 6, 1, 6), QColor(colors.line))
                painter.drawText(QPointF(x + 4, OVERVIEW + 16), self.data.timecode(frame))
            frame += step

    def _paint_overview(self, painter: QPainter) -> None:
        """The whole cut in one band: how dense it is cut, where the fates lie, and what is in view."""
        colors = palette()
        painter.fillRect(QRect(0, 0, self.width(), OVERVIEW), QColor(colors.ground))
        painter.setPen(QColor(colors.dim))
        painter.setFont(text(12))
        painter.drawText(QRect(8, 0, LABEL, OVERVIEW), Qt.AlignmentFlag.AlignVCenter, "whole cut")
        width = self._lane_width() - 6
        length = max(1.0, self.data.length)
        if len(self.data.cuts):
            bins = np.bincount(
                np.clip((self.data.cuts / length * (width / 5)).astype(np.int64), 0, int(width / 5))
            )
            peak = max(1, int(bins.max()))
            tall = (bins / peak * (OVERVIEW - 12)).astype(int)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(colors.line))
            painter.drawRects(
                [
                    QRect(LABEL + place * 5, OVERVIEW - 2 - h, 4, h)
                    for place, h in enumerate(tall.tolist())
                    if h
                ]
            )
            painter.setBrush(Qt.BrushStyle.NoBrush)
        drawn: set[tuple[str, int]] = set()
        for mark in self.data.marks:
            x = int(LABEL + mark.start / length * width)
            if mark.fate != "carried" and self._wanted(mark.fate) and (mark.fate, x // 3) not in drawn:
                drawn.add((mark.fate, x // 3))
                painter.fillRect(QRect(x, 3, 2, 7), QColor(colors.fate(mark.fate)))
        a = LABEL + self.origin / length * width
        b = LABEL + min(length, self._frame(self.width())) / length * width
        painter.setPen(QPen(QColor(colors.accent), 1))
        painter.drawRect(QRectF(a, 0.5, max(4.0, b - a), OVERVIEW - 2))

    def _paint_selection(self, painter: QPainter) -> None:
        if not self.selected:
            return
        painter.setPen(QPen(QColor(palette().accent), 1.6))
        painter.setClipRect(QRect(LABEL, OVERVIEW + RULER, self.width(), self.height()))
        for number, row in enumerate(self.data.rows):
            y = self._row_y(number)
            for half, at in ((row.top, y), (row.bottom, y + self._half + SEAM)):
                if self.selected in half.ids:
                    place = half.ids.index(self.selected)
                    a, b = self._x(half.starts[place]), self._x(half.ends[place])
                    painter.drawRoundedRect(QRectF(a - 1, at - 1, max(3.0, b - a + 1), self._half + 2), 2, 2)
        painter.setClipping(False)

    def _paint_playhead(self, painter: QPainter) -> None:
        x = self._x(self.playhead)
        if x < LABEL - 1 or x > self.width():
            return
        colors = palette()
        painter.fillRect(QRectF(x, OVERVIEW + RULER, 1.5, self.height()), QColor(colors.accent))
        painter.setFont(mono(12))
        label = self.data.timecode(self.playhead)
        wide = QFontMetrics(painter.font()).horizontalAdvance(label) + 12
        left = min(max(LABEL, x - wide / 2), self.width() - wide)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(colors.accent))
        painter.drawRoundedRect(QRectF(left, OVERVIEW + 2, wide, RULER - 4), 3, 3)
        painter.setPen(QColor(colors.on_accent))
        painter.drawText(QRectF(left, OVERVIEW + 2, wide, RULER - 4), Qt.AlignmentFlag.AlignCenter, label)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)

    # ---- the mouse and the keys

    def _move_to(self, x: float) -> None:
        frame = max(0, min(int(self._frame(x)), max(0, int(self.data.length) - 1)))
        self.playhead = frame
        self.update()
        self.playhead_moved.emit(frame)

    def _scroll_overview(self, x: float) -> None:
        share = (x - LABEL) / max(1.0, self._lane_width() - 6)
        self.origin = self._clamped(share * self.data.length - self._lane_width() / self.scale / 2)
        self.refresh()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if at.y() < OVERVIEW:
            self._drag = "overview"
            self._scroll_overview(at.x())
        elif at.y() < OVERVIEW + RULER:
            self._drag = "ruler"
            self._move_to(at.x())
        else:
            self._drag = ""
            self._choose(at.toPoint())

    def _choose(self, at: QPoint) -> None:
        number = (at.y() - OVERVIEW - RULER + self._top) // self._row
        if not 0 <= number < len(self.data.rows) or at.x() < LABEL:
            return
        row, inside = self.data.rows[number], (at.y() - OVERVIEW - RULER + self._top) % self._row
        frame = self._frame(at.x())
        if abs(inside - self._half - SEAM / 2) <= 6:
            near = [
                mark
                for mark in self.data.marks
                if mark.row == number
                and self._wanted(mark.fate)
                and abs(self._x(mark.start) + 8 - at.x()) <= 8
            ]
            if near:
                self.mark_chosen.emit(near[0].key)
                return
        half = row.top if inside <= self._half else row.bottom
        found = half.at(frame)
        self._move_to(at.x())
        self.selected = half.ids[found] if found is not None else ""
        self.item_chosen.emit(self.selected)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._drag == "overview":
            self._scroll_overview(at.x())
        elif self._drag == "ruler":
            self._move_to(at.x())
        elif not event.buttons():
            number = int((at.y() - OVERVIEW - RULER + self._top) // self._row)
            tip = ""
            if at.y() > OVERVIEW + RULER and 0 <= number < len(self.data.rows) and at.x() > LABEL:
                row = self.data.rows[number]
                inside = (at.y() - OVERVIEW - RULER + self._top) % self._row
                half = row.top if inside <= self._half else row.bottom
                found = half.at(self._frame(at.x()))
                if found is not None:
                    tip = (
                        f"{half.names[found]}\n{self.data.timecode(int(half.starts[found]))} – "
                        f"{self.data.timecode(int(half.ends[found]))}"
                    )
            self.setToolTip(tip)

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._drag = ""

    def wheelEvent(self, event: QWheelEvent) -> None:
        turn = event.angleDelta()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(1.2 ** (turn.y() / 120), self._frame(event.position().x()))
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier or turn.x():
            self.origin = self._clamped(self.origin - (turn.x() or turn.y()) / 120 * 80 / self.scale)
            self._whole = False
            self.refresh()
        else:
            space = self.height() - OVERVIEW - RULER
            self._top = max(0, min(self._top - turn.y() // 2, self._rows_height() - space))
            self.refresh()
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        moves = {Qt.Key.Key_Left: -step, Qt.Key.Key_Right: step}
        if event.key() in moves:
            self.set_playhead(self.playhead + moves[Qt.Key(event.key())])
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.set_playhead(self.next_cut(-1 if event.key() == Qt.Key.Key_Up else 1))
        else:
            super().keyPressEvent(event)
            return
        self.playhead_moved.emit(self.playhead)
