"""Values over time: keyframes with their interpolation."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from typing import TypeAlias

from wexodos.timing import Exact

Vector: TypeAlias = tuple[float, ...]


class Ease(StrEnum):
    """How a curve leaves and reaches a key.

    A segment eased at one end starts (or ends) there with slope zero; at an end that is not eased it has the
    slope of the straight line between its two keys: a cubic Hermite segment. ``HOLD`` keeps the value until
    the next key.
    """

    LINEAR = "linear"
    HOLD = "hold"
    SMOOTH = "smooth"
    IN = "ease-in"
    OUT = "ease-out"

    @property
    def eases_in(self) -> bool:
        return self in (Ease.SMOOTH, Ease.IN)

    @property
    def eases_out(self) -> bool:
        return self in (Ease.SMOOTH, Ease.OUT)


@dataclass(frozen=True, slots=True)
class Key:
    """A value at a time, in frames of the sequence's rate from the item's start."""

    time: Exact
    value: Vector
    ease: Ease = Ease.LINEAR


@dataclass(frozen=True, slots=True)
class Curve:
    """A value that may change over time; held before the first and after the last key.

    ``value`` is the still value; with keys it is only the writer's default. ``domain`` says where straight
    lines are straight: ``"plain"`` in the values themselves, ``"gain"`` for levels (whose values are dB) in
    linear gain.
    """

    value: Vector
    keys: tuple[Key, ...] = ()
    domain: str = "plain"

    @property
    def animated(self) -> bool:
        return len(self.keys) > 1 and any(key.value != self.keys[0].value for key in self.keys)

    @property
    def still(self) -> Vector:
        """The value where nothing moves: the only key's value, otherwise ``value``."""
        return self.keys[0].value if self.keys else self.value


def constant(*value: float) -> Curve:
    return Curve(tuple(float(part) for part in value))


def curve(
    keys: Iterable[tuple[Exact, float | Vector]], ease: Ease = Ease.LINEAR, domain: str = "plain"
) -> Curve:
    """Build a curve from (time, value) pairs that share one interpolation."""
    made = tuple(
        Key(time, value if isinstance(value, tuple) else (float(value),), ease) for time, value in keys
    )
    return Curve(made[0].value, made, domain)
