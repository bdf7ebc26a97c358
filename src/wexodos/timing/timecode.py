"""Timecode labels after SMPTE ST 12-1: frame counts to ``HH:MM:SS:FF`` and back.

Drop frame leaves out labels, never frames: at 29.97 the labels :00 and :01 (at 59.94 :00 to :03) of every
minute that is not a multiple of ten. The last separator is ``;`` in drop frame, ``:`` otherwise.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from wexodos.timing.rates import Rate

_LABEL = re.compile(r"(-?)(\d{1,3})[:;.](\d{2})[:;.](\d{2})([:;.,])(\d{2,3})")


class TimecodeError(ValueError):
    """A label that is no timecode, or names a frame that does not exist."""


def drop_frame_possible(nominal: int) -> bool:
    """Drop-frame counting is defined for 30 and 60 labels a second."""
    return nominal in (30, 60)


def _dropped(nominal: int) -> int:
    return nominal // 15


@dataclass(frozen=True, slots=True)
class Timecode:
    """A frame count from 00:00:00:00 with the rate and the way it is labelled.

    ``frames`` counts real frames. It may be negative (labelled with a leading ``-``). Labels are not wrapped
    at 24 hours: wrapping would lose a day.
    """

    frames: int
    rate: Rate
    drop_frame: bool = False

    @classmethod
    def parse(cls, label: str, rate: Rate, drop_frame: bool | None = None) -> Timecode:
        """Parse a label; ``;`` before the frames means drop frame unless ``drop_frame`` says otherwise.

        Raises ``TimecodeError`` for text that is no label, minutes or seconds above 59, a frame number at or
        above the nominal rate, and labels that drop frame leaves out.
        """
        match = _LABEL.fullmatch(label.strip())
        if not match:
            raise TimecodeError(f"not a timecode: {label!r}")
        sign, hours, minutes, seconds, separator, frame = match.groups()
        nominal = rate.nominal
        drop = separator == ";" if drop_frame is None else drop_frame
        drop = drop and drop_frame_possible(nominal)
        h, m, s, f = int(hours), int(minutes), int(seconds), int(frame)
        if m > 59 or s > 59 or f >= nominal:
            raise TimecodeError(f"no such timecode at {rate.label()} frames: {label!r}")
        count = ((h * 60 + m) * 60 + s) * nominal + f
        if drop:
            if s == 0 and m % 10 and f < _dropped(nominal):
                raise TimecodeError(f"drop frame leaves out {label!r}")
            total_minutes = h * 60 + m
            count -= _dropped(nominal) * (total_minutes - total_minutes // 10)
        return cls(-count if sign else count, rate, drop)

    def __str__(self) -> str:
        nominal = self.rate.nominal
        count = abs(self.frames)
        drop = self.drop_frame and drop_frame_possible(nominal)
        if drop:
            dropped = _dropped(nominal)
            per_ten = nominal * 600 - dropped * 9
            per_minute = nominal * 60 - dropped
            tens, rest = divmod(count, per_ten)
            count += dropped * 9 * tens
            if rest >= nominal * 60:
                count += dropped * ((rest - nominal * 60) // per_minute + 1)
        seconds, frame = divmod(count, nominal)
        minutes, second = divmod(seconds, 60)
        hour, minute = divmod(minutes, 60)
        digits = 3 if nominal > 100 else 2
        sign = "-" if self.frames < 0 else ""
        return f"{sign}{hour:02d}:{minute:02d}:{second:02d}{';' if drop else ':'}{frame:0{digits}d}"
