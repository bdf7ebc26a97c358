"""Exchange formats: readers and writers behind one protocol, found through one registry."""

from wexodos.formats.errors import ReadError, WriteError
from wexodos.formats.protocol import Format
from wexodos.formats.registry import FORMATS, format_of, read_bytes, read_file

__all__ = ["FORMATS", "Format", "ReadError", "WriteError", "format_of", "read_bytes", "read_file"]
