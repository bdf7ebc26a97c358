"""Installing a palette: fonts, the style sheet, and who is asked which palette is in force."""

from __future__ import annotations

from importlib import resources
from pathlib import Path

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication

from wexodos.desktop.theme.palette import DAY, NIGHT, Palette

_ARROW = (Path(__file__).parent / "down.svg").as_posix()
_TICKS = {theme: (Path(__file__).parent / f"tick-{theme}.svg").as_posix() for theme in ("night", "day")}
TEXT, MONO = "Barlow Semi Condensed", "IBM Plex Mono"
_current: list[Palette] = [NIGHT]
_loaded: list[bool] = []
_styled: list[bool] = []


def palette() -> Palette:
    """The palette in force."""
    return _current[0]


def text(size: int = 14, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    font = QFont(TEXT)
    font.setPixelSize(size)
    font.setWeight(weight)
    return font


def mono(size: int = 12) -> QFont:
    font = QFont(MONO)
    font.setPixelSize(size)
    font.setStyleHint(QFont.StyleHint.Monospace)
    return font


def _load_fonts() -> None:
    if _loaded:
        return
    _loaded.append(True)
    for entry in resources.files("wexodos.fonts").iterdir():
        if entry.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(entry.read_bytes())


def chosen(name: str) -> Palette:
    """The palette a setting names; ``desktop`` follows the desktop's own."""
    if name == "day":
        return DAY
    if name == "night":
        return NIGHT
    hints = QApplication.styleHints()
    scheme = getattr(hints, "colorScheme", None)
    return DAY if scheme is not None and scheme().name == "Light" else NIGHT


def install(app: QApplication, name: str) -> Palette:
    """Put a palette in force for the whole application."""
    _load_fonts()
    found = chosen(name)
    _current[0] = found
    sheet = _sheet(found)
    if app.styleSheet() == sheet:
        # It is in force: putting it there again goes over every widget there is.
        return found
    if not _styled:
        # Once: every other change goes over the whole window again.
        _styled.append(True)
        app.setStyle("Fusion")
    app.setFont(text(14))
    colors = QPalette()
    roles = QPalette.ColorRole
    for role, color in (
        (roles.Window, found.ground),
        (roles.Base, found.panel),
        (roles.AlternateBase, found.raised),
        (roles.Text, found.text),
        (roles.WindowText, found.text),
        (roles.Button, found.raised),
        (roles.ButtonText, found.text),
        (roles.Highlight, found.line),
        (roles.HighlightedText, found.text),
        (roles.ToolTipBase, found.raised),
        (roles.ToolTipText, found.text),
        (roles.PlaceholderText, found.dim),
        (roles.Link, found.baked),
    ):
        colors.setColor(role, QColor(color))
    for role in (roles.Text, roles.WindowText, roles.ButtonText):
        colors.setColor(QPalette.ColorGroup.Disabled, role, QColor(found.dim))
    app.setPalette(colors)
    app.setStyleSheet(sheet)
    return found


def _sheet(p: Palette) -> str:
    tick = _TICKS["day" if p is DAY else "night"]
    return f"""
* {{ font-family: "{TEXT}"; font-size: 14px; }}
QWidget#panel, QFrame#panel {{ background: {p.panel}; }}
QLabel {{ background: transparent; }}
QLabel[role="title"] {{ font-size: 17px; font-weight: 600; }}
QLabel[role="head"] {{ font-size: 15px; font-weight: 600; }}
QLabel[role="dim"] {{ color: {p.dim}; font-size: 13px; }}
QLabel[role="mono"] {{ font-family: "{MONO}"; font-size: 12px; }}
QLabel[role="error"] {{ color: {p.left}; }}
QPushButton {{ background: {p.raised}; border: 1px solid {p.line}; border-radius: 4px; padding: 6px 12px; color: {p.text}; }}
QPushButton:hover {{ border-color: {p.dim}; }}
QPushButton:focus {{ border-color: {p.accent}; }}
QPushButton:disabled {{ color: {p.dim}; background: {p.panel}; }}
QPushButton[main="true"] {{ background: {p.accent}; color: {p.on_accent}; border-color: {p.accent}; font-weight: 600; }}
QPushButton[main="true"]:disabled {{ background: {p.raised}; color: {p.dim}; border-color: {p.line}; }}
QPushButton[flat="true"] {{ background: transparent; border-color: transparent; text-align: left; padding: 4px 6px; }}
QPushButton[flat="true"]:hover {{ background: {p.raised}; }}
QPushButton[flat="true"]:focus {{ border-color: {p.accent}; }}
QPushButton[tab="true"] {{ color: {p.dim}; padding: 2px 8px; font-size: 13px; }}
QPushButton[tab="true"]:checked {{ color: {p.text}; background: {p.raised}; border-color: {p.line}; }}
QFrame#step, QFrame#card {{ background: {p.panel}; border: none; border-bottom: 1px solid {p.line}; }}
QFrame#card[chosen="true"] {{ border: 1px solid {p.accent}; border-radius: 4px; }}
QPushButton[opens="true"] {{ padding: 6px 26px 6px 10px; }}
QPushButton::menu-indicator {{ image: url("{_ARROW}"); width: 10px; height: 6px; subcontrol-position: right center; right: 8px; }}
QPushButton:checked {{ border-color: {p.accent}; background: {p.line}; }}
QLineEdit, QComboBox {{ background: {p.raised}; border: 1px solid {p.line}; border-radius: 4px; padding: 5px 8px; color: {p.text};
  selection-background-color: {p.dim}; }}
QLineEdit:focus, QComboBox:focus {{ border-color: {p.accent}; }}
QLineEdit:disabled, QComboBox:disabled {{ background: {p.panel}; color: {p.dim}; }}
QComboBox::drop-down {{ border: none; width: 22px; }}
QComboBox::down-arrow {{ image: url("{_ARROW}"); width: 10px; height: 6px; }}
QComboBox QAbstractItemView {{ background: {p.raised}; border: 1px solid {p.line}; selection-background-color: {p.line}; }}
QTableView, QListView, QTreeView {{ background: {p.panel}; border: 1px solid {p.panel}; gridline-color: {p.line}; selection-background-color: {p.line};
  selection-color: {p.text}; alternate-background-color: {p.panel}; outline: none; }}
QTableView::item {{ padding: 0 5px; }}
QTreeView::item {{ height: 25px; padding: 0 5px; }}
QTableView:focus, QListView:focus, QTreeView:focus {{ border: 1px solid {p.line}; }}
QHeaderView {{ background: {p.panel}; }}
QHeaderView::section {{ background: {p.raised}; color: {p.dim}; border: none; border-right: 1px solid {p.panel}; padding: 5px 8px;
  font-size: 13px; font-weight: 500; }}
QTableCornerButton::section {{ background: {p.raised}; border: none; }}
QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
QScrollBar::handle {{ background: {p.line}; border-radius: 4px; min-height: 24px; min-width: 24px; margin: 1px; }}
QScrollBar::handle:hover {{ background: {p.dim}; }}
QScrollBar::add-line, QScrollBar::sub-line {{ background: none; border: none; width: 0; height: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: none; }}
QSplitter::handle {{ background: {p.line}; }}
QMenuBar {{ background: {p.ground}; color: {p.dim}; padding: 2px 6px; }}
QDialog#finder {{ background: {p.raised}; border: 1px solid {p.dim}; border-radius: 6px; }}
QMenuBar::item {{ padding: 3px 9px; background: transparent; }}
QMenuBar::item:selected {{ background: {p.raised}; color: {p.text}; }}
QMenu {{ background: {p.raised}; border: 1px solid {p.line}; padding: 4px; }}
QMenu::item {{ padding: 5px 22px 5px 14px; }}
QMenu::item:selected {{ background: {p.line}; }}
QMenu::item:disabled {{ color: {p.dim}; }}
QMenu::separator {{ height: 1px; background: {p.line}; margin: 4px 8px; }}
QToolTip {{ background: {p.raised}; color: {p.text}; border: 1px solid {p.line}; padding: 4px 6px; }}
QCheckBox {{ spacing: 8px; }}
QCheckBox::indicator, QTableView::indicator {{ width: 15px; height: 15px; border: 1px solid {p.dim}; border-radius: 3px; background: {p.raised}; }}
QCheckBox::indicator:checked, QTableView::indicator:checked {{ background: {p.accent}; border-color: {p.accent}; image: url("{tick}"); }}
QCheckBox:focus {{ color: {p.accent}; }}
QTabBar {{ background: transparent; }}
QTabBar::tab {{ background: transparent; color: {p.dim}; padding: 6px 12px; border: none; border-bottom: 2px solid transparent; }}
QTabBar::tab:selected {{ color: {p.text}; border-bottom-color: {p.accent}; }}
QTabBar::tab:hover {{ color: {p.text}; }}
QTabBar:focus {{ border: 1px solid {p.accent}; border-radius: 4px; }}
QProgressBar {{ background: {p.raised}; border: none; border-radius: 3px; height: 6px; text-align: center; }}
QProgressBar::chunk {{ background: {p.accent}; border-radius: 3px; }}
"""
