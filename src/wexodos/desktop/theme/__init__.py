"""Colours, type and shapes of the window."""

from wexodos.desktop.theme.palette import DAY, NIGHT, Palette
from wexodos.desktop.theme.shapes import fate_icon, fate_pixmap, glyph_icon
from wexodos.desktop.theme.style import MONO, TEXT, install, mono, palette, text

__all__ = [
    "DAY",
    "MONO",
    "NIGHT",
    "TEXT",
    "Palette",
    "fate_icon",
    "fate_pixmap",
    "glyph_icon",
    "install",
    "mono",
    "palette",
    "text",
]
