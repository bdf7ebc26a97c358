"""Compare two sequences: structure item by item, and what is seen and heard frame by frame."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from typing import Any

import numpy as np

from wexodos.compare.alike import Alike, Doubtful, around, only
from wexodos.compare.aspects import Aspect
from wexodos.compare.difference import Difference, name_of
from wexodos.compare.frames import evaluated
from wexodos.compare.match import Placed, identity, match_items
from wexodos.evaluate import curve_values
from wexodos.evaluate.hearing import furthest
from wexodos.evaluate.tolerances import DECIBELS, FRACTION, PIXELS, SECONDS, SETTING
from wexodos.model import (
    Angles,
    Constant,
    Document,
    Generator,
    Item,
    Marker,
    Media,
    MediaUse,
    NestedUse,
    Sequence,
    Shadow,
    Sound,
    Title,
    Track,
    Transition,
)
from wexodos.timing import Exact, absolute, ceil, format_exact


def compare(
    a: Document,
    first: Sequence,
    b: Document,
    second: Sequence,
    *,
    ids: bool = False,
    whole: bool = False,
) -> list[Difference]:
    """Return all differences in the order of their place, settings first. ``ids``: items of one id are the
    same item. ``whole``: say also which items do not belong together any more, or do now, and what is said
    otherwise of media than what they are and where they begin."""
    walk = _Walk(a, b, ids)
    walk.sequences(first, second, top=True)
    if whole:
        walk.found.extend(walk.linked(first, second))
        walk.found.extend(_facts_of_media(a, first, b, walk.known, second))
    walk.unfolded(first)
    body = [*walk.found, *_gone_and_added(walk.only_a, walk.only_b)]
    if first.rate == second.rate:
        body.extend(walk.evaluated(first, second, {(one.item_id, one.what) for one in body}))
    body.sort(key=lambda one: (one.start, one.track[:1] == "A", one.track, one.what))
    return [*_settings(first, second), *body]


class _Walk:
    """Goes through two sequences and the nested ones that correspond in them, and pairs what belongs
    together.

    ``known`` tells the partner of every item by id, ``only_a`` and ``only_b`` hold what has none.
    """

    def __init__(self, a: Document, b: Document, ids: bool) -> None:
        self.a, self.b, self.ids = a, b, ids
        self.known: dict[str, str] = {}
        self.found: list[Difference] = []
        self.only_a: list[Placed] = []
        self.only_b: list[Placed] = []
        self.seen: set[tuple[str, str]] = set()
        self.alike, self.doubtful = Alike(a, b), Doubtful()

    def sequences(self, first: Sequence, second: Sequence, top: bool = False) -> None:
        """Compare the structure of two sequences and of the nested ones that correspond in them."""
        here = first.id, second.id
        if here in self.seen:
            return
        self.seen.add(here)
        match = match_items(
            self.a, first, self.b, second, self._inner(first) if top else frozenset(), self.ids
        )
        self.only_a.extend(match.only_a)
        self.only_b.extend(match.only_b)
        joins_a, joins_b = self.alike.joins(first), self.alike.joins(second)
        switches = [
            {label: track.enabled for label, track in one.labelled_tracks()} for one in (first, second)
        ]
        same_frame = around(first, second)
        for one, other in match.pairs:
            self.known[one.item.id] = other.item.id
            if not (
                same_frame
                and switches[0][one.track] == switches[1][other.track]
                and self.alike.same(one, other, joins_a, joins_b)
            ):
                self.doubtful.add(here if not top else None, one.item.id, other.item.id)
            if one.item is not other.item or one.track != other.track:
                self.found.extend(_pair(self.a, one, self.b, other))
            elif self.a is not self.b and isinstance(one.item.content, MediaUse):
                # The same item may use another medium under the same id.
                self.found.extend(_media(self.a, one, self.b, one.item.content))
            self._inside(here if not top else None, one.item, other.item)
        self.found.extend(_transitions(first, second))
        self.found.extend(_markers(first, second))
        if top:
            self.found.extend(_tracks(first, second))

    def linked(self, first: Sequence, second: Sequence) -> Iterator[Difference]:
        """Groups of linked items, of those on both sides, that are others there; told once for each."""
        back = {other: one for one, other in self.known.items()}
        ours, theirs = _groups(first, set(self.known)), _groups(second, set(back))
        told: set[str] = set()
        for label, track in first.labelled_tracks():
            for item in track.items:
                mine = ours.get(item.id, frozenset())
                there = frozenset(back[one] for one in theirs.get(self.known.get(item.id, ""), ()))
                if mine != there and told.isdisjoint(mine | there):
                    told |= mine | there
                    before, after = (sorted(one - {item.id}) for one in (mine, there))
                    yield Difference(
                        "changed",
                        Aspect.LINK,
                        name_of(item),
                        item.id,
                        label,
                        item.start,
                        item.end,
                        before,
                        after,
                    )

    def _inner(self, first: Sequence) -> frozenset[str]:
        """What a nest held and now stands in the open is no partner of what stands in the cut itself."""
        own = {item.id for item in first.items()}
        return frozenset(
            item.id for nested in self.a.reachable(first) for item in nested.items() if item.id not in own
        )

    def _inside(self, here: tuple[str, str] | None, one: Item, other: Item) -> None:
        """The sequences that two items that belong together are made of."""
        inner_a, inner_b = one.content, other.content
        pairs: list[tuple[str, str]] = []
        if isinstance(inner_a, NestedUse) and isinstance(inner_b, NestedUse):
            pairs.append((inner_a.sequence, inner_b.sequence))
        elif isinstance(inner_a, Angles) and isinstance(inner_b, Angles):
            for mine in inner_a.angles:
                theirs = inner_b.angle(mine.id)
                pairs.append((mine.sequence or "", theirs.sequence or "" if theirs else ""))
        for left, right in pairs:
            nest_a, nest_b = self.a.sequences_by_id.get(left), self.b.sequences_by_id.get(right)
            if nest_a is not None and nest_b is not None:
                self.doubtful.use(nest_a.id, nest_b.id, here, one.id, other.id)
                self.sequences(nest_a, nest_b)

    def unfolded(self, first: Sequence) -> None:
        """Pair the insides of a nest that is gone with items of the same id that stand in the open (or the
        other way round)."""
        reachable = self.a.reachable(first)
        inside = {one.id for nested in reachable for one in nested.items() if one.id not in self.known}
        for placed in list(self.only_b) if inside else ():
            base = placed.item.id.split("@", 1)[0]
            if base in inside and base not in self.known:
                self.known[base] = placed.item.id
                self.only_b.remove(placed)
                self.doubtful.all = True

    def evaluated(
        self, first: Sequence, second: Sequence, told: set[tuple[str, str]]
    ) -> Iterator[Difference]:
        """What is seen and heard otherwise of those items of which some part differs."""
        self.doubtful.settle()
        if self.doubtful.all:
            yield from evaluated(self.a, first, self.b, second, self.known, told)
        elif self.doubtful.first:
            left, right = only(first, self.doubtful.first), only(second, self.doubtful.second)
            yield from evaluated(self.a, left, self.b, right, self.known, told)


def _groups(sequence: Sequence, known: set[str]) -> dict[str, frozenset[str]]:
    """For every linked item the ids of those it belongs together with, itself among them."""
    members: dict[str, list[str]] = defaultdict(list)
    for item in sequence.items():
        if item.link and item.id in known:
            members[item.link].append(item.id)
    return {one: frozenset(group) for group in members.values() if len(group) > 1 for one in group}


def _settings(a: Sequence, b: Sequence) -> Iterator[Difference]:
    def told(what: str, before: Any, after: Any) -> Difference:
        return Difference("settings", what, "", "", "", 0, 0, before, after)

    if a.rate != b.rate:
        yield told("rate", str(a.rate), str(b.rate))
    if str(a.timecode(0)) != str(b.timecode(0)):
        yield told("start timecode", str(a.timecode(0)), str(b.timecode(0)))
    if a.width is not None and b.width is not None and a.frame_size != b.frame_size:
        yield told("frame size", "×".join(map(str, a.frame_size)), "×".join(map(str, b.frame_size)))
    if a.pixel_aspect != b.pixel_aspect:
        yield told("pixel aspect", format_exact(a.pixel_aspect), format_exact(b.pixel_aspect))
    if a.field_order != b.field_order:
        yield told("field order", a.field_order, b.field_order)
    if a.sample_rate and b.sample_rate and a.sample_rate != b.sample_rate:
        yield told("sample rate", a.sample_rate, b.sample_rate)
    if a.name != b.name:
        yield told("name", a.name, b.name)
    if sorted(raw.tag for raw in a.raw) != sorted(raw.tag for raw in b.raw):
        yield told("unread elements", [raw.tag for raw in a.raw], [raw.tag for raw in b.raw])
    if a.marked != b.marked:
        yield told("marked range", _range(a), _range(b))
    if a.duration != b.duration:
        yield told("length", a.duration, b.duration)


def _range(sequence: Sequence) -> str | None:
    return (
        f"{sequence.timecode(sequence.marked[0])} to {sequence.timecode(sequence.marked[1])}"
        if sequence.marked
        else None
    )


def _gone_and_added(loose_a: list[Placed], loose_b: list[Placed]) -> Iterator[Difference]:
    for one in loose_a:
        yield Difference(
            "gone",
            one.item.kind,
            name_of(one.item),
            one.item.id,
            one.track,
            one.item.start,
            one.item.end,
            name_of(one.item),
            None,
        )
    for one in loose_b:
        yield Difference(
            "added",
            one.item.kind,
            name_of(one.item),
            one.item.id,
            one.track,
            one.item.start,
            one.item.end,
            None,
            name_of(one.item),
        )


def _pair(a: Document, one: Placed, b: Document, other: Placed) -> Iterator[Difference]:
    x, y = one.item, other.item
    label = one.track

    def told(kind: str, what: str, before: Any, after: Any) -> Difference:
        return Difference(kind, what, name_of(x), x.id, one.track, x.start, x.end, before, after)

    same_length = x.duration == y.duration
    slipped = _source_moved(a, x, y)
    if x.start != y.start and same_length:
        yield told("moved", "record start", x.start, y.start)
        if slipped:
            yield told("slipped", "source in", *_source_frames(a, x, b, y))
    elif x.start != y.start or not same_length:
        if x.start != y.start:
            yield told("trimmed", "record start", x.start, y.start)
        if x.end != y.end:
            yield told("trimmed", "record end", x.end, y.end)
    elif slipped and x.speed == y.speed:
        yield told("slipped", "source in", *_source_frames(a, x, b, y))
    if one.track != other.track:
        yield told("changed", "track", one.track, other.track)
    if x.enabled != y.enabled:
        yield told("changed", "enabled", x.enabled, y.enabled)
    if x.name != y.name:
        yield told("changed", "name", x.name, y.name)
    if x.blend != y.blend:
        yield told("changed", "blend mode", x.blend, y.blend)
    if (x.alpha or "none") != (y.alpha or "none") and not isinstance(x.content, Title | Generator):
        yield told("changed", "alpha", x.alpha, y.alpha)
    if _names(x) != _names(y):
        yield told("changed", "filters", ", ".join(_names(x)), ", ".join(_names(y)))
    else:
        yield from _filter_settings(x, y, told)
    if x.label != y.label:
        yield told("changed", "label", x.label, y.label)
    if _told(x) - _told(y):
        yield told("changed", "metadata", sorted(_told(x)), sorted(_told(y)))
    if x.note != y.note:
        yield told("changed", "note", x.note, y.note)
    if sorted(raw.tag for raw in x.raw) != sorted(raw.tag for raw in y.raw):
        yield told("changed", "unread elements", [raw.tag for raw in x.raw], [raw.tag for raw in y.raw])
    yield from _around_nests(x, y, told)
    if x.sound is not None and y.sound is not None:
        if x.sound.channels != y.sound.channels:
            yield told("changed", "channels", list(x.sound.channels), list(y.sound.channels))
        if sorted(x.sound.muted) != sorted(y.sound.muted):
            yield told("changed", "mute", list(x.sound.muted), list(y.sound.muted))
        yield from _between_frames(x, x.sound, y, y.sound, label)
    if _speed(x) != _speed(y):
        yield told("changed", "speed", _speed(x), _speed(y))
    yield from _contents(a, x, label, b, y, told)


def _between_frames(x: Item, mine: Sound, y: Item, theirs: Sound, label: str) -> Iterator[Difference]:
    """Levels and fades that lie apart anywhere, between frames too."""
    if x.duration != y.duration or not (_moves(mine) or _moves(theirs)):
        return
    gap = furthest(mine, theirs, float(x.duration))
    if gap > DECIBELS:
        yield Difference(
            "changed",
            Aspect.LEVEL,
            name_of(x),
            x.id,
            label,
            x.start,
            x.end,
            _curve_words(mine),
            _curve_words(theirs),
            (round(gap, 4), "dB"),
        )


def _moves(sound: Sound) -> bool:
    return sound.level.animated or sound.fade_in is not None or sound.fade_out is not None


def _curve_words(sound: Sound) -> str:
    words = [f"{len(sound.level.keys)} keyframes" if sound.level.keys else f"{sound.level.still[0]:g} dB"]
    for name, fade in (("fade in", sound.fade_in), ("fade out", sound.fade_out)):
        if fade is not None:
            words.append(f"{name} of {format_exact(fade.duration)} frames")
    return ", ".join(words)


def _told(item: Item) -> set[tuple[str, str]]:
    """What is noted about an item; a stem that stands in a comment is compared as a stem."""
    return {pair for pair in item.metadata if not pair[1].startswith("STEM: ")}


def _filter_settings(x: Item, y: Item, told: Any) -> Iterator[Difference]:
    """Filters that both dialects know must be set alike at every frame; 1 in 200 of a setting's reach is not
    seen."""
    if not any(effect.settings for effect in x.effects):
        return
    frames = np.arange(min(ceil(x.duration), 100_000) + 1, dtype=np.float64)
    for one, other in zip((e for e in x.effects if e.enabled), (e for e in y.effects if e.enabled)):
        if not one.settings or not other.settings:
            continue
        theirs = dict(other.settings)
        for name, curve in one.settings:
            if name not in theirs:
                yield told("changed", "filter settings", f"{one.name}: {name}", None)
                continue
            mine, that = curve_values(curve, frames), curve_values(theirs[name], frames)
            gap = float(np.abs(mine - that).max())
            if gap > max(SETTING, SETTING * float(np.abs(mine).max())):
                yield told("changed", "filter settings", f"{one.name}: {name}", round(gap, 4))


def _around_nests(x: Item, y: Item, told: Any) -> Iterator[Difference]:
    """A nest's own crop, which no picture inside it shows, and the stems that are off in it."""
    if not isinstance(x.content, NestedUse) or not isinstance(y.content, NestedUse):
        return
    if x.content.silent != y.content.silent:
        yield told("changed", "mute", list(x.content.silent), list(y.content.silent))
    if (
        x.motion is not None
        and y.motion is not None
        and (
            x.motion.crop.keys
            or y.motion.crop.keys
            or any(
                abs(one - other) > FRACTION for one, other in zip(x.motion.crop.value, y.motion.crop.value)
            )
        )
    ):
        frames = np.arange(ceil(x.duration) + 1, dtype=np.float64)
        if np.abs(curve_values(x.motion.crop, frames) - curve_values(y.motion.crop, frames)).max() > FRACTION:
            yield told("changed", "crop", list(x.motion.crop.still), list(y.motion.crop.still))


