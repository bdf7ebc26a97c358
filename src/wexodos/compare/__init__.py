"""Differences between two sequences: what moved, what changed, what is gone."""

from wexodos.compare.along import marker_key
from wexodos.compare.aspects import ABOUT, Aspect, Kind
from wexodos.compare.difference import Difference
from wexodos.compare.differences import compare
from wexodos.compare.match import Match, match_items
from wexodos.compare.rippled import compare_versions
from wexodos.compare.shown import plain_template

__all__ = [
    "ABOUT",
    "Aspect",
    "Difference",
    "Kind",
    "Match",
    "compare",
    "compare_versions",
    "marker_key",
    "match_items",
    "plain_template",
]
