"""The command line: the same core as the window, for scripts and checks."""

from wexodos.cli import many as _many
from wexodos.cli import packaging as _packaging
from wexodos.cli import pairing as _pairing
from wexodos.cli import preparing as _preparing
from wexodos.cli import rehearsing as _rehearsing
from wexodos.cli import returning as _returning
from wexodos.cli import screening as _screening
from wexodos.cli import translating as _translating
from wexodos.cli.commands import main

__all__ = ["main"]

# Its commands join the others when it is imported.
assert None not in (
    _many,
    _packaging,
    _pairing,
    _preparing,
    _rehearsing,
    _returning,
    _screening,
    _translating,
)
