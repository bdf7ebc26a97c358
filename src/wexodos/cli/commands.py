"""The commands."""

from __future__ import annotations

import gc
import io
import logging
import os
import re
import signal
import sys
from pathlib import Path
from typing import Annotated, Any

import platformdirs
import typer
from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn

from wexodos import __version__
from wexodos.carryover import Carried, Choices, came_back, put_back, rows
from wexodos.cli.baking import BakeOption, bake_choices
from wexodos.cli.inspecting import document_data, sequence_data
from wexodos.compare import compare_versions
from wexodos.destinations import DestinationError, find_destination, load_all
from wexodos.evaluate import Evaluator, state_at
from wexodos.formats import FORMATS, ReadError, WriteError, read_file
from wexodos.formats.opening import the_one
from wexodos.ground import UnprovedError, WexodosError
from wexodos.ground.ending import Ended, ending_on_signals
from wexodos.ground.memory import in_one_place
from wexodos.ground.names import json_text, visible
from wexodos.ground.remains import clear_away, scratch
from wexodos.ground.silence import silence
from wexodos.job import JobError, load, of_job
from wexodos.model import Document, Sequence
from wexodos.report import report_data, told
from wexodos.report.rows import plain, time_value
from wexodos.tidy.recipes import RecipeError
from wexodos.tidy.shots import SchemeError
from wexodos.tidy.step import Render
from wexodos.timing import Timecode, TimecodeError, floor
from wexodos.turnover.run import written_out

OK, DIFFERENT, USAGE, UNREADABLE, REFUSED, INTERNAL = range(6)


class Safe(Console):
    """Shows what strangers named without letting it steer the terminal: a line is a line."""

    def print(self, *objects: Any, **how: Any) -> None:
        super().print(*(visible(str(one)) for one in objects), **how)


out = Safe(highlight=False, soft_wrap=True)
err = Safe(stderr=True, highlight=False, soft_wrap=True, markup=False)
app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    help="Carries edited sequences between programs and says exactly what does not carry over.",
)

FileArgument = Annotated[Path, typer.Argument(help="a sequence file", metavar="FILE")]
JsonOption = Annotated[bool, typer.Option("--json", help="print one JSON document")]
SequenceOption = Annotated[
    str | None,
    typer.Option("--sequence", help="name or id of the sequence; the first top-level one otherwise"),
]


class Stop(WexodosError):
    """End with a status and one sentence."""

    def __init__(self, status: int, sentence: str) -> None:
        self.status, self.sentence = status, sentence
        super().__init__(sentence)


def print_json(data: Any) -> None:
    """One JSON document on standard output."""
    sys.stdout.write(json_text(data) + "\n")


def never_changed(target: Path, *taken: Path) -> None:
    """Refuse to write over a file that was taken in, or the zip it came in. Raises ``Stop``."""
    for one in taken:
        if target.exists() and one.exists() and target.samefile(one):
            raise Stop(REFUSED, f"{target}: this is the file taken in, which is never changed")


def choose(document: Document, name: str | None, file: Path) -> Sequence:
    """The sequence a person means. Raises ``Stop``."""
    if name is None:
        if document.top_level:
            return document.top_level[0]
        if document.sequences:
            return document.sequences[0]
        raise Stop(UNREADABLE, f"{file}: the file holds no sequence")
    for one in (*document.top_level, *document.sequences):
        if name in (one.name, one.id):
            return one
    raise Stop(
        USAGE,
        f"{file}: there is no sequence {name!r}; there are "
        f"{', '.join(repr(one.name) for one in document.sequences)}",
    )


