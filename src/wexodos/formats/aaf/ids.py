"""The ids of the published object specification and edit protocol, and of the exporters met in practice, with
our words.

Definitions are told apart by these ids, never by name: the same id bears other names in other files.
"""

from __future__ import annotations

PICTURE, SOUND, TIMECODE = "picture", "sound", "timecode"
KINDS: dict[str, str] = {
    "01030202-0100-0000-060e-2b3404010101": PICTURE,
    "6f3c8ce1-6cef-11d2-807d-006008143e6f": PICTURE,
    "05cba732-1daa-11d3-80ad-006008143e6f": PICTURE,
    "01030202-0200-0000-060e-2b3404010101": SOUND,
    "78e1ebe1-6cef-11d2-807d-006008143e6f": SOUND,
    "01030201-0100-0000-060e-2b3404010101": TIMECODE,
    "7f275e81-77e5-11d2-807f-006008143e6f": TIMECODE,
    "01030201-1000-0000-060e-2b3404010101": "metadata",
}

USAGES: dict[str, str] = {
    "0d010102-0101-0700-060e-2b3404010101": "top",
    "0d010102-0101-0800-060e-2b3404010101": "lower",
    "0d010102-0101-0500-060e-2b3404010101": "sub",
    "0d010102-0101-0600-060e-2b3404010101": "adjusted",
    "0d010102-0101-0900-060e-2b3404010101": "template",
}
USAGE_NAMES = {
    "Usage_TopLevel": "top",
    "Usage_LowerLevel": "lower",
    "Usage_SubClip": "sub",
    "Usage_AdjustedClip": "adjusted",
    "Usage_Template": "template",
}

LINEAR = "5b6c85a4-0ede-11d3-80a9-006008143e6f"
CONSTANT = "5b6c85a5-0ede-11d3-80a9-006008143e6f"
LAWS = {LINEAR: "linear", CONSTANT: "constant"}

_SPEED = "847e-11d5-935a-50f857c10000"

OPERATIONS: dict[str, str] = {
    "0c3bea40-fc05-11d2-8a29-0050040ef7d2": "dissolve",
    "89d9b67e-5584-302d-9abd-8bd330c46841": "dissolve",
    "0c3bea44-fc05-11d2-8a29-0050040ef7d2": "wipe",
    "0c3bea43-fc05-11d2-8a29-0050040ef7d2": "dip",
    "5e9010d1-2ab3-37bc-9166-5d74846558ac": "dip",
    "a3479fae-4715-38b8-b020-907ae09e8769": "fade-up",
    "624e04b0-8063-3d9f-8172-6ea7cf0bed6d": "fade-down",
    "86f5711e-ee72-450c-a118-17cf3b175dff": "position",
    "2e0a119d-e6f7-4bee-b5dc-6dd42988687e": "scale",
    "f2ca330d-8d45-4db4-b1b5-136ab055586f": "rotate",
    "f5826680-26c5-4149-8554-43d3c7a3bc09": "crop",
    "9bb90dfd-2aad-49af-b09c-8ba6cd5281d1": "opacity",
    "5aba98f8-f389-471f-8fee-dfde7ec7f9bb": "colour",
    "2c50831c-572e-4042-b1dd-55ed0b7c49df": "title",
    "2db619ef-7210-4e89-95d7-970336d72e8c": "private-title",
    "47052d96-effc-431a-b2fe-3b4291c5d8fd": "placement",
    "f1db0f3d-8d64-11d3-80df-006008143e6f": "stack",
    "9d2ea890-0968-11d3-8a38-0050040ef7d2": "speed",
    "9d2ea894-0968-11d3-8a38-0050040ef7d2": "gain",
    "9d2ea895-0968-11d3-8a38-0050040ef7d2": "gain",
    "9d2ea893-0968-11d3-8a38-0050040ef7d2": "pan",
    "0c3bea41-fc05-11d2-8a29-0050040ef7d2": "crossfade",
    "0c3bea42-fc05-11d2-8a29-0050040ef7d2": "crossfade",
    "2311bd90-b5da-4285-aa3a-8552848779b3": "crossfade-curves",
}

