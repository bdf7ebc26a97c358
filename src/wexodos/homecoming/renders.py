"""Which event of the cut a rendered file is: by the sequence file that came with it, by timecode and reel, by
name and number, by its length. What speaks for it is said; a tie is asked, nothing is guessed."""

from __future__ import annotations

import re
from bisect import bisect_left
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from fractions import Fraction
from pathlib import Path
from types import MappingProxyType

from wexodos.formats.numbering import FRAME_SUFFIXES, frame_of, pattern_of
from wexodos.media import Probed
from wexodos.model import Document, Item, Media, MediaUse, Sequence
from wexodos.model.speed import Constant
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
    By.TOLD: 1000,
}
ENOUGH = 40
"""With less nothing is matched."""
CLEAR = 10
"""So much more than the next one has must speak for an event."""
_SLACK = Fraction(1, 2)
"""Frames that times may lie apart and be one."""


@dataclass(frozen=True, slots=True)
class Event:
    """A clip of the cut's pictures that can be rendered: its track, its number among all, counted from 1 in
    the order of time, and its medium; what it was called where it left as a shot by itself."""

    item: Item
    track: str
    number: int
    media: Media
    shot: str = ""


@dataclass(frozen=True, slots=True)
class Candidate:
    """An event a render may be of. ``head`` are the seconds of the render before the event's first frame, in
    its own time where the speed of the clip is still to be made (``by_source``)."""

    event: Event
    by: tuple[By, ...]
    head: Exact
    by_source: bool

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
    reason; ``missing`` are events that no render came for."""

    matched: list[Matched] = field(default_factory=list)
    asked: list[tuple[Probed, str, list[Candidate]]] = field(default_factory=list)
    without: list[tuple[Probed, str]] = field(default_factory=list)
    missing: list[Event] = field(default_factory=list)


def events(
    document: Document, sequence: Sequence, shots: Mapping[str, str] = MappingProxyType({})
) -> list[Event]:
    """The clips of a cut's pictures, in the order of time; ``shots`` are the names of shots by their
    items."""
    media = document.media_by_id
    found = []
    for label, track in sequence.labelled_tracks():
        if track.kind != "video" or not track.enabled:
            continue
        for item in track.items:
            content = item.content
            used = media.get(content.media) if isinstance(content, MediaUse) else None
            if used is not None and not used.synthetic and item.enabled:
                found.append((item.start, label, item, used))
    found.sort(key=lambda one: (one[0], one[1]))
    return [
        Event(item, label, place, used, shots.get(item.id, ""))
        for place, (_, label, item, used) in enumerate(found, 1)
    ]


def matching(
    document: Document,
    sequence: Sequence,
    renders: list[Probed],
    came: tuple[Document, Sequence] | None = None,
    said: Mapping[str, str] | None = None,
    shots: Mapping[str, str] = MappingProxyType({}),
) -> Matching:
    """Match renders to the events of a cut; ``came`` is the sequence that came with them, ``said`` the ids of
    items by the paths of the files a person said they are, ``shots`` what they were called where each left
    by itself."""
    there = events(document, sequence, shots)
    by_id = {one.item.id: one for one in there}
    told = _told(there, sequence, *came) if came is not None else {}
    # The number in the name of a shot is its own.
    counted = not shots and _counted(there, renders)
    index = _Index(there, sequence, told, counted)
    found = Matching()
    best: dict[str, list[tuple[Probed, Candidate]]] = defaultdict(list)
    for facts in renders:
        certain = by_id.get((said or {}).get(facts.path, ""))
        rows = [
            one
            for event in (index.near(facts) if certain is None else [certain])
            if (one := _candidate(event, facts, sequence, told, counted)) is not None
        ]
        if certain is not None:
            rows = [_said(certain, facts, sequence, rows)]
        rows = sorted((one for one in rows if one.score >= ENOUGH), key=lambda one: -one.score)
        if not rows:
            found.without.append((facts, "nothing speaks for an event of the cut"))
        elif len(rows) > 1 and rows[0].score - rows[1].score < CLEAR:
            near = [one for one in rows if rows[0].score - one.score < CLEAR]
            found.asked.append((facts, f"{len(near)} events could be it", near))
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


def _counted(there: list[Event], renders: list[Probed]) -> bool:
    """Whether the last number in the names of renders is that of the events: no two have one, all are
    there."""
    numbers = [_number(one) for one in renders]
    told = [one for one in numbers if one is not None]
    return len(told) == len(renders) == len(set(told)) and len(told) > 1 and max(told) <= len(there)


def _file(name: str) -> str:
    """A file name by which a sequence that came is held against a render: of single pictures their pattern,
    however it is written."""
    pattern, one = pattern_of(name), frame_of(name)
    if pattern is None and one is not None and Path(name).suffix.lower() in FRAME_SUFFIXES:
        pattern = one[0]
    return (pattern.words if pattern is not None else name).casefold()


def _stem(facts: Probed) -> str:
    """The name of a render without its suffix; of one in single pictures without the place of their number,
    where nothing else is left that of their folder."""
    path = Path(facts.path)
    pattern = pattern_of(path.name)
    if pattern is None:
        return path.stem
    return pattern.head.rstrip("._- ") or path.parent.name


def _number(facts: Probed) -> int | None:
    """The last number of a name that is no version."""
    stem = re.sub(r"[_ .-]?v\d+$", "", _stem(facts), flags=re.IGNORECASE)
    digits = re.findall(r"\d+", stem)
    return int(digits[-1]) if digits and len(digits[-1]) < 8 else None


def _version(facts: Probed) -> int:
    found = re.search(r"v(\d{1,6})$", _stem(facts), flags=re.IGNORECASE)
    return int(found.group(1)) if found is not None else 0


def _candidate(
    event: Event,
    facts: Probed,
    sequence: Sequence,
    told: dict[tuple[str, str], Exact],
    counted: bool,
) -> Candidate | None:
    """What speaks for a render being of an event; None where something speaks against it."""
    by: list[By] = []
    rate = sequence.rate
    length, start = facts.length, facts.start_seconds
    lasts, frame = Fraction(rate.seconds(event.item.duration)), Fraction(rate.seconds(1))
    if length is None or length + Fraction(rate.seconds(1)) * _SLACK < lasts * _slowest(event.item):
        # It does not hold what the cut shows.
        return None
    spare = Fraction(length) - lasts
    # As much before as behind, unless something says otherwise.
    head: Exact = max(0, exact(floor(spare / 2 * rate.fps) / Fraction(rate.fps)))
    by_source = False
    if start is not None:
        source, record = _source_seconds(event), Fraction(rate.seconds(sequence.start + event.item.start))
        slack = Fraction(rate.seconds(1)) * _SLACK
        before = Fraction(source) - start
        shown = lasts * _speed(event.item)
        if event.media.start is not None and before >= -slack and before + shown <= length + slack:
            by.append(By.TIMECODE)
            head, by_source = max(0, exact(before)), True
        elif record - start >= -slack and record - start + lasts <= length + slack:
            by.append(By.RECORD)
            head = max(0, exact(record - start))
    name = _stem(facts).casefold()
    said = told.get((_file(Path(facts.path).name), event.item.id))
    if said is not None:
        by.append(By.SEQUENCE)
        head, by_source = said, False
    if event.shot and _is_in(event.shot, name):
        by.append(By.SHOT)
    if any(_is_in(one, name) for one in _names(event)):
        by.append(By.NAME)
    if counted and _number(facts) == event.number:
        by.append(By.NUMBER)
    if event.media.reel and facts.reel and event.media.reel.casefold() == facts.reel.casefold():
        by.append(By.REEL)
    alike = {By.TIMECODE, By.RECORD, By.SEQUENCE} & set(by) and abs(spare - 2 * Fraction(head)) < frame
    if abs(spare) < frame or alike:
        by.append(By.LENGTH)
    if start and event.media.start and not {By.TIMECODE, By.RECORD, By.SEQUENCE} & set(by):
        # It says when it begins, and that is not when the event does: a name or a number alone is not enough.
        by = [one for one in by if one is not By.LENGTH]
        if len(by) < 2:
            return None
    return Candidate(event, tuple(by), head, by_source) if by else None


def _said(event: Event, facts: Probed, sequence: Sequence, rows: list[Candidate]) -> Candidate:
    """The candidate that a person said it is: as much before the event as behind it, where nothing says
    otherwise."""
    if rows:
        return replace(rows[0], by=(By.TOLD, *rows[0].by))
    rate = sequence.rate
    spare = Fraction(facts.length or 0) - Fraction(rate.seconds(event.item.duration))
    head = max(0, exact(floor(spare / 2 * rate.fps) / Fraction(rate.fps)))
    return Candidate(event, (By.TOLD,), head, False)


class _Index:
    """Which events something may speak for, without looking at all of them for every render."""

    def __init__(
        self, there: list[Event], sequence: Sequence, told: dict[tuple[str, str], Exact], counted: bool
    ) -> None:
        self._events, self._counted = there, counted
        self._by_name: dict[str, list[int]] = defaultdict(list)
        self._by_file: dict[str, list[int]] = defaultdict(list)
        source, record = [], []
        places = {event.item.id: place for place, event in enumerate(there)}
        for place, event in enumerate(there):
            for name in {_plain(one) for one in (*_names(event), event.shot)} - {""}:
                self._by_name[name].append(place)
            if event.media.start is not None:
                source.append((Fraction(_source_seconds(event)), place))
            record.append((Fraction(sequence.rate.seconds(sequence.start + event.item.start)), place))
        for file, item in told:
            self._by_file[file].append(places[item])
        self._times = sorted(source), sorted(record)
        self._frame = Fraction(sequence.rate.seconds(1))

    def near(self, facts: Probed) -> list[Event]:
        """The events whose timecode a render may hold, whose name or number its name has, or which a sequence
        says it is of."""
        found = set(self._by_file.get(_file(Path(facts.path).name), ()))
        words = _plain(_stem(facts)).split()
        for first in range(len(words)):
            for last in range(first + 1, len(words) + 1):
                found.update(self._by_name.get(" ".join(words[first:last]), ()))
        number = _number(facts)
        if self._counted and number is not None and 0 < number <= len(self._events):
            found.add(number - 1)
        start, length = facts.start_seconds, facts.length
        if start is not None and length is not None:
            for rows in self._times:
                low = bisect_left(rows, (Fraction(start) - self._frame, -1))
                high = bisect_left(rows, (Fraction(start) + Fraction(length) + self._frame, -1))
                found.update(place for _, place in rows[low:high])
        return [self._events[place] for place in sorted(found)]


def _names(event: Event) -> tuple[str, str, str]:
    """The names an event goes by."""
    return Path(event.media.file_name).stem, event.item.id, event.item.name


def _plain(name: str) -> str:
    """The words of a name, whatever stands between them."""
    return re.sub(r"[^a-z0-9]+", " ", name.casefold()).strip()


def _is_in(words: str, name: str) -> bool:
    """Whether a name holds words, whatever stands between them."""
    wanted = _plain(words)
    return bool(wanted) and f" {wanted} " in f" {_plain(name)} "


def _source_seconds(event: Event) -> Exact:
    """Where an event begins in the timecode of its source, in seconds."""
    media = event.media
    zero = media.rate.seconds(media.start or 0) if media.rate is not None else 0
    return exact(Fraction(zero) + Fraction(event.item.source_in))


def _speed(item: Item) -> Fraction:
    """How much of its source a clip shows in a second, at the most of what it shows."""
    return max(Fraction(0), Fraction(item.speed.rate)) if isinstance(item.speed, Constant) else Fraction(1)


def _slowest(item: Item) -> Fraction:
    """The least of its length that a render of a clip must have: it may be of the source before its speed."""
    speed = _speed(item)
    return min(Fraction(1), speed) if speed else Fraction(0)
