"""Work that tells how far it is, and can be stopped."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeAlias

Progress: TypeAlias = Callable[[str, float], None]
"""Called with what is being done and how far it is, 0 to 1. May raise ``Cancelled``."""


def quiet(_what: str, _share: float) -> None:
    """No progress."""
