"""One of a pair made to follow the other: its cuts, sources, speeds, lengths, places and sizes."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, replace
from fractions import Fraction

from wexodos.compare.pairing import Pair, paired
from wexodos.compare.partners import Match, media_key, starts
from wexodos.evaluate.trimming import trimmed
from wexodos.ground.names import fresh
from wexodos.model import (
    Curve,
    Document,
    Item,
    Media,
    MediaUse,
    Motion,
    Sequence,
    Track,
    Transition,
    Variable,
)
from wexodos.timing import exact


@dataclass(frozen=True, slots=True)
class Corrected:
    """The right one of a pair as it follows the left one. ``before`` is how they were a pair, ``after`` how
    they are now: what is left there could not be corrected."""

    document: Document
    sequence: Sequence
    before: Pair
    after: Pair


def corrected(left_of: Document, left: Sequence, right_of: Document, right: Sequence) -> Corrected:
    """Correct all that is otherwise on the right, together. What is learnt of the pair stays: by how many
    frames the right one stands later, by how much its clocks and its pictures lie apart, which media go with
    which. Titles keep their words. Raises ``ReadError`` where the two have no frames in common.

    Sound that is linked to a picture and as long as it goes along with it; other sound, and the frame size,
    stay as they are.
    """
    pair = paired(left_of, left, right_of, right)
    made = _Correcting(left_of, left, right_of, right, pair).made() if pair.rows else right
    sequences = tuple(made if one.id == right.id else one for one in right_of.sequences)
    document = replace(right_of, sequences=sequences)
    return Corrected(document, made, pair, paired(left_of, left, document, made))


class _Correcting:
    def __init__(
        self, left_of: Document, left: Sequence, right_of: Document, right: Sequence, pair: Pair
    ) -> None:
        self.left, self.right, self.pair = left, right, pair
        self.ours, self.theirs = left_of.media_by_id, right_of.media_by_id
        self.wrong = {
            (row.track, item.id) for row in pair.rows for item in (row.left_item, row.right_item) if item
        }
        self.by_key: dict[str, list[Media]] = defaultdict(list)
        for media in right_of.media:
            self.by_key[media_key(media)].append(media)
        self.taken = {item.id for one in right_of.sequences for item in one.items()}

    def made(self) -> Sequence:
        tracks = self._tracks()
        places = {
            before.id: (before, after)
            for one, other in zip(self.right.video_tracks, tracks)
            for before in one.items
            for after in other.items
            if before.id == after.id
        }
        sounds = [self._sounding(track, places) for track in self.right.audio_tracks]
        whole = replace(self.right, tracks=(*tracks, *sounds))
        return replace(whole, stated_duration=None if self.right.stated_duration is None else whole.duration)

    def _tracks(self) -> list[Track]:
        ours, theirs = self.left.video_tracks, self.right.video_tracks
        made = []
        for at in range(max(len(ours), len(theirs))):
            label = f"V{at + 1}"
            one = ours[at] if at < len(ours) else Track("video")
            other = theirs[at] if at < len(theirs) else Track("video", name=one.name)
            made.append(self._track(label, one, other, self.pair.matches.get(label, [])))
        return made

    def _track(self, label: str, one: Track, other: Track, matches: list[Match]) -> Track:
        items: list[Item] = []
        for match in matches:
            if match.left is None:
                continue
            if match.right is None:
                new = self._laid_in(match.left)
                items += [new] if new is not None else []
                continue
            there = match.left.start + self.pair.offset
            stands = match.right.start == there and match.right.duration == match.left.duration
            right = (label, match.left.id) not in self.wrong and (label, match.right.id) not in self.wrong
            items.append(match.right if stands and right else self._follows(match.left, match.right))
        # Where a medium is not there its shot is still missing, and nothing joins it.
        edges = {edge for item in items for edge in (item.start, item.end)}
        joins = [self._join(other, join) for join in one.transitions if join.cut + self.pair.offset in edges]
        items.sort(key=lambda item: item.start)
        return replace(other, items=tuple(items), transitions=tuple(joins))

    def _join(self, other: Track, join: Transition) -> Transition:
        """The transition of the left one on the right: that which stands there where it is the same."""
        by = self.pair.offset
        made = replace(join, start=join.start + by, cut=join.cut + by)
        same = next((each for each in other.transitions if each.cut == made.cut), None)
        if same is not None and (same.type, same.duration) == (join.type, join.duration):
            return replace(same, start=made.start)
        return replace(made, id=fresh(join.id, self.taken))

    # ---- one item

    def _laid_in(self, item: Item) -> Item | None:
        """What the right one misses, of the medium that goes with the left one's."""
        media = self._medium(item, None)
        if isinstance(item.content, MediaUse) and media is None:
            return None
        if not isinstance(item.content, MediaUse):
            return replace(
                item, id=fresh(item.id, self.taken), start=item.start + self.pair.offset, link=None
            )
        bare = replace(
            item,
            id=fresh(item.id, self.taken),
            name=media.file_name if media is not None and item.name == self._name(item) else item.name,
            content=MediaUse(media.id) if media is not None else item.content,
            link=None,
            raw=(),
        )
        return self._follows(item, bare)

    def _name(self, item: Item) -> str:
        media = self.ours.get(item.content.media) if isinstance(item.content, MediaUse) else None
        return media.file_name if media is not None else ""

    def _follows(self, left: Item, right: Item) -> Item:
        """The item of the right one where, as long, as fast and as large as that of the left one."""
        start = left.start + self.pair.offset
        motion = self._moved(left.motion, right.motion)
        media = self._medium(left, right)
        apart = None
        if isinstance(left.content, MediaUse) and media is not None:
            apart = self.pair.clock(self.ours[left.content.media], media)
        if not isinstance(left.content, MediaUse) or media is None or apart is None:
            # Which moment it is to show nobody knows: a shot that is as long has its own, elsewhere.
            placed = replace(right, start=start)
            if right.duration != left.duration:
                placed = trimmed(right, start, start + left.duration, self.right.rate)
            speed = right.speed if isinstance(left.content, MediaUse) else left.speed
            return replace(placed, speed=speed, motion=motion)
        one = self.ours[left.content.media]
        later = exact(Fraction(apart) - Fraction(starts(media)) + Fraction(starts(one)))
        speed = left.speed
        if isinstance(speed, Variable):
            speed = Variable(
                tuple(replace(point, source=exact(point.source + later)) for point in speed.points)
            )
        return replace(
            right,
            start=start,
            duration=left.duration,
            content=MediaUse(media.id),
            source_in=exact(left.source_in + later),
            speed=speed,
            motion=motion,
        )

    def _medium(self, left: Item, right: Item | None) -> Media | None:
        """The medium of the right that goes with that of an item of the left; the one it has where none is
        known."""
        if not isinstance(left.content, MediaUse):
            return None
        one = self.ours.get(left.content.media)
        now = self.theirs.get(right.content.media) if right and isinstance(right.content, MediaUse) else None
        if one is None:
            return now
        wanted = self.pair.partners.get(media_key(one), media_key(one))
        if now is not None and media_key(now) == wanted:
            return now
        return next(iter(self.by_key.get(wanted, [])), now)

    def _moved(self, left: Motion | None, right: Motion | None) -> Motion | None:
        if left is None:
            return right
        x, y = (float(each) for each in self.pair.moved)
        position = Curve(
            (left.position.value[0] + x, left.position.value[1] + y),
            tuple(replace(key, value=(key.value[0] + x, key.value[1] + y)) for key in left.position.keys),
        )
        return replace(left, position=position, fit=right.fit if right is not None else left.fit)

    # ---- sound

    def _sounding(self, track: Track, places: dict[str, tuple[Item, Item]]) -> Track:
        links = {before.link: pair for pair in places.values() if (before := pair[0]).link}
        items = []
        for item in track.items:
            seen = links.get(item.link) if item.link else None
            if seen is not None and item.span == seen[0].span:
                before, after = seen
                source = exact(item.source_in + after.source_in - before.source_in)
                item = replace(
                    item, start=after.start, duration=after.duration, source_in=source, speed=after.speed
                )
            items.append(item)
        cuts = {edge for item in items for edge in (item.start, item.end)}
        joins = tuple(one for one in track.transitions if one.cut in cuts)
        return replace(track, items=tuple(sorted(items, key=lambda one: one.start)), transitions=joins)
