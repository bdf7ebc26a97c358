"""The errors of readers and writers."""

from wexodos.ground.errors import ReadError, WriteError

__all__ = ["ReadError", "WriteError"]
