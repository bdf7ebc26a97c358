"""Which keys go to the control that has the focus, and which to the whole window."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QGuiApplication, QKeyEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QMainWindow,
    QWidget,
)

KEYS = (
    ("Left, Right", "one frame back, on"),
    ("Shift+Left, Shift+Right", "ten frames"),
    ("Up, Down", "previous, next cut"),
    ("N, Shift+N", "next, previous finding or problem"),
    ("Ctrl+Page Up, Ctrl+Page Down", "previous, next sequence where several go over together"),
    ("1 … 5", "filter by fate"),
    ("Ctrl+1 … Ctrl+6", "go to a stop"),
    ("Space", "play, stop"),
    ("W", "wipe between before and after"),
    ("Alt+Left, Alt+Right", "move the line between them"),
    ("D", "where they differ"),
    ("A", "only what is chosen, without what lies over it"),
    ("Ctrl+K", "find anything"),
    ("+, -", "zoom"),
    ("0", "whole cut"),
    ("Ctrl+Z, Ctrl+Shift+Z", "undo, redo"),
    ("Ctrl+wheel", "zoom where the pointer is"),
    ("Tab, then Space, Up, Down", "reach a control, press or tick it, choose in it"),
    ("Left, Right, Up, Down on a contact sheet", "from event to event"),
    ("Enter", "open and shut a row that holds several findings"),
    ("F1", "the keys"),
)
"""All keys, as F1 tells them."""


class Keyboard(QObject):
    """Watches a window: Space presses a button that was reached by key, Up and Down move within tables and
    lists, a control's ``own_keys`` are its own. Everywhere else, and for a button that was clicked, they keep
    their meaning for the window."""

    def __init__(self, window: QMainWindow) -> None:
        super().__init__(window)
        self._clicked: QWidget | None = None
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        app.focusChanged.connect(self._focused)
        window.installEventFilter(self)

    def _focused(self, _before: QWidget | None, now: QWidget | None) -> None:
        self._clicked = now if QGuiApplication.mouseButtons() != Qt.MouseButton.NoButton else None

    def eventFilter(self, _window: QObject, event: QEvent) -> bool:
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and self._belongs(event)
        ):
            event.accept()
            return True
        return False

    def _belongs(self, event: QKeyEvent) -> bool:
        """Whether a key is for the control that has the focus."""
        control = QApplication.focusWidget()
        if event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier or control is None:
            return False
        if event.key() in getattr(control, "own_keys", ()):
            return True
        if event.key() == Qt.Key.Key_Space:
            pressed = isinstance(control, QAbstractButton | QComboBox) or control.property("ticks")
            return bool(pressed) and control is not self._clicked
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            return isinstance(control, QAbstractItemView | QComboBox | QAbstractSpinBox)
        return False
