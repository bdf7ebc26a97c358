"""Lane XML (``fcpxml``): a main line with lanes on it. Reads 1.5 to 1.13, writes 1.8 and 1.10."""

from wexodos.formats.fcpxml.linking import links
from wexodos.formats.fcpxml.meanings import by_meaning
from wexodos.formats.fcpxml.reader import read
from wexodos.formats.fcpxml.settle import fields, nest_channels, parts_of_angles, retimed_joins
from wexodos.formats.fcpxml.units import MAX_DB
from wexodos.formats.fcpxml.writer import write, write_several
from wexodos.formats.protocol import Format
from wexodos.formats.safe_xml import root_tag
from wexodos.settling.spells import MarkerSpelling, Spells, Stage

SPELLS = Spells(
    sequence_fields=frozenset({"note", "folder", "metadata", "audio_layout"}),
    transitions=frozenset(
        {"dissolve", "additive", "dip", "wipe", "iris", "push", "slide", "other", "audio-equal-power"}
    ),
    hollow_nests=False,
    sounding_generators=False,
    loudest=MAX_DB,
    relative_places=True,
    steps={
        Stage.CONTENT: (parts_of_angles, nest_channels, fields),
        Stage.JOINS: (retimed_joins,),
        Stage.SETTINGS: (links,),
    },
    by_meaning=by_meaning,
    markers=MarkerSpelling(
        kinds=frozenset({"marker", "task", "chapter"}), outside_items=False, one_frame=False
    ),
)
FORMAT = Format(
    "fcpxml",
    "Lane XML (.fcpxml)",
    ".fcpxml",
    ("1.8", "1.9", "1.10", "1.11"),
    lambda head: root_tag(head) == "fcpxml",
    read,
    write,
    spells=SPELLS,
    write_several=write_several,
)

__all__ = ["FORMAT", "read", "write"]
