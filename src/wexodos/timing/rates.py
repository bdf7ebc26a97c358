"""Frame rates as exact fractions."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

from wexodos.timing.exact import Exact, exact


@dataclass(frozen=True, slots=True)
class Rate:
    """A rate in frames (or samples) per second, ``numerator / denominator``, reduced and positive.

    Raises ``ValueError`` for a rate that is zero or negative.
    """

    numerator: int
    denominator: int = 1

    def __post_init__(self) -> None:
        if self.numerator <= 0 or self.denominator <= 0:
            raise ValueError(f"a rate must be above zero: {self.numerator}/{self.denominator}")
        reduced = Fraction(self.numerator, self.denominator)
        object.__setattr__(self, "numerator", reduced.numerator)
        object.__setattr__(self, "denominator", reduced.denominator)

    @classmethod
    def of(cls, fps: Exact) -> Rate:
        return cls(fps, 1) if isinstance(fps, int) else cls(fps.numerator, fps.denominator)

    @classmethod
    def parse(cls, text: str) -> Rate:
        """Parse ``"25"``, ``"25/1"``, ``"24000/1001"`` or a label such as ``"23.976"``. Raises
        ``ValueError``."""
        try:
            value = Fraction(text.strip())
        except (ValueError, ZeroDivisionError):
            raise ValueError(f"not a rate: {text!r}") from None
        if value <= 0:
            raise ValueError(f"a rate must be above zero: {text!r}")
        return cls.of(snap(value))

    @property
    def fps(self) -> Exact:
        return exact(self.numerator, self.denominator)

    @property
    def nominal(self) -> int:
        """The whole number of frames that timecode counts to a second: 30 for 30000/1001."""
        return -(-self.numerator // self.denominator)

    @property
    def ntsc(self) -> bool:
        """True for the 1000/1001 relatives of whole rates."""
        return self.denominator == 1001

    def frames(self, seconds: Exact) -> Exact:
        """Convert seconds to frames of this rate, exactly."""
        if isinstance(seconds, int):
            return exact(seconds * self.numerator, self.denominator)
        return exact(seconds.numerator * self.numerator, seconds.denominator * self.denominator)

    def seconds(self, frames: Exact) -> Exact:
        """Convert frames of this rate to seconds, exactly."""
        if isinstance(frames, int):
            return exact(frames * self.denominator, self.numerator)
        return exact(frames.numerator * self.denominator, frames.denominator * self.numerator)

    def label(self) -> str:
        """The rate as people say it: ``25``, ``23.976``, ``29.97``."""
        if self.denominator == 1:
            return str(self.numerator)
        return f"{self.numerator / self.denominator:.3f}".rstrip("0").rstrip(".")

    def __str__(self) -> str:
        return f"{self.numerator}/{self.denominator}"


COMMON_RATES: tuple[Rate, ...] = tuple(
    rate for nominal in (24, 25, 30, 48, 50, 60, 120) for rate in (Rate(nominal), Rate(nominal * 1000, 1001))
)


@lru_cache(maxsize=256)
def snap(fps: Fraction) -> Exact:
    """Return the common rate within 0.05 % of ``fps``, or ``fps`` itself.

    Labels such as 23.976, 23.98 or 29.97 name 1000/1001 relatives; whole rates lie 0.1 % from these, so the
    two never mix.
    """
    best = min(COMMON_RATES, key=lambda rate: abs(rate.fps - fps))
    if abs(best.fps - fps) * 2000 <= best.fps:
        return best.fps
    return exact(fps)
