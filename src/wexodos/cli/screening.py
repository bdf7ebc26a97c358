"""Commands that look at movies: check-picture, scene-cuts."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Annotated, Any

import typer

from wexodos.carryover import carry_over, write_file
from wexodos.cli import commands as base
from wexodos.cli.preparing import MapOption, SearchOption, UpOption, rules_of
from wexodos.destinations import keeper
from wexodos.formats import FORMATS, read_file
from wexodos.formats.opening import the_one
from wexodos.ground.names import json_text, table_bytes
from wexodos.job import load
from wexodos.job.cut import Cut, left_of
from wexodos.model import Sequence
from wexodos.screening.check import Checked, check_picture
from wexodos.screening.film import Film
from wexodos.screening.heard import RATE, Heard
from wexodos.screening.marked import marked
from wexodos.screening.rows import Row
from wexodos.screening.scene_cuts import SceneCut, scene_cuts
from wexodos.screening.words import lies_words, sound_words
from wexodos.timing import Rate, Timecode, exact, floor

MovieArgument = Annotated[Path, typer.Argument(help="a movie", metavar="MOVIE")]
OutOption = Annotated[
    Path | None,
    typer.Option(
        "--out", help="write them: a sequence file, a cut list, a table (.csv) or .json", metavar="PATH"
    ),
]


@base.app.command(name="check-picture")
def check_command(
    file: Annotated[Path, typer.Argument(help="a sequence file, or a job (.wexo)", metavar="FILE")],
    movie: Annotated[Path, typer.Argument(help="what the other side shows of it", metavar="MOVIE")],
    output: Annotated[
        Path | None, typer.Option("--out", help="write the rows: a table (.csv) or .json", metavar="PATH")
    ] = None,
    sequence: base.SequenceOption = None,
    search: SearchOption = [],  # noqa: B006
    up: UpOption = 2,
    maps: MapOption = [],  # noqa: B006
    as_json: base.JsonOption = False,
) -> None:
    """Hold a movie against a cut, every frame: what is not there as the cut has it."""
    if output is not None:
        _suffix(output, (".csv", ".json"))
        base.never_changed(output, file, movie)
    rules = rules_of(search, up, maps)
    with base._progress(as_json) as step:
        job = load(file) if file.suffix == ".wexo" else None
        source = the_one(file if job is None else Path(job.source), step)
        document = read_file(source)
        decided = job.now.sequence if job is not None and sequence is None else sequence
        chosen = base.choose(document, decided or None, source)
        left, locate = left_of(Cut(document, chosen, source, rules, job), step)
        found = check_picture(left.document, left.sequence, locate, movie, step)
    cut = left.sequence

    def place(frame: int) -> str:
        return str(cut.timecode(frame))

    data = checked_data(found, place, cut)
    if output is not None:
        written = (
            (json_text(data) + "\n").encode()
            if output.suffix.lower() == ".json"
            else _table(found.rows, place)
        )
        write_file(output, written)
    if as_json:
        base.print_json(data)
        return
    told = data["aligned"]
    base.out.print(
        f"{movie.name}: {lies_words(found.aligned)}, by its {told['by']}; "
        f"{found.frames} of {cut.duration} frames were compared.",
        markup=False,
    )
    for row in found.rows:
        item = f"{row.track} {row.item}: " if row.item else ""
        base.out.print(f"  {place(row.first)} – {place(row.until)}  {item}{row.what.value}: {row.value} "
                       f"(should be: {row.expected})", markup=False)  # fmt: skip
    if found.sound is not None:
        base.out.print(f"  {sound_words(found.sound, cut)}", markup=False)
    for words, names in (
        ("not found, so not compared", found.missing),
        ("not drawn here as it is", found.undrawn),
    ):
        if names:
            base.out.print(f"  {words}: {', '.join(names[:12])}", markup=False)
    base.out.print(f"{len(found.rows)} rows" if found.rows else "It is as the cut has it.", markup=False)


def checked_data(found: Checked, place: Any, cut: Sequence) -> dict[str, Any]:
    """A check for programs."""
    lie = found.aligned
    return {
        "aligned": {
            "offset_frames": lie.offset,
            "scale": [round(one, 5) for one in found.scale],
            "by": lie.by.value,
            "certainty": lie.certainty,
            "box": [round(one, 5) for one in (lie.box.left, lie.box.top, lie.box.width, lie.box.height)],
            "pace": str(lie.pace),
            "pieces": [
                {"frame": one.first, "until": one.last, "offset_frames": round(one.offset / lie.pace)}
                for one in lie.pieces
            ],
        },
        "shots": found.shots,
        "frames": found.frames,
        "masked": found.masked,
        **({"sound": sound_data(found.sound, cut)} if found.sound is not None else {}),
        "not_found": found.missing,
        "not_drawn": found.undrawn,
        "rows": [_row_data(row, place) for row in found.rows],
    }


def sound_data(sound: Heard, cut: Sequence) -> dict[str, Any]:
    """The sound of a movie for programs: by how much it is later than its picture."""
    if sound.offset is None:
        problem = {"problem": sound.problem} if sound.problem else {}
        return {"offset_samples": None, "certainty": 0.0, **problem}
    frames = cut.rate.frames(exact(Fraction(sound.offset, RATE)))
    return {
        "offset_samples": sound.offset,
        "sample_rate": RATE,
        "offset_frames": str(frames),
        "drift_ppm": sound.drift,
        "certainty": sound.certainty,
        "steps": [
            {
                "at": str(cut.timecode(floor(cut.rate.frames(exact(Fraction(one.at, RATE)))))),
                "samples": one.samples,
            }
            for one in sound.steps
        ],
    }


def _row_data(row: Row, place: Any) -> dict[str, Any]:
    return {
        "at": place(row.first),
        "frame": row.first,
        "until": row.until,
        "item": row.item,
        "item_id": row.item_id,
        "track": row.track,
        "what": row.what.value,
        "value": row.value,
        "expected": row.expected,
        "certainty": row.certainty,
        **({"figures": row.figures} if row.figures else {}),
        **({"box": list(row.box)} if row.box is not None else {}),
    }


def _table(rows: list[Row], place: Any) -> bytes:
    head = ["at", "until", "track", "item", "what", "in the movie", "in the cut", "certainty"]
    body = [
        [
            place(one.first),
            place(one.until),
            one.track,
            one.item,
            one.what.value,
            one.value,
            one.expected,
            f"{one.certainty:.2f}",
        ]
        for one in rows
    ]
    return table_bytes([head, *body])


def _suffix(output: Path, known: tuple[str, ...]) -> str:
    """The suffix of an output that is one of these. Raises ``Stop``."""
    suffix = output.suffix.lower()
    if suffix not in known:
        raise base.Stop(base.USAGE, f"--out: {output} ends in none of {', '.join(known)}")
    return suffix


@base.app.command(name="scene-cuts")
def scene_cuts_command(
    movie: MovieArgument, output: OutOption = None, as_json: base.JsonOption = False
) -> None:
    """Where the scenes of a movie change."""
    formats = {one.suffix: key for key, one in FORMATS.items() if keeper(key) is not None}
    if output is not None:
        _suffix(output, (".csv", ".json", *formats))
        base.never_changed(output, movie)
    with base._progress(as_json) as step:
        film = Film.of(movie)
        found = scene_cuts(film, step)
    data = {
        "file": str(movie),
        "rate": str(film.rate),
        "frames": film.count,
        "cuts": [
            {"frame": one.frame, "kind": one.how.value, "length": one.length, "certainty": one.certainty}
            for one in found
        ],
    }
    if output is not None:
        suffix = output.suffix.lower()
        if suffix == ".json":
            write_file(output, (json_text(data) + "\n").encode())
        elif suffix == ".csv":
            write_file(output, _cuts_table(film, found))
        else:
            document, sequence = marked(film, found)
            target = keeper(formats[suffix])
            assert target is not None
            carried = carry_over(document, sequence, target)
            carried.prove(str(output))
            write_file(output, carried.data)
    if as_json:
        base.print_json(data)
        return
    for one in found:
        over = f" over {one.length} frames" if one.length else ""
        base.out.print(f"  {_code(film, one.frame)}  {one.frame:7}  {one.how.value}{over}", markup=False)
    base.out.print(f"{movie.name}: {len(found)} changes of scene in {film.count} frames.", markup=False)


def _cuts_table(film: Film, found: list[SceneCut]) -> bytes:
    rows = [["frame", "timecode", "kind", "length", "certainty"]]
    rows += [
        [str(one.frame), _code(film, one.frame), one.how.value, str(one.length), f"{one.certainty:.2f}"]
        for one in found
    ]
    return table_bytes(rows)


def _code(film: Film, frame: int) -> str:
    rate: Rate = film.rate
    return str(Timecode((film.facts.start or 0) + frame, rate, bool(film.facts.drop_frame)))
