"""Commands that make a cut ready: tidy, media, relink."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Annotated, Any

import typer

from wexodos.carryover import Carried
from wexodos.cli import commands as base
from wexodos.destinations import Destination, find_destination, keeper
from wexodos.formats import FORMATS, read_file
from wexodos.formats.opening import the_one
from wexodos.ground import UnprovedError
from wexodos.media import Probes, Row, Rules, Scanner, find, key_of, misfits, relinked, swap
from wexodos.model import Document, Sequence
from wexodos.report import report_data, told
from wexodos.report.rows import time_value
from wexodos.sound.locate import Finder
from wexodos.tidy import STEPS, Did, Line, Render, Tidied, find_recipe, load_all, tidy
from wexodos.timing import Timecode, exact, floor
from wexodos.turnover.run import written_out

SearchOption = Annotated[
    list[Path],
    typer.Option(
        "--search", help="a folder to search, with all below it; several may be given", metavar="DIR"
    ),
]
UpOption = Annotated[
    int,
    typer.Option("--up", min=0, max=20, help="folders above that of the sequence file that are looked into"),
]
MapOption = Annotated[
    list[str],
    typer.Option(
        "--map", help="a volume that is elsewhere here; several may be given", metavar="WRITTEN=HERE"
    ),
]
ChooseOption = Annotated[
    list[str],
    typer.Option("--choose", help="the file of a medium; several may be given", metavar="NAME=PATH"),
]
ReferenceOption = Annotated[
    Path | None,
    typer.Option(
        "--reference",
        help="a picture of the whole cut, by which files that could be it are told apart",
        metavar="MOVIE",
    ),
]
StrictOption = Annotated[bool, typer.Option("--strict", help="anything missing makes it fail")]

_FURTHER = (
    *(
        "codec",
        "profile",
        "chroma",
        "alpha",
        "field_order",
        "primaries",
        "transfer",
        "matrix",
        "range",
        "turned",
    ),
    *("streams", "layout", "sample_float", "channel_names", "frames", "first", "last", "gaps", "parts"),
)
"""Facts of a file that are told where it says them."""


def rules_of(search: list[Path], up: int, maps: list[str], reference: Path | None = None) -> Rules:
    """The search rules of the command line. Raises ``Stop``."""
    pairs = []
    for one in maps:
        written, equals, here = one.partition("=")
        if not equals or not written or not here:
            raise base.Stop(
                base.USAGE, f"--map {one}: give WRITTEN=HERE, as in --map /Volumes/Kiln=/mnt/kiln"
            )
        pairs.append((written, here))
    for folder in search:
        if not folder.is_dir():
            raise base.Stop(base.UNREADABLE, f"{folder}: there is no such folder")
    if reference is not None:
        told = Probes().of(reference.resolve())
        if told.problem or not told.video:
            raise base.Stop(base.UNREADABLE, f"{reference}: {told.problem or 'there is no picture in it'}")
    shown = str(reference.resolve()) if reference is not None else ""
    return Rules(up, tuple(str(one.resolve()) for one in search), tuple(pairs), shown)


def written_as(output: Path, document: Document) -> Destination:
    """How a cut is written at ``output``: in the format its suffix says, otherwise in the one it came in.
    Raises ``Stop``."""
    suffix = output.suffix.lower()
    format_id = next((one.id for one in FORMATS.values() if one.suffix == suffix), document.format)
    found = keeper(format_id)
    if found is None:
        raise base.Stop(
            base.USAGE,
            f"--out: {output} cannot be written as {FORMATS[format_id].label}; end it in .xml, "
            ".fcpxml, .aaf or .otio",
        )
    return found


def write_out(
    document: Document, sequence: Sequence, source: Path, output: Path, step: Any, renders: list[Render]
) -> tuple[list[str], Carried]:
    """Write a cut; return the files and what writing it in this format did to it. Raises ``Stop`` and
    ``WriteError``."""
    base.never_changed(output, source)
    return written_out(document, sequence, renders, source, output, written_as(output, document), step)


# ---- tidy


def _place(sequence: Sequence, did: Did, line: Line) -> Timecode:
    """Where a line of a step is in the cut taken in."""
    return sequence.timecode(max(0, floor(line.start - did.shift)))


def _lines(tidied: Tidied, sequence: Sequence) -> list[dict[str, Any]]:
    rows = []
    for did in tidied.steps:
        outcome = did.outcome
        rows.append(
            {
                "step": did.chosen.step,
                "name": STEPS[did.chosen.step].name,
                "on": did.chosen.on,
                "effect": did.effect,
                "problem": did.problem or None,
                "unproven": [{"kind": kind, "from": low, "to": high} for kind, low, high in did.unproven],
                "did": [
                    {
                        "at": str(_place(sequence, did, one)),
                        "frame": time_value(exact(one.start - did.shift)),
                        "track": one.track,
                        "item": one.item,
                        "item_id": one.item_id,
                        "what": one.what,
                        "why": one.why,
                        "left": one.grave,
                    }
                    for one in (outcome.lines if outcome is not None and did.chosen.on else [])
                ],
            }
        )
    return rows


@base.app.command(name="tidy")
def tidy_command(
    file: base.FileArgument,
    recipe: Annotated[str, typer.Option("--recipe", help="a recipe's name, or a .toml file", metavar="NAME")],
    output: Annotated[Path, typer.Option("--out", help="the file to write", metavar="FILE")],
    sequence: base.SequenceOption = None,
    as_json: base.JsonOption = False,
) -> None:
    """Run a recipe on a cut and write the result; what has to be rendered is rendered beside it."""
    chosen_recipe = find_recipe(recipe)
    given = file
    with base._progress(as_json) as step:
        file = the_one(given, step)
        base.never_changed(output, given)
        document = read_file(file)
        chosen = base.choose(document, sequence, file)
        done = tidy(document, chosen, chosen_recipe.steps, step, preview=False)
        if done.problems:
            raise base.Stop(base.USAGE, f"{file}: {done.problems[0]}")
        if done.unproven:
            # What no step accounts for is a fault of ours: it is not handed out.
            raise UnprovedError(
                f"{done.unproven} stretches changed although no step says so; nothing was written",
                file=str(output),
            )
        # A copy takes the place of the cut it was made of, which nobody asks to be written.
        rest = tuple(one for one in done.document.sequences if one.id != chosen.id or one is done.sequence)
        files, carried = write_out(
            replace(done.document, sequences=rest), done.sequence, file, output, step, done.renders
        )
    if as_json:
        base.print_json(
            {
                "file": str(file),
                "sequence": chosen.name,
                "recipe": chosen_recipe.name,
                "output": files,
                "result": done.sequence.name,
                "unproven": done.unproven,
                "written": told(report_data(carried, str(file), files)),
                "steps": _lines(done, chosen),
            }
        )
    else:
        for did in done.steps:
            if did.chosen.on:
                base.out.print(f"{STEPS[did.chosen.step].name}: {did.effect}", markup=False)
                for line in did.outcome.lines if did.outcome is not None else []:
                    if line.grave:
                        where = f"{_place(chosen, did, line)} {line.track} {line.item}"
                        base.out.print(f"  {where}: {line.what}: {line.why}", markup=False)
        base.out.print("Outside what the steps say, every frame is what it was.")
        base.summary(carried, output)
        for one in files[1:]:
            base.out.print(f"  with it: {one}", markup=False)
    carried.prove(str(output))


@base.app.command()
def recipes(as_json: base.JsonOption = False) -> None:
    """The recipes of Tidy steps, and the steps there are."""
    known, problems = load_all()
    if as_json:
        base.print_json(
            {
                "recipes": [
                    {
                        "name": one.name,
                        "about": one.about,
                        "builtin": one.builtin,
                        "steps": [{"step": it.step, "on": it.on, "options": it.options} for it in one.steps],
                    }
                    for one in known
                ],
                "steps": [
                    {
                        "id": one.id,
                        "name": one.name,
                        "about": one.about,
                        "options": [
                            {
                                "name": it.name,
                                "default": it.default,
                                "choices": [value for value, _ in it.choices],
                            }
                            for it in one.options
                        ],
                    }
                    for one in STEPS.values()
                ],
                "problems": problems,
            }
        )
        return
    for one in known:
        base.out.print(f"{one.name:14} {one.about}{'' if one.builtin else '  (yours)'}", markup=False)
    for problem in problems:
        base.err.print(problem)


# ---- media


def row_data(row: Row, sequence: Sequence) -> dict[str, Any]:
    """A row of the media table as the command line gives it."""
    media, facts = row.media, row.facts

    def seconds(value: object) -> float | None:
        return round(float(value), 6) if value is not None else None  # type: ignore[arg-type]

    start = media.timecode(0)
    stated = (
        (media.rate or sequence.rate).seconds(media.duration)
        if media.duration is not None and not media.still
        else None
    )
    return {
        "id": media.id,
        "name": media.file_name,
        "status": row.status,
        "written": media.path,
        "path": str(row.path) if row.path else None,
        "how": row.how or None,
        "asked": row.asked,
        "problems": [{"status": one.status, "text": one.words} for one in row.problems],
        "reel": media.reel,
        "start": str(start) if start is not None and not media.still else None,
        "used_from": seconds(row.need.low),
        "used_to": seconds(row.need.high),
        "duration": seconds(stated),
        "rate": str(media.rate) if media.rate is not None else None,
        "width": media.width,
        "height": media.height,
        "sample_rate": media.sample_rate,
        "bit_depth": media.bit_depth,
        "channels": media.channels,
        "file": None
        if facts is None or facts.problem
        else {
            "duration": seconds(facts.length),
            "rate": facts.rate or None,
            "width": facts.width or None,
            "height": facts.height or None,
            "start": facts.timecode or None,
            "reel": facts.reel or None,
            "channels": facts.channels or None,
            "sample_rate": facts.sample_rate or None,
            "bit_depth": facts.sample_bits or facts.bits or None,
            "size": facts.size,
            **{name: value for name in _FURTHER if (value := getattr(facts, name))},
        },
        "uses": [
            {"track": one.track, "frame": time_value(one.start), "item": one.name, "item_id": one.item_id}
            for one in row.need.uses
        ],
        "candidates": [
            {
                "path": str(one.path),
                "score": one.score,
                "reasons": [{"points": it.points, "text": it.words} for it in one.reasons],
            }
            for one in row.candidates
        ],
    }


def counts(rows: list[Row]) -> dict[str, int]:
    found: dict[str, int] = {"found": 0, "missing": 0}
    for row in rows:
        found[row.status] = found.get(row.status, 0) + 1
    return found


def _found(
    file: Path, sequence: str | None, rules: Rules, choices: list[str], step: Any
) -> tuple[Document, Sequence, list[Row]]:
    """Find the media of a cut; ``choices`` are NAME=PATH. Raises ``Stop``."""
    document = read_file(file)
    chosen = base.choose(document, sequence, file)
    links: dict[str, str] = {}
    for one in choices:
        name, equals, path = one.partition("=")
        known = [media for media in document.media if name in (media.file_name, media.id)]
        if not equals or not known:
            raise base.Stop(
                base.USAGE, f"--choose {one}: give NAME=PATH with the name of a medium of the cut"
            )
        if not Path(path).is_file():
            raise base.Stop(base.UNREADABLE, f"{path}: there is no such file")
        links |= {key_of(media): str(Path(path).resolve()) for media in known}
    finder = Finder(file, document)
    return (
        document,
        chosen,
        find(document, [chosen], file, rules, links, Probes(), Scanner(), step, inside=finder),
    )


def _told(rows: list[Row]) -> None:
    for row in rows:
        where = f"{row.path} ({row.how})" if row.path is not None else ""
        base.out.print(f"{row.status:15}{row.media.file_name:28} {where}", markup=False)
        for one in row.problems:
            base.out.print(f"  {one.status}: {one.words}", markup=False)
        for candidate in row.candidates if row.asked else []:
            reasons = ", ".join(one.words for one in candidate.reasons)
            base.out.print(f"  ? {candidate.path}: {candidate.score}: {reasons}", markup=False)
    states = ", ".join(f"{count} {status}" for status, count in counts(rows).items())
    base.out.print(f"{len(rows)} media: {states}", markup=False)


@base.app.command(name="media")
def media_command(
    file: base.FileArgument,
    search: SearchOption = [],  # noqa: B006
    up: UpOption = 2,
    maps: MapOption = [],  # noqa: B006
    choose: ChooseOption = [],  # noqa: B006
    reference: ReferenceOption = None,
    to: Annotated[
        str | None, typer.Option("--to", help="say what will not fit this destination", metavar="DESTINATION")
    ] = None,
    sequence: base.SequenceOption = None,
    strict: StrictOption = False,
    as_json: base.JsonOption = False,
) -> None:
    """Which media a cut needs, where they are, and what is wrong with them."""
    rules = rules_of(search, up, maps, reference)
    destination = find_destination(to) if to is not None else None
    with base._progress(as_json) as step:
        file = the_one(file, step)
        _, chosen, rows = _found(file, sequence, rules, choose, step)
    unfit = misfits([(row.need, row.facts) for row in rows], chosen, destination)
    if as_json:
        base.print_json(
            {
                "file": str(file),
                "sequence": chosen.name,
                "counts": counts(rows),
                "media": [row_data(row, chosen) for row in rows],
                "findings": [
                    {"kind": one.kind, "media": one.media, "text": one.words, "do": one.do} for one in unfit
                ],
            }
        )
    else:
        _told(rows)
        for one in unfit:
            base.out.print(f"  {one.media}: {one.kind}: {one.words}; {one.do}", markup=False)
    if strict and any(row.path is None for row in rows):
        raise typer.Exit(base.DIFFERENT)


@base.app.command(name="relink")
def relink_command(
    file: base.FileArgument,
    output: Annotated[Path, typer.Option("--out", help="the file to write", metavar="FILE")],
    search: SearchOption = [],  # noqa: B006
    originals: Annotated[
        list[Path],
        typer.Option(
            "--originals", help="put the camera originals of this folder behind the cut", metavar="DIR"
        ),
    ] = [],  # noqa: B006
    up: UpOption = 2,
    maps: MapOption = [],  # noqa: B006
    choose: ChooseOption = [],  # noqa: B006
    reference: ReferenceOption = None,
    sequence: base.SequenceOption = None,
    strict: StrictOption = False,
    as_json: base.JsonOption = False,
) -> None:
    """Find the media of a cut and write it with their paths; with --originals, swap working copies for them
    (and back)."""
    rules = rules_of([*search, *originals], up, maps, reference)
    given = file
    with base._progress(as_json) as step:
        file = the_one(given, step)
        base.never_changed(output, given)
        document, chosen, rows = _found(file, sequence, rules, choose, step)
        made = relinked(document, rows)
        swapped = None
        if originals:
            swapped = swap(
                made,
                made.sequences_by_id[chosen.id],
                [one.resolve() for one in originals],
                Probes(),
                Scanner(),
                step,
            )
            made = swapped.document
        files, carried = write_out(made, made.sequences_by_id[chosen.id], file, output, step, [])
    unmatched = (
        [{"name": one.media.file_name, "why": one.why} for one in swapped.unmatched]
        if swapped is not None
        else []
    )
    if as_json:
        data: dict[str, Any] = {
            "file": str(file),
            "sequence": chosen.name,
            "output": files,
            "counts": counts(rows),
            "media": [row_data(row, chosen) for row in rows],
            "written": told(report_data(carried, str(file), files)),
        }
        if swapped is not None:
            data["swapped"] = [
                {"name": media.file_name, "from": media.path, "to": str(path)}
                for media, path in swapped.pairs
            ]
            data["unmatched"] = unmatched
        base.print_json(data)
    else:
        _told(rows)
        if swapped is not None:
            base.out.print(f"{len(swapped.pairs)} media swapped, {len(unmatched)} stay", markup=False)
            for one in unmatched:
                base.out.print(f"  {one['name']}: {one['why']}", markup=False)
        base.summary(carried, output)
    carried.prove(str(output))
    if strict and (unmatched or any(row.path is None for row in rows)):
        raise typer.Exit(base.DIFFERENT)
