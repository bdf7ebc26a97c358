"""What the head of a sound file tells that stands in a descriptor."""

from __future__ import annotations

import struct


def sound_facts(head: bytes) -> tuple[int, int, int] | None:
    """Channels, sample rate and bits of a WAVE or AIFF head; by its own magic, not by the class it stands
    in."""
    place = head.find(b"fmt ")
    if head[:4] == b"RIFF" and 0 <= place <= len(head) - 24:
        return (
            struct.unpack_from("<H", head, place + 10)[0],
            struct.unpack_from("<I", head, place + 12)[0],
            struct.unpack_from("<H", head, place + 22)[0],
        )
    place = head.find(b"COMM")
    if head[:4] == b"FORM" and 0 <= place <= len(head) - 26:
        channels, _, bits, exponent, mantissa = struct.unpack_from(">hIhHQ", head, place + 8)
        shift = 63 - (exponent - 16383)
        return (channels, mantissa >> shift, bits) if 0 <= shift < 64 else None
    return None
