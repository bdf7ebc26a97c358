"""Commands on what comes back: return, changes."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Annotated, Any

import typer
from msgspec import structs

from wexodos.carryover import write_file
from wexodos.cli import commands as base
from wexodos.cli.preparing import MapOption, SearchOption, UpOption, rules_of
from wexodos.cli.returned import matched_data, patterns, returned_data
from wexodos.compare.changes import versions
from wexodos.destinations import Destination, find_destination, keeper
from wexodos.formats import FORMATS, ReadError, read_file
from wexodos.formats.opening import the_one
from wexodos.ground import Progress
from wexodos.ground.names import json_text
from wexodos.homecoming.home import brought_home
from wexodos.homecoming.mixes import Role
from wexodos.homecoming.naming import said as said_scheme
from wexodos.homecoming.outcome import Home, Kind
from wexodos.homecoming.refusing import is_wanted
from wexodos.homecoming.wanted import Holds, Version, Wanted
from wexodos.homecoming.whole import WHOLE
from wexodos.homecoming.words import hole_words, moved_words, open_words, role_words, sync_words, whole_words
from wexodos.job import Homecoming, Job, load, remembered
from wexodos.job.cut import Cut
from wexodos.model import Sequence
from wexodos.model.stems import STEMS
from wexodos.timing import floor
from wexodos.turnover.change_list import as_list, as_table, data_of
from wexodos.turnover.pull import as_ale, as_csv, pulls


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


@base.app.command(name="return")
def return_command(
    file: Annotated[Path, typer.Argument(help="the cut that left, or its job (.wexo)", metavar="FILE")],
    came: Annotated[
        list[Path],
        typer.Option("--from", help="what came back: files and folders; several may follow", metavar="PATH"),
    ],
    output: Annotated[
        Path | None,
        typer.Option("--out", help="write the cut with it laid in; otherwise it is told", metavar="PATH"),
    ] = None,
    sent: Annotated[
        Path | None,
        typer.Option("--sent", help="the package that was sent, for its guide mix", metavar="PACKAGE"),
    ] = None,
    to: Annotated[
        str | None,
        typer.Option(
            "--to", help="the destination it is written for; by the suffix otherwise", metavar="DESTINATION"
        ),
    ] = None,
    into: Annotated[
        Path | None,
        typer.Option(
            "--into",
            help="lay it into this later version of the cut instead; FILE is the one that left",
            metavar="NEW",
        ),
    ] = None,
    into_sequence: Annotated[str | None, typer.Option("--into-sequence", help="the sequence of NEW")] = None,
    tell: Annotated[
        list[str],
        typer.Option(
            "--tell",
            help="what a file is: a render by the id of its item, whole; sound as mix, a stem or a track; "
            "a sequence file as tracks (of a mix) or edit",
            metavar="NAME=WHAT",
        ),
    ] = [],  # noqa: B006
    leave: Annotated[
        list[str],
        typer.Option("--leave", help="a file that is not to be laid in; may be repeated", metavar="NAME"),
    ] = [],  # noqa: B006
    refuse: Annotated[
        list[str],
        typer.Option(
            "--refuse",
            help="a change in an edited sequence that is not wanted: a kind, a pattern, an item's id, all",
            metavar="WHAT",
        ),
    ] = [],  # noqa: B006
    pull: Annotated[
        Path | None,
        typer.Option(
            "--pull-list",
            help="write what needs a render still, or again: a table (.csv) or a clip log (.ale)",
            metavar="PATH",
        ),
    ] = None,
    shots: Annotated[
        str,
        typer.Option(
            "--shots",
            help="the scheme of names by which every shot left by itself; a job knows it",
            metavar="SCHEME",
        ),
    ] = "",
    names: Annotated[
        str,
        typer.Option(
            "--names",
            help="how the files are named, as KN_{number:10}_{version}; learnt from their names otherwise",
            metavar="SCHEME",
        ),
    ] = "",
    nested: Annotated[
        bool,
        typer.Option(
            "--nested", help="keep the tracks of a sequence file that came with sound in one nested item"
        ),
    ] = False,
    sequence: base.SequenceOption = None,
    correct: Annotated[
        bool, typer.Option("--correct", help="move sound that is out of sync to where it belongs")
    ] = False,
    search: SearchOption = [],  # noqa: B006
    up: UpOption = 2,
    maps: MapOption = [],  # noqa: B006
    as_json: base.JsonOption = False,
) -> None:
    """Lay in what came back: renders, a mix, stems or tracks with their sync measured, an edited sequence."""
    target = _target(output, to) if output is not None else None
    if pull is not None and pull.suffix.lower() not in (".csv", ".ale"):
        raise base.Stop(base.USAGE, f"--pull-list: {pull} must end in .csv or .ale")
    what_is = _said(tell)
    if names:
        said_scheme(names, [])
    rules = rules_of(search, up, maps)
    with base._progress(as_json) as step:
        job = load(file) if file.suffix == ".wexo" else None
        source = the_one(file if job is None else Path(job.source), step)
        if output is not None:
            base.never_changed(output, file, source, *came, *([into] if into is not None else []))
        if pull is not None:
            base.never_changed(pull, file, source, *came, *([into] if into is not None else []))
        document = read_file(source)
        decided = job.now.sequence if job is not None and sequence is None else sequence
        chosen = base.choose(document, decided or None, source)
        cut = Cut(document, chosen, source, rules, job)
        _known(what_is, chosen)
        now = job.now.home if job is not None else Homecoming()
        said = structs.replace(
            now.and_then(tuple(str(one.resolve()) for one in came)),
            sent=str(sent.resolve()) if sent is not None else now.sent,
            corrected=correct or now.corrected,
            left=tuple(dict.fromkeys((*now.left, *leave))),
            told={**now.told, **what_is},
            into=str(into.resolve()) if into is not None else now.into,
            into_sequence=into_sequence or ("" if into is not None else now.into_sequence),
            names=names or now.names,
            nested=nested or now.nested,
        )
        later = Path(said.into) if said.into else None
        refused = tuple(dict.fromkeys((*(job.now.refused if job is not None else ()), *refuse)))
        wanted = replace(
            Wanted.of(said, _version(later, said.into_sequence or None, step), refused), shots=shots
        )
        home = brought_home(cut, wanted, step)
        carried = None
        if target is not None and output is not None:
            step(f"writing {output.name}", 0.9)
            carried = home.written(later or source, output, target, step)
        if pull is not None:
            write_file(pull, _pull_list(home, pull))
    unknown = ""
    if job is not None and output is not None:
        back = next(iter(home.laid), None) if home.kind is Kind.EDIT else None

        def changed(one: Job) -> Job:
            if back is None:
                return one.decide(home=said)
            return one.decide(returned=str(back.resolve()), refused=refused)

        unknown = remembered(file, changed, "what was laid in")
    if unknown:
        base.err.print(unknown, markup=False)
    changes = [*home.undone, *(row for row, _ in home.stuck)]
    for what in refuse:
        if not any(is_wanted(row, frozenset({what})) for row in changes):
            base.err.print(f"--refuse {what}: nothing that was changed is that", markup=False)
    if as_json:
        base.print_json(returned_data(file, output, home, carried))
        return
    for one in home.sounds:
        off = "; switched off: the mix holds it" if one.path in home.silent else ""
        done = f"; {moved_words(one)}" if home.corrected and moved_words(one) else ""
        words = f"{role_words(one)}; {sync_words(one, home.sequence)}{done}{off}"
        base.out.print(f"  {one.path.name}: the {words}", markup=False)
    for whole in home.whole:
        off = "; switched off: its clips came" if home.whole_off else ""
        words = f"{whole_words(whole, home.sequence)}{off}"
        base.out.print(f"  {whole.path.name}: the movie of the whole; {words}", markup=False)
    if home.scheme is not None:
        base.out.print(f"  names: {home.scheme.words}", markup=False)
    for laid in home.renders:
        row = matched_data(laid, home)
        off = f", {laid.offset:+d} frames off" if laid.offset else ""
        off += "".join(f", {words}" for words in open_words(laid))
        twice = "".join(f", {what.what.value} is in it already: {what.measured}" for what in laid.doubled)
        by = " and ".join(row["by"])
        base.out.print(
            f"  {row['at']} {row['track']:4} {row['item']}: {row['file']}, by {by}{off}{twice}", markup=False
        )
    for event, why in home.missing:
        at = home.sequence.timecode(floor(event.item.start))
        base.out.print(f"  {at} {event.track:4} {event.item.name}: {why}", markup=False)
    for sound, holes in home.holes:
        for hole in holes:
            base.out.print(f"  {hole_words(hole, home.sequence)}: nothing of {sound.path.name}", markup=False)
    for placed, why in home.changed:
        at = home.sequence.timecode(floor(placed.item.start))
        base.out.print(f"  {at} {placed.track:4} {placed.item.name}: {why}", markup=False)
    for one_left, why in home.refused:
        base.out.print(f"  not laid in: {one_left.path.name}: {why}", markup=False)
    for path, why, _ in home.asked:
        base.out.print(f"  {path.name}: {why}", markup=False)
    for change, why in [*((one, "") for one in home.undone), *home.stuck]:
        words = f"{change.track} {change.item}: {change.kind}, {change.what}"
        base.out.print(f"  not refused: {words}: {why}" if why else f"  refused: {words}", markup=False)
    for what, (count, back_again) in patterns(home).items():
        base.out.print(f"  {what}: {count}, {back_again} of them put back", markup=False)
    for path in home.unwanted:
        base.out.print(f"  left out: {path.name}", markup=False)
    for path, why in home.others:
        base.out.print(f"  not used: {path.name}: {why}", markup=False)
    base.out.print(
        f"{len(home.renders)} renders, {len(home.sounds)} sounds, {len(home.put_back)} things put back, "
        f"{len(home.differences)} differences from the cut that left.",
        markup=False,
    )
    if carried is not None and output is not None:
        base.summary(carried, output)


def _known(names: dict[str, str], sequence: Sequence) -> None:
    """Raises ``Stop`` where a file is said to be something there is not."""
    tracks = {label for label, track in sequence.labelled_tracks() if track.kind == "audio"}
    can = {WHOLE, *Holds, Role.MIX.value, *STEMS, *tracks, *(item.id for item in sequence.items())}
    for name, what in names.items():
        if what not in can:
            raise base.Stop(
                base.USAGE, f"--tell {name}={what}: the cut has no item, stem or track of that name"
            )


def _said(tell: list[str]) -> dict[str, str]:
    """What files are, by their names. Raises ``Stop``."""
    found = {}
    for one in tell:
        name, equals, what = one.rpartition("=")
        if not equals or not name or not what:
            raise base.Stop(base.USAGE, f"--tell: {one} is not a file's name, an equals sign and what it is")
        found[name] = what
    return found


def _version(into: Path | None, sequence: str | None, step: Progress) -> Version | None:
    """The later version of the cut."""
    if into is None:
        return None
    source = the_one(into, step)
    document = read_file(source)
    return Version(document, base.choose(document, sequence, into), source)


def _pull_list(home: Home, path: Path) -> bytes:
    """What of which source needs a render still, or again."""
    wanted = {one.item.id for one, _ in home.missing}
    wanted |= {one.found.event.item.id for one, _ in home.refused}
    tracks = tuple(
        replace(track, items=tuple(item for item in track.items if item.id in wanted))
        for track in home.left.sequence.tracks
        if track.kind == "video"
    )
    only = replace(home.left.sequence, tracks=tracks)
    rows = pulls(replace(home.left.document, sequences=(only,)), only, 1)
    return as_ale(rows, only) if path.suffix.lower() == ".ale" else as_csv(rows)


def _target(output: Path, to: str | None) -> Destination:
    """The destination a cut that came home is written for. Raises ``Stop``."""
    if to is not None:
        return find_destination(to)
    suffix = output.suffix.lower()
    format_id = next((key for key, one in FORMATS.items() if one.suffix == suffix), None)
    found = keeper(format_id) if format_id is not None else None
    if found is None:
        raise base.Stop(base.USAGE, f"--out: {output} does not say what it is to be; say it with --to")
    return found
