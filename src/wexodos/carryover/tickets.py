"""Round-trip tickets: what the other side could not hold is put back when the cut comes home (N40).

Three sequences are held together: the one that left, what was sent of it (the plan makes it again from the
same decisions), and what came back. Where something came back as it was sent, although it had been changed or
left out for the sending, nobody touched it over there, and the original's is put back. What was changed over
there stays as it came.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, replace

from wexodos.carryover.plan import Plan, plan
from wexodos.compare import Difference, compare, marker_key, match_items
from wexodos.destinations import Destination
from wexodos.ground import UnprovedError
from wexodos.model import (
    Angles,
    Content,
    Document,
    Item,
    Marker,
    Media,
    MediaUse,
    NestedUse,
    Sequence,
    Title,
    Track,
    Transition,
)
from wexodos.settling.changes import Thing
from wexodos.settling.findings import Choices
from wexodos.settling.options import Options
from wexodos.settling.vocabulary import Cause, Fate
from wexodos.timing import Exact, exact

_MOTION = frozenset({"position", "size", "rotation", "crop", "corners"})
_GROUPS: tuple[tuple[str, frozenset[str], tuple[str, ...]], ...] = (
    (
        "speed",
        frozenset({"speed", "source frames", "source samples", "source in", "record start", "record end"}),
        ("speed", "source_in"),
    ),
    ("filters", frozenset({"filters", "filter settings"}), ("effects",)),
    ("blend mode", frozenset({"blend mode"}), ("blend",)),
    ("alpha", frozenset({"alpha"}), ("alpha",)),
    ("label", frozenset({"label"}), ("label",)),
    ("switch", frozenset({"enabled"}), ("enabled",)),
    ("note", frozenset({"note"}), ("note",)),
)
"""What is put back together: its name, the differences that say it was touched over there, the fields it
stands in."""


_SHOWN = frozenset({"media", "kind"})
_CUT = frozenset({"speed", "source frames", "source in", "record start", "record end"})


@dataclass(frozen=True, slots=True)
class PutBack:
    """One thing that was put back: what, on which item, where in the returned cut."""

    what: str
    item: str
    track: str
    start: Exact
    stop: Exact


@dataclass(frozen=True, slots=True)
class Homecoming:
    """The returned document with everything put back, and a line for each thing; ``missing`` are the items
    that were sent and did not come back, ``surplus`` counts those that were not sent and came back."""

    document: Document
    sequence: Sequence
    put_back: tuple[PutBack, ...]
    missing: tuple[PutBack, ...] = ()
    surplus: int = 0

    def prove(self, original: Sequence, place: str) -> None:
        """Raises ``UnprovedError`` (see ``refuse_loss``)."""
        refuse_loss(original, self.sequence, place)


def refuse_loss(original: Sequence, home: Sequence, place: str) -> None:
    """Raises ``UnprovedError`` where the cut that left had picture or sound and the one that comes home has
    none at all of it: that is no edit, that is a loss."""
    for kind, word in (("video", "picture"), ("audio", "sound")):
        had = any(track.items for track in original.tracks if track.kind == kind)
        has = any(track.items for track in home.tracks if track.kind == kind)
        if had and not has:
            raise UnprovedError(
                f"the cut came home without any of its {word}; nothing was written", file=place
            )


def put_back(
    original: Document,
    sequence: Sequence,
    destination: Destination,
    returned: Document,
    back: Sequence,
    choices: Choices | None = None,
    options: Options | None = None,
) -> Homecoming:
    """Put back into ``back`` what ``destination`` could not hold of ``sequence``; items are found by id,
    place and content."""
    sent = plan(original, sequence, destination, choices, options)
    done: dict[str, Sequence] = {}
    log: list[PutBack] = []
    missing: list[PutBack] = []
    whole = returned
    waiting = [(sequence, sent.sequence, back)]
    while waiting:
        before, left, came = waiting.pop(0)
        work = _Work(original, before, replace(sent, sequence=left), whole, came)
        done[came.id] = work.run()
        # What is inside a nest has no place of its own in the cut.
        missing += work.missing() if came is back else []
        log += (
            work.log if came is back else [replace(one, item=f"{came.name} › {one.item}") for one in work.log]
        )
        whole = replace(whole, sequences=(*whole.sequences, *work.brought), media=(*whole.media, *work.media))
        for one, other in work.nests_inside():
            trio = (
                original.sequences_by_id.get(one),
                sent.document.sequences_by_id.get(one),
                returned.sequences_by_id.get(other),
            )
            if None not in trio and other not in done and all(other != entry[2].id for entry in waiting):
                waiting.append(trio)  # type: ignore[arg-type]
    whole = replace(whole, sequences=tuple(done.get(one.id, one) for one in whole.sequences))
    sent_ids = {item.id for item in sent.sequence.items()}
    same = match_items(original, sequence, returned, back).pairs
    surplus = sum(one.item.id not in sent_ids for one, _ in same)
    return Homecoming(whole, done[back.id], tuple(log), tuple(missing), surplus)


def touched(since: list[Difference], sent: list[Difference], partners: dict[str, str]) -> list[Difference]:
    """What somebody changed over there: of the differences between the cut and what came back (``since``)
    those that what was ``sent`` shows too.

    Where it came back as it was sent, the destination could not hold more: a known loss, which is put back.
    Where it came back as it was before, nobody touched it. ``partners`` are the ids in what came back. A
    shift of everything is of no item, and no destination makes one.
    """
    aspects = {(one.item_id, one.what) for one in sent}
    present = {one.item_id for one in sent if one.kind in ("gone", "added")}
    return [
        one
        for one in since
        if (one.item_id, one.what) in aspects
        or (one.kind == "moved" and not one.item_id)
        or one.item_id in present
        or partners.get(one.item_id, "") in present
    ]


class _Work:
    def __init__(
        self, original: Document, sequence: Sequence, sent: Plan, returned: Document, back: Sequence
    ) -> None:
        self.original, self.sequence, self.sent, self.returned, self.back = (
            original,
            sequence,
            sent,
            returned,
            back,
        )
        self.before = {item.id: item for item in sequence.items()}
        self.pairs = match_items(sent.document, sent.sequence, returned, back).pairs
        self.touched: dict[str, set[str]] = defaultdict(set)
        for one in compare(sent.document, sent.sequence, returned, back):
            self.touched[one.item_id].add(one.what)
        self.tracks = [list(track.items) for track in back.tracks]
        self.joins = [list(track.transitions) for track in back.tracks]
        self.shapes = list(back.tracks)
        self.marks = list(back.markers)
        self.media: list[Media] = []
        self.spare: list[int] = []
        self.linked: list[Item] = []
        self.laid: dict[str, Exact] = {}
        self.brought: list[Sequence] = []
        # A nest of which a part came back gets the rest back inside itself.
        self.nests: dict[str, str] = dict(self.nests_inside())
        self.log: list[PutBack] = []
        adapted = sent.adapted.get(sequence.id)
        self.baked = {
            entry.before.id
            for entry in (adapted.entries if adapted is not None else ())
            if entry.thing is Thing.ITEM and entry.reason.cause in (Cause.BAKED, Cause.BAKED_WITH_BELOW)
        }

    def run(self) -> Sequence:
        """Put back all there is and return the sequence."""
        self.items()
        self.transitions()
        self.gone()
        self.markers()
        self.words()
        return self.finished()

    def nests_inside(self) -> list[tuple[str, str]]:
        """The nested sequences that correspond: (id in what was sent, id in what came back)."""
        found = [
            (one.item.content.sequence, other.item.content.sequence)
            for one, other in self.pairs
            if isinstance(one.item.content, NestedUse) and isinstance(other.item.content, NestedUse)
        ]
        return list(dict.fromkeys(found))

    def missing(self) -> list[PutBack]:
        """Items that were sent and did not come back."""
        there = {one.item.id for one, _ in self.pairs}
        return [
            PutBack(f"{item.kind} did not come back", item.name or item.kind, label, item.start, item.end)
            for label, track in self.sent.sequence.labelled_tracks()
            for item in track.items
            if item.id not in there and not item.id.endswith("/bar")
        ]

    def _say(self, what: str, item: str, track: str, start: Exact, stop: Exact) -> None:
        self.log.append(PutBack(what, item, track, start, stop))

    # ---- items that came back

    def items(self) -> None:
        """Give every item that came back what it had before it left, as far as nobody changed it over
        there."""
        after = {other.item.id: (one.item, other.track) for one, other in self.pairs}
        for place, items in enumerate(self.tracks):
            # A bar that stood apart from its title goes with the title again.
            apart = [item for item in items if item.id in after and after[item.id][0].id.endswith("/bar")]
            if apart:
                self.tracks[place] = items = [item for item in items if item not in apart]
                self.spare += [place] if not items else []
            for index, item in enumerate(items):
                sent, label = after.get(item.id, (None, ""))
                was = self.before.get(sent.id) if sent is not None else None
                if sent is not None and was is not None:
                    self.tracks[place][index] = self._mended(item, sent, was, label)
        if self.linked:
            self._say("links", self.sequence.name, "", self.linked[0].start, self.linked[-1].end)

    def _mended(self, item: Item, sent: Item, was: Item, label: str) -> Item:
        touched = self.touched[sent.id]
        new = item
        if sent.id in self.baked and not touched & _SHOWN:
            new = self._unbaked(item, was, touched, label)
        for what, tells, fields in _GROUPS:
            if touched & tells or all(getattr(sent, name) == getattr(was, name) for name in fields):
                continue
            changed = replace(new, **{name: getattr(was, name) for name in fields})
            if changed != new:
                new = changed
                self._say(what, item.name, label, item.start, item.end)
        if sent.link != was.link:
            # Told once for all: it is one thing that the other side could not say.
            new = replace(new, link=was.link)
            self.linked.append(new)
        new = self._moved(new, sent, was, touched, label)
        new = self._heard(new, sent, was, touched, label)
        lost = tuple(raw for raw in was.raw if raw not in sent.raw and raw not in new.raw)
        if lost:
            new = replace(new, raw=(*new.raw, *lost))
            self._say("elements that are not understood", item.name, label, item.start, item.end)
        known = dict(new.metadata)
        pairs = tuple(pair for pair in was.metadata if pair[0] not in known)
        if pairs:
            new = replace(new, metadata=(*new.metadata, *pairs))
        if (
            isinstance(was.content, Angles)
            and not isinstance(sent.content, Angles)
            and not touched & {"media", "kind"}
        ):
            new = self._angles(new, item, sent, was, was.content, label)
        if (
            isinstance(was.content, Title)
            and isinstance(item.content, Title)
            and was.content != sent.content
            and not touched & {"words", "style", "place of the words", "bar", "movement of the words", "roll"}
        ):
            new = replace(new, content=was.content)
            self._say("title", item.name, label, item.start, item.end)
        return new

    def _unbaked(self, item: Item, was: Item, touched: set[str], label: str) -> Item:
        """What a render stood in for; where the render was cut otherwise over there, a thing whose frames
        count stays a render."""
        if isinstance(was.content, MediaUse | NestedUse) and touched & _CUT:
            return item
        self._say(f"{was.kind} instead of its render", item.name, label, item.start, item.end)
        return replace(
            item,
            content=self._content(was),
            source_in=was.source_in,
            speed=was.speed,
            still=was.still,
            alpha=was.alpha,
        )

    def _angles(self, new: Item, item: Item, sent: Item, was: Item, content: Angles, label: str) -> Item:
        """The other angles of a clip of which only the one in use could go."""
        angles = tuple(
            replace(one, media=self._medium(one.media)) if one.media else one for one in content.angles
        )
        self._say("angles", new.name, label, new.start, new.end)
        return replace(
            new,
            content=replace(content, angles=angles),
            source_in=exact(item.source_in + was.source_in - sent.source_in),
        )

    def _moved(self, new: Item, sent: Item, was: Item, touched: set[str], label: str) -> Item:
        if new.motion is None or was.motion is None or sent.motion is None or was.motion == sent.motion:
            return new
        motion = new.motion
        if not touched & _MOTION and any(
            curve != sent.motion.curves[name]
            for name, curve in was.motion.curves.items()
            if name != "opacity"
        ):
            motion = replace(was.motion, opacity=motion.opacity)
            self._say("motion", new.name, label, new.start, new.end)
        if "opacity" not in touched and was.motion.opacity != sent.motion.opacity:
            motion = replace(motion, opacity=was.motion.opacity)
            self._say("opacity", new.name, label, new.start, new.end)
        return replace(new, motion=motion)

    def _heard(self, new: Item, sent: Item, was: Item, touched: set[str], label: str) -> Item:
        if new.sound is None or was.sound is None or sent.sound is None or touched & {"level", "pan", "mute"}:
            return new
        same = (was.sound.level, was.sound.fade_in, was.sound.fade_out, was.sound.pan, was.sound.muted) == (
            sent.sound.level,
            sent.sound.fade_in,
            sent.sound.fade_out,
            sent.sound.pan,
            sent.sound.muted,
        )
        if same:
            return new
        self._say("level, pan and fades", new.name, label, new.start, new.end)
        return replace(new, sound=replace(was.sound, channels=new.sound.channels, roles=new.sound.roles))

    # ---- transitions

    def transitions(self) -> None:
        """A transition that came back as it was sent, on the same cut, becomes the original's kind again."""
        sent = _joins(self.sent.sequence)
        was = {one.id: one for track in self.sequence.tracks for one in track.transitions}
        for place, joins in enumerate(self.joins):
            kind = self.shapes[place].kind
            for index, one in enumerate(joins):
                left = sent.get((kind, one.cut))
                old = was.get(left.id) if left is not None else None
                if (
                    left is None
                    or old is None
                    or old.type == left.type
                    or one.type != left.type
                    or (one.start, one.duration) != (left.start, left.duration)
                ):
                    continue
                self.joins[place][index] = replace(
                    old, id=one.id, start=one.start, duration=one.duration, cut=one.cut
                )
                self._say(f"{old.type} instead of {one.type}", old.name or old.type, "", one.start, one.end)

    # ---- items that could not go at all

    def gone(self) -> None:
        """Items that were left out for the sending, laid back at their place: moved with what stands under
        them."""
        sent = {item.id for item in self.sent.sequence.items()}
        there = {one.item.id: other.item.start - one.item.start for one, other in self.pairs}
        labels = {
            item.id: (label, track)
            for label, track in self.sequence.labelled_tracks()
            for item in track.items
        }
        # A nest that was unfolded is there in its parts.
        notes = {
            entry.before.id
            for entry in self.sent.adapted[self.sequence.id].entries
            if entry.thing is Thing.ITEM
            and entry.before is not None
            and entry.after is None
            and entry.reason.fate is not Fate.ADAPTED
        }
        # And what came from elsewhere as it was needs no putting back.
        here = {
            one.item.id
            for one, _ in match_items(self.original, self.sequence, self.returned, self.back).pairs
        }
        for item in self.sequence.items():
            if item.id in sent or item.id not in notes or item.id in here:
                continue
            label, track = labels[item.id]
            shift = self._shift(item, there)
            laid = replace(item, start=item.start + shift, content=self._content(item))
            self._lay(laid, track, label)
            self.laid[item.id] = shift
            self._say(f"{item.kind} put back", item.name or item.kind, label, laid.start, laid.end)
        self._rejoin()

    def _rejoin(self) -> None:
        """Transitions that went with the items they joined."""
        sent = {one.id for track in self.sent.sequence.tracks for one in track.transitions}
        for label, track in self.sequence.labelled_tracks():
            for one in track.transitions:
                near = [item for item in track.items if one.cut in (item.start, item.end)]
                if one.id in sent or not near or any(item.id not in self.laid for item in near):
                    continue
                shift = self.laid[near[0].id]
                place = next(
                    (
                        place
                        for place, items in enumerate(self.tracks)
                        if any(item.id == near[0].id for item in items)
                    ),
                    None,
                )
                if place is not None:
                    self.joins[place].append(replace(one, start=one.start + shift, cut=one.cut + shift))
                    self._say(
                        f"{one.type} put back",
                        one.name or one.type,
                        label,
                        one.start + shift,
                        one.end + shift,
                    )

    def _shift(self, item: Item, there: dict[str, Exact]) -> Exact:
        """How far the cut moved at an item's place: as far as the sent item that stands there, pictures
        first."""
        for track in self.sent.sequence.tracks:
            for other in track.items:
                if other.id in there and other.start <= item.start < other.end:
                    return there[other.id]
        return 0

    def _content(self, item: Item) -> Content:
        """What the item shows, with its medium brought along under an id of its own."""
        if isinstance(item.content, Angles):
            return replace(
                item.content,
                angles=tuple(
                    replace(one, media=self._medium(one.media)) if one.media else one
                    for one in item.content.angles
                ),
            )
        if isinstance(item.content, NestedUse):
            return replace(item.content, sequence=self._nest(item.content.sequence))
        return (
            replace(item.content, media=self._medium(item.content.media))
            if isinstance(item.content, MediaUse)
            else item.content
        )

    def _nest(self, sequence_id: str) -> str:
        """The id under which a nested sequence of the original is brought along, with all it uses."""
        known = self.nests.get(sequence_id)
        nested = self.original.sequences_by_id.get(sequence_id)
        if known is not None or nested is None:
            return known or sequence_id
        taken = {one.id for one in (*self.returned.sequences, *self.brought)}
        key = sequence_id
        while key in taken:
            key = f"{key}-original"
        self.nests[sequence_id] = key
        place = len(self.brought)
        self.brought.append(replace(nested, id=key))
        ids = {item.id for one in self.returned.sequences for item in one.items()}
        self.brought[place] = replace(
            nested,
            id=key,
            top_level=False,
            tracks=tuple(
                replace(
                    track,
                    items=tuple(
                        replace(
                            item,
                            id=f"{item.id}-original" if item.id in ids else item.id,
                            content=self._content(item),
                        )
                        for item in track.items
                    ),
                )
                for track in nested.tracks
            ),
        )
        return key

    def _medium(self, media_id: str) -> str:
        """The id under which a medium of the original stands in what came back, brought along where it did
        not."""
        media = self.original.media_by_id.get(media_id)
        if media is None:
            return media_id
        twin = next(
            (
                one
                for one in (*self.returned.media, *self.media)
                if one.path == media.path and one.file_name == media.file_name
            ),
            None,
        )
        if twin is None:
            taken = {one.id for one in (*self.returned.media, *self.media)}
            key = media.id
            while key in taken:
                key = f"{key}-original"
            twin = replace(media, id=key)
            self.media.append(twin)
        return twin.id

    def _lay(self, item: Item, track: Track, label: str) -> None:
        """Put an item on the track of its old number where that is free, otherwise on the first free one
        above (below for sound), otherwise on a new track."""
        number = int(label[1:]) - 1
        places = [place for place, one in enumerate(self.shapes) if one.kind == track.kind]
        for place in places[number:]:
            if not any(other.span.overlaps(item.span) for other in self.tracks[place]):
                self.tracks[place].append(item)
                return
        at = places[-1] + 1 if places else (0 if track.kind == "video" else len(self.shapes))
        self.shapes.insert(at, replace(track, items=(), transitions=()))
        self.tracks.insert(at, [item])
        self.joins.insert(at, [])

    # ---- markers and words

    def markers(self) -> None:
        """Colours and kinds of markers that came back at their place with their words; stand-ins for what is
        back go, and so do the markers of our own report."""
        nests = {
            f"nested: {item.name}" for item in self.sequence.items() if isinstance(item.content, NestedUse)
        }
        was = {marker_key(at, one): one for at, one in _marks(self.sequence)}

        def kept(at: Exact, marker: Marker) -> bool:
            key = marker_key(at, marker)
            return key not in self.sent.own_markers and (
                key not in self.sent.stand_ins or marker.name in nests
            )

        def mended(at: Exact, marker: Marker) -> Marker:
            old = was.get(marker_key(at, marker))
            if (
                old is None
                or marker.color is not None
                or (old.color, old.kind, old.done) == (None, marker.kind, marker.done)
            ):
                return marker
            self._say("marker", marker.name or "marker", "", at, at + marker.duration)
            return replace(marker, color=old.color, kind=old.kind, done=old.done)

        self.marks = [mended(one.start, one) for one in self.marks if kept(one.start, one)]
        for items in self.tracks:
            for index, item in enumerate(items):
                if item.markers:
                    items[index] = replace(
                        item,
                        markers=tuple(
                            mended(item.start + one.start, one)
                            for one in item.markers
                            if kept(item.start + one.start, one)
                        ),
                    )

    def words(self) -> None:
        """Names of tracks that had to go without."""
        names = {item.id: track for track in self.sequence.tracks for item in track.items}
        after = {other.item.id: one.item.id for one, other in self.pairs}
        for place, shape in enumerate(self.shapes):
            owners = {
                names[after[item.id]].name for item in self.tracks[place] if after.get(item.id) in names
            }
            if not shape.name and len(owners) == 1 and (name := owners.pop()):
                self.shapes[place] = replace(shape, name=name)
                self._say("track name", name, "", 0, 0)
            switches = {
                names[after[item.id]].enabled for item in self.tracks[place] if after.get(item.id) in names
            }
            if shape.enabled and switches == {False}:
                self.shapes[place] = replace(self.shapes[place], enabled=False)
                self._say("track switch", shape.name or "track", "", 0, 0)

    def finished(self) -> Sequence:
        tracks = []
        for shape, items, joins in zip(self.shapes, self.tracks, self.joins):
            if not items and any(shape is self.back.tracks[place] for place in self.spare):
                continue
            edges = {edge for item in items for edge in (item.start, item.end)}
            tracks.append(
                replace(
                    shape,
                    items=tuple(sorted(items, key=lambda one: one.start)),
                    transitions=tuple(one for one in joins if one.cut in edges),
                )
            )
        return replace(
            self.back,
            tracks=tuple(tracks),
            markers=tuple(sorted(self.marks, key=lambda one: one.start)),
            note=self.back.note or self.sequence.note,
            folder=self.back.folder or self.sequence.folder,
            metadata=self.back.metadata or self.sequence.metadata,
            raw=self.back.raw or self.sequence.raw,
            marked=self.back.marked or self.sequence.marked,
        )


def _marks(sequence: Sequence) -> list[tuple[Exact, Marker]]:
    """All markers of a sequence and its items with their places in it."""
    return [
        *((one.start, one) for one in sequence.markers),
        *((item.start + one.start, one) for item in sequence.items() for one in item.markers),
    ]


def _joins(sequence: Sequence) -> dict[tuple[str, Exact], Transition]:
    return {(track.kind, one.cut): one for track in sequence.tracks for one in track.transitions}
