"""The schemas of what is written, made from the reference pages."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from lxml import etree

SCHEMAS = Path(__file__).parents[1] / "schemas"


@cache
def _lane() -> etree.DTD:
    with (SCHEMAS / "lane.dtd").open(encoding="utf-8") as file:
        return etree.DTD(file)


def faults(data: bytes) -> list[str]:
    """What of a Lane XML is not where its schema has it; empty where all is."""
    schema = _lane()
    if schema.validate(etree.fromstring(data)):
        return []
    return [f"line {one.line}: {one.message[-300:]}" for one in schema.error_log.filter_from_errors()]
