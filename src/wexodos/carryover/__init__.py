"""Carry-over: plan → adapt → write → read back → account for every difference."""

from wexodos.carryover.grouping import Row, rows, thing_of
from wexodos.carryover.plan import Plan, plan
from wexodos.carryover.tickets import Homecoming, PutBack, put_back
from wexodos.carryover.together import as_one, came_back, in_order
from wexodos.carryover.translate import Carried, carry_over
from wexodos.ground import Cancelled, Progress, write_file
from wexodos.settling.findings import Choices, Finding
from wexodos.settling.options import Options
from wexodos.settling.vocabulary import Fate, Remedy

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
    "Row",
    "as_one",
    "came_back",
    "carry_over",
    "in_order",
    "plan",
    "put_back",
    "rows",
    "thing_of",
    "write_file",
]
