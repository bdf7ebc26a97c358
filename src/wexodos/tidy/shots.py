"""The shots of a cut, one by one: each as a sequence of its own with handles, under its name and a slate."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, replace

from wexodos.evaluate.trimming import trimmed
from wexodos.ground.errors import WexodosError
from wexodos.ground.names import fresh, safe_name
from wexodos.model import (
    Angles,
    Document,
    Item,
    Marker,
    Media,
    MediaUse,
    NestedUse,
    Sequence,
    Track,
)
from wexodos.model.speed import is_freeze, source_at
from wexodos.tidy.marks import shots
from wexodos.tidy.step import Render, counted, reach
from wexodos.timing import Exact, Rate, Timecode, exact, floor

SCHEME = "{sequence}_{number}"
_PARTS = ("sequence", "number", "item", "track")
_STEP = 10
"""Shots are numbered in tens, so that one that comes later finds a number between."""
_NEAR = 8
"""So many frames of handles are given for a beginning on a frame of the source."""


class SchemeError(WexodosError):
    """A scheme of names that makes no sense: one plain sentence."""


@dataclass(frozen=True, slots=True)
class Numbered:
    """A shot of a cut: what it is called, and the frames of the cut, from ``first`` up to ``until``, it is
    seen in."""

    name: str
    item: Item
    track: str
    first: int
    until: int


@dataclass(frozen=True, slots=True)
class Shot:
    """A shot by itself: ``head`` and ``tail`` are the frames of handles it got, ``sequence`` it with them,
    behind its slate where it has one. Every frame keeps its timecode."""

    of: Numbered
    head: int
    tail: int
    sequence: Sequence
    document: Document
    slate: Render | None = None


def numbered(document: Document, sequence: Sequence, scheme: str = SCHEME) -> list[Numbered]:
    """The clips, nests and multi-angle clips of a cut's pictures that are switched on, in the order of time,
    with their names. Raises ``SchemeError``."""
    tracks = dict(sequence.labelled_tracks())
    found = sorted(
        ((item.start, label, item) for label, _, item in shots(sequence) if _is_shot(document, item)),
        key=lambda one: one[:2],
    )
    made, taken = [], Counter[str]()
    for place, (_, label, item) in enumerate(found, 1):
        parts = {
            "sequence": safe_name(sequence.name).replace(" ", "_"),
            "number": f"{place * _STEP:04d}",
            "item": safe_name(item.name or item.kind).replace(" ", "_"),
            "track": label,
        }
        name = safe_name(_named(scheme, parts))
        taken[name.casefold()] += 1
        if taken[name.casefold()] > 1:
            name = f"{name}_{taken[name.casefold()]}"
        first, until = reach(tracks[label], item)
        made.append(Numbered(name, item, label, max(0, first), min(until, sequence.duration)))
    return made


def check_scheme(scheme: str) -> None:
    """Raises ``SchemeError`` where a scheme makes no sense."""
    wrong = [one for one in re.findall(r"\{([^{}]*)\}", scheme) if one not in _PARTS]
    if wrong or re.search(r"[{}]", re.sub(r"\{[^{}]*\}", "", scheme)):
        known = ", ".join(f"{{{one}}}" for one in _PARTS)
        word = f"{{{wrong[0]}}}" if wrong else "a bracket alone"
        raise SchemeError(f"names of shots: {word} stands for nothing; there are {known}")
    if not scheme.strip():
        raise SchemeError("names of shots: the scheme is empty")


def _named(scheme: str, parts: dict[str, str]) -> str:
    check_scheme(scheme)
    return re.sub(r"\{([^{}]*)\}", lambda found: parts[found.group(1)], scheme)


def _is_shot(document: Document, item: Item) -> bool:
    if isinstance(item.content, NestedUse | Angles):
        return True
    if not isinstance(item.content, MediaUse):
        return False
    media = document.media_by_id.get(item.content.media)
    # Slates and sync pops of Tidy are pictures of ours.
    ours = media is not None and media.still and (media.path or "").startswith("/rendered/")
    return media is not None and not media.synthetic and not ours


def apart(document: Document, sequence: Sequence, scheme: str, handles: Exact, slate: bool) -> Iterator[Shot]:
    """Each shot by itself with ``handles`` frames on either side, as far as its medium goes. Raises
    ``SchemeError``."""
    for one in numbered(document, sequence, scheme):
        head = _most(document, sequence, one, floor(handles), -1)
        tail = _most(document, sequence, one, floor(handles), 1)
        # Nothing has a timecode before 00:00:00:00.
        head = max(0, min(head, sequence.start + one.first - int(slate)))
        yield _shot(document, sequence, one, head, tail, slate and sequence.start + one.first - head > 0)


def _most(document: Document, sequence: Sequence, shot: Numbered, wanted: int, way: int) -> int:
    """So many frames of handles there are before (``way`` -1) or behind a shot: a few less where it then
    begins on a frame of its source, as not every format can begin between two."""
    item, rate = shot.item, sequence.rate
    length, own = _length(document, item), _rate(document, item) or rate
    if item.still or is_freeze(item.speed):
        return wanted
    edge = shot.first if way < 0 else shot.until
    most = None
    for frames in range(wanted, -1, -1):
        source, _ = source_at(item.speed, item.source_in, edge + way * frames - item.start, rate)
        if source < 0 or (length is not None and source > length):
            continue
        most = frames if most is None else most
        if way > 0 or most - frames > _NEAR:
            return most
        if isinstance(own.frames(source), int):
            return frames
    return most or 0


def _rate(document: Document, item: Item) -> Rate | None:
    media = document.media_by_id.get(item.content.media) if isinstance(item.content, MediaUse) else None
    return media.rate if media is not None else None


def _length(document: Document, item: Item) -> Exact | None:
    """How many seconds of source there are, from the one at which an item's source time is 0."""
    content = item.content
    if isinstance(content, NestedUse):
        nest = document.sequences_by_id.get(content.sequence)
        return nest.rate.seconds(nest.duration) if nest is not None else None
    offset: Exact = 0
    key: str | None = None
    if isinstance(content, Angles):
        angle = content.angle(content.video)
        key, offset = (angle.media, angle.offset) if angle is not None else (None, 0)
    elif isinstance(content, MediaUse):
        key = content.media
    media = document.media_by_id.get(key or "")
    if media is None or media.duration is None or media.rate is None:
        return None
    return exact(media.rate.seconds(media.duration) - offset)


