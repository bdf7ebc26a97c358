"""Which event of the cut a rendered file is: by the sequence file that came with it, by timecode and reel, by
name and number, by its length, and by its picture where these leave a tie, contradict one another or say
nothing. What speaks for it is said; what is a tie then is asked, nothing is guessed."""

from __future__ import annotations

import re
from bisect import bisect_left
from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from fractions import Fraction
from pathlib import Path
from types import MappingProxyType

from wexodos.formats.numbering import FRAME_SUFFIXES, frame_of, pattern_of
from wexodos.homecoming.events import Event, events, is_in, plain
from wexodos.homecoming.naming import Scheme, learnt
from wexodos.homecoming.naming import said as said_scheme
from wexodos.media import Probed
from wexodos.model import Document, MediaUse, Sequence
from wexodos.timing import Exact, exact, floor


class By(StrEnum):
    """What speaks for a render."""

    SEQUENCE = "sequence"
    SHOT = "shot"
    NAME = "name"
    NUMBER = "number"
    TIMECODE = "timecode"
    RECORD = "record timecode"
    REEL = "reel"
    LENGTH = "length"
    PICTURE = "picture"
    TOLD = "what was said"


_WORTH = {
    By.SEQUENCE: 100,
    By.SHOT: 60,
    By.TIMECODE: 50,
    By.RECORD: 50,
    By.NAME: 40,
    By.NUMBER: 40,
    By.REEL: 15,
    By.LENGTH: 15,
    By.PICTURE: 60,
    By.TOLD: 1000,
}
ENOUGH = 40
"""With less nothing is matched."""
NO_EVENT = "nothing speaks for an event of the cut"
CLEAR = 10
"""So much more than the next one has must speak for an event."""
_SLACK = Fraction(1, 2)
"""Frames that times may lie apart and be one."""


@dataclass(frozen=True, slots=True)
class Candidate:
    """An event a render may be of. ``head`` are the seconds of the render before the event's first frame, in
    its own time where the speed of the clip is still to be made (``by_source``). ``doubtful``: it says
    another time, and too little speaks for it to be matched all the same."""

    event: Event
    by: tuple[By, ...]
    head: Exact
    by_source: bool
    doubtful: bool = False

    @property
    def score(self) -> int:
        return sum(_WORTH[one] for one in self.by)


@dataclass(frozen=True, slots=True)
class Matched:
    """A render and the event it is of."""

    facts: Probed
    found: Candidate

    @property
    def path(self) -> Path:
        return Path(self.facts.path)


@dataclass(slots=True)
class Matching:
    """What became of each render: ``asked`` with those it may be, ``without`` those of no event, with the
    reason; ``missing`` are events that no render came for; ``scheme`` is how their names are read."""

    matched: list[Matched] = field(default_factory=list)
    asked: list[tuple[Probed, str, list[Candidate]]] = field(default_factory=list)
    without: list[tuple[Probed, str]] = field(default_factory=list)
    missing: list[Event] = field(default_factory=list)
    scheme: Scheme | None = None


Tells = Callable[[Probed, list[Candidate]], Candidate | None]
"""Tells by its picture which of several events a render is of; None where nobody can say."""


