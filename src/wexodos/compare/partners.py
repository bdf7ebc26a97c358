"""What of two sequences that should be a pair belongs together: their media, their items, by how much the one
stands later."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from dataclasses import dataclass
from difflib import SequenceMatcher

from wexodos.model import Document, Item, Media, MediaUse, Sequence, Title, Track
from wexodos.timing import Exact, absolute

_SIDES = re.compile(r"(?i)(?<![a-z])(left|right|l|r|le|re)(?![a-z])")


@dataclass(frozen=True, slots=True)
class Match:
    """An item and its partner; one of them is None where the other has none. ``shift`` is by how many
    frames the right one stands later here, ``other_shift`` the same at its end, where it is longer."""

    left: Item | None
    right: Item | None
    shift: Exact = 0
    other_shift: Exact = 0


class Together:
    """What of two sequences belongs together: ``tracks`` their picture tracks, ``offset`` by how many frames
    the right one stands later, ``partners`` which key of the right goes with which of the left."""

    def __init__(self, left_of: Document, left: Sequence, right_of: Document, right: Sequence) -> None:
        self.left, self.right = left, right
        self.media = left_of.media_by_id, right_of.media_by_id
        self.tracks = self._tracks()
        self.offset = self._offset()
        self.partners = self._learnt()

    def _tracks(self) -> list[tuple[str, Track, Track]]:
        """The picture tracks of both, from the bottom up; one that the other has not is empty there."""
        one, other = self.left.video_tracks, self.right.video_tracks
        empty = Track("video", ())
        return [
            (f"V{at + 1}", one[at] if at < len(one) else empty, other[at] if at < len(other) else empty)
            for at in range(max(len(one), len(other)))
        ]

    def _offset(self) -> Exact:
        """By how many frames the right one stands later at its beginning: what several edits of the same
        sources agree on, and the earliest first."""
        starts: dict[Exact, list[Exact]] = defaultdict(list)
        for one, other in zip(self.left.video_tracks, self.right.video_tracks):
            ours, theirs = (
                [(self.key(item, side), item.start) for item in track.items]
                for side, track in enumerate((one, other))
            )
            shared = {key for key, _ in ours} & {key for key, _ in theirs}
            for key, here in ours:
                for other_key, there in theirs:
                    if key == other_key or not shared:
                        starts[there - here].append(here)
        most = max((len(each) for each in starts.values()), default=0)
        good = {by: min(each) for by, each in starts.items() if len(each) >= min(most, max(2, most / 20))}
        return min(good, key=lambda by: (good[by], absolute(by)), default=0)

    def key(self, item: Item, side: int) -> str:
        """What an item is of, without the side in its name."""
        content = item.content
        if isinstance(content, Title):
            return "title"
        media = self.medium(item, side)
        return media_key(media) if media is not None else _plain(item.name) or item.kind

    def medium(self, item: Item, side: int) -> Media | None:
        return self.media[side].get(item.content.media) if isinstance(item.content, MediaUse) else None

    def _learnt(self) -> dict[str, str]:
        """Which of the right goes with which of the left, where their names do not say it: what most often
        stands at the same place."""
        there = {self.key(item, 1) for _, _, track in self.tracks for item in track.items}
        votes: dict[str, Counter[str]] = defaultdict(Counter)
        for _, one, other in self.tracks:
            by_start = {item.start - self.offset: item for item in other.items}
            for item in one.items:
                partner = by_start.get(item.start)
                key = self.key(item, 0)
                if partner is not None and key not in there:
                    votes[key][self.key(partner, 1)] += 1
        return {key: each.most_common(1)[0][0] for key, each in votes.items()}

    def partner(self, key: str) -> str:
        return self.partners.get(key, key)

    def matches(self, one: Track, other: Track) -> list[Match]:
        """The items of two tracks, each with its partner."""
        ours = [self.partner(self.key(item, 0)) for item in one.items]
        theirs = [self.key(item, 1) for item in other.items]
        found: list[Match] = []
        for how, a, b, c, d in SequenceMatcher(None, ours, theirs, autojunk=False).get_opcodes():
            if how == "equal":
                found += [Match(x, y) for x, y in zip(one.items[a:b], other.items[c:d])]
            else:
                found += self._overlapping(list(one.items[a:b]), list(other.items[c:d]))
        return found

    def _overlapping(self, ours: list[Item], theirs: list[Item]) -> list[Match]:
        """Items of which the names say nothing: those that stand over each other for the most part are
        partners."""
        found: list[Match] = []
        left = list(theirs)
        for item in ours:
            best = max(left, key=lambda other: self._common(item, other), default=None)
            if best is not None and self._common(item, best) * 2 > min(item.duration, best.duration):
                found += [Match(None, one) for one in left[: left.index(best)]]
                left = left[left.index(best) + 1 :]
                found.append(Match(item, best))
            else:
                found.append(Match(item, None))
        return found + [Match(None, one) for one in left]

    def _common(self, one: Item, other: Item) -> Exact:
        start = other.start - self.offset
        return min(one.end, start + other.duration) - max(one.start, start)


def media_key(media: Media) -> str:
    """What a medium is called, without the side in its name."""
    name = media.file_name.rpartition(".")[0] or media.file_name
    return _plain(name) or ("still" if media.still else "clip")


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "", _SIDES.sub("", name.replace("_", " ")).casefold())


def clock_keys(one: Media, other: Media) -> list[tuple[str, ...]]:
    """Under what the distance of two clocks is learnt: these two media, their cameras, all."""
    return [(one.id, other.id), ("camera", camera(one), camera(other)), ()]


def camera(media: Media) -> str:
    """What tells the camera of a medium: the letters its reel, else its name, begins with."""
    found = re.match(r"[A-Za-z]+", media.reel or media.file_name)
    return found.group(0).casefold() if found else ""


def starts(media: Media) -> Exact:
    """Where a medium begins, in seconds from timecode zero."""
    if media.start is None or media.rate is None:
        return 0
    return media.rate.seconds(media.start)
