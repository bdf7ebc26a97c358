"""What of each medium goes along where only what is used shall, and why some go along whole."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Container, Iterable
from dataclasses import dataclass, field, replace
from pathlib import Path

from wexodos.footage.numbered import numbered
from wexodos.footage.source import PictureError, Source
from wexodos.ground import Progress, quiet
from wexodos.media import Row
from wexodos.media.needs import media_of
from wexodos.media.probe import Probed
from wexodos.model import Angles, Document, Media, Sequence
from wexodos.sound.errors import SoundError
from wexodos.sound.piece import stretch
from wexodos.timing import Exact, Rate, ceil, exact, floor
from wexodos.turnover.trim.anew import CodedCut, coded_cut
from wexodos.turnover.trim.cut import Coded, NotCut
from wexodos.turnover.trim.files import FilesCut, files_cut
from wexodos.turnover.trim.movie import MovieCut, movie_cut, on_grid
from wexodos.turnover.trim.plain import PlainCut, plain_cut
from wexodos.turnover.trim.recorded import Anew
from wexodos.turnover.trim.sound import SoundCut, sound_cut
from wexodos.turnover.trim.trial import tried

AnyCut = MovieCut | SoundCut | CodedCut | PlainCut | FilesCut
"""A stretch of a medium, as it is or coded anew."""
_FURTHER = 60
"""Frames by which a stretch may begin earlier so that a frame of the cut does there."""


@dataclass(frozen=True, slots=True)
class Trim:
    """A stretch of a medium that is a medium of its own then: ``low`` and ``high`` are where it begins and
    ends, in seconds from the old one's first frame."""

    media: Media
    cut: AnyCut
    low: Exact
    high: Exact


@dataclass(slots=True)
class Trims:
    """The stretches of each medium by its old id, and why others go along whole, by their id."""

    cuts: dict[str, list[Trim]] = field(default_factory=dict)
    whole: dict[str, str] = field(default_factory=dict)

    def anew(self, used: Container[str]) -> dict[str, str]:
        """As what media are coded anew, by their old id; only those of which a stretch is ``used``."""
        return {
            key: trim.cut.anew
            for key, found in self.cuts.items()
            for trim in found
            if trim.media.id in used and not isinstance(trim.cut, FilesCut) and trim.cut.anew
        }


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


@dataclass(frozen=True, slots=True)
class _Asked:
    """How media are wanted: ``handles`` seconds on either side; those stay themselves for their sound where
    it goes ``beside``; one stretch of each where they are told ``by_name``; what it takes to be coded
    ``anew``."""

    handles: Exact
    beside: bool
    by_name: bool
    anew: Anew


@dataclass(frozen=True, slots=True)
class _Medium:
    """A medium, its file, what that says of itself, and how it is used; it counts in ``rate``."""

    media: Media
    facts: Probed
    path: Path
    rate: Rate
    grid: Rate
    spans: list[tuple[Exact, Exact]]


def trims(
    cuts: list[tuple[Document, Sequence]],
    rows: Iterable[Row],
    handles: Exact,
    sound: bool,
    progress: Progress = quiet,
    by_name: bool = False,
    anew: Anew = Anew.NONE,
) -> Trims:
    """Say what of each medium goes along, with ``handles`` seconds on either side as far as it goes. Where
    the other side tells media by their names alone (``by_name``) each stays one. What cannot be cut as it is,
    or only at some of its frames, is coded ``anew``. Each file is tried before it is promised. Raises what
    ``progress`` does."""
    used = used_spans(cuts, sound)
    made = Trims()
    known = {row.media.id: row for row in rows if row.path is not None and row.how != "inside"}
    current = {media.id: media for document, _ in cuts for media in document.media}
    asked = _Asked(handles, not sound, by_name, anew)
    for number, (key, row) in enumerate(known.items()):
        progress(f"looking into {row.media.file_name}", number / len(known))
        media, use = current.get(key), used.get(key)
        if media is None or use is None or row.facts is None or row.facts.still or media.still:
            continue
        try:
            if use.why:
                raise NotCut(use.why)
            rate = media.rate or use.rate
            if rate is None or row.facts.length is None:
                raise NotCut("it does not say how long it is")
            one = _Medium(media, row.facts, row.path or Path(), rate, use.rate or rate, use.spans)
            found = _stretches(one, asked)
        except (NotCut, PictureError) as error:
            made.whole[key] = str(error)
            continue
        if found:
            made.cuts[key] = found
    return made