def matching(
    document: Document,
    sequence: Sequence,
    renders: list[Probed],
    came: tuple[Document, Sequence] | None = None,
    said: Mapping[str, str] | None = None,
    shots: Mapping[str, str] = MappingProxyType({}),
    scheme: str = "",
    sight: Tells | None = None,
) -> Matching:
    """Match renders to the events of a cut; ``came`` is the sequence that came with them, ``said`` the ids of
    items by the paths of the files a person said they are, ``shots`` what they were called where each left
    by itself, ``scheme`` how a person says their names are to be read, ``sight`` what tells by pictures.
    Raises ``SchemeError``."""
    there = events(document, sequence, shots)
    by_id = {one.item.id: one for one in there}
    told = _told(there, sequence, *came) if came is not None else {}
    found = Matching(scheme=_scheme(there, renders, sequence, scheme, bool(shots)))
    index = _Index(there, sequence, told, found.scheme)
    best: dict[str, list[tuple[Probed, Candidate]]] = defaultdict(list)
    for facts in renders:
        certain = by_id.get((said or {}).get(facts.path, ""))
        near = index.near(facts) if certain is None else [certain]
        candidates = (_candidate(one, facts, sequence, told, found.scheme) for one in near)
        named = [one for one in candidates if one is not None]
        rows = [one for one in named if not one.doubtful]
        if certain is not None:
            best[certain.item.id].append((facts, _said(certain, facts, sequence, rows)))
            continue
        named = [one for one in named if one.score >= ENOUGH]
        rows = sorted((one for one in rows if one.score >= ENOUGH), key=lambda one: -one.score)
        tie = [one for one in rows if rows[0].score - one.score < CLEAR]
        seen = _seen(rows, tie, named, facts, there, sequence, sight) if sight is not None else None
        if seen is not None:
            best[seen.event.item.id].append((facts, replace(seen, by=(*seen.by, By.PICTURE))))
        elif not rows:
            found.without.append((facts, NO_EVENT))
        elif len(tie) > 1:
            found.asked.append((facts, f"{len(tie)} events could be it", tie))
        else:
            best[rows[0].event.item.id].append((facts, rows[0]))
    for versions in best.values():
        # Of two of one event the one more speaks for, then the newest, by its number or when it was made.
        versions.sort(key=lambda one: (one[1].score, _version(one[0]), one[0].changed))
        facts, candidate = versions.pop()
        found.matched.append(Matched(facts, candidate))
        name = Path(facts.path).name
        for older, other in versions:
            worse = other.score < candidate.score
            words = "fits the same event better" if worse else "is a newer one of the same event"
            found.without.append((older, f"{name} {words}"))
    found.matched.sort(key=lambda one: (one.found.event.item.start, one.found.event.track))
    done = {one.found.event.item.id for one in found.matched}
    done |= {one.event.item.id for _, _, rows in found.asked for one in rows}
    found.missing = [one for one in there if one.item.id not in done]
    return found


def _seen(
    rows: list[Candidate],
    tie: list[Candidate],
    named: list[Candidate],
    facts: Probed,
    there: list[Event],
    sequence: Sequence,
    sight: Tells,
) -> Candidate | None:
    """The event that the picture of a render says it is of, where that has to be asked: all else leaves a
    tie, contradicts itself – something speaks for others (``named``) that would be enough – or says
    nothing."""
    if len(tie) > 1:
        return sight(facts, tie)
    if not rows:
        return sight(facts, [_middle(one, facts, sequence) for one in there if _holds(one, facts, sequence)])
    # One is ahead, and something that would be enough speaks for another and not for it.
    against = [
        one
        for one in named
        if one.event is not rows[0].event
        and sum(_WORTH[way] for way in set(one.by) - set(rows[0].by) - {By.LENGTH}) >= ENOUGH
    ]
    return sight(facts, [rows[0], *against]) if against else None


def _scheme(
    there: list[Event], renders: list[Probed], sequence: Sequence, text: str, shots: bool
) -> Scheme | None:
    """How the names of renders are to be read. Raises ``SchemeError``."""
    stems = [stem_of(one) for one in renders]
    if text:
        return said_scheme(text, stems)
    if shots:
        # The number in the name of a shot is its own.
        return None

    def fits(place: int, event: Event) -> int:
        facts = renders[place]
        if not _holds(event, facts, sequence):
            return 0
        times = _times(event, facts, sequence)
        if not times.by and facts.start_seconds and event.media.start:
            return 0
        return 1 + (_spare(event, facts, sequence) < sequence.rate.seconds(1)) + 2 * len(times.by)

    return learnt(there, stems, fits)


