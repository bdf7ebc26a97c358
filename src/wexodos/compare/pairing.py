"""Two sequences that belong together held against each other: the left and the right eye, two languages or
two lengths of one cut.

What is the same of both is learnt from them: by how much the one stands later, which medium of the one goes
with which of the other, by how much the timecodes of two cameras lie apart, how far one is moved across.
What is otherwise is a row: an edit that was rolled is one, an item that is longer is one and takes what
follows along.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from enum import StrEnum
from fractions import Fraction

import numpy as np

from wexodos.compare.partners import Match, Together, clock_keys, starts
from wexodos.evaluate.curves import curve_values
from wexodos.ground.errors import ReadError
from wexodos.model import (
    Constant,
    Document,
    Item,
    Media,
    Motion,
    Sequence,
    Track,
    Transition,
)
from wexodos.model.speed import average, source_at
from wexodos.timing import Exact, Timecode, exact, floor

_ENOUGH = 2
"""So many others must say the same of two cameras."""
_PIXELS, _SHARE, _TURN = Fraction(1, 2), Fraction(2, 1000), Fraction(1, 20)
"""What lies nearer, in pixels, parts and degrees, is the same."""


class Apart(StrEnum):
    """How two sequences differ that should be a pair."""

    CUT = "cut"
    SOURCE = "source"
    SPEED = "speed"
    LENGTH = "length"
    SIZING = "sizing"
    MISSING = "missing"


@dataclass(frozen=True, slots=True)
class PairRow:
    """Something that is otherwise: what, where in the left one (its frames), on which track, and what
    stands on either side in words; the items."""

    what: Apart
    at: Exact
    track: str
    left: str
    right: str
    left_item: Item | None = None
    right_item: Item | None = None


@dataclass(slots=True)
class Pair:
    """Two sequences held against each other. ``offset`` is by how many frames the right one stands later,
    ``partners`` which medium of the right goes with which of the left where their keys do not say it,
    ``apart`` by how many seconds the source timecodes of two media, of two cameras and of all lie apart,
    ``moved`` how far the pictures of the right one stand from those of the left one, in pixels."""

    offset: Exact
    rows: list[PairRow]
    matches: dict[str, list[Match]] = field(default_factory=dict)
    partners: dict[str, str] = field(default_factory=dict)
    apart: dict[tuple[str, ...], Exact] = field(default_factory=dict)
    moved: tuple[Fraction, Fraction] = (Fraction(0), Fraction(0))

    def clock(self, one: Media, other: Media) -> Exact | None:
        """By how many seconds the timecode of ``other`` is later than that of ``one`` at the same moment;
        None where nothing tells."""
        return next((self.apart[key] for key in clock_keys(one, other) if key in self.apart), None)


def paired(left_of: Document, left: Sequence, right_of: Document, right: Sequence) -> Pair:
    """Hold two sequences against each other. Raises ``ReadError`` where they have no frames in common."""
    if left.rate != right.rate:
        words = f"the left one has {left.rate.label()} frames a second, the right one {right.rate.label()}"
        raise ReadError(f"{words}: they have no frames in common", "", right.name)
    made = _Pairing(left_of, left, right_of, right)
    return made.pair()


class _Pairing:
    def __init__(self, left_of: Document, left: Sequence, right_of: Document, right: Sequence) -> None:
        self.left, self.right = left, right
        self.together = Together(left_of, left, right_of, right)
        self.offset = self.together.offset
        self.apart: dict[tuple[str, ...], Exact] = {}
        self.rows: list[PairRow] = []

    def pair(self) -> Pair:
        tracks = self.together.tracks
        matches = {label: self.together.matches(*sides) for label, *sides in tracks}
        for label, *sides in tracks:
            matches[label] = list(self._edits(label, matches[label], *sides))
        everything = [
            (label, one) for label, each in matches.items() for one in each if one.left and one.right
        ]
        self._sources(everything)
        self._speeds(everything)
        moved = self._sizings(everything)
        if self.left.frame_size != self.right.frame_size:
            one, other = ("×".join(map(str, each.frame_size)) for each in (self.left, self.right))
            self.rows.append(PairRow(Apart.SIZING, 0, "", f"frame {one}", f"frame {other}"))
        order = list(Apart)
        self.rows.sort(key=lambda row: (row.at, row.track, order.index(row.what)))
        return Pair(self.offset, self.rows, matches, self.together.partners, self.apart, moved)

    # ---- edits

    def _edits(self, label: str, matches: list[Match], one: Track, other: Track) -> Iterator[Match]:
        """Tell what is otherwise about the edits of a track; give the matches with where the right one
        stands."""
        shift: Exact = self.offset
        joins = [{join.cut: join for join in track.transitions} for track in (one, other)]
        for at, match in enumerate(matches):
            left, right = match.left, match.right
            if left is None or right is None:
                item = left or right
                assert item is not None
                shift = self._missing(label, match, item, shift, matches, at)
                yield replace(match, shift=shift, other_shift=shift)
                continue
            here = shift
            begin, end = right.start - left.start - shift, right.end - left.end - shift
            follower = self._begins(matches, at + 1)
            if begin and not self._touches(matches, at):
                self._add(
                    Apart.CUT, left.start, label, *self._edge_words(left.start, right.start), left, right
                )
                if end == begin:
                    # It stands elsewhere as a whole, alone or with all behind it.
                    here = shift + begin
                    shift = here if follower == here else shift
                    end = right.end - left.end - here
            if end:
                touching = self._touches(matches, at + 1)
                after = matches[at + 1] if touching else None
                goes_along = (
                    self._ends(after) == shift + end if after is not None else follower == shift + end
                )
                if after is not None and not goes_along:
                    words = self._edge_words(left.end, right.end)
                    self._add(Apart.CUT, left.end, label, *words, after.left, after.right)
                else:
                    words = self._long(left.duration), self._long(right.duration)
                    self._add(Apart.LENGTH, left.start, label, *words, left, right)
                    shift = shift + end if goes_along else shift
                    self._joins(label, left, right, joins)
                    yield replace(match, shift=here, other_shift=here + end)
                    continue
            self._joins(label, left, right, joins)
            yield replace(match, shift=here, other_shift=here)

    @staticmethod
    def _begins(matches: list[Match], at: int) -> Exact | None:
        """By how much later the next pair begins on the right."""
        for one in matches[at:]:
            if one.left is not None and one.right is not None:
                return one.right.start - one.left.start
        return None

    @staticmethod
    def _ends(match: Match) -> Exact | None:
        if match.left is None or match.right is None:
            return None
        return match.right.end - match.left.end

    def _touches(self, matches: list[Match], at: int) -> bool:
        """Whether on both sides the item before ends where this one begins."""
        if not 0 < at < len(matches):
            return False
        before, now = matches[at - 1], matches[at]
        if not (before.left and before.right and now.left and now.right):
            return False
        return before.left.end == now.left.start and before.right.end == now.right.start

    def _missing(
        self, label: str, match: Match, item: Item, shift: Exact, matches: list[Match], at: int
    ) -> Exact:
        """Tell that an item has no partner; where what follows closed up over it, that is no row of its
        own."""
        place = item.start if match.left is not None else item.start - shift
        name = f"{item.name or item.kind}, {self._long(item.duration)}"
        words = (name, "nothing") if match.left is not None else ("nothing", name)
        self._add(Apart.MISSING, place, label, *words, match.left, match.right)
        behind = next((one for one in matches[at + 1 :] if one.left and one.right), None)
        by = -item.duration if match.left is not None else item.duration
        if behind is not None and behind.left is not None and behind.right is not None:
            now = behind.right.start - behind.left.start
            if now == shift + by:
                return now
        return shift

    def _joins(self, label: str, left: Item, right: Item, joins: list[dict[Exact, Transition]]) -> None:
        """Transitions at the beginning of two items that are not the same."""
        one, other = joins[0].get(left.start), joins[1].get(right.start)
        words = tuple(_join_words(each) for each in (one, other))
        if words[0] != words[1]:
            self._add(Apart.CUT, left.start, label, words[0], words[1], left, right)

    # ---- what is seen

    def _sources(self, matches: list[tuple[str, Match]]) -> None:
        """Sources of which the timecodes, or the names, do not pair."""
        rows: list[tuple[str, Match, set[Exact], list[tuple[str, ...]]]] = []
        votes: dict[tuple[str, ...], Counter[Exact]] = defaultdict(Counter)
        for label, match in matches:
            left, right = match.left, match.right
            assert left is not None and right is not None
            one, other = self.together.medium(left, 0), self.together.medium(right, 1)
            if one is None or other is None or one.still or other.still:
                continue
            keys = clock_keys(one, other)
            apart = self._apart(match, one, other, match.shift)
            for key in keys:
                votes[key][apart] += 1
            rows.append((label, match, {apart, self._apart(match, one, other, match.other_shift)}, keys))
        self.apart = {key: each for key, votes_of in votes.items() if (each := _agreed(votes_of)) is not None}
        for label, match, either, keys in rows:
            wanted = next((self.apart[key] for key in keys if key in self.apart), None)
            left, right = match.left, match.right
            assert left is not None and right is not None
            name = self.together.partner(self.together.key(left, 0))
            other_take = name != self.together.key(right, 1)
            if other_take or (wanted is not None and wanted not in either):
                self._add(
                    Apart.SOURCE,
                    left.start,
                    label,
                    self._source(left, 0),
                    self._source(right, 1),
                    left,
                    right,
                )

    def _apart(self, match: Match, one: Media, other: Media, shift: Exact) -> Exact:
        """By how many seconds the source timecode of the right one is later at the same moment of the cut,
        to the frame."""
        left, right = match.left, match.right
        assert left is not None and right is not None
        rate = self.left.rate
        place = right.start - shift - left.start
        here, _ = source_at(left.speed, left.source_in, place, rate)
        there = (
            right.source_in if isinstance(right.speed, Constant) else source_at(right.speed, 0, 0, rate)[0]
        )
        begun = Fraction(starts(other)) - Fraction(starts(one))
        frames = (Fraction(there) - Fraction(here) + begun) * Fraction(rate.fps)
        return exact(Fraction(floor(frames + Fraction(1, 2))) / Fraction(rate.fps))

    def _source(self, item: Item, side: int) -> str:
        media = self.together.medium(item, side)
        assert media is not None
        rate = media.rate or self.left.rate
        begin = item.source_in if isinstance(item.speed, Constant) else source_at(item.speed, 0, 0, rate)[0]
        code = media.timecode(floor(rate.frames(begin)))
        return (
            f"{media.file_name} {code}"
            if code is not None
            else f"{media.file_name} frame {floor(rate.frames(begin))}"
        )

    def _speeds(self, matches: list[tuple[str, Match]]) -> None:
        for label, match in matches:
            left, right = match.left, match.right
            assert left is not None and right is not None
            one, other = (average(each.speed, each.duration, self.left.rate) for each in (left, right))
            if abs(Fraction(one) - Fraction(other)) > Fraction(1, 1000):
                words = tuple(f"{float(each) * 100:.4g} %" for each in (one, other))
                self._add(Apart.SPEED, left.start, label, words[0], words[1], left, right)
            elif type(left.speed) is not type(right.speed):
                words = tuple(
                    "steady" if isinstance(one.speed, Constant) else "a ramp" for one in (left, right)
                )
                self._add(Apart.SPEED, left.start, label, words[0], words[1], left, right)

    def _sizings(self, matches: list[tuple[str, Match]]) -> tuple[Fraction, Fraction]:
        """Places and sizes that differ by other than all do: the eyes may be moved apart; gives by how
        much."""
        usual = Counter(self._moved(match) for _, match in matches).most_common(1)
        by, count = usual[0] if usual else ((Fraction(0), Fraction(0)), 0)
        if count * 2 <= len(matches):
            by = Fraction(0), Fraction(0)
        for label, match in matches:
            left, right = match.left, match.right
            assert left is not None and right is not None
            for place in (0, left.duration / Fraction(2)):
                one, other = _stands(left, place), _stands(right, place)
                away = max(abs(other[at] - one[at] - by[at]) for at in (0, 1))
                larger = max(abs(other[at] - one[at]) for at in (2, 3, 5, 6, 7, 8, 9))
                if away > _PIXELS or larger > _SHARE or abs(other[4] - one[4]) > _TURN:
                    self._add(
                        Apart.SIZING, left.start, label, _stand_words(one), _stand_words(other), left, right
                    )
                    break
        return by

    @staticmethod
    def _moved(match: Match) -> tuple[Fraction, Fraction]:
        assert match.left is not None and match.right is not None
        one, other = _stands(match.left, 0), _stands(match.right, 0)
        return round((other[0] - one[0]) * 4) / Fraction(4), round((other[1] - one[1]) * 4) / Fraction(4)

    # ---- words

    def _add(
        self, what: Apart, at: Exact, track: str, left: str, right: str, one: Item | None, other: Item | None
    ) -> None:
        self.rows.append(PairRow(what, at, track, left, right, one, other))

    def _edge_words(self, left: Exact, right: Exact) -> tuple[str, str]:
        return str(self.left.timecode(floor(left))), str(self.right.timecode(floor(right)))

    def _long(self, frames: Exact) -> str:
        return f"{float(frames):g} frames ({Timecode(floor(frames), self.left.rate)})"


def _join_words(join: Transition | None) -> str:
    return f"{join.type} of {float(join.duration):g} frames" if join is not None else "cut"


def _agreed(votes: Counter[Exact]) -> Exact | None:
    """What most say; None where too few do."""
    (most, count), total = votes.most_common(1)[0], sum(votes.values())
    return most if count > _ENOUGH and count * 2 > total else None


def _stands(item: Item, place: Exact) -> tuple[Fraction, ...]:
    """Where an item stands at a time: place, size, turn, what is cropped, how much is seen."""
    motion = item.motion or Motion()
    curves = motion.position, motion.scale, motion.rotation, motion.crop, motion.opacity
    at = np.asarray([float(place)])
    found: list[Fraction] = []
    for curve in curves:
        found += [Fraction(float(one)).limit_denominator(100_000) for one in curve_values(curve, at)[0]]
    return tuple(found)


def _stand_words(values: tuple[Fraction, ...]) -> str:
    x, y, across, down, turn = (float(one) for one in values[:5])
    size = (
        f"{across * 100:.4g} %" if abs(across - down) < 1e-6 else f"{across * 100:.4g} × {down * 100:.4g} %"
    )
    turned = f", turned {turn:.4g}°" if turn else ""
    cropped = ", cropped" if any(values[5:9]) else ""
    seen = f", opacity {float(values[9]) * 100:.4g} %" if values[9] != 1 else ""
    return f"{x:+.4g}, {y:+.4g} px, {size}{turned}{cropped}{seen}"
