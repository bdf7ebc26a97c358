"""Commands on what comes back: changes."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from wexodos.carryover import write_file
from wexodos.cli import commands as base
from wexodos.compare.changes import versions
from wexodos.formats import ReadError, read_file
from wexodos.formats.opening import the_one
from wexodos.ground.names import json_text
from wexodos.timing import floor
from wexodos.turnover.change_list import as_list, as_table, data_of


@base.app.command(name="changes")
def changes_command(
    old: Annotated[Path, typer.Argument(help="the earlier version", metavar="OLD")],
    new: Annotated[Path, typer.Argument(help="the later version", metavar="NEW")],
    output: Annotated[
        Path | None,
        typer.Option(
            "--out",
            help="write them: a change list (.edl), a table (.csv) or for programs (.json)",
            metavar="PATH",
        ),
    ] = None,
    sequence: base.SequenceOption = None,
    against: Annotated[str | None, typer.Option("--against-sequence", help="the sequence of NEW")] = None,
    as_json: base.JsonOption = False,
) -> None:
    """What a new version of a cut changed, by stretches of record time."""
    suffix = output.suffix.lower() if output is not None else ""
    if output is not None and suffix not in (".edl", ".csv", ".json"):
        raise base.Stop(base.USAGE, f"--out: {output} ends in none of .edl, .csv and .json")
    given, (old, new) = (old, new), (the_one(old), the_one(new))
    if output is not None:
        base.never_changed(output, *given, old, new)
    a, b = read_file(old), read_file(new)
    first = base.choose(a, sequence, old)
    known = any(sequence in (one.name, one.id) for one in b.sequences)
    second = base.choose(b, against if against is not None else (sequence if known else None), new)
    if first.rate != second.rate:
        words = f"the earlier version has {first.rate.fps} frames a second, the later one {second.rate.fps}"
        raise ReadError(f"{words}: they have no frames in common", "", str(new))
    found = versions(a, first, b, second)
    data: dict[str, Any] = {
        "old": str(old),
        "new": str(new),
        "rate": f"{first.rate.fps.numerator}/{first.rate.fps.denominator}",
        "changes": data_of(found.changes),
    }
    if output is not None:
        match suffix:
            case ".edl":
                written = as_list(found, first, second)
            case ".csv":
                written = as_table(found.changes, first, second)
            case _:
                written = (json_text(data) + "\n").encode("utf-8")
        write_file(output, written)
    if as_json:
        base.print_json(data)
        return
    for one in found.changes:
        there = first.timecode(floor(one.old_from))
        now = second.timecode(floor(one.new_from))
        items = ", ".join(each.item.name or each.item.kind for each in one.items[:4])
        more = f" and {len(one.items) - 4} more" if len(one.items) > 4 else ""
        base.out.print(f"{there} → {now}: {one.what.value}: {items}{more}", markup=False)
    base.out.print(f"{len(found.changes)} changes" if found.changes else "no changes", markup=False)
