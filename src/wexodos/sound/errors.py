"""What goes wrong with sound."""

from __future__ import annotations

from wexodos.ground.errors import WexodosError


class SoundError(WexodosError):
    """A sound that cannot be read or written: one plain sentence."""