PARAMETERS: dict[str, str] = {
    "e4962320-2267-11d3-8a4c-0050040ef7d2": "level",
    "e4962321-2267-11d3-8a4c-0050040ef7d2": "amplitude",
    "47c00f7d-fb55-11d3-9ff7-0004ac969f50": "volume",
    "e4962322-2267-11d3-8a4c-0050040ef7d2": "pan",
    "9e610007-1be2-41e1-bb11-c95de9964d03": "level-out",
    "48cea642-a8f9-455b-82b3-86c814b797c7": "level-in",
    "e4962323-2267-11d3-8a4c-0050040ef7d2": "wipe-number",
    "9c894ba0-2277-11d3-8a4c-0050040ef7d2": "wipe-reverse",
    "9c894ba1-2277-11d3-8a4c-0050040ef7d2": "wipe-soft",
    "9c894ba2-2277-11d3-8a4c-0050040ef7d2": "wipe-border",
    "72559a80-24d7-11d3-8a50-0050040ef7d2": "speed-ratio",
    f"8d56827c-{_SPEED}": "speed-map",
    f"8d56827d-{_SPEED}": "sampled-map",
    f"8d56827a-{_SPEED}": "offset-map",
    "c573a510-071a-454f-b617-ad6ae69054c2": "position-x",
    "82e27478-1336-4ea3-bcb9-6b8f17864c42": "position-y",
    f"8d568129-{_SPEED}": "scale-x",
    f"8d56812a-{_SPEED}": "scale-y",
    "062cfbd8-f4b1-4a50-b944-f39e2fc73c17": "rotation",
    "d47b3377-318c-4657-a9d8-75811b6dc3d1": "crop-left",
    "5ecc9dd5-21c1-462b-9fec-c2bd85f14033": "crop-right",
    "8170a539-9b55-4051-9d4e-46598d01b914": "crop-top",
    "154ba82b-990a-4c80-9101-3037e28839a1": "crop-bottom",
    "cb7c0ec4-f45f-4ee6-aef0-c63ddb134924": "opacity",
    "be2033da-723b-4146-ace0-3299e0ff342e": "slope-r",
    "7ca8e01b-c6d8-4b3f-b251-28a53e5b958f": "slope-g",
    "1aeb007b-3cd5-4814-87b5-cbd6a3cdfe8d": "slope-b",
    "4d1e65e0-85fc-4bb9-a264-13cf320a8539": "offset-r",
    "76f783e4-0bbd-41d7-b01e-f418c1602a6f": "offset-g",
    "57110628-522d-4b48-8a28-75477ced984d": "offset-b",
    "c2d79c3a-9263-40d9-827d-953ac6b88813": "power-r",
    "524d52e6-86a3-4f41-864b-fb53b15b1d5d": "power-g",
    "5f0cc7dc-907d-4153-bf00-1f3cdf3c05bb": "power-b",
    "0b135705-3312-4d03-ba89-be9ef45e5470": "saturation",
    "7b92827b-5ae3-465e-b5f9-5ee21b070859": "title-text",
    "e8eb7f50-602f-4a2f-8fb2-86c8826ccf24": "title-font",
    "01c55287-31b3-4f8f-bb87-c92f06eb7f5a": "title-size",
    "dfe86f24-8a71-4dc5-83a2-988f583af711": "title-red",
    "f9f41222-36d9-4650-bd5a-a17866cf86b9": "title-green",
    "f5ba87fa-cf72-4f37-a736-d7096fcb06f1": "title-blue",
    "47c1733f-6afb-4168-9b6d-476adfbae7ab": "title-align",
    "8b5732c0-be8e-4332-aa71-5d866add777d": "title-bold",
    "e4a3c91b-f96a-4dd4-91d8-1ba32000ab72": "title-italic",
    "a25061da-db25-402e-89ff-a6d0efa39444": "title-x",
    "6151541f-9d3f-4a0e-a3f9-24cc60eea969": "title-y",
    f"8d5681a9-{_SPEED}": "place-on",
    f"8d5681aa-{_SPEED}": "place-x",
    f"8d5681ab-{_SPEED}": "place-y",
    f"8d5681b2-{_SPEED}": "size-on",
    f"8d5681b3-{_SPEED}": "size-x",
    f"8d5681b4-{_SPEED}": "size-y",
    f"8d5681b7-{_SPEED}": "turn-on",
    f"8d5681ba-{_SPEED}": "turn-z",
    "93994bd6-a81d-11d3-a05b-006094eb75cb": "effect-id",
}