def _source_frames(a: Document, x: Item, b: Document, y: Item) -> tuple[Exact, Exact]:
    """Both source ins in frames of the medium's rate; in seconds where nothing has a rate."""
    found = []
    for document, item in ((a, x), (b, y)):
        media = document.media_by_id.get(item.content.media) if isinstance(item.content, MediaUse) else None
        rate = media.rate if media is not None else None
        if rate is None and document.sequences:
            rate = document.sequences[0].rate
        found.append(rate.frames(item.source_in) if rate is not None else item.source_in)
    return found[0], found[1]


def _source_moved(a: Document, x: Item, y: Item) -> bool:
    """Whether the source in differs by more than the thousandth of a frame that is forgiven."""
    if x.still or isinstance(x.content, Title | Generator):
        return False
    return abs(float(x.source_in - y.source_in)) > SECONDS


def _speed(item: Item) -> str:
    """A speed in words, rounded so that the decimals of a dialect do not count."""
    if item.still or isinstance(item.content, Title | Generator):
        return "100 %"
    speed = item.speed
    return (
        f"{float(speed.rate) * 100:.3f}".rstrip("0").rstrip(".") + " %"
        if isinstance(speed, Constant)
        else "ramp"
    )


def _names(item: Item) -> list[str]:
    found = [effect.name for effect in item.effects if effect.enabled]
    # Pictures are filtered in order; what is done to sound has a fixed one.
    return found if item.sound is None else sorted(found)


