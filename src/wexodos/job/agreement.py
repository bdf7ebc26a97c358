"""Whether what was decided agrees: the cut that Tidy leaves and what its destination takes. Every stop reads
this, none decides it for itself."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from wexodos.destinations import Destination
from wexodos.model import Sequence
from wexodos.tidy import Chosen, Recipe


@dataclass(frozen=True, slots=True)
class WayOut:
    """Something that ends a contradiction: what it is in words, and the decisions it makes."""

    words: str
    changes: dict[str, Any]


@dataclass(frozen=True, slots=True)
class Contradiction:
    """Decisions that leave nothing to hand over, and what ends it."""

    words: str
    ways: tuple[WayOut, ...]


def holds(sequence: Sequence) -> tuple[bool, bool]:
    """Whether a sequence has (picture, sound)."""
    return (
        any(track.items for track in sequence.tracks if track.kind == "video"),
        any(track.items for track in sequence.tracks if track.kind == "audio"),
    )


def takes(destination: Destination) -> tuple[bool, bool]:
    """Whether a destination takes (picture, sound)."""
    return destination.pictures.carry, destination.sound.carry


_TAKES = {(True, True): "picture and sound", (True, False): "picture only", (False, True): "sound only"}


def recipe_for(destination: Destination, recipes: list[Recipe]) -> Recipe | None:
    """The recipe of a destination's room; one of the user's before the shipped one."""
    return next((one for one in reversed(recipes) if one.name.lower() == destination.for_), None)


def destinations_for(recipe: Recipe, destinations: list[Destination]) -> list[Destination]:
    """The destinations that a recipe makes a cut ready for; none where it is no room's."""
    return [one for one in destinations if one.for_ == recipe.name.lower()]


def _on(steps: tuple[Chosen, ...]) -> tuple[Chosen, ...]:
    return tuple(one for one in steps if one.on)


def recipe_of(steps: tuple[Chosen, ...], recipes: list[Recipe]) -> Recipe | None:
    """The recipe that the steps are; None where they are none, or nothing is switched on."""
    wanted = _on(steps)
    return next((one for one in reversed(recipes) if wanted and _on(one.steps) == wanted), None)


def contradiction(
    taken: Sequence,
    tidied: Sequence,
    destination: Destination,
    destinations: list[Destination],
    recipes: list[Recipe],
    steps: tuple[Chosen, ...] = (),
) -> Contradiction | None:
    """What contradicts itself in the decisions; None where something is left to hand over.

    ``taken`` is the cut before Tidy, ``tidied`` after it with ``steps``.
    """
    wanted, there, had = takes(destination), holds(tidied), holds(taken)
    if any(one and other for one, other in zip(wanted, there)) or not any(had):
        return None
    kind = _TAKES.get(wanted, "nothing")
    ways: list[WayOut] = []
    if any(one and other for one, other in zip(wanted, had)):
        left = {(True, False): "only picture", (False, True): "only sound"}.get(there, "nothing")
        words = f"Tidy leaves {left}, and {destination.name} takes {kind}: nothing would be handed over"
        own = recipe_for(destination, recipes)
        if own is not None:
            ways.append(WayOut(f"Tidy it for {own.name.lower()}", {"tidy": own.steps}))
        ways.append(WayOut("Switch Tidy off", {"tidy": ()}))
    else:
        lacks = "sound" if wanted == (False, True) else "picture"
        words = f"The cut has no {lacks}, and {destination.name} takes {kind}: nothing would be handed over"
    fitting = [one for one in destinations if any(a and b for a, b in zip(takes(one), there))]
    now = recipe_of(steps, recipes)
    room = now.name.lower() if now is not None else ""
    fit = min(fitting, key=lambda one: (one.for_ != room, one.for_ == "archive"), default=None)
    if fit is not None:
        ways.append(WayOut(f"Send it to {fit.name}", {"destination": fit.id}))
    return Contradiction(words, tuple(ways))
