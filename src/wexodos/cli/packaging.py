"""Commands that send and check a package: package, verify."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from datetime import datetime
from fractions import Fraction
from pathlib import Path
from typing import Annotated, Any

import msgspec
import typer

from wexodos.cli import commands as base
from wexodos.cli.baking import BakeOption, bake_choices
from wexodos.cli.preparing import MapOption, SearchOption, UpOption, rules_of
from wexodos.cli.translating import chosen_sequences, turnover_settings
from wexodos.destinations import Destination, find_destination
from wexodos.formats import read_file
from wexodos.formats.opening import the_one
from wexodos.formats.paths import is_placed
from wexodos.ground.names import size_words
from wexodos.job import Decisions, load, ready, remembered
from wexodos.media import Probes, Rules, Scanner, find
from wexodos.report import told
from wexodos.sound.locate import Finder
from wexodos.tidy import find_recipe
from wexodos.tidy.shots import check_scheme
from wexodos.turnover.package.begun import Begun
from wexodos.turnover.package.burnt import parsed
from wexodos.turnover.package.contents import Contents, contents, missing_from
from wexodos.turnover.package.copying import Copy
from wexodos.turnover.package.fits import doubts
from wexodos.turnover.package.guide import Mix
from wexodos.turnover.package.hashlist import Entry
from wexodos.turnover.package.make import goes_on, is_zip, write
from wexodos.turnover.package.movie import Codec, Reference
from wexodos.turnover.package.shots import ByShot
from wexodos.turnover.package.verify import State, sealed_in, verified
from wexodos.turnover.package.wanted import Leaving, Wanted, Way
from wexodos.turnover.package.wish import place_of, values_of
from wexodos.turnover.package.wish import wanted as wish_of
from wexodos.turnover.several import report_on
from wexodos.turnover.trim.recorded import Anew, offered
from wexodos.turnover.write import PartKind


@base.app.command(name="package")
def package_command(
    asked: typer.Context,
    file: Annotated[Path, typer.Argument(help="a sequence file, or a job (.wexo)", metavar="FILE")],
    to: Annotated[
        str, typer.Option("--to", help="a destination's id, or a .toml file", metavar="DESTINATION")
    ],
    output: Annotated[
        Path,
        typer.Option("--out", help="the folder to make, or a zip: it ends in .zip", metavar="FOLDER_OR_ZIP"),
    ],
    recipe: Annotated[
        str | None, typer.Option("--recipe", help="tidy with this recipe first", metavar="NAME")
    ] = None,
    sequence: Annotated[
        list[str],
        typer.Option("--sequence", help="name or id of a sequence; several may be given", metavar="NAME"),
    ] = [],  # noqa: B006
    everything: Annotated[
        bool, typer.Option("--all-sequences", help="every sequence that is not nested in another")
    ] = False,
    one_file: Annotated[
        bool,
        typer.Option(
            "--one-file/--own-files",
            help="several sequences in one file where the format can hold them, or each in its own",
        ),
    ] = True,
    settings: Annotated[
        list[str],
        typer.Option("--set", help="a setting of the turnover; several may be given", metavar="NAME=VALUE"),
    ] = [],  # noqa: B006
    media: Annotated[
        Way,
        typer.Option(
            "--media",
            help="the files that are used as they are, only what is used of them, or a list of them",
        ),
    ] = Way.WHOLE,
    handles: Annotated[
        float | None,
        typer.Option(
            "--handles",
            min=0,
            max=3600,
            help="seconds on either side of what is trimmed, and in the pull list; otherwise as the "
            "destination has it",
            metavar="SECONDS",
        ),
    ] = None,
    anew: Annotated[
        Anew,
        typer.Option(
            "--anew",
            help="with --media trimmed: code anew what cannot be cut as it is, or only at some of its frames",
        ),
    ] = Anew.NONE,
    mix: Annotated[
        Mix, typer.Option("--mix", help="the guide mix: one file, one in mono, one for each stem, or none")
    ] = Mix.STEREO,
    reference: Annotated[
        Codec, typer.Option("--reference", help="a movie of the cut as it is seen here, with its sound")
    ] = Codec.NONE,
    height: Annotated[
        int, typer.Option("--reference-height", min=90, max=4320, help="how many pixels high it is")
    ] = 540,
    burns: Annotated[
        list[str],
        typer.Option(
            "--burn",
            help="burned into it: record, source, frame, made or text:WORDS, @ and a corner; several may "
            "be given",
            metavar="WHAT@WHERE",
        ),
    ] = [],  # noqa: B006
    shape: Annotated[
        float | None,
        typer.Option(
            "--lines",
            min=0.2,
            max=8,
            help="lines at the edges of a frame of another shape, as 2.39",
            metavar="WIDTH:HEIGHT",
        ),
    ] = None,
    shots: Annotated[
        str | None,
        typer.Option(
            "--shots",
            help="every shot in a file of its own, with handles, named by this scheme of {sequence}, "
            "{number}, {item} and {track}",
            metavar="SCHEME",
        ),
    ] = None,
    slate: Annotated[
        bool, typer.Option("--slate/--no-slate", help="with --shots: a slate before each")
    ] = True,
    papers: Annotated[
        bool, typer.Option("--papers/--no-papers", help="cover sheet, report, pull list and media list")
    ] = True,
    there: Annotated[
        str | None,
        typer.Option("--there", help="where the package will stand on the other machine", metavar="PATH"),
    ] = None,
    since: Annotated[
        Path | None,
        typer.Option(
            "--since",
            help="an earlier package: its media that are unchanged do not go again; the new one is copied "
            "over it",
            metavar="PACKAGE",
        ),
    ] = None,
    contact: Annotated[
        str, typer.Option("--contact", help="whom to ask, for the cover sheet", metavar="WORDS")
    ] = "",
    bake: BakeOption = [],  # noqa: B006
    incomplete: Annotated[
        bool, typer.Option("--incomplete", help="send it although media are missing")
    ] = False,
    search: SearchOption = [],  # noqa: B006
    up: UpOption = 2,
    maps: MapOption = [],  # noqa: B006
    as_json: base.JsonOption = False,
) -> None:
    """Send a sequence, or several, with their media and papers in one folder or zip, with a list of sums."""
    destination = find_destination(to)
    job = load(file) if file.suffix == ".wexo" else None
    # What is said here goes before what was decided in the job.
    now = msgspec.structs.replace(job.now if job is not None else Decisions(), destination=destination.id)
    steps = find_recipe(recipe).steps if recipe is not None else now.steps
    choices = bake_choices(bake, destination, now.choices)
    rules = rules_of(search, up, maps)
    if job is not None:
        rules = Rules(
            max(rules.up, now.rules.up),
            (*rules.folders, *now.rules.folders),
            (*rules.maps, *now.rules.maps),
            now.rules.reference,
        )
    if shots is not None:
        check_scheme(shots)
    if anew is not Anew.NONE and anew not in offered():
        raise base.Stop(base.USAGE, f"--anew: {anew.value} cannot be written here")
    if there is not None and not is_placed(there):
        raise base.Stop(base.USAGE, f"--there: {there} is no place from a root; give one like /Volumes/Kiln")
    name = output.stem if is_zip(output) else output.name
    if not name:
        raise base.Stop(base.USAGE, f"--out: {output} has no name")
    decided = values_of(now.package, destination) if job is not None else {}
    if decided and not since and decided["since"]:
        since = Path(decided["since"])
    incomplete = incomplete or decided.get("incomplete") == "yes"
    earlier = sealed_in(since) if since is not None else {}
    # Those of an earlier package lie where they lay.
    at = since.resolve().with_name(since.stem if is_zip(since) else since.name) if since is not None else None
    place = there or place_of(destination, str(at or output.resolve().with_name(name)))
    try:
        burnt = tuple(map(parsed, burns))
    except ValueError as error:
        raise base.Stop(base.USAGE, f"--burn {error}") from None
    moment = datetime.now().astimezone()
    given = file
    with base._progress(as_json) as step:
        file = the_one(given if job is None else Path(job.source), step)
        base.never_changed(output, given, file)
        step(f"reading {file.name}", 0.0)
        document = read_file(file)
        named = [key for key in now.sequences or (now.sequence,) if key in document.sequences_by_id]
        chosen = chosen_sequences(document, sequence or ([] if everything else named), everything, file)
        probes, scanner, finder = Probes(), Scanner(), Finder(file, document)
        leaving = []
        for cut in chosen:
            seen = job.seen if job is not None else None
            rows = find(document, [cut], file, rules, now.links, probes, scanner, step, seen, finder)
            originals = tuple(map(Path, now.originals))
            made = ready(document, cut, steps, rows, originals, probes, scanner, step)
            rows = made.media(rows, probes, seen or {})
            leaving.append(Leaving(made.document, made.sequence, rows, made.renders, made.tables))
        reach = Fraction(str(handles)) if handles is not None else None
        wanted = Wanted(
            place,
            media,
            reach,
            mix,
            reference,
            height,
            burnt,
            shape or 0.0,
            papers,
            contact,
            earlier,
            one_file,
            anew,
            shots or "",
            slate,
        )
        if job is not None:
            wanted = _decided_or_said(asked, wanted, now.package, destination)
        if anew is not Anew.NONE and wanted.media is not Way.TRIMMED:
            raise base.Stop(base.USAGE, "--anew is of --media trimmed")
        missing = missing_from(leaving) if wanted.media is not Way.NONE else []
        if missing and not incomplete:
            some = ", ".join(missing[:5]) + (" …" if len(missing) > 5 else "")
            raise base.Stop(
                base.UNREADABLE,
                f"{file}: {len(missing)} media are not there: {some}; say with --search where they are, or "
                "send the package with --incomplete",
            )
        own = turnover_settings(settings, destination)
        options = replace(now.options, turnover=(*now.options.turnover, *own))
        found = contents(leaving, destination, file, wanted, options, choices, moment, step)
        for carried in found.carried:
            carried.prove(str(output))
        doubtful = doubts([(one.name, one.bytes) for one in found.parts], place, is_zip(output))
        before = goes_on(output, found.parts, found.plan)[0]
        try:
            entries = write(output, found.parts, name, moment, step, plan=found.plan)
        except BaseException:
            if kept := Begun(output).words:
                base.err.print(f"{kept}; the same command goes on from there.")
            raise
    size = sum(entry.size or 0 for entry in entries)
    unknown, there = "", str(output.resolve())
    if job is not None:
        unknown = remembered(given, lambda one: one.made(there), "this package")
    if unknown:
        base.err.print(unknown, markup=False)
    if as_json:
        turned = [(one.carried, [part.name for part in one.parts]) for one in found.turned]
        whole = told(report_on(turned, str(file)))
        base.print_json(
            {
                "file": str(file),
                "out": str(output),
                "destination": destination.id,
                "there": place,
                "sequences": [cut.name for cut in chosen],
                "parts": _parts(found, entries),
                "bytes": size,
                "missing": missing,
                "shots": [row for one in found.shots for row in _shots(one)],
                "there_already": found.there,
                "made_before": before,
                "apart": found.apart,
                "anew": [{"media": name, "coding": words} for name, words in found.anew.items()],
                "whole": [{"media": name, "why": why} for name, why in found.whole.items()],
                "counts": whole["counts"],
                "unexplained": whole["unexplained"],
                "budget_minutes": whole["budget_minutes"],
                "doubts": doubtful,
                "not_drawn": [row for one in found.seen for row in _not_drawn(one)],
                "reports": whole.get("sequences", [whole]),
            }
        )
        return
    for one in found.turned if not found.shots else []:
        base.summary(one.carried, output / one.path, tuple(cut.name for cut in chosen))
    for each in found.shots:
        base.out.print(f"{each.of.sequence.name}: {len(each.shots)} shots, each by itself.", markup=False)
    base.out.print(
        f"{output}: {len(entries)} files, {size_words(size)}, each read back and found equal.", markup=False
    )
    if found.apart:
        base.out.print(f"  a file for each sequence: {found.apart}", markup=False)
    if before:
        base.out.print(f"  {before} of them had been made when it was stopped", markup=False)
    if found.there:
        base.out.print(
            f"  {len(found.there)} media are unchanged since {since} and do not go again", markup=False
        )
    for words in doubtful:
        base.out.print(f"  {words}", markup=False)
    for medium, words in found.anew.items():
        base.out.print(f"  {medium} is coded anew: {words}", markup=False)
    for medium, why in found.whole.items():
        base.out.print(f"  {medium} goes along whole: {why}", markup=False)
    if missing:
        base.out.print(f"  not in it: {', '.join(missing)}", markup=False)


_FIELDS = {
    "media": "media",
    "handles": "handles",
    "mix": "mix",
    "reference": "picture",
    "height": "height",
    "burns": "burns",
    "shape": "shape",
    "papers": "papers",
    "contact": "contact",
    "one_file": "one_file",
    "anew": "anew",
    "shots": "shots",
    "slate": "slate",
}
"""The parameters that say how a package is wanted, and where in ``Wanted`` they stand."""


def _decided_or_said(
    asked: typer.Context, said: Wanted, given: dict[str, str], destination: Destination
) -> Wanted:
    """How a job wants its package; what is said on the command line goes before."""
    own = {
        field: getattr(said, field)
        for name, field in _FIELDS.items()
        if getattr(asked.get_parameter_source(name), "name", "") == "COMMANDLINE"
    }
    return replace(wish_of(given, destination, said.there), since=said.since, **own)


def _parts(found: Contents, entries: list[Entry]) -> list[dict[str, Any]]:
    """The files of a package, with what each is and where it comes from."""
    known = {part.name: part for part in found.parts}
    rows = []
    for entry in entries:
        part = known.get(entry.path)
        kind = part.kind if part is not None else PartKind.MANIFEST
        row: dict[str, Any] = {
            "part": kind.value,
            "path": entry.path,
            "bytes": entry.size,
            "hash": f"{entry.kind}:{entry.digest}",
        }
        if isinstance(part, Copy):
            row |= {"source": str(part.source), "copied": True}
        elif part is not None and part.origin is not None:
            origin = part.origin
            row |= {"source": str(origin.source), "first": origin.first, "frames": origin.frames}
            row["copied"] = origin.copied
        rows.append(row)
    return rows


def _shots(one: ByShot) -> list[dict[str, Any]]:
    """The shots that go one by one."""
    cut = one.of.sequence
    return [
        {
            "shot": shot.of.name,
            "sequence": cut.name,
            "track": shot.of.track,
            "item": shot.of.item.name or shot.of.item.kind,
            "item_id": shot.of.item.id,
            "at": str(cut.timecode(shot.of.first)),
            "frame": shot.of.first,
            "until": shot.of.until,
            "head": shot.head,
            "tail": shot.tail,
        }
        for shot in one.shots
    ]


def _not_drawn(picture: Reference) -> list[dict[str, Any]]:
    """What a reference picture does not show as it is."""
    return [
        {
            "sequence": picture.sequence.name,
            "at": str(picture.sequence.timecode(frames[0])),
            "frame": frames[0],
            "frames": len(frames),
            "text": words,
        }
        for words, frames in sorted(picture.said.items(), key=lambda one: one[1][0])
    ]


@base.app.command(name="verify")
def verify_command(
    package: Annotated[Path, typer.Argument(help="a package: its folder or its zip", metavar="PACKAGE")],
    as_json: base.JsonOption = False,
) -> None:
    """Check a package against its list of sums: what is missing, changed, or not listed."""
    with base._progress(as_json) as step:
        checked = verified(package, step)
    counted = Counter(one.state for one in checked)
    differing = [one for one in checked if one.state is not State.EQUAL]
    if as_json:
        data: dict[str, Any] = {
            "package": str(package),
            "whole": not differing,
            "missing": [one.path for one in differing if one.state is State.MISSING],
            "changed": [one.path for one in differing if one.state is State.CHANGED],
            "extra": [one.path for one in differing if one.state is State.NOT_LISTED],
            "counts": {state.value: counted[state] for state in State},
            "differences": [
                {"path": one.path, "state": one.state.value, "text": one.words} for one in differing
            ],
        }
        base.print_json(data)
    else:
        for one in differing:
            base.out.print(f"{one.state.value}: {one.path}: {one.words}", markup=False)
        base.out.print(
            f"{package}: {counted[State.EQUAL]} of {len(checked)} files are what was sealed.", markup=False
        )
    if differing:
        raise typer.Exit(base.DIFFERENT)
