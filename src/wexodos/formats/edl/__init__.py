"""CMX3600 cut lists (``edl``): events in plain text, one list a track."""

from wexodos.formats.edl.reader import matches, read
from wexodos.formats.edl.writer import lists, write
from wexodos.formats.protocol import Format

FORMAT = Format("edl", "Cut list, CMX3600 (.edl)", ".edl", ("CMX3600",), matches, read, write)

__all__ = ["FORMAT", "lists", "read", "write"]
