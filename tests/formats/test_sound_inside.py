"""Sound that stands in an exchange file itself: whose it is, and that none of it goes unheard."""

from __future__ import annotations

import io
from pathlib import Path

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.formats.aaf import tree_of
from wexodos.formats.mobs import tree
from wexodos.formats.mobs.reading import document_of
from wexodos.model import Document, Embedded, Item, Media, MediaUse, Sequence, Sound, Track
from wexodos.timing import Rate

PAL = Rate(25)


def test_a_stream_belongs_to_its_medium_and_one_of_nobody_is_told(tmp_path: Path) -> None:
    media = Media(
        "m", "Kiln.wav", "/Kiln.wav", duration=100, rate=PAL, channels=1, sample_rate=48_000, audio=True
    )
    item = Item("i", "Kiln", 0, 80, MediaUse("m"), sound=Sound((1,)))
    cut = Sequence("s", "Kiln Night", PAL, sample_rate=48_000, tracks=(Track("audio", (item,)),))
    document = Document("xmeml", "5", (cut,), (media,))
    path = tmp_path / "cut.aaf"
    path.write_bytes(carry_over(document, cut, find_destination("finishing-aaf")).data)
    file = tree_of(path)
    (key,) = [one.id for one in file.mobs.values() if one.descriptor is not None and one.descriptor.sound]
    for one in (key, "somebody else's"):
        file.essence[one] = tree.Essence(one, "pcm", 2, lambda: io.BytesIO(bytes(2)))
    read = document_of(file, "aaf")
    assert [one.embedded for one in read.media] == [Embedded(((1, key),))]
    told = [(one.where, one.text) for one in read.notes if "stands in the file" in one.text]
    assert told == [("somebody else's", "its sound stands in the file, and nothing plays it")]
