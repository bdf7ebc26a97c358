"""The command that plays the far side: rehearse."""

from __future__ import annotations

import dataclasses
from pathlib import Path
from typing import Annotated

import typer

from wexodos.cli import commands as base
from wexodos.farside.editing import edit
from wexodos.farside.finishing import finish
from wexodos.farside.grading import grade
from wexodos.farside.habits import HABITS, WORDS, Habit, Room, drawn
from wexodos.farside.mixing import mix
from wexodos.formats import WriteError, read_file
from wexodos.formats.opening import the_one
from wexodos.ground.delivery import Delivery
from wexodos.ground.files import reason
from wexodos.ground.names import json_text
from wexodos.media import Probes, Rules, Scanner, find, relinked
from wexodos.sound.locate import Finder

_ROOMS = {Room.GRADING: grade, Room.MIXING: mix, Room.EDITING: edit, Room.FINISHING: finish}


@base.app.command(name="rehearse")
def rehearse_command(
    file: Annotated[Path, typer.Argument(help="a package, or a sequence file", metavar="FILE_OR_PACKAGE")],
    room: Annotated[Room, typer.Option("--at", help="the room it is sent to")],
    output: Annotated[Path, typer.Option("--out", help="a new folder for what comes back", metavar="DIR")],
    habits: Annotated[
        str | None,
        typer.Option(
            "--habits",
            help="what the room does, separated by commas; by the seed otherwise; none: nothing but its work",
            metavar="NAME,…",
        ),
    ] = None,
    seed: Annotated[int, typer.Option("--seed", help="for what is left to chance", metavar="N")] = 1,
    sequence: base.SequenceOption = None,
    as_json: base.JsonOption = False,
) -> None:
    """Play the far side: a room that takes what was sent and sends its work back, with what it did written
    down."""
    chosen = drawn(room, seed) if habits is None else _habits(habits, room)
    if output.exists():
        raise WriteError(f"{output}: something stands there already; name a folder that is new")
    folder = output.resolve().parent
    if not folder.is_dir():
        raise WriteError(f"{folder}: there is no such folder")
    with base._progress(as_json) as step, Delivery() as delivery:
        source = the_one(file, step)
        document = read_file(source)
        cut = base.choose(document, sequence, source)
        inside = Finder(source, document)
        rows = find(document, [cut], source, Rules(), {}, Probes(), Scanner(), step, {}, inside)
        document = relinked(document, rows)
        cut = document.sequences_by_id[cut.id]
        beside = delivery.place(folder, f"{output.name} truth.json")
        made = delivery.place(folder, f"{output.name}/any").parent
        work = _ROOMS[room]
        there = folder / output.name
        done = work(document, cut, Finder(source, document), set(chosen), seed, made, there, step)
        told = {
            "at": room.value,
            "habits": [one.value for one in chosen],
            "seed": seed,
            "out": str(output),
            "files": done.files,
            "truth": [dataclasses.asdict(one) for one in done.truth],
        }
        try:
            beside.write_text(json_text(told) + "\n", "utf-8")
        except OSError as error:
            raise WriteError(f"{output}: cannot be written: {reason(error)}") from None
        step("done", 1.0)
        delivery.arrive()
    if as_json:
        base.print_json(told)
        return
    for one in chosen:
        base.out.print(f"  {one.value}: {WORDS[one]}", markup=False)
    base.out.print(f"{output}: {len(done.files)} files came back from the {room.value} room.", markup=False)


def _habits(words: str, room: Room) -> list[Habit]:
    """Habits by their names. Raises ``Stop``."""
    found = []
    for name in filter(None, (one.strip() for one in words.split(","))):
        if name == "none":
            continue
        known = {one.value: one for one in HABITS[room]}
        if name not in known:
            raise base.Stop(base.USAGE, f"--habits {name}: the {room.value} room has {', '.join(known)}")
        found.append(known[name])
    return found
