"""A destination with the turnover as a person chose it."""

from __future__ import annotations

import msgspec

from wexodos.destinations import Destination
from wexodos.formats import FORMATS
from wexodos.settling.options import Options, chosen


def destined(destination: Destination, options: Options) -> Destination:
    """The destination with the options applied, and what follows from them. Raises ``ValueError`` for a
    setting it has not."""
    turnover = chosen(destination.turnover, options.turnover)
    sound = destination.sound
    sound = msgspec.structs.replace(
        sound,
        level=sound.level and turnover.levels,
        pan=sound.pan and turnover.pans,
        fades=sound.fades and turnover.fades != "levels",
    )
    if FORMATS[destination.format].spells.edit_units:
        sound = msgspec.structs.replace(sound, between_frames=turnover.edit_rate == "samples")
    return msgspec.structs.replace(destination, turnover=turnover, sound=sound)
