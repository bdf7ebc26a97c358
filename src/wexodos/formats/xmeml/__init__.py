"""Track XML (``xmeml``): sequences made of tracks. Reads versions 1 to 5, writes 4 and 5."""

from wexodos.formats.protocol import Format
from wexodos.formats.safe_xml import root_tag
from wexodos.formats.xmeml.reader import read
from wexodos.formats.xmeml.write_items import WORDS, spelled_rate, stretches
from wexodos.formats.xmeml.write_parts import aspect_name
from wexodos.formats.xmeml.writer import write

FORMAT = Format(
    "xmeml", "Track XML (.xml)", ".xml", ("4", "5"), lambda head: root_tag(head) == "xmeml", read, write
)

__all__ = ["FORMAT", "WORDS", "aspect_name", "read", "spelled_rate", "stretches", "write"]
