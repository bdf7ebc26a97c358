"""A little of each file is cut on trial, before it is promised that it can be."""

from __future__ import annotations

from itertools import islice
from pathlib import Path

import numpy as np

from wexodos.footage.movie import Movie
from wexodos.footage.order import Orders
from wexodos.footage.source import PictureError
from wexodos.formats import WriteError
from wexodos.ground import quiet
from wexodos.ground.files import reason
from wexodos.ground.remains import scratch
from wexodos.media.probe import Probed, probe
from wexodos.sound.decode import blocks
from wexodos.sound.errors import SoundError
from wexodos.timing import floor
from wexodos.turnover.trim.anew import CodedCut
from wexodos.turnover.trim.cut import Cut, NotCut
from wexodos.turnover.trim.movie import MovieCut
from wexodos.turnover.trim.plain import PlainCut

_TRIED = 2
"""Frames that are cut on trial, before it is said that a file can be."""
_HEARD = 2000
"""Samples of each channel that are held against the source then."""
_NOT_SAME = {
    "path",
    "size",
    "changed",
    "seconds",
    "start",
    "frames",
    "first",
    "last",
    "gaps",
    "parts",
    "problem",
}
"""What a stretch says of itself otherwise than its source; all else has to be the same."""


_CODING = {
    "codec",
    "profile",
    "chroma",
    "bits",
    "form",
    "sound_codec",
    "sample_bits",
    "sample_float",
    "rate",
    "streams",
}
"""And what says how it is coded, where that is done anew; it goes at the rate of the cut."""
_SAID = {
    ("range", "full", "narrow"),
    ("range", "", "narrow"),
    ("range", "narrow", ""),
    ("field_order", "", "progressive"),
    ("field_order", "progressive", ""),
}
"""What may be said or not be said then: codings between cutting and finishing are narrow."""
_STANDARD = 576
"""Lines up to which what says nothing of its matrix is of BT.601 by custom, BT.709 beyond."""
_ROUNDED = 1 / (1 << 23)
"""What a sample may differ by that was made one of 24 bits."""


def tried(path: Path, facts: Probed, cut: Cut) -> None:
    """Cut a little and hold it against the source: what the file says of itself, its first frames as they are
    seen, its first samples as they are heard. Raises ``NotCut``."""
    with scratch("trial") as folder:
        made = folder / f"trial{cut.suffix}"
        try:
            little = cut.head(_TRIED)
            little.write(made, quiet)
            refuse_otherwise(facts, probe(made), little)
            _look(path, made, little)
            _listen(path, made, facts, little)
        except OSError as error:
            raise NotCut(f"it cannot be tried: {reason(error)}") from None
        except (WriteError, SoundError, PictureError) as error:
            raise NotCut(str(error).replace(f"{made}: ", "").replace(f"{path}: ", "")) from None


def refuse_otherwise(source: Probed, made: Probed, cut: Cut) -> None:
    """Raise ``NotCut`` where a stretch says something else of itself than its source does."""
    if made.problem:
        raise NotCut(f"the stretch {made.problem}")
    free = _NOT_SAME | _CODING if cut.anew else _NOT_SAME
    for name in Probed.__struct_fields__:
        before, after = getattr(source, name), getattr(made, name)
        if name in free or before == after or (name == "drop_frame" and before is None):
            continue
        if cut.anew and (name, before, after) in _SAID:
            continue
        by_custom = source.height > _STANDARD or source.chroma == "RGB"
        if cut.anew and name == "matrix" and before in ("", "RGB") and after == "BT.709" and by_custom:
            continue
        raise NotCut(
            f"its {name.replace('_', ' ')} would be {after or 'nothing'} instead of {before or 'nothing'}"
        )
    begins = (source.start or 0) + cut.first
    if isinstance(cut, CodedCut | PlainCut):
        begins = cut.start + cut.first
    if (made.start if made.start is not None or source.start is not None else begins) != begins:
        raise NotCut("it would begin at another timecode")


def _look(path: Path, made: Path, cut: Cut) -> None:
    if not isinstance(cut, MovieCut):
        return
    orders = Orders()
    before, after = Movie(path, orders), Movie(made, orders)
    try:
        for number in range(min(cut.count, _TRIED)):
            seen = [
                movie.frame(frame, None).to_ndarray()
                for movie, frame in ((before, cut.first + number), (after, number))
            ]
            if seen[0].shape != seen[1].shape or not np.array_equal(seen[0], seen[1]):
                raise NotCut("its frames would not be the same")
    finally:
        before.close()
        after.close()


def _listen(path: Path, made: Path, facts: Probed, cut: Cut) -> None:
    if not facts.channels:
        return
    first = cut.first
    if isinstance(cut, MovieCut | CodedCut):
        first = floor(cut.rate.seconds(cut.first) * facts.sample_rate)
    for channel in range(1, facts.channels + 1):
        heard = [
            np.concatenate(list(islice(blocks(file, channel, place, _HEARD), 4096)))
            for file, place in ((path, first), (made, 0))
        ]
        if isinstance(cut, CodedCut | PlainCut):
            count = cut.count
            if isinstance(cut, CodedCut):
                count = floor(cut.rate.seconds(count) * facts.sample_rate)
            heard = [np.clip(one[:count], -1, 1) for one in heard]
        if not np.allclose(heard[0], heard[1], rtol=0, atol=_ROUNDED if cut.anew else 0):
            raise NotCut("its sound would not be the same")