@app.command()
def inspect(file: FileArgument, as_json: JsonOption = False) -> None:
    """What is in a sequence file, as read."""
    file = the_one(file)
    document = read_file(file)
    if as_json:
        print_json(document_data(document, str(file)))
        return
    out.print(
        f"{file}: {FORMATS[document.format].label}, version {document.version or 'not said'}", markup=False
    )
    for sequence in (one for one in document.sequences if not one.is_angle):
        data = sequence_data(sequence, document.media_by_id, document.sequences_by_id)
        nested = "" if sequence.top_level else " (nested)"
        out.print()
        out.print(
            f"{sequence.name}{nested}  {data['width']}×{data['height']}  {sequence.rate.label()} frames"
            f"{' drop frame' if sequence.drop_frame else ''}  from {data['start']}  "
            f"{data['duration']} frames",
            markup=False,
        )
        for label, track in sequence.labelled_tracks():
            kinds: dict[str, int] = {}
            for item in track.items:
                kinds[item.kind] = kinds.get(item.kind, 0) + 1
            told = ", ".join(f"{count} {kind}" for kind, count in kinds.items()) or "empty"
            told += f", {len(track.transitions)} transitions" if track.transitions else ""
            out.print(
                f"  {label:4}{track.name or track.stem or '':14} {told}{'' if track.enabled else '  (off)'}",
                markup=False,
            )
    out.print()
    out.print(f"{len(document.media)} media, {len(document.notes)} notes", markup=False)
    for note in document.notes[:40]:
        out.print(f"  {note.level}: {note.where}: {note.text}", markup=False)


def frame_of(text: str, sequence: Sequence) -> int:
    """``+112`` or a timecode of the sequence. Raises ``Stop``."""
    if re.fullmatch(r"\+\d{1,9}", text):
        return int(text[1:])
    try:
        drop = sequence.drop_frame or None
        return Timecode.parse(text, sequence.rate, drop if ";" not in text else None).frames - sequence.start
    except TimecodeError as error:
        raise Stop(USAGE, f"--at: {error}; give a timecode of the sequence or +FRAME") from None


@app.command()
def state(
    file: FileArgument,
    at: Annotated[
        list[str], typer.Option("--at", help="timecodes, or +FRAME; several may follow", metavar="TIME")
    ],
    sequence: SequenceOption = None,
    as_json: JsonOption = False,
) -> None:
    """What would be seen and heard at those times."""
    file = the_one(file)
    document = read_file(file)
    chosen = choose(document, sequence, file)
    evaluator = Evaluator(document)
    states = [state_at(evaluator, chosen, frame_of(time, chosen)) for time in at]
    if as_json:
        print_json({"file": str(file), "sequence": chosen.name, "states": states})
        return
    for one in states:
        out.print(f"{one['at']}  frame {one['frame']}", markup=False)
        for layer in one["picture"]:
            what = layer["media"] or layer.get("words", "").replace("\n", " / ") or layer["kind"]
            out.print(
                f"  V{layer['track']} {layer['item']}: {what} {layer['source_timecode'] or ''} centre "
                f"{layer['center']} "
                f"size {layer['size']} opacity {layer['opacity']:g} mix {layer['mix']:g}",
                markup=False,
            )
        for source in one["sound"]:
            out.print(
                f"  A{source['track']} {source['item']}: {source['media']} channel "
                f"{source['channel']} sample "
                f"{source['source_sample']} {source['gain_db']} dB pan {source['pan']:g}",
                markup=False,
            )


def summary(carried: Carried, path: Path, beside: tuple[str, ...] = ()) -> None:
    """Tell what became of a sequence; ``beside`` are those that are written with it."""
    told = ", ".join(f"{count} {fate}" for fate, count in carried.counts.items() if count)
    out.print(f"{path}: {told}. Repair budget {carried.minutes:g} min.", markup=False)
    for row in rows(carried.findings):
        if row.closely:
            continue
        place = carried.sequence.timecode(floor(row.start))
        word = row.fate.value if row.explained else "ERROR"
        out.print(f"  {place} {row.tracks:4} {row.thing}: {word}: {row.why}", markup=False)
    if close := sum(one.closely for one in carried.findings):
        out.print(
            f"  {close} more are carried closely: what they draw is followed within the tolerance",
            markup=False,
        )
    if carried.unsent.media or carried.unsent.folders:
        out.print(
            f"  not sent: {len(carried.unsent.media)} media that no clip uses, "
            f"{len(carried.unsent.folders)} folders "
            "(--organised sends them)",
            markup=False,
        )
    if carried.unsent.elements:
        out.print(
            f"  not sent, as the dialect has no place for it: {', '.join(carried.unsent.elements)[:400]}",
            markup=False,
        )
    others = [name for name in carried.others if name not in beside]
    if others:
        out.print(
            f"  not written, as a file holds one sequence with its nests: {', '.join(others)}",
            markup=False,
        )
    if not carried.errors:
        out.print(
            f"Read back and compared: {carried.things} of {carried.things} things accounted for, no "
            "silent loss."
        )


