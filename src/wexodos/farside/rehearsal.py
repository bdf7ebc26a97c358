"""A rehearsal: a room takes a cut and sends its work back, with what it did written down beside it."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

from wexodos.farside.editing import edit
from wexodos.farside.finishing import finish
from wexodos.farside.grading import grade
from wexodos.farside.habits import Habit, Room
from wexodos.farside.mixing import mix
from wexodos.formats import WriteError
from wexodos.ground import Progress
from wexodos.ground.delivery import Delivery
from wexodos.ground.files import reason
from wexodos.ground.names import json_text
from wexodos.model import Document, Media, Sequence

_ROOMS = {Room.GRADING: grade, Room.MIXING: mix, Room.EDITING: edit, Room.FINISHING: finish}


def rehearsed(
    document: Document,
    sequence: Sequence,
    locate: Callable[[Media], Path | None],
    room: Room,
    habits: Iterable[Habit],
    seed: int,
    output: Path,
    progress: Progress,
) -> dict[str, Any]:
    """Let a room work on a cut whose media ``locate`` finds. What comes back stands in the new folder
    ``output``, the truth in ``… truth.json`` beside it; that is also given back. Raises ``WriteError``."""
    chosen = list(habits)
    if output.exists():
        raise WriteError(f"{output}: something stands there already; name a folder that is new")
    folder = output.resolve().parent
    if not folder.is_dir():
        raise WriteError(f"{folder}: there is no such folder")
    with Delivery() as delivery:
        beside = delivery.place(folder, f"{output.name} truth.json")
        made = delivery.place(folder, f"{output.name}/any").parent
        there = folder / output.name
        done = _ROOMS[room](document, sequence, locate, set(chosen), seed, made, there, progress)
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
        progress("done", 1.0)
        delivery.arrive()
    return told
