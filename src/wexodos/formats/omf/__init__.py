"""OMF (``omf``): sound turnovers in a container of our own reading and writing. Reads revisions 1 and 2,
writes 2.1."""

from wexodos.formats.ascii_names import plain
from wexodos.formats.mobs.spells import in_plain_letters
from wexodos.formats.naming import square_and_progressive
from wexodos.formats.omf.constants import MOST_BYTES, NAME_LENGTH, TRACK_LENGTH
from wexodos.formats.omf.filling import holds, sounds_in
from wexodos.formats.omf.reader import essence_stream, matches_tail, read, read_path, tree_of
from wexodos.formats.omf.writer import expected_size, write, write_to
from wexodos.formats.protocol import Format, Inside
from wexodos.settling.spells import NameSpelling

SPELLS = in_plain_letters(
    NameSpelling(plain=plain, name_length=NAME_LENGTH, track_length=TRACK_LENGTH), square_and_progressive
)
FORMAT = Format(
    "omf",
    "OMF (.omf)",
    ".omf",
    ("2.1",),
    lambda head: False,
    read,
    write,
    read_path,
    write_to,
    matches_tail,
    spells=SPELLS,
    inside=Inside(tree_of, essence_stream, sounds_in, holds, expected_size, MOST_BYTES),
    settings=(
        "form",
        "bits",
        "sample_rate",
        "handles",
        "edit_rate",
        "fades",
        "container",
        "split",
        "levels",
        "pans",
        "by_stem",
    ),
)

__all__ = ["FORMAT", "essence_stream", "expected_size", "read", "read_path", "tree_of", "write", "write_to"]
