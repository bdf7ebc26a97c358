"""AAF (``aaf``): compositions, masters, files and reels. Reads what the edit protocol and two families write;
writes 1.1."""

from dataclasses import replace

from wexodos.formats.aaf.filling import holds, sounds_in
from wexodos.formats.aaf.reader import essence_stream, matches, read, read_path, tree_of
from wexodos.formats.aaf.silent import silence
from wexodos.formats.aaf.writer import write, write_to
from wexodos.formats.mobs.spells import MOBS
from wexodos.formats.protocol import Format, Inside

silence()
FORMAT = Format(
    "aaf",
    "AAF (.aaf)",
    ".aaf",
    ("1.1",),
    matches,
    read,
    write,
    read_path,
    write_to,
    spells=replace(MOBS, reference=True, sequence_fields=frozenset({"metadata"})),
    inside=Inside(tree_of, essence_stream, lambda path, _structure: sounds_in(path), holds),
    settings=(
        "sound",
        "form",
        "bits",
        "sample_rate",
        "handles",
        "edit_rate",
        "fades",
        "reference",
        "levels",
        "pans",
        "by_stem",
    ),
)

__all__ = ["FORMAT", "essence_stream", "read", "read_path", "tree_of", "write", "write_to"]
