"""Which stem a sound track belongs to: dialogue, music, effects, ambience."""

from __future__ import annotations

from wexodos.model.sequences import Track

STEMS: dict[str, tuple[str, ...]] = {
    "dialogue": ("dialogue", "dialog", "dia", "dx", "voice", "vo", "narration", "speech"),
    "music": ("music", "mx", "mus", "score"),
    "effects": ("effects", "effect", "sfx", "fx", "foley"),
    "ambience": ("ambience", "atmos", "atmo", "amb", "room"),
}
"""The words by which a track's name tells its stem."""


def stem_of(track: Track) -> str | None:
    """The stem a track says or its name tells; None where neither does."""
    words = (track.stem or track.name).lower().replace("-", " ").replace("_", " ").replace(".", " ").split()
    first = words[0].rstrip("0123456789") if words else ""
    return next(
        (stem for stem, names in STEMS.items() if first in names), track.stem.lower() if track.stem else None
    )
