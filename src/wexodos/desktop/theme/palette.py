"""The two palettes. No Qt here, so that the contrast test needs none."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Palette:
    """Colours as ``#rrggbb``. ``on_accent`` is text on the accent colour."""

    name: str
    ground: str
    panel: str
    raised: str
    line: str
    text: str
    dim: str
    accent: str
    on_accent: str
    clip: str
    clip_after: str
    carried: str
    adapted: str
    baked: str
    noted: str
    left: str

    def fate(self, name: str) -> str:
        """The colour of a fate by its word."""
        return {
            "carried": self.carried,
            "adapted": self.adapted,
            "baked": self.baked,
            "noted": self.noted,
        }.get(name, self.left)


NIGHT = Palette(
    "night",
    "#11171a",
    "#171f23",
    "#202a2f",
    "#2b373d",
    "#dce3de",
    "#8fa19d",
    "#f3e9cc",
    "#1b1f1e",
    "#33454c",
    "#2a3b3a",
    "#6f807b",
    "#e3b04b",
    "#6fb6c9",
    "#b79ce0",
    "#e2674a",
)
DAY = Palette(
    "day",
    "#f1efe8",
    "#faf8f2",
    "#ffffff",
    "#cfd5d1",
    "#1b2326",
    "#55625e",
    "#2c4048",
    "#f7f3e6",
    "#c9d6d6",
    "#d5ddd0",
    "#5f6f6a",
    "#875d00",
    "#1c6479",
    "#67479a",
    "#ab3820",
)


def luminance(color: str) -> float:
    """Relative luminance after WCAG 2.2."""
    parts = [int(color[place : place + 2], 16) / 255 for place in (1, 3, 5)]
    red, green, blue = (
        part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts
    )
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def contrast(one: str, other: str) -> float:
    """Contrast ratio after WCAG 2.2, 1 to 21."""
    low, high = sorted((luminance(one), luminance(other)))
    return (high + 0.05) / (low + 0.05)
