"""The forms of a report."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable
from importlib import resources
from typing import Any

import jinja2

from wexodos.report.rows import fate_words

_COLUMNS = (
    "at",
    "until",
    "track",
    "item",
    "kind",
    "what",
    "fate",
    "why",
    "do",
    "remedy",
    "before",
    "after",
    "minutes",
    "explained",
    "closely",
)


def told(data: dict[str, Any]) -> dict[str, Any]:
    """A report without its picture: what JSON gives."""
    return {key: value for key, value in data.items() if key != "picture"}


def as_json(data: dict[str, Any]) -> bytes:
    return (json.dumps(told(data), ensure_ascii=False, indent=1) + "\n").encode()


def as_csv(data: dict[str, Any]) -> bytes:
    """A table with a line per finding; text that a spreadsheet would take for a formula is quoted."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(_COLUMNS)
    for finding in data["findings"]:
        writer.writerow([_safe(finding[column]) for column in _COLUMNS])
    return ("\ufeff" + out.getvalue()).encode()


def _safe(value: Any) -> Any:
    if isinstance(value, str) and value[:1] in ("=", "+", "@", "\t", "\r") and not value[1:2].isdigit():
        return f"'{value}"
    return value


def as_html(data: dict[str, Any]) -> bytes:
    """One self-contained page that prints well."""
    text = (resources.files("wexodos.report") / "report.html.j2").read_text(encoding="utf-8")
    page = jinja2.Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True).from_string(text)
    return page.render(report=data, fate_words=fate_words).encode()


def as_pdf(data: dict[str, Any]) -> bytes:
    """The report as a PDF; what makes it is loaded only when it is asked for, as it takes long."""
    from wexodos.report import pdf

    return pdf.as_pdf(data)


SUFFIXES: dict[str, Callable[[dict[str, Any]], bytes]] = {
    ".json": as_json,
    ".csv": as_csv,
    ".html": as_html,
    ".pdf": as_pdf,
}


def render(data: dict[str, Any], suffix: str) -> bytes:
    """Write the report in the form a suffix names. Raises ``KeyError`` for a suffix not in ``SUFFIXES``."""
    return SUFFIXES[suffix.lower()](data)
