"""Carrying over by the command line: one sequence, or several together."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Annotated, Any

import typer

from wexodos.carryover import Options, as_one, in_order
from wexodos.cli import commands as base
from wexodos.cli.baking import BakeOption, bake_choices
from wexodos.destinations import Destination, find_destination
from wexodos.formats import FORMATS, read_file
from wexodos.formats.opening import the_one
from wexodos.model import Document, Sequence
from wexodos.report import SUFFIXES, render, report_data, told
from wexodos.settling.options import chosen as chosen_turnover
from wexodos.turnover.run import prepared
from wexodos.turnover.several import report_on, stems
from wexodos.turnover.write import write_package


@base.app.command()
def translate(
    file: base.FileArgument,
    to: Annotated[
        str, typer.Option("--to", help="a destination's id, or a .toml file", metavar="DESTINATION")
    ],
    output: Annotated[
        Path,
        typer.Option(
            "--out",
            help="the file to write, or a folder for it; several sequences go into a folder",
            metavar="PATH",
        ),
    ],
    sequence: Annotated[
        list[str],
        typer.Option(
            "--sequence",
            help="name or id of the sequence; the first top-level one otherwise; several may be given",
            metavar="NAME",
        ),
    ] = [],  # noqa: B006
    everything: Annotated[
        bool, typer.Option("--all-sequences", help="every sequence that is not nested in another")
    ] = False,
    report: Annotated[
        Path | None, typer.Option("--report", help="a report: .json, .html, .csv or .pdf", metavar="PATH")
    ] = None,
    strict: Annotated[bool, typer.Option("--strict", help="things left behind make it fail")] = False,
    sizing: Annotated[
        bool, typer.Option("--sizing/--without-sizing", help="take position, scale and crop of clips along")
    ] = True,
    organised: Annotated[bool, typer.Option("--organised", help="send folders and unused media too")] = False,
    tolerance: Annotated[
        float,
        typer.Option(
            "--tolerance",
            min=0.1,
            max=100.0,
            help="how far a followed curve may lie off, as a multiple of half a pixel and a tenth of a dB",
        ),
    ] = 1.0,
    markers: Annotated[
        bool, typer.Option("--markers", help="put the findings into the written sequence as markers")
    ] = False,
    settings: Annotated[
        list[str],
        typer.Option(
            "--set",
            help="a setting of the turnover, as NAME=VALUE; several may be given",
            metavar="NAME=VALUE",
        ),
    ] = [],  # noqa: B006
    bake: BakeOption = [],  # noqa: B006
    as_json: base.JsonOption = False,
) -> None:
    """Carry a sequence, or several together, over to a destination and prove it."""
    if report is not None and report.suffix.lower() not in SUFFIXES:
        raise base.Stop(base.USAGE, f"--report: {report} must end in {', '.join(SUFFIXES)}")
    destination = find_destination(to)
    choices = bake_choices(bake, destination)
    given = file
    with base._progress(as_json) as step:
        file = the_one(given, step)
        step(f"reading {file.name}", 0.0)
        document = read_file(file)
        options = Options(sizing, organised, tolerance, markers, turnover_settings(settings, destination))
        chosen = chosen_sequences(document, sequence, everything, file)
        paths = _paths(chosen, output, FORMATS[destination.format].suffix)
        turned = [
            one
            for cut, path in zip(chosen, paths)
            for one in prepared(document, cut, destination, file, path, options, step, choices)
        ]
    reports: list[tuple[Path, bytes]] = []
    shown: list[dict[str, Any]] = []
    if len(chosen) > 1:
        shown = [report_on([(one.carried, [part.name for part in one.parts]) for one in turned], str(file))]
    else:
        shown = [report_data(one.carried, str(file), [part.name for part in one.parts]) for one in turned]
    if report is not None:
        for number, data in enumerate(shown):
            many = f" {number + 1}" if len(shown) > 1 else ""
            reports.append(
                (report.with_name(f"{report.stem}{many}{report.suffix}"), render(data, report.suffix))
            )
    folder = paths[0].parent
    parts = [part for one in turned for part in one.parts]
    places = [(folder / part.name).resolve() for part in parts]
    for place, _ in reports:
        if place.resolve() in places:
            raise base.Stop(base.USAGE, f"--report: {place} is what --out writes; give it another name")
    for other in (*paths, *(place for place, _ in reports)):
        base.never_changed(other, given, file)
    unproved = [one.carried for one in turned if one.carried.errors]
    if not unproved:
        # All at once: a turnover of several files is there whole or not at all, its report with it.
        if len(chosen) > 1 and not folder.is_dir():
            # A folder that is new arrives with what is in it.
            parts = [replace(part, name=f"{folder.name}/{part.name}") for part in parts]
            folder = folder.parent
        with base._progress(as_json) as step:
            write_package(parts, folder, file, step, reports)
    if as_json:
        found = [told(one) for one in shown]
        base.print_json(found[0] if len(found) == 1 else {"parts": found})
    else:
        names = tuple(cut.name for cut in chosen)
        for one, carried in zip(turned, as_one(one.carried for one in turned)):
            base.summary(carried, one.path, names)
        if len(chosen) > 1:
            minutes = shown[0]["budget_minutes"]
            base.out.print(f"{len(chosen)} sequences together: repair budget {minutes:g} min.", markup=False)
    for carried in unproved:
        carried.prove(str(output))
    if strict and any(one.carried.counts["left behind"] for one in turned):
        raise typer.Exit(base.DIFFERENT)


def chosen_sequences(document: Document, names: list[str], everything: bool, file: Path) -> list[Sequence]:
    """The sequences a person means: those named, in that order; all as the reels of a film follow one
    another. Raises ``Stop``."""
    if everything and names:
        raise base.Stop(base.USAGE, "--all-sequences takes all of them; leave --sequence away")
    if everything and document.top_level:
        return in_order(document.top_level)
    found = [base.choose(document, name, file) for name in names] or [base.choose(document, None, file)]
    return list({one.id: one for one in found}.values())


def _paths(sequences: list[Sequence], output: Path, suffix: str) -> list[Path]:
    """Where each sequence is written: one at ``output`` or in the folder that it is, several in a folder of
    that name. Raises ``Stop``."""
    if len(sequences) == 1 and not output.is_dir():
        return [output]
    if output.exists() and not output.is_dir():
        raise base.Stop(base.USAGE, f"{output}: several sequences go into a folder, and this is a file")
    names = stems(sequences)
    return [output / f"{names[one.id]}{suffix}" for one in sequences]


def turnover_settings(given: list[str], destination: Destination) -> tuple[tuple[str, str], ...]:
    """Settings of a turnover given as NAME=VALUE. Raises ``Stop``."""
    found = []
    for one in given:
        name, equals, value = one.partition("=")
        if not equals:
            raise base.Stop(base.USAGE, f"--set {one}: give NAME=VALUE, as in --set handles=2")
        found.append((name.strip().replace("-", "_"), value.strip()))
    try:
        chosen_turnover(destination.turnover, tuple(found))
    except ValueError as error:
        raise base.Stop(base.USAGE, f"--set: {error}") from None
    return tuple(found)
