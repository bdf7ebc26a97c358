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
