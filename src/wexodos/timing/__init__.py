"""Exact time: rates, rational times, ranges and timecode. Depends on nothing else of ours."""

from wexodos.timing.exact import (
    Exact,
    absolute,
    ceil,
    exact,
    floor,
    floor_guarded,
    format_exact,
    parse_exact,
    round_half_up,
)
from wexodos.timing.rates import COMMON_RATES, Rate
from wexodos.timing.spans import Span
from wexodos.timing.timecode import Timecode, TimecodeError, drop_frame_possible

__all__ = [
    "COMMON_RATES",
    "Exact",
    "Rate",
    "Span",
    "Timecode",
    "TimecodeError",
    "absolute",
    "ceil",
    "drop_frame_possible",
    "exact",
    "floor",
    "floor_guarded",
    "format_exact",
    "parse_exact",
    "round_half_up",
]
