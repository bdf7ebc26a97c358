"""The command that plays the far side: rehearse."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from wexodos.cli import commands as base
from wexodos.demo.build import CUT
from wexodos.farside.habits import HABITS, WORDS, Habit, Room, drawn
from wexodos.farside.rehearsal import rehearsed
from wexodos.formats import WriteError, read_file
from wexodos.formats.opening import the_one
from wexodos.ground import Progress
from wexodos.ground.files import reason
from wexodos.media import Probes, Rules, Scanner, find, relinked
from wexodos.model import Document, Sequence
from wexodos.sound.locate import Finder


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
    with base._progress(as_json) as step:
        document, cut, locate = _taken_in(the_one(file, step), sequence, step)
        told = rehearsed(document, cut, locate, room, chosen, seed, output, step)
    if as_json:
        base.print_json(told)
        return
    for one in chosen:
        base.out.print(f"  {one.value}: {WORDS[one]}", markup=False)
    base.out.print(
        f"{output}: {len(told['files'])} files came back from the {room.value} room.", markup=False
    )


def _taken_in(source: Path, sequence: str | None, step: Progress) -> tuple[Document, Sequence, Finder]:
    """A cut as a room takes it in, its media found."""
    document = read_file(source)
    cut = base.choose(document, sequence, source)
    inside = Finder(source, document)
    rows = find(document, [cut], source, Rules(), {}, Probes(), Scanner(), step, {}, inside)
    document = relinked(document, rows)
    return document, document.sequences_by_id[cut.id], Finder(source, document)


_DEMO = {
    Room.GRADING: (Habit.SMALL, Habit.HANDLES, Habit.FRAME_LATE, Habit.SHOTS_MISSING),
    Room.MIXING: (Habit.LEVELS_RIDDEN, Habit.LINE_REPLACED, Habit.LATE),
    Room.EDITING: (Habit.MOVED, Habit.TRIMMED, Habit.RETITLED, Habit.INSERTED, Habit.PLAIN_TITLES),
    Room.FINISHING: (Habit.MEDIA_MISSING, Habit.RESIZED, Habit.WIPES_TO_DISSOLVES),
}
"""What the rooms of the demo do besides their work."""


def returned_demo(folder: Path, step: Progress) -> None:
    """What each room sent back of the demo, in its folder ``returned``; what is there already stays."""
    place = folder / "returned"
    try:
        place.mkdir(exist_ok=True)
    except OSError as error:
        raise WriteError(f"{place}: cannot be written: {reason(error)}") from None
    document, cut, locate = _taken_in(folder / CUT, None, step)
    for room, habits in _DEMO.items():
        if not (place / room.value).exists():
            rehearsed(document, cut, locate, room, habits, 1, place / room.value, step)


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
