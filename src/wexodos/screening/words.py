"""How a movie lies on a cut, in words, for window and command line."""

from __future__ import annotations

from fractions import Fraction

from wexodos.model import Sequence
from wexodos.screening.align import Aligned
from wexodos.screening.heard import RATE, Heard
from wexodos.timing import exact


def lies_words(found: Aligned) -> str:
    """Where the cut begins in the movie."""
    by = found.offset
    if not by:
        return "it begins with the cut"
    frames = f"{abs(by)} frame{'s' if abs(by) != 1 else ''}"
    return f"the cut begins {frames} into it" if by > 0 else f"it begins {frames} into the cut"


def sound_words(sound: Heard, cut: Sequence) -> str:
    """Whether its sound is in sync with its picture."""
    if sound.problem:
        return f"its sound was not compared: {sound.problem}"
    if sound.offset is None:
        return "its sound is not the cut's"
    if not sound.offset and not sound.steps and not sound.drift:
        return "its sound is in sync with its picture"
    frames = float(cut.rate.frames(exact(Fraction(sound.offset, RATE))))
    side = "later" if sound.offset > 0 else "earlier"
    drift = f", {sound.drift:+.1f} ppm longer" if sound.drift else ""
    steps = f", with {len(sound.steps)} steps" if sound.steps else ""
    by = f"{abs(sound.offset)} samples ({abs(frames):.2f} frames) {side}"
    return f"its sound is {by} than its picture{drift}{steps}"
