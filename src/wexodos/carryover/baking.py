"""Items that go over as pictures, where a person wants that: rendered frame by frame, in the place of what
the far side cannot have (N26).

Titles, generators and freezes that stand still become one picture, everything else a movie; both without
loss, with their alpha. What is done to the item from outside – place, size, opacity, transitions – stays as
it is, so a render shows what the item itself showed.
"""

from __future__ import annotations

from collections.abc import Container, Iterable
from dataclasses import dataclass, replace
from itertools import takewhile

from wexodos.carryover.inventory import numbered
from wexodos.ground.names import joined
from wexodos.model import (
    NORMAL,
    Adjustment,
    Document,
    Effect,
    Generator,
    Item,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    Title,
    Track,
)
from wexodos.model.sequences import nests_of
from wexodos.model.speed import is_freeze
from wexodos.picture.blend import MATTES, MODES, STENCILS
from wexodos.picture.filters import is_drawn
from wexodos.picture.joins import undrawn
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.speeding import kind_of_speed, words_of
from wexodos.settling.vocabulary import BLEND_MODE, Cause
from wexodos.tidy import Render
from wexodos.tidy.kinds import rendered_of, stand_in
from wexodos.tidy.step import reach
from wexodos.timing import Exact

_BLENDS = frozenset({"normal", *MATTES, *MODES, *STENCILS})
"""The ways of laying one picture over another that are drawn."""


def bakeable(document: Document, sequence: Sequence) -> frozenset[str | tuple[str, str]]:
    """The ids of picture items of a sequence and its nests that can be rendered: their own picture can be
    drawn; with its item's id the name of each filter that can be rendered with it, and ``BLEND_MODE`` where
    all that lies below can be too. What is switched off shows none."""
    found: set[str | tuple[str, str]] = set()
    known = _Known(document, {})
    # The innermost first: what is around a nest asks for its insides, each once.
    for one in (*document.reachable(sequence), sequence):
        dark = [_not_drawn(known, track) for track in one.video_tracks]
        known.whole[one.id] = not any(dark)
        for number, track in enumerate(one.video_tracks):
            below = [span for spans in dark[:number] for span in spans]
            for item in track.items if track.enabled else ():
                if not item.enabled:
                    continue
                if _alone(known, item):
                    found.add(item.id)
                # Inside a nest what lies below is not all: it may be seen through.
                if one is sequence and item.blend != "normal" and _drawn(known, item):
                    low, high = reach(track, item)
                    if all(end <= low or start >= high for start, end in below):
                        found.add((item.id, BLEND_MODE))
                if _has_picture(known, item):
                    names = numbered([effect.name for effect in item.effects])
                    found |= {(item.id, name) for name in names[: len(_drawn_first(item))]}
    return frozenset(found)


@dataclass(frozen=True, slots=True)
class _Known:
    """The document, and of which of its sequences, by their id, all that is seen is drawn as it is; one that
    leads back to itself is not among them."""

    document: Document
    whole: dict[str, bool]


def _has_picture(known: _Known, item: Item) -> bool:
    """Whether what an item shows, before its filters, can be drawn."""
    content = item.content
    if isinstance(content, Title):
        return content.words_known
    if isinstance(content, Generator):
        return content.kind != "transparent"
    if isinstance(content, NestedUse):
        return known.whole.get(content.sequence, False)
    return isinstance(content, MediaUse) and content.media in known.document.media_by_id


def _alone(known: _Known, item: Item) -> bool:
    """Whether an item can be rendered as such: what only shows a file is that file."""
    if isinstance(item.content, MediaUse):
        media = known.document.media_by_id.get(item.content.media or "")
        return media is not None and not media.still and not item.still and item.speed is not NORMAL
    return _has_picture(known, item)


def _drawn(known: _Known, item: Item) -> bool:
    """Whether an item is drawn as it is, with all that is done to it."""
    pictured = isinstance(item.content, Adjustment) or _has_picture(known, item)
    return pictured and item.blend in _BLENDS and all(is_drawn(one) for one in item.effects if one.enabled)


def _not_drawn(known: _Known, track: Track) -> list[tuple[Exact, Exact]]:
    """Where something is seen on a track that is not drawn as it is."""
    if not track.enabled:
        return []
    return [
        *((join.start, join.end) for join in track.transitions if undrawn(join)),
        *((one.start, one.end) for one in track.items if one.enabled and not _drawn(known, one)),
    ]


def _drawn_first(item: Item) -> tuple[Effect, ...]:
    """The filters of an item up to the first that we cannot draw: those behind it act on what it made."""
    return tuple(takewhile(is_drawn, item.effects))


def still_there(
    document: Document, sequence: Sequence, bakes: Container[str]
) -> tuple[Document, frozenset[str]]:
    """The document without what only renders show where the items ``bakes`` are rendered: sequences that
    nothing uses any more, and the pictures of those that are only heard, whose ids come with it."""
    if not bakes:
        return document, frozenset()
    seen, heard = _reached(document, sequence, ())
    left, audible = _reached(document, sequence, bakes)
    hidden = frozenset((audible - left) & seen)
    kept = []
    for one in document.sequences:
        if one.id in hidden:
            tracks = (
                track if track.kind == "audio" else replace(track, items=(), transitions=())
                for track in one.tracks
            )
            kept.append(replace(one, tracks=tuple(tracks)))
        elif one.id in left | audible or one.id not in seen | heard:
            kept.append(one)
    return replace(document, sequences=tuple(kept)), hidden


