"""Transitions between clips as the model has them."""

from __future__ import annotations

from fractions import Fraction
from typing import TypeAlias

from wexodos.formats.mobs import tree
from wexodos.formats.mobs.operations import crossfade_law
from wexodos.model import (
    Parameter,
    Transition,
)
from wexodos.model.wipes import wipe_direction
from wexodos.timing import Exact, exact

Notes: TypeAlias = list[tuple[str, str, str]]
"""Level, place and words."""


def transition_of(
    join: tree.Transition, start: Exact, end: Exact, cut: Exact, key: str, where: str, notes: Notes
) -> Transition:
    """A transition at its place, in frames; what is not known here is said in ``notes``."""
    effect = join.effect
    length = exact(end - start)
    law = law_of(effect, where, notes)
    if join.kind == "sound":
        name = "Equal power" if law == "equal-power" else "Equal gain"
        return Transition(
            key,
            effect.name or name,
            "audio-equal-power" if law == "equal-power" else "audio-linear",
            start,
            length,
            cut,
        )
    found = effect.parameters
    if effect.op == "wipe":
        pattern = found.get("wipe-number")
        number = int(pattern) if isinstance(pattern, int | Fraction) else 1
        reverse = bool(found.get("wipe-reverse"))
        soft, border = (_percent(found.get(name)) for name in ("wipe-soft", "wipe-border"))
        return Transition(
            key,
            effect.name or "Wipe",
            "wipe",
            start,
            length,
            cut,
            None,
            number,
            wipe_direction(number, reverse),
            soft,
            border,
        )
    if effect.op == "dip":
        return Transition(key, effect.name or "Dip", "dip", start, length, cut, "#000000ff")
    if effect.op not in ("dissolve", "fade-up", "fade-down"):
        what = str(effect.parameters.get("effect-id") or effect.name or effect.op)
        notes.append(
            ("warning", where, f"the transition {what!r} is not known here; it is taken for a dissolve")
        )
        return Transition(key, what, "other", start, length, cut, parameters=(Parameter("effect", what),))
    return Transition(key, effect.name or "Cross dissolve", "dissolve", start, length, cut)


def law_of(effect: tree.Operation, where: str, notes: Notes) -> str:
    """How a transition or fade runs; said where it is neither of what can be read."""
    if not _runs_straight(effect):
        notes.append(
            ("warning", where, "a transition does not run straight from 0 to 1; it is read as if it did")
        )
    return crossfade_law(effect)


def _percent(value: object) -> float | None:
    return float(value) * 100 if isinstance(value, int | float | Fraction) and value else None


def _runs_straight(effect: tree.Operation) -> bool:
    """Whether a transition's share runs evenly from nothing to all; the two curves of a crossfade say its
    law."""
    # What goes out mirrors what comes in.
    effect.parameters.get("level-out")
    level = effect.parameters.get("level")
    if not isinstance(level, tree.Varying) or len(level.points) < 2:
        return True
    first, last = level.points[0], level.points[-1]
    span = float(last.time - first.time)
    if span <= 0:
        return True
    shares = [(float(point.time - first.time) / span, float(point.value)) for point in level.points]
    rising = all(abs(value - share) < 0.02 for share, value in shares)
    falling = all(abs(1 - value - share) < 0.02 for share, value in shares)
    return rising or falling
