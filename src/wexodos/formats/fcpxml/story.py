"""Where everything stands: the rule of offsets applied to spines, lanes, clips and gaps (3).

``abs(child) = abs(parent) + (child.offset - parent.start)``, all in exact frames of the sequence's rate from
its first frame: nearly always whole numbers, which are far cheaper than fractions of a second.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from wexodos.formats.errors import ReadError
from wexodos.formats.fcpxml.lexical import Element
from wexodos.formats.fcpxml.resources import frame_attribute
from wexodos.timing import Exact, Rate, exact

LEAVES = frozenset({"asset-clip", "video", "audio", "title", "caption", "ref-clip", "mc-clip"})
CONTAINERS = frozenset({"clip", "sync-clip"})
STORY = LEAVES | CONTAINERS | {"gap", "audition", "spine"}
MAX_DEPTH = 48


@dataclass(slots=True)
class Leaf:
    """Something seen or heard: its extent in frames and how the owner's local time becomes the leaf's.

    ``owner`` carries name, speed, motion and sound settings: the surrounding clip, or the element itself. At
    ``start`` the owner's local time is ``local``; the leaf's local time is the owner's (after its speed map)
    plus ``delta``.
    """

    element: Element
    owner: Element
    start: Exact
    duration: Exact
    local: Exact
    delta: Exact
    whole_local: Exact
    whole_start: Exact


@dataclass(slots=True)
class Join:
    """A transition of a storyline, in frames; ``cut`` where its neighbours meet."""

    element: Element
    start: Exact
    duration: Exact
    cut: Exact


@dataclass(slots=True)
class Unit:
    """Things that stay together on a track: a storyline's, or a single connected item.

    ``key`` is the list of lanes from the main line down: empty for the main line itself.
    """

    key: tuple[int, ...]
    leaves: list[Leaf] = field(default_factory=list)
    joins: list[Join] = field(default_factory=list)


@dataclass(slots=True)
class Mark:
    """A marker element with its owner's place; ``owner`` None for markers that stand on a gap."""

    element: Element
    owner: Element | None
    owner_abs: Exact
    owner_local: Exact
    owner_duration: Exact


