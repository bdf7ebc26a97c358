"""CMX3600 cut lists (``edl``): events in plain text, one list a track."""

from wexodos.formats.ascii_names import plain
from wexodos.formats.assumed import sample_rates
from wexodos.formats.edl.reader import matches, read
from wexodos.formats.edl.settle import events, known_media
from wexodos.formats.edl.writer import MARKER_LENGTH, NAME_LENGTH, TRACK_LENGTH, lists, marker_color, write
from wexodos.formats.mobs.settle import mutes
from wexodos.formats.mobs.settle_ranges import from_the_first_frame
from wexodos.formats.naming import names, square_and_progressive
from wexodos.formats.protocol import Format
from wexodos.settling.spells import MarkerSpelling, NameSpelling, Spells, Stage


def marker_words(text: str) -> str:
    """The words of a marker on one line of plain letters, without the sign that divides its fields."""
    return plain(text, MARKER_LENGTH).replace("|", "/")


SPELLS = Spells(
    sequence_fields=frozenset(),
    ids=False,
    before_start=False,
    folders=False,
    links=False,
    keeps_unread=False,
    wanders=True,
    unused_media=lambda _media, _pictures: False,
    markers=MarkerSpelling(before_start=False, plain=marker_words, palette=marker_color, lengths=False),
    names=NameSpelling(plain=plain, name_length=NAME_LENGTH, track_length=TRACK_LENGTH),
    recognised=known_media,
    steps={
        Stage.CONTENT: (mutes,),
        Stage.PLACES: (from_the_first_frame, events),
        Stage.NAMES: (sample_rates, square_and_progressive, names),
    },
)
FORMAT = Format(
    "edl",
    "Cut list, CMX3600 (.edl)",
    ".edl",
    ("CMX3600",),
    matches,
    read,
    write,
    spells=SPELLS,
    parts=lists,
    settings=("long_reels", "most_events"),
)

__all__ = ["FORMAT", "lists", "read", "write"]
