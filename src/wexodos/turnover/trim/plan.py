"""What of each medium goes along where only what is used shall, and why some go along whole."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from itertools import islice
from pathlib import Path

import numpy as np

from wexodos.footage.movie import Movie
from wexodos.footage.numbered import Numbered, numbered
from wexodos.footage.order import Orders
from wexodos.footage.source import PictureError
from wexodos.formats import WriteError
from wexodos.formats.numbering import pattern_of
from wexodos.ground import Progress, quiet
from wexodos.ground.files import reason
from wexodos.ground.remains import scratch
from wexodos.media import Row
from wexodos.media.needs import media_of
from wexodos.media.probe import Probed, probe
from wexodos.model import Angles, Document, Media, Sequence
from wexodos.sound.decode import blocks
from wexodos.sound.errors import SoundError
from wexodos.sound.pieces import stretch
from wexodos.timing import Exact, Rate, ceil, exact, floor
from wexodos.turnover.trim.cut import Cut, NotCut
from wexodos.turnover.trim.movie import MovieCut, movie_cut, on_grid
from wexodos.turnover.trim.sound import SoundCut, sound_cut

_TRIED = 2
"""Frames that are cut on trial, before it is said that a file can be."""
_FURTHER = 60
"""Frames by which a stretch may begin earlier so that a frame of the cut does there."""
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


@dataclass(frozen=True, slots=True)
class FilesCut:
    """A stretch of a numbered sequence: ``files`` of it, as they are; ``name`` is how it is written then,
    ``pattern`` what their names have in common."""

    source: Path
    first: int
    count: int
    files: tuple[Path, ...]
    name: str
    pattern: str

    @property
    def size(self) -> int:
        return sum(one.stat().st_size for one in self.files)


@dataclass(frozen=True, slots=True)
class Trim:
    """A stretch of a medium that is a medium of its own then: ``low`` and ``high`` are where it begins and
    ends, in seconds from the old one's first frame."""

    media: Media
    cut: MovieCut | SoundCut | FilesCut
    low: Exact
    high: Exact


@dataclass(slots=True)
class Trims:
    """The stretches of each medium by its old id, and why others go along whole, by their id."""

    cuts: dict[str, list[Trim]] = field(default_factory=dict)
    whole: dict[str, str] = field(default_factory=dict)


@dataclass(slots=True)
class _Used:
    """Where a medium is used: in seconds from its first frame, at the rate of the sequence; ``why`` it has
    to stay whole."""

    spans: list[tuple[Exact, Exact]] = field(default_factory=list)
    rate: Rate | None = None
    why: str = ""


def used_spans(cuts: Iterable[tuple[Document, Sequence]], sound: bool) -> dict[str, _Used]:
    """The stretches that sequences and their nests use of each medium; those that are only heard count where
    ``sound`` says so."""
    found: dict[str, _Used] = defaultdict(_Used)
    for document, sequence in cuts:
        for one in (sequence, *document.reachable(sequence)):
            for track in one.tracks:
                if track.kind == "audio" and not sound:
                    continue
                joins = {join.cut: join for join in track.transitions}
                for item in track.items:
                    for media_id, offset in media_of(item, track.kind):
                        used = found[media_id]
                        used.rate = used.rate or one.rate
                        if isinstance(item.content, Angles):
                            used.why = "it is an angle of a clip of several"
                        elif item.still:
                            used.why = "it stands as a still"
                        low, high = stretch(item, one.rate, joins)
                        # A frozen frame is one that has to be there.
                        high = max(high, exact(low + one.rate.seconds(1)))
                        used.spans.append((exact(low + offset), exact(high + offset)))
    return found


def trims(
    cuts: list[tuple[Document, Sequence]],
    rows: Iterable[Row],
    handles: Exact,
    sound: bool,
    progress: Progress = quiet,
    by_name: bool = False,
) -> Trims:
    """Say what of each medium goes along, with ``handles`` seconds on either side as far as it goes. Where
    the other side tells media by their names alone (``by_name``) each stays one. Each file is tried before it
    is promised. Raises what ``progress`` does."""
    used = used_spans(cuts, sound)
    made = Trims()
    known = {row.media.id: row for row in rows if row.path is not None and row.how != "inside"}
    current = {media.id: media for document, _ in cuts for media in document.media}
    for number, (key, row) in enumerate(known.items()):
        progress(f"looking into {row.media.file_name}", number / len(known))
        media, use = current.get(key), used.get(key)
        if media is None or use is None or row.facts is None or row.facts.still or media.still:
            continue
        try:
            found = _of(media, row.facts, row.path or Path(), use, handles, not sound, by_name)
        except (NotCut, PictureError) as error:
            made.whole[key] = str(error)
            continue
        if found:
            made.cuts[key] = found
    return made


