"""Files made wrong: some bytes at random, or one thing at a time in a file that stays well-formed."""

from __future__ import annotations

import json
import random
import struct
from collections.abc import Callable
from typing import Any

from lxml import etree

WORDS = (
    "", "0", "-1", "1", "99999999999", "1/0", "-7/3", "1e308", "nan", "inf", "x", "TRUE", "-0", "0.000000001",
    "\u202e", "01:00:00:00", "3600s", "1001/24000s", "../../x", "a" * 3000,
)  # fmt: skip
NUMBERS = (0, -1, 1, 2, 7, 255, 65_535, 1 << 31, (1 << 32) - 1, (1 << 63) - 1, -(1 << 62))


def bytes_changed(data: bytes, chance: random.Random) -> bytes:
    """A file with a few bytes changed, left out, doubled or moved, or cut off."""
    made = bytearray(data)
    for _ in range(chance.randint(1, 6)):
        at = chance.randrange(len(made) or 1)
        size = chance.choice((1, 1, 2, 8, 64, 600))
        how = chance.randrange(6)
        if how == 0:
            made[at : at + size] = bytes(chance.randrange(256) for _ in range(size))
        elif how == 1:
            del made[at : at + size]
        elif how == 2:
            made[at:at] = made[at : at + size] * chance.choice((1, 2, 50))
        elif how == 3:
            other = chance.randrange(len(made) or 1)
            made[at : at + size] = made[other : other + size]
        elif how == 4:
            made[at : at + 1] = chance.choice((b"9", b"-", b"0", b"<", b"\xff", b"99999999999"))
        elif chance.random() < 0.1:
            del made[max(at, len(made) // 2) :]
        else:
            del made[at : at + 1]
    return bytes(made)


def _xml(data: bytes, chance: random.Random) -> bytes:
    """Elements with other words or attributes, left out, doubled, moved or nested in one another."""
    root = etree.fromstring(data)
    everything = [one for one in root.iter() if isinstance(one.tag, str) and one is not root]
    for _ in range(chance.randint(1, 5)):
        one = chance.choice(everything)
        above = one.getparent()
        how = chance.randrange(7)
        if how == 0 and one.attrib:
            one.set(chance.choice(list(one.attrib)), chance.choice(WORDS))
        elif how == 1 and one.attrib:
            del one.attrib[chance.choice(list(one.attrib))]
        elif how in (2, 3) and not len(one):
            one.text = chance.choice(WORDS)
        elif above is None:
            continue
        elif how == 4:
            above.remove(one)
        elif how == 5:
            above.append(etree.fromstring(etree.tostring(one, with_tail=False)))
        else:
            other = chance.choice(everything)
            if other.getparent() is not None and one not in (other, *other.iterancestors()):
                other.append(one)
    return etree.tostring(root, xml_declaration=True, encoding="UTF-8")


def _otio(data: bytes, chance: random.Random) -> bytes:
    """Values of another kind, keys left out, things twice."""
    root = json.loads(data)
    places: list[tuple[Any, Any]] = []
    stack: list[Any] = [root]
    while stack:
        one = stack.pop()
        inside = one.items() if isinstance(one, dict) else enumerate(one)
        for key, value in inside:
            places.append((one, key))
            if isinstance(value, dict | list):
                stack.append(value)
    for _ in range(chance.randint(1, 4)):
        holder, key = chance.choice(places)
        if isinstance(holder, list) and (not holder or key >= len(holder)):
            continue
        how = chance.randrange(4)
        if how == 0 and isinstance(holder, dict):
            holder.pop(key, None)
        elif how == 1 and isinstance(holder, list):
            holder.append(json.loads(json.dumps(holder[key])))
        else:
            holder[key] = chance.choice((*WORDS, *NUMBERS, None, [], {}, [[]], 0.5, True))
    return json.dumps(root).encode()


def _edl(data: bytes, chance: random.Random) -> bytes:
    """Lines left out, doubled or moved; words that are others."""
    lines = data.decode().splitlines()
    for _ in range(chance.randint(1, 5)):
        at = chance.randrange(len(lines))
        how = chance.randrange(4)
        if how == 0 and len(lines) > 2:
            del lines[at]
        elif how == 1:
            lines.insert(chance.randrange(len(lines)), lines[at])
        elif how == 2:
            words = lines[at].split(" ")
            words[chance.randrange(len(words))] = chance.choice(WORDS)
            lines[at] = " ".join(words)
        else:
            lines[at] = lines[at].replace(chance.choice("0123456789:"), chance.choice("0123456789;-"), 1)
    return "\n".join(lines).encode()


def _values(low: float, high: float) -> Callable[[bytes, random.Random], bytes]:
    """Other values where they stand, of the same length, in a stretch of the file where no tables are."""

    def changed(data: bytes, chance: random.Random) -> bytes:
        made = bytearray(data)
        for _ in range(chance.randint(1, 12)):
            at = chance.randrange(int(len(made) * low), int(len(made) * high) - 8)
            how = chance.randrange(4)
            if how == 0:
                made[at] ^= 1 << chance.randrange(8)
            elif how == 1:
                struct.pack_into("<I", made, at & ~3, chance.choice(NUMBERS) & 0xFFFFFFFF)
            elif how == 2:
                struct.pack_into("<Q", made, at & ~3, chance.choice(NUMBERS) & 0xFFFFFFFFFFFFFFFF)
            else:
                other = chance.randrange(int(len(made) * low), int(len(made) * high) - 8)
                made[at : at + 8] = made[other : other + 8]
        return bytes(made)

    return changed


KEPT: dict[str, Callable[[bytes, random.Random], bytes]] = {
    "xml": _xml,
    "fcpxml": _xml,
    "otio": _otio,
    "edl": _edl,
    "aaf": _values(0.3, 0.97),
    "omf": _values(0.0, 0.6),
}
"""One that keeps the file well-formed, for every suffix."""
