"""Every value of the container and the object model that no foreign file has confirmed, in one place.

A reader never depends on one of these alone: it accepts the candidates and goes by structure. The writer
takes the first.
"""

from __future__ import annotations

MAGIC = bytes.fromhex("a4434da5486472d7")
LITTLE, BIG = 0x0101, 0x0000
LABEL_SIZE = 24
FIRST_ID = 0x00010000
TABLE_OBJECT = 1
MOST_BYTES = (1 << 31) - 1
"""Offsets are signed in common readers, so a file stays below this."""

SEED, LOWEST = 2, 3
TYPE_NAME, PROPERTY_NAME = 7, 8
ASCII_TYPE = 24
REFERENCES_PROPERTY, REFERENCES_TYPE = 31, 32

# Operation codes of a table of contents, version 2 (fairly sure of all).
NEW_OBJECT, NEW_PROPERTY, NEW_TYPE, GENERATION = 1, 2, 3, 4
VALUE, VALUE_GOES_ON, WIDE_VALUE, WIDE_GOES_ON = 5, 6, 7, 8
EMPTY, IMMEDIATE_1, IMMEDIATE_2, IMMEDIATE_3, IMMEDIATE_4, IMMEDIATE_GOES_ON = 9, 10, 11, 12, 13, 14
REFERENCES, END_OF_BUFFER, NOTHING = 15, 24, 255

LAYOUTS = ((0, False), (0, True), (1, False), (1, True))
"""Candidates of a table's layout: by how much the codes from 5 to 15 are lower, and whether short immediates
fill four bytes."""

CONTINUED_FLAG, IMMEDIATE_FLAG = 1, 2
"""Flags of a table of contents, version 1."""

EPOCHS = (0, -2082844800)
"""Seconds by which a time stamp is counted from 1970: from 1970 itself, or from 1904."""

LINEAR, CONSTANT = 2, 1
LEVEL_ARGUMENT, OUT_ARGUMENT, IN_ARGUMENT = -3, -3, -4
"""Arguments of the effect of a transition."""

FADES = {"none": 0, "linear": 1, "equal-power": 2}
UID_PREFIX = 42

HOUSEKEEPING: dict[str, str] = {
    **dict.fromkeys(
        ("CreationTime", "LastModified", "ToolkitVersion", "Version", "IdentificationList"),
        "who wrote the object and when",
    ),
    **dict.fromkeys(
        (
            "ByteOrder",
            "CharacterSet",
            "ClassDictionary",
            "ObjectSpine",
            "MobSpine",
            "ObjID",
            "ObjClass",
            "AttrRefs",
            "DefinitionObjects",
            "ExternalFiles",
            "Mobs",
            "SourceMobs",
            "CompositionMobs",
            "PrimaryMobs",
            "MediaData",
            "IsOMFI",
        ),
        "how the file is built",
    ),
    **dict.fromkeys(("CodecID", "ImportSource"), "how the bytes of a medium are packed"),
    **dict.fromkeys(("DataKind", "DataKindID"), "what kind an object is: told by where it stands"),
    **dict.fromkeys(("PhysicalTrack", "UsageCode"), "how a program shows the object"),
}
"""Properties that are passed over on purpose, and why."""
PASSED_CLASSES = {
    "IDNT": "who wrote the file",
    "DDEF": "the name of a kind",
    "EDEF": "the name of an effect, told by its id",
    "CVAL": "the frame around a value: what stands in it is read",
    "VVAL": "the frame around values: what stands in it is read",
}
"""Classes whose other properties are passed over on purpose, and why."""
NAME_LENGTH, TRACK_LENGTH = 63, 31
