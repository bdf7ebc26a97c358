"""Several sequences in one hand-over: a file for each, together in one folder, with one report."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from wexodos.carryover import Carried, Choices, Options, as_one
from wexodos.destinations import Destination
from wexodos.formats import FORMATS
from wexodos.ground import Progress
from wexodos.ground.names import safe_name
from wexodos.model import Sequence
from wexodos.picture.compose import Locate
from wexodos.report import render, report_data, together
from wexodos.report.sights import Sights
from wexodos.tidy import Render
from wexodos.tidy.renders import placed
from wexodos.turnover.run import baked, prepared, rendered
from wexodos.turnover.sounds import media_folder
from wexodos.turnover.write import Part, PartKind, main_parts

REPORTS = {
    ".html": "report as a page",
    ".json": "report for programs",
    ".csv": "report as a table",
    ".pdf": "report as PDF",
}


def stems(sequences: list[Sequence]) -> dict[str, str]:
    """A file name without suffix for each sequence, by its id: no two that a system which takes no notice of
    case would take for one."""
    found: dict[str, str] = {}
    taken: set[str] = set()
    for one in sequences:
        stem, number = safe_name(one.name), 2
        while stem.casefold() in taken:
            stem, number = f"{safe_name(one.name)} ({number})", number + 1
        taken.add(stem.casefold())
        found[one.id] = stem
    return found


@dataclass(frozen=True, slots=True)
class Leaving:
    """A sequence as it leaves: what became of it, what has to be rendered for it, and what finds its sound
    and pictures."""

    carried: Carried
    renders: list[Render]
    locate: Locate


def planned(leaving: list[Leaving], source: str, reports: tuple[str, ...]) -> list[Part]:
    """What would be written for sequences that leave together, with one report for each suffix."""
    names = stems([one.carried.sequence for one in leaving])
    parts, told = [], []
    for one in leaving:
        stem = names[one.carried.sequence.id]
        main = main_parts(one.carried, f"{stem}{FORMATS[one.carried.destination.format].suffix}")
        _, files = placed(one.carried.source, one.carried.sequence, one.renders, media_folder(stem))
        parts += [*main, *rendered(one.carried, [*files, *baked(one.carried)], one.locate)]
        told.append((one.carried, [part.name for part in main]))
    return [*parts, *report_parts(told, source, _title(source, list(names.values())), reports)]


def made(
    leaving: list[Leaving],
    destination: Destination,
    source: Path,
    folder: Path,
    reports: tuple[str, ...],
    options: Options,
    choices: Choices,
    progress: Progress,
) -> list[Part]:
    """The same as files for one folder: what links to others says where in it they will be. Raises
    ``UnprovedError`` where a book does not balance, and what ``prepared`` does."""
    names = stems([one.carried.sequence for one in leaving])
    parts, told = [], []
    for one in leaving:
        carried, stem = one.carried, names[one.carried.sequence.id]
        carried.prove(str(folder))
        name = f"{stem}{FORMATS[carried.destination.format].suffix}"
        if not (carried.made.pieces or carried.renders or one.renders):
            main = main_parts(carried, name)
            parts += main
            told.append((carried, [part.name for part in main]))
            continue
        for turned in prepared(
            carried.source,
            carried.sequence,
            destination,
            source,
            folder / name,
            options,
            progress,
            choices,
            one.renders,
        ):
            turned.carried.prove(str(folder))
            parts += turned.parts
            told.append((turned.carried, [part.name for part in turned.parts]))
    return [*parts, *report_parts(told, str(source), _title(str(source), list(names.values())), reports)]


def _title(source: str, names: list[str]) -> str:
    """What the report is called after: the sequence, or where there are several their file."""
    return names[0] if len(names) == 1 else safe_name(Path(source).stem)


def report_on(
    turned: list[tuple[Carried, list[str]]], source: str, seen: Mapping[str, Sights] | None = None
) -> dict[str, Any]:
    """One report on carry-overs with the names of their files, with one repair budget; ``seen`` are pictures
    of findings, by the id of the sequence."""
    weighed = as_one([carried for carried, _ in turned])
    reports = [
        report_data(carried, source, files, (seen or {}).get(carried.sequence.id))
        for carried, (_, files) in zip(weighed, turned)
    ]
    return together(reports, reports[0]["source"]["file"])


def report_parts(
    turned: list[tuple[Carried, list[str]]], source: str, stem: str, reports: tuple[str, ...]
) -> list[Part]:
    """One report on a hand-over for each suffix."""
    data = report_on(turned, source) if reports else {}
    return [
        Part(f"{stem} report{suffix}", REPORTS[suffix], render(data, suffix), kind=PartKind.REPORT)
        for suffix in reports
    ]