def _of(
    media: Media, facts: Probed, path: Path, use: _Used, handles: Exact, beside: bool, by_name: bool
) -> list[Trim]:
    """The stretches of one medium; none where all of it is used. Where ``beside`` says so it stays itself
    for its sound."""
    if use.why:
        raise NotCut(use.why)
    if len(facts.parts) > 1:
        raise NotCut("it lies in several files")
    rate = media.rate or use.rate
    if rate is None or facts.length is None:
        raise NotCut("it does not say how long it is")
    there = floor(rate.frames(facts.length))
    wanted = _joined(
        (
            max(0, min(there - 1, floor(rate.frames(low - handles)))),
            max(1, min(there, ceil(rate.frames(high + handles)))),
        )
        for low, high in use.spans
    )
    if by_name:
        wanted = [(wanted[0][0], wanted[-1][1])]
    frames = numbered(path)
    grid = use.rate or rate
    while True:
        found = [_cut(path, frames, facts, rate, grid, low, high, media) for low, high in wanted]
        spans = [_frames(one, facts, rate) for one in found]
        again = _joined([*spans, *wanted])
        if len(again) == len(wanted):
            break
        wanted = again
    if len(spans) == 1 and spans[0][0] == 0 and spans[0][1] >= there:
        return []
    if frames is None:
        _try(path, facts, found[0])
    made = []
    for number, (one, (first, end)) in enumerate(zip(found, spans), 1):
        own = replace(
            media,
            id=media.id if number == 1 and not beside else f"{media.id}-part-{number}",
            start=(media.start or 0) + first,
            duration=end - first,
            rate=rate,
            uid=None,
        )
        made.append(Trim(own, one, rate.seconds(first), rate.seconds(end)))
    return made


def _joined(spans: Iterable[tuple[int, int]]) -> list[tuple[int, int]]:
    """Stretches of frames, those that overlap or touch as one."""
    made: list[tuple[int, int]] = []
    for low, high in sorted(spans):
        if made and low <= made[-1][1]:
            made[-1] = made[-1][0], max(made[-1][1], high)
        else:
            made.append((low, high))
    return made


def _cut(
    path: Path,
    frames: Numbered | None,
    facts: Probed,
    rate: Rate,
    grid: Rate,
    low: int,
    high: int,
    media: Media,
) -> MovieCut | SoundCut | FilesCut:
    # Begun where a frame of the cut does, places in it can be said as exactly as before.
    low = next((one for one in range(low, max(-1, low - _FURTHER), -1) if on_grid(one, rate, grid)), low)
    if frames is not None:
        return _files(path, frames, low, high)
    if facts.video:
        start = facts.start if facts.start is not None else media.start or 0
        drop = facts.drop_frame if facts.drop_frame is not None else bool(media.drop_frame)
        return movie_cut(path, low, high, rate, start, drop, facts.reel, grid)
    # A stretch begins where a frame and a sample do: so its place can be said in either.
    begin = low
    while begin and (rate.seconds(begin) * facts.sample_rate) % 1:
        begin -= 1
    return sound_cut(
        path, floor(rate.seconds(begin) * facts.sample_rate), ceil(rate.seconds(high) * facts.sample_rate)
    )


def _frames(cut: MovieCut | SoundCut | FilesCut, facts: Probed, rate: Rate) -> tuple[int, int]:
    """The first frame and that behind the last one of a stretch."""
    if isinstance(cut, SoundCut):
        low, high = (rate.frames(exact(one, facts.sample_rate)) for one in (cut.first, cut.first + cut.count))
        return floor(low), floor(high)
    return cut.first, cut.first + cut.count


def _files(path: Path, frames: Numbered, low: int, high: int) -> FilesCut:
    there = set(frames.numbers)
    # Its first number says where it begins, so that has to be there.
    first = next((n for n in range(frames.first + low, frames.first - 1, -1) if n in there), None)
    if first is None:
        raise NotCut("its first frames are missing")
    last = min(frames.first + high - 1, frames.last)
    kept = [number for number in frames.numbers if first <= number <= last]
    name = path.name
    written = pattern_of(name)
    if written is None:
        name = frames.pattern.name(kept[0])
    elif written.low is not None:
        digits = written.digits
        name = f"{written.head}[{kept[0]:0{digits}d}-{kept[-1]:0{digits}d}]{written.tail}"
    files = tuple(frames.folder / frames.pattern.name(number) for number in kept)
    return FilesCut(path, first - frames.first, kept[-1] - first + 1, files, name, frames.pattern.words)


def _try(path: Path, facts: Probed, cut: MovieCut | SoundCut | FilesCut) -> None:
    """Cut a little and hold it against the source: what the file says of itself, its first frames as they are
    seen, its first samples as they are heard. Raises ``NotCut``."""
    with scratch("trial") as folder:
        made = folder / f"trial{path.suffix}"
        little: Cut
        try:
            if isinstance(cut, MovieCut):
                little = movie_cut(
                    path, cut.first, cut.first + _TRIED, cut.rate, cut.start, cut.drop, cut.reel, cut.rate
                )
            elif isinstance(cut, SoundCut):
                little = sound_cut(path, cut.first, cut.first + min(cut.count, facts.sample_rate))
            else:
                return
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
    for name in Probed.__struct_fields__:
        if name in _NOT_SAME:
            continue
        before, after = getattr(source, name), getattr(made, name)
        if before != after and not (name == "drop_frame" and before is None):
            raise NotCut(
                f"its {name.replace('_', ' ')} would be {after or 'nothing'} instead of {before or 'nothing'}"
            )
    begins = (source.start or 0) + cut.first
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
    if isinstance(cut, MovieCut):
        first = floor(cut.rate.seconds(cut.first) * facts.sample_rate)
    for channel in range(1, facts.channels + 1):
        heard = [
            np.concatenate(list(islice(blocks(file, channel, place, _HEARD), 4096)))
            for file, place in ((path, first), (made, 0))
        ]
        if not np.array_equal(heard[0], heard[1]):
            raise NotCut("its sound would not be the same")