def _contents(a: Document, x: Item, label: str, b: Document, y: Item, told: Any) -> Iterator[Difference]:
    before, after = x.content, y.content
    if isinstance(before, Title) and isinstance(after, Title):
        if before.words != after.words:
            yield told("retitled", "words", before.words, after.words)
        elif _styles(before) != _styles(after):
            yield told("changed", "style", _styles(before), _styles(after))
        if (
            abs(before.origin[0] - after.origin[0]) > PIXELS
            or abs(before.origin[1] - after.origin[1]) > PIXELS
        ):
            yield told("changed", "place of the words", list(before.origin), list(after.origin))
        if (before.roll is None) != (after.roll is None):
            yield told(
                "changed",
                "movement of the words",
                before.roll and before.roll.direction,
                after.roll and after.roll.direction,
            )
        if before.bar != after.bar:
            yield told("changed", "bar", before.bar, after.bar)
        if before.roll is not None and after.roll is not None and before.roll != after.roll:
            yield told("changed", "roll", str(before.roll.gap), str(after.roll.gap))
        if plain_template(before.template) != plain_template(after.template):
            yield told("changed", "template", before.template, after.template)
        if sorted(one.name for one in before.parameters) != sorted(one.name for one in after.parameters):
            yield told(
                "changed",
                "title settings",
                [one.name for one in before.parameters],
                [one.name for one in after.parameters],
            )
        return
    if isinstance(before, Generator) and isinstance(after, Generator):
        if (
            len(before.parameters) > len(after.parameters)
            and {name.lower() for name, _ in before.parameters} - _COLOR_NAMES
        ):
            yield told("changed", "generator settings", dict(before.parameters), dict(after.parameters))
        if _drawn(before) != _drawn(after):
            yield told(
                "changed",
                "generator",
                f"{before.kind} {before.color or ''}".strip(),
                f"{after.kind} {after.color or ''}".strip(),
            )
        return
    mine = identity(x, a.media_by_id, a.sequences_by_id) if type(before) is not type(after) else None
    if mine is not None:
        yield told("changed", "kind", x.kind, y.kind)
    elif isinstance(before, MediaUse) and isinstance(after, MediaUse):
        yield from _media(a, Placed(x, label), b, after)
    elif isinstance(before, Angles) and isinstance(after, Angles):
        if (before.video, before.audio) != (after.video, after.audio):
            yield told("changed", "angle", before.video, after.video)
        if [one.name for one in before.angles] != [one.name for one in after.angles]:
            yield told(
                "changed", "angles", [one.name for one in before.angles], [one.name for one in after.angles]
            )