def _stretches(one: _Medium, asked: _Asked) -> list[Trim]:
    """The stretches of a medium, as they are or coded anew; none where all of it is used. Raises ``NotCut``,
    ``PictureError``."""
    if asked.anew is Anew.NONE:
        return _of(one, asked, _as_it_is)
    # Cut at every frame as it is that is best, then coded anew, then with more around it.
    intra = not one.facts.video or _intra(one.path)
    ways = (_as_it_is, _anew) if intra else (_anew, _as_it_is)
    reasons: list[str] = []
    for way in ways:
        try:
            return _of(one, asked, way)
        except (NotCut, SoundError) as error:
            reasons.append(f"coded anew {error}" if way is _anew else str(error))
            if not one.facts.video and not isinstance(error, Coded):
                break
    raise NotCut("; ".join(sorted(reasons, key=lambda words: words.startswith("coded anew"))))


def _intra(path: Path) -> bool:
    """Whether every frame of a file stands for itself; numbered pictures do."""
    if numbered(path) is not None:
        return True
    source = Source(path)
    try:
        return source.intra
    finally:
        source.close()


def _of(one: _Medium, asked: _Asked, cut: Callable[[_Medium, Anew, int, int], AnyCut]) -> list[Trim]:
    """The stretches of a medium as ``cut`` makes them; none where all of it is used."""
    media, rate = one.media, one.rate
    there = floor(rate.frames(one.facts.length or 0))
    wanted = _joined(
        (
            max(0, min(there - 1, floor(rate.frames(low - asked.handles)))),
            max(1, min(there, ceil(rate.frames(high + asked.handles)))),
        )
        for low, high in one.spans
    )
    if asked.by_name:
        wanted = [(wanted[0][0], wanted[-1][1])]
    while True:
        found = [cut(one, asked.anew, _on(one, low), high) for low, high in wanted]
        spans = [_frames(each, one.facts, rate) for each in found]
        again = _joined([*spans, *wanted])
        if len(again) == len(wanted):
            break
        wanted = again
    if len(spans) == 1 and spans[0][0] == 0 and spans[0][1] >= there:
        return []
    if not isinstance(found[0], FilesCut):
        tried(one.path, one.facts, found[0])
    made = []
    for number, (each, (first, end)) in enumerate(zip(found, spans), 1):
        own = replace(
            media,
            id=media.id if number == 1 and not asked.beside else f"{media.id}-part-{number}",
            start=(media.start or 0) + first,
            duration=end - first,
            rate=rate,
            uid=None,
        )
        made.append(Trim(own, each, rate.seconds(first), rate.seconds(end)))
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


def _on(one: _Medium, low: int) -> int:
    """Begun where a frame of the cut does, places in it can be said as exactly as before."""
    further = range(low, max(-1, low - _FURTHER), -1)
    return next((each for each in further if on_grid(each, one.rate, one.grid)), low)


def _as_it_is(one: _Medium, _anew: Anew, low: int, high: int) -> AnyCut:
    frames = numbered(one.path)
    if frames is not None:
        return files_cut(one.path, frames, low, high)
    if len(one.facts.parts) > 1:
        raise NotCut("it lies in several files")
    if one.facts.video:
        start, drop = _begins(one)
        return movie_cut(one.path, low, high, one.rate, start, drop, one.facts.reel, one.grid)
    return sound_cut(one.path, *_samples(one, low, high))


def _anew(one: _Medium, anew: Anew, low: int, high: int) -> AnyCut:
    start, drop = _begins(one)
    if one.facts.video:
        return coded_cut(one.path, low, high, one.rate, start, drop, one.facts.reel, anew)
    if one.facts.start is None:
        start = floor(one.rate.seconds(start) * one.facts.sample_rate)
    return plain_cut(one.path, *_samples(one, low, high), start)


def _begins(one: _Medium) -> tuple[int, bool]:
    """Where a file begins, in its own frames or samples, and whether that is counted with drop frames; as its
    cut says where it does not say so itself."""
    facts, media = one.facts, one.media
    start = facts.start if facts.start is not None else media.start or 0
    return start, facts.drop_frame if facts.drop_frame is not None else bool(media.drop_frame)


def _samples(one: _Medium, low: int, high: int) -> tuple[int, int]:
    """A stretch in samples: it begins where a frame and a sample do, so its place can be said in either."""
    rate, each = one.rate, one.facts.sample_rate
    while low and (rate.seconds(low) * each) % 1:
        low -= 1
    return floor(rate.seconds(low) * each), ceil(rate.seconds(high) * each)


def _frames(cut: AnyCut, facts: Probed, rate: Rate) -> tuple[int, int]:
    """The first frame and that behind the last one of a stretch."""
    if isinstance(cut, SoundCut | PlainCut):
        low, high = (rate.frames(exact(one, facts.sample_rate)) for one in (cut.first, cut.first + cut.count))
        return floor(low), floor(high)
    return cut.first, cut.first + cut.count
