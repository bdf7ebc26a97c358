"""OpenTimelineIO (``otio``): the open interchange format for timelines, with all we know of a cut as metadata
beside it."""

from wexodos.evaluate.tolerances import EVERY_DIGIT
from wexodos.formats.otio.reader import matches, read
from wexodos.formats.otio.writer import write, write_several
from wexodos.formats.protocol import Format
from wexodos.settling.spells import Spells

FORMAT = Format(
    "otio",
    "OpenTimelineIO (.otio)",
    ".otio",
    ("1",),
    matches,
    read,
    write,
    spells=Spells(
        before_start=False,
        marked_range=True,
        relative_places=True,
        keeps_everything=True,
        precision=EVERY_DIGIT,
    ),
    write_several=write_several,
)

__all__ = ["FORMAT", "read", "write"]