_COLOR_NAMES = {"color", "colour", "fill color", "fill colour", "fillcolor"}
_PLAIN = {
    "",
    "text",
    "basic title",
    "outline text",
    "lower 3rd",
    "scrolling text",
    "crawl",
    "caption",
    "graphicandtype",
}


def plain_template(name: str) -> str:
    """What a title's template is called where it is one that other programs do not have; empty for plain
    ones."""
    return "" if name.strip().lower() in _PLAIN else name


def _drawn(generator: Generator) -> tuple[str, str | None]:
    """Black and the colour black are the same picture."""
    return ("colour", "#000000ff") if generator.kind == "black" else (generator.kind, generator.color)


def _media(a: Document, one: Placed, b: Document, after: MediaUse) -> Iterator[Difference]:
    assert isinstance(one.item.content, MediaUse)
    x, y = a.media_by_id.get(one.item.content.media), b.media_by_id.get(after.media)
    if x is None or y is None or x is y:
        return
    item = one.item

    def told(kind: str, what: str, before: Any, after: Any) -> Difference:
        return Difference(kind, what, name_of(item), item.id, one.track, item.start, item.end, before, after)

    if x.file_name.lower() != y.file_name.lower():
        yield told("changed", "media", x.file_name, y.file_name)
    if x.path and y.path and x.path != y.path:
        yield told("changed", "media path", x.path, y.path)
    if x.reel and x.reel != y.reel:
        yield told("changed", "reel", x.reel, y.reel)
    if x.rate is not None and y.rate is not None and (x.start or 0) != (y.start or 0) and not x.still:
        yield told("changed", "media start", x.start, y.start)


