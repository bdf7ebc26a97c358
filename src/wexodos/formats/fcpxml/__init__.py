"""Lane XML (``fcpxml``): a main line with lanes on it. Reads 1.5 to 1.13, writes 1.8 and 1.10."""

from wexodos.formats.fcpxml.reader import read
from wexodos.formats.fcpxml.writer import write
from wexodos.formats.protocol import Format
from wexodos.formats.safe_xml import root_tag

FORMAT = Format(
    "fcpxml",
    "Lane XML (.fcpxml)",
    ".fcpxml",
    ("1.8", "1.9", "1.10", "1.11"),
    lambda head: root_tag(head) == "fcpxml",
    read,
    write,
)

__all__ = ["FORMAT", "read", "write"]
