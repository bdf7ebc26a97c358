"""The demo as it arrives on a bad day: half of the media in another tree, some renamed, two of one name, one
copied, one cut off, one at another rate, one a numbered sequence with a gap, one in two files."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from wexodos.demo.build import CUT, write_sequences
from wexodos.demo.sources import ALL

STORE = "store"
RENAMED = {
    "A005C001.mov": "A005C001 copy 2.mov",
    "B001C004.mov": "door-brick-take-2.mov",
    "FX_roar.wav": "fx_ROAR.WAV",
}
"""Names that files go by in the store."""
TWICE, CUT_OFF, SHORT, OTHER_RATE, GONE = (
    "A006C004.mov",
    "A007C003.mov",
    "QUILL_01.wav",
    "B003C007.mov",
    "E001C002.mov",
)


COPIED = "A004C002.mov"
"""Lies there twice, the same byte for byte: no question."""
SEQUENCE, SPANNED = "B002C001.mov", "A001C003.mov"
AS_WRITTEN = {SEQUENCE: "B002C001.[1001-1600].jpg", SPANNED: "A001C003_001.mov"}
"""What the cut of the bad day calls them: a sequence of pictures, the first of two files."""
FIRST, MISSING, CUT_AT = 1001, range(1212, 1216), 350


SEEN_THROUGH, TABLE = "Ember macro", "blue-hour.cube"
"""A clip and the look-up table the cut names for it."""


def night(size: int) -> str:
    """A table that makes dusk of a picture: darker, colder, with less colour."""
    rows = []
    for number in range(size**3):
        red, green, blue = (number // size**place % size / (size - 1) for place in range(3))
        grey = 0.2126 * red + 0.7152 * green + 0.0722 * blue
        mixed = [grey + (part - grey) * 0.55 for part in (red, green, blue)]
        rows.append(" ".join(f"{part**1.3 * gain:.6f}" for part, gain in zip(mixed, (0.6, 0.75, 1.0))))
    return f'TITLE "Blue hour"\nLUT_3D_SIZE {size}\n' + "\n".join(rows) + "\n"


def scatter(
    folder: Path, media: Path, progress: Callable[[str, float], None] = lambda _what, _share: None
) -> Path:
    """Make the bad day in ``folder`` from the demo's ``media``; return the sequence file. What stays where
    the cut says it is stands in ``cut/media``, the rest in ``store``. Raises ``OSError``."""
    from wexodos.demo.media import make, make_sequence

    cut, store = folder / "cut", folder / STORE
    for place in (
        cut / "media",
        store / "day one" / "cards",
        store / "day two" / "cards",
        store / "sound" / "final",
    ):
        place.mkdir(parents=True, exist_ok=True)
    write_sequences(cut)
    words = (cut / CUT).read_text(encoding="utf-8")
    for name, written in AS_WRITTEN.items():
        words = words.replace(name, written)
    # One clip is seen through a table, which lies elsewhere.
    end = words.index("</clipitem>", words.index(f"<name>{SEEN_THROUGH}</name>"))
    words = f"{words[:end]}<colorinfo><lut>{TABLE}</lut></colorinfo>{words[end:]}"
    (cut / CUT).write_text(words, encoding="utf-8", newline="\n")
    (store / "looks").mkdir()
    (store / "looks" / TABLE).write_text(night(9), encoding="utf-8")
    for number, (title, source) in enumerate(sorted(ALL.items(), key=lambda one: one[1].file)):
        progress(f"scattering {source.file}", number / len(ALL))
        there = media / source.file
        special = (*RENAMED, TWICE, COPIED, CUT_OFF, SHORT, OTHER_RATE, SEQUENCE, SPANNED)
        if source.file == GONE:
            continue
        if number % 2 and source.file not in special:
            shutil.copy2(there, cut / "media" / source.file)
            continue
        home = store / (
            "sound/final" if not source.video else "day one/cards" if number < 10 else "day two/cards"
        )
        target = home / RENAMED.get(source.file, source.file)
        if source.file == OTHER_RATE:
            make(replace(source, rate=(24, 1), start=source.start * 24 // 25), home, title)
        elif source.file == SHORT:
            make(replace(source, frames=source.frames * 6 // 10), home, title)
        elif source.file == SEQUENCE:
            make_sequence(source, home / "B002C001", title, FIRST, MISSING)
        elif source.file == SPANNED:
            first, second = AS_WRITTEN[SPANNED], AS_WRITTEN[SPANNED].replace("_001", "_002")
            make(replace(source, file=first, frames=CUT_AT), home, title)
            rest = replace(source, file=second, start=source.start + CUT_AT, frames=source.frames - CUT_AT)
            make(rest, home, title)
        elif source.file == CUT_OFF:
            data = there.read_bytes()
            target.write_bytes(data[: len(data) * 6 // 10])
        else:
            shutil.copy2(there, target)
        if source.file in (TWICE, COPIED):
            other = store / "day two" / "cards" / "safety"
            other.mkdir(exist_ok=True)
            if source.file == COPIED:
                shutil.copy2(there, other / source.file)
            else:
                # A card of another day that was given the same names, and began at the same time.
                make(replace(source, hue=0.9, shape="bars"), other, "Second firing")
    return cut / CUT
