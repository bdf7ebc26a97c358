"""What a dialect's elements and attributes come to: one table that the reader, the documentation and the
tests share.

A table lists, under each ``parent:`` (several joined by ``|``), its children as ``name uses - why``. Uses:
``r`` read into the model, ``w`` written, ``k`` kept word for word and written back, ``i`` passed over on
purpose, with the reason after the dash. A name with ``@`` before it is an attribute.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from importlib import resources

_USES = {"r": "read", "w": "written", "k": "kept", "i": "ignored"}


@dataclass(frozen=True, slots=True)
class Row:
    """One element (or attribute) inside a parent and what is done with it."""

    parent: str
    name: str
    uses: frozenset[str]
    why: str = ""

    @property
    def shown(self) -> str:
        return ", ".join(word for letter, word in _USES.items() if letter in self.uses)


def parse(text: str) -> tuple[Row, ...]:
    """Parse a table. Raises ``ValueError`` for a line that is none."""
    rows: list[Row] = []
    parents: list[str] = []
    for line in text.splitlines():
        if line.endswith(":"):
            parents = [one.strip() for one in line[:-1].split("|")]
        elif line.strip():
            match = re.fullmatch(r"  (@?[\w\-]+) ([rwki]+)(?: - (.+))?", line)
            if match is None or not parents:
                raise ValueError(f"{line!r} is no entry")
            name, uses, why = match.groups()
            rows.extend(Row(parent, name, frozenset(uses), why or "") for parent in parents)
    return tuple(rows)


def load(dialect: str) -> tuple[Row, ...]:
    """The table that stands beside a dialect's reader."""
    return parse(
        (resources.files("wexodos.formats") / dialect / "elements.table").read_text(encoding="utf-8")
    )


def known_tags(rows: tuple[Row, ...]) -> frozenset[str]:
    """Every element the table names."""
    return frozenset(
        {row.name for row in rows if not row.name.startswith("@")} | {row.parent for row in rows}
    )


def children(rows: tuple[Row, ...], parent: str, uses: str = "rwki") -> frozenset[str]:
    """The elements of ``parent`` that have one of ``uses``."""
    return frozenset(
        row.name
        for row in rows
        if row.parent == parent and not row.name.startswith("@") and row.uses & set(uses)
    )
