"""The report as plain data, the one source of all its forms."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from wexodos.carryover import Carried, Fate, Finding, Row, rows
from wexodos.media import misfits, needs
from wexodos.model import Sequence
from wexodos.report.picture import picture
from wexodos.report.values import in_words
from wexodos.timing import exact, floor, format_exact

FATE_ORDER = tuple(fate.value for fate in Fate)


def time_value(value: Any) -> int | str | None:
    """A time as JSON gives it: whole frames as a number, others as a fraction in text."""
    if value is None:
        return None
    value = exact(value)
    return value if isinstance(value, int) else format_exact(value)


def plain(value: Any) -> Any:
    """Anything as JSON can hold it."""
    if value is None or isinstance(value, bool | int | str):
        return value
    if isinstance(value, float):
        return value if abs(value) != float("inf") else ("-inf" if value < 0 else "inf")
    if isinstance(value, list | tuple):
        return [plain(one) for one in value]
    return str(value)


def finding_data(finding: Finding, sequence: Sequence) -> dict[str, Any]:
    """One finding with its place as timecode."""
    return {
        "at": str(sequence.timecode(floor(finding.start))),
        "frame": time_value(finding.start),
        "until": str(sequence.timecode(floor(finding.stop))),
        "track": finding.track,
        "item": finding.item,
        "item_id": finding.item_id,
        "kind": finding.kind,
        "what": finding.what,
        "fate": finding.fate.value,
        "why": finding.why,
        "do": finding.do,
        "remedy": finding.remedy.value if finding.remedy is not None else None,
        "remedies": [remedy.value for remedy in finding.remedies],
        "before": plain(finding.before),
        "after": plain(finding.after),
        "deviation": {"value": finding.deviation[0], "unit": finding.deviation[1]}
        if finding.deviation
        else None,
        "minutes": finding.minutes,
        "explained": finding.explained,
        "closely": finding.closely,
        "cause": finding.cause.value if finding.cause is not None else None,
        "book": finding.book or None,
        "changes": [
            {
                "aspect": one.aspect.value,
                "thing": one.thing,
                "before": in_words(one.before),
                "after": in_words(one.after),
            }
            for one in finding.changes
        ],
    }


def fate_words(row: dict[str, Any]) -> str:
    """What became of the things of a row, in words."""
    if not row["explained"]:
        return "error"
    return "carried, closely" if row["closely"] else str(row["fate"])


def row_data(row: Row, sequence: Sequence, places: dict[int, int]) -> dict[str, Any]:
    """One row of the report; ``findings`` are the places of its findings in the list of all."""
    return {
        "at": str(sequence.timecode(floor(row.start))),
        "track": row.tracks,
        "thing": row.thing,
        "what": row.what,
        "fate": row.fate.value,
        "why": row.why,
        "do": row.do,
        "deviation": {"value": row.deviation[0], "unit": row.deviation[1]} if row.deviation else None,
        "minutes": row.minutes,
        "explained": row.explained,
        "closely": row.closely,
        "open": row.open,
        "findings": [places[id(one)] for one in row.findings],
    }


def report_data(
    carried: Carried, source: str, files: list[str], seen: Mapping[str, tuple[bytes, bytes]] | None = None
) -> dict[str, Any]:
    """The whole report; ``source`` is the name of the file taken in, ``files`` the names of those written,
    ``seen`` are pictures of findings, by their key (see ``sights``)."""
    destination = carried.destination
    minutes = carried.minutes
    places = {id(one): place for place, one in enumerate(carried.findings)}
    return {
        "source": {
            "file": Path(source).name,
            "format": carried.source.format,
            "sequence": carried.sequence.name,
        },
        "destination": destination.id,
        "destination_name": destination.name,
        "output": {"files": files, "format": destination.format, "version": destination.version},
        "counts": carried.counts,
        "things": carried.things,
        "unexplained": carried.errors,
        "budget_minutes": int(minutes) if minutes == int(minutes) else minutes,
        "unsent": {
            "media": list(carried.unsent.media),
            "folders": list(carried.unsent.folders),
            "elements": list(carried.unsent.elements),
        },
        "other_sequences": list(carried.others),
        "will_not_fit": [
            {"kind": one.kind, "media": one.media, "text": one.words, "do": one.do}
            for one in misfits(
                [(need, None) for need in needs(carried.source, carried.sequence)],
                carried.sequence,
                destination,
            )
        ],
        "picture": picture(carried),
        "sights": [(seen or {}).get(finding.key) for finding in carried.findings],
        "rows": [row_data(row, carried.sequence, places) for row in rows(carried.findings)],
        "findings": [finding_data(finding, carried.sequence) for finding in carried.findings],
    }
