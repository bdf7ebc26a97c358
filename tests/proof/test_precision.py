"""How closely a format holds what was written: as its row on the page says."""

from __future__ import annotations

import re
from dataclasses import astuple
from pathlib import Path

import pytest

from wexodos.destinations import load_all
from wexodos.formats import FORMATS

PAGE = Path(__file__).resolve().parents[2] / "docs" / "proof.md"


@pytest.mark.parametrize("name", sorted({one.format for one in load_all()[0]}))
def test_the_page_states_what_a_format_declares(name: str) -> None:
    rows = {
        cells[0]: tuple(map(float, cells[1:]))
        for line in PAGE.read_text(encoding="utf-8").splitlines()
        if re.match(r"\| [A-Z][A-Za-z ]+( \|[ 0-9.e-]+){7} \|$", line)
        for cells in [[cell.strip() for cell in line.strip("|").split("|")]]
    }
    label = re.split(r"[,(]", FORMATS[name].label)[0].strip()
    assert rows[label] == astuple(FORMATS[name].spells.precision)
