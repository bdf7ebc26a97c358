"""One report, written as JSON, CSV, HTML or PDF."""

from wexodos.report.rows import FATE_ORDER, report_data
from wexodos.report.together import together
from wexodos.report.write import SUFFIXES, render, told

__all__ = ["FATE_ORDER", "SUFFIXES", "render", "report_data", "together", "told"]
