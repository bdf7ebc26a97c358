"""The facts of one thing at the playhead, before and after, with what can be done about it."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QComboBox,
    QFrame,
    QGridLayout,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from wexodos.desktop.pictures import Pair, Pictures
from wexodos.desktop.sides import Side
from wexodos.desktop.theme import palette
from wexodos.desktop.widgets.pair import PicturePair
from wexodos.evaluate import state_at
from wexodos.model.curves import Vector
from wexodos.picture.place import corners_of


def layer_of(state: dict[str, Any], item_id: str) -> tuple[str, dict[str, Any]] | None:
    """The picture layer or sound source of an item in a state."""
    for kind in ("picture", "sound"):
        for layer in state[kind]:
            if layer["item_id"] == item_id:
                return kind, layer
    return None


_REMEDIES = {"adapt": "Adapt", "note": "Note in a marker", "leave": "Leave behind", "bake": "Bake"}
_FEW = 4
"""So many buttons have room."""
PLAYED = 240
"""How many pixels high pictures are while the cut plays."""


def outline(state: dict[str, Any] | None, item_id: str, aspect: float) -> list[Vector]:
    """The corners of an item's picture in pixels of the frame, in square ones; empty where it is not seen."""
    found = layer_of(state, item_id) if state is not None and item_id else None
    if found is None or found[0] != "picture":
        return []
    layer = found[1]
    pulled = np.array(layer.get("corners", [0.0] * 8))
    corners = corners_of(
        np.array(layer["center"]), np.array(layer["size"]), layer["rotation"], pulled, aspect
    )
    return [(float(x) * aspect, float(y)) for x, y in corners]


def short(value: float) -> str:
    """A length to a tenth of a pixel, without a tenth that says nothing."""
    return f"{value:.1f}".removesuffix(".0")


def rows_of(kind: str, layer: dict[str, Any] | None) -> list[tuple[str, str]]:
    """What is worth saying about a layer, as (name, value)."""
    if layer is None:
        return []
    if kind == "sound":
        gain = layer["gain_db"]
        return [
            ("source sample", f"{layer['source_sample']}"),
            ("level", "silence" if gain == "-inf" else f"{gain:.2f} dB"),
            ("pan", f"{layer['pan']:g}"),
            ("mix", f"{layer['mix'] * 100:.0f} %"),
            ("transition", layer["transition"] or "none"),
        ]
    code = layer["source_timecode"] or (
        str(layer["source_frame"]) if layer["source_frame"] is not None else "none"
    )
    x, y = layer["center"]
    w, h = layer["size"]
    rows = [
        ("source frame", code),
        ("centre", f"{short(x)}, {short(y)}"),
        ("size", f"{short(w)} × {short(h)}"),
        ("rotation", f"{layer['rotation']:.1f}°"),
        ("opacity", f"{layer['opacity'] * 100:.0f} %"),
        ("mix", f"{layer['mix'] * 100:.0f} %"),
        ("transition", layer["transition"] or "none"),
    ]
    if any(layer["crop"]):
        rows.append(("crop", " ".join(f"{part * 100:.1f}" for part in layer["crop"]) + " %"))
    if "corners" in layer:
        rows.append(("corners", " ".join(f"{part * 100:.1f}" for part in layer["corners"]) + " %"))
    if layer.get("words"):
        words = " / ".join(layer["words"].split("\n"))
        rows.append(("words", words if len(words) <= 40 else f"{words[:39]}…"))
    if layer["blend"] != "normal":
        rows.append(("blend", layer["blend"]))
    if layer["effects"]:
        rows.append(("filters", ", ".join(layer["effects"])))
    return rows


def clear(layout: QLayout) -> None:
    """Take everything out of a layout, gone from sight at once."""
    while layout.count():
        taken = layout.takeAt(0)
        widget = taken.widget() if taken is not None else None
        if widget is not None:
            widget.hide()
            widget.deleteLater()


