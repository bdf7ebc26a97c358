"""Commands on what comes back: return, changes."""

from __future__ import annotations

from collections import Counter
from pathlib import Path
from typing import Annotated, Any

import typer

from wexodos.carryover import Carried, carry_over, write_file
from wexodos.cli import commands as base
from wexodos.cli.preparing import MapOption, SearchOption, UpOption, rules_of
from wexodos.compare import Difference
from wexodos.compare.changes import versions
from wexodos.destinations import Destination, find_destination, keeper
from wexodos.formats import FORMATS, ReadError, read_file
from wexodos.formats.opening import the_one
from wexodos.ground.names import json_text
from wexodos.homecoming.home import Cut, Home, brought_home
from wexodos.homecoming.laying import Doubled, Laid
from wexodos.homecoming.mixes import RATE, Returned
from wexodos.homecoming.words import frames_late, role_words, sync_words
from wexodos.job import load
from wexodos.report.rows import plain, time_value
from wexodos.timing import Timecode, exact, floor
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
    rules = rules_of(search, up, maps)
    with base._progress(as_json) as step:
        job = load(file) if file.suffix == ".wexo" else None
        source = the_one(file if job is None else Path(job.source), step)
        if output is not None:
            base.never_changed(output, file, source, *came)
        document = read_file(source)
        decided = job.now.sequence if job is not None and sequence is None else sequence
        chosen = base.choose(document, decided or None, source)
        cut = Cut(document, chosen, source, rules, job)
        home = brought_home(cut, came, sent, correct, step)
        carried = None
        if target is not None and output is not None:
            home.prove(chosen, str(output))
            step(f"writing {output.name}", 0.9)
            carried = carry_over(home.document, home.sequence, target, progress=step)
            carried.prove(str(output))
            write_file(output, carried.data)
    if as_json:
        base.print_json(_returned(file, output, home, carried))
        return
    for one in home.sounds:
        base.out.print(
            f"  {one.path.name}: the {role_words(one)}; {sync_words(one, home.sequence)}", markup=False
        )
    for laid in home.renders:
        row = _matched(laid, home)
        off = f", {laid.offset:+d} frames off" if laid.offset else ""
        twice = "".join(f", {what.what.value} is in it already: {what.measured}" for what in laid.doubled)
        by = " and ".join(row["by"])
        base.out.print(
            f"  {row['at']} {row['track']:4} {row['item']}: {row['file']}, by {by}{off}{twice}", markup=False
        )
    for event in home.missing:
        at = home.sequence.timecode(floor(event.item.start))
        base.out.print(f"  {at} {event.track:4} {event.item.name}: nothing came for it", markup=False)
    for one_left, why in home.refused:
        base.out.print(f"  not laid in: {one_left.path.name}: {why}", markup=False)
    for path, why, _ in home.asked:
        base.out.print(f"  {path.name}: {why}", markup=False)
    for what, count in _patterns(home).items():
        base.out.print(f"  {what}: {count} put back", markup=False)
    for path, why in home.others:
        base.out.print(f"  not used: {path.name}: {why}", markup=False)
    base.out.print(
        f"{len(home.renders)} renders, {len(home.sounds)} sounds, {len(home.put_back)} things put back, "
        f"{len(home.differences)} differences from the cut that left.",
        markup=False,
    )
    if carried is not None and output is not None:
        base.summary(carried, output)


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


def _returned(file: Path, output: Path | None, home: Home, carried: Carried | None) -> dict[str, Any]:
    return {
        "job": str(file),
        "kind": home.kind.value,
        "matched": [_matched(one, home) for one in home.renders],
        "asked": [
            {"file": path.name, "why": why, "candidates": candidates} for path, why, candidates in home.asked
        ],
        "unmatched_files": [
            {"file": path.name, "why": why}
            for path, why in [*home.others, *((one.path, why) for one, why in home.refused)]
        ],
        "unmatched_items": [
            {
                "item_id": one.item.id,
                "item": one.item.name or one.media.file_name,
                "track": one.track,
                "at": str(home.sequence.timecode(floor(one.item.start))),
            }
            for one in [*home.missing, *(one.found.event for one, _ in home.refused)]
        ],
        "doubled": [_doubled(one, what, home) for one in home.renders for what in one.doubled],
        "sync": [_sync(one, home) for one in home.sounds],
        "patterns": [
            {"what": what, "count": count, "put_back": count} for what, count in _patterns(home).items()
        ],
        "differences": [_difference(one, home) for one in home.differences],
        "put_back": [
            {"item": one.item, "what": one.what, "at": str(home.sequence.timecode(floor(one.start)))}
            for one in home.put_back
        ],
        "unexplained": carried.errors if carried is not None else 0,
        "output": str(output) if output is not None else None,
    }


def _patterns(home: Home) -> dict[str, int]:
    """What was lost over there as such rooms lose it, and came home: how often each."""
    return dict(Counter(_pattern(one.what) for one in home.put_back).most_common())


def _pattern(what: str) -> str:
    """What was done over there, from what was put back."""
    thing, _, instead = what.partition(" instead of ")
    if instead:
        return f"{thing}s became {'renders' if instead == 'its render' else f'{instead}s'}"
    if what.endswith(" put back"):
        return f"{what.removesuffix(' put back')}s left out"
    return {"speed": "speeds lost, their time kept"}.get(what, f"{what} lost")


def _matched(one: Laid, home: Home) -> dict[str, Any]:
    event = one.matched.found.event
    return {
        "file": one.matched.path.name,
        "item_id": event.item.id,
        "item": event.item.name or event.media.file_name,
        "track": event.track,
        "at": str(home.sequence.timecode(floor(event.item.start))),
        "frame": time_value(event.item.start),
        "until": time_value(event.item.end),
        "by": [way.value for way in one.matched.found.by],
        "offset_frames": one.offset,
        "laid": True,
    }


def _doubled(one: Laid, what: Doubled, home: Home) -> dict[str, Any]:
    event = one.matched.found.event
    return {
        "item_id": event.item.id,
        "item": event.item.name or event.media.file_name,
        "at": str(home.sequence.timecode(floor(event.item.start))),
        "what": what.what.value,
        "measured": what.measured,
        "switched_off": True,
    }


def _at(sample: int, home: Home) -> Timecode:
    rate = home.sequence.rate
    return home.sequence.timecode(floor(rate.frames(exact(sample, RATE))))


def _sync(one: Returned, home: Home) -> dict[str, Any]:
    rate = one.facts.sample_rate or 48_000
    frames = frames_late(one, home.sequence)
    return {
        "file": one.path.name,
        "role": one.role.value,
        "stem": one.stem or None,
        "offset_samples": one.offset,
        "sample_rate": rate,
        "offset_frames": str(frames) if frames is not None else None,
        "drift_ppm": round(one.found.drift, 2) if one.known else None,
        "certainty": round(one.found.certainty, 3),
        "by": [way.value for way in one.by],
        "steps": [
            {"at": str(_at(step.at, home)), "samples": step.samples}
            for step in (one.found.steps if one.known else ())
        ],
        "inverted": one.known and one.found.inverted,
        "laid": one.path in home.laid,
    }


def _difference(one: Difference, home: Home) -> dict[str, Any]:
    return {
        "at": str(home.sequence.timecode(floor(one.start))),
        "frame": time_value(one.start),
        "until": str(home.sequence.timecode(floor(one.stop))),
        "track": one.track,
        "item": one.item,
        "item_id": one.item_id,
        "kind": one.kind,
        "what": one.what,
        "before": plain(one.before),
        "after": plain(one.after),
    }
