"""What was changed over there and is not wanted: taken back row by row, as it was in the cut that left."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

from wexodos.compare import Difference, match_items
from wexodos.compare.aspects import Aspect, Kind, of_kind
from wexodos.compare.rippled import in_the_frame_of
from wexodos.homecoming.patterns import pattern_of
from wexodos.homecoming.stock import CONTENTS, Stock
from wexodos.model import (
    Document,
    Item,
    Motion,
    Sequence,
    Title,
    Track,
    Transition,
)
from wexodos.timing import Exact

ALL = "all"
_TIME = frozenset(
    {
        Aspect.RECORD_START,
        Aspect.RECORD_END,
        Aspect.SOURCE_IN,
        Aspect.SOURCE_FRAMES,
        Aspect.SOURCE_SAMPLES,
        Aspect.SPEED,
        Aspect.STILL,
        Aspect.EXTENT,
    }
)
_PLACE = frozenset({Aspect.RECORD_START, Aspect.RECORD_END})
_SIZING, _WORDS, _FILTERS = of_kind(Kind.MOTION), of_kind(Kind.TITLE), of_kind(Kind.FILTER)
_SOUND = of_kind(Kind.LEVEL, Kind.PAN, Kind.FADE, Kind.CHANNELS, Kind.MUTE) | {Aspect.ROLES}
_JOIN = of_kind(Kind.TRANSITION) - {Aspect.MIX}
_SHOWN = frozenset({Aspect.CONTENT, Aspect.MEDIA})
_FIELDS = {
    Aspect.ENABLED: "enabled",
    Aspect.NAME: "name",
    Aspect.LABEL: "label",
    Aspect.NOTE: "note",
    Aspect.METADATA: "metadata",
    Aspect.BLEND: "blend",
    Aspect.ALPHA: "alpha",
}
_GROUPS = (_TIME, _SIZING, _WORDS, _SHOWN, _SOUND, _FILTERS, _JOIN)
"""What goes back together: one of them alone would be neither the one nor the other."""


def key_of(row: Difference) -> str:
    """What a decision about a row is remembered by."""
    return f"{row.kind}|{row.what}|{row.item_id or f'{row.track} {row.start}'}"


def is_wanted(row: Difference, refused: frozenset[str]) -> bool:
    """Whether a row is to be taken back: by its key, its kind, its item, the pattern it is one of, or all."""
    return bool(refused & {ALL, row.kind, row.item_id, key_of(row), pattern_of(row)} - {""})


@dataclass(slots=True)
class Refusal:
    """The cut that came home without what was refused: rows that were ``undone``, and those that could not
    be, with the reason."""

    document: Document
    sequence: Sequence
    undone: list[Difference] = field(default_factory=list)
    stuck: list[tuple[Difference, str]] = field(default_factory=list)


def without_refused(
    left: tuple[Document, Sequence],
    home: tuple[Document, Sequence],
    differences: list[Difference],
    refused: frozenset[str],
) -> Refusal:
    """Take back what is refused of the ``differences`` between the cut that ``left`` and the one that came
    ``home``. Where something else stands in the place it is not, and that is said."""
    # How far a transition has gone is no thing of its own.
    waiting = [
        row
        for row in differences
        if is_wanted(row, refused) and (row.aspect is not Aspect.MIX or key_of(row) in refused)
    ]
    # What was put in makes room first; a transition that went along was put in at its new place.
    waiting.sort(key=lambda row: row.kind != "added")
    made = Refusal(*home)
    if not waiting:
        return made
    work = _Work(left, home, differences)
    while waiting:
        # What stands in the way of one may be the next.
        again: list[tuple[Difference, str]] = []
        for row in waiting:
            why = work.undo(row)
            if why:
                again.append((row, why))
            else:
                made.undone.append(row)
        if len(again) == len(waiting):
            made.stuck = again
            break
        waiting = [row for row, _ in again]
    made.document, made.sequence = work.finished()
    return made


class _Work:
    def __init__(
        self,
        left: tuple[Document, Sequence],
        home: tuple[Document, Sequence],
        differences: list[Difference],
    ) -> None:
        self._left, self._before = left
        self._document, self._home = home
        pairs = match_items(*left, *home).pairs
        self._items = {
            item.id: (label, item) for label, track in left[1].labelled_tracks() for item in track.items
        }
        self._partners = {one.item.id: other.item.id for one, other in pairs}
        self._tracks = [list(track.items) for track in self._home.tracks]
        self._joins = [list(track.transitions) for track in self._home.tracks]
        self._labels = [label for label, _ in self._home.labelled_tracks()]
        self._stock = Stock(self._left, self._document)
        self._done: set[tuple[str, frozenset[Aspect]]] = set()
        # By how much an item stands elsewhere because all does.
        own = {
            row.item_id: row.after - row.before
            for row in differences
            if row.item_id and row.what == Aspect.RECORD_START and row.kind != "added"
        }
        self._shifts = {
            one.item.id: other.item.start - one.item.start - own.get(one.item.id, 0) for one, other in pairs
        }

    def undo(self, row: Difference) -> str:
        """Take one row back; why that cannot be, empty where it is done."""
        aspect = row.aspect
        if aspect in _JOIN:
            return self._parted(row) if row.kind == "added" else self._joined(row)
        if aspect is Aspect.MIX:
            return "it goes with its transition"
        if aspect is Aspect.LENGTH:
            return self._as_long()
        if row.kind == "added":
            return self._removed(row.item_id)
        if row.kind == "gone":
            return self._laid(row.item_id)
        if aspect is Aspect.FRAME_SIZE:
            return self._framed()
        if row.kind == "moved" and not row.item_id:
            return self._pulled_back(row)
        known = self._items.get(row.item_id)
        place = self._place(self._partners.get(row.item_id, ""))
        if known is None or place is None:
            return "it is of the whole cut, not of one thing"
        was = known[1]
        track, at = place
        now = self._tracks[track][at]
        group = next((one for one in _GROUPS if aspect in one), frozenset({aspect}))
        if group is _TIME and now.duration == was.duration:
            # As long as it was, it stands elsewhere and plays otherwise: neither follows from the other.
            group = _PLACE if aspect in _PLACE else _TIME - _PLACE
        if (row.item_id, group) in self._done:
            return ""
        changed = self._changed(group, was)
        if changed is None:
            return "it cannot be taken back by itself"
        if group is _SIZING and self._before.frame_size != self._home.frame_size:
            return "the frame is of another size"
        if group is _WORDS and not (isinstance(was.content, Title) and isinstance(now.content, Title)):
            return "it is no title any more"
        new = changed(now)
        why = self._in_the_way(new, track, at) if group & _PLACE else ""
        if not why:
            self._tracks[track][at] = new
            self._done.add((row.item_id, group))
        return why

    def finished(self) -> tuple[Document, Sequence]:
        """The cut as it is now, in its document."""
        cut = self._now()
        within = tuple(cut if one.id == cut.id else one for one in self._stock.sequences)
        return replace(self._document, sequences=within, media=tuple(self._stock.media)), cut

    def _now(self) -> Sequence:
        tracks = tuple(
            replace(track, items=tuple(sorted(items, key=lambda one: one.start)), transitions=tuple(joins))
            for track, items, joins in zip(self._home.tracks, self._tracks, self._joins)
        )
        return replace(self._home, tracks=tracks)

    def _changed(self, group: frozenset[Aspect], was: Item) -> Callable[[Item], Item] | None:
        """What takes a group of aspects back; None where nothing does."""
        start = was.start + self._shifts.get(was.id, 0)
        if group is _PLACE:
            return lambda now: replace(now, start=start)
        if group <= _TIME:
            return lambda now: replace(
                now,
                start=start if group & _PLACE else now.start,
                duration=was.duration,
                source_in=was.source_in,
                speed=was.speed,
                still=was.still,
            )
        if group is _SIZING:
            return lambda now: replace(
                now, motion=replace(was.motion or Motion(), opacity=(now.motion or Motion()).opacity)
            )
        if group == {Aspect.OPACITY}:
            opacity = (was.motion or Motion()).opacity
            return lambda now: replace(now, motion=replace(now.motion or Motion(), opacity=opacity))
        if group is _WORDS:
            return lambda now: replace(now, content=was.content, raw=was.raw)
        if group is _SHOWN and isinstance(was.content, CONTENTS):
            return lambda now: replace(
                now, content=self._stock.content(was.content), raw=was.raw, still=was.still
            )
        if group is _SOUND:
            return lambda now: replace(now, sound=was.sound)
        if group is _FILTERS:
            return lambda now: replace(now, effects=was.effects)
        name = _FIELDS.get(next(iter(group)))
        return (lambda now: replace(now, **{name: getattr(was, name)})) if name is not None else None

    def _as_long(self) -> str:
        """Let the cut end where it ended."""
        if any(item.end > self._before.duration for items in self._tracks for item in items):
            return "it goes with what is in the cut"
        self._home = replace(self._home, stated_duration=self._before.stated_duration)
        return ""

    def _framed(self) -> str:
        """Bring everything into the frame that left."""
        framed = in_the_frame_of(self._before, self._document, self._now())
        if framed is None:
            return "the frame has another shape"
        self._home = framed
        self._tracks = [list(track.items) for track in framed.tracks]
        return ""

    def _pulled_back(self, row: Difference) -> str:
        """Take a shift of many things back."""
        by = row.after - row.before
        old = {item.id: item for _, item in self._items.values()}
        moved = {
            partner
            for key, partner in self._partners.items()
            if row.start <= old[key].start < row.stop and self._shifts[key] == by
        }
        end = row.after + row.stop - row.start

        def back(item: Item) -> Item:
            return replace(item, start=item.start - by) if item.id in moved else item

        tracks = [[back(item) for item in items] for items in self._tracks]
        for items in tracks:
            rows = sorted(items, key=lambda one: one.start)
            other = next((two for one, two in zip(rows, rows[1:]) if two.start < one.end), None)
            if other is not None:
                return f"{other.name or other.kind} stands there"
        self._tracks = tracks
        self._joins = [
            [
                replace(one, start=one.start - by, cut=one.cut - by) if row.after <= one.cut <= end else one
                for one in joins
            ]
            for joins in self._joins
        ]
        for key, partner in self._partners.items():
            if partner in moved:
                self._shifts[key] -= by
        stated = self._home.stated_duration
        self._home = replace(
            self._home,
            markers=tuple(
                replace(one, start=one.start - by) if row.after <= one.start <= end else one
                for one in self._home.markers
            ),
            stated_duration=stated - by if stated is not None and end >= stated else stated,
        )
        return ""

    def _place(self, item_id: str) -> tuple[int, int] | None:
        for track, items in enumerate(self._tracks):
            for at, item in enumerate(items):
                if item.id == item_id:
                    return track, at
        return None

    def _in_the_way(self, new: Item, track: int, at: int | None) -> str:
        """What keeps an item from standing somewhere; empty where nothing does."""
        if at is not None:
            old = self._tracks[track][at]
            edges = {old.start, old.end} - {new.start, new.end}
            if any(join.cut in edges for join in self._joins[track]):
                return "a transition stands at its end"
        for place, other in enumerate(self._tracks[track]):
            if place != at and other.start < new.end and new.start < other.end:
                return f"{other.name or other.kind} stands there"
        return ""

    def _removed(self, item_id: str) -> str:
        place = self._place(item_id)
        if place is None:
            return "it is not there any more"
        track, at = place
        item = self._tracks[track][at]
        if any(join.cut in (item.start, item.end) for join in self._joins[track]):
            return "a transition stands at its end"
        del self._tracks[track][at]
        return ""

    def _laid(self, item_id: str) -> str:
        """Lay an item that is gone where it would stand, by what stands before it on its track."""
        known = self._items.get(item_id)
        if known is None or known[0] not in self._labels:
            return "its track is not there any more"
        label, was = known
        if not isinstance(was.content, CONTENTS):
            return "it cannot be taken back by itself"
        before = [
            one for one_label, one in self._items.values() if one_label == label and one.start < was.start
        ]
        last = max((one for one in before if one.id in self._shifts), key=lambda one: one.start, default=None)
        shift: Exact = self._shifts[last.id] if last is not None else 0
        track = self._labels.index(label)
        taken = {item.id for items in self._tracks for item in items}
        new = replace(
            was,
            id=was.id if was.id not in taken else f"{was.id}-again",
            start=was.start + shift,
            content=self._stock.content(was.content),
            link=None,
        )
        why = self._in_the_way(new, track, None)
        if not why:
            self._tracks[track].append(new)
        return why

    def _parted(self, row: Difference) -> str:
        """Take a transition away that was put in."""
        if row.track not in self._labels:
            return "its track is not there any more"
        joins = self._joins[self._labels.index(row.track)]
        found = next((one for one in joins if one.start == row.start), None)
        if found is None:
            return "it is not there any more"
        joins.remove(found)
        return ""

    def _joined(self, row: Difference) -> str:
        """Make a transition what it was, where its cut is now."""
        if row.track not in self._labels:
            return "its track is not there any more"
        old = dict(self._before.labelled_tracks()).get(row.track)
        was = (
            next((one for one in old.transitions if one.start <= row.start < one.end), None) if old else None
        )
        cut = self._cut(old, was) if old is not None and was is not None else None
        if was is None or cut is None:
            return "its cut is not there any more"
        joins = self._joins[self._labels.index(row.track)]
        now = next((one for one in joins if one.cut == cut), None)
        key = now.id if now is not None else was.id
        made = replace(was, id=key, start=cut - (was.cut - was.start), cut=cut)
        if now is not None:
            joins[joins.index(now)] = made
        else:
            joins.append(made)
        return ""

    def _cut(self, old: Track, was: Transition) -> Exact | None:
        """Where the cut of a transition is now: where what it led from ends and what it leads to begins."""
        ends = []
        for item in old.items:
            place = self._place(self._partners.get(item.id, ""))
            now = self._tracks[place[0]][place[1]] if place is not None else None
            if was.cut in (item.start, item.end) and now is not None:
                ends.append(now.start if item.start == was.cut else now.end)
        return ends[0] if ends and all(one == ends[0] for one in ends) else None