WRITTEN_OPERATIONS: dict[str, tuple[str, str, int, bool, tuple[str, ...]]] = {
    "dissolve": ("Video Dissolve", PICTURE, 2, False, ("level",)),
    "wipe": (
        "SMPTE Video Wipe",
        PICTURE,
        2,
        False,
        ("level", "wipe-number", "wipe-reverse", "wipe-soft", "wipe-border"),
    ),
    "position": ("Video Position", PICTURE, 1, False, ("position-x", "position-y")),
    "scale": ("Video Scale", PICTURE, 1, False, ("scale-x", "scale-y")),
    "rotate": ("Video Rotate", PICTURE, 1, False, ("rotation",)),
    "crop": ("Video Crop", PICTURE, 1, False, ("crop-left", "crop-top", "crop-right", "crop-bottom")),
    "opacity": ("Video Opacity", PICTURE, 1, False, ("opacity",)),
    "colour": (
        "Video Color Correction",
        PICTURE,
        1,
        False,
        (*(f"{what}-{color}" for what in ("slope", "offset", "power") for color in "rgb"), "saturation"),
    ),
    "title": (
        "Video Title",
        PICTURE,
        0,
        False,
        (
            "title-text",
            "title-font",
            "title-size",
            "title-red",
            "title-green",
            "title-blue",
            "title-align",
            "title-bold",
            "title-italic",
            "title-x",
            "title-y",
        ),
    ),
    "speed": ("Video Speed Control", PICTURE, 1, True, ("speed-ratio", "offset-map")),
    "gain": ("Mono Audio Gain", SOUND, 1, False, ("amplitude",)),
    "pan": ("Mono Audio Pan", SOUND, 1, False, ("pan",)),
    "crossfade": ("Mono Audio Dissolve", SOUND, 2, False, ("level",)),
    "crossfade-curves": ("Two-Parameter Mono Audio Dissolve", SOUND, 2, False, ("level-out", "level-in")),
}
"""Operations that are written: name, kind, inputs, whether it warps time, and its settings."""

INTEGERS = frozenset({"wipe-number", "title-align"})
SWITCHES = frozenset({"wipe-reverse", "title-bold", "title-italic"})
STRINGS = frozenset({"title-text", "title-font"})


def operation_id(word: str) -> str:
    """The edit protocol's id of an operation of ours, the first in the table."""
    return next(key for key, value in OPERATIONS.items() if value == word)


def parameter_id(word: str) -> str:
    return next(key for key, value in PARAMETERS.items() if value == word)


def parameter_type(word: str) -> str:
    """The name of the type in which a setting is written."""
    if word in INTEGERS:
        return "aafInt32"
    return "Boolean" if word in SWITCHES else "aafString" if word in STRINGS else "Rational"


COLORS = {
    "Red": "#a12f19ff",
    "Green": "#33cc33ff",
    "Blue": "#3333ccff",
    "Cyan": "#33ccccff",
    "Magenta": "#cc33ccff",
    "Yellow": "#e6e619ff",
}
"""Names of marker colours as files give them, and what they look like."""
MARKER_COLORS = {
    **{name.lower(): color for name, color in COLORS.items()},
    "black": "#000000ff",
    "white": "#ffffffff",
}
NAME_ONLY = "Wexodos name only"
"""A note of ours on a marker: its words are its name, it has no comment besides."""
COLOR_UNSAID = "Wexodos colour unsaid"
"""A note of ours on a marker: nothing is said of its colour. Every marker has one, as some list no other."""
PLAIN_COLOR = COLORS["Red"]
"""The colour of a marker of which nothing is said."""