def _shot(document: Document, sequence: Sequence, one: Numbered, head: int, tail: int, slate: bool) -> Shot:
    first, until = one.first - head, one.until + tail
    before = int(slate)
    item = replace(trimmed(one.item, first, until, sequence.rate), start=before, link=None)
    length = until - first
    items = [item]
    render = None
    nests = document.reachable(replace(sequence, tracks=(Track("video", (item,)),)))
    media = _used(document, item, nests)
    if slate:
        render = _slate(document, sequence, one, head, tail)
        key = f"{render.media.id}-item"
        items.insert(0, Item(key, "Slate", 0, 1, MediaUse(render.media.id), motion=None, still=True))
        media = (*media, render.media)
    marks = (
        Marker(before + head, 0, f"{one.name} in"),
        Marker(before + head + one.until - one.first - 1, 0, f"{one.name} out"),
    )
    made = replace(
        sequence,
        id=f"{sequence.id}-{one.name}",
        name=one.name,
        start=sequence.start + first - before,
        tracks=(Track("video", tuple(items)),),
        markers=marks,
        stated_duration=before + length,
        top_level=True,
        marked=(before + head, before + head + one.until - one.first),
        note="",
        raw=(),
        folder=None,
    )
    whole = replace(document, sequences=(made, *nests), media=media, folders=(), raw=())
    return Shot(one, head, tail, made, whole, render)


def _used(document: Document, item: Item, nests: tuple[Sequence, ...]) -> tuple[Media, ...]:
    """The media of an item and of all it nests."""
    keys = set()
    for one in (item, *(inside for nest in nests for inside in nest.items())):
        if isinstance(one.content, MediaUse):
            keys.add(one.content.media)
        elif isinstance(one.content, Angles):
            keys |= {angle.media for angle in one.content.angles if angle.media}
    return tuple(media for media in document.media if media.id in keys)


def _slate(document: Document, sequence: Sequence, one: Numbered, head: int, tail: int) -> Render:
    ids = {media.id for media in document.media} | {item.id for item in sequence.items()}
    key = fresh("slate", ids | {one.removesuffix("-item") for one in ids})
    width, height = sequence.frame_size
    media = Media(
        key,
        f"{one.name} slate.png",
        f"/rendered/{one.name} slate.png",
        width=width,
        height=height,
        pixel_aspect=sequence.pixel_aspect,
        video=True,
        still=True,
    )
    return Render("slate", media, words=slate_words(document, sequence, one, head, tail))


def slate_words(
    document: Document, sequence: Sequence, one: Numbered, head: int, tail: int
) -> tuple[str, ...]:
    """What a slate says: the shot, its place in the cut, its source, its frames, the frame size and rate."""
    width, height = sequence.frame_size
    drop = " drop frame" if sequence.drop_frame else ""
    length = one.until - one.first
    return (
        one.name,
        f"{sequence.name}, {one.track} {one.item.name or one.item.kind}",
        f"{sequence.timecode(one.first)} to {sequence.timecode(one.until)}",
        *source_words(document, sequence, one),
        f"{counted(length, 'frame')}, handles {head} before, {tail} behind",
        f"{width} × {height}, {sequence.rate.label()} fps{drop}",
    )


def source_words(document: Document, sequence: Sequence, one: Numbered) -> tuple[str, ...]:
    """The medium of a shot and the timecode of its first frame, where it has one."""
    content = one.item.content
    media = document.media_by_id.get(content.media) if isinstance(content, MediaUse) else None
    if media is None:
        return ()
    code = source_code(media, sequence, one)
    return (f"{media.file_name}{f' {code}' if code is not None else ''}",)


def source_code(media: Media, sequence: Sequence, one: Numbered) -> Timecode | None:
    """The source timecode of the first frame of a shot."""
    if media.still:
        return None
    item = one.item
    source, _ = source_at(item.speed, item.source_in, one.first - item.start, sequence.rate)
    rate = media.rate or sequence.rate
    return media.timecode(max(0, floor(rate.frames(source))))
