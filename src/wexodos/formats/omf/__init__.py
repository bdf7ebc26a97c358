"""OMF (``omf``): sound turnovers in a container of our own reading and writing. Reads revisions 1 and 2,
writes 2.1."""

from wexodos.formats.omf.reader import essence_stream, matches_tail, read, read_path, tree_of
from wexodos.formats.omf.writer import expected_size, write, write_to
from wexodos.formats.protocol import Format

FORMAT = Format(
    "omf", "OMF (.omf)", ".omf", ("2.1",), lambda head: False, read, write, read_path, write_to, matches_tail
)

__all__ = ["FORMAT", "essence_stream", "expected_size", "read", "read_path", "tree_of", "write", "write_to"]
