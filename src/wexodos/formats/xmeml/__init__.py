"""Track XML (``xmeml``): sequences made of tracks. Reads versions 1 to 5, writes 4 and 5."""

from wexodos.formats.protocol import Format
from wexodos.formats.safe_xml import root_tag
from wexodos.formats.xmeml.reader import read
from wexodos.formats.xmeml.settle import fields, goes_with_media, has_name, keys_on_media, pixel_aspects
from wexodos.formats.xmeml.write_items import spelled_rate, stretches
from wexodos.formats.xmeml.writer import write, write_several
from wexodos.settling.spells import MarkerSpelling, Spells, Stage, TitleSpelling

SPELLS = Spells(
    level_domain="gain",
    sequence_fields=frozenset({"folder", "metadata", "bit_depth", "audio_layout"}),
    before_start=False,
    adjustments=True,
    uneven_by_corners=stretches,
    off_hides_mutes=True,
    source_frames=spelled_rate,
    speed_points_on_frames=True,
    marked_range=True,
    stems_on_clips=True,
    pixel_aspect=has_name,
    media_fields=goes_with_media,
    titles=TitleSpelling(
        bar_lines=2, bar_rolls=False, outline_dressed=False, aligns=frozenset({"left", "center", "right"})
    ),
    markers=MarkerSpelling(kinds=frozenset({"marker"})),
    steps={
        Stage.CONTENT: (fields,),
        Stage.PLACES: (keys_on_media,),
        Stage.SETTINGS: (pixel_aspects,),
    },
)
FORMAT = Format(
    "xmeml",
    "Track XML (.xml)",
    ".xml",
    ("4", "5"),
    lambda head: root_tag(head) == "xmeml",
    read,
    write,
    spells=SPELLS,
    write_several=write_several,
)

__all__ = ["FORMAT", "read", "write"]