class _progress:
    """A progress line on standard error where a person watches; silent otherwise."""

    def __init__(self, hidden: bool) -> None:
        self._bar = (
            None
            if hidden or not err.is_terminal
            else Progress(TextColumn("{task.description}"), BarColumn(), console=err, transient=True)
        )

    def __enter__(self) -> Any:
        if self._bar is None:
            return lambda _what, _share: None
        self._bar.start()
        task = self._bar.add_task("", total=1.0)
        bar = self._bar

        def step(what: str, share: float) -> None:
            bar.update(task, description=what, completed=share)

        return step

    def __exit__(self, *_: object) -> None:
        if self._bar is not None:
            self._bar.stop()


@app.command(name="bring-back")
def bring_back(
    original: Annotated[
        Path, typer.Argument(help="the file that was taken in, or its job (.wexo)", metavar="ORIGINAL")
    ],
    returned: Annotated[Path, typer.Argument(help="the file that came back", metavar="RETURNED")],
    output: Annotated[Path, typer.Option("--out", help="the file to write", metavar="PATH")],
    to: Annotated[str, typer.Option("--to", help="the destination to write it for", metavar="DESTINATION")],
    sent: Annotated[
        str | None,
        typer.Option("--sent", help="the destination it was sent to; a job knows it", metavar="DESTINATION"),
    ] = None,
    sequence: SequenceOption = None,
    bake: BakeOption = [],  # noqa: B006
    as_json: JsonOption = False,
) -> None:
    """Put back what the other side could not hold, into the cut that came home."""
    job = load(original) if original.suffix == ".wexo" else None
    given = (original, returned)
    source = Path(job.source) if job is not None else the_one(original)
    returned = the_one(returned)
    sent = sent or (job.now.destination if job is not None else None)
    if sent is None:
        raise Stop(USAGE, f"{original}: say with --sent which destination the cut was sent to")
    there, target = find_destination(sent), find_destination(to)
    back = read_file(returned)
    renders: list[Render] = []
    tables: dict[str, Path] = {}
    if job is not None and sequence is None:
        # What left is the cut with its media found and tidied, not the file it was taken in as.
        left = of_job(job)
        document, chosen, renders, tables = left.document, left.sequence, left.renders, left.tables
    else:
        document = read_file(source)
        chosen = choose(document, sequence, source)
    home = put_back(
        document,
        chosen,
        there,
        back,
        came_back(back, chosen.name) or choose(back, None, returned),
        bake_choices(bake, there, job.now.choices if job is not None else Choices()),
        job.now.options if job is not None else None,
    )
    home.prove(chosen, str(output))
    never_changed(output, *given, source, returned)
    with _progress(as_json) as step:
        files, carried = written_out(
            home.document, home.sequence, renders, source, output, target, step, tables
        )
    names = [os.path.relpath(one, output.parent) for one in files] or [output.name]
    if as_json:
        print_json(
            {
                "original": str(source),
                "returned": str(returned),
                "output": told(report_data(carried, str(returned), names)),
                "put_back": [
                    {
                        "at": str(home.sequence.timecode(floor(one.start))),
                        "frame": time_value(one.start),
                        "what": one.what,
                        "item": one.item,
                        "track": one.track,
                    }
                    for one in home.put_back
                ],
                "missing": [
                    {
                        "at": str(chosen.timecode(floor(one.start))),
                        "frame": time_value(one.start),
                        "what": one.what,
                        "item": one.item,
                        "track": one.track,
                    }
                    for one in home.missing
                ],
            }
        )
    else:
        for one in home.put_back:
            out.print(
                f"  {home.sequence.timecode(floor(one.start))} {one.track:4} {one.item}: {one.what}",
                markup=False,
            )
        for one in home.missing:
            out.print(
                f"  {chosen.timecode(floor(one.start))} {one.track:4} {one.item}: {one.what}", markup=False
            )
        out.print(
            f"{output}: {len(home.put_back)} things put back, {len(home.missing)} did not come back.",
            markup=False,
        )
        summary(carried, output)
    carried.prove(str(output))