def _told(
    there: list[Event], sequence: Sequence, came: Document, back: Sequence
) -> dict[tuple[str, str], Exact]:
    """What the sequence that came says: for a file name and an event how far into the file the event begins,
    in seconds."""
    media = came.media_by_id
    places: dict[tuple[Exact, Exact], list[Event]] = defaultdict(list)
    for event in there:
        places[event.item.start, event.item.duration].append(event)
    found = {}
    for label, track in back.labelled_tracks():
        if track.kind != "video":
            continue
        for item in track.items:
            used = media.get(item.content.media) if isinstance(item.content, MediaUse) else None
            if used is None:
                continue
            # Where it begins in record time, whatever timecode the sequence starts with.
            events_here = places.get((item.start, item.duration), [])
            events_here = [one for one in events_here if one.track == label] or events_here[:1]
            for event in events_here:
                found[_file(used.file_name), event.item.id] = item.source_in
    return found


def _file(name: str) -> str:
    """A file name by which a sequence that came is held against a render: of single pictures their pattern,
    however it is written."""
    pattern, one = pattern_of(name), frame_of(name)
    if pattern is None and one is not None and Path(name).suffix.lower() in FRAME_SUFFIXES:
        pattern = one[0]
    return (pattern.words if pattern is not None else name).casefold()


def is_an_event(there: list[Event], facts: Probed, sequence: Sequence) -> bool:
    """Whether a movie says by its name or its timecode that it is one of some events."""
    name = stem_of(facts).casefold()
    return any(
        any(is_in(one, name) for one in event.names) or By.TIMECODE in _times(event, facts, sequence).by
        for event in there
    )


def stem_of(facts: Probed) -> str:
    """The name of a render without its suffix; of one in single pictures without the place of their number,
    where nothing else is left that of their folder."""
    path = Path(facts.path)
    pattern = pattern_of(path.name)
    if pattern is None:
        return path.stem
    return pattern.head.rstrip("._- ") or path.parent.name


def _version(facts: Probed) -> int:
    found = re.search(r"v(\d{1,6})$", stem_of(facts), flags=re.IGNORECASE)
    return int(found.group(1)) if found is not None else 0


def _spare(event: Event, facts: Probed, sequence: Sequence) -> Fraction:
    """How many seconds longer a render is than its event."""
    return Fraction(facts.length or 0) - Fraction(sequence.rate.seconds(event.item.duration))


def _holds(event: Event, facts: Probed, sequence: Sequence) -> bool:
    """Whether a render is as long as it must be to hold what the cut shows of an event."""
    lasts = Fraction(sequence.rate.seconds(event.item.duration))
    slack = Fraction(sequence.rate.seconds(1)) * _SLACK
    return facts.length is not None and facts.length + slack >= lasts * event.slowest


@dataclass(frozen=True, slots=True)
class _Times:
    """What the timecode of a render says of an event: by which it is in it, and how far."""

    by: tuple[By, ...]
    head: Exact
    by_source: bool = False


def _times(event: Event, facts: Probed, sequence: Sequence) -> _Times:
    rate, start = sequence.rate, facts.start_seconds
    lasts, length = Fraction(rate.seconds(event.item.duration)), Fraction(facts.length or 0)
    if start is not None:
        record = Fraction(rate.seconds(sequence.start + event.item.start))
        slack = Fraction(rate.seconds(1)) * _SLACK
        before = Fraction(event.source_seconds) - start
        shown = lasts * event.speed
        if event.media.start is not None and before >= -slack and before + shown <= length + slack:
            return _Times((By.TIMECODE,), max(0, exact(before)), True)
        if record - start >= -slack and record - start + lasts <= length + slack:
            return _Times((By.RECORD,), max(0, exact(record - start)))
    # As much before as behind, unless something says otherwise.
    spare = _spare(event, facts, sequence)
    return _Times((), max(0, exact(floor(spare / 2 * rate.fps) / Fraction(rate.fps))))