def _reached(document: Document, sequence: Sequence, bakes: Container[str]) -> tuple[set[str], set[str]]:
    """The ids of the sequences of which something is seen, and heard, where the items ``bakes`` are
    rendered."""
    known = document.sequences_by_id
    reached = {"video": {sequence.id}, "audio": {sequence.id}}
    waiting = [(sequence, "video"), (sequence, "audio")]
    while waiting:
        one, kind = waiting.pop()
        for item in (item for track in one.tracks if track.kind == kind for item in track.items):
            for used in nests_of(item) if kind == "audio" or item.id not in bakes else ():
                if used in known and used not in reached[kind]:
                    reached[kind].add(used)
                    waiting.append((known[used], kind))
    return reached["video"], reached["audio"]


def hide(context: Context, work: Work) -> None:
    """Of a nest that is only heard, as its picture is rendered, no picture goes over."""
    if work.sequence.id not in context.hidden:
        return
    reason = context.spelled(Cause.SEEN_AS_RENDER)
    for lane in [one for one in work.lanes if one.kind == "video"]:
        for join in list(lane.transitions):
            work.take_join(lane, join, reason)
        for item in list(lane.items):
            work.take(lane, item, reason)


def bake(context: Context, work: Work) -> None:
    """Put renders in the place of the items that shall be baked."""
    for lane in work.lanes:
        if lane.kind != "video":
            continue
        for item in list(lane.items):
            if item.id in context.bakes:
                _one(context, work, lane, item)


def _one(context: Context, work: Work, lane: Lane, item: Item) -> None:
    track = replace(lane.track, items=tuple(lane.items), transitions=tuple(lane.transitions))
    used = {one.id for one in context.document.media}
    choice = context.bakes[item.id]
    # Nests as they were: what was done to them for the far side is not seen in a render.
    made = rendered_of(context.original, work.sequence, track, item, used)
    if choice.what == BLEND_MODE:
        made = _with_what_is_below(made, work.sequence)
    else:
        made = _by_itself(context, made, item)
    name = _free(made.media.name, {one.name.casefold() for one in context.document.media})
    # As long as nobody knows where it will lie it lies nowhere in particular, but at a whole path.
    folder = context.folder or "/rendered"
    media = replace(made.media, name=name, path=joined(folder, name))
    render = replace(made, media=media)
    context.renders.append(render)
    how = "with all that lies below it" if render.below else "what is done to it from outside stays as it was"
    # Whatever else would be said of it is said of something that is not there any more.
    reason = context.because(
        work,
        Cause.BAKED_WITH_BELOW if render.below else Cause.BAKED,
        item,
        lane.label,
        f"it is rendered, frame by frame; {how}",
        "nothing; the original comes back with the cut",
        choice=choice,
        before=_words(item),
        after=name,
        minutes=0,
    )
    context.add_media(media, reason)
    new = replace(stand_in(work.sequence, track, item, render), note=_note(item))
    if render.below:
        new = replace(new, effects=(), blend="normal", motion=Motion() if item.motion is not None else None)
    else:
        new = replace(new, effects=item.effects[render.filters :])
    if media.still:
        new = replace(new, source_in=0, still=True)
    work.put(lane, item, new, reason)


def _by_itself(context: Context, made: Render, item: Item) -> Render:
    """The render of an item before it is moved, with its filters up to the last that the far side does not
    have; what it has stays its own where it can."""
    within = _drawn_first(item)
    missed = [place for place, one in enumerate(within, 1) if one.enabled and not context.takes(one)]
    made = replace(made, filters=max(missed, default=0))
    return _still(made) if _stands(context.original, item, item.effects[: made.filters]) else made


def _with_what_is_below(made: Render, sequence: Sequence) -> Render:
    """The render of the whole frame up to an item: how it is laid over the others cannot be seen without
    them."""
    wide, tall = sequence.frame_size
    media = replace(made.media, width=wide, height=tall, pixel_aspect=sequence.pixel_aspect, alpha=None)
    return replace(made, media=media, below=True)


def _stands(document: Document, item: Item, filters: Iterable[Effect]) -> bool:
    """Whether an item shows the same picture throughout, after its filters."""
    if any(curve.animated for one in filters for _, curve in one.settings):
        return False
    content = item.content
    if isinstance(content, Title):
        return content.roll is None
    if not isinstance(content, MediaUse):
        return isinstance(content, Generator)
    media = document.media_by_id.get(content.media or "")
    return is_freeze(item.speed) or item.still or (media is not None and media.still)


def _still(render: Render) -> Render:
    stem = render.media.name.rpartition(".")[0]
    media = replace(render.media, name=f"{stem}.png", duration=1, start=None, still=True)
    return replace(render, media=media, count=1, first=max(0, render.first))


def _free(name: str, taken: set[str]) -> str:
    stem, dot, suffix = name.rpartition(".")
    found, number = name, 2
    while found.casefold() in taken:
        found, number = f"{stem} {number}{dot}{suffix}", number + 1
    return found


def _words(item: Item) -> str:
    if isinstance(item.content, Title):
        return item.content.words or item.name
    if isinstance(item.content, Generator):
        return item.content.name or item.content.kind
    return item.name if isinstance(item.content, NestedUse) else words_of(item)


def _note(item: Item) -> str:
    """What was there, for those who only have the render."""
    if isinstance(item.content, NestedUse):
        words = f"nested: {item.name}"
    else:
        words = kind_of_speed(item) if isinstance(item.content, MediaUse) else _words(item)
    return f"{item.note}\n{words}".strip()