@app.command()
def compare(
    a: Annotated[Path, typer.Argument(metavar="A")],
    b: Annotated[Path, typer.Argument(metavar="B")],
    sequence: SequenceOption = None,
    against: Annotated[str | None, typer.Option("--against-sequence", help="the sequence of B")] = None,
    as_json: JsonOption = False,
) -> None:
    """Differences between two sequence files; status 1 where there are any."""
    a, b = the_one(a), the_one(b)
    left, right = read_file(a), read_file(b)
    first = choose(left, sequence, a)
    named = any(sequence in (one.name, one.id) for one in right.sequences) if sequence is not None else False
    second = choose(right, against if against is not None else (sequence if named else None), b)
    found = compare_versions(left, first, right, second)
    if as_json:
        print_json(
            {
                "a": str(a),
                "b": str(b),
                "sequence": first.name,
                "against_sequence": second.name,
                "same": not found,
                "differences": [
                    {
                        "at": str(first.timecode(floor(one.start))),
                        "frame": time_value(one.start),
                        "until": str(first.timecode(floor(one.stop))),
                        "track": one.track,
                        "item": one.item,
                        "item_id": one.item_id,
                        "kind": one.kind,
                        "what": one.what,
                        "before": plain(one.before),
                        "after": plain(one.after),
                        "deviation": {"value": one.deviation[0], "unit": one.deviation[1]}
                        if one.deviation
                        else None,
                    }
                    for one in found
                ],
            }
        )
    else:
        for one in found:
            place = f"{first.timecode(floor(one.start))} {one.track:4} {one.item}"
            out.print(f"{place}: {one.kind}: {one.what}: {one.before} → {one.after}", markup=False)
        out.print(f"{len(found)} differences" if found else "no differences")
    if found:
        raise typer.Exit(DIFFERENT)


@app.command()
def destinations(as_json: JsonOption = False) -> None:
    """The destinations and what each takes."""
    known, problems = load_all()
    if as_json:
        import msgspec

        rows = []
        for one in known:
            rows.append(
                {
                    "id": one.id,
                    "name": one.name,
                    "format": one.format,
                    "version": one.version,
                    "for": one.for_,
                    "builtin": one.builtin,
                    "summary": one.summary,
                    "takes": msgspec.to_builtins(one),
                }
            )
        print_json({"destinations": rows, "problems": problems})
    else:
        for one in known:
            out.print(
                f"{one.id:20} {one.name}: {one.format} {one.version}; "
                f"{one.summary}{'' if one.builtin else '  (yours)'}",
                markup=False,
            )
    for problem in problems:
        err.print(problem)


@app.command()
def demo(
    folder: Annotated[Path, typer.Argument(metavar="DIR")],
    if_missing: Annotated[
        bool, typer.Option("--if-missing", help="do nothing where it stands complete")
    ] = False,
    scattered: Annotated[
        bool, typer.Option("--scattered", help="with half of the media elsewhere, some of it wrong")
    ] = False,
    returned: Annotated[
        bool,
        typer.Option(
            "--returned", help="with what four rooms sent back of it, in the folder returned; takes minutes"
        ),
    ] = False,
) -> None:
    """Write the demo data there."""
    from wexodos.demo import build, complete
    from wexodos.demo.scatter import scatter

    if if_missing and complete(folder) and not returned:
        return
    with _progress(False) as step:
        if scattered:
            with scratch("demo") as place:
                build(place, step)
                cut = scatter(folder, place / "media", step)
            err.print(
                f"The scattered demo stands in {folder}: its cut is {cut}, what is not beside it lies "
                f"in {folder / 'store'}."
            )
            return
        if not (if_missing and complete(folder)):
            build(folder, step)
        if returned:
            from wexodos.cli.rehearsing import returned_demo

            returned_demo(folder, step)
    err.print(f"The demo stands in {folder}.")


@app.command(name="app")
def application(
    file: Annotated[Path | None, typer.Argument(metavar="[FILE]")] = None,
    offscreen: Annotated[
        Path | None, typer.Option("--offscreen", help="write the window to a picture instead", metavar="PNG")
    ] = None,
) -> None:
    """The desktop application."""
    from wexodos.desktop import run

    raise typer.Exit(run(file, offscreen))


@app.command()
def version() -> None:
    """The version."""
    out.print(__version__)