def _facts_of_media(
    a: Document, first: Sequence, b: Document, known: dict[str, str], second: Sequence
) -> Iterator[Difference]:
    """What both sides say of a medium and say otherwise; told at the first item that uses it."""
    there = {item.id: item for item in second.items()}
    seen: set[str] = set()
    for label, track in first.labelled_tracks():
        for item in track.items:
            other = there.get(known.get(item.id, ""))
            mine, theirs = item.content, other.content if other is not None else None
            if not isinstance(mine, MediaUse) or not isinstance(theirs, MediaUse) or mine.media in seen:
                continue
            seen.add(mine.media)
            x, y = a.media_by_id.get(mine.media), b.media_by_id.get(theirs.media)
            if x is None or y is None:
                continue
            for word, before, after in _said_of(x, y):
                yield Difference(
                    "changed",
                    Aspect.MEDIA_FACTS,
                    name_of(item),
                    item.id,
                    label,
                    item.start,
                    item.end,
                    f"{word} {before}",
                    f"{word} {after}",
                )


def _said_of(x: Media, y: Media) -> Iterator[tuple[str, Any, Any]]:
    """Facts that both say and say otherwise."""
    facts: tuple[tuple[str, Any, Any], ...] = (
        ("channels", x.channels, y.channels),
        ("sample rate", x.sample_rate, y.sample_rate),
        ("bit depth", x.bit_depth, y.bit_depth),
        ("rate", x.rate, y.rate),
        ("width", x.width, y.width),
        ("height", x.height, y.height),
        ("pixel aspect", x.pixel_aspect, y.pixel_aspect),
    )
    yield from (row for row in facts if row[1] is not None and row[2] is not None and row[1] != row[2])
    # Files count whole frames; a medium may end within one.
    if x.duration is not None and y.duration is not None and absolute(x.duration - y.duration) >= 1:
        yield "length", x.duration, y.duration


