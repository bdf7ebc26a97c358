"""Items that go over as pictures, where a person wants that: rendered frame by frame, in the place of what
the far side cannot have (N26).

Titles, generators and freezes that stand still become one picture, everything else a movie; both without
loss, with their alpha. What is done to the item from outside – place, size, opacity, transitions – stays as
it is, so a render shows what the item itself showed.
"""

from __future__ import annotations

from dataclasses import replace

from wexodos.model import (
    NORMAL,
    Document,
    Generator,
    Item,
    MediaUse,
    NestedUse,
    Sequence,
    Title,
)
from wexodos.model.speed import is_freeze
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.speeding import kind_of_speed, words_of
from wexodos.settling.vocabulary import Cause
from wexodos.tidy import Render
from wexodos.tidy.kinds import rendered_of, stand_in


def bakeable(document: Document, sequence: Sequence) -> frozenset[str]:
    """The ids of picture items of a sequence and its nests that can be rendered: their own picture can be
    drawn. What is switched off shows none."""
    known = document.media_by_id
    found = set()
    for track in (track for one in (sequence, *document.reachable(sequence)) for track in one.video_tracks):
        for item in track.items if track.enabled else ():
            if not item.enabled:
                continue
            content = item.content
            if isinstance(content, Title):
                can = content.words_known
            elif isinstance(content, Generator):
                can = content.kind != "transparent"
            else:
                media = known.get(content.media) if isinstance(content, MediaUse) else None
                can = media is not None and not media.still and not item.still and item.speed is not NORMAL
            if can:
                found.add(item.id)
    return frozenset(found)


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
    if _stands(item):
        made = _still(made)
    name = _free(made.media.name, {one.name.casefold() for one in context.document.media})
    # As long as nobody knows where it will lie it lies nowhere in particular, but at a whole path.
    folder = context.folder if context.folder.startswith("/") else "/rendered"
    media = replace(made.media, name=name, path=f"{folder}/{name}")
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
    new = replace(stand_in(work.sequence, track, item, render), note=_note(item))
    if media.still:
        new = replace(new, source_in=0, still=True)
    work.put(lane, item, new, reason)


def _stands(item: Item) -> bool:
    """Whether an item shows the same picture throughout."""
    content = item.content
    if isinstance(content, Title):
        return content.roll is None
    return isinstance(content, Generator) or (isinstance(content, MediaUse) and is_freeze(item.speed))


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