class Story:
    """Walks a storyline and collects units and markers. Raises ``ReadError`` for negative lengths and broken
    times."""

    def __init__(self, natural: Callable[[Element], tuple[Exact, Exact]], rate: Rate, place: str) -> None:
        self.natural = natural
        self.rate = rate
        self.place = place
        self.units: list[Unit] = []
        self.marks: list[Mark] = []
        self.end: Exact = 0
        self.auditions: list[Element] = []
        self.unknown: list[Element] = []

    def _time(self, element: Element, name: str) -> Exact | None:
        return frame_attribute(element, name, self.rate, self.place)

    def spine(
        self, spine: Element, absolute: Exact, base: Exact, key: tuple[int, ...], depth: int = 0
    ) -> None:
        """Walk a storyline that begins at ``absolute``; its children's offsets count from ``base``."""
        if depth > MAX_DEPTH:
            raise ReadError("storylines are nested too deeply", self.place)
        unit = Unit(key)
        self.units.append(unit)
        cursor = base
        waiting: list[Element] = []
        for child in spine:
            if child.tag == "transition":
                waiting.append(child)
                continue
            if child.tag not in STORY:
                self._unknown(child, spine)
                continue
            offset = self._time(child, "offset")
            if offset is None:
                offset = cursor
            for join in waiting:
                self._join(
                    join, unit, absolute, base, cursor if len(unit.leaves) or cursor != base else offset
                )
            waiting.clear()
            start = exact(absolute + (offset - base))
            duration = self._place(child, start, key, unit, depth)
            cursor = exact(offset + duration)
            self.end = max(self.end, start + duration)
        for join in waiting:
            self._join(join, unit, absolute, base, cursor)

    def _join(self, element: Element, unit: Unit, absolute: Exact, base: Exact, cut: Exact) -> None:
        duration = self._time(element, "duration") or 0
        if duration < 0:
            raise ReadError(
                "a transition has a negative duration", f"{self.place}/{element.get('name') or 'transition'}"
            )
        offset = self._time(element, "offset")
        if offset is None:
            offset = cut - exact(duration, 2)
        if duration > 0:
            unit.joins.append(
                Join(element, exact(absolute + (offset - base)), duration, exact(absolute + (cut - base)))
            )

    def _times(self, element: Element) -> tuple[Exact, Exact]:
        """The effective (start, duration) of an element, defaults taken from what it refers to (3.3)."""
        start = self._time(element, "start")
        duration = self._time(element, "duration")
        if duration is not None and duration < 0:
            raise ReadError("the duration is negative", f"{self.place}/{element.get('name') or element.tag}")
        if start is None or duration is None:
            natural_start, natural_duration = (self.rate.frames(one) for one in self.natural(element))
            if duration is None:
                duration = natural_duration
            if start is None:
                inside = natural_start <= 0 < natural_start + natural_duration
                start = 0 if natural_start == 0 or inside else natural_start
        return start, duration

    def _place(
        self, element: Element, absolute: Exact, key: tuple[int, ...], unit: Unit, depth: int
    ) -> Exact:
        """Place one element and everything connected to it; return its duration."""
        if depth > MAX_DEPTH:
            raise ReadError("clips are nested too deeply", self.place)
        if element.tag == "audition":
            return self._audition(element, absolute, key, unit, depth)
        if element.tag == "spine":
            self.spine(element, absolute, 0, key, depth + 1)
            return 0
        start, duration = self._times(element)
        if element.tag in LEAVES:
            unit.leaves.append(Leaf(element, element, absolute, duration, start, 0, start, absolute))
            self.end = max(self.end, absolute + duration)
        elif element.tag in CONTAINERS:
            start = self._clip_start(element, start, duration)
            window = (start, start + duration)
            found: list[Leaf] = []
            self._contents(
                element, element, 0, window, absolute - start, found, depth, element.tag == "sync-clip"
            )
            unit.leaves.extend(found)
        for child in element:
            tag = child.tag
            if (
                tag in STORY
                and (child.get("lane") or "0").strip() not in ("0", "")
                and element.tag != "sync-clip"
            ):
                self._connected(child, absolute, start, key, depth)
            elif tag in ("marker", "chapter-marker"):
                owner = None if element.tag == "gap" else element
                self.marks.append(Mark(child, owner, absolute, start, duration))
        return duration

    def _connected(
        self, child: Element, absolute: Exact, start: Exact, key: tuple[int, ...], depth: int
    ) -> None:
        try:
            lane = int(child.get("lane") or "0")
        except ValueError:
            lane = 1
        offset = self._time(child, "offset")
        at = exact(absolute + ((start if offset is None else offset) - start))
        if child.tag == "spine":
            self.spine(child, at, 0, (*key, lane), depth + 1)
            return
        unit = Unit((*key, lane))
        self.units.append(unit)
        self._place(child, at, unit.key, unit, depth + 1)

    def _audition(
        self, element: Element, absolute: Exact, key: tuple[int, ...], unit: Unit, depth: int
    ) -> Exact:
        takes = [child for child in element if child.tag in STORY]
        self.auditions.append(element)
        return self._place(takes[0], absolute, key, unit, depth + 1) if takes else 0

    def _clip_start(self, element: Element, start: Exact, duration: Exact) -> Exact:
        """A clip without a start whose content lies elsewhere begins with its content (3.3)."""
        if element.get("start") is None:
            inner = [
                self._time(child, "offset")
                for child in element
                if child.tag in STORY and child.get("lane") is None
            ]
            first = next((offset for offset in inner if offset is not None), None)
            if first is not None and not 0 <= first < duration:
                return first
        return start

    def _contents(
        self,
        owner: Element,
        element: Element,
        base: Exact,
        window: tuple[Exact, Exact],
        shift: Exact,
        found: list[Leaf],
        depth: int,
        lanes: bool,
    ) -> None:
        """Collect the media inside a clip, cut by its window; ``base`` turns a child's offset into the
        owner's time."""
        if depth > MAX_DEPTH:
            raise ReadError("clips are nested too deeply", self.place)
        retimed = owner.find("timeMap") is not None
        for child in element:
            tag = child.tag
            if tag not in STORY or (
                element is owner and not lanes and (child.get("lane") or "0").strip() not in ("0", "")
            ):
                continue
            offset = self._time(child, "offset") or 0
            begin = base + offset
            if tag == "spine":
                self._contents(owner, child, begin, window, shift, found, depth + 1, True)
                continue
            if tag == "gap":
                said = self._time(child, "start")
                inside = begin - (offset if said is None else said)
                if said is None and self._all_outside(child, inside, window):
                    inside = begin
                self._contents(owner, child, inside, window, shift, found, depth + 1, True)
                continue
            if tag == "audition":
                self._contents(owner, child, base, window, shift, found, depth + 1, True)
                continue
            start, duration = self._times(child)
            if tag in CONTAINERS:
                start = self._clip_start(child, start, duration)
                limit = (max(window[0], begin), min(window[1], begin + duration))
                if limit[0] < limit[1]:
                    self._contents(owner, child, begin - start, limit, shift, found, depth + 1, True)
                continue
            low, high = window if retimed else (max(window[0], begin), min(window[1], begin + duration))
            if low < high:
                found.append(
                    Leaf(
                        child,
                        owner,
                        exact(low + shift),
                        exact(high - low),
                        low,
                        start - begin,
                        window[0],
                        window[0] + shift,
                    )
                )
            self._contents(owner, child, begin - start, window, shift, found, depth + 1, True)

    def _all_outside(self, gap: Element, inside: Exact, window: tuple[Exact, Exact]) -> bool:
        places = [self._time(child, "offset") or 0 for child in gap if child.tag in STORY]
        lengths = [self._times(child)[1] for child in gap if child.tag in LEAVES]
        return bool(places) and all(
            inside + at >= window[1] or inside + at + length <= window[0]
            for at, length in zip(places, lengths)
        )

    def _unknown(self, child: Element, parent: Element) -> None:
        if child.tag not in ("metadata", "note"):
            self.unknown.append(child)