class Facts(QWidget):
    """Emits ``remedy_asked(key, remedy, for all of a kind)``."""

    remedy_asked = Signal(str, str, bool)

    def __init__(self, pictures: Pictures, key: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._pictures, self._pair_key = pictures, key
        self._items = ("", "")
        self._sides: tuple[Side | None, Side | None, int] = (None, None, 0)
        self._moving = False
        self.words = ("before", "after")
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.pair = PicturePair()
        self.pair.mode_changed.connect(lambda _mode: self.show_pictures())
        self.title, self.place, self.why, self.do = QLabel(), QLabel(), QLabel(), QLabel()
        self.title.setProperty("role", "head")
        self.place.setProperty("role", "dim")
        self.do.setProperty("role", "dim")
        for label in (self.title, self.place, self.why, self.do):
            label.setWordWrap(True)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.grid_box = QWidget()
        self.grid = QGridLayout(self.grid_box)
        self.grid.setContentsMargins(0, 4, 0, 4)
        self.grid.setHorizontalSpacing(10)
        self.grid.setVerticalSpacing(3)
        self.grid.setColumnStretch(1, 1)
        self.grid.setColumnStretch(2, 1)
        self.buttons = QWidget()
        self.button_row = QGridLayout(self.buttons)
        self.button_row.setContentsMargins(0, 2, 0, 0)
        self.button_row.setSpacing(6)
        self.for_all = QPushButton()
        self.for_all.setProperty("flat", True)
        self.for_all.clicked.connect(self._all)
        inner = QWidget()
        box = QVBoxLayout(inner)
        box.setContentsMargins(10, 10, 10, 10)
        box.setSpacing(6)
        for widget in (self.title, self.place, self.grid_box, self.why, self.do, self.buttons, self.for_all):
            box.addWidget(widget)
        box.addStretch(1)
        scroll = QScrollArea()
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inner)
        inner.setObjectName("panel")
        inner.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(8, 8, 8, 0)
        whole.setSpacing(6)
        whole.addWidget(self.pair, 6)
        whole.addWidget(scroll, 5)
        self._key, self._remedy = "", ""
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)

    def call(self, before: str, after: str) -> None:
        """What the two sides are called."""
        self.words = (before, after)
        self.pair.show_words(before, after)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.show_pictures()

    def show_states(
        self,
        before: Side | None,
        after: Side | None,
        frame: int,
        item_id: str,
        partner: str,
        moving: bool = False,
    ) -> None:
        """Show both sides at a frame; ``partner`` is the item's id on the other side. ``moving`` shows the
        pictures only."""
        self._sides, self._moving = (before, after, frame), moving
        self.show_pictures()
        if moving:
            return
        one = state_at(before.evaluator, before.sequence, frame) if before is not None else None
        two = state_at(after.evaluator, after.sequence, frame) if after is not None else None
        side = before or after
        wide, tall = side.sequence.frame_size if side is not None else (1920, 1080)
        aspect = float(side.sequence.pixel_aspect) if side is not None else 1.0
        self.pair.show_frame(
            (wide * aspect, float(tall)),
            outline(one, item_id, aspect),
            outline(two, partner, aspect),
            "" if after is not None else "not there yet",
        )
        found = layer_of(one, item_id) if one is not None and item_id else None
        other = layer_of(two, partner) if two is not None and partner else None
        seen = [layer is not None and layer[0] == "picture" for layer in (found, other)]
        items = (item_id, partner) if any(seen) else ("", "")
        if items != self._items:
            self._items = items
            if self.pair.mode == "alone":
                self.show_pictures()
        kind = (found or other or ("picture", {}))[0]
        self._grid(
            rows_of(kind, found[1] if found else None),
            rows_of(kind, other[1] if other else None),
            bool(item_id),
        )

    def show_pictures(self) -> None:
        """Ask for the pictures of both sides; they come when they are made."""
        before, after, frame = self._sides
        if not self.isVisible() or (before is None and after is None):
            return
        # While it plays, pictures are small: better all of them than sharp ones.
        height = min(self.pair.wanted_height, PLAYED) if self._moving else self.pair.wanted_height
        self._pictures.pair(
            self._pair_key,
            before.seen if before is not None else None,
            after.seen if after is not None else None,
            frame,
            height,
            self.pair.mode == "difference",
            self._arrived,
            self._items if self.pair.mode == "alone" and any(self._items) else None,
        )

    def _arrived(self, pair: Pair) -> None:
        self.pair.show_pair(pair)

    def _grid(self, before: list[tuple[str, str]], after: list[tuple[str, str]], wanted: bool) -> None:
        clear(self.grid)
        if not before and not after:
            if wanted:
                self._cell("not on screen at the playhead", 0, 0, "dim", span=3)
            return
        for place, head in enumerate(("at playhead", *self.words)):
            self._cell(head, 0, place, "dim")
        names = [name for name, _ in before or after]
        names += [name for name, _ in after if name not in names]
        one, two = dict(before), dict(after)
        for row, name in enumerate(names, 1):
            self._cell(name, row, 0, "dim")
            self._cell(one.get(name, "–"), row, 1, "mono")
            cell = self._cell(two.get(name, "–"), row, 2, "mono")
            if one.get(name, "–") != two.get(name, "–"):
                cell.setStyleSheet(f"color: {palette().adapted};")

    def _cell(self, words: str, row: int, column: int, role: str, span: int = 1) -> QLabel:
        label = QLabel(words)
        label.setProperty("role", role)
        label.setWordWrap(True)
        self.grid.addWidget(label, row, column, 1, span)
        return label

    def show_words(self, title: str, place: str, why: str, do: str) -> None:
        """The head and the explanation."""
        self.title.setText(title)
        self.place.setText(place)
        self.why.setText(why)
        self.do.setText(do)
        for label in (self.place, self.why, self.do):
            label.setVisible(bool(label.text()))

    def show_remedies(
        self,
        key: str,
        remedies: list[str],
        chosen: str,
        alike: int,
        words: Mapping[str, str] = _REMEDIES,
        more: Mapping[str, str] = MappingProxyType({}),
    ) -> None:
        """Buttons for what can be chosen; ``alike`` is how many findings of the same kind there are. More
        than a few are a list to choose from; so is what can be said besides (``more``), below them."""
        self._key, self._remedy = key, chosen
        clear(self.button_row)
        if len(remedies) > _FEW:
            self._choose_from(remedies, chosen, words)
            remedies = remedies[:0]
        for place, remedy in enumerate(remedies if len(remedies) > 1 else []):
            button = QPushButton(words.get(remedy, remedy))
            button.setCheckable(True)
            button.setChecked(remedy == chosen)
            button.clicked.connect(
                lambda _on=False, one=remedy: self.remedy_asked.emit(self._key, one, False)
            )
            # Two beside each other: three are too wide for a small window.
            self.button_row.addWidget(button, *divmod(place, 2))
        if more:
            self._choose_from(list(more), "", more)
        self.buttons.setVisible(self.button_row.count() > 0)
        self.for_all.setVisible(len(remedies) > 1 and alike > 1)
        self.for_all.setText(f"Do “{words.get(chosen, chosen).lower()}” for all {alike} like it")

    def _choose_from(self, remedies: list[str], chosen: str, words: Mapping[str, str]) -> None:
        """A list of what can be chosen, with nothing chosen where nothing is."""
        box = QComboBox()
        box.setAccessibleName("what it is")
        box.setPlaceholderText("say what it is …")
        for one in remedies:
            box.addItem(words.get(one, one), one)
        box.setCurrentIndex(remedies.index(chosen) if chosen in remedies else -1)
        key = self._key
        box.activated.connect(lambda place: self.remedy_asked.emit(key, box.itemData(place), False))
        self.button_row.addWidget(box, self.button_row.rowCount(), 0, 1, 2)

    def _all(self) -> None:
        self.remedy_asked.emit(self._key, self._remedy, True)
