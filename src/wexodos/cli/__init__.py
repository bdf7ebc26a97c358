"""The command line: the same core as the window, for scripts and checks."""

from wexodos.cli.commands import main

__all__ = ["main"]
