"""Renders laid in place of their events. What of an event is in a render already – sizing, speed, filters –
is measured: the event as it was is held against the render with each of them and without; what would act
twice is switched off."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from fractions import Fraction
from pathlib import Path

from wexodos.ground import Progress
from wexodos.homecoming.events import Event
from wexodos.homecoming.eye import Eye, without_filters
from wexodos.homecoming.measurements import Measurements, of_cut, of_file
from wexodos.homecoming.renders import Matched
from wexodos.homecoming.ways import Way, What, medium_of, ways
from wexodos.model import (
    Constant,
    Curve,
    Document,
    Item,
    Media,
    MediaUse,
    Motion,
    Sequence,
    constant,
)
from wexodos.picture import Frames
from wexodos.picture.filters import is_drawn
from wexodos.sound.piece import stretch
from wexodos.timing import Exact, Rate, exact, floor

_MORE = 0.03
"""So much better a render must match without something for that to be in it already."""
_NEARER = 0.8
"""And its colours be nearer by that."""
_CLEARER = 0.5
"""And a fade explain its brightness so much better."""
_COVERED = 0.01
"""A render that covers more of the frame than this hides what lies beneath its event."""


_ROUND = Fraction(1, 2)
"""Frames: less than half of one is none."""


@dataclass(frozen=True, slots=True)
class Doubled:
    """Something of an event that is in its render already, and what was measured, in words."""

    what: What
    measured: str


@dataclass(frozen=True, slots=True)
class Laid:
    """A render in its place: how many frames later than the cut's its pictures are, what was switched off,
    how many frames it lacks at its beginning and its end for the clip with its transitions, and what could
    not be told of it, in words."""

    matched: Matched
    offset: int
    doubled: tuple[Doubled, ...]
    short: tuple[int, int] = (0, 0)
    unsure: str = ""


@dataclass(slots=True)
class Rendered:
    """The cut with its renders; ``left`` are those that were not laid in, with the reason."""

    document: Document
    sequence: Sequence
    laid: list[Laid] = field(default_factory=list)
    left: list[tuple[Matched, str]] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class _Measured:
    """The way in which a render stands in best for its event, what that leaves out, what could not be told,
    how much of the frame it covers besides, and how many frames later its pictures are."""

    way: Item
    doubled: tuple[Doubled, ...]
    unsure: str
    covered: float
    offset: int


def laid_in(
    document: Document,
    sequence: Sequence,
    matched: list[Matched],
    locate: Callable[[Media], Path | None],
    corrected: bool,
    progress: Progress,
    known: Measurements,
) -> Rendered:
    """Put renders in place of their events; titles, sound, transitions, markers and notes stay what they
    were. Pictures that are a frame off are moved by that only if ``corrected``. What is ``known`` is not
    measured again."""
    media, new = list(document.media), dict[str, Item]()
    ids = {one.id for one in media}
    frames = Frames()
    rows, left = [], []
    cut = of_cut(document, sequence)
    joins = {
        label: {join.cut: join for join in track.transitions} for label, track in sequence.labelled_tracks()
    }
    try:
        for number, one in enumerate(matched):
            progress(f"looking at {one.path.name}", number / len(matched))
            medium = medium_of(one.facts, ids)
            event = one.found.event

            def measure(one: Matched = one, medium: Media = medium) -> _Measured:
                within = replace(document, media=(*document.media, medium))
                return _measured(one, medium, Eye(within, sequence, medium, locate, frames), sequence)

            key = "render", of_file(one.facts), event.item.id, one.found.head, one.found.by_source, cut
            found: _Measured = known.of(key, measure)
            way = replace(found.way, content=MediaUse(medium.id))
            if found.covered > _COVERED:
                share = f"{found.covered * 100:.0f} %"
                left.append(
                    (one, f"it covers {share} of the frame that the clip leaves open; the clip stays")
                )
                continue
            if found.offset and corrected:
                late = exact(Fraction(way.source_in) + Fraction(sequence.rate.seconds(found.offset)))
                way = replace(way, source_in=max(0, late))
            short = lacking(way, joins[event.track], sequence.rate, one.facts.length or 0)
            media.append(medium)
            new[event.item.id] = way
            rows.append(Laid(one, found.offset, found.doubled, short, found.unsure))
    finally:
        frames.close()
    tracks = tuple(
        replace(track, items=tuple(new.get(item.id, item) for item in track.items))
        if track.kind == "video"
        else track
        for track in sequence.tracks
    )
    made = replace(sequence, tracks=tracks)
    within = tuple(made if one.id == made.id else one for one in document.sequences)
    return Rendered(replace(document, media=tuple(media), sequences=within), made, rows, left)


def _measured(one: Matched, medium: Media, eye: Eye, sequence: Sequence) -> _Measured:
    event = one.found.event
    above = _above(sequence, event)
    way, doubled = _chosen(one, medium, eye, above)
    covered = eye.open(event.item) - eye.open(way) if above else 0.0
    offset = eye.offset(event, way) if covered <= _COVERED else 0
    return _Measured(way, doubled, _dimmed(event, way, eye), covered, offset)


def lacking(item: Item, joins: Mapping[Exact, object], rate: Rate, length: Exact) -> tuple[int, int]:
    """How many frames a source of so many seconds lacks at the beginning and at the end of what an item plays
    of it, transitions at its edges included."""
    low, high = stretch(item, rate, joins)
    head, tail = rate.frames(exact(-Fraction(low))), rate.frames(exact(Fraction(high) - Fraction(length)))
    # A rest below half a frame is no picture.
    lacks = max(0, floor(head + _ROUND)), max(0, floor(tail + _ROUND))
    backwards = isinstance(item.speed, Constant) and item.speed.rate < 0
    return lacks[::-1] if backwards else lacks


def _above(sequence: Sequence, event: Event) -> bool:
    """Whether an event lies over something else."""
    item = event.item
    for label, track in sequence.labelled_tracks():
        if label == event.track:
            return False
        if track.kind == "video" and track.enabled:
            for other in track.items:
                if other.enabled and other.start < item.end and item.start < other.end:
                    return True
    return False


def _chosen(one: Matched, medium: Media, eye: Eye, above: bool) -> tuple[Item, tuple[Doubled, ...]]:
    """The way in which a render matches its event best, and what that leaves out; ``above``: the event lies
    over something."""
    event = one.found.event
    item, doubled = _best(event, ways(one, medium, eye.sequence), eye)
    bare = without_filters(item)
    told = eye.nearer(event, bare) if bare is not None else None
    if bare is not None and told is not None and told[0] < told[1] * _NEARER:
        colours = all(each.kind in _COLOURS for each in item.effects if each.enabled and is_drawn(each))
        words = f"{told[0] * 100:.1f} % from the clip with it, {told[1] * 100:.1f} % from the clip without"
        doubled.append(Doubled(What.COLOUR if colours else What.FILTER, words))
        item = bare
    item = _seen_through(event, item, eye, above, doubled)
    return item, tuple(doubled)


def _seen_through(event: Event, item: Item, eye: Eye, above: bool, doubled: list[Doubled]) -> Item:
    """An item without the blend and the fade that are in its render."""
    through = event.item.blend != "normal" or _opacity(event.item) != constant(1)
    stacked = eye.stacked(event, item) if through and above else None
    if stacked is not None and stacked[0] > stacked[1] + _MORE:
        words = f"matches {stacked[0]:.3f} with what lies beneath, {stacked[1]:.3f} alone"
        doubled.append(Doubled(What.BLEND, words))
        return replace(item, blend="normal", motion=replace(item.motion or Motion(), opacity=constant(1)))
    faded = eye.faded(event, item)
    if faded is not None and faded[0] < faded[1] * _CLEARER:
        words = f"its brightness is {faded[0] * 100:.0f} % from the fade, {faded[1] * 100:.0f} % from none"
        doubled.append(Doubled(What.FADE, words))
        return replace(item, motion=replace(item.motion or Motion(), opacity=constant(1)))
    return item


def _dimmed(event: Event, item: Item, eye: Eye) -> str:
    """What cannot be told of an opacity that does not move: in a render over black it is what a correction
    may be as well."""
    opacity = _opacity(item)
    share = opacity.value[0]
    if opacity.keys or not 0 < share < 1:
        return ""
    bright = eye.brightness(event, item)
    # Nearer to what the opacity makes of the clip than to the clip, as a factor.
    if bright is None or bright**2 > share:
        return ""
    words = f"its pictures are {bright * 100:.0f} % as bright as the clip's"
    return f"its opacity of {share * 100:.0f} % stays on it: {words}, by that or by a correction"


def _opacity(item: Item) -> Curve:
    return (item.motion or Motion()).opacity


def _best(event: Event, there: list[Way], eye: Eye) -> tuple[Item, list[Doubled]]:
    """The way that is most like the event; the one with everything in it where the others are not clearly
    better, or nothing is to be seen by which to tell."""
    plain = there[0]
    made = [Doubled(What.SPEED, "it is as long as the clip is in the cut")] if plain.off else []
    with_all = eye.aligned(event, plain.item) if len(there) > 1 else None
    if with_all is None:
        return plain.item, made
    fits = [(fit, way) for way in there if (fit := eye.aligned(event, way.item)) is not None]
    without, best = max(fits, key=lambda each: each[0])
    if without < with_all + _MORE:
        return plain.item, made
    words = f"matches {without:.3f} without it, {with_all:.3f} with it"
    found = [Doubled(what, words) for what in (What.MOTION, What.SPEED) if what in best.off - plain.off]
    return best.item, [*found, *(made if What.SPEED in best.off else [])]


_COLOURS = ("primaries", "lut")
