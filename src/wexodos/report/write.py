"""The forms of a report."""

from __future__ import annotations

import base64
from collections.abc import Callable
from importlib import resources
from typing import Any

import jinja2

from wexodos.ground.names import json_text, table_bytes, visible
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
    """A report without its pictures: what JSON gives."""
    found = {key: value for key, value in data.items() if key not in ("picture", "sights")}
    if "sequences" in found:
        found["sequences"] = [told(one) for one in found["sequences"]]
    return found


def as_json(data: dict[str, Any]) -> bytes:
    return (json_text(told(data)) + "\n").encode()


def as_csv(data: dict[str, Any]) -> bytes:
    """A table with a line per finding; text that a spreadsheet would take for a formula is quoted. Of several
    sequences each line says which it is in."""
    several = data.get("sequences")
    rows = [
        ([one["source"]["sequence"]] if several else []) + [finding[column] for column in _COLUMNS]
        for one in several or [data]
        for finding in one["findings"]
    ]
    return table_bytes([("sequence", *_COLUMNS) if several else _COLUMNS, *rows], mark=True)


def as_html(data: dict[str, Any]) -> bytes:
    """One self-contained page that prints well."""
    text = (resources.files("wexodos.report") / "report.html.j2").read_text(encoding="utf-8")
    page = jinja2.Environment(
        autoescape=True, trim_blocks=True, lstrip_blocks=True, finalize=_shown
    ).from_string(text)
    return page.render(report=data, fate_words=fate_words, jpeg=_jpeg).encode("utf-8", "replace")


def _jpeg(data: bytes) -> str:
    return f"data:image/jpeg;base64,{base64.b64encode(data).decode('ascii')}"


def _shown(value: Any) -> Any:
    """Words of strangers with their control characters made visible; what is markup already stays."""
    return visible(value, True) if type(value) is str else value


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
