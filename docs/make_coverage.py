"""Write docs/formats/xmeml.md and fcpxml.md from the tables that the readers use: ``python
docs/make_coverage.py``."""

from __future__ import annotations

from itertools import groupby
from pathlib import Path

from wexodos.formats.coverage import Row
from wexodos.formats.fcpxml.coverage import ROWS as LANE_ROWS
from wexodos.formats.xmeml.coverage import ROWS as TRACK_ROWS

FOLDER = Path(__file__).parent / "formats"
INTRODUCTION = """\
# {title}: what is read, written, kept, passed over

Made by `python docs/make_coverage.py` from the table that the reader itself works with
(`src/wexodos/formats/{dialect}/elements.table`). `tests/formats/test_coverage.py` tries every row out on a
document that has everything: what is read changes the model when it goes, what is written stands in the
output, what is kept comes back, what is passed over changes nothing. What the table does not name is kept
word for word with its place and put back there when the same dialect is written; written for the other one it
is a finding.

*Read*: understood, in the model. *Written*: spelled by the writer. *Kept*: word for word, for the way back.
*Ignored*: passed over on purpose. How the elements are meant is told in
[{dialect}-reference.md]({dialect}-reference.md).
"""


def page(dialect: str, title: str, rows: tuple[Row, ...]) -> str:
    """The whole page of one dialect."""
    parts = [INTRODUCTION.format(title=title, dialect=dialect)]
    for parent, group in groupby(rows, key=lambda row: row.parent):
        parts.append(f"\n## {parent}\n\n| inside | what is done | why |\n| --- | --- | --- |\n")
        for row in group:
            name = f"`{row.name}`" if row.name.startswith("@") else f"`<{row.name}>`"
            parts.append(f"| {name} | {row.shown} | {row.why} |\n")
    return "".join(parts)


PAGES = {"xmeml": ("Track XML (xmeml)", TRACK_ROWS), "fcpxml": ("Lane XML (fcpxml)", LANE_ROWS)}

if __name__ == "__main__":
    for dialect, (title, rows) in PAGES.items():
        (FOLDER / f"{dialect}.md").write_text(page(dialect, title, rows), encoding="utf-8")
        print(f"{dialect}.md: {len(rows)} rows")
