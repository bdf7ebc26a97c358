"""The command that holds two sequences against each other that belong together: pair."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from wexodos.carryover import write_file
from wexodos.cli import commands as base
from wexodos.cli.preparing import write_out
from wexodos.compare.correcting import corrected
from wexodos.compare.pairing import Pair, PairRow, paired
from wexodos.formats import read_file
from wexodos.formats.opening import the_one
from wexodos.ground import Progress
from wexodos.ground.names import json_text, table_bytes
from wexodos.model import Document, Sequence
from wexodos.report.rows import time_value
from wexodos.tidy.abreast import abreast
from wexodos.tidy.step import Render, counted
from wexodos.timing import floor


@base.app.command(name="pair")
def pair_command(
    left: Annotated[Path, typer.Argument(help="the left eye, or the one that leads", metavar="LEFT")],
    right: Annotated[
        Path, typer.Argument(help="the right eye, or the one that goes with it", metavar="RIGHT")
    ],
    output: Annotated[
        Path | None, typer.Option("--out", help="write the rows: a table (.csv) or .json", metavar="PATH")
    ] = None,
    sequence: base.SequenceOption = None,
    against: Annotated[str | None, typer.Option("--against-sequence", help="the sequence of RIGHT")] = None,
    correct: Annotated[
        str | None, typer.Option("--correct", help="this side is made to follow the other: left or right")
    ] = None,
    corrected_to: Annotated[
        Path | None, typer.Option("--corrected", help="write the side that was corrected", metavar="FILE")
    ] = None,
    together: Annotated[
        Path | None,
        typer.Option(
            "--together", help="write both as one, nested, under one layer of markers", metavar="FILE"
        ),
    ] = None,
    as_json: base.JsonOption = False,
) -> None:
    """Hold two sequences against each other that belong together: cuts, sources, speeds, lengths, sizes;
    correct one of them; send both as one."""
    if output is not None and output.suffix.lower() not in (".csv", ".json"):
        raise base.Stop(base.USAGE, f"--out: {output} ends in none of .csv, .json")
    if correct not in (None, "left", "right"):
        raise base.Stop(base.USAGE, f"--correct: {correct} is neither left nor right")
    if correct is not None and corrected_to is None and together is None:
        raise base.Stop(base.USAGE, "--correct: say where to, with --corrected or --together")
    if corrected_to is not None and correct is None:
        raise base.Stop(base.USAGE, "--corrected: say which side is made to follow, with --correct")
    given, (left, right) = (left, right), (the_one(left), the_one(right))
    for path in (output, corrected_to, together):
        if path is not None:
            base.never_changed(path, *given, left, right)
    a, b = read_file(left), read_file(right)
    one = base.choose(a, sequence, left)
    known = any(sequence in (each.name, each.id) for each in b.sequences)
    other = base.choose(b, against if against is not None else (sequence if known else None), right)
    found = paired(a, one, b, other)
    fixed: list[PairRow] = []
    files: list[str] = []
    left_cut = one
    if correct is not None:
        fixed = found.rows
        if correct == "right":
            done = corrected(a, one, b, other)
            b, other = done.document, done.sequence
        else:
            done = corrected(b, other, a, one)
            a, one = done.document, done.sequence
        found = paired(a, one, b, other)
    with base._progress(as_json) as step:
        if corrected_to is not None:
            side = (b, other, right) if correct == "right" else (a, one, left)
            files += _written(*side, corrected_to, step, [])
        if together is not None:
            document, both, renders = abreast(a, one, b, other, found)
            files += _written(document, both, left, together, step, renders)
    data: dict[str, Any] = {
        "left": str(left),
        "right": str(right),
        "offset_frames": time_value(found.offset),
        "rows": [_row_data(row, one) for row in found.rows],
    }
    if correct is not None:
        data["corrected"] = {"side": correct, "rows": [_row_data(row, left_cut) for row in fixed]}
    if files:
        data["output"] = files
    if output is not None:
        table = output.suffix.lower() == ".csv"
        write_file(output, _table(found, one) if table else (json_text(data) + "\n").encode())
    if as_json:
        base.print_json(data)
        return
    if found.offset:
        base.out.print(f"{right.name} stands {float(found.offset):+g} frames later.", markup=False)
    for row in found.rows:
        item = row.left_item or row.right_item
        name = f"{item.name or item.kind}: " if item is not None else ""
        base.out.print(
            f"  {one.timecode(floor(row.at))} {row.track:3} {name}{row.what.value}: {row.left} | {row.right}",
            markup=False,
        )
    if correct is not None:
        left_over = f", {len(found.rows)} are left" if found.rows else ""
        rows = counted(len(fixed), "row")
        base.out.print(f"{rows} corrected on the {correct}{left_over}.", markup=False)
    base.out.print(counted(len(found.rows), "row") if found.rows else "They are a pair.", markup=False)
    for name in files:
        base.out.print(f"  written: {name}", markup=False)


def _written(
    document: Document, sequence: Sequence, source: Path, output: Path, step: Progress, renders: list[Render]
) -> list[str]:
    files, carried = write_out(document, sequence, source, output, step, renders)
    carried.prove(str(output))
    return files


def _row_data(row: PairRow, left: Sequence) -> dict[str, object]:
    items = [
        (side, one) for side, one in (("left", row.left_item), ("right", row.right_item)) if one is not None
    ]
    return {
        "at": str(left.timecode(floor(row.at))),
        "frame": time_value(row.at),
        "track": row.track,
        "what": row.what.value,
        "left": row.left,
        "right": row.right,
        **{f"{side}_item": one.name or one.kind for side, one in items},
        **{f"{side}_item_id": one.id for side, one in items},
    }


def _table(found: Pair, left: Sequence) -> bytes:
    rows = [["at", "track", "what", "left", "right", "item"]]
    for row in found.rows:
        item = row.left_item or row.right_item
        name = (item.name or item.kind) if item is not None else ""
        rows.append([str(left.timecode(floor(row.at))), row.track, row.what.value, row.left, row.right, name])
    return table_bytes(rows)