def spread_folders(arguments: list[str]) -> list[str]:
    """Let several folders follow one ``--search`` or ``--originals``: all up to the next option, once the
    file was named."""
    result: list[str] = []
    named = 0
    option = ""
    for place, argument in enumerate(arguments):
        if argument.startswith("-"):
            option = argument if argument in ("--search", "--originals") else ""
            result.append(argument)
            continue
        before = arguments[place - 1] if place else ""
        if option and before != option and (named > 1 or Path(argument).is_dir()):
            result += [option, argument]
            continue
        if not before.startswith("-") or place == 0:
            named += 1
        result.append(argument)
    return result


def spread_paths(arguments: list[str]) -> list[str]:
    """Let several paths follow one ``--from``: all up to the next option, once the file was named."""
    result: list[str] = []
    taking, named = False, False
    for place, argument in enumerate(arguments):
        before = arguments[place - 1] if place else ""
        if argument.startswith("-"):
            taking = argument == "--from"
        elif taking and before != "--from":
            if named or place < len(arguments) - 1:
                result.append("--from")
            else:
                # The file itself comes last.
                taking = False
        elif place and not before.startswith("-"):
            named = True
        result.append(argument)
    return result


def spread_times(arguments: list[str]) -> list[str]:
    """Let several times follow one ``--at``."""
    result: list[str] = []
    taking = False
    for argument in arguments:
        if argument == "--at":
            taking = True
            continue
        if taking and re.fullmatch(r"\+\d+|-?[\d:;.]+", argument):
            result += ["--at", argument]
            continue
        if taking and (not result or result[-2:-1] != ["--at"]):
            result.append("--at")
        taking = False
        result.append(argument)
    return result


_STATUS: tuple[tuple[type[WexodosError], int], ...] = (
    (ReadError, UNREADABLE),
    (JobError, UNREADABLE),
    (WriteError, REFUSED),
    (DestinationError, USAGE),
    (RecipeError, USAGE),
    (SchemeError, USAGE),
    (UnprovedError, INTERNAL),
)


def main(arguments: list[str] | None = None) -> int:
    """Run the command line and return the exit status."""
    silence()
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            # A name that is no UTF-8, or a terminal that knows no letters but English ones.
            stream.reconfigure(errors="backslashreplace")
    clear_away()
    # A cut is many objects and few circles: looking for them at every 700 objects takes a tenth of the time.
    gc.set_threshold(100_000, 50, 100)
    in_one_place()
    given = spread_times(list(sys.argv[1:] if arguments is None else arguments))
    if given[:1] in (["media"], ["relink"]):
        given = spread_folders(given)
    if given[:1] == ["return"]:
        given = spread_paths(given)
    try:
        with ending_on_signals():
            result = app(given, prog_name="wexodos", standalone_mode=False)
        return result if isinstance(result, int) else OK
    except Stop as stop:
        err.print(stop.sentence)
        return stop.status
    except WexodosError as error:
        err.print(str(error))
        return next((status for kind, status in _STATUS if isinstance(error, kind)), INTERNAL)
    except typer.Exit as stop:
        return stop.exit_code
    except (Ended, KeyboardInterrupt, typer.Abort) as stopped:
        err.print("Stopped.")
        return _ended(stopped)
    except BrokenPipeError:
        return OK
    except Exception as error:
        shown = getattr(error, "format_message", None)
        if shown is not None:
            err.print(f"{shown()} (see wexodos --help)")
            return USAGE
        return _internal(error)


def _ended(stopped: BaseException | None) -> int:
    """The status of what a signal ended: 128 and its number."""
    while stopped is not None and not isinstance(stopped, Ended):
        stopped = stopped.__cause__ or stopped.__context__
    return stopped.status if stopped is not None else 128 + signal.SIGINT


def _internal(error: Exception) -> int:
    """A traceback for the log, a sentence for the person."""
    log = Path(platformdirs.user_log_dir("wexodos")) / "wexodos.log"
    try:
        log.parent.mkdir(parents=True, exist_ok=True)
        logging.basicConfig(filename=log, format="%(asctime)s %(message)s")
        logging.getLogger("wexodos").exception("internal error")
        where = f"; details are in {log}"
    except OSError:
        where = ""
    err.print(f"Something went wrong inside Wexodos ({type(error).__name__}){where}.")
    return INTERNAL
