"""How colours are coded, after ITU-T H.273, in words."""

from __future__ import annotations

PRIMARIES = {
    1: "BT.709",
    4: "BT.470 M",
    5: "BT.601 625",
    6: "BT.601 525",
    9: "BT.2020",
    10: "XYZ",
    11: "DCI P3",
    12: "P3 D65",
}
TRANSFERS = {
    1: "BT.709",
    4: "gamma 2.2",
    5: "gamma 2.8",
    6: "BT.601",
    8: "linear",
    13: "sRGB",
    14: "BT.2020",
    15: "BT.2020",
    16: "PQ",
    17: "DCI",
    18: "HLG",
}
MATRICES = {0: "RGB", 1: "BT.709", 4: "FCC", 5: "BT.601", 6: "BT.601", 9: "BT.2020", 14: "ICtCp"}
RANGES = {1: "narrow", 2: "full"}
FIELD_ORDERS = {1: "progressive", 2: "upper", 3: "lower", 4: "upper", 5: "lower"}
"""What is shown first: of ``AVFieldOrder`` the order of display counts."""
