"""Between the dialect's units and the model's; sources are the sections of the format reference in
``docs/formats``.

scale      percent of native pixels ↔ factor with fit mode ``none`` (8.1)
center     fraction of the reference size ↔ pixels from the frame's centre (8.2; reference = the source's
           own size)
anchor     fraction of the source picture, the same in both (8.1)
rotation   degrees clockwise, the same in both
crop       percent ↔ fraction (8.1)
opacity    percent ↔ fraction
level      linear gain ↔ dB: 20·log10(gain), silence at or below 0.0000158 (9)
speed      percent ↔ factor (6.2)
"""

from __future__ import annotations

from math import inf, log10

SILENCE_GAIN = 0.0000158
MAX_GAIN = 3.98109


def db_of_gain(gain: float) -> float:
    return -inf if gain <= SILENCE_GAIN else 20.0 * log10(gain)


def gain_of_db(level: float) -> float:
    return 0.0 if level == -inf else 10.0 ** (level / 20.0)


def _meant(percent: float, fits: tuple[float, ...]) -> float:
    """A percentage of one decimal within 0.06 of an exact fit (in percent) is that fit, rounded (8.3)."""
    if round(percent, 1) == percent:
        for fit in fits:
            if abs(percent - fit) <= 0.06:
                return fit
    return percent


def snapped_scale(percent: float, fits: tuple[float, ...]) -> float:
    """The scale factor that a percentage means."""
    return _meant(percent, fits) / 100.0


def unmistakable(percent: float, fits: tuple[float, ...]) -> float:
    """The percentage as it is to be written: one that would be taken for a rounded fit gets a further
    digit."""
    return percent if _meant(percent, fits) == percent else percent * (1 + 1e-9)


def number(value: float, digits: int = 10) -> str:
    """Spell a number with up to ten significant digits and never with an exponent. Places in a long medium
    need more of them, to be told to the sample."""
    text = f"{value:.{digits}g}"
    if "e" in text or "E" in text:
        text = f"{value:.10f}".rstrip("0").rstrip(".")
    return text if text not in ("-0", "") else "0"
