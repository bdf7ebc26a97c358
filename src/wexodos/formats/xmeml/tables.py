"""Names of the dialect: what is read, what is passed over on purpose and why."""

from __future__ import annotations

CLIP_FIELDS = frozenset({
    "name", "enabled", "duration", "start", "end", "in", "out", "alphatype", "compositemode", "stillframe",
    "stillframeoffset", "masterclipid", "pproTicksIn", "pproTicksOut", "subframeoffset",
})

# Passed over on purpose: repeats of what stands elsewhere, or state of the writing program's window.
CLIP_IGNORED = frozenset({
    "pixelaspectratio", "anamorphic", "ismasterclip", "uuid", "syncoffset", "itemhistory", "mediadelay", "gamma",
    "fielddominance", "defaultangle", "labels", "comments", "logginginfo", "sourcetrack", "link", "marker", "rate", "file",
    "sequence", "multiclip", "filter", "effect", "timecode", "subclipinfo", "colorinfo", "subclipmasterid",
})

TRACK_FIELDS = frozenset({"clipitem", "generatoritem", "transitionitem", "enabled", "locked", "outputchannelindex", "name"})
DOCUMENT_FIELDS = frozenset({
    "project", "bin", "children", "clip", "sequence", "generatoritem", "name", "uuid", "updatebehavior", "labels", "file",
})
SEQUENCE_FIELDS = frozenset({
    "name", "duration", "rate", "timecode", "media", "marker", "in", "out", "uuid", "labels", "comments", "logginginfo",
    "updatebehavior", "ismasterclip", "masterclipid",
})

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