def _styles(title: Title) -> list[tuple[Any, ...]]:
    """Style runs, neighbours of one style joined."""
    found: list[tuple[Any, ...]] = []
    for run in title.runs:
        edge = run.outline_color, run.outline_width or None
        style = (
            run.font,
            run.size,
            run.bold,
            run.italic,
            run.color,
            run.align,
            run.underline,
            run.tracking,
            run.leading,
            edge,
            _shade(run.shadow),
        )
        if run.text.strip() and (not found or found[-1] != style):
            found.append(style)
    return found


def _shade(shadow: Shadow | None) -> tuple[Any, ...] | None:
    if shadow is None:
        return None
    return shadow.color, round(shadow.distance, 3), round(shadow.angle % 360.0, 3), round(shadow.blur, 3)


def _transitions(a: Sequence, b: Sequence) -> Iterator[Difference]:
    lefts, rights = _joins(a), _joins(b)
    for key, (label, one) in lefts.items():
        other = rights.pop(key, None)
        if other is None:
            yield _join("gone", "transition", label, one, one.type, None)
            continue
        then = other[1]
        if one.type != then.type:
            yield _join("changed", "transition", label, one, one.type, then.type)
        if (one.start, one.duration) != (then.start, then.duration):
            yield _join(
                "changed",
                "transition length",
                label,
                one,
                [one.start, one.duration],
                [then.start, then.duration],
            )
        looks = (
            ("transition colour", one.color, then.color),
            ("transition pattern", one.pattern, then.pattern),
            ("transition direction", one.direction, then.direction),
            ("transition edge", _edge(one), _edge(then)),
        )
        for what, before, after in looks:
            if one.type == then.type and before != after:
                yield _join("changed", what, label, one, before, after)
    for label, one in rights.values():
        yield _join("added", "transition", label, one, None, one.type)


def _edge(one: Transition) -> list[Any]:
    """How the edge of a wipe looks: softness, border and its colour; an edge of no width has none."""
    soft, wide = one.softness or 0.0, one.border or 0.0
    return [round(soft, 3), round(wide, 3), one.border_color if wide else None]


