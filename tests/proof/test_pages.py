"""The tables of the pages are those of the code."""

from __future__ import annotations

import re
from dataclasses import astuple
from pathlib import Path

import pytest

from wexodos.destinations import load_all
from wexodos.formats import FORMATS
from wexodos.settling import receiver
from wexodos.settling.vocabulary import MINUTES

DOCS = Path(__file__).resolve().parents[2] / "docs"


def rows(page: str, cells: int) -> list[list[str]]:
    """The rows of all tables of a page with so many cells."""
    found = [
        [cell.strip() for cell in line.strip("|").split(" | ")]
        for line in (DOCS / page).read_text(encoding="utf-8").splitlines()
        if line.startswith("|")
    ]
    return [row for row in found if len(row) == cells]


@pytest.mark.parametrize("name", sorted({one.format for one in load_all()[0]}))
def test_how_closely_a_format_holds_what_was_written(name: str) -> None:
    told = {row[0]: row[1:] for row in rows("proof.md", 8)}
    label = re.split(r"[,(]", FORMATS[name].label)[0].strip()
    assert tuple(map(float, told[label])) == astuple(FORMATS[name].spells.precision)


def test_the_minutes_of_the_repair_budget() -> None:
    told = {row[0].strip("`"): row[1:] for row in rows("destinations.md", 3)}
    for kind, minutes in MINUTES.items():
        assert tuple(map(float, told[kind.value])) == minutes, kind


def test_what_a_shipped_destination_takes_that_says_nothing() -> None:
    """A row names keys, each with its value in brackets; a value behind several keys is that of all of them."""
    table, checked = "", set()
    for row in rows("destinations.md", 3):
        named = re.match(r"`?(\w*)`?$", row[0])
        table = named.group(1) if named and named.group(1) else table
        part = getattr(receiver.Destination, "__annotations__", {}).get(table)
        if row[0] and part is None:
            continue
        waiting: list[str] = []
        for key, value in re.findall(r"`(\w+)`|\(([^)]+)\)", row[1]):
            if key:
                waiting.append(key)
                continue
            wanted = {"true": True, "false": False}.get(value, value.strip('"'))
            for name in waiting:
                default = getattr(getattr(receiver, part.removeprefix("receiver."))(), name)
                shown = (
                    default
                    if not isinstance(default, list)
                    else "[" + ", ".join(f'"{x}"' for x in default) + "]"
                )
                assert str(shown) == str(wanted), (table, name)
                checked.add((table, name))
            waiting = []
    assert {"whole_frames", "carry", "tracks", "kinds", "between_frames"} <= {name for _, name in checked}
    assert len(checked) > 40
