"""How far two values may lie apart and still be the same to eye and ear. Each stands here once, with its
reason.

=====================  ============  =====================================================================
name                   value         why
=====================  ============  =====================================================================
``PIXELS``             0.05 px       a twentieth of a pixel moves no edge by a step of ten bits
``DEGREES``            0.01 °        turns the corner of a frame of 2000 pixels by less than half a pixel
``SHARE``              0.002         half a step of eight bits, of opacity, mix, pan
``FRACTION``           0.0005        of a picture's width: half a pixel of one of 1000
``DECIBELS``           0.1 dB        no one hears a change of level by a tenth
``FOLLOWED_DECIBELS``  0.09 dB       lines that follow others stay under what counts as a difference
``QUIET``              -90 dB        under the last bit of 16; what is below is silence
``SILENCE``            -96 dB        where a line to silence ends that dB cannot draw
``SECONDS``            0.00001 s     less than half a sample of 48 kHz
``FRAME``              1/1000 frame  what dialects that count in decimals lose of a whole frame
``SETTING``            0.005         of a setting's reach: one step in two hundred of a slider
=====================  ============  =====================================================================
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

PIXELS = 0.05
DEGREES = 0.01
SHARE = 0.002
FRACTION = 0.0005
DECIBELS = 0.1
FOLLOWED_DECIBELS = 0.09
QUIET = -90.0
SILENCE = -96.0
SECONDS = 1e-5
FRAME = Fraction(1, 1000)
SETTING = 0.005


@dataclass(frozen=True, slots=True, kw_only=True)
class Precision:
    """How far apart two cuts may lie and still be held to be the same; each limit in the unit of its name,
    where ``fraction`` is of a picture's width and ``setting`` of a setting's reach. A format declares its own
    where it holds more than eye and ear can tell."""

    pixels: float = PIXELS
    degrees: float = DEGREES
    share: float = SHARE
    fraction: float = FRACTION
    decibels: float = DECIBELS
    seconds: float = SECONDS
    setting: float = SETTING


SENSES = Precision()
"""What eye and ear cannot tell apart."""
DIGITS = Precision(
    pixels=0.001, degrees=0.001, share=1e-5, fraction=1e-5, decibels=0.001, seconds=1e-9, setting=1e-4
)
"""What is left of a number that is spelled in up to ten digits or as a fraction of 32 bits."""
EVERY_DIGIT = Precision(
    pixels=1e-6, degrees=1e-6, share=1e-9, fraction=1e-9, decibels=1e-6, seconds=1e-12, setting=1e-9
)
"""What is left of a number that is spelled in all its digits."""
