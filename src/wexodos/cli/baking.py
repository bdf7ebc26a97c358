"""What is rendered, as it is said on the command line."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import typer

from wexodos.carryover import Choices
from wexodos.destinations import Destination
from wexodos.settling.vocabulary import BAKED_NAMES, Remedy


class Bake(StrEnum):
    """What is rendered where a destination cannot have it as it is."""

    TITLES = "titles"
    NESTS = "nests"
    GENERATORS = "generators"
    SPEEDS = "speeds"
    FILTERS = "filters"
    COLOUR = "colour"
    BLENDS = "blends"
    ALL = "all"
    PROPOSED = "proposed"


BakeOption = Annotated[
    list[Bake],
    typer.Option(
        "--bake",
        help="render these where they cannot go over as they are; several may be given; proposed: as the "
        "destination has it",
    ),
]


def bake_choices(
    given: list[Bake],
    destination: Destination,
    decided: Choices = Choices(),  # noqa: B008
) -> Choices:
    """What is decided by what shall be rendered, beside what was decided before."""
    names = {one.value for one in given}
    if Bake.PROPOSED in given:
        names |= set(destination.baking.proposed)
    if Bake.ALL in given:
        names |= BAKED_NAMES.keys()
    baked = {kind.value: Remedy.BAKE for name, kind in BAKED_NAMES.items() if name in names}
    return Choices(decided.by_key, {**decided.by_what, **baked})
