"""Carry-over: plan → adapt → write → read back → account for every difference."""

from wexodos.carryover.findings import Choices, Fate, Finding, Remedy
from wexodos.carryover.options import Options
from wexodos.carryover.plan import Plan, plan
from wexodos.carryover.tickets import Homecoming, PutBack, put_back
from wexodos.carryover.translate import Cancelled, Carried, Progress, carry_over, write_file

__all__ = [
    "Cancelled",
    "Carried",
    "Choices",
    "Fate",
    "Finding",
    "Homecoming",
    "Options",
    "Plan",
    "Progress",
    "PutBack",
    "Remedy",
    "carry_over",
    "plan",
    "put_back",
    "write_file",
]
