"""Commands on many files or many sources: batch and pull list."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from wexodos.carryover import Options, write_file
from wexodos.cli import commands as base
from wexodos.cli.translating import turnover_settings
from wexodos.destinations import find_destination
from wexodos.formats import read_file
from wexodos.formats.opening import the_one, unpacked
from wexodos.ground import processors
from wexodos.tidy.step import counted
from wexodos.timing import exact
from wexodos.turnover.batch import DONE, PASSED, REFUSED, STATE, SUMMARY, UNREADABLE, batch
from wexodos.turnover.pull import as_ale, as_csv, pulls


@base.app.command(name="batch")
def batch_command(
    folder: Annotated[
        Path,
        typer.Argument(
            help="a folder with sequence files of any kind, also in folders below", metavar="FOLDER"
        ),
    ],
    to: Annotated[
        str, typer.Option("--to", help="a destination's id, or a .toml file", metavar="DESTINATION")
    ],
    output: Annotated[Path, typer.Option("--out", help="the folder for the results", metavar="FOLDER")],
    jobs: Annotated[
        int,
        typer.Option(
            "--jobs", min=0, max=64, help="files worked on at once; the machine's processors otherwise"
        ),
    ] = 0,
    settings: Annotated[
        list[str],
        typer.Option("--set", help="a setting of the turnover, as NAME=VALUE", metavar="NAME=VALUE"),
    ] = [],  # noqa: B006
    as_json: base.JsonOption = False,
) -> None:
    """Carry all files of a folder over; go on where an earlier run was stopped."""
    destination = find_destination(to)
    if folder.suffix.lower() == ".zip" and not folder.is_dir():
        folder = unpacked(folder)
    if not folder.is_dir():
        raise base.Stop(base.UNREADABLE, f"{folder}: there is no such folder")
    options = Options(turnover=turnover_settings(settings, destination))

    def told(row: dict[str, Any], number: int, count: int) -> None:
        if not as_json:
            again = " (from before)" if row.get("before") else ""
            base.out.print(
                f"{number}/{count}  {row['file']}: "
                f"{row['status']}{again}{'. ' if row['said'] else ''}{row['said']}",
                markup=False,
            )

    rows = batch(folder, destination, to, output, options, jobs or processors(), told)
    passed = [row for row in rows if row["status"] == PASSED]
    bad = [row for row in rows if row["status"] not in (DONE, PASSED)]
    done = len(rows) - len(passed) - len(bad)
    if as_json:
        base.print_json(
            {
                "folder": str(folder),
                "destination": destination.id,
                "summary": str(output / SUMMARY),
                "state": str(output / STATE),
                "files": rows,
            }
        )
    else:
        base.out.print(
            f"{done} of {len(rows) - len(passed)} files carried over; the summary is {output / SUMMARY}",
            markup=False,
        )
        if passed:
            base.out.print(
                f"{counted(len(passed), 'other file')} passed over; the summary says why", markup=False
            )
    if bad:
        worst = {UNREADABLE: base.UNREADABLE, REFUSED: base.REFUSED}
        raise typer.Exit(max(worst.get(row["status"], base.INTERNAL) for row in bad))


@base.app.command(name="pull-list")
def pull_list(
    file: base.FileArgument,
    output: Annotated[Path, typer.Option("--out", help="the list to write: .csv or .ale", metavar="PATH")],
    handles: Annotated[
        float, typer.Option("--handles", min=0, max=3600, help="seconds on either side of what is used")
    ] = 1.0,
    sequence: base.SequenceOption = None,
    as_json: base.JsonOption = False,
) -> None:
    """What of which source a cut needs, with handles, each stretch once."""
    suffix = output.suffix.lower()
    if suffix not in (".csv", ".ale"):
        raise base.Stop(base.USAGE, f"--out: {output} must end in .csv or .ale")
    given, file = file, the_one(file)
    document = read_file(file)
    chosen = base.choose(document, sequence, file)
    rows = pulls(document, chosen, exact(round(handles * 1000), 1000))
    base.never_changed(output, given, file)
    write_file(output, as_csv(rows) if suffix == ".csv" else as_ale(rows, chosen))
    if as_json:
        base.print_json(
            {
                "file": str(file),
                "sequence": chosen.name,
                "output": str(output),
                "pulls": [
                    {
                        "media": one.media.file_name,
                        "reel": one.media.reel,
                        "start": one.start,
                        "end": one.end,
                        "rate": str(one.rate),
                        "clips": one.clips,
                    }
                    for one in rows
                ],
            }
        )
    else:
        base.out.print(
            f"{output}: {len(rows)} stretches of {len({one.media.id for one in rows})} sources", markup=False
        )
        unknown = {one.media.id for one in rows if one.media.start is None and not one.media.still}
        if unknown:
            many = counted(len(unknown), "source")
            base.err.print(
                f"The timecode of {many} is not known; counted from the first frame.", markup=False
            )
