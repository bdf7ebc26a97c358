"""One report on several sequences that go over together."""

from __future__ import annotations

from typing import Any


def together(reports: list[dict[str, Any]], source: str) -> dict[str, Any]:
    """The reports of several sequences as one, with their sums; they stand in it as ``sequences``, in their
    order. ``source`` is the name of the file taken in. That of one alone is that one.

    The minutes are those of one hand-over where the carry-overs were weighed as one.
    """
    if len(reports) == 1:
        return reports[0]
    first = reports[0]
    names = [one["source"]["sequence"] for one in reports]
    minutes = round(sum(one["budget_minutes"] for one in reports), 1)
    return {
        "source": {"file": source, "format": first["source"]["format"], "sequence": ", ".join(names)},
        "destination": first["destination"],
        "destination_name": first["destination_name"],
        "output": {
            "files": [file for one in reports for file in one["output"]["files"]],
            "format": first["output"]["format"],
            "version": first["output"]["version"],
        },
        "counts": {fate: sum(one["counts"][fate] for one in reports) for fate in first["counts"]},
        "things": sum(one["things"] for one in reports),
        "unexplained": sum(one["unexplained"] for one in reports),
        "budget_minutes": int(minutes) if minutes == int(minutes) else minutes,
        "unsent": {
            "media": _everywhere([one["unsent"]["media"] for one in reports]),
            "folders": _everywhere([one["unsent"]["folders"] for one in reports]),
            "elements": list(dict.fromkeys(name for one in reports for name in one["unsent"]["elements"])),
        },
        "other_sequences": [
            name for name in _everywhere([one["other_sequences"] for one in reports]) if name not in names
        ],
        "sequences": reports,
    }


def _everywhere(lists: list[list[str]]) -> list[str]:
    """What stands in all lists: what goes with none of the sequences."""
    return [name for name in lists[0] if all(name in one for one in lists[1:])]
