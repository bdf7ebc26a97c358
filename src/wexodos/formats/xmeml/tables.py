"""Names of the dialect and what they stand for."""

from __future__ import annotations

PIXEL_ASPECTS: dict[str, tuple[int, int]] = {
    "square": (1, 1),
    "ntsc-601": (10, 11),
    "pal-601": (59, 54),
    "hd-(1440x1080)": (4, 3),
    "hd-(1280x1080)": (3, 2),
    "hd-(960x720)": (4, 3),
    "dvcprohd-720p": (4, 3),
    "dvcprohd-1080i60": (3, 2),
    "dvcprohd-1080i50": (4, 3),
}

TRUNCATED_RATES: dict[int, tuple[int, int]] = {
    14: (15000, 1001),
    23: (24000, 1001),
    29: (30000, 1001),
    47: (48000, 1001),
    59: (60000, 1001),
    119: (120000, 1001),
}

BLENDS: dict[str, str] = {
    "normal": "normal",
    "add": "add",
    "subtract": "subtract",
    "difference": "difference",
    "multiply": "multiply",
    "screen": "screen",
    "overlay": "overlay",
    "hardlight": "hard light",
    "softlight": "soft light",
    "darken": "darken",
    "lighten": "lighten",
    "travelmattealpha": "matte alpha",
    "travelmatteluma": "matte luma",
}
BLEND_NAMES: dict[str, str] = {
    **{value: value for value in BLENDS.values()},
    "matte alpha": "travel matte - alpha",
    "matte luma": "travel matte - luma",
}

TICKS_PER_SECOND = 254_016_000_000

MARKER_KINDS = {"<CHAPTER>": "chapter", "<COMPRESSION>": "compression", "<SCORING>": "scoring"}