def _join(kind: str, what: str, label: str, one: Transition, before: Any, after: Any) -> Difference:
    return Difference(kind, what, one.name or one.type, one.id, label, one.start, one.end, before, after)


def _joins(sequence: Sequence) -> dict[tuple[Any, ...], tuple[str, Transition]]:
    """Transitions by the cut they sit on and the medium on either side, so that a change of track does not
    hide them."""
    found: dict[tuple[Any, ...], tuple[str, Transition]] = {}
    for label, track in sequence.labelled_tracks():
        for one in track.transitions:
            key = (label[0], one.cut)
            number = 0
            while (*key, number) in found:
                number += 1
            found[(*key, number)] = (label, one)
    return found


def _marks(sequence: Sequence) -> list[tuple[Exact, Marker]]:
    found = [(marker.start, marker) for marker in sequence.markers]
    for item in sequence.items():
        found.extend((item.start + marker.start, marker) for marker in item.markers)
    return found


def _markers(a: Sequence, b: Sequence) -> Iterator[Difference]:
    """Markers are told apart by place and words; on which item they hang does not matter."""

    def key(at: Exact, marker: Marker) -> tuple[Any, ...]:
        return ceil(at), marker.name, marker.comment

    waiting: dict[tuple[Any, ...], list[Marker]] = defaultdict(list)
    for at, marker in _marks(b):
        waiting[key(at, marker)].append(marker)
    for at, marker in _marks(a):
        others = waiting.get(key(at, marker))
        if not others:
            yield _mark("gone", "marker", at, marker, _words(marker), None)
            continue
        other = max(
            others, key=lambda one: (ceil(one.duration) == ceil(marker.duration), one.color == marker.color)
        )
        others.remove(other)
        if marker.color != other.color:
            yield _mark("changed", "marker colour", at, marker, marker.color, other.color)
        if ceil(marker.duration) != ceil(other.duration):
            yield _mark("changed", "marker length", at, marker, marker.duration, other.duration)
        if marker.kind != other.kind or marker.done != other.done:
            yield _mark("changed", "marker kind", at, marker, marker.kind, other.kind)
    for at, marker in _marks(b):
        if any(marker is one for one in waiting[key(at, marker)]):
            yield _mark("added", "marker", at, marker, None, _words(marker))


def _words(marker: Marker) -> str:
    return " – ".join(part for part in (marker.name, marker.comment) if part) or "marker"


def _mark(kind: str, what: str, at: Exact, marker: Marker, before: Any, after: Any) -> Difference:
    return Difference(
        kind, what, _words(marker), marker_key(at, marker), "", at, at + marker.duration, before, after
    )


def marker_key(at: Exact, marker: Marker) -> str:
    """The name under which a marker is told apart: its frame in the sequence and its name."""
    return f"marker@{ceil(at)}:{marker.name}"


def _routed(track: Track) -> int | None:
    """The output of a track beyond the first pair, where it says something; the two of a pair take turns by
    habit."""
    return track.output if track.output is not None and track.output > 2 else None


def _tracks(a: Sequence, b: Sequence) -> Iterator[Difference]:
    for letter, ours, theirs in (
        ("V", a.video_tracks, b.video_tracks),
        ("A", a.audio_tracks, b.audio_tracks),
    ):
        if len(ours) != len(theirs):
            yield Difference(
                "settings",
                "picture tracks" if letter == "V" else "sound tracks",
                "",
                "",
                letter,
                0,
                0,
                len(ours),
                len(theirs),
            )
        for number, (one, other) in enumerate(zip(ours, theirs), 1):
            label = f"{letter}{number}"
            facts = (
                ("track name", one.name, other.name),
                ("stem", one.stem, other.stem),
                ("track enabled", one.enabled, other.enabled),
                ("track locked", one.locked, other.locked),
                ("output", _routed(one), _routed(other)),
                ("unread elements", sorted(raw.tag for raw in one.raw), sorted(raw.tag for raw in other.raw)),
            )
            for what, before, after in facts:
                if what == "stem":
                    if letter == "V":
                        continue
                    # A name that became the stem says the same; a stem where nothing was said loses nothing.
                    before, after = one.role, other.role if one.role else one.role
                if before != after:
                    yield Difference("changed", what, label, f"track:{label}", label, 0, 0, before, after)
