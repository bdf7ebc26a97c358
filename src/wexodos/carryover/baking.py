"""Items that go over as pictures, where a person wants that: rendered frame by frame, in the place of what
the far side cannot have (N26).

Titles, generators and freezes that stand still become one picture, everything else a movie; both without
loss, with their alpha. What is done to the item from outside – place, size, opacity, transitions – stays as
it is, so a render shows what the item itself showed.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from itertools import takewhile

from wexodos.carryover.inventory import numbered
from wexodos.ground.names import joined
from wexodos.model import (
    NORMAL,
    Document,
    Effect,
    Generator,
    Item,
    MediaUse,
    NestedUse,
    Sequence,
    Title,
)
from wexodos.model.speed import is_freeze
from wexodos.picture.filters import is_drawn
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.speeding import kind_of_speed, words_of
from wexodos.settling.vocabulary import Cause
from wexodos.tidy import Render
from wexodos.tidy.kinds import rendered_of, stand_in


def bakeable(document: Document, sequence: Sequence) -> frozenset[str | tuple[str, str]]:
    """The ids of picture items of a sequence and its nests that can be rendered: their own picture can be
    drawn; and with its item's id the name of each filter that can be rendered with it. What is switched off
    shows none."""
    known = document.media_by_id
    found: set[str | tuple[str, str]] = set()
    for track in (track for one in (sequence, *document.reachable(sequence)) for track in one.video_tracks):
        for item in track.items if track.enabled else ():
            if not item.enabled:
                continue
            content = item.content
            if isinstance(content, Title):
                drawn = alone = content.words_known
            elif isinstance(content, Generator):
                drawn = alone = content.kind != "transparent"
            else:
                media = known.get(content.media) if isinstance(content, MediaUse) else None
                drawn = media is not None
                alone = media is not None and not media.still and not item.still and item.speed is not NORMAL
            if not drawn:
                continue
            if alone:
                found.add(item.id)
            names = numbered([effect.name for effect in item.effects])
            found |= {(item.id, name) for name in names[: len(_drawn_first(item))]}
    return frozenset(found)


def _drawn_first(item: Item) -> tuple[Effect, ...]:
    """The filters of an item up to the first that we cannot draw: those behind it act on what it made."""
    return tuple(takewhile(is_drawn, item.effects))


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
    made = rendered_of(context.document, work.sequence, track, item, used)
    within = _drawn_first(item)
    # Up to the last that the far side does not have; what it has stays its own where it can.
    missed = [place for place, one in enumerate(within, 1) if one.enabled and not context.takes(one)]
    made = replace(made, filters=max(missed, default=0))
    if _stands(context.document, item, item.effects[: made.filters]):
        made = _still(made)
    name = _free(made.media.name, {one.name.casefold() for one in context.document.media})
    # As long as nobody knows where it will lie it lies nowhere in particular, but at a whole path.
    folder = context.folder or "/rendered"
    media = replace(made.media, name=name, path=joined(folder, name))
    render = replace(made, media=media)
    context.renders.append(render)
    # Whatever else would be said of it is said of something that is not there any more.
    choice = context.bakes[item.id]
    reason = context.because(
        work,
        Cause.BAKED,
        item,
        lane.label,
        "it is rendered, frame by frame; what is done to it from outside stays as it was",
        "nothing; the original comes back with the cut",
        choice=choice,
        before=_words(item),
        after=name,
        minutes=0,
    )
    context.add_media(media, reason)
    new = replace(
        stand_in(work.sequence, track, item, render), effects=item.effects[made.filters :], note=_note(item)
    )
    if media.still:
        new = replace(new, source_in=0, still=True)
    work.put(lane, item, new, reason)


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
    return words_of(item)


def _note(item: Item) -> str:
    """What was there, for those who only have the render."""
    words = _words(item) if not isinstance(item.content, MediaUse | NestedUse) else kind_of_speed(item)
    return f"{item.note}\n{words}".strip()