def _candidate(
    event: Event,
    facts: Probed,
    sequence: Sequence,
    told: dict[tuple[str, str], Exact],
    scheme: Scheme | None,
) -> Candidate | None:
    """What speaks for a render being of an event; None where nothing does, or it is too short."""
    if not _holds(event, facts, sequence):
        return None
    times = _times(event, facts, sequence)
    by, head, by_source = list(times.by), times.head, times.by_source
    stem = stem_of(facts)
    name = stem.casefold()
    came = told.get((_file(Path(facts.path).name), event.item.id))
    if came is not None:
        by.append(By.SEQUENCE)
        head, by_source = came, False
    if event.shot and is_in(event.shot, name):
        by.append(By.SHOT)
    if scheme is not None and scheme.said:
        if scheme.is_of(stem, event):
            by.append(By.NAME)
    elif any(is_in(one, name) for one in event.names):
        by.append(By.NAME)
    if scheme is not None and scheme.number(stem) == event.number:
        by.append(By.NUMBER)
    if event.media.reel and facts.reel and event.media.reel.casefold() == facts.reel.casefold():
        by.append(By.REEL)
    frame = Fraction(sequence.rate.seconds(1))
    spare = _spare(event, facts, sequence)
    timed = {By.TIMECODE, By.RECORD, By.SEQUENCE} & set(by)
    if abs(spare) < frame or (timed and abs(spare - 2 * Fraction(head)) < frame):
        by.append(By.LENGTH)
    doubtful = False
    if facts.start_seconds and event.media.start and not timed:
        # It says when it begins, and that is not when the event does: a name or a number alone is not enough.
        by = [one for one in by if one is not By.LENGTH]
        doubtful = len(by) < 2
    return Candidate(event, tuple(by), head, by_source, doubtful) if by else None


def _middle(event: Event, facts: Probed, sequence: Sequence) -> Candidate:
    """An event nothing speaks for: as much before it as behind it."""
    times = _times(event, facts, sequence)
    return Candidate(event, (), times.head, times.by_source)


def _said(event: Event, facts: Probed, sequence: Sequence, rows: list[Candidate]) -> Candidate:
    """The candidate that a person said it is: as much before the event as behind it, where nothing says
    otherwise."""
    one = rows[0] if rows else replace(_middle(event, facts, sequence), by_source=False)
    return replace(one, by=(By.TOLD, *one.by))


class _Index:
    """Which events something may speak for, without looking at all of them for every render."""

    def __init__(
        self,
        there: list[Event],
        sequence: Sequence,
        told: dict[tuple[str, str], Exact],
        scheme: Scheme | None,
    ) -> None:
        self._events, self._scheme = there, scheme
        self._by_name: dict[str, list[int]] = defaultdict(list)
        self._by_file: dict[str, list[int]] = defaultdict(list)
        source, record = [], []
        places = {event.item.id: place for place, event in enumerate(there)}
        for place, event in enumerate(there):
            for name in {plain(one) for one in (*event.names, event.shot)} - {""}:
                self._by_name[name].append(place)
            if event.media.start is not None:
                source.append((Fraction(event.source_seconds), place))
            record.append((Fraction(sequence.rate.seconds(sequence.start + event.item.start)), place))
        for file, item in told:
            self._by_file[file].append(places[item])
        self._times = sorted(source), sorted(record)
        self._frame = Fraction(sequence.rate.seconds(1))

    def near(self, facts: Probed) -> list[Event]:
        """The events whose timecode a render may hold, whose name or number its name has, or which a sequence
        says it is of."""
        found = set(self._by_file.get(_file(Path(facts.path).name), ()))
        words = plain(stem_of(facts)).split()
        for first in range(len(words)):
            for last in range(first + 1, len(words) + 1):
                found.update(self._by_name.get(" ".join(words[first:last]), ()))
        number = self._scheme.number(stem_of(facts)) if self._scheme is not None else None
        if number is not None and 0 < number <= len(self._events):
            found.add(number - 1)
        start, length = facts.start_seconds, facts.length
        if start is not None and length is not None:
            for rows in self._times:
                low = bisect_left(rows, (Fraction(start) - self._frame, -1))
                high = bisect_left(rows, (Fraction(start) + Fraction(length) + self._frame, -1))
                found.update(place for _, place in rows[low:high])
        return [self._events[place] for place in sorted(found)]
