"""The demo as it arrives on a bad day: half of the media in another tree, some renamed, one twice, one cut
off, one at another rate."""

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


def scatter(
    folder: Path, media: Path, progress: Callable[[str, float], None] = lambda _what, _share: None
) -> Path:
    """Make the bad day in ``folder`` from the demo's ``media``; return the sequence file. What stays where
    the cut says it is stands in ``cut/media``, the rest in ``store``. Raises ``OSError``."""
    from wexodos.demo.media import make

    cut, store = folder / "cut", folder / STORE
    for place in (
        cut / "media",
        store / "day one" / "cards",
        store / "day two" / "cards",
        store / "sound" / "final",
    ):
        place.mkdir(parents=True, exist_ok=True)
    write_sequences(cut)
    for number, (title, source) in enumerate(sorted(ALL.items(), key=lambda one: one[1].file)):
        progress(f"scattering {source.file}", number / len(ALL))
        there = media / source.file
        special = (*RENAMED, TWICE, CUT_OFF, SHORT, OTHER_RATE)
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
        elif source.file == CUT_OFF:
            data = there.read_bytes()
            target.write_bytes(data[: len(data) * 6 // 10])
        else:
            shutil.copy2(there, target)
        if source.file == TWICE:
            other = store / "day two" / "cards" / "safety"
            other.mkdir(exist_ok=True)
            shutil.copy2(there, other / source.file)
    return cut / CUT
